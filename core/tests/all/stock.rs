//! Films from patches and from print tables: hidden stocks of the same model and of others, seen through noise.

#![allow(clippy::unwrap_used)]

use crate::common;

use lantern_core::colour::Encoding;
use lantern_core::colour::chart;
use lantern_core::colour::chromaticity::xy_to_xyz;
use lantern_core::colour::difference::{ciede2000, xyz_to_lab};
use lantern_core::colour::primaries::BT709;
use lantern_core::film::measured::{Patch, Wedge};
use lantern_core::film::spectrum::OBSERVER;
use lantern_core::film::{NegativeKind, NegativeStock, PrintStock, stock, wedge};
use lantern_core::matching::stock::print_table::{self, Held};
use lantern_core::matching::stock::{Film, Known, patches};
use lantern_core::matching::training::Random;
use lantern_core::table::Table;
use std::sync::atomic::AtomicBool;

static GO_ON: AtomicBool = AtomicBool::new(false);

fn unwatched(_: usize) {}

fn start() -> Film {
    Film::new(NegativeStock::default(), Some(PrintStock::default())).unwrap()
}

/// A stock of the same model: every parameter moved by about its prior's width.
fn hidden(seed: u64) -> Film {
    let mut random = Random(seed);
    let mut film = start();
    let n = &mut film.negative;
    for i in 0..3 {
        for j in (0..3).filter(|j| *j != i) {
            n.capture[i][j] += 0.08 * random.bell();
            n.restraint[i][j] = (n.restraint[i][j] + 0.1 * random.bell()).clamp(0.0, 1.0);
            n.printing[i][j] += 0.03 * random.bell();
        }
        for m in [&mut n.capture, &mut n.printing] {
            m[i][i] = 1.0 - m[i][(i + 1) % 3] - m[i][(i + 2) % 3];
        }
    }
    let print = film.print.as_mut().unwrap();
    let mut common = [random.bell(), random.bell(), random.bell()];
    for (layers, places) in [(&mut n.layers, 1.0), (&mut print.layers, 0.5)] {
        for l in layers {
            l.gamma *= (0.08 * common[0] + 0.03 * random.bell()).exp();
            l.toe += places * (0.15 * common[1] + 0.03 * random.bell());
            l.toe_soft = (l.toe_soft * (0.25 * random.bell()).exp()).clamp(0.03, 0.7);
            l.shoulder += places * (0.2 * common[2] + 0.05 * random.bell());
        }
        common = [random.bell(), random.bell(), random.bell()];
    }
    for bands in [&mut print.dyes.cyan, &mut print.dyes.magenta, &mut print.dyes.yellow] {
        let (move_by, widen) = (5.0 * random.bell(), (0.08 * random.bell()).exp());
        for b in bands {
            b.centre += move_by;
            b.width *= widen;
        }
    }
    film.points = [0; 3].map(|_| 25.0 + 1.5 * random.bell());
    film
}

/// What a film makes of light.
type Seen<'a> = &'a dyn Fn(&[[f64; 3]]) -> Vec<[f64; 3]>;

/// What is measured of a film: the chart at some exposures, with noise.
fn measured(of: Seen<'_>, stops: &[f64], noise: f64, random: &mut Random) -> Vec<Patch> {
    let mut all = Vec::new();
    for stop in stops {
        let light: Vec<[f64; 3]> = chart::patches_ap1().iter().map(|p| p.map(|v| v * stop.exp2())).collect();
        for ((lab, light), (name, _)) in of(&light).into_iter().zip(light).zip(chart::PATCHES) {
            let lab = lab.map(|v| v + noise * random.bell());
            all.push(Patch { name: name.into(), light, lab });
        }
    }
    all
}

/// Colours that were not measured: mixes of patches over six stops.
fn held_out(random: &mut Random) -> Vec<[f64; 3]> {
    let chart = chart::patches_ap1();
    (0..300)
        .map(|_| {
            let [a, b] = [0; 2].map(|_| chart[(random.unit() * 23.999) as usize]);
            let (t, e) = (random.unit(), random.between(-3.0, 3.0).exp2());
            [0, 1, 2].map(|i| (a[i] + t * (b[i] - a[i])) * e)
        })
        .collect()
}

fn mean_off(a: &[[f64; 3]], b: &[[f64; 3]]) -> f64 {
    a.iter().zip(b).map(|(a, b)| ciede2000(*a, *b)).sum::<f64>() / a.len() as f64
}

/// A film by other mathematics: logistic curves, a matrix, dyes of bells through the observer, nothing solved for grey.
struct Other {
    sees: [[f64; 3]; 3],
    /// Slope, middle and top of the negative's and the print's curves.
    curves: [[[f64; 3]; 3]; 2],
    cross: f64,
    dyes: [[f64; 3]; 3],
}

fn logistic(x: f64, [slope, middle, top]: [f64; 3]) -> f64 {
    top / (1.0 + (-4.0 * slope / top * (x - middle)).exp())
}

impl Other {
    fn new(seed: u64) -> Self {
        let mut random = Random(seed);
        let mut near = |v: f64, by: f64| v + by * random.bell();
        let sees = [0, 1, 2].map(|i| {
            let side = [near(0.06, 0.04), near(0.06, 0.04)];
            let mut row = [0.0; 3];
            row[i] = 1.0 - side[0] - side[1];
            row[(i + 1) % 3] = side[0];
            row[(i + 2) % 3] = side[1];
            row
        });
        let negative = [0; 3].map(|_| [near(0.6, 0.03), near(0.5, 0.1), near(2.0, 0.1)]);
        let print = [0; 3].map(|_| [near(2.6, 0.1), near(0.0, 0.03), near(3.7, 0.1)]);
        let cross = near(0.08, 0.03);
        let dyes = [[655.0, 48.0, 0.1], [543.0, 40.0, 0.16], [445.0, 36.0, 0.06]]
            .map(|d| [near(d[0], 4.0), near(d[1], 3.0), near(d[2], 0.02)]);
        Self { sees, curves: [negative, print], cross, dyes }
    }

    fn lab(&self, light: [f64; 3]) -> [f64; 3] {
        let (xyz, white) = self.xyz(light);
        xyz_to_lab(xyz, white)
    }

    /// XYZ of the projected print, and of its white.
    fn xyz(&self, light: [f64; 3]) -> ([f64; 3], [f64; 3]) {
        let seen = self.sees.map(|row| row.iter().zip(light).map(|(m, v)| m * v).sum::<f64>());
        let d = [0, 1, 2].map(|i| logistic((seen[i].max(0.0) / 0.18 + 1e-4).log10(), self.curves[0][i]));
        let mean = d.iter().sum::<f64>() / 3.0;
        let grey = [0, 1, 2].map(|i| logistic(0.0, self.curves[0][i]));
        let dye = [0, 1, 2].map(|i| {
            let through = d[i] + self.cross * (mean - d[i]) - grey[i];
            logistic(-0.35 - through, self.curves[1][i])
        });
        let (mut xyz, mut white) = ([0.0; 3], [0.0; 3]);
        for (k, bar) in OBSERVER.iter().enumerate() {
            let wave = 380.0 + 10.0 * k as f64;
            let density: f64 = (0..3)
                .map(|i| {
                    let bell = |c: f64, w: f64| (-0.5 * ((wave - c) / w).powi(2)).exp();
                    let [c, w, side] = self.dyes[i];
                    dye[i] * (bell(c, w) + side * bell(c - 110.0, 60.0))
                })
                .sum();
            for j in 0..3 {
                xyz[j] += bar[j] * 10_f64.powf(-density);
                white[j] += bar[j];
            }
        }
        let scale = white[1];
        (xyz.map(|v| v / scale), white.map(|v| v / scale))
    }
}

/// Seeds of hidden films: three, or with LANTERN_ALL_LOOKS=1 twelve.
fn seeds() -> std::ops::Range<u64> {
    1..if std::env::var_os("LANTERN_ALL_LOOKS").is_some() { 13 } else { 4 }
}

const THREE: [f64; 3] = [-2.0, 0.0, 2.0];

#[test]
fn a_film_is_found_again_from_a_chart_at_three_exposures() {
    let mut all = Vec::new();
    for seed in seeds() {
        let film = hidden(seed);
        let mut random = Random(100 + seed);
        let data = measured(&|l| patches::seen(&film, l), &THREE, 0.5, &mut random);
        let fitted = patches::fit(&start(), &data, Known::default(), &unwatched, &GO_ON).unwrap();
        let light = held_out(&mut random);
        let (wanted, found) = (patches::seen(&film, &light), patches::seen(&fitted.film, &light));
        let (before, after) =
            (mean_off(&wanted, &patches::seen(&start(), &light)), mean_off(&wanted, &found));
        println!("{seed}: before {before:.2}, after {after:.3}");
        assert!(fitted.fit.tied && before > 2.0 && after <= 0.6, "{seed}: {before} {after}");
        // What it says of itself holds: what the others say of a patch is about as far off as the noise.
        let left_out = fitted.fit.left_out.iter().sum::<f64>() / 72.0;
        assert!((0.4..1.2).contains(&left_out), "{seed}: {left_out}");
        all.push(after);
    }
    assert!(all.iter().sum::<f64>() / all.len() as f64 <= 0.4, "{all:?}");
}

#[test]
fn with_a_wedge_or_a_known_print_the_negative_is_true_on_another_print_too() {
    for seed in seeds() {
        let film = hidden(seed);
        let mut random = Random(300 + seed);
        let data = measured(&|l| patches::seen(&film, l), &THREE, 0.5, &mut random);
        let light = held_out(&mut random);
        let other = stock::prints()[1].clone();
        let there = |f: &Film| {
            patches::seen(&Film { print: Some(other.clone()), points: [25.0; 3], ..f.clone() }, &light)
        };
        let wanted = there(&film);
        let n = &film.negative;
        let steps = (0..21).map(|i| {
            let x = -1.8 + 0.15 * f64::from(i);
            let d = [0, 1, 2].map(|c| n.base[c] + n.layers[c].curve().at(x) + 0.01 * random.bell());
            [x, d[0], d[1], d[2]]
        });
        let wedge = Wedge { name: "hidden".into(), push: 0.0, steps: steps.collect() };
        let curves = wedge::negative(&start().negative, &[wedge], &GO_ON).unwrap();
        let known = Known { negative_curves: true, ..Default::default() };
        let begun = Film { negative: curves, ..start() };
        let by_wedge = patches::fit(&begun, &data, known, &unwatched, &GO_ON).unwrap();
        let known = Known { print: true, ..Default::default() };
        let begun = Film { print: film.print.clone(), ..start() };
        let by_print = patches::fit(&begun, &data, known, &unwatched, &GO_ON).unwrap();
        let off = [&start(), &by_wedge.film, &by_print.film].map(|f| mean_off(&wanted, &there(f)));
        println!(
            "{seed}: on another print {:.2}, with a wedge {:.3}, with its print {:.3}",
            off[0], off[1], off[2]
        );
        assert!(off[1] <= 0.7 && off[2] <= 0.7, "{seed}: {off:?}");
        assert!(!by_wedge.fit.tied && !by_print.fit.tied);
        // The wedge stays with the stock, the known print as it was.
        assert_eq!(by_wedge.film.negative.measured.as_ref().map(|m| m.wedges.len()), Some(1));
        assert_eq!(by_print.film.print, film.print);
    }
}

#[test]
fn a_film_of_another_model_is_met_as_far_as_ours_goes() {
    for seed in seeds() {
        let film = Other::new(seed);
        let seen = |l: &[[f64; 3]]| -> Vec<[f64; 3]> { l.iter().map(|v| film.lab(*v)).collect() };
        let mut random = Random(200 + seed);
        let data = measured(&seen, &THREE, 0.5, &mut random);
        let fitted = patches::fit(&start(), &data, Known::default(), &unwatched, &GO_ON).unwrap();
        let light = held_out(&mut random);
        let off = mean_off(&seen(&light), &patches::seen(&fitted.film, &light));
        println!("other {seed}: {off:.3}");
        assert!(off <= 2.0, "{seed}: {off}");
        fitted.film.negative.check().unwrap();
        // Both sides open again as they were saved, with their data.
        let json = serde_json::to_string(&fitted.film.negative).unwrap();
        assert_eq!(serde_json::from_str::<NegativeStock>(&json).unwrap(), fitted.film.negative);
    }
}

#[test]
fn what_are_no_patches_is_refused_in_a_sentence() {
    let mut random = Random(9);
    let fine = measured(&|l| patches::seen(&start(), l), &[0.0], 0.0, &mut random);
    let says = |change: &dyn Fn(&mut Vec<Patch>)| {
        let mut some = fine.clone();
        change(&mut some);
        patches::fit(&start(), &some, Known::default(), &unwatched, &GO_ON).unwrap_err().to_string()
    };
    assert!(says(&|p| p.truncate(3)).contains("8 or more"));
    assert!(says(&|p| p[2].lab[0] = f64::NAN).contains("blue sky”: a value is no finite number"));
    assert!(says(&|p| p[2].light[0] = 1e9).contains("scene light"));
    assert!(says(&|p| p[2].lab[0] = 400.0).contains("L*"));
    assert!(says(&|p| p.iter_mut().for_each(|q| q.lab = [50.0, 0.0, 0.0])).contains("all alike"));
    let stopped = AtomicBool::new(true);
    let found = patches::fit(&start(), &fine, Known::default(), &unwatched, &stopped);
    assert!(found.unwrap_err().to_string().contains("stopped"));
    let silver = stock::negatives().iter().find(|s| s.kind == NegativeKind::BlackAndWhite).unwrap();
    assert!(Film::new(silver.clone(), None).unwrap_err().to_string().contains("black and white"));
}

#[test]
fn the_same_patches_give_the_same_bits_on_one_thread_and_on_more() {
    let mut random = Random(11);
    let data = measured(&|l| patches::seen(&hidden(3), l), &THREE, 0.5, &mut random);
    let fit = || patches::fit(&start(), &data, Known::default(), &unwatched, &GO_ON).unwrap();
    let one = rayon::ThreadPoolBuilder::new().num_threads(1).build().unwrap();
    assert_eq!(fit(), one.install(fit));
}

/// A table from a log encoding to a display of another film.
fn table(film: &Other, size: usize) -> Table {
    let log = Encoding::find("acescct").unwrap();
    let to_xyz = BT709.from_xyz();
    let d65 = xy_to_xyz(BT709.white);
    common::tables::of(size, |code| {
        let light = log.transfer.decoded(code.map(|v| v as f32)).map(f64::from);
        let (xyz, white) = film.xyz(light);
        let rgb = to_xyz.apply([0, 1, 2].map(|i| xyz[i] / white[i] * d65[i]));
        // Into the display's cube by desaturation toward luma, then a 2.4 power.
        let y = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2];
        let low = rgb.iter().copied().fold(f64::INFINITY, f64::min);
        let k = if low < 0.0 { y / (y - low) } else { 1.0 };
        rgb.map(|v| (y + k * (v - y)).clamp(0.0, 1.0).powf(1.0 / 2.4))
    })
}

#[test]
fn a_print_table_of_another_model_becomes_a_film() {
    let [from, to] = ["acescct", "rec709"].map(|e| Encoding::find(e).unwrap());
    let mut all = Vec::new();
    for seed in seeds() {
        let table = table(&Other::new(seed), 33);
        let held = Held { name: "hidden", table: &table, from: &from, to: &to };
        let starts = print_table::starts(Some(&NegativeStock::default()), None).unwrap();
        let fitted = print_table::fit(&starts, held, Known::default(), &unwatched, &GO_ON).unwrap();
        let off = fitted.fit.table.unwrap();
        println!("table {seed}: {off:?}");
        assert!(off.natural <= 2.0 && off.neutrals <= 0.7, "{seed}: {off:?}");
        all.push(off.natural);
    }
    all.sort_by(f64::total_cmp);
    assert!(all[all.len() / 2] <= 0.8, "{all:?}");
}

#[test]
fn what_is_no_print_table_is_refused_in_a_sentence() {
    let flat = common::tables::of(9, |_| [0.5; 3]);
    let [log, screen] = ["acescct", "rec709"].map(|e| Encoding::find(e).unwrap());
    let starts = print_table::starts(None, Some(&PrintStock::default())).unwrap();
    let says = |table: &Table, from: &Encoding, to: &Encoding| {
        let held = Held { name: "it", table, from, to };
        print_table::fit(&starts, held, Known::default(), &unwatched, &GO_ON).unwrap_err().to_string()
    };
    assert!(says(&flat, &log, &screen).contains("one colour for all"));
    assert!(says(&flat, &screen, &screen).contains("takes scene light"));
    assert!(says(&flat, &log, &log).contains("gives a display's picture"));
}
