//! The nodes themselves: rounding, noise, loose nodes, channels that changed places.

use super::{Reader, median};

/// What a table's nodes show.
pub(super) struct Nodes {
    /// The step that all values are multiples of, in 8-bit codes; 0 for none.
    pub rounded: f64,
    /// Deviation of white noise, in 8-bit codes.
    pub noise: f64,
    /// Nodes that stand out of their surroundings.
    pub loose: f64,
    /// How much more the channels answer to each other than to themselves: 1 for a monochrome table, less for others.
    pub exchanged: f64,
    /// Share of inner nodes with a channel at 0 or 1.
    pub clipped: f64,
}

pub(super) fn measure(reader: &Reader<'_>) -> Nodes {
    let rounded = rounded(reader);
    Nodes {
        rounded,
        // What is rounded has noise of its own, which the step names already.
        noise: if rounded > 0.0 { 0.0 } else { noise(reader) },
        loose: loose(reader) as f64,
        exchanged: exchanged(reader),
        clipped: clipped(reader),
    }
}

/// Coarsest and finest rounding that is looked for, in bits.
const BITS: std::ops::RangeInclusive<u32> = 4..=10;
/// Share of values that have to lie on the steps.
const ON_STEPS: f64 = 0.995;
/// How near to its step a value lies, as a share of one: what six decimals of a file leave of 10 bits.
const NEAR: f64 = 0.02;

/// Values between 0 and 1 that are all whole multiples of 1 / (2^bits - 1), 1 / 2^bits, or of a legal range's step.
fn rounded(reader: &Reader<'_>) -> f64 {
    let values: Vec<f64> = reader
        .cube
        .nodes()
        .iter()
        .flat_map(|n| [n[0], n[1], n[2]])
        .filter(|v| *v > 1e-4 && *v < 1.0 - 1e-4)
        .map(f64::from)
        .collect();
    if values.len() < 100 {
        return 0.0;
    }
    for bits in BITS {
        let full = f64::from((1_u32 << bits) - 1);
        for steps in [full, full + 1.0, full * 219.0 / 255.0] {
            let on = |v: &&f64| {
                let place = **v * steps;
                (place - place.round()).abs() < NEAR.max(steps * 2e-6)
            };
            let share = values.iter().filter(on).count() as f64 / values.len() as f64;
            if share > ON_STEPS {
                // A table that hardly changes colours has the nodes' own places as values.
                let own = (reader.size() - 1) as f64;
                let at_places =
                    values.iter().filter(|v| (*v * own - (*v * own).round()).abs() < NEAR).count();
                let idle = at_places as f64 > ON_STEPS * values.len() as f64;
                return if idle { 0.0 } else { 255.0 / steps };
            }
        }
    }
    0.0
}

/// Differences along a line of an order: the order, its weights, and the root of their squares' sum, by which white noise
/// of deviation 1 is multiplied.
const ORDERS: [(usize, &[f64], f64); 3] = [
    (4, &[1.0, -4.0, 6.0, -4.0, 1.0], 8.366_600),
    (6, &[1.0, -6.0, 15.0, -20.0, 15.0, -6.0, 1.0], 30.397_368),
    (8, &[1.0, -8.0, 28.0, -56.0, 70.0, -56.0, 28.0, -8.0, 1.0], 113.446_463),
];
/// The median of the size of normal noise, over its deviation.
const MEDIAN_OF_NOISE: f64 = 0.674_49;

/// The deviation of white noise by the spectrum of differences: noise gives the same figure in every order, while what is
/// left of a smooth function falls with it. The least of the fourth, sixth and eighth differences counts.
fn noise(reader: &Reader<'_>) -> f64 {
    let n = reader.size();
    let nodes = reader.cube.nodes();
    let of_order = |(order, weights, scale): &(usize, &[f64], f64)| {
        let mut all = Vec::new();
        for (axis, stride) in [1, n, n * n].into_iter().enumerate() {
            for i in (0..nodes.len()).filter(|i| i / stride % n + order < n && (i + axis) % 2 == 0) {
                for c in 0..3 {
                    let value = |k: usize| f64::from(nodes[i + k * stride][c]);
                    // Clipped places are flat, and would hide noise elsewhere.
                    if (0..=*order).all(|k| value(k) > 2e-3 && value(k) < 1.0 - 2e-3) {
                        let d: f64 = weights.iter().enumerate().map(|(k, w)| w * value(k)).sum();
                        all.push(d.abs() / scale / MEDIAN_OF_NOISE);
                    }
                }
            }
        }
        median(&mut all)
    };
    let usable = ORDERS.iter().filter(|(order, ..)| *order < n);
    let least = usable.map(of_order).fold(f64::INFINITY, f64::min);
    if least.is_finite() { least * 255.0 } else { 0.0 }
}

/// How far a node lies from what its neighbours say to count as loose, in code values, and in those of its surroundings.
const LOOSE: f64 = 0.03;
const LOOSE_OF_USUAL: f64 = 4.0;

/// Inner nodes that lie off the cubic through their four neighbours to the same side along all three axes.
fn loose(reader: &Reader<'_>) -> usize {
    let n = reader.size();
    if n < 5 {
        return 0;
    }
    let nodes = reader.cube.nodes();
    let inner = |i: usize| [i % n, i / n % n, i / n / n].iter().all(|k| *k >= 2 && *k + 2 < n);
    // How far a node lies off along each axis: to the same side along all, and along any.
    let off = |i: usize| -> [f64; 2] {
        if !inner(i) {
            return [0.0; 2];
        }
        let by = |c: usize| {
            let along = [1, n, n * n].map(|s| {
                let v = |k: isize| f64::from(nodes[(i as isize + k * s as isize) as usize][c]);
                // A scale that leaves a flat black has a corner there.
                let flat = (v(-1) - v(-2)).abs() < 1e-4 || (v(1) - v(2)).abs() < 1e-4;
                if flat { 0.0 } else { v(0) - (4.0 * (v(-1) + v(1)) - v(-2) - v(2)) / 6.0 }
            });
            let same = along.iter().all(|d| *d > 0.0) || along.iter().all(|d| *d < 0.0);
            let sizes = along.map(f64::abs);
            let least = sizes.iter().copied().fold(f64::INFINITY, f64::min);
            [if same { least } else { 0.0 }, sizes.iter().copied().fold(0.0, f64::max)]
        };
        (0..3).map(by).fold([0.0; 2], |a, b| [a[0].max(b[0]), a[1].max(b[1])])
    };
    let all: Vec<[f64; 2]> = (0..nodes.len()).map(off).collect();
    (0..nodes.len()).filter(|i| all[*i][0] > LOOSE && inner(*i) && alone(*i, &all, n)).count()
}

/// Whether the surroundings of a node, two places to each side, lie smoothly: a corner of a function makes whole sheets of
/// places that lie off, a loose node pulls the figures of those on its own axes alone.
fn alone(i: usize, off: &[[f64; 2]], n: usize) -> bool {
    let mut near = Vec::with_capacity(112);
    for k in 0..125_usize {
        let [x, y, z] = [k % 5, k / 5 % 5, k / 25].map(|v| v as isize - 2);
        if [x, y, z].iter().filter(|v| **v == 0).count() < 2 {
            near.push(off[(i as isize + x + n as isize * (y + n as isize * z)) as usize][1]);
        }
    }
    off[i][0] > LOOSE_OF_USUAL * crate::numeric::percentile::percentile(&mut near, 0.75)
}

/// The largest sum of answers under a change of places, over the sum of own answers: how much an output channel rises with
/// an input channel, over the whole cube.
fn exchanged(reader: &Reader<'_>) -> f64 {
    let n = reader.size();
    let nodes = reader.cube.nodes();
    let mut answers = [[0.0_f64; 3]; 3];
    for (input, stride) in [1, n, n * n].into_iter().enumerate() {
        for i in (0..nodes.len()).filter(|i| i / stride % n + 1 < n) {
            for output in 0..3 {
                answers[output][input] += f64::from(nodes[i + stride][output] - nodes[i][output]);
            }
        }
    }
    let sum = |order: [usize; 3]| (0..3).map(|o| answers[o][order[o]]).sum::<f64>();
    let others = [[1, 0, 2], [2, 1, 0], [0, 2, 1], [1, 2, 0], [2, 0, 1]];
    let own = sum([0, 1, 2]).max(1e-9);
    others.into_iter().map(sum).fold(0.0, f64::max) / own
}

fn clipped(reader: &Reader<'_>) -> f64 {
    let n = reader.size();
    let (mut clipped, mut inner) = (0_usize, 0_usize);
    for (i, node) in reader.cube.nodes().iter().enumerate() {
        if [i % n, i / n % n, i / n / n].iter().all(|k| *k > 0 && *k < n - 1) {
            inner += 1;
            clipped += usize::from(node[..3].iter().any(|v| *v <= 0.0 || *v >= 1.0));
        }
    }
    clipped as f64 / inner.max(1) as f64
}
