//! Speed of what leaves the program: packages, sequences, memory. Printed by `cargo xtask bench handoff`. Arguments: the program,
//! a folder of demo shots.

use lantern_core::colour::Encoding;
use lantern_core::graph::Graph;
use lantern_core::look::{Look, Path as Steps, Step};
use lantern_core::picture::Picture;
use lantern_core::step::{Values, Zone};
use lantern_core::texture::buffer::BufferPool;
use lantern_formats::Depth;
use lantern_formats::frame::Frame;
use lantern_formats::registry;
use lantern_handoff::graded::Carried;
use lantern_handoff::pipeline::pipeline;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::atomic::AtomicBool;
use std::time::{Duration, Instant};

type Outcome<T = ()> = Result<T, Box<dyn std::error::Error>>;

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Frames of the sequences that are measured.
const FRAMES: usize = 24;
/// Shots of the package.
const SHOTS: usize = 12;

fn row(what: &str, value: f64, unit: &str, bar: &str) {
    println!("{what:<62} {value:>10.2}  {unit:<10} {bar}");
}

/// A picture of another size, by nearest neighbours of some of its pixels: with noise of its own, so that no codec finds it easy.
fn sized(p: &Picture, [w, h]: [usize; 2], seed: usize) -> Outcome<Picture> {
    let mut state = seed as u32 * 7919 + 1;
    let mut noise = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / 16_777_216.0 - 0.5
    };
    let mut pixel = |i: usize| {
        let from = p.pixels[(i / w * p.height() / h) * p.width() + i % w * p.width() / w];
        let n = noise() * 0.004;
        [from[0] + n, from[1] + n, from[2] + n, 1.0]
    };
    Ok(Picture::new(w, h, (0..w * h).map(&mut pixel).collect())?)
}

/// Runs the program, and gives how long it took and the most memory that it had, in MB.
fn timed(program: &str, arguments: &[&str]) -> Outcome<(f64, f64)> {
    let begun = Instant::now();
    let mut child = Command::new(program).args(arguments).stdout(std::process::Stdio::null()).spawn()?;
    let status_file = format!("/proc/{}/status", child.id());
    let mut most = 0.0_f64;
    loop {
        if let Ok(text) = std::fs::read_to_string(&status_file) {
            let line = text.lines().find_map(|l| l.strip_prefix("VmHWM:"));
            let kb = line.and_then(|l| l.split_whitespace().next()).and_then(|v| v.parse::<f64>().ok());
            most = most.max(kb.unwrap_or(0.0) / 1024.0);
        }
        if let Some(status) = child.try_wait()? {
            if !status.success() {
                return Err(format!("{arguments:?} failed").into());
            }
            return Ok((begun.elapsed().as_secs_f64(), most));
        }
        std::thread::sleep(Duration::from_millis(5));
    }
}

fn film() -> Steps {
    let all = ["bloom", "halation", "negative", "softness", "grain", "print", "flicker", "gate-weave"];
    let step = |kind: &&str| Some(Step::new(kind, Zone::Film, Values::neutral(kind)?));
    Steps::of(all.iter().filter_map(step).collect())
}

fn package(program: &str, folder: &Path, demo: &Path, base: &Picture) -> Outcome {
    let mut pictures = Vec::new();
    for k in 0..SHOTS {
        let at = folder.join(format!("shot{k}.png"));
        std::fs::write(&at, lantern_formats::png::write(&sized(base, [1920, 1080], k)?, Depth::Sixteen)?)?;
        pictures.push(json!({ "path": at, "encoding": "camera" }));
    }
    let table = |format: &str, from: &str, size: usize, range: &str| -> Value {
        json!({ "kind": "table", "format": format, "from": from, "to": "rec709", "size": size, "range": range })
    };
    let plan = json!({
        "version": 1, "name": "Six files", "pictures": pictures,
        "look": demo.join("looks/harbour-dusk.look.json"), "camera": demo.join("harrier.camera.json").display().to_string(),
        "receivers": [
            { "name": "On set", "deliveries": [table("cube", "camera", 33, "full"), table("cube", "camera", 65, "legal")] },
            { "name": "Effects", "deliveries": [table("clf", "acescct", 33, "full"), table("spi3d", "acescct", 33, "full")] },
            { "name": "Finishing", "deliveries": [table("clf", "camera", 33, "full"), { "kind": "look" }] },
        ],
    });
    let (plan_file, out) = (folder.join("plan.json"), folder.join("six.zip").display().to_string());
    std::fs::write(&plan_file, plan.to_string())?;
    let (seconds, memory) =
        timed(program, &["deliver", "--plan", &plan_file.display().to_string(), "-o", &out])?;
    row("a package of 6 files over 12 shots of 1920 x 1080", seconds, "s", "under 10");
    row("  its memory", memory, "MB", "");
    Ok(())
}

/// A sequence of 16-bit TIFFs; gives its pattern.
fn sequence(folder: &Path, base: &Picture, size: [usize; 2], count: usize) -> Outcome<String> {
    std::fs::create_dir_all(folder)?;
    for k in 0..count {
        let frame: Frame = sized(base, size, k)?.into();
        std::fs::write(
            folder.join(format!("sea.{k:04}.tiff")),
            lantern_formats::tiff::write_frame(&frame, Depth::Sixteen, None)?,
        )?;
    }
    Ok(folder.join("sea.%04d.tiff").display().to_string())
}

fn render(program: &str, folder: &Path, base: &Picture) -> Outcome {
    let mut look = Look::new("Film");
    look.path = film();
    let look_file = folder.join("film.json").display().to_string();
    std::fs::write(&look_file, look.to_json())?;
    let input = sequence(&folder.join("hd"), base, [1920, 1080], FRAMES)?;
    let out = folder.join("out");
    std::fs::create_dir_all(&out)?;
    let to = out.display().to_string();
    let arguments =
        ["render", "--look", &look_file, "--from", "acescct", "--to", "rec709", &input, "-o", &to];
    let (seconds, memory) = timed(program, &arguments)?;
    let rate = FRAMES as f64 / seconds;
    row("render 1920 x 1080, film and all texture, TIFF in and out", rate, "frames/s", "at least 6");
    row("  its memory", memory, "MB", "");

    let paths: Vec<PathBuf> = (0..FRAMES).map(|k| folder.join(format!("hd/sea.{k:04}.tiff"))).collect();
    let read = |path: &PathBuf| Carried::read(&std::fs::read(path).ok()?).ok();
    let frames: Vec<Carried> = paths.iter().take(4).filter_map(read).collect();
    let (from, display) =
        (Encoding::find("acescct").ok_or("acescct")?, Encoding::find("rec709").ok_or("rec709")?);
    let graph = Graph::compile(&look.path, &from, &display)?;
    let (never, mut pool) = (AtomicBool::new(false), BufferPool::default());
    let tiff = registry::of_ending("tiff").ok_or("tiff")?;
    let begun = Instant::now();
    for k in 0..FRAMES {
        let frame = frames[k % frames.len()].clone();
        let made = frame.graded(&graph, k as u32, Some(tiff), &mut pool, &never);
        made.ok_or("stopped")?;
    }
    let arithmetic = FRAMES as f64 / begun.elapsed().as_secs_f64();
    row("  the arithmetic alone", arithmetic, "frames/s", "");
    let begun = Instant::now();
    // Into files that are not there yet: the system writes over others more slowly.
    let beside = folder.join("beside");
    std::fs::create_dir_all(&beside)?;
    let write = |(path, frame): (&PathBuf, Carried)| {
        let bytes = frame.encoded(tiff, Some(&display)).unwrap_or_default();
        let _ = std::fs::write(beside.join(path.file_name().unwrap_or_default()), bytes);
    };
    pipeline(paths.iter(), |path| Some((path, read(path)?)), &mut [()], |(), found| found, write);
    let files = FRAMES as f64 / begun.elapsed().as_secs_f64();
    row("  reading and writing alone", files, "frames/s", "");
    row("  render over the slower of both", rate / arithmetic.min(files), "", "at least 0.8");

    let input = sequence(&folder.join("uhd"), base, [3840, 2160], 6)?;
    let out = folder.join("uhd-out");
    std::fs::create_dir_all(&out)?;
    let to = out.display().to_string();
    let arguments =
        ["render", "--look", &look_file, "--from", "acescct", "--to", "rec709", &input, "-o", &to];
    let (seconds, memory) = timed(program, &arguments)?;
    row("render 3840 x 2160, the same: memory", memory, "MB", "under 1200");
    row("  its speed", 6.0 / seconds, "frames/s", "");
    Ok(())
}

fn main() -> Outcome {
    let a: Vec<String> = std::env::args().collect();
    let [_, program, demo] = a.as_slice() else { return Err("see the source".into()) };
    let demo = Path::new(demo).canonicalize()?;
    let base = lantern_formats::picture::read(&std::fs::read(demo.join("lantern-market.png"))?)?;
    let folder = tempfile::tempdir()?;
    println!("{:<62} {:>10}  {:<10} bar", "handoff", "measured", "");
    package(program, folder.path(), &demo, &base)?;
    render(program, folder.path(), &base)
}
