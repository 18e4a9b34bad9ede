//! Film against sensitometry: what a printer, a print and a projection have to do, with the source beside each check.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::Encoding;
use lantern_core::colour::chart::patches_ap1;
use lantern_core::colour::difference::{ciede2000, xyz_to_lab};
use lantern_core::colour::{chromaticity::xy_to_xyz, primaries::AP1};
use lantern_core::film::dyes::Dyes;
use lantern_core::film::reading::Reading;
use lantern_core::film::spectrum::{OBSERVER, daylight};
use lantern_core::film::stock::{negatives, prints};
use lantern_core::film::{Chain, GREY, NegativeKind, NegativeStock, PrintStock};
use lantern_core::graph::Program;
use lantern_core::look::{Path, Step};
use lantern_core::numeric::lane::{Channel, Planes};
use lantern_core::step::{Negative, Print, Values, Zone};

fn fixture() -> serde_json::Value {
    let path = format!("{}/tests/fixtures/film.json", env!("CARGO_MANIFEST_DIR"));
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

fn numbers(v: &serde_json::Value) -> Vec<f64> {
    v.as_array().unwrap().iter().map(|x| x.as_f64().unwrap()).collect()
}

fn negative(stock: &NegativeStock) -> Negative {
    Negative { stock: stock.clone(), ..Default::default() }
}

fn print(stock: &PrintStock) -> Print {
    Print { stock: stock.clone(), ..Default::default() }
}

fn chain(n: &Negative, p: &Print) -> Chain {
    Chain::new(Some(n), Some(p))
}

/// What the blocks make of colours of linear AP1: linear AP1 on the screen.
fn shown(chain: &Chain, colours: &[[f64; 3]]) -> Vec<[f64; 3]> {
    let mut out = Vec::new();
    for rgb in colours {
        let mut p: Planes = rgb.map(|v| Channel::of(v as f32));
        chain.exposing.run(&mut p);
        chain.developing.run(&mut p);
        chain.printing.run(&mut p);
        out.push([0, 1, 2].map(|c| f64::from(p[c][0])));
    }
    out
}

fn lab(rgb: [f64; 3]) -> [f64; 3] {
    let xyz = AP1.to_xyz().apply(rgb.map(|v| v.max(0.0)));
    xyz_to_lab(xyz, xy_to_xyz(AP1.white))
}

fn chroma([_, a, b]: [f64; 3]) -> f64 {
    a.hypot(b)
}

fn greys(stops: impl Iterator<Item = f64>) -> Vec<[f64; 3]> {
    stops.map(|s| [GREY * s.exp2(); 3]).collect()
}

#[test]
fn observer_and_daylight_are_those_of_the_cie() {
    // colour-science's tables of CIE 015, which hold more digits than ours.
    let f = fixture();
    for (ours, theirs) in OBSERVER.iter().zip(f["observer"].as_array().unwrap()) {
        for (a, b) in ours.iter().zip(numbers(theirs)) {
            assert!((a - b).abs() < 1e-6, "{ours:?} {theirs}");
        }
    }
    for (kelvin, values) in f["daylight"].as_object().unwrap() {
        let ours = daylight(kelvin.parse().unwrap());
        for (a, b) in ours.iter().zip(numbers(values)) {
            // Theirs rounds its two factors to three digits, as the CIE's older recommendation did.
            assert!((a / ours[18] - b).abs() < 1.5e-3, "{kelvin} K: {a} {b}");
        }
    }
}

#[test]
fn light_through_dyes_is_colour_sciences_spectral_sum() {
    let f = fixture();
    let mut dyes: Option<(String, Dyes)> = None;
    for case in f["dyes"].as_array().unwrap() {
        let stock = case["stock"].as_str().unwrap();
        let kelvin = case["kelvin"].as_f64().unwrap();
        let key = format!("{stock}{kelvin}");
        if dyes.as_ref().is_none_or(|(k, _)| *k != key) {
            let name = stock.replace('-', " ");
            let own = prints().iter().find(|p| p.name.to_lowercase() == name).unwrap();
            dyes = Some((key, Dyes::new(&own.dyes, kelvin)));
        }
        let c: [f64; 3] = numbers(&case["amounts"]).try_into().unwrap();
        let got = dyes.as_ref().unwrap().1.xyz(c, 0.0, 0.0);
        for (a, b) in got.iter().zip(numbers(&case["xyz"])) {
            assert!((a - b).abs() < 2e-3 * b + 1e-6, "{case}: {got:?}");
        }
    }
}

#[test]
fn middle_grey_prints_to_its_aim_and_neutral_for_every_pair() {
    for n in negatives() {
        for p in prints() {
            let chain = chain(&negative(n), &print(p));
            let aim = n.projected.as_ref().map_or(p.aim, |p| p.aim);
            let xyz = chain.projection.xyz(chain.neutral(GREY));
            let density = -xyz[1].log10() + chain.projection.dyes.base_density;
            assert!((density - aim).abs() < 0.005, "{} on {}: {density} for {aim}", n.name, p.name);
            let c = chroma(xyz_to_lab(xyz, xy_to_xyz(chain.projection.dyes.white())));
            assert!(c < 0.1, "{} on {}: {c}", n.name, p.name);
            // Laboratory aim of a print's grey: visual density about 1.0 to 1.1 (common practice); a dense or a light
            // stock may go a little beyond.
            assert!((0.9..1.25).contains(&aim));
        }
    }
}

#[test]
fn one_point_is_a_fortieth_of_log_exposure_and_twelve_are_a_stop_of_light() {
    // Common practice: 0.025 log exposure a point, 12 points 0.30. Twelve points more of all three are what the negative
    // would have let through with 0.30 less density.
    let n = Negative::default();
    let usual = chain(&n, &Print::default()).printer.unwrap();
    let more = Print { red: 37.0, green: 37.0, blue: 37.0, ..Default::default() };
    let more = chain(&n, &more).printer.unwrap();
    for c in 0..3 {
        assert!((more.light[c] - usual.light[c] - 0.30).abs() < 1e-9);
    }
}

#[test]
fn points_darken_and_go_to_the_complement_of_their_light() {
    let reading = Reading::of(&chain(&Negative::default(), &Print::default()));
    let [red, green, blue, all] = reading.moves;
    // More light makes a print darker; the dye of that layer takes its own colour away (subtractive colour).
    assert!(red[0] < 0.0 && red[1] < -0.5, "red light goes cyan: {red:?}");
    assert!(green[0] < 0.0 && green[1] > 0.5, "green light goes magenta: {green:?}");
    assert!(blue[0] < 0.0 && blue[2] > 0.5, "blue light goes yellow: {blue:?}");
    assert!(all[0] < -1.0 && all[1].hypot(all[2]) < 0.05, "all three stay neutral: {all:?}");
}

#[test]
fn the_neutral_scale_rises_and_neutral_prints_stay_neutral() {
    let scale = greys((-100..=80).map(|i| f64::from(i) * 0.1));
    for n in negatives() {
        for p in prints() {
            let out = shown(&chain(&negative(n), &print(p)), &scale);
            let y: Vec<f64> = out.iter().map(|rgb| lab(*rgb)[0]).collect();
            for pair in y.windows(2) {
                assert!(pair[1] > pair[0] - 2e-4, "{} on {}: {pair:?}", n.name, p.name);
            }
            let tint = out.iter().map(|rgb| chroma(lab(*rgb))).fold(0.0, f64::max);
            let neutral = ["Meadowlight", "Iron Moth", "Quiet Ash"].contains(&n.name.as_str())
                && ["Plainsong", "Carnival Wire"].contains(&p.name.as_str());
            assert!(tint < if neutral { 0.6 } else { 26.0 }, "{} on {}: {tint}", n.name, p.name);
        }
    }
}

#[test]
fn slopes_and_densities_are_a_prints() {
    for n in negatives() {
        for p in prints() {
            let r = Reading::of(&chain(&negative(n), &print(p)));
            // Negative times print: 1.2 to 1.75 between the soft and the hard ends of what is projected; a hard silver
            // negative on the punchiest print goes beyond, as the softest on the softest stays below.
            assert!((0.93..1.95).contains(&r.slope), "{} on {}: {}", n.name, p.name, r.slope);
        }
        let r = Reading::of(&chain(&negative(n), &Print::default()));
        assert!((1.15..1.75).contains(&r.slope), "{} on the neutral print: {}", n.name, r.slope);
    }
    for p in prints() {
        // A print's deepest black exceeds a density of 3.5 (common practice).
        for c in p.curves() {
            assert!(c.most() > 3.45, "{}: {}", p.name, c.most());
        }
    }
}

#[test]
fn push_raises_the_slope_pull_lowers_it_and_the_printer_keeps_grey() {
    let usual = Reading::of(&chain(&Negative::default(), &Print::default()));
    let at = |push: f64, exposure: f64| {
        let n = Negative { push, exposure, ..Default::default() };
        Reading::of(&chain(&n, &Print::default()))
    };
    let (push, pull) = (at(1.0, 0.0), at(-1.0, 0.0));
    assert!(push.slope > usual.slope + 0.05 && pull.slope < usual.slope - 0.05);
    for r in [push, pull, at(0.0, 2.0), at(0.0, -2.0)] {
        assert!((r.grey_density - usual.grey_density).abs() < 0.005);
        assert!(r.made_up.iter().any(|p| p.abs() > 0.5), "{:?}", r.made_up);
    }
    // Two stops over on a straight curve: the negative is denser by its gamma times 0.6, so as many points more.
    let over = at(0.0, 2.0);
    let gamma = NegativeStock::default().layers[1].gamma;
    assert!((over.made_up[1] - gamma * 0.602 / 0.025).abs() < 1.5, "{:?}", over.made_up);
    // Without the printer's help the picture gets lighter.
    let n = Negative { exposure: 1.0, compensate: false, ..Default::default() };
    let lighter = Reading::of(&chain(&n, &Print::default()));
    assert!(lighter.grey_density < usual.grey_density - 0.2);
}

#[test]
fn retained_silver_deepens_black_and_drains_colour_and_leaves_grey() {
    let patches = patches_ap1();
    let chromas = |n: &Negative, p: &Print| -> f64 {
        shown(&chain(n, p), &patches[..18]).iter().map(|rgb| chroma(lab(*rgb))).sum::<f64>() / 18.0
    };
    let (n, p) = (Negative::default(), Print::default());
    let usual = Reading::of(&chain(&n, &p));
    let silver_print = Print { silver: 1.0, ..p.clone() };
    let r = Reading::of(&chain(&n, &silver_print));
    assert!((r.grey_density - usual.grey_density).abs() < 0.005);
    assert!(r.slope > usual.slope && r.deepest > usual.deepest);
    assert!(chromas(&n, &silver_print) < 0.95 * chromas(&n, &p));
    let silver_negative = Negative { silver: 1.0, ..n.clone() };
    let r = Reading::of(&chain(&silver_negative, &p));
    assert!((r.grey_density - usual.grey_density).abs() < 0.005 && r.slope > usual.slope);
    assert!(chromas(&silver_negative, &p) < chromas(&n, &p) * 1.35);
}

#[test]
fn preflash_lifts_shadows_and_the_range_fit_keeps_ends_apart() {
    let scale = greys([-6.0, -4.0, 0.0, 6.0, 9.0].into_iter());
    let l = |n: &Negative| -> Vec<f64> {
        shown(&chain(n, &Print::default()), &scale).iter().map(|c| lab(*c)[0]).collect()
    };
    let usual = l(&Negative::default());
    let flashed = l(&Negative { flash: 0.05, ..Default::default() });
    assert!(flashed[1] > usual[1] + 0.5 && (flashed[2] - usual[2]).abs() < 0.2);
    let fitted = l(&Negative { range_fit: 1.0, ..Default::default() });
    assert!(fitted[4] - fitted[3] > usual[4] - usual[3], "{fitted:?} {usual:?}");
    assert!((fitted[2] - usual[2]).abs() < 0.05);
}

#[test]
fn the_neutral_lock_takes_the_tint_and_nothing_else() {
    let ember = prints().iter().find(|p| p.name == "Ember Vault").unwrap();
    let scale = greys((-60..=60).map(|i| f64::from(i) * 0.1));
    let n = Negative::default();
    let free = shown(&chain(&n, &print(ember)), &scale);
    let locked = shown(&chain(&n, &Print { lock: 1.0, ..print(ember) }), &scale);
    let most = |out: &[[f64; 3]]| out.iter().map(|c| chroma(lab(*c))).fold(0.0, f64::max);
    assert!(most(&free) > 5.0 && most(&locked) < 0.35, "{} {}", most(&free), most(&locked));
    for (a, b) in free.iter().zip(&locked) {
        assert!((lab(*a)[0] - lab(*b)[0]).abs() < 0.3);
    }
}

#[test]
fn stocks_are_told_apart_at_a_glance() {
    // The chart, and skins of five depths made from its two: the demo's own faces are held in the app's tests.
    let chart = patches_ap1();
    let skins = [(1, 1.5), (1, 1.0), (0, 1.9), (0, 1.0), (0, 0.5)]
        .map(|(i, k): (usize, f64)| chart[i].map(|v| v * k));
    let colours: Vec<[f64; 3]> = chart.into_iter().chain(skins).collect();
    let seen = |c: &Chain| -> Vec<[f64; 3]> { shown(c, &colours).into_iter().map(lab).collect() };
    let apart = |all: &[(String, Vec<[f64; 3]>)]| {
        for (i, (a, x)) in all.iter().enumerate() {
            for (b, y) in &all[i + 1..] {
                let mean = x.iter().zip(y).map(|(p, q)| ciede2000(*p, *q)).sum::<f64>() / x.len() as f64;
                assert!(mean >= 4.0, "{a} and {b}: {mean}");
            }
        }
    };
    let neutral = Print::default();
    let all: Vec<_> =
        negatives().iter().map(|n| (n.name.clone(), seen(&chain(&negative(n), &neutral)))).collect();
    apart(&all);
    let main = Negative::default();
    let all: Vec<_> = prints().iter().map(|p| (p.name.clone(), seen(&chain(&main, &print(p))))).collect();
    apart(&all);
}

#[test]
fn blocks_and_single_values_agree() {
    for n in negatives() {
        let chain = chain(&negative(n), &Print::default());
        for stops in [-8.0, -3.0, 0.0, 2.5, 6.0] {
            let light = GREY * f64::exp2(stops);
            let want = chain.projection.ap1(chain.neutral(light));
            let got = shown(&chain, &[[light; 3]])[0];
            for (a, b) in want.iter().zip(got) {
                assert!((a - b).abs() < 1e-4 * a.abs().max(0.15), "{} at {stops}: {want:?} {got:?}", n.name);
            }
        }
    }
}

#[test]
fn a_silver_negative_sees_through_its_filter_and_prints_grey() {
    let moth = negatives().iter().find(|n| n.kind == NegativeKind::BlackAndWhite).unwrap();
    let patches = patches_ap1();
    let out = shown(&chain(&negative(moth), &Print::default()), &patches);
    assert!(out.iter().all(|c| chroma(lab(*c)) < 0.6));
    // A stock awake to red shows the red patch lighter than the blue one of half its light in blue's place.
    let (red, blue) = (lab(out[14])[0], lab(out[12])[0]);
    assert!(red > blue + 10.0, "{red} {blue}");
}

/// A stock that passes its check makes finite light of everything, however odd it is.
#[test]
fn odd_stocks_make_finite_light() {
    let mut state = 12_345_u32;
    let mut random = |low: f64, high: f64| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        low + (high - low) * f64::from(state >> 8) / f64::from(1 << 24)
    };
    let colours = [[0.0; 3], [-0.2, 0.1, 3.0], [1e5, 0.0, 1e-8], [0.18; 3], [0.01, 40.0, -3.0]];
    let mut tried = 0;
    for _ in 0..400 {
        let (mut n, mut p) = (NegativeStock::default(), PrintStock::default());
        for l in n.layers.iter_mut().chain(&mut p.layers) {
            l.gamma = random(0.1, 8.0);
            l.toe = random(-3.0, 1.0);
            l.toe_soft = random(0.02, 0.8);
            l.shoulder = random(0.2, 4.0);
            l.shoulder_soft = random(0.02, 0.8);
        }
        for b in [&mut p.dyes.cyan, &mut p.dyes.magenta, &mut p.dyes.yellow].into_iter().flatten() {
            b.height *= random(0.4, 2.0);
            b.width *= random(0.5, 3.0);
        }
        n.restraint.iter_mut().flatten().for_each(|v| *v = random(0.0, 1.0));
        if n.check().is_err() || p.check().is_err() {
            continue;
        }
        tried += 1;
        let negative = Negative { push: random(-2.0, 3.0), exposure: random(-4.0, 4.0), ..negative(&n) };
        let print = Print { red: random(0.0, 50.0), silver: 1.0, lock: 1.0, black: 1.0, ..print(&p) };
        for rgb in shown(&chain(&negative, &print), &colours) {
            assert!(rgb.iter().all(|v| v.is_finite()), "{n:?} {p:?} {rgb:?}");
        }
    }
    assert!(tried > 20, "{tried}");
}

#[test]
fn the_same_light_makes_the_same_film_whatever_encoding_it_came_in() {
    let steps = vec![
        Step::new("n", Zone::Film, Values::Negative(Negative::default())),
        Step::new("p", Zone::Film, Values::Print(Print::default())),
    ];
    let path = Path::of(steps);
    let to = Encoding::find("rec709").unwrap();
    let linear = Encoding::find("acescg").unwrap();
    for rgb in [[0.18_f32; 3], [0.4, 0.2, 0.1], [0.02, 0.05, 0.09], [2.0, 1.4, 0.9]] {
        let want = Program::compile(&path, &linear, &to).unwrap().on_colour(rgb);
        for id in ["acescct", "acescc", "aces2065-1", "cineon", "linear-rec709", "linear-rec2020"] {
            let from = Encoding::find(id).unwrap();
            let code = Program::compile(&Path::default(), &linear, &from).unwrap().on_colour(rgb);
            let got = Program::compile(&path, &from, &to).unwrap().on_colour(code);
            for (a, b) in want.iter().zip(got) {
                assert!((a - b).abs() < 2e-4, "{id}: {rgb:?} {want:?} {got:?}");
            }
        }
    }
}

#[test]
fn lamps_as_wide_as_ap1_stay_inside_the_display_and_keep_their_order() {
    let to = Encoding::find("rec709").unwrap();
    let linear = Encoding::find("acescg").unwrap();
    for n in negatives() {
        let steps = vec![
            Step::new("n", Zone::Film, Values::Negative(negative(n))),
            Step::new("p", Zone::Film, Values::Print(Print::default())),
        ];
        let program = Program::compile(&Path::of(steps), &linear, &to).unwrap();
        for i in 0..60 {
            // Around the triangle of AP1, from each primary to the next.
            let (side, t) = (i / 20, f64::from(i % 20) / 20.0);
            let mut lamp = [0.0_f64; 3];
            lamp[side as usize] = 1.0 - t;
            lamp[(side as usize + 1) % 3] = t;
            let mut last = -1.0;
            for stops in -4..=6 {
                let rgb = lamp.map(|v| (v * GREY * f64::exp2(f64::from(stops))) as f32);
                let out = program.on_colour(rgb);
                let luma = 0.2126 * out[0].powf(2.4) + 0.7152 * out[1].powf(2.4) + 0.0722 * out[2].powf(2.4);
                // Inside, and no channel pinned where the lamp is neither black nor white.
                assert!(
                    out.iter().all(|v| (0.0..=1.0).contains(v)),
                    "{}: {lamp:?} at {stops}: {out:?}",
                    n.name
                );
                if (0.02..0.8).contains(&luma) {
                    assert!(
                        out.iter().all(|v| (1e-3..0.9995).contains(v)),
                        "{}: {lamp:?} at {stops}: {out:?}",
                        n.name
                    );
                }
                assert!(luma > last - 2e-3, "{}: {lamp:?} at {stops} is darker than with less light", n.name);
                last = luma;
            }
        }
    }
}
