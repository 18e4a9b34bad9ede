//! Nothing jumps: a thousandth of a strength, also in a region or a group, or of a parameter's range moves colours by what a
//! thousandth may.
//!
//! Differences are CIEDE2000 (CIE 142, by the implementation that `reference.rs` holds to its published pairs) and, on HDR
//! displays, delta-E-ITP (BT.2124); scene light is shown by the plain rendering.

#![allow(clippy::unwrap_used)]

use lantern_core::bake::Meter;
use lantern_core::colour::Encoding;
use lantern_core::film::stock::{negatives, prints};
use lantern_core::graph::Program;
use lantern_core::look::{Group, Path, Step, starting};
use lantern_core::region::Region;
use lantern_core::step::field::FieldKind;
use lantern_core::step::{KINDS, Negative, Print, Saturation, Values, Zone};
use serde_json::json;

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

/// Colours over the cube of an encoding: a grid with the edges, and in linear light colours of the spectrum and lamps up to
/// 200 times white, their least channels far below zero.
fn colours(of: &Encoding) -> Vec<[f32; 4]> {
    let top = if of.is_hdr() { of.code_of_grey(of.peak) as f32 } else { 1.0 };
    if of.is_linear() {
        let lights = [0.003, 0.05, 0.18, 1.0, 12.0, 200.0];
        let shares = [-0.6, -0.15, -0.02, 0.004, 0.3, 1.0];
        let lit = |i: usize| {
            let [a, b] = [shares[i % 6], shares[i / 6 % 6]];
            let rgb = [[1.0, a, b], [a, 1.0, b], [a, b, 1.0]][i / 36 % 3];
            rgb.map(|v| v * lights[i / 108])
        };
        return (0..648).map(lit).map(|[r, g, b]| [r, g, b, 1.0]).collect();
    }
    let at = [0.0, 0.04, 0.1, 0.25, 0.41, 0.55, 0.75, 0.9, 1.0].map(|v| v * top);
    (0..729).map(|i| [at[i % 9], at[i / 9 % 9], at[i / 81], 1.0]).collect()
}

/// A value of a field at a share of the way from its default to the end that is farther off.
fn towards(field: &FieldKind, share: f64) -> Option<serde_json::Value> {
    Some(match field {
        FieldKind::Number { min, max, default, .. } => {
            let end = if max - default > default - min { max } else { min };
            json!(default + (end - default) * share)
        }
        FieldKind::Curve { across, up, .. } => {
            let at = |s: f64| across[0] + (across[1] - across[0]) * s;
            let to = |s: f64| up[0] + (up[1] - up[0]) * s;
            json!([[at(0.1), to(0.12)], [at(0.5), to(0.5 + share / 8.0)], [at(0.9), to(0.8)]])
        }
        FieldKind::Ring { up, .. } => {
            json!([[10.0, up[0] + (up[1] - up[0]) * share], [150.0, (up[0] + up[1]) / 2.0]])
        }
        _ => return None,
    })
}

/// Values of a kind that are far from neutral in all fields.
fn far(kind: &str) -> Values {
    let info = KINDS.iter().find(|k| k.kind == kind).unwrap();
    let mut all = serde_json::to_value(Values::neutral(kind).unwrap()).unwrap();
    for field in info.fields {
        if let Some(v) = towards(&field.kind, 0.35) {
            all["values"][field.id] = v;
        }
    }
    if kind == "levels" {
        all["values"]["out_black"] = json!(0.1);
    }
    if kind == "hue-curves" {
        all["values"]["bumps"] = json!([{ "centre": 30.0, "hue": 25.0, "saturation": 0.4 }]);
    }
    serde_json::from_value(all).unwrap()
}

fn kinds(zone: Zone) -> impl Iterator<Item = &'static str> {
    KINDS.iter().filter(move |k| k.zones.contains(&zone) && k.kind != "table").map(|k| k.kind)
}

/// The largest difference that two paths make of the colours, and where.
fn apart(a: &Path, b: &Path, from: &Encoding, to: &Encoding) -> (f64, [f32; 4]) {
    let given = colours(from);
    let run = |p: &Path| {
        let mut pixels = given.clone();
        Program::compile(p, from, to).unwrap().run(&mut pixels);
        pixels
    };
    let differences = Meter::new(to).differences(&run(a), &run(b));
    let worst = (0..given.len()).max_by(|i, k| differences[*i].total_cmp(&differences[*k])).unwrap();
    (differences[worst], given[worst])
}

const WAYS: [(&str, &str); 9] = [
    ("acescct", "rec709"),
    ("acescct", "acescct"),
    ("acescg", "rec709"),
    ("acescg", "pq"),
    ("acescg", "acescg"),
    ("linear-rec2020", "p3-d65"),
    ("srgb", "srgb"),
    ("pq", "pq"),
    ("hlg", "rec709"),
];

/// What may stand after a step.
fn tails(zone: Zone) -> Vec<(&'static str, Vec<Step>)> {
    let saturated = Values::Saturation(Saturation { amount: 1.3, ..Default::default() });
    if zone == Zone::Screen {
        return vec![("nothing", vec![]), ("Saturation", vec![Step::new("a", zone, saturated)])];
    }
    let half = Step { strength: 0.5, ..Step::new("a", Zone::Scene, saturated) };
    let compress = Step::new("b", Zone::Scene, Values::neutral("colour-compress").unwrap());
    let negative = Values::Negative(Negative { stock: negatives()[1].clone(), ..Default::default() });
    let print = Values::Print(Print { stock: prints()[1].clone(), ..Default::default() });
    vec![
        ("nothing", vec![]),
        ("half a Saturation", vec![half.clone()]),
        ("Colour compress", vec![compress]),
        ("film", vec![half, Step::new("n", Zone::Film, negative), Step::new("p", Zone::Film, print)]),
    ]
}

/// A region of reds to yellows with soft edges.
fn region() -> Region {
    serde_json::from_value(json!({ "colours": { "hue": 110.0, "hue_reach": 60.0, "hue_softness": 40.0 } }))
        .unwrap()
}

/// Tries a thousandth of strength at both ends and in the middle, of a step by itself, in a region and in a group.
fn try_strengths(name: &str, step: &Step, found: &mut Vec<String>) {
    let group = |strength| Group {
        id: "g".into(),
        name: "g".into(),
        on: true,
        strength,
        region: None,
        matched: None,
    };
    for (from, to) in WAYS {
        let (a, b) = (encoding(from), encoding(to));
        if step.zone == Zone::Screen && !matches!(to, "rec709" | "srgb" | "p3-d65" | "pq") {
            continue;
        }
        for (tail, after) in tails(step.zone) {
            let alone = |strength: f64| {
                let own = Step { strength, ..step.clone() };
                Path::of(std::iter::once(own).chain(after.iter().cloned()).collect())
            };
            let grouped = |strength: f64| {
                let own = Step { group: Some("g".into()), ..step.clone() };
                let steps = std::iter::once(own).chain(after.iter().cloned()).collect();
                Path { steps, groups: vec![group(strength)] }
            };
            let inside = |strength: f64| {
                let own = Step { strength, region: Some(region()), ..step.clone() };
                Path::of(std::iter::once(own).chain(after.iter().cloned()).collect())
            };
            for [s, near, nearer] in [[0.0, 1e-3, 1e-4], [0.5, 0.501, 0.5001], [1.0, 0.999, 0.9999]] {
                for (way, path) in [
                    ("", &alone as &dyn Fn(f64) -> Path),
                    (" in a group", &grouped),
                    (" in a region", &inside),
                ] {
                    let (far, at) = apart(&path(s), &path(near), &a, &b);
                    // Formulas stay formulas where nothing else works (see `Program::compile`): the first other step
                    // bounds light that no scene has.
                    let scene = matches!(to, "acescct" | "acescg");
                    let most = if scene && matches!(tail, "half a Saturation" | "film") { 0.6 } else { 0.35 };
                    if far <= most {
                        continue;
                    }
                    // As a formula this far from neutral it makes codes that are more light than floats hold.
                    if name.starts_with("slope-offset-power Scene") && scene && s == 1.0 {
                        continue;
                    }
                    // What is steep goes to zero with the step; a jump does not.
                    let (jump, _) = apart(&path(s), &path(nearer), &a, &b);
                    if jump > 0.1 && jump > 0.4 * far {
                        found.push(format!(
                            "{name}{way}, then {tail}, {from} to {to}, at {s}: {far:.2}, at a tenth {jump:.2}, {at:?}"
                        ));
                    }
                }
            }
        }
    }
}

fn none(found: &[String]) {
    assert!(found.is_empty(), "{} jumps\n{}", found.len(), found.join("\n"));
}

#[test]
fn a_thousandth_of_strength_never_jumps_for_any_kind() {
    let mut found = Vec::new();
    for zone in [Zone::Scene, Zone::Screen] {
        for kind in kinds(zone) {
            try_strengths(&format!("{kind} {zone:?}"), &Step::new("s", zone, far(kind)), &mut found);
        }
    }
    none(&found);
}

/// Every step of the starting looks that counts in part by a thousandth, at both ends: at most .2 over the cube.
#[test]
fn a_thousandth_of_the_strength_of_a_starting_looks_step_moves_nothing_by_more_than_a_fifth() {
    let mut found = Vec::new();
    for look in starting::looks() {
        let look = &look.look;
        for (i, step) in look.path.steps.iter().enumerate().filter(|(_, s)| s.zone != Zone::Film) {
            let at = |strength: f64| {
                let mut path = look.path.clone();
                path.steps[i].strength = strength;
                path
            };
            for (from, to) in
                [("acescct", "rec709"), ("linear-rec2020", "rec709"), ("srgb", "srgb"), ("acescct", "pq")]
            {
                for [s, t] in [[0.0, 0.001], [0.999, 1.0]] {
                    let (far, worst) = apart(&at(s), &at(t), &encoding(from), &encoding(to));
                    // ITP counts the whole way from a lamp to grey in hundreds.
                    let most = if to == "pq" {
                        0.2 + 0.002 * apart(&at(0.0), &at(1.0), &encoding(from), &encoding(to)).0
                    } else {
                        0.2
                    };
                    if far > most {
                        found.push(format!(
                            "{}, {} {from} to {to}, {s} to {t}: {far:.2} at {worst:?}",
                            look.name, step.name
                        ));
                    }
                }
            }
        }
    }
    none(&found);
}

/// Steps of which a thousandth of a range is more: the most in CIEDE2000, and why.
const STEEP: &[(&str, Zone, f64, &str)] = &[
    ("balance", Zone::Scene, 3.0, "from 1800 K up, a thousandth of the range is six mireds"),
    ("channel-mix", Zone::Scene, 3.0, "a thousandth is 0.4 % of another channel's light, which may be lamps"),
    (
        "channel-mix",
        Zone::Screen,
        5.5,
        "the same, and at the end of the range on colours that lie at the top",
    ),
    (
        "tone",
        Zone::Screen,
        3.0,
        "bright yellows that leave the display's top keep their luma, not their colour",
    ),
    ("levels", Zone::Scene, 3.0, "where black and white meet the slope is 100"),
    ("levels", Zone::Screen, 15.0, "where black and white meet the slope is 100"),
    ("slope-offset-power", Zone::Scene, 3.0, "a range of 4; a power of .1 is steep at black"),
    ("slope-offset-power", Zone::Screen, 6.0, "a range of 4, and bright yellows as with Tone"),
];

/// A thousandth of a parameter's range moves at most 2 over the cube.
#[test]
fn a_thousandth_of_a_parameters_range_never_jumps() {
    let mut found = Vec::new();
    for zone in [Zone::Scene, Zone::Screen] {
        for kind in kinds(zone) {
            let info = KINDS.iter().find(|k| k.kind == kind).unwrap();
            let base = Values::neutral(kind).unwrap();
            {
                for field in info.fields {
                    let FieldKind::Number { min, max, default, .. } = field.kind else { continue };
                    let with = |v: f64| {
                        let mut all = serde_json::to_value(&base).unwrap();
                        all["values"][field.id] = json!(v);
                        let values: Values = serde_json::from_value(all).unwrap();
                        Path::of(vec![Step::new("s", zone, values)])
                    };
                    let by = (max - min) * 1e-3;
                    for (from, to) in
                        [("acescct", "rec709"), ("srgb", "srgb"), ("pq", "pq"), ("acescg", "pq")]
                    {
                        for v in [min, default, default - by, (min + max) / 2.0, max - by] {
                            let v = v.max(min).min(max - by);
                            let (far, worst) = apart(&with(v), &with(v + by), &encoding(from), &encoding(to));
                            if far > 2.0 {
                                let (near, _) =
                                    apart(&with(v), &with(v + by / 10.0), &encoding(from), &encoding(to));
                                // In ITP whole ranges are hundreds: what is steep goes to zero with the step.
                                if to == "pq" && near < 0.35 * far {
                                    continue;
                                }
                                let known = STEEP.iter().find(|s| (s.0, s.1) == (kind, zone));
                                if known.is_some_and(|s| far < s.2) {
                                    continue;
                                }
                                found.push(format!("{kind} {zone:?} {} at {v:.4}, {from} to {to}: {far:.2} (tenth {near:.2}) at {worst:?}", field.id));
                            }
                        }
                    }
                }
            }
        }
    }
    none(&found);
}

/// Bright wide colours on an HDR display, the demo's lamps among them.
fn lamps() -> Vec<[f32; 4]> {
    let wide =
        [[0.0253, 1.3254, 1.3784], [1.4, 0.05, 0.9], [0.1, 0.2, 2.5], [2.0, 1.2, 0.02], [0.6, 0.5, 0.4]];
    let all = wide.iter().flat_map(|c| [0.05_f32, 0.3, 1.0, 3.0].map(|s| c.map(|v| v * s)));
    all.map(|[r, g, b]| [r, g, b, 1.0]).collect()
}

#[test]
fn saturation_on_hdr_never_takes_more_light_than_density_says_and_is_monotone() {
    // Luminance by the weights of BT.2020 (BT.2100-2, table 2).
    let luminance = |p: &[f32; 4], to: &Encoding| {
        let [r, g, b] = to.transfer.decoded([p[0], p[1], p[2]]);
        0.2627 * r + 0.678 * g + 0.0593 * b
    };
    for to in ["pq", "pq-4000", "hlg"] {
        let (from, to) = (encoding("acescg"), encoding(to));
        let lights = |amount: f64, density: f64| -> Vec<f32> {
            let values = Values::Saturation(Saturation { amount, density, ..Default::default() });
            let path = Path::of(vec![Step::new("s", Zone::Screen, values)]);
            let mut pixels = lamps();
            Program::compile(&path, &from, &to).unwrap().run(&mut pixels);
            pixels.iter().map(|p| luminance(p, &to)).collect()
        };
        let plain = lights(1.0, 0.0);
        for density in [0.0, 0.3, 0.5, 1.0] {
            let mut before = lights(1.0, density);
            for amount in [1.0, 1.25, 1.5, 2.0, 2.5, 3.0] {
                let now = lights(amount, density);
                for (i, (light, was)) in now.iter().zip(&plain).enumerate() {
                    let least = (1.0 - density as f32) * was * 0.97 - 1e-4;
                    assert!(*light >= least, "{} {amount} {density}: colour {i}: {light} of {was}", to.id);
                    // Density grows with saturation, and what is brighter stays it.
                    let falls = density == 0.0 && *light < before[i] * 0.97 - 1e-4;
                    assert!(!falls, "{} {amount}: colour {i}: {light} after {}", to.id, before[i]);
                }
                before = now;
            }
        }
    }
}

#[test]
fn colour_compress_gets_light_as_it_came_and_is_the_reference_gamut_compression_out_to_one_and_a_half() {
    // The kernel itself is held to OpenColorIO's ACES 1.3 gamut compression in `reference.rs`.
    let values = Values::neutral("colour-compress").unwrap();
    let kernel = values.kernel(Zone::Scene).unwrap();
    let light = encoding("acescg");
    let alone = Path::of(vec![Step::new("s", Zone::Scene, values)]);
    let program = Program::compile(&alone, &light, &light).unwrap();
    for i in 0..3 {
        for distance in [0.2, 0.7, 0.9, 1.0, 1.1, 1.25, 1.4, 1.5] {
            for size in [0.01_f32, 0.4, 9.0] {
                let mut rgb = [size, size * 0.6, size];
                rgb[i] = size * (1.0 - distance);
                let mut planes = rgb.map(lantern_core::numeric::lane::Channel::of);
                kernel.run(&mut planes);
                let (want, got) = (planes.map(|p| p[0]), program.on_colour(rgb));
                for c in 0..3 {
                    assert!((want[c] - got[c]).abs() <= 1e-6 * size, "{rgb:?}: {got:?}, not {want:?}");
                }
            }
        }
    }
}
