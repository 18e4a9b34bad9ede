//! Softness: how sharply the film draws, layer by layer, and the edges that development draws along.

use super::{Pixels, Plate};
use crate::film::NegativeStock;
use crate::lane::{self, exp2, log2};
use crate::step::field::parameters;
use rayon::prelude::*;
use std::f64::consts::PI;

parameters! {
    /// The film's modulation transfer, and its edges.
    Softness {
        /// How soft the film is; 1 is the stock's own, 2 twice as soft.
        amount: "Softness", Percent, number(0.0, 8.0, 1.0, 0.05);
        /// How strongly development draws edges; 1 is the stock's own.
        edges: "Edges", Percent, number(0.0, 5.0, 1.0, 0.05);
    }
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct Kernel {
    /// The radius a of each layer in micrometres.
    radius: [f64; 3],
    edges: f64,
    edge_reach: f64,
}

/// The radius a, in micrometres, of a film whose modulation transfer (1 + (2 pi a f)^2)^(-3/2), that of an exponential
/// falloff, is a half at `f50` cycles per millimetre.
pub fn radius(f50: f64) -> f64 {
    1000.0 * (2_f64.powf(2.0 / 3.0) - 1.0).sqrt() / (2.0 * PI * f50)
}

/// Modulation transfer of a radius at a frequency, in units of one over the other.
pub fn transfer(a: f64, f: f64) -> f64 {
    (1.0 + (2.0 * PI * a * f).powi(2)).powf(-1.5)
}

impl Softness {
    /// The step at a strength on a stock.
    pub fn kernel(&self, strength: f64, stock: &NegativeStock) -> Kernel {
        Kernel {
            radius: stock.softness.map(|f50| radius(f50) * self.amount * strength),
            edges: stock.adjacency.share * self.edges * strength,
            edge_reach: stock.adjacency.reach,
        }
    }
}

/// The most pixels on each side of a tap's centre.
const MOST_TAPS: usize = 16;

fn sinc(x: f64) -> f64 {
    if x.abs() < 1e-9 { 1.0 } else { (PI * x).sin() / (PI * x) }
}

/// The transfer, at `f` cycles a pixel, of a radius in pixels whose falloff is summed up over each pixel: with what is
/// folded back from beyond the pixels' own frequency.
fn summed(a: f64, f: f64) -> f64 {
    (-6..=6).map(|n| f - f64::from(n)).map(|g| transfer(a, g) * sinc(g)).sum()
}

/// Taps on one side, the middle one first, of a falloff of radius `a` pixels; all of them are at least 0 and sum to 1.
///
/// Summing over pixels is itself soft, so a smaller radius is taken: the one whose taps have the wanted transfer where
/// it is a half, or at 0.3 cycles a pixel where that lies beyond the pixels' frequency. Sampling the transfer instead
/// would ring around lamps.
pub fn taps(a: f64) -> Vec<f64> {
    if a < 0.02 {
        return vec![1.0];
    }
    let f = (radius(1.0) / 1000.0 / a).min(0.3);
    let wanted = transfer(a, f);
    let (mut low, mut high) = (0.0, a);
    for _ in 0..40 {
        let middle = 0.5 * (low + high);
        if summed(middle, f) > wanted { low = middle } else { high = middle }
    }
    let a = 0.5 * (low + high);
    // Beyond this lies less than half a per cent.
    let side = ((a * 6.0).round() as usize).clamp(1, MOST_TAPS);
    // The falloff across a line, summed over a pixel: the cosine transform of transfer times that of a pixel.
    let (steps, last) = (600, (12.0 / a.max(0.02)).min(24.0));
    let tap = |j: usize| {
        let at = |f: f64| transfer(a, f) * sinc(f) * (2.0 * PI * f * j as f64).cos();
        (2.0 * simpson(0.0, last, steps, at)).max(0.0)
    };
    shares((0..=side).map(tap).collect())
}

/// The integral of a function over an interval, by Simpson's rule in an even number of steps.
fn simpson(from: f64, to: f64, steps: u32, f: impl Fn(f64) -> f64) -> f64 {
    let h = (to - from) / f64::from(steps);
    let weight = |i: u32| match i {
        0 => 1.0,
        i if i == steps => 1.0,
        i if i % 2 == 1 => 4.0,
        _ => 2.0,
    };
    h / 3.0 * (0..=steps).map(|i| weight(i) * f(from + h * f64::from(i))).sum::<f64>()
}

/// Taps on one side, the middle one first, scaled so that all of them sum to 1.
fn shares(taps: Vec<f64>) -> Vec<f64> {
    let sum = taps[0] + 2.0 * taps[1..].iter().sum::<f64>();
    taps.iter().map(|t| t / sum).collect()
}

/// Taps of a bell of a standard deviation in pixels.
pub fn bell(sigma: f64) -> Vec<f64> {
    if sigma < 0.05 {
        return vec![1.0];
    }
    let side = ((3.0 * sigma).ceil() as usize).clamp(1, MOST_TAPS);
    let at = |x: f64| (-0.5 * (x / sigma).powi(2)).exp();
    // Summed over each pixel.
    shares((0..=side).map(|j| j as f64).map(|x| simpson(x - 0.5, x + 0.5, 16, at)).collect())
}

/// Weights of each channel, the middle one first; the fourth value of a pixel stays.
fn lanes(taps: [&[f64]; 3]) -> Vec<[f32; 4]> {
    let count = taps.iter().map(|t| t.len()).max().unwrap_or(1);
    let weight = |j: usize| {
        let at = |c: usize| taps[c].get(j).copied().unwrap_or(0.0) as f32;
        [at(0), at(1), at(2), if j == 0 { 1.0 } else { 0.0 }]
    };
    (0..count).map(weight).collect()
}

/// Rows that one job makes.
const BAND: usize = 16;

/// What a band of rows is blurred as.
#[derive(Clone, Copy, PartialEq)]
enum As {
    /// Light.
    Light,
    /// The neighbourhood of light; the result is the light, moved away from that by a share, in logarithms.
    Edges(f32),
}

struct Blur<'a> {
    from: &'a Pixels,
    size: [usize; 2],
    weights: &'a [[f32; 4]],
    what: As,
    first: usize,
    rows: &'a mut Pixels,
    scratch: &'a mut Vec<[f32; 4]>,
}

/// Light below which logarithms stop.
const FAINTEST: f32 = 1e-6;

impl pulp::NullaryFnOnce for Blur<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let [w, h] = self.size;
        let side = self.weights.len() - 1;
        let count = self.rows.len() / w;
        let needed = count + 2 * side;
        // Rows blurred across, then one row with more on both sides.
        self.scratch.resize(needed * w + w + 2 * side, [0.0; 4]);
        let (across, long) = self.scratch.split_at_mut(needed * w);
        for (k, out) in across.chunks_exact_mut(w).enumerate() {
            let y = (self.first + k).saturating_sub(side).min(h - 1);
            let row = &self.from[y * w..(y + 1) * w];
            let middle = &mut long[side..side + w];
            middle.copy_from_slice(row);
            let (left, right) = (long[side], long[side + w - 1]);
            long[..side].fill(left);
            long[side + w..].fill(right);
            let (out, long) = (out.as_flattened_mut(), long.as_flattened());
            weigh(out, &long[4 * side..], self.weights[0]);
            for (j, t) in self.weights.iter().enumerate().skip(1) {
                add_pair(out, &long[4 * (side - j)..], &long[4 * (side + j)..], *t);
            }
        }
        for (k, out) in self.rows.chunks_exact_mut(w).enumerate() {
            let line = |y: usize| across[y * w..(y + 1) * w].as_flattened();
            weigh(out.as_flattened_mut(), line(k + side), self.weights[0]);
            for (j, t) in self.weights.iter().enumerate().skip(1) {
                add_pair(out.as_flattened_mut(), line(k + side - j), line(k + side + j), *t);
            }
            if let As::Edges(share) = self.what {
                let own = &self.from[(self.first + k) * w..(self.first + k + 1) * w];
                let (out, own) = (out.as_flattened_mut(), own.as_flattened());
                for (v, e) in out.iter_mut().zip(own) {
                    *v = e * exp2(share * log2((e + FAINTEST) / (*v + FAINTEST)));
                }
                for (p, q) in out.chunks_exact_mut(4).zip(own.chunks_exact(4)) {
                    p[3] = q[3];
                }
            }
        }
    }
}

/// Four pixels side by side.
const SIDE: usize = 16;

#[inline(always)]
fn wide(t: [f32; 4]) -> [f32; SIDE] {
    std::array::from_fn(|i| t[i % 4])
}

/// Four pixels as values of their own, so that the compiler knows that nothing overlaps them.
#[inline(always)]
fn four(from: &[f32]) -> [f32; SIDE] {
    <[f32; SIDE]>::try_from(from).unwrap_or([0.0; SIDE])
}

/// out = t * a, channel by channel.
#[inline(always)]
fn weigh(out: &mut [f32], a: &[f32], t: [f32; 4]) {
    let t16 = wide(t);
    let n = out.len();
    let whole = n - n % SIDE;
    for (o, a) in out[..whole].chunks_exact_mut(SIDE).zip(a[..whole].chunks_exact(SIDE)) {
        let mut v = four(a);
        for i in 0..SIDE {
            v[i] *= t16[i];
        }
        o.copy_from_slice(&v);
    }
    for i in whole..n {
        out[i] = t16[i % SIDE] * a[i];
    }
}

/// out += t * (a + b), channel by channel.
#[inline(always)]
fn add_pair(out: &mut [f32], a: &[f32], b: &[f32], t: [f32; 4]) {
    let t16 = wide(t);
    let n = out.len();
    let whole = n - n % SIDE;
    let pairs = a[..whole].chunks_exact(SIDE).zip(b[..whole].chunks_exact(SIDE));
    for (o, (a, b)) in out[..whole].chunks_exact_mut(SIDE).zip(pairs) {
        let (mut v, a, b) = (four(o), four(a), four(b));
        for i in 0..SIDE {
            v[i] += t16[i] * (a[i] + b[i]);
        }
        o.copy_from_slice(&v);
    }
    for i in whole..n {
        out[i] += t16[i % SIDE] * (a[i] + b[i]);
    }
}

/// Runs taps of each channel over a picture, across and down. Its edges go on as they end. The picture and `spare`
/// change places.
fn blur(
    pixels: &mut Vec<[f32; 4]>,
    spare: &mut Vec<[f32; 4]>,
    size: [usize; 2],
    taps: [&[f64]; 3],
    what: As,
) {
    let weights = lanes(taps);
    if weights.len() == 1 && what == As::Light {
        return;
    }
    spare.resize(pixels.len(), [0.0; 4]);
    spare.par_chunks_mut(size[0] * BAND).enumerate().for_each_init(Vec::new, |scratch, (band, rows)| {
        lane::vectorised(Blur {
            from: pixels,
            size,
            weights: &weights,
            what,
            first: band * BAND,
            rows,
            scratch,
        });
    });
    std::mem::swap(pixels, spare);
}

impl Kernel {
    /// How far it reaches in micrometres.
    pub fn reach(&self) -> f64 {
        8.0 * self.radius.iter().copied().fold(0.0, f64::max) + 3.0 * self.edge_reach
    }

    /// On the layers' exposures.
    pub fn run(&self, pixels: &mut Vec<[f32; 4]>, spare: &mut Vec<[f32; 4]>, plate: &Plate) {
        let taps = self.radius.map(|a| taps(a / plate.pitch));
        blur(pixels, spare, plate.size, [&taps[0], &taps[1], &taps[2]], As::Light);
        let near = bell(self.edge_reach / plate.pitch);
        // A neighbourhood within a pixel draws no edges.
        if self.edges > 0.0 && near[0] < 0.97 {
            blur(pixels, spare, plate.size, [&near; 3], As::Edges(self.edges as f32));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn taps_are_shares_and_an_even_field_stays() {
        for a in [0.1, 0.45, 1.0, 2.2] {
            let t = taps(a);
            assert!(t.iter().all(|v| *v >= 0.0), "{t:?}");
            assert!((t[0] + 2.0 * t[1..].iter().sum::<f64>() - 1.0).abs() < 1e-12);
        }
        let mut even = vec![[0.3, 0.2, 0.1, 1.0]; 40 * 30];
        let plate = Plate::whole(40, 30, 0.4, 0);
        Softness::default().kernel(1.0, &NegativeStock::default()).run(&mut even, &mut Vec::new(), &plate);
        for p in even {
            assert!((p[0] - 0.3).abs() < 1e-5 && (p[2] - 0.1).abs() < 1e-5 && p[3] == 1.0, "{p:?}");
        }
    }
}
