//! Trains what infers a look from a picture that wears it: `cargo xtask train` runs this. It writes
//! `core/src/matching/trained.bin` from the demo's shots and the free photographs that scikit-image packages; the same pictures
//! give the same bytes.

use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::look::Path as Steps;
use lantern_core::matching::{small::Small, training};
use std::path::{Path, PathBuf};

/// Samples, and the seed of the made-up looks.
const SAMPLES: usize = 3000;
const SEED: u64 = 20;

type Outcome<T> = Result<T, Box<dyn std::error::Error>>;

fn main() -> Outcome<()> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).parent().ok_or("no workspace")?;
    let camera: CameraProfile =
        serde_json::from_slice(&std::fs::read(root.join("demo/data/harrier.camera.json"))?)?;
    let (camera, srgb) = (camera.encoding()?, Encoding::find("srgb").ok_or("no sRGB")?);
    let mut pictures = Vec::new();
    let mut shots: Vec<PathBuf> =
        std::fs::read_dir(root.join("demo/data"))?.map(|f| f.map(|f| f.path())).collect::<Result<_, _>>()?;
    shots.extend(
        [1, 12, 24].map(|n| root.join(format!("demo/data/ferry-deck-007/ferry-deck-007.{n:04}.png"))),
    );
    shots.sort();
    for shot in shots.iter().filter(|p| p.extension().is_some_and(|e| e == "png")) {
        pictures.push(small(shot, &camera)?);
    }
    let packages = std::fs::read_dir(root.join(".venv/lib"))?
        .map(|f| f.map(|f| f.path()))
        .collect::<Result<Vec<_>, _>>()?;
    let data = packages.iter().map(|p| p.join("site-packages/skimage/data")).find(|p| p.is_dir());
    let data = data.ok_or("scikit-image is installed by `cargo xtask test`")?;
    for name in ["coffee.png", "chelsea.png", "rocket.jpg", "astronaut.png"] {
        let photograph = data.join(name);
        if photograph.is_file() {
            pictures.push(small(&photograph, &srgb)?);
        }
    }
    println!("{} pictures, {SAMPLES} samples", pictures.len());
    let half: Vec<Small> = pictures.iter().step_by(2).cloned().collect();
    let other: Vec<Small> = pictures.iter().skip(1).step_by(2).cloned().collect();
    let part = training::train(&half, SAMPLES / 2, SEED);
    println!(
        "left on pictures that were not trained on: {:.2}",
        training::left_over(&part, &other, 300, SEED + 2)
    );
    let numbers = training::train(&pictures, SAMPLES, SEED);
    let bytes: Vec<u8> = numbers.iter().flat_map(|v| v.to_le_bytes()).collect();
    std::fs::write(root.join("core/src/matching/trained.bin"), &bytes)?;
    println!(
        "left of looks that were not trained on: {:.2}",
        training::left_over(&numbers, &pictures, 300, SEED + 1)
    );
    println!("{} numbers, {} bytes", numbers.len(), bytes.len());
    Ok(())
}

fn small(path: &Path, encoding: &Encoding) -> Outcome<Small> {
    let picture = lantern_formats::picture::read(&std::fs::read(path)?)?;
    Ok(Small::of(&picture, encoding, &Steps::default())?)
}
