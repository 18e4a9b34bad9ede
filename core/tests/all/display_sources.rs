//! Display sources under every look that ships: no cliff at the faces of a display's cube, nothing blackened, an untouched
//! picture bit for bit.

#![allow(clippy::unwrap_used)]

use lantern_core::bake::Meter;
use lantern_core::colour::Encoding;
use lantern_core::graph::Program;
use lantern_core::look::Step;
use lantern_core::look::{Look, Path, starting};
use lantern_core::step::{Balance, ChannelMix, HueCurves, Saturation, Tone, Values, Zone};

fn encoding(id: &str) -> Encoding {
    Encoding::find(id).unwrap()
}

/// All looks that ship: starting looks and those of the demo production.
fn shipped() -> Vec<Look> {
    let mut looks: Vec<Look> = starting::looks().iter().map(|s| s.look.clone()).collect();
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/data/looks");
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|f| f.unwrap().path()).collect();
    files.sort();
    looks.extend(files.iter().map(|f| Look::from_json(&std::fs::read_to_string(f).unwrap()).unwrap()));
    looks
}

/// A 17-point cover of the cube, and for each place on a face the same one 8-bit code inward.
fn faces() -> (Vec<[f32; 4]>, Vec<[f32; 4]>) {
    const CODE: f32 = 1.0 / 255.0;
    let (mut at, mut inward) = (Vec::new(), Vec::new());
    for i in 0..17 * 17 * 17 {
        let p = [i % 17, i / 17 % 17, i / 289].map(|v| v as f32 / 16.0);
        // Each channel alone, and all that lie on a face together.
        for moved in [1, 2, 4, 7] {
            let step = |c: usize| match p[c] {
                _ if moved >> c & 1 == 0 => 0.0,
                v if v <= 0.0 => CODE,
                v if v >= 1.0 => -CODE,
                _ => 0.0,
            };
            let q = [0, 1, 2].map(|c| p[c] + step(c));
            if q != p {
                at.push([p[0], p[1], p[2], 1.0]);
                inward.push([q[0], q[1], q[2], 1.0]);
            }
        }
    }
    (at, inward)
}

fn run(program: &Program, pixels: &[[f32; 4]]) -> Vec<[f32; 4]> {
    let mut out = pixels.to_vec();
    program.run_parallel(&mut out);
    out
}

#[test]
fn no_look_has_a_cliff_at_the_faces_of_a_display() {
    let (at, inward) = faces();
    for id in ["rec709", "srgb", "display-p3", "p3-d65", "rec2020"] {
        let display = encoding(id);
        let meter = Meter::new(&display);
        let mut over = Vec::new();
        for look in shipped() {
            let program = Program::compile(&look.path, &display, &display).unwrap();
            let (a, b) = (run(&program, &at), run(&program, &inward));
            let d = meter.differences(&a, &b);
            let (k, worst) = d.iter().enumerate().max_by(|x, y| x.1.total_cmp(y.1)).unwrap();
            assert!(*worst < 6.0, "{id}, {}: {worst} at {:?}", look.name, at[k]);
            if *worst >= 2.0 {
                over.push((look.name.clone(), *worst));
            }
        }
        assert!(over.len() <= 2, "{id}: {over:?}");
    }
}

#[test]
fn an_untouched_picture_leaves_bit_for_bit() {
    let (at, _) = faces();
    let odd = [[-0.1, 1.7, 0.5, 1.0], [f32::MIN_POSITIVE, 1e-30, 3e4, 1.0]];
    for display in Encoding::shipped() {
        let program = Program::compile(&Path::default(), &display, &display).unwrap();
        for pixels in [at.as_slice(), &odd] {
            assert_eq!(run(&program, pixels), pixels, "{}", display.id);
        }
    }
}

#[test]
fn nothing_bright_is_blackened() {
    let (at, _) = faces();
    let display = encoding("rec709");
    for look in shipped() {
        let program = Program::compile(&look.path, &display, &display).unwrap();
        let grey = luma(run(&program, &[[0.5, 0.5, 0.5, 1.0]])[0]);
        for (p, out) in at.iter().zip(run(&program, &at)) {
            // As bright as a lit grey before: not darker than a tenth of what that grey becomes.
            if luma(*p) >= 0.5 {
                assert!(luma(out) > 0.1 * grey, "{}: {p:?} becomes {out:?}", look.name);
            }
        }
    }
}

/// BT.709 luma (BT.709-6, 3.2).
fn luma(p: [f32; 4]) -> f32 {
    0.2126 * p[0] + 0.7152 * p[1] + 0.0722 * p[2]
}

#[test]
fn displays_meet_by_colorimetry() {
    let text = include_str!("../fixtures/displays.json");
    let fixture: serde_json::Value = serde_json::from_str(text).unwrap();
    let triple = |v: &serde_json::Value| [0, 1, 2].map(|i| v[i].as_f64().unwrap() as f32);
    let mut inside = 0;
    for row in fixture["conversions"].as_array().unwrap() {
        let (from, to) = (encoding(row[0].as_str().unwrap()), encoding(row[1].as_str().unwrap()));
        let program = Program::compile(&Path::default(), &from, &to).unwrap();
        let (code, want) = (triple(&row[2]), triple(&row[3]));
        let out = program.on_colour(code);
        if row[4].as_f64().unwrap() < 0.95 {
            inside += 1;
            for (a, b) in out.iter().zip(want) {
                assert!(
                    (a - b).abs() < 1e-4,
                    "{} to {}: {code:?} becomes {out:?}, not {want:?}",
                    from.id,
                    to.id
                );
            }
        }
    }
    assert!(inside > 250, "{inside} of the fixture's colours lie inside");
}

#[test]
fn a_larger_gamut_fits_smoothly_and_hardly_anything_is_pinned() {
    for (from, to) in [("rec2020", "rec709"), ("p3-d65", "rec709"), ("rec2020", "p3-d65")] {
        let program = Program::compile(&Path::default(), &encoding(from), &encoding(to)).unwrap();
        let n = 24;
        let pixels: Vec<[f32; 4]> = (0..n * n * n)
            .map(|i| [i % n, i / n % n, i / n / n].map(|v| (v as f32 + 0.5) / n as f32))
            .map(|[r, g, b]| [r, g, b, 1.0])
            .collect();
        let out = run(&program, &pixels);
        let pinned = out.iter().filter(|p| p[..3].iter().any(|v| *v <= 1e-5 || *v >= 1.0 - 1e-5)).count();
        assert!(pinned as f64 <= 0.01 * out.len() as f64, "{from} to {to}: {pinned} of {}", out.len());
    }
}

#[test]
fn hdr_signals_that_nothing_touches_go_through_their_whole_range() {
    let ramp: Vec<[f32; 4]> =
        (0..=100).map(|i| [i as f32 / 100.0, 1.0 - i as f32 / 100.0, 0.75, 1.0]).collect();
    for (from, to) in
        [("pq", "pq"), ("hlg", "hlg"), ("pq-600", "pq-600"), ("pq", "pq-4000"), ("pq-4000", "pq-4000")]
    {
        let program = Program::compile(&Path::default(), &encoding(from), &encoding(to)).unwrap();
        assert_eq!(run(&program, &ramp), ramp, "{from} to {to}");
    }
}

#[test]
fn sdr_white_meets_hdr_at_203_nits_and_hlg_meets_pq() {
    // ITU-R BT.2408-7, table 1: HDR reference white is 58 % PQ and 75 % HLG.
    let white = |to: &str| {
        Program::compile(&Path::default(), &encoding("rec709"), &encoding(to)).unwrap().on_colour([1.0; 3])
    };
    for (to, want) in [("pq", 0.5807), ("pq-4000", 0.5807), ("hlg", 0.7499)] {
        assert!(white(to).iter().all(|v| (v - want).abs() < 2e-4), "{to}: {:?}", white(to));
    }
    // 1000 cd/m2 is PQ .7518 (ST 2084, 5.2) and HLG 1.
    let to_hlg = Program::compile(&Path::default(), &encoding("pq"), &encoding("hlg")).unwrap();
    assert!((to_hlg.on_colour([0.751_827; 3])[1] - 1.0).abs() < 1e-3);
}

#[test]
fn hdr_comes_down_to_sdr_by_a_tone_map_that_keeps_order_and_does_not_clip() {
    for from in ["pq-600", "pq", "pq-2000", "pq-4000", "hlg"] {
        let from = encoding(from);
        let program = Program::compile(&Path::default(), &from, &encoding("rec709")).unwrap();
        let top = from.code_of_grey(from.peak) as f32;
        let mut last = -1.0;
        for i in 0..=64 {
            let v = program.on_colour([top * i as f32 / 64.0; 3])[1];
            assert!(v >= last, "{}: falls at {i}", from.id);
            assert!(v < 0.999 || i > 60, "{}: white at {i}", from.id);
            last = v;
        }
        assert!(last > 0.985, "{}: peak becomes {last}", from.id);
    }
}

fn strong() -> Vec<(&'static str, Path)> {
    let step = |values: Values| Path::of(vec![Step::new("s", Zone::Scene, values)]);
    vec![
        ("warm", step(Values::Balance(Balance { temperature: 12_000.0, tint: 20.0, ..Default::default() }))),
        ("cold", step(Values::Balance(Balance { temperature: 2_500.0, tint: -20.0, ..Default::default() }))),
        (
            "mixed",
            step(Values::ChannelMix(ChannelMix {
                red_green: -0.6,
                blue_green: 0.5,
                green_red: 0.4,
                ..Default::default()
            })),
        ),
        ("saturated", step(Values::Saturation(Saturation { amount: 1.6, ..Default::default() }))),
        ("dense", step(Values::Saturation(Saturation { amount: 1.3, density: 0.6, ..Default::default() }))),
        ("contrast", step(Values::Tone(Tone { contrast: 1.6, ..Default::default() }))),
        (
            "turned",
            step(Values::HueCurves(HueCurves {
                hue: vec![[0.0, 20.0], [180.0, -20.0]],
                ..Default::default()
            })),
        ),
    ]
}

#[test]
fn lamps_never_grow_darker_with_exposure() {
    let scene = encoding("acescg");
    let display = encoding("rec709");
    let mut paths: Vec<(String, Path)> = shipped()
        .into_iter()
        // These drain or darken colours by brightness or by saturation on purpose.
        .filter(|l| !["One Red Thing"].contains(&l.name.as_str()))
        .map(|l| (l.name, l.path))
        .collect();
    paths.extend(strong().into_iter().map(|(name, path)| (name.to_string(), path)));
    let mut falls = Vec::new();
    for (name, path) in paths {
        let program = Program::compile(&path, &scene, &display).unwrap();
        let mut worst = 0.0_f32;
        for k in 0..200 {
            // Around the triangle of AP1 and somewhat beyond it, as lamps and lasers lie.
            let t = k as f32 / 200.0 * 3.0;
            let (side, f) = (t as usize, t.fract());
            let mut lamp = [-0.05 * (k % 3) as f32; 3];
            lamp[side] = 1.0 - f;
            lamp[(side + 1) % 3] = f;
            let pixels: Vec<[f32; 4]> = (0..=64)
                .map(|i| 0.18 * (-8.0 + i as f32 * 0.25).exp2())
                .map(|gain| [lamp[0] * gain, lamp[1] * gain, lamp[2] * gain, 1.0])
                .collect();
            let mut top = 0.0_f32;
            for p in run(&program, &pixels) {
                top = top.max(luma(p));
                worst = worst.max(top - luma(p));
            }
        }
        if worst > 0.005 {
            falls.push((name, worst));
        }
    }
    assert!(falls.is_empty(), "{falls:?}");
}

#[test]
fn an_empty_path_to_its_own_encoding_is_exact_far_over_white() {
    for id in ["acescct", "acescc", "acescg", "linear-rec2020", "cineon"] {
        let e = encoding(id);
        let program = Program::compile(&Path::default(), &e, &e).unwrap();
        for rgb in [[5.0, 0.4, 0.4], [-40.0, 1e9, 0.5], [0.1, f32::MAX, -f32::MAX]] {
            assert_eq!(program.on_colour(rgb), rgb, "{id}");
        }
    }
}
