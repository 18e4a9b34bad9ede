//! Packages of moving shots: what is made of them, what is kept where one breaks off, what is refused before anything is written.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::Encoding;
use lantern_core::graph::{Graph, Program};
use lantern_core::look::{Look, Path as Steps};
use lantern_core::picture::Picture;
use lantern_core::step::Values;
use lantern_core::texture::FrameGeometry;
use lantern_formats::frame::Frame;
use lantern_handoff::package::{self, Order, Shot};
use lantern_handoff::plan::Plan;
use lantern_handoff::sink::Archive;
use lantern_handoff::verify;
use serde_json::{Value, json};
use std::path::Path;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

/// A look with grain, which is another one in each frame.
fn grainy() -> Look {
    let mut look = Look::from_json(include_str!("../../demo/data/looks/harbour-dusk.look.json")).unwrap();
    let mut values = serde_json::to_value(Values::neutral("grain").unwrap()).unwrap();
    values["values"]["amount"] = json!(0.5);
    let step = json!({ "id": "grain", "name": "Grain", "zone": "screen", "on": true, "strength": 1.0,
        "kind": "grain", "values": values["values"] });
    look.path.steps.push(serde_json::from_value(step).unwrap());
    look
}

fn frame(place: usize, size: [usize; 2]) -> Frame {
    let at = |i: usize| {
        let x = (i % size[0]) as f32 / size[0] as f32;
        [0.2 + 0.4 * x, 0.3 + 0.02 * place as f32, 0.6 - 0.3 * x, 1.0]
    };
    Picture::new(size[0], size[1], (0..size[0] * size[1]).map(at).collect()).unwrap().into()
}

/// A shot of some frames, of which every reading is counted.
fn shot<'a>(frames: Vec<u32>, size: [usize; 2], reads: &'a AtomicUsize, told: bool) -> Shot<'a> {
    Shot {
        name: "Sea".into(),
        encoding: Encoding::find("acescct").unwrap(),
        trim: Steps::default(),
        file: "sea.0001.exr".into(),
        frames,
        poster: 1,
        rate: 25.0,
        read: Box::new(move |place| {
            reads.fetch_add(1, Ordering::Relaxed);
            Ok(frame(place, size))
        }),
        made_of: Box::new(move |place| told.then(|| format!("frame {place}"))),
    }
}

fn plan(deliveries: Value) -> Plan {
    Plan::from_value(
        json!({ "version": 1, "name": "P", "receivers": [{ "name": "Dailies", "deliveries": deliveries }] }),
    )
    .unwrap()
}

fn all() -> Value {
    json!([
        { "kind": "frames", "format": "exr", "to": "p3-d65" },
        { "kind": "frames", "format": "dpx", "to": "rec709" },
        { "kind": "movies", "format": "mp4", "to": "rec709" },
        { "kind": "movies", "format": "mkv", "to": "pq" },
        { "kind": "stills", "format": "png", "to": "srgb" },
        { "kind": "table", "format": "cube", "from": "acescct", "to": "rec709", "size": 17 },
    ])
}

fn make(
    plan: &Plan,
    shots: &[Shot<'_>],
    at: &Path,
    folder: &Path,
    progress: &(dyn Fn(f64) + Sync),
    cancel: &AtomicBool,
) -> Result<bool, String> {
    let look = grainy();
    let encoding = |id: &str| Encoding::find(id).ok_or_else(|| format!("there is no encoding “{id}”"));
    let order = Order {
        plan,
        look: &look,
        version: Some(3),
        saved_at: 0,
        shots,
        without: &[("Late".into(), "no frame of it is here".into())],
        cameras: &[],
        encoding: &encoding,
        folder,
    };
    package::check(&order).map_err(|e| e.to_string())?;
    package::make(&order, Box::new(Archive::new(at).unwrap()), progress, cancel).map_err(|e| e.to_string())
}

fn whole(plan: &Plan, shots: &[Shot<'_>], at: &Path, folder: &Path) -> Vec<u8> {
    assert_eq!(make(plan, shots, at, folder, &|_| {}, &AtomicBool::new(false)), Ok(true));
    assert!(verify::verify(at).unwrap().is_sound());
    std::fs::read(at).unwrap()
}

#[test]
fn frames_are_graded_by_their_numbers_and_movies_hold_every_one() {
    let dir = tempfile::tempdir().unwrap();
    let reads = AtomicUsize::new(0);
    let shots = [shot(vec![1001, 1002, 1003, 1004], [64, 36], &reads, false)];
    let zip = dir.path().join("a.zip");
    whole(&plan(all()), &shots, &zip, dir.path());
    let manifest = verify::manifest(&zip).unwrap();
    let paths: Vec<&str> = manifest.files.iter().map(|f| f.path.as_str()).collect();
    for want in [
        "dailies/frames-p3-d65/01-sea/01-sea.1001.exr",
        "dailies/frames-p3-d65/01-sea/01-sea.1004.exr",
        "dailies/frames-rec709/01-sea/01-sea.1002.dpx",
        "dailies/movies-rec709/01-sea.mp4",
        "dailies/movies-pq/01-sea.mkv",
        "dailies/stills-srgb/01-sea.png",
    ] {
        assert!(paths.contains(&want), "{want} in {paths:?}");
    }
    assert_eq!(manifest.not_made.len(), 1);
    assert_eq!(manifest.not_made[0].what, "anything of the shot Late");
    // The still is its poster, the second frame, graded with that frame's number.
    let graph = Graph::compile(&grainy().path, &shots[0].encoding, &Encoding::find("srgb").unwrap()).unwrap();
    let mut picture = frame(1, [64, 36]).picture;
    let geometry = FrameGeometry::whole(64, 36, graph.gauge, 1002);
    graph.run(&mut picture.pixels, &geometry, &AtomicBool::new(false));
    let still =
        lantern_formats::png::read(&verify::file(&zip, "dailies/stills-srgb/01-sea.png").unwrap()).unwrap();
    let off = |(a, b): (&[f32; 4], &[f32; 4])| (a[0] - b[0].clamp(0.0, 1.0)).abs();
    let worst = still.pixels.iter().zip(&picture.pixels).map(off).fold(0.0, f32::max);
    assert!(worst < 1.0 / 65_535.0, "{worst}");
    // Movies as ffprobe counts them.
    let movie = dir.path().join("m.mp4");
    std::fs::write(&movie, verify::file(&zip, "dailies/movies-rec709/01-sea.mp4").unwrap()).unwrap();
    let counted = std::process::Command::new("ffprobe")
        .args(["-v", "error", "-count_frames", "-select_streams", "v:0", "-of", "default=nw=1:nk=1"])
        .args(["-show_entries", "stream=nb_read_frames,r_frame_rate"])
        .arg(&movie)
        .output()
        .unwrap();
    assert_eq!(
        String::from_utf8(counted.stdout).unwrap().split_whitespace().collect::<Vec<_>>(),
        ["25/1", "4"]
    );
    // Nothing of it is left beside the archive: nobody said what tells its frames from others.
    let left: Vec<_> = std::fs::read_dir(dir.path()).unwrap().map(|e| e.unwrap().file_name()).collect();
    assert_eq!(left.len(), 2, "{left:?}");
}

#[test]
fn what_breaks_off_goes_on_and_is_the_same_bytes_as_one_run() {
    let dir = tempfile::tempdir().unwrap();
    let frames: Vec<u32> = (1..=12).collect();
    let plan = plan(all());
    let (none, reads) = (AtomicUsize::new(0), AtomicUsize::new(0));
    let plain = [shot(frames.clone(), [64, 36], &none, false)];
    let want = whole(&plan, &plain, &dir.path().join("one.zip"), dir.path());

    let folder = dir.path().join("kept");
    std::fs::create_dir(&folder).unwrap();
    let shots = [shot(frames, [64, 36], &reads, true)];
    // Stopped at three places: among the frames, in the middle of a movie, and near the end.
    for share in [0.3, 0.62, 0.9] {
        let cancel = AtomicBool::new(false);
        let stop = |done: f64| cancel.store(done >= share, Ordering::Relaxed);
        let zip = dir.path().join("two.zip");
        assert_eq!(make(&plan, &shots, &zip, &folder, &stop, &cancel), Ok(false), "{share}");
        assert!(!zip.exists());
    }
    let before = reads.load(Ordering::Relaxed);
    let got = whole(&plan, &shots, &dir.path().join("two.zip"), &folder);
    assert!(got == want, "byte for byte");
    // Of two sequences and two movies of 12 frames only what was not there yet was read, and the poster.
    let again = reads.load(Ordering::Relaxed) - before;
    assert!(again <= 1 + 12, "{again}");
    // A frame that is another one now is made anew.
    let other = [Shot {
        made_of: Box::new(|place| Some(format!("other {place}"))),
        ..shot((1..=12).collect(), [64, 36], &reads, true)
    }];
    let before = reads.load(Ordering::Relaxed);
    whole(&plan, &other, &dir.path().join("three.zip"), &folder);
    assert_eq!(reads.load(Ordering::Relaxed) - before, 1 + 4 * 12);
}

#[test]
fn odd_sizes_one_pixel_and_stills_alone_are_packed_and_what_cannot_be_made_is_said() {
    let dir = tempfile::tempdir().unwrap();
    let reads = AtomicUsize::new(0);
    for size in [[1, 1], [3, 7], [65, 35]] {
        let shots = [shot(vec![0, 1], size, &reads, false)];
        let zip = dir.path().join("a.zip");
        whole(&plan(all()), &shots, &zip, dir.path());
        // H.265 begins at a few pixels: that the movie is not there is said, and all the rest is.
        let said: Vec<String> =
            verify::manifest(&zip).unwrap().not_made.into_iter().map(|n| n.what).collect();
        assert!(said.len() == 1 || size[0] < 8 && said[1..] == ["review movie of Sea"], "{said:?}");
    }
    // Frames of two sizes are no movie.
    let two = [Shot {
        read: Box::new(|place| Ok(frame(place, [16 + place, 16]))),
        ..shot(vec![0, 1], [16, 16], &reads, false)
    }];
    let zip = dir.path().join("d.zip");
    whole(&plan(all()), &two, &zip, dir.path());
    assert!(verify::manifest(&zip).unwrap().not_made.iter().any(|n| n.why.contains("a movie has one size")));
    // No moving shot, and no shot at all.
    let mut one = [shot(vec![0], [8, 8], &reads, false)];
    one[0].poster = 0;
    for (shots, missing) in [(&one[..], 3), (&[], 4)] {
        let zip = dir.path().join("b.zip");
        whole(&plan(all()), shots, &zip, dir.path());
        assert_eq!(verify::manifest(&zip).unwrap().not_made.len(), missing);
    }
    // Trims of no shot are named too, in every form.
    let zip = dir.path().join("e.zip");
    let trims = plan(
        json!([{ "kind": "corrections", "form": "cc" }, { "kind": "metadata", "to": "rec709", "size": 17 }]),
    );
    whole(&trims, &[], &zip, dir.path());
    assert_eq!(verify::manifest(&zip).unwrap().not_made.len(), 3);
    // Two deliveries that miss the same thing miss it once.
    let zip = dir.path().join("f.zip");
    let twice = json!([{ "kind": "corrections", "form": "cc" }, { "kind": "corrections", "form": "ccc" }]);
    whole(&plan(twice), &[], &zip, dir.path());
    let missing = verify::manifest(&zip).unwrap().not_made;
    assert_eq!(missing.iter().filter(|n| n.what == "trims as ASC CDL").count(), 1, "{missing:?}");
    let refused = |delivery: Value, shots: &[Shot<'_>]| {
        make(
            &plan(json!([delivery])),
            shots,
            &dir.path().join("c.zip"),
            dir.path(),
            &|_| {},
            &AtomicBool::new(false),
        )
        .unwrap_err()
    };
    assert!(
        refused(json!({ "kind": "movies", "format": "mp4", "to": "acescg" }), &one)
            .contains("no tags for acescg")
    );
    assert!(refused(json!({ "kind": "frames", "format": "png", "to": "nowhere" }), &one).contains("nowhere"));
    let table = json!({ "kind": "table", "format": "hald", "from": "acescg", "to": "rec709", "size": 17 });
    assert!(refused(table, &one).starts_with("Dailies: "));
    // A frame that cannot be read ends it, with its shot's name.
    let broken = [Shot {
        read: Box::new(|_| Err("it is cut short".into())),
        ..shot(vec![0, 1], [8, 8], &reads, false)
    }];
    let why = refused(json!({ "kind": "frames", "format": "png", "to": "srgb" }), &broken);
    assert!(why.contains("“Sea”") && why.contains("cut short"), "{why}");
    assert!(!dir.path().join("c.zip").exists());
}

/// Every element of an XML text with its words, in order; an error where it is not well-formed.
fn elements(text: &str) -> Vec<(String, String)> {
    use quick_xml::events::Event;
    let mut reader = quick_xml::Reader::from_str(text);
    reader.config_mut().check_end_names = true;
    let (mut open, mut all): (Vec<usize>, Vec<(String, String)>) = (Vec::new(), Vec::new());
    loop {
        match reader.read_event().unwrap() {
            Event::Start(e) => {
                open.push(all.len());
                all.push((e.local_name().as_ref().to_owned(), String::new()));
            }
            Event::End(_) => drop(open.pop().unwrap()),
            Event::Text(t) => {
                if let Some(at) = open.last() {
                    all[*at].1.push_str(t.trim());
                }
            }
            Event::Eof => break,
            _ => {}
        }
    }
    assert!(open.is_empty());
    all
}

#[test]
fn metadata_of_each_shot_points_to_tables_that_together_are_the_look() {
    let dir = tempfile::tempdir().unwrap();
    let reads = AtomicUsize::new(0);
    let trim: Steps = serde_json::from_value(json!({ "steps": [{ "id": "a", "name": "Warmer", "zone": "scene", "on": true,
        "strength": 1.0, "kind": "balance", "values": { "exposure": 0.5, "temperature": 7200.0, "tint": 0.0 } }] }))
    .unwrap();
    let trimmed =
        Shot { trim, name: "Sea & <shore>".into(), ..shot(vec![1001, 1002], [64, 36], &reads, false) };
    let finished = Shot {
        name: "Finished".into(),
        encoding: Encoding::find("srgb").unwrap(),
        ..shot(vec![0, 1], [8, 8], &reads, false)
    };
    let zip = dir.path().join("a.zip");
    let plan = plan(json!([{ "kind": "metadata", "to": "rec709", "size": 65 }]));
    whole(&plan, &[trimmed, finished], &zip, dir.path());
    // Two cameras of one name have a table each.
    let camera = |id: &str| Encoding { name: "Camera".into(), ..Encoding::find(id).unwrap() };
    let of = |id: &str| Shot { encoding: camera(id), ..shot(vec![0, 1], [8, 8], &reads, false) };
    let two = dir.path().join("two.zip");
    whole(&plan, &[of("acescct"), of("acescg"), of("acescct")], &two, dir.path());
    let inputs = verify::manifest(&two).unwrap().files.into_iter();
    let inputs = inputs.filter(|f| f.path.contains("camera_to")).map(|f| f.path).collect::<Vec<_>>();
    let names = ["camera_to_aces2065-1.clf", "other-camera_to_aces2065-1.clf"];
    assert_eq!(inputs, names.map(|n| format!("dailies/amf/{n}")));
    let manifest = verify::manifest(&zip).unwrap();
    assert!(manifest.not_made.iter().any(|n| n.what.contains("Finished") && n.why.contains("no formula")));
    let amf = manifest.files.iter().find(|f| f.path.ends_with(".amf")).unwrap();
    assert_eq!(amf.path, "dailies/amf/01-sea-shore.amf");
    let text = String::from_utf8(verify::file(&zip, &amf.path).unwrap()).unwrap();
    let found = elements(&text);
    let of = |name: &str| -> Vec<&str> {
        found.iter().filter(|(n, _)| n == name).map(|(_, words)| words.as_str()).collect()
    };
    assert_eq!(of("sequence"), ["sea.####.exr"]);
    assert_eq!(
        (of("lookTransform").len(), of("inputTransform").len(), of("outputTransform").len()),
        (2, 1, 1)
    );
    assert_eq!(of("creationDateTime"), ["1970-01-01T00:00:00Z"; 2]);
    // Each file that it points to is there, with the hash that it says.
    let (files, hashes) = (of("file"), of("hash"));
    assert_eq!((files.len(), hashes.len()), (3, 3));
    let mut tables = Vec::new();
    for (file, hash) in files.iter().zip(hashes) {
        let path = format!("dailies/amf/{file}");
        let entry = manifest.files.iter().find(|f| f.path == path).unwrap();
        assert_eq!(entry.sha256, hash);
        tables
            .push(lantern_formats::registry::read_table(&verify::file(&zip, &path).unwrap(), file).unwrap());
    }
    // One after the other they are what the whole path does.
    let (cct, rec709) = (Encoding::find("acescct").unwrap(), Encoding::find("rec709").unwrap());
    let exact = Program::compile(&grainy().path, &cct, &rec709).unwrap();
    let mut want: Vec<[f32; 4]> = frame(1, [64, 36]).picture.pixels;
    let mut got = want.clone();
    exact.run(&mut want);
    tables.iter().for_each(|t| t.apply_parallel(&mut got));
    let off: Vec<f32> =
        want.iter().zip(&got).map(|(a, b)| (0..3).map(|k| (a[k] - b[k]).abs()).fold(0.0, f32::max)).collect();
    let mean = off.iter().sum::<f32>() / off.len() as f32;
    assert!(mean < 0.002, "{mean}");
}
