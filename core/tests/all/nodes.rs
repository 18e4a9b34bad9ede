//! Steps with a radius anywhere in a path: in any zone, in regions, in groups that count in part. No kind of step stands so
//! today; the graph is held against the same thing done by hand.

#![allow(clippy::unwrap_used)]

use lantern_core::bake::Bake;
use lantern_core::colour::{Encoding, chart::patches_ap1};
use lantern_core::graph::{Graph, Node, Program, Target};
use lantern_core::look::{Group, Path, Step};
use lantern_core::region::{ColourRange, Region};
use lantern_core::step::{Balance, Bloom, Negative, Print, Saturation, Values, Zone};
use lantern_core::texture::buffer::BufferPool;
use lantern_core::texture::chain::Window;
use lantern_core::texture::{FrameGeometry, Texture};
use std::sync::atomic::AtomicBool;

static NEVER: AtomicBool = AtomicBool::new(false);
const SIZE: [usize; 2] = [90, 60];

fn geometry() -> FrameGeometry {
    FrameGeometry::whole(SIZE[0], SIZE[1], 24.9, 3)
}

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

fn run(program: &Program, pixels: &[[f32; 4]]) -> Vec<[f32; 4]> {
    let mut pixels = pixels.to_vec();
    program.run_parallel(&mut pixels);
    pixels
}

fn between(from: &str, to: &str, path: &Path) -> Program {
    Program::compile(path, &encoding(from), &encoding(to)).unwrap()
}

/// The chart's patches side by side, with a lamp, in ACEScct.
fn picture() -> Vec<[f32; 4]> {
    let [w, h] = SIZE;
    let chart = patches_ap1().map(|p| p.map(|v| v as f32));
    let at = |i: usize| {
        let (x, y) = (i % w, i / w);
        let lamp = x.abs_diff(w / 2) < 3 && y.abs_diff(h / 2) < 3;
        let [r, g, b] = if lamp { [30.0, 22.0, 12.0] } else { chart[x * 6 / w + 6 * (y * 4 / h)] };
        [r, g, b, 1.0]
    };
    let light: Vec<_> = (0..w * h).map(at).collect();
    run(&between("acescg", "acescct", &Path::default()), &light)
}

/// What has some colour.
fn colourful() -> Region {
    let colours = ColourRange { saturation_low: 0.2, saturation_softness: 0.2, ..Default::default() };
    Region { colours }
}

fn bloom(zone: Zone) -> Step {
    Step::new("bloom", zone, Values::Bloom(Bloom { amount: 0.3, ..Default::default() }))
}

fn balance(id: &str, zone: Zone, exposure: f64) -> Step {
    Step::new(id, zone, Values::Balance(Balance { exposure, ..Default::default() }))
}

/// A group of an exposure, bloom and another exposure, of this strength, on what has colour.
fn grouped(zone: Zone, strength: f64) -> Path {
    let mut steps = vec![balance("up", zone, 0.5), bloom(zone), balance("down", zone, -0.3)];
    steps.iter_mut().for_each(|s| s.group = Some("g".into()));
    let mut path = Path::of(steps);
    path.groups = vec![Group {
        id: "g".into(),
        name: "g".into(),
        on: true,
        strength,
        region: Some(colourful()),
        matched: None,
    }];
    path
}

fn made(path: &Path, to: &str) -> (Graph, Vec<[f32; 4]>) {
    let graph = Graph::compile(path, &encoding("acescct"), &encoding(to)).unwrap();
    let mut pixels = picture();
    graph.run(&mut pixels, &geometry(), &NEVER).unwrap();
    (graph, pixels)
}

/// The largest difference, as a share where values are above 1.
fn most(a: &[[f32; 4]], b: &[[f32; 4]]) -> f32 {
    let off = |(a, b): (&f32, &f32)| (a - b).abs() / b.abs().max(1.0);
    a.as_flattened().iter().zip(b.as_flattened()).map(off).fold(0.0, f32::max)
}

fn textured(step: &Step, pixels: &[[f32; 4]]) -> Vec<[f32; 4]> {
    let mut pixels = pixels.to_vec();
    let film = lantern_core::film::Chain::new(None, None);
    let texture: Texture = step.values.texture(step.strength, &film).unwrap();
    texture.run(&mut pixels, &geometry());
    pixels
}

/// a + matte * strength * (b - a), pixel by pixel.
fn blended(a: &[[f32; 4]], b: &[[f32; 4]], matte: &[[f32; 4]], strength: f32) -> Vec<[f32; 4]> {
    let mix = |((a, b), m): ((&[f32; 4], &[f32; 4]), &[f32; 4])| {
        [0, 1, 2, 3].map(|c| if c < 3 { a[c] + m[c] * strength * (b[c] - a[c]) } else { a[c] })
    };
    a.iter().zip(b).zip(matte).map(mix).collect()
}

#[test]
fn a_step_with_a_radius_works_on_what_its_region_holds() {
    let mut step = bloom(Zone::Scene);
    step.region = Some(colourful());
    let path = Path::of(vec![step.clone()]);
    let (graph, got) = made(&path, "acescg");
    let kinds = |wanted: fn(&Node) -> bool| graph.nodes.iter().filter(|n| wanted(n)).count();
    assert_eq!(kinds(|n| matches!(n, Node::Keep(_))), 1);
    assert_eq!(kinds(|n| matches!(n, Node::Matte { .. })), 1);
    assert_eq!(kinds(|n| matches!(n, Node::Mix(..))), 1);

    let light = run(&between("acescct", "acescg", &Path::default()), &picture());
    let matte = Program::matte(&path, "bloom", &encoding("acescct"), &encoding("rec709")).unwrap();
    let want = blended(&light, &textured(&step, &light), &run(&matte, &picture()), 1.0);
    assert!(most(&got, &want) < 1e-5, "{}", most(&got, &want));
    assert!(most(&got, &light) > 0.01, "it does something");
}

#[test]
fn a_group_with_one_counts_in_part_as_other_groups_do() {
    let path = grouped(Zone::Scene, 0.6);
    let (_, got) = made(&path, "acescg");
    let light = run(&between("acescct", "acescg", &Path::default()), &picture());
    let alone = |step: &Step, pixels: &[[f32; 4]]| {
        let mut step = step.clone();
        step.group = None;
        run(&between("acescg", "acescg", &Path::of(vec![step])), pixels)
    };
    let up = alone(&path.steps[0], &light);
    let done = alone(&path.steps[2], &textured(&path.steps[1], &up));
    let code = between("acescg", "acescct", &Path::default());
    let matte =
        run(&Program::matte(&path, "g", &encoding("acescct"), &encoding("rec709")).unwrap(), &picture());
    let mixed = blended(&run(&code, &light), &run(&code, &done), &matte, 0.6);
    let want = run(&between("acescct", "acescg", &Path::default()), &mixed);
    assert!(most(&got, &want) < 2e-5, "{}", most(&got, &want));
}

#[test]
fn nothing_of_it_is_nothing_and_bloom_of_nothing_is_the_same_group_without_it() {
    for (zone, to) in [(Zone::Scene, "rec709"), (Zone::Screen, "rec709"), (Zone::Screen, "pq")] {
        let (_, none) = made(&grouped(zone, 0.0), to);
        let plain = run(&between("acescct", to, &Path::default()), &picture());
        assert!(most(&none, &plain) < 2e-5, "{zone:?} {to}: {}", most(&none, &plain));

        let mut path = grouped(zone, 0.6);
        if let Values::Bloom(v) = &mut path.steps[1].values {
            v.amount = 0.0;
        }
        let (_, still) = made(&path, to);
        path.steps.remove(1);
        let without = run(&between("acescct", to, &path), &picture());
        assert!(most(&still, &without) < 1e-4, "{zone:?} {to}: {}", most(&still, &without));
    }
}

#[test]
fn with_film_and_its_texture_around_it_any_number_of_threads_gives_the_same_bits() {
    let mut path = grouped(Zone::Scene, 0.6);
    let film = [
        Values::Bloom(Bloom::default()),
        Values::Halation(Default::default()),
        Values::Negative(Negative::default()),
        Values::Grain(Default::default()),
        Values::Print(Print { tone: 0.7, ..Default::default() }),
        Values::GateWeave(Default::default()),
    ];
    path.steps.extend(film.into_iter().enumerate().map(|(i, v)| Step::new(&format!("f{i}"), Zone::Film, v)));
    let mut screen = grouped(Zone::Screen, 0.5);
    screen.groups[0].id = "s".into();
    screen.steps.iter_mut().for_each(|s| (s.group, s.id) = (Some("s".into()), format!("{} too", s.id)));
    path.steps.append(&mut screen.steps);
    path.groups.append(&mut screen.groups);

    let graph = Graph::compile(&path, &encoding("acescct"), &encoding("rec709")).unwrap();
    let tables = graph.tables(&Bake::quick(&encoding("acescct"), 33), None).unwrap();
    let source = picture();
    let through = |threads: usize, tables| {
        let threads = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        let (mut pool, mut out) = (BufferPool::default(), source.clone());
        let mut buffers = Vec::new();
        for _ in 0..3 {
            let window = Window { pixels: &source, width: SIZE[0], at: [0, 0] };
            let over = Target::over(SIZE, &mut out);
            threads.install(|| graph.render(tables, &window, &geometry(), &mut pool, &NEVER, over)).unwrap();
            buffers.push(pool.kept());
        }
        assert!(buffers[1] == buffers[2], "every buffer is given back: {buffers:?}");
        let window = Window { pixels: &source, width: SIZE[0], at: [0, 0] };
        let (mut gone, stopped) = (out.clone(), AtomicBool::new(true));
        let over = Target::over(SIZE, &mut gone);
        threads.install(|| {
            assert!(graph.render(tables, &window, &geometry(), &mut pool, &stopped, over).is_none())
        });
        assert_eq!(pool.kept(), buffers[2], "also of work that is stopped");
        out
    };
    let exact = through(1, None);
    for threads in [2, 3, 7] {
        assert!(through(threads, None) == exact, "{threads} threads");
    }
    let quick = through(2, Some(&tables));
    let off =
        |a: &[f32; 4], b: &[f32; 4]| [0, 1, 2].map(|c| (a[c] - b[c]).abs()).into_iter().sum::<f32>() / 3.0;
    let mean = exact.iter().zip(&quick).map(|(a, b)| off(a, b)).sum::<f32>() / exact.len() as f32;
    assert!(mean < 0.01, "through tables: {mean}");
}

#[test]
fn a_table_leaves_it_out_and_says_why_and_what_else_there_is_is_in() {
    let mut path = grouped(Zone::Scene, 1.0);
    path.steps.push(Step::new("s", Zone::Scene, Values::Saturation(Saturation::default())));
    let program = between("acescct", "rec709", &path);
    let [left] = &program.left_out[..] else { panic!("{:?}", program.left_out) };
    assert_eq!(left.step, path.steps[1].name);
    assert!(left.why.contains("light goes from each pixel to its neighbours"), "{}", left.why);
    let (mut without, picture) = (path.clone(), picture());
    without.steps.remove(1);
    assert_eq!(run(&program, &picture), run(&between("acescct", "rec709", &without), &picture));
    // Alone it leaves every bit.
    let alone = between("rec709", "rec709", &Path::of(vec![bloom(Zone::Screen)]));
    assert_eq!(run(&alone, &picture), picture);
}
