//! Renders the demo production "The Salt Clock" and writes its pictures in the invented camera's log.
//!
//! The pictures in `data/` are what this program writes, by checksum; one take is made again by its name.

mod clean;
mod dense;
mod dice;
mod frame;
mod judge;
mod lamps;
mod lens;
mod light;
mod lone;
mod motion;
mod props;
mod record;
mod scene;
mod shape;
#[cfg(test)]
mod shipped;
mod stage;
mod sums;
mod surface;
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
use std::time::Instant;
use takes::{Kept, RATE, TAKES, Take, WIDTH};
use vector::V3;

/// What to render and how well.
#[derive(Parser)]
struct Arguments {
    /// Names of takes; all where none is given.
    takes: Vec<String>,
    /// Whole paths a pixel instead of the take's own.
    #[arg(long)]
    paths: Option<usize>,
    /// Width in pixels instead of 1920; the height follows at 16:9.
    #[arg(long)]
    width: Option<usize>,
    /// Folder for linear renders; one that is there already is used instead of rendering again.
    #[arg(long)]
    linear: Option<PathBuf>,
    /// Folder for 8-bit pictures as a display shows them without a look, to judge them by.
    #[arg(long)]
    plain: Option<PathBuf>,
    /// Pack the pictures that are there anew instead of rendering any, as short as they can be: a PNG the same to the last bit.
    #[arg(long)]
    repack: bool,
    /// Folder for the pictures.
    #[arg(long, default_value = "demo/data")]
    out: PathBuf,
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let a = Arguments::parse();
    let chosen: Vec<&Take> =
        TAKES.iter().filter(|t| a.takes.is_empty() || a.takes.iter().any(|name| name == t.name)).collect();
    if let Some(name) = a.takes.iter().find(|name| !TAKES.iter().any(|t| t.name == **name)) {
        return Err(format!("there is no take {name}; see demo/src/takes.rs").into());
    }
    if a.width.is_some_and(|w| !(16..=8192).contains(&w)) {
        return Err("a width is 16 to 8192 pixels".into());
    }
    for folder in [Some(&a.out), a.linear.as_ref(), a.plain.as_ref()].into_iter().flatten() {
        std::fs::create_dir_all(folder)?;
    }
    if a.repack {
        return repack(&chosen, &a.out);
    }
    let pictures: usize = chosen.iter().map(|t| t.frames).sum();
    let began = Instant::now();
    let mut made = 0;
    for take in chosen {
        for frame in 0..take.frames {
            let picture = off(&take.off, lone::joined(clean::evenly(linear(take, frame, &a)?)))?;
            let shown = on_display(&take.kept, picture.clone())?;
            eprintln!("{} {}: noise left: {}", take.name, frame + 1, judge::left(&shown));
            if let Some(folder) = &a.plain {
                let name = format!("{}.{:04}.png", take.name, frame + 1);
                std::fs::write(folder.join(name), lantern_formats::png::write(&shown, Depth::Eight)?)?;
            }
            let name = take.file(frame);
            sums::kept(&a.out, &name, &kept(&take.kept, picture)?)?;
            made += 1;
            let seconds = began.elapsed().as_secs_f32();
            let left = seconds / made as f32 * (pictures - made) as f32;
            eprintln!(
                "{name}: {made} of {pictures}, {:.0} min, about {:.0} min left",
                seconds / 60.0,
                left / 60.0
            );
        }
        if take.name == scene::rope_walk::NAME {
            let motion = serde_json::to_vec_pretty(&motion::known().ok_or("a plane seen from its edge")?)?;
            sums::kept(&a.out, &takes::motion_file(), &motion)?;
        }
    }
    Ok(())
}

/// Packs the files of takes anew.
fn repack(takes: &[&Take], folder: &std::path::Path) -> Result<(), Box<dyn std::error::Error>> {
    for name in takes.iter().flat_map(|t| (0..t.frames).map(|frame| t.file(frame))) {
        let file = std::fs::read(folder.join(&name))?;
        let before = file.len();
        let again = if name.ends_with(".exr") {
            let kept = record::halves(lantern_formats::exr::read(&file)?);
            lantern_formats::exr::write_half(&kept, Some(&AP1))?
        } else {
            dense::png_again(file)?
        };
        eprintln!("{name}: {before} bytes, now {}", again.len());
        sums::kept(folder, &name, &again)?;
    }
    Ok(())
}

fn linear(take: &Take, frame: usize, a: &Arguments) -> Result<Picture, Box<dyn std::error::Error>> {
    let Some(folder) = &a.linear else { return render(take, frame, a) };
    let number = if take.frames == 1 { String::new() } else { format!(".{:04}", frame + 1) };
    let path = folder.join(format!("{}{number}.exr", take.render));
    if path.exists() {
        return Ok(lantern_formats::exr::read(&std::fs::read(path)?)?);
    }
    let picture = render(take, frame, a)?;
    std::fs::write(path, lantern_formats::exr::write(&picture, Some(&AP1))?)?;
    Ok(picture)
}

fn render(take: &Take, frame: usize, a: &Arguments) -> Result<Picture, Box<dyn std::error::Error>> {
    let width = a.width.unwrap_or(WIDTH);
    let height = width * 9 / 16;
    let began = Instant::now();
    let set = light::Set::new((take.build)(frame as f32 / RATE));
    let quarters = AtomicUsize::new(0);
    let taken = frame::Frame::take(&set, [width, height], a.paths.unwrap_or(take.paths), |share| {
        let quarter = (share * 4.0) as usize;
        if quarters.fetch_max(quarter, Ordering::Relaxed) < quarter {
            let seconds = began.elapsed().as_secs_f32();
            eprintln!("{} {}: {} %, {seconds:.0} s", take.name, frame + 1, quarter * 25);
        }
    });
    let traced = began.elapsed().as_secs_f32();
    let clean = lens::through(&clean::picture(&taken), width, height);
    eprintln!(
        "{} {}: paths {traced:.0} s, cleaning {:.0} s",
        take.name,
        frame + 1,
        began.elapsed().as_secs_f32() - traced
    );
    let pixels = clean.iter().map(|V3([r, g, b])| [*r, *g, *b, 1.0]).collect();
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

/// A linear AP1 picture as an sRGB display shows it; a finished still through the look that it was finished with.
fn on_display(kept: &Kept, mut picture: Picture) -> Result<Picture, Box<dyn std::error::Error>> {
    let named = |id: &str| Encoding::find(id).ok_or(format!("no {id}"));
    let path = match kept {
        Kept::Finished(look) => Look::from_json(look)?.path,
        Kept::Log | Kept::Linear | Kept::Display => Path::default(),
    };
    Program::compile(&path, &named("acescg")?, &named("srgb")?)?.run_parallel(&mut picture.pixels);
    Ok(picture)
}

/// The file of a linear AP1 picture.
fn kept(kept: &Kept, mut picture: Picture) -> Result<Vec<u8>, Box<dyn std::error::Error>> {
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
            record::twelve_bits(&picture)?
        }
        Kept::Linear => lantern_formats::exr::write_half(&record::halves(picture), Some(&AP1))?,
        Kept::Display => {
            through(&Path::default(), &named("rec709")?)?;
            record::twelve_bits(&picture)?
        }
        Kept::Finished(look) => {
            through(&Look::from_json(look)?.path, &named("srgb")?)?;
            record::twelve_bits(&picture)?
        }
    })
}
