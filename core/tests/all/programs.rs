//! What compiled paths promise: identity where nothing acts, continuity, untouched pictures left as they came.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::Encoding;
use lantern_core::graph::Program;
use lantern_core::look::{Group, Look, Path, Step};
use lantern_core::region::{ColourRange, Region};
use lantern_core::step::{Domain, KINDS, Values, Zone};
use proptest::prelude::*;

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

fn kept_look() -> Look {
    Look::from_json(include_str!("../looks/version-1.json")).unwrap()
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
    let step = Step::new("b", Zone::Scene, values);
    let through = program(&Path::of(vec![step]), "srgb", "srgb");
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

/// Every kind that works on colours, at full tilt, in every zone it may stand in.
fn strong_steps() -> Vec<Step> {
    let json = |kind: &str| match kind {
        "balance" => serde_json::json!({ "exposure": 1.0, "temperature": 3200.0, "tint": 10.0 }),
        "tone" => {
            serde_json::json!({ "contrast": 1.8, "black": -1.0, "toe": 0.6, "shoulder": 0.8, "fade": 0.4, "lift": 0.2, "keep_colour": 0.5 })
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
        "gel" => serde_json::json!({ "hue": 40.0, "density": 0.6 }),
        "channel-mix" => serde_json::json!({ "red_green": 0.4, "blue_red": -0.3, "green_blue": 0.2 }),
        "colour-compress" => serde_json::json!({ "cap": true, "peak": 5.0 }),
        "levels" => {
            serde_json::json!({ "in_black": 0.05, "in_white": 0.8, "middle": 0.6, "out_black": 0.04, "blue_middle": 0.3 })
        }
        "slope-offset-power" => {
            serde_json::json!({ "red_slope": 1.3, "blue_offset": 0.05, "green_power": 1.4, "red_power": 1.2, "saturation": 1.3 })
        }
        "hue-curves" => serde_json::json!({
            "bumps": [{ "centre": 200.0, "hue": 25.0, "saturation": 1.4, "brightness": -0.6 },
                      { "centre": 355.0, "down": 30.0, "up": 40.0, "softness": 40.0, "hue": -30.0 }],
            "hue": [[20.0, 10.0], [180.0, -10.0], [350.0, 8.0]], "saturation": [[90.0, 1.3], [270.0, 0.6]],
            "brightness": [[10.0, 0.6], [200.0, -0.6]], "by_brightness": [[-4.0, 0.2], [-1.0, 1.1]],
            "by_saturation": [[0.1, 1.3], [0.7, 0.7]], "others": 0.5
        }),
        "colour-families" => serde_json::json!({
            "families": [
                { "border": 12.0, "saturation": 1.6 }, { "border": 70.0, "hue": 20.0 }, { "border": 139.0, "hue": 40.0 },
                { "border": 202.0, "saturation": 0.6 }, { "border": 250.0, "brightness": 0.8 }, { "border": 319.0, "hue": -30.0 },
            ],
            "darks_saturation": 0.4, "neutrals_brightness": 0.5, "lights_hue": 20.0
        }),
        "table" => serde_json::json!({}),
        "negative" => {
            serde_json::json!({ "push": 2.0, "exposure": 1.0, "flash": 0.05, "silver": 0.6, "range_fit": 0.8 })
        }
        "print" => {
            serde_json::json!({ "red": 31.0, "blue": 20.0, "silver": 0.7, "lock": 0.6, "black": 0.5, "tone": 0.8, "colour": 1.2 })
        }
        _ => serde_json::json!({ "contrast": 1.8, "keep_hue": 1.0, "to_white": 0.9 }),
    };
    let mut steps = Vec::new();
    for info in KINDS.iter().filter(|k| k.picture_only.is_empty()) {
        for zone in info.zones {
            let value = serde_json::json!({ "kind": info.kind, "values": json(info.kind) });
            let values: Values = serde_json::from_value(value).unwrap();
            let id = format!("{}-{zone:?}", info.kind);
            steps.push(Step::new(&id, *zone, values));
        }
    }
    steps
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// No jump over 1e-4 for input steps of 1e-5: at black, white, across the hue wrap, outside the gamut.
    #[test]
    fn every_step_is_continuous(c in prop::array::uniform3(-0.1..1.1_f32), d in prop::array::uniform3(-1.0..1.0_f32)) {
        // Steps on light are continuous by themselves; through the log's straight toe their slope has no bound.
        for step in strong_steps().iter().filter(|s| s.values.domain() != Domain::Linear) {
            let p = Program::of_step(step);
            let near = [0, 1, 2].map(|k| c[k] + d[k] * 1e-5);
            let (a, b) = (p.on_colour(c), p.on_colour(near));
            // In a log of 17.5 stops a rendering of contrast 1.8 has slopes up to 20 or so, and a print pushed by 31 points of red
            // one of 123 where a deep blue goes to white: a slope, which smaller input steps show.
            let most = if step.zone == Zone::Film { 2e-3 } else { 1e-4 };
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
        for step in strong_steps().iter().filter(|s| s.zone == Zone::Scene && s.values.domain() != Domain::Linear) {
            let some = Program::of_step(&Step { strength: s.max(1e-6), ..step.clone() }).on_colour(c);
            let all = Program::of_step(step).on_colour(c);
            for k in 0..3 {
                let want = c[k] + s.max(1e-6) as f32 * (all[k] - c[k]);
                prop_assert!((some[k] - want).abs() < 1e-5, "{}", step.id);
            }
        }
    }
}

/// Steps on linear light are continuous there: an input step of 1e-5 in light makes no jump, at black, at white, and
/// outside the gamut.
#[test]
fn steps_on_light_are_continuous_on_light() {
    let mut state = 7_u32;
    let mut random = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        f64::from(state >> 8) as f32 / (1 << 24) as f32
    };
    let linear: Vec<Step> = strong_steps()
        .into_iter()
        .filter(|s| s.zone == Zone::Scene && s.values.domain() == Domain::Linear)
        .collect();
    assert_eq!(linear.len(), 4);
    let cg = encoding("acescg");
    for step in linear {
        let p = Program::compile(&Path::of(vec![step.clone()]), &cg, &cg).unwrap();
        for i in 0..20_000 {
            let c = [0, 1, 2].map(|_| random() * 1.4 - 0.2).map(|v| if i % 3 == 0 { v * 0.01 } else { v });
            let near = c.map(|v| v + (random() - 0.5) * 2e-5);
            let (a, b) = (p.on_colour(c), p.on_colour(near));
            for k in 0..3 {
                // A limit of 1.147 is reached with a slope of up to 3 around the neutral axis, seen from dark colours.
                assert!((a[k] - b[k]).abs() < 2e-4, "{}: {c:?} {a:?} {b:?}", step.id);
            }
        }
    }
}

/// Which steps promise that greys stay grey.
#[test]
fn neutrals_stay_neutral_where_a_step_promises_it() {
    let promised = ["channel-mix", "colour-compress", "tone", "hue-curves", "colour-families", "saturation"];
    for step in strong_steps().iter().filter(|s| promised.contains(&s.values.info().kind)) {
        let p = Program::of_step(step);
        for i in 0..=100 {
            let v = i as f32 / 100.0;
            let [r, g, b] = p.on_colour([v; 3]);
            assert!((r - g).abs() < 2e-6 && (b - g).abs() < 2e-6, "{}: {v} became {r} {g} {b}", step.id);
        }
    }
}

fn skin() -> Region {
    Region {
        colours: ColourRange { hue: 120.0, hue_reach: 30.0, saturation_low: 0.05, ..Default::default() },
    }
}

fn in_scene(kind: &str) -> Step {
    strong_steps().into_iter().find(|s| s.zone == Zone::Scene && s.values.info().kind == kind).unwrap()
}

/// ACEScct of a colour at a hue of the Scene's plane.
fn at_hue(degrees: f64) -> [f32; 3] {
    let (cb, cr) = lantern_core::colour::plane::polar(degrees, 0.06);
    lantern_core::step::plane_of(Zone::Scene).join(0.42, cb as f32, cr as f32)
}

#[test]
fn a_region_holds_a_step_on_light_or_on_code_values_to_its_colours() {
    for kind in ["gel", "tone", "saturation"] {
        let all = in_scene(kind);
        let held = Step { region: Some(skin()), ..all.clone() };
        let mut outside = skin();
        outside.colours.inverted = true;
        let outside = Step { region: Some(outside), ..all.clone() };
        let run =
            |s: &Step, c: [f32; 3]| program(&Path::of(vec![s.clone()]), "acescct", "acescct").on_colour(c);
        let near = |a: [f32; 3], b: [f32; 3]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 2e-3);
        let (face, sky) = (at_hue(120.0), at_hue(330.0));
        assert!(near(run(&held, face), run(&all, face)), "{kind}");
        assert!(near(run(&held, sky), sky), "{kind}");
        assert!(near(run(&outside, sky), run(&all, sky)), "{kind}");
        assert!(near(run(&outside, face), face), "{kind}");
    }
}

#[test]
fn a_group_blends_all_its_steps_together_and_switches_them_off_together() {
    let of_group = |kind: &str| Step { group: Some("g".into()), ..in_scene(kind) };
    let steps = vec![of_group("gel"), of_group("tone"), of_group("hue-curves")];
    let group = |on: bool, strength: f64, region: Option<Region>| Path {
        steps: steps.clone(),
        groups: vec![Group { id: "g".into(), name: "g".into(), on, strength, region, matched: None }],
    };
    let run = |path: &Path, c: [f32; 3]| program(path, "acescct", "acescct").on_colour(c);
    let c = at_hue(200.0);
    let (all, half) = (run(&group(true, 1.0, None), c), run(&group(true, 0.5, None), c));
    for k in 0..3 {
        assert!((half[k] - (c[k] + all[k]) / 2.0).abs() < 1e-5);
    }
    assert_eq!(run(&group(false, 1.0, None), c), c);
    assert_eq!(run(&group(true, 0.0, None), c), c);
    let held = run(&group(true, 1.0, Some(skin())), c);
    assert!(held.iter().zip(c).all(|(a, b)| (a - b).abs() < 2e-3), "{held:?}");
}

#[test]
fn the_matte_of_a_step_is_one_inside_and_zero_outside_and_sees_what_the_step_is_given() {
    let screen = encoding("rec709");
    let step = Step { region: Some(skin()), ..in_scene("tone") };
    let matte = |path: &Path, c: [f32; 3]| {
        Program::matte(path, &step.id, &encoding("acescct"), &screen).unwrap().on_colour(c)[0]
    };
    let path = Path::of(vec![step.clone()]);
    assert!(matte(&path, at_hue(120.0)) > 0.95 && matte(&path, at_hue(330.0)) < 1e-3);
    // A step before it that turns all hues by 90 degrees.
    let turned = serde_json::json!({ "kind": "hue-curves", "values": { "hue": [[0.0, 90.0]] } });
    let turned = Step::new("turn", Zone::Scene, serde_json::from_value(turned).unwrap());
    let path = Path::of(vec![turned, step.clone()]);
    assert!(matte(&path, at_hue(30.0)) > 0.95 && matte(&path, at_hue(120.0)) < 1e-3);
    assert!(
        Program::matte(&Path::of(vec![in_scene("tone")]), "tone-Scene", &encoding("acescct"), &screen)
            .is_none()
    );
}

#[test]
fn a_table_without_its_numbers_is_an_error_that_names_it() {
    let json = serde_json::json!({ "kind": "table", "values": { "tables": [
        { "table": "abc", "name": "night print", "from": "acescct", "to": "rec709", "strength": 1.0 }] } });
    let step = Step::new("t", Zone::Scene, serde_json::from_value(json).unwrap());
    let path = Path::of(vec![step]);
    let error = Program::compile(&path, &encoding("acescct"), &encoding("rec709")).unwrap_err();
    assert!(error.to_string().contains("night print"), "{error}");
    let mut off = path;
    off.steps[0].on = false;
    assert!(Program::compile(&off, &encoding("acescct"), &encoding("rec709")).is_ok());
}
