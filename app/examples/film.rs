//! Speed of film and texture: printed by `cargo xtask bench`. Arguments: a picture and its camera profile.

use lantern_core::bake::{Bake, bake};
use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::film::Chain;
use lantern_core::graph::{Graph, Node, Program, Target};
use lantern_core::look::{Look, Path, Step};
use lantern_core::picture::Picture;
use lantern_core::step::{Values, Zone};
use lantern_core::texture::FrameGeometry;
use lantern_core::texture::buffer::{BufferPool, Precision};
use lantern_core::texture::chain::Window;
use lantern_core::texture::passes::{Item, Work};
use std::hint::black_box;
use std::sync::atomic::AtomicBool;
use std::time::Instant;

type Outcome<T = ()> = Result<T, Box<dyn std::error::Error>>;

/// As in the program itself.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Rounds that a median is taken of.
const ROUNDS: usize = 15;

fn row(what: &str, value: f64, unit: &str, bar: &str) {
    println!("{what:<58} {value:>10.2}  {unit:<10} {bar}");
}

fn median(mut job: impl FnMut()) -> f64 {
    job();
    let mut times: Vec<f64> = (0..ROUNDS)
        .map(|_| {
            let begun = Instant::now();
            job();
            begun.elapsed().as_secs_f64() * 1e3
        })
        .collect();
    times.sort_by(f64::total_cmp);
    times[ROUNDS / 2]
}

fn step(kind: &str) -> Option<Step> {
    Some(Step::new(kind, Zone::Film, Values::neutral(kind)?))
}

fn film(kinds: &[&str]) -> Vec<Step> {
    kinds.iter().filter_map(|k| step(k)).collect()
}

/// Twelve steps: ten of the starting looks' own, then a negative and a print.
fn twelve(look: &Look) -> Path {
    let scene: Vec<Step> = look.path.steps.iter().filter(|s| s.zone == Zone::Scene).cloned().collect();
    let again = |k: usize| scene.iter().map(move |s| Step { id: format!("{k} {}", s.id), ..s.clone() });
    let mut steps: Vec<Step> = (0..10).flat_map(again).take(10).collect();
    steps.extend(film(&["negative", "print"]));
    Path::of(steps)
}

/// A picture of a width, whatever it has: made smaller, or every pixel again as often as it takes.
fn as_wide(p: &Picture, width: usize) -> Outcome<Picture> {
    if p.width() > width {
        return Ok(p.fit_within(width, usize::MAX));
    }
    let height = p.height() * width / p.width();
    let at = |i: usize| (i / width * p.height() / height) * p.width() + i % width * p.width() / width;
    Ok(Picture::new(width, height, (0..width * height).map(|i| p.pixels[at(i)]).collect())?)
}

fn main() -> Outcome {
    let a: Vec<String> = std::env::args().collect();
    let [_, picture, look, camera] = a.as_slice() else { return Err("see the source".into()) };
    let profile: CameraProfile = serde_json::from_slice(&std::fs::read(camera)?)?;
    let look = Look::from_json(&std::fs::read_to_string(look)?)?;
    let from = profile.encoding()?;
    let to = Encoding::find("rec709").ok_or("rec709")?;
    let shot = lantern_formats::picture::read(&std::fs::read(picture)?)?;
    println!("{:<58} {:>10}  {:<10} bar", "film and texture", "measured", "");
    let path = twelve(&look);
    row("solving a negative and a print", median(|| drop(black_box(Chain::new(None, None)))), "ms", "");
    let compiled = median(|| drop(black_box(Program::compile(&path, &from, &to))));
    row("compiling twelve steps with negative and print", compiled, "ms", "");
    let one = rayon::ThreadPoolBuilder::new().num_threads(1).build()?;
    let two = rayon::ThreadPoolBuilder::new().num_threads(2).build()?;
    let never = AtomicBool::new(false);
    for (size, bar) in [(33, "under 8"), (65, "under 50")] {
        let fill = |pool: &rayon::ThreadPool| {
            median(|| {
                pool.install(|| {
                    let program = Program::compile(&path, &from, &to);
                    drop(black_box(program.map(|p| bake(&p, &Bake::quick(&from, size), "", &never))));
                });
            })
        };
        row(&format!("value to {size}-point table, twelve steps, one thread"), fill(&one), "ms", "");
        row(&format!("value to {size}-point table, twelve steps, two threads"), fill(&two), "ms", bar);
    }
    let all = ["bloom", "halation", "negative", "softness", "grain", "print", "gate-weave"];
    let textured = Path::of(film(&all));
    for width in [960, 1920, 3840] {
        let picture = as_wide(&shot, width)?;
        let name = format!("{} x {}", picture.width(), picture.height());
        let graph = Graph::compile(&textured, &from, &to)?;
        let tables = graph.tables(&Bake::quick(&from, 33), None)?;
        let geometry = FrameGeometry::whole(picture.width(), picture.height(), graph.gauge, 7);
        let window = Window { pixels: &picture.pixels, width: picture.width(), at: [0, 0] };
        let mut pool = BufferPool::default();
        for (threads, said) in [(&one, "one thread"), (&two, "two threads")] {
            let mut bytes = vec![0_u8; picture.pixels.len() * 4];
            let all = [0, 0, picture.width(), picture.height()];
            let ms = median(|| {
                threads.install(|| {
                    graph.render(
                        Some(&tables),
                        &window,
                        &geometry,
                        &mut pool,
                        &never,
                        Target::bytes(all, &mut bytes),
                    );
                });
            });
            if width == 960 {
                row(&format!("film with all texture, {name}, {said}"), ms, "ms", "");
            } else {
                row(&format!("film with all texture, {name}, {said}"), 1e3 / ms, "pictures/s", "");
            }
        }
        let textures = || {
            graph
                .nodes
                .iter()
                .filter_map(|n| if let Node::Spatial(t) = n { Some(Item::Texture(t)) } else { None })
                .collect::<Vec<_>>()
        };
        let alone = median(|| {
            two.install(|| {
                let work =
                    Work { geometry: &geometry, precision: Precision::Half, pool: &mut pool, stop: &never };
                work.run(&textures(), &window).into_iter().for_each(|made| made.done(&mut pool));
            });
        });
        let (value, unit, bar) = match width {
            960 => (alone, "ms", "under 8"),
            1920 => (1e3 / alone, "pictures/s", "at least 30"),
            _ => (1e3 / alone, "pictures/s", "at least 8"),
        };
        row(&format!("its texture alone, {name}, two threads"), value, unit, bar);
        let exact = median(|| {
            let mut work = picture.pixels.clone();
            two.install(|| graph.run(&mut work, &geometry, &never));
        });
        if width < 3840 {
            row(&format!("the same exactly, {name}, two threads"), exact, "ms", "");
        }
    }
    Ok(())
}
