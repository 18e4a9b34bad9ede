//! Film on the demo production: tables of film looks, and stocks told apart on its faces.

#![allow(clippy::unwrap_used)]

use lantern_core::bake::{Bake, Probe, bake, fidelity};
use lantern_core::colour::chart::patches_ap1;
use lantern_core::colour::difference::{LabOf, ciede2000};
use lantern_core::colour::{CameraProfile, Encoding, primaries::BT709};
use lantern_core::film::stock::{NegativeStock, PrintStock, negatives, prints};
use lantern_core::graph::{Graph, Program};
use lantern_core::look::{Look, Path, Step};
use lantern_core::step::{Grain, Negative, Print, Values, Zone};
use std::sync::atomic::AtomicBool;

const PICTURES: [&str; 5] = [
    "workbench.png",
    "lantern-market.png",
    "lantern-market-021.png",
    "kelp-greenhouse-004.png",
    "ferry-deck-007/ferry-deck-007.0001.png",
];

fn camera() -> Encoding {
    let data = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data/harrier.camera.json");
    let profile: CameraProfile = serde_json::from_slice(&std::fs::read(data).unwrap()).unwrap();
    profile.encoding().unwrap()
}

fn probe(name: &str) -> Probe {
    let data = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data");
    let p = lantern_formats::picture::read(&std::fs::read(data.join(name)).unwrap()).unwrap();
    // Small: places enough for a percentile.
    let p = p.fit_within(640, 640);
    Probe { name: name.into(), picture: true, width: p.width(), pixels: p.pixels }
}

fn film(negative: &NegativeStock, print: &PrintStock) -> Path {
    let n = Values::Negative(Negative { stock: negative.clone(), ..Default::default() });
    let p = Values::Print(Print { stock: print.clone(), ..Default::default() });
    Path::of(vec![Step::new("negative", Zone::Film, n), Step::new("print", Zone::Film, p)])
}

#[test]
fn tables_of_film_looks_are_good_at_33_points_and_nearly_exact_at_65() {
    let (from, to) = (camera(), Encoding::find("rec709").unwrap());
    let probes = || PICTURES.iter().map(|n| Ok::<_, std::convert::Infallible>(probe(n)));
    let never = AtomicBool::new(false);
    let main = &prints()[0];
    let films =
        negatives().iter().map(|n| (n, main)).chain(prints()[1..].iter().map(|p| (&negatives()[0], p)));
    for (n, p) in films {
        let program = Program::compile(&film(n, p), &from, &to).unwrap();
        for (size, most) in [(33, 1.0), (65, 0.4)] {
            let table = bake(&program, &Bake::plan(&from, size), "t", &never).unwrap().unwrap();
            let Ok(report) = fidelity::report(&program, &table, &from, &to, probes(), |_| {});
            let seen = report.pictures.unwrap();
            println!(
                "{} on {}, {size}: mean {:.3}, p99 {:.3}, worst {:.2}",
                n.name, p.name, seen.mean, seen.p99, seen.worst
            );
            assert!(seen.p99 < most, "{} on {} at {size}: {}", n.name, p.name, seen.p99);
        }
    }
}

#[test]
fn stocks_are_told_apart_on_the_workbenchs_faces() {
    let from = camera();
    let to = Encoding::find("rec709").unwrap();
    // The chart as published, and as many places of the three puppets' faces (demo/src/scene/workbench.rs): the
    // middles of the faces, where the light is even.
    let bench = probe("workbench.png");
    let (w, h) = (bench.width, bench.pixels.len() / bench.width);
    let faces = [[0.525, 0.60], [0.705, 0.545], [0.885, 0.59]];
    let around = (0..8).map(|i| [(i % 4) as f64 * 0.012 - 0.018, (i / 4) as f64 * 0.03 - 0.015]);
    let places = faces.iter().flat_map(|f| around.clone().map(move |d| [f[0] + d[0], f[1] + d[1]]));
    let mut pixels: Vec<[f32; 4]> =
        places.map(|[x, y]| bench.pixels[(y * h as f64) as usize * w + (x * w as f64) as usize]).collect();
    let linear = Encoding::find("acescg").unwrap();
    let mut chart: Vec<[f32; 4]> =
        patches_ap1().iter().map(|p| [p[0] as f32, p[1] as f32, p[2] as f32, 1.0]).collect();
    Program::compile(&Path::default(), &linear, &from).unwrap().run(&mut chart);
    pixels.extend(chart);
    let lab = LabOf::new(&BT709);
    let seen = |path: &Path| -> Vec<[f64; 3]> {
        let mut p = pixels.clone();
        Program::compile(path, &from, &to).unwrap().run_parallel(&mut p);
        p.iter().map(|c| lab.lab([0, 1, 2].map(|i| f64::from(c[i]).powf(2.4)))).collect()
    };
    let neutral = &prints()[0];
    let all: Vec<_> = negatives().iter().map(|n| (&n.name, seen(&film(n, neutral)))).collect();
    let printed: Vec<_> = prints().iter().map(|p| (&p.name, seen(&film(&negatives()[0], p)))).collect();
    for set in [all, printed] {
        for (i, (a, x)) in set.iter().enumerate() {
            for (b, y) in &set[i + 1..] {
                let mean = x.iter().zip(y).map(|(p, q)| ciede2000(*p, *q)).sum::<f64>() / x.len() as f64;
                println!("{a} and {b}: {mean:.2}");
                assert!(mean >= 4.0, "{a} and {b}: {mean}");
            }
        }
    }
}

/// Runs `render` on a picture with a look of grain; gives the picture and what was said.
fn rendered(folder: &std::path::Path, name: &str, more: &[&str]) -> (Vec<u8>, String) {
    let mut path = film(&negatives()[0], &prints()[0]);
    path.steps.insert(1, Step::new("The grain", Zone::Film, Values::Grain(Grain::default())));
    let look = Look { path, ..Look::new("Grained") };
    std::fs::write(folder.join("look.json"), look.to_json()).unwrap();
    let data = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data");
    let input = folder.join(name);
    std::fs::copy(data.join("foggy-mole-002.png"), &input).unwrap();
    let out = folder.join(format!("out-{name}"));
    let done = std::process::Command::new(env!("CARGO_BIN_EXE_dusky-lantern"))
        .args(["render", "--overwrite", "--from", "rec709", "--to", "rec709", "--look"])
        .arg(folder.join("look.json"))
        .args(more)
        .arg(&input)
        .arg("-o")
        .arg(&out)
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(done.status.success(), "{said}");
    (std::fs::read(out).unwrap(), said)
}

#[test]
fn render_puts_grain_on_by_the_frames_number_and_leaves_it_out_where_told() {
    let folder = tempfile::tempdir().unwrap();
    let (first, said) = rendered(folder.path(), "fog.0007.png", &[]);
    assert!(!said.contains("grain"), "{said}");
    let (again, _) = rendered(folder.path(), "fog.0007.png", &[]);
    assert_eq!(first, again, "the same frame has the same grain");
    let (next, _) = rendered(folder.path(), "fog.0008.png", &[]);
    assert_ne!(first, next, "the next has another");
    let (bare, said) = rendered(folder.path(), "fog.0007.png", &["--colour-only"]);
    assert!(said.contains("“The grain” is not in it: picture only"), "{said}");
    let (same, _) = rendered(folder.path(), "fog.0008.png", &["--colour-only"]);
    assert_eq!(bare, same, "without texture a frame's number does nothing");
}

#[test]
fn a_table_of_a_film_lists_the_texture_that_it_leaves_out() {
    let mut path = film(&negatives()[0], &prints()[0]);
    path.steps.insert(1, Step::new("The grain", Zone::Film, Values::Grain(Grain::default())));
    path.check().unwrap();
    let program = Program::compile(&path, &camera(), &Encoding::find("rec709").unwrap()).unwrap();
    assert_eq!(program.left_out.len(), 1);
    assert!(program.left_out[0].step == "The grain" && program.left_out[0].why.contains("picture only"));
    let graph = Graph::compile(&path, &camera(), &Encoding::find("rec709").unwrap()).unwrap();
    assert!(graph.has_texture() && graph.last.left_out.is_empty());
}
