//! Every look that ships, as tables: on the demo's pictures from the log, and between displays on those and on photographs
//! that scikit-image packages (free ones: coffee, a cat, a rocket, an eye's ground).

#![allow(clippy::unwrap_used)]

use lantern_core::bake::Meter;
use lantern_core::bake::{Bake, bake};
use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::graph::Program;
use lantern_core::look::{Look, Path, starting};
use lantern_core::numeric::percentile::percentile;
use std::path::PathBuf;
use std::sync::atomic::AtomicBool;

type Pixels = Vec<[f32; 4]>;

fn root() -> PathBuf {
    std::path::Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().into()
}

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

fn shipped() -> Vec<Look> {
    let mut looks: Vec<Look> = starting::looks().iter().map(|s| s.look.clone()).collect();
    let files = std::fs::read_dir(root().join("demo/data/looks")).unwrap();
    looks.extend(
        files.map(|f| Look::from_json(&std::fs::read_to_string(f.unwrap().path()).unwrap()).unwrap()),
    );
    looks
}

/// About 15,000 pixels of a picture, evenly.
fn read(file: PathBuf) -> Pixels {
    let bytes = std::fs::read(&file).unwrap_or_else(|e| panic!("{}: {e}", file.display()));
    let pixels = lantern_formats::picture::read(&bytes).unwrap().pixels;
    let step = (pixels.len() / 15_000).max(1);
    pixels.into_iter().step_by(step).collect()
}

fn run(program: &Program, pixels: &Pixels) -> Pixels {
    let mut out = pixels.clone();
    program.run_parallel(&mut out);
    out
}

/// The demo's shots in its camera's log, one of each scene, as linear AP1.
fn demo() -> Vec<Pixels> {
    let text = std::fs::read_to_string(root().join("demo/data/harrier.camera.json")).unwrap();
    let camera = serde_json::from_str::<CameraProfile>(&text).unwrap().encoding().unwrap();
    let into = Program::compile(&Path::default(), &camera, &encoding("acescg")).unwrap();
    [
        "workbench",
        "lantern-market",
        "kelp-greenhouse",
        "salt-pans-003",
        "net-loft-005",
        "rope-walk-012/rope-walk-012.0001",
        "ferry-deck-007/ferry-deck-007.0001",
    ]
    .map(|name| run(&into, &read(root().join(format!("demo/data/{name}.png")))))
    .into()
}

fn photographs() -> Vec<Pixels> {
    let folders = std::fs::read_dir(root().join(".venv/lib")).unwrap();
    let python = folders.map(|f| f.unwrap().path()).find(|p| p.join("site-packages/skimage/data").is_dir());
    let data =
        python.expect("scikit-image is installed by `cargo xtask test`").join("site-packages/skimage/data");
    ["coffee.png", "chelsea.png", "rocket.jpg", "retina.jpg"].map(|name| read(data.join(name))).into()
}

/// Mean and 99th percentile of a table's differences from its program.
fn of_table(look: &Look, from: &Encoding, to: &Encoding, size: usize, pictures: &[Pixels]) -> (f64, f64) {
    let program = Program::compile(&look.path, from, to).unwrap();
    let table = bake(&program, &Bake::plan(from, size), "", &AtomicBool::new(false)).unwrap().unwrap();
    let meter = Meter::new(to);
    let mut all = Vec::new();
    for pixels in pictures {
        let mut read = pixels.clone();
        table.apply_parallel(&mut read);
        all.extend(meter.differences(&run(&program, pixels), &read));
    }
    (all.iter().sum::<f64>() / all.len() as f64, percentile(&mut all, 0.99))
}

#[test]
fn every_look_holds_from_the_log_to_a_display() {
    let (from, to) = (encoding("acescct"), encoding("rec709"));
    let into = Program::compile(&Path::default(), &encoding("acescg"), &from).unwrap();
    let pictures: Vec<Pixels> = demo().iter().map(|p| run(&into, p)).collect();
    for look in shipped() {
        let (mean, p99) = of_table(&look, &from, &to, 33, &pictures);
        assert!(p99 < 1.0, "{}: mean {mean}, 99th percentile {p99}", look.name);
        // Twice the points leave a quarter of an error that is smooth: only the steepest are worth the time.
        if p99 > 0.8 {
            let (mean, p99) = of_table(&look, &from, &to, 65, &pictures);
            assert!(p99 < 0.35, "{} at 65 points: mean {mean}, 99th percentile {p99}", look.name);
        }
    }
}

#[test]
fn every_look_holds_from_a_display_to_itself() {
    let display = encoding("rec709");
    let show = Program::compile(&Path::default(), &encoding("acescg"), &display).unwrap();
    let mut pictures: Vec<Pixels> = demo().iter().map(|p| run(&show, p)).collect();
    pictures.extend(photographs());
    for look in shipped() {
        let (mean, p99) = of_table(&look, &display, &display, 33, &pictures);
        assert!(mean < 0.3 && p99 < 1.5, "{}: mean {mean}, 99th percentile {p99}", look.name);
        if p99 > 0.5 {
            let (mean, p99) = of_table(&look, &display, &display, 65, &pictures);
            assert!(
                mean < 0.1 && p99 < 0.5,
                "{} at 65 points: mean {mean}, 99th percentile {p99}",
                look.name
            );
        }
    }
}

#[test]
fn a_picture_graded_through_the_pair_is_the_light_graded_directly() {
    let light = encoding("acescg");
    let pictures = demo();
    for display in ["rec709", "srgb", "p3-d65", "display-p3", "rec2020"] {
        let display = encoding(display);
        let show = Program::compile(&Path::default(), &light, &display).unwrap();
        let meter = Meter::new(&display);
        let mut means = Vec::new();
        for look in shipped() {
            let direct = Program::compile(&look.path, &light, &display).unwrap();
            let through = Program::compile(&look.path, &display, &display).unwrap();
            let mut all = Vec::new();
            for pixels in &pictures {
                all.extend(meter.differences(&run(&direct, pixels), &run(&through, &run(&show, pixels))));
            }
            means.push(all.iter().sum::<f64>() / all.len() as f64);
        }
        let mean = means.iter().sum::<f64>() / means.len() as f64;
        assert!(mean < 0.35, "{}: {mean}: {means:?}", display.id);
    }
}
