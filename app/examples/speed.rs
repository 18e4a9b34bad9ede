//! Speed of tables and programs on a demo picture, beside OpenColorIO on the same pixels in the same run.
//!
//! usage: speed PYTHON SCRIPT PICTURE LOOK CAMERA, as `cargo xtask bench` calls it.

use lantern_core::bake::{Bake, Reach, bake};
use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::graph::Program;
use lantern_core::look::{Group, Look, Path, Step, starting};
use lantern_core::picture::{Picture, to_bytes};
use lantern_core::table::Table;
use lantern_core::{scope, table::apply::Using};
use std::hint::black_box;
use std::process::Command;
use std::sync::atomic::AtomicBool;
use std::time::Instant;

type Outcome<T = ()> = Result<T, Box<dyn std::error::Error>>;

const ROUNDS: usize = 11;
/// Turns of a comparison with another program; the one with the median ratio counts.
const TURNS: usize = 7;

/// Median seconds of a job, after a warm-up.
fn median(job: impl FnMut()) -> f64 {
    median_after(|| {}, job)
}

/// Median seconds of a job, each after a preparation that does not count.
fn median_after(mut prepare: impl FnMut(), mut job: impl FnMut()) -> f64 {
    let mut took: Vec<f64> = (0..=ROUNDS)
        .map(|_| {
            prepare();
            let begun = Instant::now();
            job();
            begun.elapsed().as_secs_f64()
        })
        .skip(1)
        .collect();
    took.sort_by(f64::total_cmp);
    took[ROUNDS / 2]
}

/// The picture at 1920 x 1080: each pixel four times, which keeps its statistics.
fn doubled(p: &Picture) -> Outcome<Picture> {
    let (w, h) = (p.width() * 2, p.height() * 2);
    let pixels = (0..w * h).map(|i| p.pixels[i / w / 2 * p.width() + i % w / 2]).collect();
    Ok(Picture::new(w, h, pixels)?)
}

struct Bench {
    python: String,
    script: String,
    picture: Picture,
    program: Program,
    from: Encoding,
}

fn main() -> Outcome {
    let a: Vec<String> = std::env::args().collect();
    let [_, python, script, picture, look, camera] = a.as_slice() else {
        return Err("see the source".into());
    };
    let profile: CameraProfile = serde_json::from_slice(&std::fs::read(camera)?)?;
    let look = Look::from_json(&std::fs::read_to_string(look)?)?;
    let from = profile.encoding()?;
    let to = Encoding::find("rec709").ok_or("rec709")?;
    let bench = Bench {
        python: python.clone(),
        script: script.clone(),
        picture: doubled(&lantern_formats::picture::read(&std::fs::read(picture)?)?)?,
        program: Program::compile(&look.path, &from, &to)?,
        from,
    };
    println!("{:<58} {:>10}  {:<10} bar", "1920 x 1080, RGBA f32, demo picture and look", "measured", "");
    for (size, bar) in [(33, 2.0), (65, 1.7)] {
        bench.table(size, bar)?;
    }
    bench.fills("six steps")?;
    bench.frames("six steps");
    for (from, to) in [("rec709", "rec709"), ("srgb", "rec709"), ("acescct", "pq"), ("pq", "rec709")] {
        let (from, to) = (Encoding::find(from).ok_or("from")?, Encoding::find(to).ok_or("to")?);
        bench.of_display(&look, &from, &to)?;
    }
    let path = long_path();
    let what = format!("{} steps, {} groups", path.steps.len(), path.groups.len());
    let program = Program::compile(&path, &bench.from, &to)?;
    let long = Bench { program, ..bench };
    long.fills(&what)?;
    long.frames(&what);
    long.drag(&what)?;
    Ok(())
}

/// Starting looks as groups after each other until there are twenty steps: every group with a strength of its own, two
/// with steps that work on a colour range.
fn long_path() -> Path {
    let names = ["Ember and Tide", "Drained Winter", "Painted Pastel", "Deep Kelp"];
    let mut path = Path::default();
    let all = names.iter().filter_map(|n| starting::looks().iter().find(|s| s.look.name == *n));
    for (i, s) in all.enumerate() {
        let id = format!("g{i}");
        let own = s.look.path.steps.iter().filter(|s| s.zone == lantern_core::step::Zone::Scene);
        path.steps.extend(own.map(|s| Step {
            id: format!("{id} {}", s.id),
            group: Some(id.clone()),
            ..s.clone()
        }));
        path.groups.push(Group {
            name: id.clone(),
            id,
            on: true,
            strength: 0.6,
            region: None,
            matched: None,
        });
    }
    let more: Vec<Step> = path.steps.iter().take(20 - path.steps.len().min(20)).cloned().collect();
    path.steps.extend(more.into_iter().map(|s| Step { id: format!("more {}", s.id), group: None, ..s }));
    path
}

fn row(what: &str, value: f64, unit: &str, bar: &str) {
    println!("{what:<58} {value:>10.2}  {unit:<10} {bar}");
}

/// A table and the picture as files for the other program.
struct Theirs(tempfile::TempDir);

impl Theirs {
    fn new(bench: &Bench, table: &Table) -> Outcome<Self> {
        let dir = tempfile::tempdir()?;
        std::fs::write(dir.path().join("t.cube"), lantern_formats::cube::write(table, &[])?)?;
        let bytes: Vec<u8> = bench.picture.pixels.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
        std::fs::write(dir.path().join("in.raw"), bytes)?;
        Ok(Self(dir))
    }

    /// Nanoseconds a pixel, the median of as many rounds as ours.
    fn time(&self, bench: &Bench) -> Outcome<f64> {
        let done = Command::new(&bench.python)
            .args([&bench.script, "time"])
            .args([self.0.path().join("t.cube"), self.0.path().join("in.raw")])
            .arg(ROUNDS.to_string())
            .env("OMP_NUM_THREADS", "1")
            .output()?;
        Ok(String::from_utf8(done.stdout)?.trim().parse()?)
    }
}

impl Bench {
    fn bake(&self, size: usize) -> Outcome<Table> {
        let plan = Bake::quick(&self.from, size);
        Ok(bake(&self.program, &plan, "bench", &AtomicBool::new(false))?.ok_or("cancelled")?)
    }

    fn table(&self, size: usize, bar: f64) -> Outcome {
        let table = self.bake(size)?;
        let count = self.picture.pixels.len() as f64;
        let work = std::cell::RefCell::new(self.picture.pixels.clone());
        let time = |job: &mut dyn FnMut(&mut [[f32; 4]])| {
            let prepare = || work.borrow_mut().copy_from_slice(&self.picture.pixels);
            median_after(prepare, || job(black_box(&mut work.borrow_mut()))) / count * 1e9
        };
        let theirs = Theirs::new(self, &table)?;
        // In turns, so that a busy moment of the machine touches both.
        let mut turns = Vec::new();
        for _ in 0..TURNS {
            turns.push((time(&mut |p| table.apply(p)), theirs.time(self)?));
        }
        turns.sort_by(|a, b| (a.1 / a.0).total_cmp(&(b.1 / b.0)));
        let (one, theirs) = turns[TURNS / 2];
        let scalar = time(&mut |p| table.apply_using(p, Using::Scalar));
        let pool = rayon::ThreadPoolBuilder::new().num_threads(2).build()?;
        let two = time(&mut |p| pool.install(|| table.apply_parallel(p)));
        row(&format!("table {size}, one thread"), one, "ns/px", "");
        row(&format!("table {size}, OpenColorIO, one thread"), theirs, "ns/px", "");
        row(
            &format!("table {size}, times OpenColorIO's speed"),
            theirs / one,
            "x",
            &format!("at least {bar}"),
        );
        row(&format!("table {size}, two threads over one"), one / two, "x", "at least 1.6");
        row(&format!("table {size}, vector over scalar"), scalar / one, "x", "");
        Ok(())
    }

    /// The look between other encodings: what display sources and HDR cost beside the rest.
    fn of_display(&self, look: &Look, from: &Encoding, to: &Encoding) -> Outcome {
        let what = format!("six steps, {} to {}", from.id, to.id);
        let ms = median(|| drop(black_box(Program::compile(&look.path, from, to)))) * 1e3;
        row(&format!("compile, {what}"), ms, "ms", "");
        let program = Program::compile(&look.path, from, to)?;
        let plan = Bake::quick(from, 33);
        let ms = median(|| drop(black_box(bake(&program, &plan, "", &AtomicBool::new(false))))) * 1e3;
        row(&format!("fill a 33-point table, {what}"), ms, "ms", "");
        let small = self.picture.fit_within(960, 540);
        let mut work = small.pixels.clone();
        let ms = median(|| {
            work.copy_from_slice(&small.pixels);
            program.run_parallel(&mut work);
        });
        row(&format!("exact picture at 960 x 540, {what}"), ms * 1e3, "ms", "");
        Ok(())
    }

    fn fills(&self, what: &str) -> Outcome {
        for (size, bar) in [(33, "under 8 (path with film)"), (65, "under 50 (path with film)")] {
            let ms = median(|| drop(black_box(self.bake(size)))) * 1e3;
            row(&format!("fill a {size}-point table, {what}"), ms, "ms", bar);
        }
        let plan = Bake::plan(&self.from, 33);
        let ms = median(|| drop(black_box(bake(&self.program, &plan, "", &AtomicBool::new(false))))) * 1e3;
        row(&format!("fill and settle a 33-point table, {what}"), ms, "ms", "");
        Ok(())
    }

    fn frames(&self, what: &str) {
        let small = self.picture.fit_within(960, 540);
        let mut work = small.pixels.clone();
        let mut bytes = vec![0; work.len() * 4];
        let exact = median(|| {
            work.copy_from_slice(&small.pixels);
            self.program.run_parallel(&mut work);
            to_bytes(&work, &mut bytes);
        });
        row(&format!("exact picture at 960 x 540, {what}"), exact * 1e3, "ms", "");
        let pixels: Vec<[u8; 4]> = bytes.chunks_exact(4).map(|b| [b[0], b[1], b[2], b[3]]).collect();
        let wave = median(|| drop(black_box(scope::waveform(&pixels, 960, 240, None)))) * 1e3;
        row("waveform counts at 960 x 540", wave, "ms", "");
        row(
            "vectorscope counts at 960 x 540",
            median(|| drop(black_box(scope::vectorscope(&pixels, 1.0)))) * 1e3,
            "ms",
            "1.8 as tried",
        );
    }

    /// What a changed value costs while it is dragged: the nodes that the picture reads, and the picture through them.
    fn drag(&self, what: &str) -> Outcome {
        let small = self.picture.fit_within(960, 540);
        let reach = Reach::of(&small.pixels, &Bake::quick(&self.from, 33)).ok_or("no quick table")?;
        let fill = median(|| drop(black_box(reach.fill(&self.program)))) * 1e3;
        row(&format!("nodes that a picture reads, {what}"), fill, "ms", "under 8");
        let table = reach.fill(&self.program)?;
        let mut work = small.pixels.clone();
        let shown = median(|| {
            work.copy_from_slice(&small.pixels);
            table.apply_parallel(black_box(&mut work));
        });
        row("and the picture through them, 960 x 540", shown * 1e3, "ms", "");
        Ok(())
    }
}
