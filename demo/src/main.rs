//! Renders the demo production "The Salt Clock" and writes its pictures in the invented camera's log.
//!
//! The pictures in `data/` are what this program writes; it is run again only when a set changes.

mod light;
mod props;
mod scene;
mod shape;
mod smooth;
mod tree;
mod vector;

use clap::Parser;
use lantern_core::colour::{CameraProfile, primaries::AP1};
use lantern_core::{lane, picture::Picture};
use std::path::PathBuf;
use std::sync::atomic::{AtomicUsize, Ordering};

/// What to render and how well.
#[derive(Parser)]
struct Arguments {
    /// Names of sets; all where none is given.
    sets: Vec<String>,
    /// Paths a pixel.
    #[arg(long, default_value_t = 128)]
    samples: usize,
    /// Width in pixels; the height follows at 16:9.
    #[arg(long, default_value_t = 960)]
    width: usize,
    /// Folder for unsmoothed linear renders; one that is there already is used instead of rendering again.
    #[arg(long)]
    linear: Option<PathBuf>,
    /// Folder for the pictures.
    #[arg(long, default_value = "demo/data")]
    out: PathBuf,
}

type Build = fn() -> light::Stage;

const SETS: [(&str, Build); 3] = [
    ("lantern-market", scene::market::stage),
    ("kelp-greenhouse", scene::greenhouse::stage),
    ("workbench", scene::workbench::stage),
];

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let a = Arguments::parse();
    let profile: CameraProfile = serde_json::from_str(include_str!("../data/harrier.camera.json"))?;
    for (name, build) in SETS {
        if a.sets.is_empty() || a.sets.iter().any(|s| s == name) {
            let picture = smooth::without_noise(&linear(build, name, &a)?);
            let bytes =
                lantern_formats::png::write(&encode(&profile, picture)?, lantern_formats::Depth::Sixteen)?;
            std::fs::write(a.out.join(format!("{name}.png")), bytes)?;
        }
    }
    Ok(())
}

fn linear(build: Build, name: &str, a: &Arguments) -> Result<Picture, Box<dyn std::error::Error>> {
    let Some(folder) = &a.linear else { return render(&light::Set::new(build()), name, a) };
    let path = folder.join(format!("{name}.exr"));
    if path.exists() {
        return Ok(lantern_formats::exr::read(&std::fs::read(path)?)?);
    }
    let picture = render(&light::Set::new(build()), name, a)?;
    std::fs::write(path, lantern_formats::exr::write(&picture, Some(&AP1))?)?;
    Ok(picture)
}

fn render(set: &light::Set, name: &str, a: &Arguments) -> Result<Picture, Box<dyn std::error::Error>> {
    let (width, height) = (a.width, a.width * 9 / 16);
    let rows = AtomicUsize::new(0);
    let pixels = set.picture(width, height, a.samples, || {
        let done = rows.fetch_add(1, Ordering::Relaxed) + 1;
        if done.is_multiple_of(54) {
            eprintln!("{name}: {} %", done * 100 / height);
        }
    });
    Ok(Picture::new(width, height, pixels)?)
}

/// Linear AP1 to the camera's log, as code values 0..1.
fn encode(profile: &CameraProfile, mut picture: Picture) -> Result<Picture, Box<dyn std::error::Error>> {
    let encoding = profile.encoding()?;
    let matrix = encoding.matrix_from(&AP1).to_f32();
    for block in picture.pixels.chunks_mut(lane::N) {
        let mut planes = [[0.0; lane::N]; 3];
        lane::load(block, &mut planes);
        matrix.run(&mut planes);
        encoding.transfer.encode(&mut planes);
        lane::store(&planes, block);
    }
    Ok(picture)
}
