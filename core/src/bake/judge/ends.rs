//! Where a table's scale begins and ends: ranges and transfers that were mixed up, input that was clipped.

use super::Reader;
use crate::colour::{Encoding, Reference};
use crate::numeric::lane::{Channel, N, Planes};

/// Legal black and white of 10 bits as shares of the full range (BT.709-6, 5.6: 64 and 940).
const LEGAL: [f64; 2] = [64.0 / 1023.0, 940.0 / 1023.0];
/// How near black and white have to lie to those.
const NEAR: f64 = 0.006;
/// Slopes of the neutral scale, display stops a scene stop, that looks have: from the most faded to the hardest.
const SLOPES: [f64; 2] = [0.7, 2.8];
/// Stops that looks move middle grey by at most.
const GREY_MOVES: f64 = 2.9;
/// Points of the neutral ramp.
const POINTS: usize = 1025;

/// Where a table's ends lie.
pub(super) struct Ends {
    /// Lowest and highest luma-like code of the neutral scale.
    low: f64,
    high: f64,
    /// Input places, 0..1, where the neutral scale leaves its lowest and reaches its highest code.
    leaves: f64,
    reaches: f64,
    /// Slopes there, over the mean slope between: a curve that is cut has a corner.
    corner: [f64; 2],
    /// Display stops for a scene stop about the middle.
    slope: f64,
    /// Display light of middle grey.
    grey: f64,
    /// Layers that repeat their neighbour, at the lower and upper end of each axis.
    dead: [[usize; 2]; 3],
}

pub(super) fn measure(reader: &Reader<'_>, to: &Encoding) -> Ends {
    let inputs: Vec<[f64; 3]> = (0..POINTS).map(|i| [i as f64 / (POINTS - 1) as f64; 3]).collect();
    let ramp: Vec<f64> =
        reader.codes(&inputs).iter().map(|c| c.iter().map(|v| f64::from(*v)).sum::<f64>() / 3.0).collect();
    let (low, high) =
        ramp.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    let at = |i: usize| i as f64 / (POINTS - 1) as f64;
    let first = ramp.iter().position(|v| *v > low + 1e-4).unwrap_or(0).saturating_sub(1);
    let last = ramp.iter().position(|v| *v > high - 1e-4).unwrap_or(POINTS - 1);
    let mean = (high - low) / (at(last) - at(first)).max(1e-6);
    // Slope over a node's pitch on the inner side of both places.
    let step = ((POINTS - 1) / (reader.size() - 1)).max(8);
    let slant = |a: usize, b: usize| {
        (ramp[b.min(POINTS - 1)] - ramp[a.min(POINTS - 1)]) / (at(b) - at(a)).max(1e-6) / mean
    };
    let [slope, grey] = middle(reader, to, &ramp);
    Ends {
        low,
        high,
        leaves: at(first),
        reaches: at(last),
        corner: [
            slant(first + 1, first + 1 + step),
            slant(last.saturating_sub(step + 1), last.saturating_sub(1)),
        ],
        slope,
        grey,
        dead: dead(reader),
    }
}

/// Light of code values that are alike in all channels, by an encoding.
fn light(of: &Encoding, codes: &[f64]) -> Vec<f64> {
    let mut out = Vec::with_capacity(codes.len());
    for block in codes.chunks(N) {
        let mut planes: Planes = [Channel::of(0.0); 3];
        for (i, v) in block.iter().enumerate() {
            planes.iter_mut().for_each(|p| p[i] = *v as f32);
        }
        of.transfer.decode(&mut planes);
        out.extend((0..block.len()).map(|i| f64::from(planes[1][i])));
    }
    out
}

/// Display stops for a scene stop where the output lies between 3 % and 50 % of its white, by least squares; a display
/// source counts its own light. 1 where too little lies there. With it, the display light of 18 % grey.
fn middle(reader: &Reader<'_>, to: &Encoding, ramp: &[f64]) -> [f64; 2] {
    let codes: Vec<f64> =
        (0..POINTS).map(|i| f64::from(reader.input(1, i as f64 / (POINTS - 1) as f64))).collect();
    let scene = light(reader.from, &codes);
    let shown = light(to, ramp);
    let white = shown.iter().fold(0.0_f64, |a, b| a.max(*b));
    let used: Vec<[f64; 2]> = scene
        .iter()
        .zip(&shown)
        .filter(|(x, y)| **x > 1e-6 && **y > 0.03 * white && **y < 0.5 * white)
        .map(|(x, y)| [x.log2(), y.log2()])
        .collect();
    let grey = scene.iter().position(|x| *x >= 0.18).and_then(|i| shown.get(i).copied()).unwrap_or(0.0);
    if used.len() < 8 {
        return [1.0, grey];
    }
    let mean = |c: usize| used.iter().map(|p| p[c]).sum::<f64>() / used.len() as f64;
    let (mx, my) = (mean(0), mean(1));
    let (top, bottom) =
        used.iter().fold((0.0, 0.0), |(t, b), p| (t + (p[0] - mx) * (p[1] - my), b + (p[0] - mx).powi(2)));
    let slope = top / f64::max(bottom, 1e-9);
    // Scene light is rendered with a slope of its own; a display source is expected to keep its light.
    [if reader.from.reference == Reference::Scene { slope } else { slope * 1.5 }, grey]
}

/// Layers of nodes at the ends of each axis that repeat the next one, all of them and not by being black or white.
fn dead(reader: &Reader<'_>) -> [[usize; 2]; 3] {
    let n = reader.size();
    let nodes = reader.cube.nodes();
    let repeats = |axis: usize, a: usize, b: usize| {
        let stride = [1, n, n * n];
        let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
        let (mut same, mut live) = (0_usize, 0_usize);
        for k in 0..n * n {
            let rest = (k % n) * stride[u] + (k / n) * stride[v];
            let (p, q) = (nodes[a * stride[axis] + rest], nodes[b * stride[axis] + rest]);
            live += 1;
            same += usize::from((0..3).all(|c| (p[c] - q[c]).abs() < 1e-6));
        }
        same as f64 > 0.98 * live as f64
    };
    std::array::from_fn(|axis| {
        let low = (0..n - 1).take_while(|i| repeats(axis, *i, i + 1)).count();
        let high = (0..n - 1).take_while(|i| repeats(axis, n - 1 - i, n - 2 - i)).count();
        [low, high]
    })
}

impl Ends {
    /// 1 where black and white lie as a mix-up of full and legal range puts them: on the output at 64 and 940 of 10 bits,
    /// or at the input, or cut off there on both sides.
    pub fn range(&self, bare: &Self) -> f64 {
        let near = |v: f64, want: f64| (v - want).abs() < NEAR;
        let held = near(self.low, LEGAL[0]) && near(self.high, LEGAL[1]);
        // Black and white of the way without a look, moved as expanding a legal range moves them.
        let moved = |v: f64, k: usize| near(v, LEGAL[k]);
        let plain = bare.leaves < 0.01 && bare.reaches > 0.99;
        let expanded = plain && moved(self.leaves, 0) && moved(self.reaches, 1);
        let cut =
            self.corner[0] > CORNER && self.corner[1] > CORNER && self.low < 1e-4 && self.high > 1.0 - 1e-4;
        let cut = cut && (self.leaves > bare.leaves + 0.01) && (self.reaches < bare.reaches - 0.01);
        // A full range that is compressed on its way in: black and white of a display source are never reached.
        let compressed = plain && bare.low < 1e-4 && bare.high > 1.0 - 1e-4 && {
            let ends = [self.low, 1.0 - self.high];
            self.leaves < 0.01
                && self.reaches > 0.99
                && self.corner.iter().all(|c| STRAIGHT.contains(c))
                && ends.iter().all(|v| *v > 0.03 && *v < 0.12)
        };
        f64::from(u8::from(held || expanded || cut || compressed))
    }

    /// How far the slope of the neutral scale lies outside of what looks have, or middle grey from where the encodings alone
    /// put it.
    pub fn transfer(&self, bare: &Self) -> f64 {
        let moved = (self.grey.max(1e-6) / bare.grey.max(1e-6)).log2().abs();
        (SLOPES[0] - self.slope).max(self.slope - SLOPES[1]).max(moved - GREY_MOVES).max(0.0)
    }

    /// Layers that repeat their neighbour at one end of all three axes, beyond those that the bare table has: a monochrome
    /// table may not answer to the last of one channel.
    pub fn dead_beyond(&self, bare: &Self) -> f64 {
        let at_end = |end: usize| (0..3).map(|a| self.dead[a][end].saturating_sub(bare.dead[a][end])).min();
        [0, 1].into_iter().filter_map(at_end).max().unwrap_or(0) as f64
    }
}

/// Slopes at both ends, over the mean slope, of a scale that was cut out of a longer one and bends no more there than between: a
/// fade and a print's black bend more, or less.
const STRAIGHT: std::ops::RangeInclusive<f64> = 0.7..=1.5;
/// A slope at an end, over the mean slope, that is a corner and no shoulder.
const CORNER: f64 = 0.45;
