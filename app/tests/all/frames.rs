//! Pictures and sequences on the command line: nothing is lost, what lies beside the pixels stays, formats change.

#![allow(clippy::unwrap_used)]

use lantern_core::picture::Picture;
use lantern_formats::frame::{self, Beside, Frame, Windows};
use lantern_formats::{Depth, dpx, exr, hald, png, tiff};
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn lantern(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_dusky-lantern")).args(arguments).output().unwrap()
}

/// Standard error of a run that has to succeed.
fn runs(arguments: &[&str]) -> String {
    let done = lantern(arguments);
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(done.status.success(), "{arguments:?}: {said}");
    said
}

/// Standard error of a run that has to be refused.
fn refused(arguments: &[&str]) -> String {
    let done = lantern(arguments);
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert_eq!((done.status.code(), said.trim_end().lines().count()), (Some(1), 1), "{arguments:?}: {said}");
    said
}

fn ramp(w: usize, h: usize, shift: f32) -> Picture {
    let pixels = (0..w * h).map(|i| i as f32 / (w * h) as f32).map(|v| [v, 0.5, (v + shift) % 1.0, v]);
    Picture::new(w, h, pixels.collect()).unwrap()
}

/// A folder with four frames of a sequence and what else lies about.
fn sequence() -> (tempfile::TempDir, PathBuf) {
    let dir = tempfile::tempdir().unwrap();
    let frames = dir.path().join("in");
    std::fs::create_dir(&frames).unwrap();
    for i in 8..12 {
        let file = frames.join(format!("sea.{i:04}.png"));
        std::fs::write(file, png::write(&ramp(16, 9, i as f32 * 0.1), Depth::Sixteen).unwrap()).unwrap();
    }
    std::fs::write(frames.join("notes.txt"), "calm sea").unwrap();
    std::fs::create_dir(dir.path().join("out")).unwrap();
    (dir, frames)
}

fn names(folder: &Path) -> Vec<String> {
    let mut all: Vec<String> =
        std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
    all.sort();
    all
}

const ENCODINGS: [&str; 5] = ["render", "--from", "acescct", "--to", "rec709"];

#[test]
fn a_sequence_by_pattern_or_folder_comes_out_with_its_numbers_in_another_format() {
    let (dir, frames) = sequence();
    let at = |p: &str| dir.path().join(p).display().to_string();
    let pattern = frames.join("sea.%04d.png").display().to_string();
    runs(&[&ENCODINGS[..], &[&pattern, "-o", &at("out/graded.%05d.exr")]].concat());
    let want: Vec<String> = (8..12).map(|i| format!("graded.{i:05}.exr")).collect();
    assert_eq!(names(&dir.path().join("out")), want);

    std::fs::create_dir(dir.path().join("folder")).unwrap();
    runs(&[&ENCODINGS[..], &[&frames.display().to_string(), "--as", "dpx", "-o", &at("folder")]].concat());
    let want: Vec<String> = (8..12).map(|i| format!("sea.{i:04}.dpx")).collect();
    assert_eq!(names(&dir.path().join("folder")), want);
    // Both are the same picture, as far as ten bits tell.
    let read = |p: &str| frame::read(&std::fs::read(at(p)).unwrap()).unwrap().picture;
    let (a, b) = (read("out/graded.00009.exr"), read("folder/sea.0009.dpx"));
    let apart = a.pixels.iter().flatten().zip(b.pixels.iter().flatten()).map(|(a, b)| (a - b).abs());
    assert!(apart.fold(0.0, f32::max) < 0.6 / 1023.0);
}

#[test]
fn nothing_is_written_over_and_no_two_results_have_one_name() {
    let (dir, frames) = sequence();
    let at = |p: &str| dir.path().join(p).display().to_string();
    let before: Vec<Vec<u8>> =
        (8..12).map(|i| std::fs::read(frames.join(format!("sea.{i:04}.png"))).unwrap()).collect();
    let one = frames.join("sea.0008.png").display().to_string();
    let folder = frames.display().to_string();
    // Into the folder that they come from; onto itself, also by another way; through a link.
    let other_way = frames.join("../in/sea.0008.png").display().to_string();
    std::os::unix::fs::symlink(&frames, dir.path().join("link")).unwrap();
    let link = at("link");
    for (given, out) in [
        (&folder, &folder),
        (&one, &one),
        (&one, &other_way),
        (&folder, &link),
        (&at("in/sea.%04d.png"), &at("in/sea.%04d.png")),
    ] {
        let said = refused(&[&ENCODINGS[..], &[given, "-o", out]].concat());
        assert!(said.contains("would be written over") && said.contains("nothing was written"), "{said}");
    }
    // Two pictures of one name from two folders; all frames to one file.
    std::fs::create_dir(dir.path().join("again")).unwrap();
    std::fs::copy(&one, at("again/sea.0008.png")).unwrap();
    let said = refused(&[&ENCODINGS[..], &[&one, &at("again/sea.0008.png"), "-o", &at("out")]].concat());
    assert!(said.contains("would both become"), "{said}");
    let said =
        refused(&[&ENCODINGS[..], &[&one, &at("again/sea.0008.png"), "-o", &at("out/a.%04d.png")]].concat());
    assert!(said.contains("would both become"), "{said}");
    let said = refused(&[&ENCODINGS[..], &[&folder, "-o", &at("one.png")]].concat());
    assert!(said.contains("has to be a folder"), "{said}");
    let said = refused(&[&ENCODINGS[..], &[&one, "-o", &at("one.gif")]].concat());
    assert!(said.contains(".png, .tif, .dpx or .exr"), "{said}");
    let said = refused(&[&ENCODINGS[..], &[&at("out"), "-o", &at("again")]].concat());
    assert!(said.contains("no picture in this folder"), "{said}");
    let said = refused(&[&ENCODINGS[..], &[&at("in/lake.%04d.png"), "-o", &at("out")]].concat());
    assert!(said.contains("no frame with such a name"), "{said}");
    let after: Vec<Vec<u8>> =
        (8..12).map(|i| std::fs::read(frames.join(format!("sea.{i:04}.png"))).unwrap()).collect();
    assert!(before == after && names(&dir.path().join("out")).is_empty());
}

#[test]
fn alpha_windows_aspect_and_orientation_survive_render_and_apply() {
    let dir = tempfile::tempdir().unwrap();
    let at = |p: &str| dir.path().join(p).display().to_string();
    let windows = Some(Windows { data: [3, 1], shown: [0, 0], size: [30, 20] });
    let own =
        |orientation, windows| Beside { alpha: true, aspect: 2.0, orientation, windows, ..Beside::default() };
    let frame = |beside: Beside| Frame { picture: ramp(16, 9, 0.3), beside };
    // What only one format has is no part of the comparison.
    let plain = |beside: Beside| Beside { header: None, premultiplied: false, ..beside };
    let table = at("t.png");
    std::fs::write(&table, png::write(&hald::identity(3).unwrap(), Depth::Sixteen).unwrap()).unwrap();
    for (name, bytes, want) in [
        ("a.png", png::write_frame(&frame(own(6, None)), Depth::Sixteen, None).unwrap(), own(6, None)),
        ("a.tif", tiff::write_frame(&frame(own(8, None)), Depth::Sixteen, None).unwrap(), own(8, None)),
        ("a.exr", exr::write_frame(&frame(own(1, windows)), None).unwrap(), own(1, windows)),
        ("a.dpx", dpx::write_frame(&frame(own(1, windows)), [0, 0]), own(1, windows)),
    ] {
        std::fs::write(at(name), bytes).unwrap();
        let out = at(&format!("out-{name}"));
        runs(&["render", "--from", "rec709", "--to", "rec709", &at(name), "-o", &out]);
        let back = frame::read(&std::fs::read(&out).unwrap()).unwrap();
        assert_eq!(plain(back.beside), want, "{name}");
        let want_pixels = ramp(16, 9, 0.3).pixels;
        let apart = back.picture.pixels.iter().zip(&want_pixels).map(|(a, b)| (a[3] - b[3]).abs());
        assert!(apart.fold(0.0, f32::max) < 0.6 / 1023.0, "{name}");
        runs(&["apply", "--overwrite", "--table", &table, &at(name), "-o", &out]);
        assert_eq!(plain(frame::read(&std::fs::read(&out).unwrap()).unwrap().beside), want, "{name}");
    }
    // What a format has no place for is said.
    let said = runs(&["render", "--from", "rec709", "--to", "rec709", &at("a.exr"), "-o", &at("b.png")]);
    assert!(said.contains("no place for its data and display windows"), "{said}");
}

#[test]
fn haldcluts_and_decision_lists_stand_where_a_table_may_stand() {
    let dir = tempfile::tempdir().unwrap();
    let at = |p: &str| dir.path().join(p).display().to_string();
    std::fs::write(at("a.png"), png::write(&ramp(16, 9, 0.3), Depth::Sixteen).unwrap()).unwrap();
    let list = |corrections: &str| {
        format!(
            "<ColorCorrectionCollection xmlns=\"urn:ASC:CDL:v1.2\">{corrections}</ColorCorrectionCollection>"
        )
    };
    let one = "<ColorCorrection id=\"a\"><SOPNode><Slope>2 1 1</Slope><Offset>-0.1 0 0</Offset><Power>1 1 2</Power>\
               </SOPNode></ColorCorrection>";
    std::fs::write(at("one.ccc"), list(one)).unwrap();
    std::fs::write(at("two.ccc"), list(&format!("{one}{}", one.replace("\"a\"", "\"b\"")))).unwrap();
    runs(&["apply", "--table", &at("one.ccc"), &at("a.png"), "-o", &at("out.exr")]);
    let out = frame::read(&std::fs::read(at("out.exr")).unwrap()).unwrap().picture;
    for (p, got) in ramp(16, 9, 0.3).pixels.iter().zip(&out.pixels) {
        // ASC CDL 1.2: out = clamp(in * slope + offset) ^ power.
        let want = [(2.0 * p[0] - 0.1).clamp(0.0, 1.0), 0.5, p[2] * p[2]];
        assert!(want.iter().zip(got).all(|(a, b)| (a - b).abs() < 3e-5), "{p:?}: {got:?}, not {want:?}");
    }
    let said = refused(&["apply", "--table", &at("two.ccc"), &at("a.png"), "-o", &at("out.exr")]);
    assert!(said.contains("2 corrections (a, b)"), "{said}");
    for file in ["one.ccc", "two.ccc"] {
        let said = String::from_utf8(lantern(&["inspect", &at(file)]).stdout).unwrap();
        assert!(said.contains("a: slope 2 1 1"), "{said}");
    }
}

#[test]
fn a_missing_proof_is_said_before_anything_is_written() {
    let dir = tempfile::tempdir().unwrap();
    let at = |p: &str| dir.path().join(p).display().to_string();
    let look = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data/looks/harbour-dusk.look.json");
    let (look, report) = (look.display().to_string(), at("r.json"));
    let given = ["bake", "--look", &look, "--from", "acescct", "--to", "rec709", "--size", "17"];
    let said = refused(
        &[&given[..], &["-o", &at("t.cube"), "--report", &report, "--proof", &at("none.png")]].concat(),
    );
    assert!(said.contains("none.png"), "{said}");
    assert!(names(dir.path()).is_empty());
}

#[test]
fn encodings_are_listed_for_programs_too() {
    let list: serde_json::Value = serde_json::from_slice(&lantern(&["encodings", "--json"]).stdout).unwrap();
    let list = list.as_array().unwrap();
    assert_eq!(list.len(), 18);
    let pq = list.iter().find(|e| e["id"] == "pq").unwrap();
    assert_eq!(
        (&pq["reference"], pq["peak"].as_f64(), &pq["linear"]),
        (&"display".into(), Some(1000.0), &false.into())
    );
    assert!(list.iter().find(|e| e["id"] == "acescg").unwrap()["peak"].is_null());
}
