//! Renders the demo production "The Salt Clock" and writes its pictures in the invented camera's log.
//!
//! The pictures in `data/` are what this program writes; it is run again only when a set changes.

mod light;
mod props;
mod scene;
mod shape;
mod smooth;
mod takes;
mod tree;
mod vector;

use clap::Parser;
use lantern_core::colour::{CameraProfile, Encoding, Mat3, primaries::AP1};
use lantern_core::graph::{CompileError, Program};
use lantern_core::look::{Look, Path};
use lantern_core::numeric::lane;
use lantern_core::picture::Picture;
use lantern_core::step::Balance;
use lantern_formats::Depth;
use std::path::PathBuf;
use std::sync::atomic::{AtomicUsize, Ordering};
use takes::{Kept, RATE, TAKES, Take};

/// What to render and how well.
#[derive(Parser)]
struct Arguments {
    /// Names of takes; all where none is given.
    sets: Vec<String>,
    /// Paths a pixel.
    #[arg(long, default_value_t = 128)]
    samples: usize,
    /// Width in pixels instead of the take's own; the height follows at 16:9.
    #[arg(long)]
    width: Option<usize>,
    /// Folder for unsmoothed linear renders; one that is there already is used instead of rendering again.
    #[arg(long)]
    linear: Option<PathBuf>,
    /// Folder for the pictures.
    #[arg(long, default_value = "demo/data")]
    out: PathBuf,
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let a = Arguments::parse();
    for take in TAKES {
        if a.sets.is_empty() || a.sets.iter().any(|s| s == take.name) {
            for frame in 0..take.frames {
                let picture = off(&take.off, smooth::without_noise(&linear(take, frame, &a)?))?;
                let (ending, bytes) = kept(&take.kept, picture)?;
                let name = if take.frames == 1 {
                    format!("{}.{ending}", take.name)
                } else {
                    std::fs::create_dir_all(a.out.join(take.name))?;
                    format!("{0}/{0}.{1:04}.{ending}", take.name, frame + 1)
                };
                std::fs::write(a.out.join(name), bytes)?;
            }
        }
    }
    Ok(())
}

fn linear(take: &Take, frame: usize, a: &Arguments) -> Result<Picture, Box<dyn std::error::Error>> {
    let set = || light::Set::new((take.build)(frame as f32 / RATE));
    let Some(folder) = &a.linear else { return render(&set(), take, frame, a) };
    let number = if take.frames == 1 { String::new() } else { format!(".{:04}", frame + 1) };
    let path = folder.join(format!("{}{number}.exr", take.render));
    if path.exists() {
        return Ok(lantern_formats::exr::read(&std::fs::read(path)?)?);
    }
    let picture = render(&set(), take, frame, a)?;
    std::fs::write(path, lantern_formats::exr::write(&picture, Some(&AP1))?)?;
    Ok(picture)
}

fn render(
    set: &light::Set,
    take: &Take,
    frame: usize,
    a: &Arguments,
) -> Result<Picture, Box<dyn std::error::Error>> {
    let width = a.width.unwrap_or(take.width);
    let height = width * 9 / 16;
    let rows = AtomicUsize::new(0);
    let pixels = set.picture(width, height, a.samples, || {
        let done = rows.fetch_add(1, Ordering::Relaxed) + 1;
        if done.is_multiple_of(height.div_ceil(4)) {
            eprintln!("{} {}: {} %", take.name, frame + 1, done * 100 / height);
        }
    });
    Ok(Picture::new(width, height, pixels)?)
}

/// A picture as it would have been shot where `balance` is what puts it right.
fn off(balance: &Balance, mut picture: Picture) -> Result<Picture, Box<dyn std::error::Error>> {
    let wrong = balance.kernel().0.map(|row| row.map(f64::from));
    let wrong = Mat3(wrong).inverse().ok_or("a balance that cannot be undone")?.to_f32();
    for block in picture.pixels.chunks_mut(lane::N) {
        let mut planes = [lane::Channel::of(0.0); 3];
        lane::load(block, &mut planes);
        wrong.run(&mut planes);
        lane::store(&planes, block);
    }
    Ok(picture)
}

/// The file of a linear AP1 picture, with its ending.
fn kept(kept: &Kept, mut picture: Picture) -> Result<(&'static str, Vec<u8>), Box<dyn std::error::Error>> {
    let camera: CameraProfile = serde_json::from_str(include_str!("../data/harrier.camera.json"))?;
    let linear = Encoding::find("acescg").ok_or("no acescg")?;
    let mut through = |path: &Path, to: &Encoding| -> Result<(), CompileError> {
        Program::compile(path, &linear, to)?.run_parallel(&mut picture.pixels);
        Ok(())
    };
    let named = |id: &str| Encoding::find(id).ok_or(format!("no {id}"));
    Ok(match kept {
        Kept::Log => {
            through(&Path::default(), &camera.encoding()?)?;
            ("png", lantern_formats::png::write(&picture, Depth::Sixteen)?)
        }
        Kept::TenBit => {
            through(&Path::default(), &camera.encoding()?)?;
            // 10-bit codes in the upper bits, as a camera's recorder pads them.
            let padded = |v: f32| (v.clamp(0.0, 1.0) * 1023.0).round() * 64.0 / 65_535.0;
            picture.pixels.iter_mut().for_each(|p| *p = p.map(padded));
            ("png", lantern_formats::png::write(&picture, Depth::Sixteen)?)
        }
        Kept::Linear => ("exr", lantern_formats::exr::write_half(&picture, Some(&AP1))?),
        Kept::Display => {
            through(&Path::default(), &named("rec709")?)?;
            ("png", lantern_formats::png::write(&picture, Depth::Eight)?)
        }
        Kept::Finished(look) => {
            through(&Look::from_json(look)?.path, &named("srgb")?)?;
            ("png", lantern_formats::png::write(&picture, Depth::Eight)?)
        }
    })
}
