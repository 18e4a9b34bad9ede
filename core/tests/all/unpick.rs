//! Tables made by other mathematics than the steps', taken apart.

#![allow(clippy::unwrap_used)]

use crate::common;

use common::tables::{self, Hidden};
use lantern_core::colour::Encoding;
use lantern_core::graph::Program;
use lantern_core::look::{Look, Path};
use lantern_core::matching::unpick::{Distance, Unpick, UnpickError, Unpicked, unpick};
use lantern_core::step::TableEncoding;
use lantern_core::table::{Domain, Table, Table1, Table3};
use std::sync::atomic::AtomicBool;

static GO_ON: AtomicBool = AtomicBool::new(false);

fn apart(hidden: &Hidden, remainder: bool) -> Unpicked {
    let way = hidden.way();
    let asked = Unpick { table: &hidden.table, name: hidden.name, way: &way, remainder };
    unpick(&asked, &|_| {}, &GO_ON).unwrap().unwrap()
}

/// Largest differences of a look from its table: at the table's points, and between them.
fn off(hidden: &Hidden, look: &Look) -> [f32; 2] {
    let [from, to] = hidden.way().map(|e| e.encoding().unwrap());
    let program = Program::compile(&look.path, &from, &to).unwrap();
    let worst = |inputs: Vec<[f32; 4]>| {
        let (mut a, mut b) = (inputs.clone(), inputs);
        program.run_parallel(&mut a);
        hidden.table.apply_parallel(&mut b);
        let pairs = a.iter().flatten().zip(b.iter().flatten());
        pairs.map(|(a, b)| (a - b).abs()).fold(0.0, f32::max)
    };
    let mut random = tables::Random(7);
    let between = (0..20_000).map(|_| [random.next(), random.next(), random.next(), 1.0]).collect();
    [worst(lantern_core::graph::remainder::inputs(&hidden.table)), worst(between)]
}

/// Bars: median of the means 0.8, each 2.0; with the remainder 1e-6 at the points and 1e-5 between.
#[test]
fn twenty_tables_come_apart_and_are_exact_with_what_is_left_of_them() {
    let mut means = Vec::new();
    // Every other one; the bench has all.
    for hidden in tables::all(17).into_iter().step_by(2) {
        let found = apart(&hidden, true);
        let Distance { mean, p95, neutrals, natural, .. } = found.distance;
        println!("{:<18} {mean:.2}, p95 {p95:.2}, neutrals {neutrals:.2}, natural {natural:.2}", hidden.name);
        assert!(mean <= 2.0 && neutrals <= 0.85 && natural <= 2.0, "{}: {:?}", hidden.name, found.distance);
        let [at, between] = off(&hidden, &found.look);
        assert!(at <= 1e-6 && between <= 1e-5, "{}: {at} {between}", hidden.name);
        means.push(mean);
        // It is an ordinary look: it is saved, opened and changed like any.
        let again = Look::from_json(&found.look.to_json()).unwrap();
        assert!(off(&hidden, &again)[1] <= 1e-5, "{}", hidden.name);
        let plain = rest_off(&again);
        let says = off(&hidden, &plain)[1];
        assert!(says > 1e-3, "{}: without its remainder it is steps alone", hidden.name);
    }
    means.sort_by(f64::total_cmp);
    assert!(means[means.len() / 2] <= 0.8, "{means:?}");
}

/// A look with its remainder switched off.
fn rest_off(look: &Look) -> Look {
    let mut look = look.clone();
    let rest = look.path.steps.iter_mut().find(|s| s.name == "Remainder").unwrap();
    rest.on = false;
    look
}

fn named(name: &str) -> Hidden {
    tables::all(17).into_iter().find(|t| t.name == name).unwrap()
}

#[test]
fn the_distance_that_is_said_is_that_of_the_steps() {
    let hidden = named("faded");
    let found = apart(&hidden, false);
    assert!(found.look.tables.is_empty());
    let [from, to] = hidden.way().map(|e| e.encoding().unwrap());
    let program = Program::compile(&found.look.path, &from, &to).unwrap();
    let light = lantern_core::colour::difference::LabOf::new(&to.primaries);
    let lab = |p: &[f32; 4]| light.lab([p[0], p[1], p[2]].map(|v| f64::from(v).max(0.0).powf(2.4)));
    let mut random = tables::Random(3);
    let mut a: Vec<[f32; 4]> =
        (0..4000).map(|_| [random.next(), random.next(), random.next(), 1.0]).collect();
    let mut b = a.clone();
    program.run(&mut a);
    hidden.table.apply(&mut b);
    let off = a.iter().zip(&b).map(|(a, b)| lantern_core::colour::difference::ciede2000(lab(a), lab(b)));
    let mean = off.sum::<f64>() / 4000.0;
    assert!((mean - found.distance.mean).abs() < 0.1, "{mean} {:?}", found.distance);
}

#[test]
fn a_changed_step_moves_the_whole_as_it_moves_the_steps() {
    let hidden = named("old print");
    let found = apart(&hidden, true);
    let [from, to] = hidden.way().map(|e| e.encoding().unwrap());
    let at = |look: &Look, c: [f32; 3]| Program::compile(&look.path, &from, &to).unwrap().on_colour(c);
    let mut changed = found.look.clone();
    changed.path.steps.iter_mut().find(|s| s.name == "Curves").unwrap().strength = 0.8;
    // At a point of the table, the change is that of the steps alone.
    let node = [0.5, 0.25, 0.75];
    let moved = [0, 1, 2].map(|c| at(&changed, node)[c] - at(&found.look, node)[c]);
    let alone = [0, 1, 2].map(|c| at(&rest_off(&changed), node)[c] - at(&rest_off(&found.look), node)[c]);
    for (m, a) in moved.iter().zip(alone) {
        assert!((m - a).abs() < 2e-4, "{moved:?} {alone:?}");
    }
    assert!(moved.iter().any(|m| m.abs() > 2e-3), "{moved:?}");
    // Half of the group is half of the way from the picture as it came.
    let mut half = found.look.clone();
    half.path.groups[0].strength = 0.5;
    let (whole, came) = (at(&found.look, node), node);
    let mixed = at(&half, node);
    assert!(mixed[0] > whole[0].min(came[0]) && mixed[0] < whole[0].max(came[0]), "{mixed:?} {whole:?}");
}

#[test]
fn a_trim_lies_beneath_a_whole_that_spans_the_film() {
    use lantern_core::look::Step;
    use lantern_core::step::{Balance, Values};
    let hidden = named("log to screen");
    let found = apart(&hidden, true);
    let [from, to] = hidden.way().map(|e| e.encoding().unwrap());
    let balance = Balance { exposure: 1.0, ..Default::default() };
    let step = Step::new("b", lantern_core::colour::Zone::Scene, Values::Balance(balance));
    let trimmed = found.look.path.over(&Path::of(vec![step]));
    let program = Program::compile(&trimmed, &from, &to).unwrap();
    // One stop up is 1/17.52 of ACEScct's code.
    for code in [0.3_f32, 0.42, 0.5] {
        let mut brighter = [[code + 1.0 / 17.52; 4]];
        hidden.table.apply(&mut brighter);
        let out = program.on_colour([code; 3]);
        assert!(out.iter().zip(brighter[0]).all(|(a, b)| (a - b).abs() < 1e-4), "{out:?} {brighter:?}");
    }
    // Delivered elsewhere, it is the same light.
    let p3 = Encoding::find("display-p3").unwrap();
    let there = Program::compile(&found.look.path, &from, &p3).unwrap().on_colour([0.5, 0.4, 0.35]);
    let here = Program::compile(&found.look.path, &from, &to).unwrap().on_colour([0.5, 0.4, 0.35]);
    let across = Program::compile(&Path::default(), &to, &p3).unwrap().on_colour(here);
    assert!(there.iter().zip(across).all(|(a, b)| (a - b).abs() < 3e-3), "{there:?} {across:?}");
}

#[test]
fn tables_of_other_makes_are_exact_too() {
    let shaped = {
        // A 1D part that bends before a 3D part with a domain of its own.
        let part =
            Table1::new(Domain::UNIT, (0..9).map(|i| [(i as f32 / 8.0).sqrt() * 0.9; 3]).collect()).unwrap();
        let hidden = named("split tones");
        let nodes: Vec<[f32; 3]> =
            hidden.table.cube().unwrap().nodes().iter().map(|n| [n[0], n[1], n[2]]).collect();
        let domain = Domain { min: [-0.05; 3], max: [0.95; 3] };
        let cube = Table3::new(17, domain, &nodes).unwrap();
        Hidden { table: Table::new("both".into(), Some(part), Some(cube)).unwrap(), ..hidden }
    };
    for hidden in [tables::channels(65), shaped] {
        let found = apart(&hidden, true);
        let [at, between] = off(&hidden, &found.look);
        assert!(at <= 1e-6 && between <= 1e-5, "{}: {at} {between}", hidden.name);
    }
    // Each channel by itself is curves and nothing else.
    let found = apart(&tables::channels(65), false);
    let kinds = found.look.path.steps.iter().filter(|s| s.group.is_some()).map(|s| s.name.as_str());
    assert_eq!(kinds.collect::<Vec<_>>(), ["To its channels", "Curves", "Back from its channels"]);
    assert!(found.distance.mean < 0.3, "{:?}", found.distance);
}

#[test]
fn what_has_no_look_in_it_is_refused_in_a_sentence() {
    let refused = |table: &Table, way: [&str; 2]| {
        let way = way.map(|id| TableEncoding::Shipped(id.into()));
        let asked = Unpick { table, name: "t", way: &way, remainder: true };
        unpick(&asked, &|_| {}, &GO_ON).map(|_| ()).unwrap_err()
    };
    let fine = named("faded").table;
    assert!(matches!(refused(&fine, ["rec709", "acescct"]), UnpickError::Technical { .. }));
    assert_eq!(refused(&tables::of(2, |c| c), ["rec709", "rec709"]), UnpickError::TooSmall(2));
    assert_eq!(refused(&tables::of(17, |_| [0.5, 0.4, 0.3]), ["rec709", "rec709"]), UnpickError::OneColour);
    assert_eq!(refused(&fine, ["rec709", "nothing"]), UnpickError::Encoding);
    let asked = Unpick { table: &fine, name: "t", way: &named("faded").way(), remainder: true };
    assert!(unpick(&asked, &|_| {}, &AtomicBool::new(true)).unwrap().is_none(), "stopped");
}

#[test]
fn the_same_table_comes_apart_the_same_on_any_number_of_threads() {
    let hidden = named("faded");
    let threads = |n| rayon::ThreadPoolBuilder::new().num_threads(n).build().unwrap();
    let one = threads(1).install(|| apart(&hidden, true).look.to_json());
    assert!(one == threads(3).install(|| apart(&hidden, true).look.to_json()));
}

#[test]
fn half_of_a_whole_that_spans_the_film_and_one_with_texture_between() {
    use lantern_core::colour::Zone;
    use lantern_core::graph::Graph;
    use lantern_core::look::Step;
    use lantern_core::step::Values;
    let hidden = named("log to screen");
    let found = apart(&hidden, true);
    let [from, to] = hidden.way().map(|e| e.encoding().unwrap());
    // At half of the Screen group's strength: half way, on the screen, from what the steps before it give.
    let mut half = found.look.clone();
    let screen = half.path.groups.iter_mut().find(|g| g.id == "unpicked").unwrap();
    screen.strength = 0.5;
    let mut before = found.look.path.clone();
    before.steps.retain(|s| s.zone != Zone::Screen);
    before.groups.retain(|g| g.id != "unpicked");
    let at = |path: &Path, to: &Encoding| Program::compile(path, &from, to).unwrap().on_colour([0.45; 3]);
    let own = Encoding::screen(100.0);
    let [a, b, mixed] = [&before, &found.look.path, &half.path].map(|p| at(p, &own));
    for c in 0..3 {
        assert!((mixed[c] - (a[c] + b[c]) / 2.0).abs() < 1e-4, "{a:?} {b:?} {mixed:?}");
    }
    // Grain lies on the film: the steps are there, the remainder is not, and that is said.
    let mut grainy = found.look.clone();
    let film = grainy.path.steps.iter().position(|s| s.zone == Zone::Film).unwrap();
    grainy.path.steps.insert(film + 1, Step::new("grain", Zone::Film, Values::Grain(Default::default())));
    grainy.path.steps.sort_by_key(|s| s.zone);
    let left = |path: &Path| Graph::compile(path, &from, &to).unwrap().last.left_out;
    assert!(left(&found.look.path).is_empty());
    let said = left(&grainy.path);
    assert!(said.iter().any(|l| l.step == "Remainder" && l.why.contains("texture")), "{said:?}");
    // A table has no texture: there the remainder is.
    let program = Program::compile(&grainy.path, &from, &to).unwrap();
    assert_eq!(program.left_out.iter().filter(|l| l.step == "Remainder").count(), 0);
    assert_eq!(program.on_colour([0.45; 3]), at(&found.look.path, &to));
}

#[test]
#[ignore = "prints how long compiling takes"]
fn speed() {
    for size in [17, 33, 65] {
        let hidden = tables::all(size).into_iter().find(|t| t.name == "old print").unwrap();
        let begun = std::time::Instant::now();
        let found = apart(&hidden, true);
        let unpicked = begun.elapsed().as_secs_f64();
        let [from, to] = hidden.way().map(|e| e.encoding().unwrap());
        let begun = std::time::Instant::now();
        let _ = Program::compile(&found.look.path, &from, &to).unwrap();
        let first = 1e3 * begun.elapsed().as_secs_f64();
        let begun = std::time::Instant::now();
        let _ = Program::compile(&found.look.path, &from, &to).unwrap();
        let again = 1e3 * begun.elapsed().as_secs_f64();
        println!("{size}: unpick {unpicked:.1} s, compile {first:.1} ms, again {again:.2} ms");
    }
}
