//! The pictures that ship, held to what is promised of them.

use crate::judge;
use crate::takes::{Kept, TAKES, Take, motion_file};
use crate::{motion, sums};
use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::graph::Program;
use lantern_core::look::Path as Steps;
use lantern_core::picture::Picture;
use rayon::prelude::*;
use serde_json::Value;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

/// What all demo data may weigh.
const MOST_BYTES: u64 = 90_000_000;

/// What one file may weigh: every clone brings all of them, whatever else it can.
const MOST_FILE: u64 = 4_000_000;

/// Code values of 255 that flat parts may deviate by, and lonely pixels of 10,000.
const MOST_NOISE: f64 = 0.3;
const MOST_ALONE: f64 = 1.0;

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("data")
}

fn bytes(name: &str) -> Vec<u8> {
    std::fs::read(folder().join(name)).unwrap_or_else(|e| panic!("{name}: {e}"))
}

/// Every picture that is shipped.
fn files() -> Vec<String> {
    TAKES.iter().flat_map(|t| (0..t.frames).map(|frame| t.file(frame))).collect()
}

/// All files below a folder, by their names from there.
fn below(folder: &Path, before: &str) -> Vec<(String, u64)> {
    let mut all = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap_or_else(|e| panic!("{e}")).flatten() {
        let name = format!("{before}{}", entry.file_name().to_string_lossy());
        if entry.path().is_dir() {
            all.extend(below(&entry.path(), &format!("{name}/")));
        } else {
            let length = entry.metadata().unwrap_or_else(|e| panic!("{name}: {e}")).len();
            all.push((name, length));
        }
    }
    all
}

#[test]
fn the_shipped_files_are_what_the_generator_wrote() {
    let listed = sums::read(&folder());
    let mut expected: BTreeSet<String> = files().into_iter().collect();
    expected.insert(motion_file());
    assert_eq!(listed.keys().cloned().collect::<BTreeSet<_>>(), expected);
    for (name, sum) in &listed {
        assert_eq!(sums::of(&bytes(name)), *sum, "{name}");
    }
    let is_picture = |name: &str| name.ends_with(".png") || name.ends_with(".exr");
    let there = below(&folder(), "");
    for (name, _) in there.iter().filter(|(name, _)| is_picture(name)) {
        assert!(expected.contains(name), "{name} is of no take");
    }
    for (name, length) in &there {
        assert!(*length <= MOST_FILE, "{name} has {length} bytes");
    }
    let all: u64 = there.iter().map(|(_, length)| length).sum();
    assert!(all < MOST_BYTES, "{all} bytes");
}

#[test]
fn every_picture_is_full_hd_in_twelve_bits_or_half_floats() {
    files().par_iter().for_each(|name| {
        let bytes = bytes(name);
        if name.ends_with(".exr") {
            let facts = lantern_formats::facts::read(&bytes).unwrap_or_else(|e| panic!("{name}: {e}"));
            assert_eq!([facts.width, facts.height], [1920, 1080], "{name}");
            assert_eq!(facts.depth, "half", "{name}");
            return;
        }
        let picture = lantern_formats::png::read(&bytes).unwrap_or_else(|e| panic!("{name}: {e}"));
        assert_eq!([picture.width(), picture.height()], [1920, 1080], "{name}");
        let mut codes = BTreeSet::new();
        for value in picture.pixels.iter().flat_map(|[r, g, b, _]| [r, g, b]) {
            let code = f64::from(*value) * 65_535.0;
            assert!((code - code.round()).abs() < 0.01, "{name}: {code}");
            codes.insert(code.round() as u32);
        }
        // Twelve bits are padded with zeros below, and are more than eight could hold.
        assert!(codes.iter().all(|code| code % 16 == 0), "{name}");
        assert!(codes.len() > 1000, "{name}: {} codes", codes.len());
    });
}

/// A take's file as a display shows it: without a look, or as it was finished.
fn shown(take: &Take, frame: usize) -> Picture {
    let camera: CameraProfile =
        serde_json::from_slice(&bytes("harrier.camera.json")).unwrap_or_else(|e| panic!("{e}"));
    let named = |id: &str| Encoding::find(id).unwrap_or_else(|| panic!("no {id}"));
    let from = match take.kept {
        Kept::Log => camera.encoding().unwrap_or_else(|e| panic!("{e}")),
        Kept::Linear => named("acescg"),
        Kept::Display => named("rec709"),
        Kept::Finished(_) => named("srgb"),
    };
    let name = take.file(frame);
    let mut picture = lantern_formats::picture::read(&bytes(&name)).unwrap_or_else(|e| panic!("{name}: {e}"));
    let plain = Program::compile(&Steps::default(), &from, &named("srgb"));
    plain.unwrap_or_else(|e| panic!("{name}: {e}")).run_parallel(&mut picture.pixels);
    picture
}

#[test]
fn no_noise_is_left_that_anybody_would_see() {
    for take in TAKES {
        // Of a sequence the first, a middle and the last frame.
        let frames: BTreeSet<usize> = [0, take.frames / 2, take.frames - 1].into();
        for frame in frames {
            let left = judge::left(&shown(take, frame));
            println!("{}: {left}", take.file(frame));
            assert!(left.median < MOST_NOISE && left.alone < MOST_ALONE, "{}: {left}", take.file(frame));
            // A picture that is noise everywhere has nothing flat.
            assert!(left.flat * 4 > left.blocks, "{}: {left}", take.file(frame));
        }
    }
}

/// Whether two documents are the same but for the last places of their numbers.
fn alike(a: &Value, b: &Value) -> bool {
    match (a, b) {
        (Value::Number(a), Value::Number(b)) => {
            let (a, b) = (a.as_f64().unwrap_or(f64::NAN), b.as_f64().unwrap_or(f64::NAN));
            (a - b).abs() <= 1e-9 * a.abs().max(1.0)
        }
        (Value::Array(a), Value::Array(b)) => a.len() == b.len() && a.iter().zip(b).all(|(a, b)| alike(a, b)),
        (Value::Object(a), Value::Object(b)) => {
            a.len() == b.len() && a.iter().all(|(key, a)| b.get(key).is_some_and(|b| alike(a, b)))
        }
        _ => a == b,
    }
}

#[test]
fn the_motion_beside_the_rope_walk_is_that_of_its_set() {
    let kept: Value = serde_json::from_slice(&bytes(&motion_file())).unwrap_or_else(|e| panic!("{e}"));
    assert!(alike(&kept, &motion::known().unwrap_or_default()));
}

/// A place through a transform.
fn through(moved: &[[f64; 3]; 3], [x, y]: [f64; 2]) -> [f64; 2] {
    let [a, b, c] = moved.map(|row| row[0] * x + row[1] * y + row[2]);
    [a / c, b / c]
}

/// How far, in pixels, what stands around a place of the first frame lies from where a transform puts it in another one:
/// the shift that makes both most alike.
fn astray(first: &Picture, other: &Picture, moved: &[[f64; 3]; 3], [x, y]: [f64; 2]) -> f64 {
    const HALF: i32 = 60;
    const REACH: i32 = 6;
    let green = |p: &Picture, x: f64, y: f64| {
        // Pixels' middles lie at halves.
        let (x, y) = (x - 0.5, y - 0.5);
        let (i, j) = (x.floor() as usize, y.floor() as usize);
        let (u, v) = (x.fract() as f32, y.fract() as f32);
        let at = |i: usize, j: usize| p.pixels[j * p.width() + i][1];
        let row = |j: usize| at(i, j) + u * (at(i + 1, j) - at(i, j));
        row(j) + v * (row(j + 1) - row(j))
    };
    let grid = || (-HALF..=HALF).step_by(3).flat_map(|dy| (-HALF..=HALF).step_by(3).map(move |dx| (dx, dy)));
    let apart = |shift: [f64; 2]| -> f32 {
        grid()
            .map(|(dx, dy)| {
                let from = [x + f64::from(dx), y + f64::from(dy)];
                let [a, b] = through(moved, from);
                let there = green(other, a + shift[0], b + shift[1]);
                (there - green(first, from[0], from[1])).powi(2)
            })
            .sum()
    };
    let shifts = (-REACH..=REACH).flat_map(|sy| (-REACH..=REACH).map(move |sx| [sx, sy].map(f64::from)));
    let nearest = shifts.map(|s| (apart(s), s)).min_by(|a, b| a.0.total_cmp(&b.0));
    nearest.map_or(f64::NAN, |(_, [x, y])| x.hypot(y))
}

/// The middle of what is orange around a place.
fn orange(p: &Picture, [x, y]: [f64; 2]) -> [f64; 2] {
    const ABOUT: usize = 60;
    let (x0, y0) = (x as usize - ABOUT, y as usize - ABOUT);
    let mut sums = [0.0; 3];
    // The hat below it has a band of nearly the same colour: not so far down.
    for (dx, dy) in (0..2 * ABOUT - 10).flat_map(|dy| (0..2 * ABOUT).map(move |dx| (dx, dy))) {
        let [r, _, b, _] = p.pixels[(y0 + dy) * p.width() + x0 + dx];
        if r - b > 0.12 {
            let add = [1.0, (x0 + dx) as f64 + 0.5, (y0 + dy) as f64 + 0.5];
            sums.iter_mut().zip(add).for_each(|(s, a)| *s += a);
        }
    }
    [sums[1] / sums[0], sums[2] / sums[0]]
}

#[test]
fn the_pictures_move_as_the_file_says() {
    let take = TAKES.iter().find(|t| t.frames > 1 && motion_file().starts_with(t.name)).unwrap();
    let known: Value = serde_json::from_slice(&bytes(&motion_file())).unwrap();
    let picture = |number: usize| lantern_formats::png::read(&bytes(&take.file(number - 1))).unwrap();
    let moved = |what: &str, number: usize| {
        let rows = &known["frames"][number - 1][what]["from_first"];
        [0, 1, 2].map(|r| [0, 1, 2].map(|c| rows[r][c].as_f64().unwrap()))
    };
    let first = picture(1);
    // The bobble on the hat lies 1.3 of the head's radii above its middle, a twentieth of one behind its plane: as the head
    // turns by 30 degrees that is worth up to eight pixels across, and nothing up and down.
    let head = |what: &str| [0, 1].map(|i| known["frames"][0]["head"][what][i].as_f64().unwrap());
    let (middle, crown) = (head("middle"), head("crown_side"));
    let bobble = [0, 1].map(|i| middle[i] + 1.3 * (crown[i] - middle[i]));
    let seen = orange(&first, bobble);
    for number in [2, 7, 8] {
        let other = picture(number);
        // A ring is painted on the wall, and nothing stands before it here.
        let off = astray(&first, &other, &moved("wall", number), [632.0, 440.0]);
        assert!(off <= 1.0, "frame {number}: the wall is {off} pixels from where it is said to be");
        let said = through(&moved("head", number), bobble);
        let now = orange(&other, said);
        let [across, up] = [0, 1].map(|i| (now[i] - seen[i]) - (said[i] - bobble[i]));
        assert!(
            across.abs() < 8.0 && up.abs() < 1.5,
            "frame {number}: the head is {across}, {up} pixels off"
        );
    }
}
