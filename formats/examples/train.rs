//! Trains what infers a look from a picture that wears it: `cargo xtask train` runs this. It writes
//! `core/src/matching/trained.bin` from the demo's shots and the free photographs that scikit-image and scikit-learn package;
//! the same pictures give the same bytes.

#[path = "../../app/src/demo/scenes.rs"]
#[allow(dead_code)]
mod scenes;

use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::look::{Path as Steps, Step};
use lantern_core::matching::{small::Small, training};
use lantern_core::step::{Balance, Values, Zone};
use std::path::{Path, PathBuf};

/// Samples, and the seed of the made-up looks.
const SAMPLES: usize = 3000;
const SEED: u64 = 20;

/// Photographs by their packages; all are for sRGB.
const PHOTOGRAPHS: [(&str, &[&str]); 2] = [
    ("skimage/data", &["coffee.png", "chelsea.png", "rocket.jpg", "astronaut.png", "motorcycle_left.png"]),
    ("sklearn/datasets/images", &["china.jpg", "flower.jpg"]),
];

/// Shots that were exposed wrongly, and the stops that put them right: a reference is not shown like that.
const EXPOSED: [(&str, f64); 2] = [("lantern-market-021.png", 1.2), ("kelp-greenhouse-004.png", -0.8)];

/// The same set-up as another one, far off its balance: it says nothing new.
const AGAIN: &str = "workbench-002.png";

type Outcome<T> = Result<T, Box<dyn std::error::Error>>;

fn main() -> Outcome<()> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).parent().ok_or("no workspace")?;
    let data = root.join("demo/data");
    let camera: CameraProfile = serde_json::from_slice(&std::fs::read(data.join("harrier.camera.json"))?)?;
    let (camera, srgb) = (camera.encoding()?, Encoding::find("srgb").ok_or("no sRGB")?);
    let mut pictures = Vec::new();
    // Finished stills wear looks of their own.
    let ungraded = scenes::SCENES.iter().filter(|(scene, _)| *scene != scenes::FINISHED);
    for (_, encoding, file) in ungraded.flat_map(|(_, shots)| *shots).filter(|(.., file)| *file != AGAIN) {
        let encoding = Encoding::find(encoding).unwrap_or_else(|| camera.clone());
        let exposure = EXPOSED.iter().find(|(f, _)| f == file).map_or(0.0, |(_, stops)| *stops);
        let frames = if data.join(file).is_dir() {
            [1, 6].map(|n| data.join(format!("{file}/{file}.{n:04}.png"))).into()
        } else {
            vec![data.join(file)]
        };
        for frame in frames {
            pictures.push(small(&frame, &encoding, exposure)?);
        }
    }
    let packages = std::fs::read_dir(root.join(".venv/lib"))?
        .map(|f| f.map(|f| f.path().join("site-packages")))
        .collect::<Result<Vec<PathBuf>, _>>()?;
    for (folder, names) in PHOTOGRAPHS {
        let folder = packages.iter().map(|p| p.join(folder)).find(|p| p.is_dir());
        let folder = folder.ok_or("`cargo xtask train` installs the photographs")?;
        for name in names {
            pictures.push(small(&folder.join(name), &srgb, 0.0)?);
        }
    }
    println!("{} pictures, {SAMPLES} samples", pictures.len());
    let half: Vec<Small> = pictures.iter().step_by(2).cloned().collect();
    let other: Vec<Small> = pictures.iter().skip(1).step_by(2).cloned().collect();
    let part = training::train(&half, SAMPLES / 2, SEED);
    for count in [1, 4] {
        let left = training::left_over(&part, &other, count, 300, SEED + 2);
        println!("left of looks by {count} pictures that were not trained on: {left:.2}");
    }
    let numbers = training::train(&pictures, SAMPLES, SEED);
    let bytes: Vec<u8> = numbers.iter().flat_map(|v| v.to_le_bytes()).collect();
    std::fs::write(root.join("core/src/matching/trained.bin"), &bytes)?;
    println!("{} numbers, {} bytes", numbers.len(), bytes.len());
    Ok(())
}

fn small(path: &Path, encoding: &Encoding, exposure: f64) -> Outcome<Small> {
    let balance = Values::Balance(Balance { exposure, ..Balance::default() });
    let trim = Steps::of(vec![Step::new("balance", Zone::Scene, balance)]);
    let picture = lantern_formats::picture::read(&std::fs::read(path)?)?;
    Ok(Small::of(&picture, encoding, &trim)?)
}
