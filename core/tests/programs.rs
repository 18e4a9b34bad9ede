//! What compiled paths promise: identity where nothing acts, continuity, untouched pictures left as they came.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::Encoding;
use lantern_core::look::{Look, Path, Program, Step};
use lantern_core::step::{KINDS, Values, Zone};
use proptest::prelude::*;

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

fn kept_look() -> Look {
    Look::from_json(include_str!("looks/version-1.json")).unwrap()
}

fn program(path: &Path, from: &str, to: &str) -> Program {
    Program::compile(path, &encoding(from), &encoding(to)).unwrap()
}

#[test]
fn steps_at_strength_zero_or_switched_off_change_no_bit() {
    let plain = program(&Path::default(), "acescct", "rec709");
    for quiet in [|s: &mut Step| s.strength = 0.0, |s: &mut Step| s.on = false] {
        let mut look = kept_look();
        look.path.steps.iter_mut().for_each(quiet);
        let silent = program(&look.path, "acescct", "rec709");
        for i in 0..500 {
            let c = [0.1 + i as f32 * 0.001, 0.7 - i as f32 * 0.0012, 0.3];
            assert_eq!(plain.on_colour(c), silent.on_colour(c));
        }
    }
}

#[test]
fn an_untouched_picture_leaves_its_own_encoding_as_it_came() {
    for id in ["acescct", "acescg", "srgb", "rec709", "p3-d65", "rec2020"] {
        let same = program(&Path::default(), id, id);
        for i in 0..729 {
            let c = [i % 9, i / 9 % 9, i / 81].map(|v| v as f32 / 8.0);
            for (a, b) in same.on_colour(c).iter().zip(c) {
                assert!((a - b).abs() < 1e-6, "{id}: {c:?} left as {:?}", same.on_colour(c));
            }
        }
    }
}

#[test]
fn a_display_picture_comes_back_through_the_scene_within_half_an_8_bit_code() {
    // An exposure that cannot be seen keeps the way through the scene open.
    let balance = serde_json::json!({ "kind": "balance", "values": { "exposure": 1e-9 } });
    let values = serde_json::from_value(balance).unwrap();
    let step = Step { id: "b".into(), name: "b".into(), zone: Zone::Scene, on: true, strength: 1.0, values };
    let through = program(&Path { steps: vec![step] }, "srgb", "srgb");
    for i in 0..729 {
        let c = [i % 9, i / 9 % 9, i / 81].map(|v| v as f32 / 8.0);
        for (a, b) in through.on_colour(c).iter().zip(c) {
            assert!((a - b).abs() < 0.5 / 255.0, "{c:?} came back as {:?}", through.on_colour(c));
        }
    }
}

#[test]
fn a_scene_referred_output_lists_the_rendering_and_refuses_screen_steps() {
    let mut look = kept_look();
    let error = Program::compile(&look.path, &encoding("acescct"), &encoding("acescct")).unwrap_err();
    assert!(error.to_string().contains("Saturation") && error.to_string().contains("display encoding"));
    look.path.steps.retain(|s| s.zone != Zone::Screen);
    let p = program(&look.path, "acescct", "acescct");
    assert_eq!(p.left_out.len(), 1);
    assert_eq!(p.left_out[0].step, "Plain rendering");
}

/// Every kind at full tilt, in every zone it may stand in.
fn strong_steps() -> Vec<Step> {
    let json = |kind: &str| match kind {
        "balance" => serde_json::json!({ "exposure": 1.0, "temperature": 3200.0, "tint": 10.0 }),
        "tone" => {
            serde_json::json!({ "contrast": 1.8, "black": -1.0, "toe": 0.6, "shoulder": 0.8, "fade": 0.4, "keep_colour": 0.5 })
        }
        "tone-tint" => {
            serde_json::json!({ "darks_hue": 300.0, "darks_amount": 0.1, "lights_hue": 120.0, "lights_amount": 0.1, "middles_brightness": 0.5 })
        }
        "curves" => {
            serde_json::json!({ "brightness": [[-4.0, -5.0], [0.0, 0.5], [3.0, 3.0]], "blue": [[-2.0, -1.0], [2.0, 2.0]] })
        }
        "saturation" => {
            serde_json::json!({ "amount": 1.6, "vibrance": 0.8, "density": 0.6, "by_brightness": [[-4.0, 0.2], [-1.0, 1.2]] })
        }
        _ => serde_json::json!({ "contrast": 1.8, "keep_hue": 1.0, "to_white": 0.9 }),
    };
    let mut steps = Vec::new();
    for info in KINDS {
        for zone in info.zones {
            let value = serde_json::json!({ "kind": info.kind, "values": json(info.kind) });
            let values: Values = serde_json::from_value(value).unwrap();
            let id = format!("{}-{zone:?}", info.kind);
            steps.push(Step { name: id.clone(), id, zone: *zone, on: true, strength: 1.0, values });
        }
    }
    steps
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// No jump over 1e-4 for input steps of 1e-5: at black, white, across the hue wrap, outside the gamut.
    #[test]
    fn every_step_is_continuous(c in prop::array::uniform3(-0.1..1.1_f32), d in prop::array::uniform3(-1.0..1.0_f32)) {
        // Balance is a matrix on light, continuous by itself; through the log's straight toe its slope has no bound.
        for step in strong_steps().iter().filter(|s| s.values.info().kind != "balance") {
            let p = Program::of_step(step);
            let near = [0, 1, 2].map(|k| c[k] + d[k] * 1e-5);
            let (a, b) = (p.on_colour(c), p.on_colour(near));
            // A rendering of contrast 1.8 in a log of 17.5 stops has slopes up to 20 or so.
            let most = if step.zone == Zone::Film { 1e-3 } else { 1e-4 };
            for k in 0..3 {
                prop_assert!((a[k] - b[k]).abs() <= most, "{}: {c:?} {a:?} {b:?}", step.id);
            }
        }
    }

    /// Around neutral the hue angle wraps and saturation is zero: nothing may jump there.
    #[test]
    fn every_step_is_continuous_around_neutral(y in 0.0..1.0_f32, d in prop::array::uniform3(-1.0..1.0_f32)) {
        for step in strong_steps().iter().filter(|s| s.zone != Zone::Film) {
            let p = Program::of_step(step);
            let (a, b) = (p.on_colour([y; 3]), p.on_colour(d.map(|v| y + v * 1e-5)));
            for k in 0..3 {
                prop_assert!((a[k] - b[k]).abs() <= 1e-4, "{}: {y} {a:?} {b:?}", step.id);
            }
        }
    }

    #[test]
    fn strength_blends_between_nothing_and_all(s in 0.0..1.0_f64, c in prop::array::uniform3(0.1..0.8_f32)) {
        for step in strong_steps().iter().filter(|s| s.zone == Zone::Scene && s.values.info().kind != "balance") {
            let some = Program::of_step(&Step { strength: s.max(1e-6), ..step.clone() }).on_colour(c);
            let all = Program::of_step(step).on_colour(c);
            for k in 0..3 {
                let want = c[k] + s.max(1e-6) as f32 * (all[k] - c[k]);
                prop_assert!((some[k] - want).abs() < 1e-5, "{}", step.id);
            }
        }
    }
}
