//! Programs in parts with texture between them, and films taken on in part: what has to be the same both ways.

#![allow(clippy::unwrap_used)]

use lantern_core::bake::Bake;
use lantern_core::colour::difference::{LabOf, ciede2000};
use lantern_core::colour::{Encoding, chart::patches_ap1, primaries::BT709};
use lantern_core::film::stock::{negatives, prints};
use lantern_core::graph::{Graph, Program, Target};
use lantern_core::look::{Path, Step};
use lantern_core::step::{
    Balance, Bloom, Flicker, GateWeave, Grain, Halation, Negative, PlainRendering, Print, Softness, Values,
    Vignette, Zone,
};
use lantern_core::texture::FrameGeometry;
use lantern_core::texture::buffer::BufferPool;
use lantern_core::texture::chain::Window;
use std::sync::atomic::AtomicBool;

static NEVER: AtomicBool = AtomicBool::new(false);

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

fn film_step(id: &str, values: Values) -> Step {
    Step::new(id, Zone::Film, values)
}

fn negative() -> Step {
    film_step("negative", Values::Negative(Negative::default()))
}

fn print(change: impl Fn(&mut Print)) -> Step {
    let mut p = Print::default();
    change(&mut p);
    film_step("print", Values::Print(p))
}

fn program(steps: Vec<Step>) -> Program {
    Program::compile(&Path::of(steps), &encoding("acescct"), &encoding("rec709")).unwrap()
}

fn graph(steps: Vec<Step>) -> Graph {
    let path = Path::of(steps);
    path.check().unwrap();
    Graph::compile(&path, &encoding("acescct"), &encoding("rec709")).unwrap()
}

/// A picture of the chart's patches in ACEScct, each a field of its own, with a lamp in the middle.
fn picture(w: usize, h: usize) -> Vec<[f32; 4]> {
    let to_log = Program::compile(&Path::default(), &encoding("acescg"), &encoding("acescct")).unwrap();
    let chart = patches_ap1().map(|p| to_log.on_colour(p.map(|v| v as f32)));
    let lamp = to_log.on_colour([30.0, 22.0, 12.0]);
    let at = |i: usize| {
        let (x, y) = (i % w, i / w);
        if x.abs_diff(w / 2) < 3 && y.abs_diff(h / 2) < 3 {
            return lamp;
        }
        chart[x * 6 / w + 6 * (y * 4 / h)]
    };
    (0..w * h).map(at).map(|[r, g, b]| [r, g, b, 1.0]).collect()
}

fn differences(a: &[[f32; 4]], b: &[[f32; 4]]) -> Vec<f64> {
    let lab = LabOf::new(&BT709);
    let light = |p: &[f32; 4]| lab.lab([0, 1, 2].map(|c| f64::from(p[c]).max(0.0).powf(2.4)));
    a.iter().zip(b).map(|(a, b)| ciede2000(light(a), light(b))).collect()
}

fn mean(values: &[f64]) -> f64 {
    values.iter().sum::<f64>() / values.len() as f64
}

/// Every texture, at nothing: the steps are there, but give and take no light.
fn idle() -> Vec<Step> {
    let [a, b, c] = [
        ("bloom", Values::Bloom(Bloom { amount: 0.0, ..Default::default() })),
        ("vignette", Values::Vignette(Vignette { stops: 0.0, ..Default::default() })),
        ("halation", Values::Halation(Halation { amount: 0.0, ..Default::default() })),
    ]
    .map(|(id, v)| film_step(id, v));
    let [d, e] = [
        ("softness", Values::Softness(Softness { amount: 0.0, edges: 0.0 })),
        ("grain", Values::Grain(Grain { amount: 0.0, ..Default::default() })),
    ]
    .map(|(id, v)| film_step(id, v));
    let [f, g] = [
        ("flicker", Values::Flicker(Flicker { amount: 0.0, ..Default::default() })),
        ("weave", Values::GateWeave(GateWeave { across: 0.0, down: 0.0, ..Default::default() })),
    ]
    .map(|(id, v)| film_step(id, v));
    vec![a, b, c, d, e, f, g]
}

/// Texture around the steps that render, in the order of light.
fn with(mut texture: Vec<Step>, rendering: Vec<Step>) -> Vec<Step> {
    let kinds: Vec<&str> = lantern_core::step::KINDS.iter().map(|k| k.kind).collect();
    texture.extend(rendering);
    texture.sort_by_key(|s| kinds.iter().position(|k| *k == s.values.info().kind));
    texture
}

#[test]
fn texture_of_nothing_leaves_the_picture_that_the_program_makes() {
    let (w, h) = (96, 64);
    let source = picture(w, h);
    let geometry = FrameGeometry::whole(w, h, 24.9, 3);
    let plain = film_step("plain", Values::PlainRendering(PlainRendering::default()));
    for rendering in [
        vec![plain],
        vec![negative(), print(|_| {})],
        vec![negative(), print(|p| (p.tone, p.colour) = (0.6, 0.8))],
    ] {
        let mut want = source.clone();
        program(rendering.clone()).run_parallel(&mut want);
        let mut got = source.clone();
        let graph = graph(with(idle(), rendering));
        assert!(graph.has_texture());
        graph.run(&mut got, &geometry, &NEVER).unwrap();
        let most = differences(&want, &got).into_iter().fold(0.0, f64::max);
        // The straight film's logarithm and back, and sums in another order.
        assert!(most < 0.05, "{most}");
        assert!(got.iter().all(|p| p[3] == 1.0), "alpha stays");
    }
}

#[test]
fn through_tables_a_textured_picture_is_nearly_the_exact_one_and_tables_that_are_kept_are_right() {
    let (w, h) = (96, 64);
    let source = picture(w, h);
    let geometry = FrameGeometry::whole(w, h, 24.9, 3);
    let texture = || {
        vec![
            film_step("bloom", Values::Bloom(Bloom::default())),
            film_step("halation", Values::Halation(Halation::default())),
            film_step("softness", Values::Softness(Softness::default())),
            film_step("grain", Values::Grain(Grain::default())),
        ]
    };
    let plan = Bake::quick(&encoding("acescct"), 33);
    let mut before = None;
    // From one to the next, the negative stays, the print changes; then the exposure changes too.
    for (points, exposure) in [(25.0, 0.0), (29.0, 0.0), (29.0, 1.0)] {
        let mut steps = with(texture(), vec![negative(), print(|p| p.red = points)]);
        let balance = Values::Balance(Balance { exposure, ..Default::default() });
        steps.insert(0, Step::new("balance", Zone::Scene, balance));
        let graph = graph(steps);
        let tables = graph.tables(&plan, before.as_ref().map(|(s, t)| (s, t))).unwrap();
        let mut exact = source.clone();
        graph.run(&mut exact, &geometry, &NEVER).unwrap();
        let mut quick = source.clone();
        let window = Window { pixels: &source, width: w, at: [0, 0] };
        let made =
            graph.textured(Some(&tables), &window, &geometry, &mut BufferPool::default(), &NEVER).unwrap();
        graph.finish(Some(&tables), &made, Target::over([w, h], &mut quick));
        let off = mean(&differences(&exact, &quick));
        // Dragging quality: a just noticeable difference is about 1 (common practice).
        assert!(off < 1.0, "{points} {exposure}: {off}");
        before = Some((graph, tables));
    }
}

#[test]
fn work_that_is_stopped_gives_nothing() {
    let graph = graph(with(vec![film_step("grain", Values::Grain(Grain::default()))], vec![negative()]));
    let mut pixels = picture(32, 24);
    assert!(graph.run(&mut pixels, &FrameGeometry::whole(32, 24, 24.9, 0), &AtomicBool::new(true)).is_none());
}

#[test]
fn a_print_without_tone_and_colour_is_the_plain_rendering_and_neutrals_are_neutral_without_colour() {
    let none = program(vec![negative(), print(|p| (p.tone, p.colour) = (0.0, 0.0))]);
    let plain = program(Vec::new());
    let no_colour = program(vec![
        negative(),
        print(|p| {
            p.stock = prints()[1].clone();
            p.colour = 0.0;
        }),
    ]);
    for p in picture(24, 16) {
        let rgb = [p[0], p[1], p[2]];
        let (a, b) = (none.on_colour(rgb), plain.on_colour(rgb));
        // Film's way to the display pulls in a little what comes near its faces.
        let [a, b] = [a, b].map(|c| [c[0], c[1], c[2], 1.0]);
        assert!(differences(&[a], &[b])[0] < 2.5, "{rgb:?}: {a:?} {b:?}");
    }
    for i in 0..40 {
        let v = 0.1 + i as f32 * 0.02;
        let [r, g, b] = no_colour.on_colour([v; 3]);
        assert!((r - g).abs() < 1e-4 && (b - g).abs() < 1e-4, "{v}: {r} {g} {b}");
    }
}

#[test]
fn strengths_have_no_jump_at_their_ends() {
    let strong = |step: Step, strength: f64| Step { strength, ..step };
    let lamplighter = || {
        film_step(
            "negative",
            Values::Negative(Negative { stock: negatives()[2].clone(), ..Default::default() }),
        )
    };
    // A negative at nothing is none: the light goes onto the straight one.
    let at_nothing = program(vec![strong(lamplighter(), 0.0), print(|_| {})]);
    let without = program(vec![print(|_| {})]);
    let nearly = program(vec![strong(lamplighter(), 1e-4), print(|_| {})]);
    // A print at nothing leaves the plain rendering.
    let print_nothing = program(vec![lamplighter(), strong(print(|_| {}), 0.0)]);
    let print_nearly = program(vec![lamplighter(), strong(print(|_| {}), 1e-4)]);
    for p in picture(24, 16) {
        let rgb = [p[0], p[1], p[2]];
        for (a, b) in [(&at_nothing, &without), (&at_nothing, &nearly), (&print_nothing, &print_nearly)] {
            for (x, y) in a.on_colour(rgb).iter().zip(b.on_colour(rgb)) {
                assert!((x - y).abs() < 2e-3, "{rgb:?}: {:?} {:?}", a.on_colour(rgb), b.on_colour(rgb));
            }
        }
    }
}

#[test]
fn grain_counts_in_full_where_a_film_is_taken_on_in_part() {
    let (w, h) = (128, 96);
    let grey = vec![[0.413_588_4, 0.413_588_4, 0.413_588_4, 1.0]; w * h];
    let geometry = FrameGeometry::whole(w, h, 24.9, 5);
    let deviation = |tone: f64| {
        let grain = film_step("grain", Values::Grain(Grain { colour: 0.0, ..Default::default() }));
        let rendering = vec![negative(), print(|p| (p.tone, p.colour) = (tone, tone))];
        let mut pixels = grey.clone();
        graph(with(vec![grain], rendering)).run(&mut pixels, &geometry, &NEVER).unwrap();
        // In the logarithm of light, where grain is put on.
        let logs: Vec<f64> = pixels.iter().map(|p| f64::from(p[1]).powf(2.4).log10()).collect();
        let m = mean(&logs);
        mean(&logs.iter().map(|v| (v - m).powi(2)).collect::<Vec<_>>()).sqrt()
    };
    let (whole, part) = (deviation(1.0), deviation(0.5));
    // Selwyn: the stock's rms through 48 micrometres (42.5 a side), over pixels of 194.5, printed with its print's slope.
    let (rms, slope) = (negatives()[0].grain[1].rms, prints()[0].layers[1].gamma);
    let want = rms / 1000.0 * 42.5 / 194.5 * slope;
    assert!((whole / want - 1.0).abs() < 0.15, "{whole} for {want}");
    assert!((part / whole - 1.0).abs() < 0.1, "{whole} {part}");
}

#[test]
fn a_scene_referred_picture_has_what_the_lens_does_and_lists_what_the_film_would() {
    let texture = vec![
        film_step("The vignette", Values::Vignette(Vignette::default())),
        film_step("The grain", Values::Grain(Grain::default())),
    ];
    let path = Path::of(with(texture, vec![negative(), print(|_| {})]));
    let graph = Graph::compile(&path, &encoding("acescct"), &encoding("acescct")).unwrap();
    let said: Vec<&str> = graph.last.left_out.iter().map(|l| l.step.as_str()).collect();
    assert!(said.contains(&"negative") && said.contains(&"print") && said.contains(&"The grain"), "{said:?}");
    assert!(!said.contains(&"The vignette"));
    let (w, h) = (64, 36);
    let mut pixels = vec![[0.413_588_4, 0.413_588_4, 0.413_588_4, 1.0]; w * h];
    graph.run(&mut pixels, &FrameGeometry::whole(w, h, 24.9, 0), &NEVER).unwrap();
    // S-2016-001: 17.52 stops are one unit of code.
    let stops = |p: [f32; 4]| (p[1] - 0.413_588_4) * 17.52;
    assert!(stops(pixels[0]) < -0.6 && stops(pixels[h / 2 * w + w / 2]).abs() < 0.02);
}

#[test]
fn a_display_referred_picture_goes_through_a_film_too() {
    let path = Path::of(vec![negative(), print(|_| {})]);
    let program = Program::compile(&path, &encoding("srgb"), &encoding("srgb")).unwrap();
    let mut last = -1.0;
    for i in 0..=32 {
        let v = i as f32 / 32.0;
        let [r, g, b] = program.on_colour([v; 3]);
        assert!(g >= last && (r - g).abs() < 0.01 && (b - g).abs() < 0.01, "{v}: {r} {g} {b}");
        last = g;
    }
    assert!(last > 0.9, "display white comes out light: {last}");
}
