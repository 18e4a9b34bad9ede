//! Judging a table by its own shape: dips, kinks, folds, noise, clipping. In CIELAB, on display-coded output.

use super::{Table, Table3};
use crate::colour::{
    Encoding,
    difference::LabOf,
    plane::{Plane, SKIN_DEGREES, polar},
};
use crate::lane::{N, Planes};
use schemars::JsonSchema;
use serde::Serialize;

/// One measure with the value above which a table falls short.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Measure {
    /// Its id.
    pub id: String,
    /// What it says, in words.
    pub title: String,
    /// What was measured.
    pub value: f64,
    /// Above this the table falls short.
    pub limit: f64,
    /// Whether it does.
    pub falls_short: bool,
    /// A warning only: does not count against the table.
    pub warning_only: bool,
}

/// All measures of a table.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Judgement {
    /// The measures, most telling first.
    pub measures: Vec<Measure>,
    /// Whether no measure but warnings falls short.
    pub sound: bool,
}

/// The table with its output read as CIELAB.
struct Reader<'a> {
    cube: &'a Table3,
    to: &'a Encoding,
    lab: LabOf,
}

type Lab = [f64; 3];

impl Reader<'_> {
    /// CIELAB of the table's output for input colours given in node places 0..1 of the cube.
    fn read(&self, inputs: &[[f64; 3]]) -> Vec<Lab> {
        let d = self.cube.domain();
        let place = |c: usize, v: f64| f64::from(d.min[c]) + v * f64::from(d.max[c] - d.min[c]);
        let coded = inputs.iter().map(|p| self.cube.at([0, 1, 2].map(|c| place(c, p[c]) as f32)));
        self.labs(&coded.collect::<Vec<_>>())
    }

    fn labs(&self, coded: &[[f32; 3]]) -> Vec<Lab> {
        let mut out = Vec::with_capacity(coded.len());
        for chunk in coded.chunks(N) {
            let mut planes: Planes = [[0.0; N]; 3];
            for (i, p) in chunk.iter().enumerate() {
                for c in 0..3 {
                    planes[c][i] = p[c].clamp(0.0, 1.0);
                }
            }
            self.to.transfer.decode(&mut planes);
            out.extend(
                (0..chunk.len())
                    .map(|i| self.lab.lab([planes[0][i], planes[1][i], planes[2][i]].map(f64::from))),
            );
        }
        out
    }

    fn pitch(&self) -> f64 {
        1.0 / (self.cube.size() - 1) as f64
    }
}

/// The least light a table's neutral axis is judged from, so that a log encoding's codes below black, which
/// no picture holds, do not count as flat.
const FLAT_FROM: f64 = 0.5;

/// Judges a table whose output is coded for the display encoding `to`. `None` for a table without a 3D part
/// or with a scene-referred output.
///
/// Thresholds separated sound tables from broken ones (posterised, noisy, clipped, wavy, with dead nodes, cut
/// to 8 bit, with folded hues) in trials on 62 tables.
pub fn judge(table: &Table, to: &Encoding) -> Option<Judgement> {
    if to.reference != crate::colour::Reference::Display {
        return None;
    }
    let cube = table.cube.as_ref()?;
    let reader = Reader { cube, to, lab: LabOf::new(&to.primaries) };
    let ramp = reader.read(&(0..=1024).map(|i| [f64::from(i) / 1024.0; 3]).collect::<Vec<_>>());
    let (folded, worst_fold) = reader.folds();
    let scale = (cube.size() - 1) as f64 / 32.0;
    let rows = [
        ("neutral-dip", "Neutral scale falls back, L*", neutral_dip(&ramp), 0.1, false),
        ("neutral-flat", "Neutral scale stands still, share", flat_share(&reader), 0.02, false),
        ("neutral-kink", "Kink in the neutral scale", reader.neutral_kink() * scale, 2.7, false),
        ("colour-kink", "Kink along skin and hues", reader.colour_kink() * scale, 10.0, false),
        ("noise", "Noise between nodes", reader.noise(), 0.1, false),
        ("folded", "Folded cells, share", folded, 0.01, false),
        ("deepest-fold", "Deepest fold", worst_fold, 0.5, false),
        ("decimated", "Change at half the points, 95th percentile", reader.decimated(), 1.0, false),
        ("clipped", "Inner nodes with a channel at 0 or 1, share", reader.clipped(), 0.75, true),
    ];
    let measures: Vec<Measure> = rows
        .into_iter()
        .map(|(id, title, value, limit, warning_only)| Measure {
            id: id.into(),
            title: title.into(),
            value,
            limit,
            falls_short: value > limit,
            warning_only,
        })
        .collect();
    let sound = measures.iter().all(|m| !m.falls_short || m.warning_only);
    Some(Judgement { measures, sound })
}

/// Running maximum of L* less L*, at its largest.
fn neutral_dip(ramp: &[Lab]) -> f64 {
    let mut top = f64::NEG_INFINITY;
    let mut dip = 0.0_f64;
    for lab in ramp {
        top = top.max(lab[0]);
        dip = dip.max(top - lab[0]);
    }
    dip
}

/// Share of steps of a 256-step neutral ramp, between black and white, that do not rise.
fn flat_share(reader: &Reader<'_>) -> f64 {
    let ramp = reader.read(&(0..256).map(|i| [f64::from(i) / 255.0; 3]).collect::<Vec<_>>());
    let low = ramp.iter().map(|l| l[0]).fold(f64::INFINITY, f64::min);
    let high = ramp.iter().map(|l| l[0]).fold(f64::NEG_INFINITY, f64::max);
    let inside = |l: f64| l > low + FLAT_FROM && l < high - FLAT_FROM;
    let steps: Vec<_> = ramp.windows(2).filter(|w| inside(w[0][0]) && inside(w[1][0])).collect();
    if steps.is_empty() {
        return 1.0;
    }
    steps.iter().filter(|w| w[1][0] - w[0][0] < 1e-4).count() as f64 / steps.len() as f64
}

fn second_difference(a: Lab, b: Lab, c: Lab) -> f64 {
    (0..3).map(|k| (a[k] - 2.0 * b[k] + c[k]).powi(2)).sum::<f64>().sqrt()
}

/// Largest change from one second difference to the next along a line of evenly spaced colours: a smooth bend
/// has large second differences that follow each other, a kink stands alone.
fn largest_kink(line: &[Lab]) -> f64 {
    let seconds: Vec<f64> = line.windows(3).map(|w| second_difference(w[0], w[1], w[2])).collect();
    seconds.windows(3).map(|w| w[1] - w[0].max(w[2])).fold(0.0, f64::max)
}

impl Reader<'_> {
    fn neutral_kink(&self) -> f64 {
        let n = self.cube.size();
        largest_kink(&self.read(&(0..n).map(|i| [i as f64 * self.pitch(); 3]).collect::<Vec<_>>()))
    }

    /// Four skin lines (dark to light at four saturations) and four hue rings, at the lattice's pitch.
    fn colour_kink(&self) -> f64 {
        let plane = Plane::bt709();
        let inside = |rgb: [f64; 3]| rgb.map(|v| v.clamp(0.0, 1.0));
        let at = |y: f64, hue: f64, radius: f64| {
            let (cb, cr) = polar(hue, radius);
            inside(plane.join(y as f32, cb as f32, cr as f32).map(f64::from))
        };
        let n = self.cube.size();
        let mut worst = 0.0_f64;
        for k in 1..=4 {
            let skin =
                (n / 5..n * 4 / 5).map(|i| at(i as f64 * self.pitch(), SKIN_DEGREES, 0.02 * f64::from(k)));
            worst = worst.max(largest_kink(&self.read(&skin.collect::<Vec<_>>())));
            // As many points on the ring as make steps of one pitch.
            let radius = 0.03 * f64::from(k);
            let points = ((std::f64::consts::TAU * radius / self.pitch()).ceil() as usize).max(24);
            let ring = (0..points + 4).map(|i| at(0.45, 360.0 * i as f64 / points as f64, radius));
            worst = worst.max(largest_kink(&self.read(&ring.collect::<Vec<_>>())));
        }
        worst
    }

    /// Median of the fourth differences of L* along the axes, over sqrt(70), which is their spread for white
    /// noise of spread 1.
    fn noise(&self) -> f64 {
        let n = self.cube.size();
        if n < 5 {
            return 0.0;
        }
        let labs = self.node_labs();
        let mut all = Vec::new();
        for (axis, stride) in [1, n, n * n].into_iter().enumerate() {
            for i in 0..labs.len() {
                let place = i / stride % n;
                if place + 4 < n && (i + axis) % 3 == 0 {
                    let d = |k: usize| labs[i + k * stride][0];
                    all.push((d(0) - 4.0 * d(1) + 6.0 * d(2) - 4.0 * d(3) + d(4)).abs() / 70.0_f64.sqrt());
                }
            }
        }
        // Clipped regions are exactly flat and would hide noise elsewhere.
        all.retain(|v| *v > 1e-9);
        median(&mut all)
    }

    fn node_labs(&self) -> Vec<Lab> {
        let coded: Vec<[f32; 3]> = self.cube.nodes().iter().map(|n| [n[0], n[1], n[2]]).collect();
        self.labs(&coded)
    }

    /// Share of cells with a corner determinant below -0.02, and the most negative determinant, negated. The
    /// determinant is that of the three edges of the output at a corner, over the cube of the pitch.
    fn folds(&self) -> (f64, f64) {
        let n = self.cube.size();
        let scale = ((n - 1) as f64).powi(3);
        let (mut folded, mut cells, mut worst) = (0_usize, 0_usize, 0.0_f64);
        for b in 0..n - 1 {
            for g in 0..n - 1 {
                for r in 0..n - 1 {
                    let o = self.cube.node(r, g, b);
                    let edge = |p: [f32; 3]| [0, 1, 2].map(|c| f64::from(p[c] - o[c]));
                    let m = crate::colour::Mat3([
                        edge(self.cube.node(r + 1, g, b)),
                        edge(self.cube.node(r, g + 1, b)),
                        edge(self.cube.node(r, g, b + 1)),
                    ]);
                    let det = m.determinant() * scale;
                    folded += usize::from(det < -0.02);
                    worst = worst.max(-det);
                    cells += 1;
                }
            }
        }
        (folded as f64 / cells.max(1) as f64, worst)
    }

    fn clipped(&self) -> f64 {
        let n = self.cube.size();
        let (mut clipped, mut inner) = (0_usize, 0_usize);
        for (i, node) in self.cube.nodes().iter().enumerate() {
            if [i % n, i / n % n, i / n / n].iter().all(|k| *k > 0 && *k < n - 1) {
                inner += 1;
                clipped += usize::from(node[..3].iter().any(|v| *v <= 0.0 || *v >= 1.0));
            }
        }
        clipped as f64 / inner.max(1) as f64
    }

    /// Every other point taken out and read between the others: the 95th percentile of the change.
    fn decimated(&self) -> f64 {
        let n = self.cube.size();
        if n < 5 || n.is_multiple_of(2) {
            return 0.0;
        }
        let half = n / 2 + 1;
        let nodes: Vec<[f32; 3]> = (0..half * half * half)
            .map(|i| self.cube.node(2 * (i % half), 2 * (i / half % half), 2 * (i / half / half)))
            .collect();
        let Ok(coarse) = Table3::new(half, super::Domain::UNIT, &nodes) else { return 0.0 };
        let fine: Vec<[f32; 3]> = self.cube.nodes().iter().map(|p| [p[0], p[1], p[2]]).collect();
        let at = |i: usize| i as f32 * self.pitch() as f32;
        let read: Vec<[f32; 3]> =
            (0..fine.len()).map(|i| coarse.at([at(i % n), at(i / n % n), at(i / n / n)])).collect();
        let mut d: Vec<f64> = self
            .labs(&fine)
            .iter()
            .zip(self.labs(&read))
            .map(|(a, b)| crate::colour::difference::ciede2000(*a, b))
            .collect();
        super::fidelity::percentile(&mut d, 0.95)
    }
}

fn median(values: &mut [f64]) -> f64 {
    super::fidelity::percentile(values, 0.5)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::Domain;

    fn judged(size: usize, f: impl Fn([f32; 3]) -> [f32; 3]) -> Judgement {
        let at = |i: usize| i as f32 / (size - 1) as f32;
        let nodes: Vec<_> = (0..size * size * size)
            .map(|i| f([at(i % size), at(i / size % size), at(i / size / size)]))
            .collect();
        let cube = Table3::new(size, Domain::UNIT, &nodes).unwrap();
        let table = Table::new(String::new(), None, Some(cube)).unwrap();
        judge(&table, &Encoding::find("rec709").unwrap()).unwrap()
    }

    fn failing(j: &Judgement) -> Vec<&str> {
        j.measures.iter().filter(|m| m.falls_short && !m.warning_only).map(|m| m.id.as_str()).collect()
    }

    #[test]
    fn the_identity_and_a_gentle_curve_are_sound() {
        assert_eq!(failing(&judged(33, |c| c)), Vec::<&str>::new());
        let curve = judged(33, |c| c.map(|v| v * v * (3.0 - 2.0 * v)));
        assert!(curve.sound, "{:?}", failing(&curve));
    }

    #[test]
    fn broken_tables_fall_short_by_the_measure_that_names_the_break() {
        let posterised = judged(33, |c| c.map(|v| (v * 8.0).floor() / 8.0));
        assert!(failing(&posterised).contains(&"neutral-flat"));
        let wavy = judged(33, |c| c.map(|v| v + 0.06 * (v * 40.0).sin()));
        assert!(failing(&wavy).contains(&"neutral-dip"));
        let noisy = judged(33, |c| {
            let h = (c[0] * 7919.0 + c[1] * 104_729.0 + c[2] * 1_299_709.0).sin() * 0.02;
            c.map(|v| v + h)
        });
        assert!(failing(&noisy).contains(&"noise"));
        let folded = judged(33, |[r, g, b]| [(2.0 * r - 0.5).abs(), g, b]);
        assert!(failing(&folded).contains(&"folded"));
        let dead = judged(33, |c| if c == [0.5; 3] { [0.9; 3] } else { c });
        assert!(failing(&dead).contains(&"neutral-kink"));
    }
}
