//! Looks as a whole: the matte of a range over skin, tables of looks with ranges and groups, quick tables against exact
//! evaluation, and the starting looks.

#![allow(clippy::unwrap_used)]

use lantern_core::bake::{Bake, Reach, bake, fidelity};
use lantern_core::colour::{Encoding, difference::ciede2000};
use lantern_core::graph::Program;
use lantern_core::look::{Group, Path, Step, starting};
use lantern_core::region::{ColourRange, Region};
use lantern_core::step::{Values, Zone};
use lantern_core::table::Table;
use serde_json::json;
use std::sync::atomic::AtomicBool;

/// Painted skin of the four puppets on the workbench, very light to very dark, sRGB as the generator is given them
/// (demo/src/scene/workbench.rs).
const SKIN: [[f32; 3]; 4] = [[0.93, 0.77, 0.68], [0.80, 0.59, 0.45], [0.56, 0.36, 0.24], [0.29, 0.18, 0.125]];

/// Each of them in the light, then in half shade, in linear AP1.
fn skin() -> Vec<[f32; 3]> {
    let to_ap1 = Program::compile(&Path::default(), &encoding("linear-rec709"), &encoding("acescg")).unwrap();
    // IEC 61966-2-1.
    let linear = |v: f32| ((v + 0.055) / 1.055).powf(2.4);
    let lit = SKIN.map(|c| to_ap1.on_colour(c.map(linear)));
    lit.iter().flat_map(|c| [*c, c.map(|v| v * 0.35)]).collect()
}

/// Grey walls, leaves, blue cloth, sky and water: no skin. Linear AP1, chosen by hand.
const OTHERS: [[f32; 3]; 6] = [
    [0.13, 0.135, 0.14],
    [0.04, 0.04, 0.042],
    [0.12, 0.22, 0.06],
    [0.06, 0.09, 0.22],
    [0.35, 0.40, 0.45],
    [0.05, 0.16, 0.20],
];

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

fn log(rgb: [f32; 3]) -> [f32; 4] {
    let to_log = Program::compile(&Path::default(), &encoding("acescg"), &encoding("acescct")).unwrap();
    let [r, g, b] = to_log.on_colour(rgb);
    [r, g, b, 1.0]
}

fn step(id: &str, zone: Zone, kind: &str, values: serde_json::Value) -> Step {
    let values: Values =
        serde_json::from_value(serde_json::json!({ "kind": kind, "values": values })).unwrap();
    Step::new(id, zone, values)
}

#[test]
fn a_range_over_skin_of_every_tone_holds_all_of_it_and_nothing_else() {
    let tones = skin();
    let mut range = ColourRange::over(&[log(tones[0]), log(tones[1])], Zone::Scene).unwrap();
    for skin in &tones[2..] {
        range = range.with(&[log(*skin)], Zone::Scene).unwrap();
    }
    let mut tone = step("t", Zone::Scene, "tone", serde_json::json!({ "contrast": 1.2 }));
    tone.region = Some(Region { colours: range });
    let path = Path::of(vec![tone]);
    let matte = Program::matte(&path, "t", &encoding("acescct"), &encoding("rec709")).unwrap();
    let at = |rgb: [f32; 3]| {
        let [r, g, b, _] = log(rgb);
        matte.on_colour([r, g, b])[0]
    };
    for skin in tones {
        assert!(at(skin) > 0.8, "{skin:?}: {}", at(skin));
    }
    for other in OTHERS {
        assert!(at(other) < 0.1, "{other:?}: {}", at(other));
    }
}

/// Colours as pictures have them: surfaces of many hues and moderate saturation over eleven stops.
fn natural() -> Vec<[f32; 4]> {
    let mut state = 11_u32;
    let mut random = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / (1 << 24) as f32
    };
    (0..40_000)
        .map(|_| {
            let light = (random() * 11.0 - 7.0).exp2();
            let [a, b, c] = [random(), random(), random()].map(|v| 0.4 + 0.6 * v);
            log([a * light, b * light, c * light])
        })
        .collect()
}

/// A path of twenty steps in four groups, with ranges on a group and on two steps.
fn long_path() -> Path {
    let of = [
        ("balance", json!({ "exposure": 0.2, "temperature": 5600.0 })),
        ("gel", json!({ "hue": 140.0, "density": 0.03 })),
        ("colour-compress", json!({})),
        ("tone", json!({ "contrast": 1.05, "toe": 0.1, "shoulder": 0.15 })),
        ("levels", json!({ "middle": 0.51 })),
        ("slope-offset-power", json!({ "red_slope": 1.02, "blue_offset": 0.004 })),
        (
            "tone-tint",
            json!({ "darks_hue": 315.0, "darks_amount": 0.01, "lights_hue": 140.0, "lights_amount": 0.01 }),
        ),
        ("curves", json!({ "brightness": [[-4.0, -4.2], [0.0, 0.1], [3.0, 3.0]] })),
        (
            "hue-curves",
            json!({ "bumps": [{ "centre": 200.0, "hue": 12.0, "saturation": 0.9, "brightness": -0.2 }] }),
        ),
        ("colour-families", json!({ "blues_hue": -8.0, "reds_saturation": 0.95 })),
        ("saturation", json!({ "amount": 1.05, "density": 0.2 })),
        ("channel-mix", json!({ "red_green": 0.05 })),
    ];
    let mut steps = Vec::new();
    for (i, (kind, values)) in of.iter().chain(&of[3..9]).enumerate() {
        let mut s = step(&format!("s{i}"), Zone::Scene, kind, values.clone());
        s.strength = 0.7;
        s.group = match i {
            2..=5 => Some("a".into()),
            6..=8 => Some("b".into()),
            11..=13 => Some("c".into()),
            _ => None,
        };
        steps.push(s);
    }
    let skin = ColourRange {
        hue: 120.0,
        hue_reach: 40.0,
        hue_softness: 60.0,
        saturation_low: 0.1,
        saturation_softness: 0.2,
        ..Default::default()
    };
    let skin = Region { colours: skin };
    steps[9].region = Some(skin.clone());
    for kind in ["levels", "saturation"] {
        let mut s = step(&format!("screen {kind}"), Zone::Screen, kind, json!({}));
        s.group = Some("d".into());
        if kind == "levels" {
            s = Step { values: step("x", Zone::Screen, "levels", json!({ "out_black": 0.03 })).values, ..s };
        }
        steps.push(s);
    }
    let group = |id: &str, region: Option<Region>| Group {
        id: id.into(),
        name: id.into(),
        on: true,
        strength: 0.8,
        region,
        matched: None,
    };
    Path { steps, groups: vec![group("a", None), group("b", Some(skin)), group("c", None), group("d", None)] }
}

fn lab_of(coded: &[[f32; 4]]) -> Vec<[f64; 3]> {
    // CIELAB of BT.709 on a 2.4 power, D65 (CIE 015, BT.709-6 with rounded primaries' matrix of IEC 61966-2-1).
    let f = |t: f64| if t > 216.0 / 24389.0 { t.cbrt() } else { (24389.0 / 27.0 * t + 16.0) / 116.0 };
    let place = |p: &[f32; 4]| {
        let [r, g, b] = [p[0], p[1], p[2]].map(|v| f64::from(v.clamp(0.0, 1.0)).powf(2.4));
        let x = (0.4124 * r + 0.3576 * g + 0.1805 * b) / 0.9505;
        let y = 0.2126 * r + 0.7152 * g + 0.0722 * b;
        let z = (0.0193 * r + 0.1192 * g + 0.9505 * b) / 1.089;
        let (x, y, z) = (f(x), f(y), f(z));
        [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]
    };
    coded.iter().map(place).collect()
}

#[test]
fn a_path_of_twenty_steps_fused_into_a_table_is_the_exact_path_within_a_twentieth_at_65_points() {
    let path = long_path();
    path.check().unwrap();
    assert_eq!((path.steps.len(), path.groups.len()), (20, 4));
    let (from, to) = (encoding("acescct"), encoding("rec709"));
    let program = Program::compile(&path, &from, &to).unwrap();
    let pixels = natural();
    let mut exact = pixels.clone();
    program.run_parallel(&mut exact);
    let mean = |table: &Table| {
        let mut fused = pixels.clone();
        table.apply_parallel(&mut fused);
        let (a, b) = (lab_of(&exact), lab_of(&fused));
        a.iter().zip(&b).map(|(a, b)| ciede2000(*a, *b)).sum::<f64>() / a.len() as f64
    };
    // While dragging: exact nodes, those alone that the pixels read. At rest pictures are evaluated exactly; the table
    // of that quality is the settled one of 65 points.
    let reach = Reach::of(&pixels, &Bake::quick(&from, 33)).unwrap();
    let quick = mean(&reach.fill(&program).unwrap());
    let settled = bake(&program, &Bake::plan(&from, 65), "", &AtomicBool::new(false)).unwrap().unwrap();
    let rest = mean(&settled);
    assert!(rest < 0.05, "65 points: {rest}");
    assert!(quick < 0.3, "33 points, while dragging: {quick}");
    println!("mean CIEDE2000: {quick:.3} at 33 points, {rest:.3} at 65 settled");
}

#[test]
fn a_look_with_a_range_on_skin_bakes_with_its_99th_percentile_below_one_at_33_points_or_below_at_65() {
    let mut path = long_path();
    path.steps.retain(|s| s.zone == Zone::Scene);
    let (from, to) = (encoding("acescct"), encoding("rec709"));
    let program = Program::compile(&path, &from, &to).unwrap();
    let probe = |pixels| fidelity::Probe { name: "natural".into(), picture: false, pixels, width: 200 };
    let p99 = |size: usize| {
        let table = bake(&program, &Bake::plan(&from, size), "", &AtomicBool::new(false)).unwrap().unwrap();
        let probes = [Ok::<_, std::convert::Infallible>(probe(natural()))];
        let Ok(report) = fidelity::report(&program, &table, &from, &to, probes, |_| {});
        report.comparisons.iter().find(|c| c.name == "natural").unwrap().p99
    };
    let (at_33, at_65) = (p99(33), p99(65));
    assert!(at_33 < 1.0, "33 points: {at_33}, 65 points: {at_65}");
    assert!(at_65 < 0.5 * at_33, "33 points: {at_33}, 65 points: {at_65}");
}

#[test]
fn starting_looks_keep_a_grey_card_near_its_place_faces_alive_and_nothing_neon() {
    let srgb = encoding("rec709");
    let tones = skin();
    for s in starting::looks() {
        let program = Program::compile(&s.look.path, &encoding("acescg"), &srgb).unwrap();
        let shown: Vec<[f32; 4]> = tones
            .iter()
            .chain(&[[0.18; 3]])
            .map(|c| program.on_colour(*c))
            .map(|[r, g, b]| [r, g, b, 1.0])
            .collect();
        let lab = lab_of(&shown);
        let name = &s.look.name;
        let grey = lab[tones.len()][0];
        assert!((18.0..58.0).contains(&grey), "{name}: a grey card at L* {grey}");
        // From the lightest skin in light to the darkest in half shade brightness falls, with all apart.
        for pair in [[0, 2], [2, 4], [4, 6], [1, 3], [3, 5]] {
            let step = lab[pair[0]][0] - lab[pair[1]][0];
            assert!(step > 2.0, "{name}: faces {pair:?} are {step} apart");
        }
        for (c, skin) in lab.iter().zip(&tones) {
            let chroma = c[1].hypot(c[2]);
            assert!(chroma < 60.0, "{name}: skin {skin:?} has a chroma of {chroma}");
        }
    }
}
