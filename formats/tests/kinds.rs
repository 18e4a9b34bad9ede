//! Pictures of every kind that other programs write, read or refused by name; and what other programs read in ours. Written
//! by OpenImageIO, tifffile and ImageMagick through `xtask/pictures.py`.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::Encoding;
use lantern_core::picture::Picture;
use lantern_formats::frame::{self, Beside, Frame, Windows};
use lantern_formats::{Depth, dpx, exr, facts, png, tiff};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().into()
}

/// What the script says.
fn script(what: &str, of: &Path) -> Vec<u8> {
    let python = root().join(".venv/bin/python");
    assert!(python.is_file(), "the Python packages are installed by `cargo xtask test`");
    let done = Command::new(python).arg(root().join("xtask/pictures.py")).arg(what).arg(of).output().unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    done.stdout
}

#[test]
fn pictures_of_every_kind_are_read_to_the_code_or_refused_by_name() {
    let dir = tempfile::tempdir().unwrap();
    script("make", dir.path());
    let kinds: Value =
        serde_json::from_slice(&std::fs::read(dir.path().join("kinds.json")).unwrap()).unwrap();
    let kinds = kinds.as_object().unwrap();
    assert!(kinds.len() > 30);
    let mut wrong = Vec::new();
    for (name, want) in kinds {
        let bytes = std::fs::read(dir.path().join(name)).unwrap();
        let found = frame::read(&bytes);
        if let Some(words) = want["refused"].as_str() {
            match found.map_err(|e| e.to_string()) {
                Err(said) if said.contains(words) && said.contains("save it as") => {}
                other => wrong.push(format!("{name}: not refused with {words}: {other:?}")),
            }
            continue;
        }
        let found = match found {
            Ok(found) => found,
            Err(e) => {
                wrong.push(format!("{name}: {e}"));
                continue;
            }
        };
        let within = want["within"].as_f64().unwrap();
        let pixels: Vec<f64> =
            want["pixels"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
        // As the file holds them: colours multiplied by alpha were divided.
        let multiplied = |p: &[f32; 4]| {
            let by = if found.beside.premultiplied && p[3] > 0.0 { p[3] } else { 1.0 };
            [p[0] * by, p[1] * by, p[2] * by, p[3]]
        };
        let got = found.picture.pixels.iter().flat_map(multiplied).map(f64::from);
        let worst = got.zip(&pixels).map(|(a, b)| (a - b).abs() / b.abs().max(1.0)).fold(0.0, f64::max);
        if found.picture.pixels.len() * 4 != pixels.len() || worst > within {
            wrong.push(format!("{name}: off by {worst}"));
        }
        let beside = &found.beside;
        let windows = beside
            .windows
            .map(|w| json!([w.data[0], w.data[1], w.shown[0], w.shown[1], w.size[0], w.size[1]]));
        let said = (beside.alpha, beside.aspect, beside.orientation, windows);
        let expected = (
            want["alpha"] == true,
            want["aspect"].as_f64().unwrap_or(1.0) as f32,
            want["orientation"].as_u64().unwrap_or(1) as u8,
            (!want["windows"].is_null()).then(|| want["windows"].clone()),
        );
        if said != expected {
            wrong.push(format!("{name}: beside its pixels {said:?}, not {expected:?}"));
        }
        if let Err(e) = facts::read(&bytes) {
            wrong.push(format!("{name}: its facts: {e}"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    // What has neither a way to be read nor a name of its own is at least refused without harm.
    let cmyk = std::fs::read(dir.path().join("cmyk.jpg")).unwrap();
    let _ = frame::read(&cmyk);
}

/// A picture with all that can lie beside one.
fn rich() -> Frame {
    let pixels = (0..24 * 10).map(|i| i as f32 / 239.0).map(|v| [v, 0.5, 1.0 - v, v]);
    let beside = Beside {
        alpha: true,
        aspect: 2.0,
        orientation: 6,
        windows: Some(Windows { data: [4, 2], shown: [0, 0], size: [40, 20] }),
        ..Beside::default()
    };
    Frame { picture: Picture::new(24, 10, pixels.collect()).unwrap(), beside }
}

#[test]
fn other_programs_read_our_tags() {
    let dir = tempfile::tempdir().unwrap();
    let facts_of = |name: &str, bytes: Vec<u8>| -> Value {
        let path = dir.path().join(name);
        std::fs::write(&path, bytes).unwrap();
        serde_json::from_slice(&script("facts", &path)).unwrap()
    };
    let encoding = |id: &str| Encoding::find(id).unwrap();
    let frame = rich();
    for (id, cicp) in [
        ("rec709", json!([1, 1, 0, 1])),
        ("srgb", json!([1, 13, 0, 1])),
        ("display-p3", json!([12, 13, 0, 1])),
        ("rec2020", json!([9, 14, 0, 1])),
        ("pq", json!([9, 16, 0, 1])),
        ("hlg", json!([9, 18, 0, 1])),
        ("p3-d65", Value::Null),
        ("acescct", Value::Null),
    ] {
        let encoding = encoding(id);
        let display = id != "acescct";
        let found = facts_of("a.png", png::write_frame(&frame, Depth::Sixteen, Some(&encoding)).unwrap());
        // Code points of ITU-T H.273, tables 2 and 3; full range.
        assert_eq!(found["cicp"], cicp, "{id}");
        assert_eq!(found["icc"].is_null(), !display || id == "srgb", "{id}: {found}");
        assert_eq!(
            (found["aspect"].as_f64(), found["channels"].as_array().unwrap().len()),
            (Some(2.0), 4),
            "{id}"
        );
        let found = facts_of("a.tif", tiff::write_frame(&frame, Depth::Sixteen, Some(&encoding)).unwrap());
        assert_eq!(found["icc"].is_null(), !display, "{id}: {found}");
        if display {
            assert_eq!(found["icc_name"], encoding.title, "{id}");
        }
        assert_eq!((found["orientation"].as_u64(), found["aspect"].as_f64()), (Some(6), Some(2.0)), "{id}");
        assert_eq!(found["channels"].as_array().unwrap().len(), 4);
    }
    let linear = encoding("acescg");
    let found = facts_of("a.exr", exr::write_frame(&frame, Some(&linear.primaries)).unwrap());
    assert_eq!((&found["data"], &found["shown"]), (&json!([4, 2]), &json!([0, 0, 40, 20])));
    assert_eq!((found["aspect"].as_f64(), &found["channels"]), (Some(2.0), &json!(["R", "G", "B", "A"])));
    // AP1 as S-2014-004 gives it.
    let first = found["chromaticities"][0].as_f64().unwrap();
    assert!((first - 0.713).abs() < 1e-6, "{found}");
    let found = facts_of("a.dpx", dpx::write_frame(&frame, [6, 6]));
    assert_eq!((&found["transfer"], &found["aspect"]), (&json!("ITU-R 709-4"), &json!(2.0)), "{found}");
    assert_eq!(found["channels"].as_array().unwrap().len(), 4);
    assert_eq!((&found["data"], &found["shown"]), (&json!([4, 2]), &json!([0, 0, 40, 20])), "{found}");
}

#[test]
fn what_lies_beside_the_pixels_comes_back_in_every_format_that_holds_it() {
    let frame = rich();
    let upright =
        |orientation: u8, windows: Option<Windows>| Beside { orientation, windows, ..frame.beside.clone() };
    for (name, bytes, want, within) in [
        ("png", png::write_frame(&frame, Depth::Sixteen, None).unwrap(), upright(6, None), 1e-4),
        ("tif", tiff::write_frame(&frame, Depth::Sixteen, None).unwrap(), upright(6, None), 1e-4),
        ("exr", exr::write_frame(&frame, None).unwrap(), upright(1, frame.beside.windows), 1e-6),
        ("dpx", dpx::write_frame(&frame, [0, 0]), upright(1, frame.beside.windows), 1e-3),
    ] {
        let back = frame::read(&bytes).unwrap();
        // An OpenEXR holds colours multiplied by alpha, and both say more of themselves than others have a place for.
        assert_eq!(back.beside.premultiplied, name == "exr");
        let own = Beside { header: None, premultiplied: false, ..back.beside };
        assert_eq!(own, want, "{name}");
        // Where alpha is 0 a file of multiplied colours has none.
        let both = back.picture.pixels.iter().zip(&frame.picture.pixels);
        let held = both.filter(|(_, own)| name != "exr" || own[3] > 0.0);
        let pairs = held.flat_map(|(a, b)| a.iter().zip(b));
        assert!(pairs.fold(0.0_f32, |w, (a, b)| w.max((a - b).abs())) <= within, "{name}");
        assert_eq!(
            frame.beside.lost_in(lantern_formats::registry::of_ending(name).unwrap()).len(),
            usize::from(want.windows.is_none())
        );
    }
}
