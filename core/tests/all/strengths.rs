//! Strength: 0 is off, bit for bit; there is no jump on the way; and between 0 and 1 the result goes straight from one to the
//! other in the zone's encoded values.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::Encoding;
use lantern_core::colour::transfer::acescct_to_linear;
use lantern_core::film::stock::{negatives, prints};
use lantern_core::graph::Program;
use lantern_core::look::{Group, Path, Step};
use lantern_core::region::Region;
use lantern_core::step::{KINDS, Negative, PlainRendering, Print, Values, Zone};

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

/// Values of a kind that are far from neutral: every number a third of the way to the end of its range that is farther from
/// its default.
fn far(kind: &str) -> Values {
    let mut json = serde_json::to_value(Values::neutral(kind).unwrap()).unwrap();
    for field in KINDS.iter().find(|k| k.kind == kind).unwrap().fields {
        let description = serde_json::to_value(field).unwrap();
        let (Some(min), Some(max)) = (description["min"].as_f64(), description["max"].as_f64()) else {
            continue;
        };
        let default = description["default"].as_f64().unwrap();
        let end = if max - default > default - min { max } else { min };
        json["values"][field.id] = serde_json::json!(default + (end - default) / 3.0);
    }
    // An output range that ends where it begins makes one grey of all.
    if kind == "levels" {
        json["values"]["out_black"] = serde_json::json!(0.1);
    }
    serde_json::from_value(json).unwrap()
}

fn step(kind: &str, zone: Zone, strength: f64) -> Step {
    Step { strength, ..Step::new("s", zone, far(kind)) }
}

/// Kinds of the Scene and Screen zones that do something by numbers alone.
fn kinds(zone: Zone) -> impl Iterator<Item = &'static str> {
    KINDS.iter().filter(move |k| k.zones.contains(&zone) && k.kind != "table").map(|k| k.kind)
}

/// Colours over the cube of a log encoding, negative light and lights far over white among them.
fn colours() -> Vec<[f32; 3]> {
    let at = [-0.05, 0.0, 0.08, 0.2, 0.41, 0.6, 0.85, 1.2];
    (0..512).map(|i| [at[i % 8], at[i / 8 % 8], at[i / 64]]).collect()
}

/// Whether the bound on scene light leaves a colour of ACEScct as it is: no channel under 0.0125 of the largest.
fn is_bounded(rgb: [f32; 3]) -> bool {
    let light = rgb.map(acescct_to_linear);
    let most = light.into_iter().fold(0.0, f32::max);
    light.into_iter().all(|v| v >= 0.0125 * most) && most > 0.0
}

#[test]
fn scene_steps_go_straight_from_nothing_to_all() {
    let log = encoding("acescct");
    for kind in kinds(Zone::Scene) {
        let with = |strength: f64| {
            let path = Path::of(vec![step(kind, Zone::Scene, strength)]);
            run(&Program::compile(&path, &log, &log).unwrap(), &colours())
        };
        let linear = far(kind).domain() == lantern_core::step::Domain::Linear;
        let [none, some, all, near] = [0.0, 0.3, 1.0, 1e-3].map(with);
        for (i, rgb) in colours().into_iter().enumerate() {
            let (none, some, all, near) = (none[i], some[i], all[i], near[i]);
            assert_eq!(none, rgb, "{kind}");
            for c in 0..3 {
                let reach = (all[c] - rgb[c]).abs().max(1.0);
                // Beside a lamp, a thousandth of its light is nothing, whatever its code.
                let lights = [near, rgb].map(|v| v.map(acescct_to_linear));
                let lamp = lights[1].into_iter().fold(0.0, f32::max);
                let hair = (lights[0][c] - lights[1][c]).abs() < 1e-3 * lamp;
                let small = (near[c] - rgb[c]).abs() < 0.02 * reach;
                assert!(small || hair, "{kind} jumps: {rgb:?} {near:?} {all:?}");
                if !linear && is_bounded(rgb) && is_bounded(all) {
                    let want = rgb[c] + 0.3 * (all[c] - rgb[c]);
                    assert!((some[c] - want).abs() < 1e-4 * reach, "{kind}: {rgb:?}: {some:?}, not {want}");
                }
            }
        }
    }
}

#[test]
fn every_kind_at_nothing_is_off_and_next_to_nothing_is_near_it_from_every_source() {
    let film: Vec<(&str, Values)> = vec![
        (
            "negative",
            Values::Negative(Negative { stock: negatives()[2].clone(), push: 1.0, ..Default::default() }),
        ),
        ("print", Values::Print(Print { stock: prints()[1].clone(), silver: 0.5, ..Default::default() })),
        (
            "plain-rendering",
            Values::PlainRendering(PlainRendering { contrast: 2.0, white: 5.0, ..Default::default() }),
        ),
    ];
    let mut steps: Vec<(String, Step)> =
        film.into_iter().map(|(n, v)| (n.into(), Step::new("s", Zone::Film, v))).collect();
    for zone in [Zone::Scene, Zone::Screen] {
        steps.extend(kinds(zone).map(|k| (format!("{k} {zone:?}"), step(k, zone, 1.0))));
    }
    for (from, to) in [
        ("acescct", "rec709"),
        ("acescct", "pq"),
        ("rec709", "rec709"),
        ("srgb", "rec2020"),
        ("pq", "pq"),
        ("pq", "rec709"),
    ] {
        let (a, b) = (encoding(from), encoding(to));
        let top = if a.is_hdr() { a.code_of_grey(a.peak) as f32 } else { 1.0 };
        let off = Program::compile(&Path::default(), &a, &b).unwrap();
        for (name, full) in &steps {
            let at = |strength: f64| {
                Program::compile(&Path::of(vec![Step { strength, ..full.clone() }]), &a, &b).unwrap()
            };
            let grouped = |strength: f64| {
                let group = Group {
                    id: "g".into(),
                    name: "g".into(),
                    on: true,
                    strength,
                    region: None,
                    matched: None,
                };
                let steps = vec![Step { group: Some("g".into()), ..full.clone() }];
                Program::compile(&Path { steps, groups: vec![group] }, &a, &b).unwrap()
            };
            let (none, near) = (at(0.0), at(1e-7));
            assert_eq!(none, off, "{name} at nothing, {from} to {to}");
            let together = (full.zone != Zone::Film).then(|| grouped(1e-7));
            let given: Vec<[f32; 3]> =
                colours().into_iter().map(|rgb| rgb.map(|v| v.max(0.0).min(1.0) * top)).collect();
            let wanted = run(&off, &given);
            for program in std::iter::once(&near).chain(&together) {
                for ((rgb, want), got) in given.iter().zip(&wanted).zip(run(program, &given)) {
                    let lights = [got, *want].map(|v| b.transfer.decoded(v));
                    let most = lights[1].into_iter().fold(0.0, f32::max);
                    for c in 0..3 {
                        // Next to black powers are steep, that of PQ above all, and PQ's own arithmetic is good for five
                        // digits of the brightest channel: what is a hair of light may count.
                        let light = lights[0][c] - lights[1][c];
                        assert!(
                            (got[c] - want[c]).abs() < 0.012 || light.abs() < 1e-5 + 5e-5 * most,
                            "{name}, {from} to {to}: {rgb:?}: {got:?}, not {want:?}"
                        );
                    }
                }
            }
        }
    }
}

/// What a program makes of colours.
fn run(program: &Program, colours: &[[f32; 3]]) -> Vec<[f32; 3]> {
    let mut pixels: Vec<[f32; 4]> = colours.iter().map(|c| [c[0], c[1], c[2], 1.0]).collect();
    program.run(&mut pixels);
    pixels.iter().map(|p| [p[0], p[1], p[2]]).collect()
}

#[test]
fn films_by_strength_are_mixed_as_finished_pictures() {
    let (log, display) = (encoding("acescct"), encoding("rec709"));
    let negative = |s| Step {
        strength: s,
        ..Step::new(
            "n",
            Zone::Film,
            Values::Negative(Negative { stock: negatives()[1].clone(), ..Default::default() }),
        )
    };
    let print = |s| Step {
        strength: s,
        ..Step::new(
            "p",
            Zone::Film,
            Values::Print(Print { stock: prints()[2].clone(), ..Default::default() }),
        )
    };
    let run =
        |steps: Vec<Step>, rgb| Program::compile(&Path::of(steps), &log, &display).unwrap().on_colour(rgb);
    for rgb in [[0.41, 0.41, 0.41], [0.5, 0.3, 0.2], [0.7, 0.75, 0.8], [0.2, 0.3, 0.1]] {
        let plain = run(vec![], rgb);
        let (only_n, only_q) = (run(vec![negative(1.0)], rgb), run(vec![print(1.0)], rgb));
        let both = run(vec![negative(1.0), print(1.0)], rgb);
        let mixed = run(vec![negative(0.4), print(0.7)], rgb);
        for c in 0..3 {
            // (1-n)(1-q), n(1-q), (1-n)q and nq of code values with a 2.4 power, which BT.709's are.
            let want = 0.18 * plain[c] + 0.12 * only_n[c] + 0.42 * only_q[c] + 0.28 * both[c];
            assert!((mixed[c] - want).abs() < 1e-5, "{rgb:?}: {mixed:?}");
        }
    }
}

#[test]
fn a_range_and_its_inverse_share_a_step_between_them() {
    let log = encoding("acescct");
    for kind in kinds(Zone::Scene).filter(|k| far(k).domain() == lantern_core::step::Domain::Encoded) {
        let with = |inverted: bool| {
            let mut region: Region =
                serde_json::from_value(serde_json::json!({ "colours": { "hue": 110.0, "hue_reach": 40.0 } }))
                    .unwrap();
            region.colours.inverted = inverted;
            let path = Path::of(vec![Step { region: Some(region), ..step(kind, Zone::Scene, 1.0) }]);
            Program::compile(&path, &log, &log).unwrap()
        };
        let (inside, outside) = (with(false), with(true));
        let whole = Program::compile(&Path::of(vec![step(kind, Zone::Scene, 1.0)]), &log, &log).unwrap();
        for rgb in colours().into_iter().filter(|c| is_bounded(*c)) {
            let (a, b, all) = (inside.on_colour(rgb), outside.on_colour(rgb), whole.on_colour(rgb));
            if !is_bounded(all) {
                continue;
            }
            for c in 0..3 {
                let sum = (a[c] - rgb[c]) + (b[c] - rgb[c]);
                let want = all[c] - rgb[c];
                assert!(
                    (sum - want).abs() < 1e-3 * want.abs().max(1.0),
                    "{kind}: {rgb:?} {a:?} {b:?} {all:?}"
                );
            }
        }
    }
}
