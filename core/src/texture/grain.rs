//! Grain: clumps of silver or dye, in the density of the negative.

use super::noise::{key, normal, row};
use super::softness::bell;
use super::{Pixels, Plate};
use crate::film::{Chain, GREY, NegativeKind, stock::LayerGrain};
use crate::lane;
use crate::step::field::parameters;
use rayon::prelude::*;
use std::f64::consts::PI;

parameters! {
    /// The grain of the negative, by stock, gauge and push.
    Grain {
        /// How much of it there is; 1 is the stock's own.
        amount: "Amount", Percent, number(0.0, 5.0, 1.0, 0.05);
        /// Its size; 1 is the stock's own on this gauge.
        size: "Size", Percent, number(0.25, 4.0, 1.0, 0.02);
        /// How far the layers' grain is each its own: 0 is the same in all, without colour.
        colour: "Colour", Percent, number(0.0, 1.0, 1.0, 0.01);
        /// Another number draws another grain.
        seed: "Seed", Plain, number(0.0, 9999.0, 1.0, 1.0);
    }
}

/// Area of the aperture that granularity is quoted for, in square micrometres: 48 micrometres across.
pub const APERTURE: f64 = PI * 24.0 * 24.0;

/// Terms of the polynomial that keeps means.
const TERMS: usize = 6;

/// The grain of one layer.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Layer {
    /// Deviation of density times the square root of the area it is measured over, in micrometres, at density 1.
    power: f64,
    clump: f64,
    fog: f32,
    fall: f32,
    /// The fall counted per unit of density.
    most: f32,
    /// What makes the deviation that of density 1 there.
    scale: f32,
    /// By how much density has to move, for each square of deviation, so that the mean light stays: a polynomial.
    keep: [f32; TERMS],
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct Kernel {
    layers: [Layer; 3],
    own: f32,
    seed: u32,
}

/// How much of the deviation that single points would have comes through the aperture, for clumps of a size: some lie
/// across its rim. For a square of the same area, from the covariance of a bell-shaped clump.
fn through_aperture(clump: f64) -> f64 {
    let (side, reach) = (APERTURE.sqrt(), clump / 2.355 * std::f64::consts::SQRT_2);
    // Wide apertures only: the error function of side / (reach sqrt 2) is 1 to four digits from 2.75 on.
    (1.0 - reach / side * (2.0 / PI).sqrt()).max(0.3)
}

impl Layer {
    fn new(of: &LayerGrain, most: f64, amount: f64, size: f64, keep: [f32; TERMS]) -> Self {
        let raw = |d: f64| ((d + of.fog) * (1.0 - of.fall * d / most).max(0.0)).max(0.0).sqrt();
        Self {
            // Selwyn: deviation times the square root of the aperture's area is constant. A pattern that is larger by a
            // size has as much more of it.
            power: of.rms / 1000.0 * APERTURE.sqrt() / through_aperture(of.clump) * amount * size,
            clump: of.clump * size,
            fog: of.fog as f32,
            fall: of.fall as f32,
            most: most as f32,
            scale: (1.0 / raw(1.0_f64.min(0.9 * most)).max(1e-3)) as f32,
            keep,
        }
    }

    /// What noise adds to a density, its mean light kept: by the deviation there, as a share of that at density 1.
    #[inline(always)]
    fn grain(&self, d: f32, noise: f32, left: f32) -> f32 {
        let d = d.max(0.0).min(self.most);
        let s = self.scale * ((d + self.fog) * (1.0 - self.fall * d / self.most)).max(0.0).sqrt();
        let mut keep = 0.0;
        for k in self.keep.iter().rev() {
            keep = keep * d + k;
        }
        s * noise + keep.max(-6.0).min(6.0) * left * s * s
    }
}

impl Grain {
    /// The step at a strength on a film.
    pub fn kernel(&self, strength: f64, chain: &Chain) -> Kernel {
        let curves = &chain.chemistry.curves;
        let amount = self.amount * strength * chain.grain_growth;
        let layers = std::array::from_fn(|c| {
            Layer::new(&chain.stock.grain[c], curves[c].most(), amount, self.size, keep(chain, c))
        });
        let silver = chain.stock.kind == NegativeKind::BlackAndWhite;
        Kernel { layers, own: if silver { 0.0 } else { self.colour as f32 }, seed: self.seed as u32 }
    }
}

/// How density has to move, for each square of deviation, so that grain leaves the mean light as it is: with light f over
/// density, -f''/(2 f'). A polynomial through what the film does along the neutral scale.
fn keep(chain: &Chain, c: usize) -> [f32; TERMS] {
    let light = |d: [f64; 3]| {
        let n = chain.printer.as_ref().map_or(d, |p| p.at(d));
        chain.projection.xyz(n)[1]
    };
    let [gain, flash] = chain.exposed;
    let (mut places, mut values) = (Vec::new(), Vec::new());
    for i in 0..=48 {
        let e = GREY * (-9.0 + 16.0 * f64::from(i) / 48.0).exp2();
        let d = chain.chemistry.neutral(e * gain + flash * GREY);
        let at = |by: f64| {
            let mut moved = d;
            moved[c] += by;
            light(moved)
        };
        let h = 0.02;
        let (low, middle, high) = (at(-h), at(0.0), at(h));
        let (slope, bend) = ((high - low) / (2.0 * h), (high - 2.0 * middle + low) / (h * h));
        if slope.abs() > 1e-5 {
            places.push(d[c]);
            values.push((-0.5 * bend / slope).clamp(-6.0, 6.0));
        }
    }
    fitted(&places, &values).map(|v| v as f32)
}

/// The least-squares polynomial through values: normal equations by elimination.
fn fitted(x: &[f64], y: &[f64]) -> [f64; TERMS] {
    let mut rows = [[0.0; TERMS + 1]; TERMS];
    for (x, y) in x.iter().zip(y) {
        let powers: [f64; TERMS] = std::array::from_fn(|k| x.powi(k as i32));
        for i in 0..TERMS {
            for j in 0..TERMS {
                rows[i][j] += powers[i] * powers[j];
            }
            rows[i][TERMS] += powers[i] * y;
        }
    }
    for (i, row) in rows.iter_mut().enumerate() {
        row[i] += 1e-9;
    }
    for i in 0..TERMS {
        let pivot = (i..TERMS).max_by(|a, b| rows[*a][i].abs().total_cmp(&rows[*b][i].abs())).unwrap_or(i);
        rows.swap(i, pivot);
        let own = rows[i];
        for (j, row) in rows.iter_mut().enumerate() {
            if j != i {
                let by = row[i] / own[i];
                row.iter_mut().zip(own).for_each(|(v, o)| *v -= by * o);
            }
        }
    }
    std::array::from_fn(|i| rows[i][TERMS] / rows[i][i])
}

/// Rows that one job makes.
const BAND: usize = 24;

impl Kernel {
    /// Deviation of a layer's density over one pixel, at density 1, before its clumps, and the taps that make those.
    fn deviation(&self, c: usize, pitch: f64) -> (f64, Vec<f64>) {
        let layer = &self.layers[c];
        (layer.power / pitch, bell(layer.clump / 2.355 / pitch))
    }

    /// On densities.
    pub fn run(&self, pixels: &mut Pixels, plate: &Plate) {
        let [w, _] = plate.size;
        let made: [(f64, Vec<f64>); 3] = std::array::from_fn(|c| self.deviation(c, plate.pitch));
        let side = made.iter().map(|(_, t)| t.len()).max().unwrap_or(1) - 1;
        let keys = [0, 1, 2, 3].map(|c| key(self.seed, plate.frame, c));
        // Own and common noise together keep the deviation.
        let own = self.own;
        let norm = 1.0 / (own * own + (1.0 - own) * (1.0 - own)).sqrt();
        let parts = [own * norm, (1.0 - own) * norm];
        let taps: [Vec<f32>; 3] = std::array::from_fn(|c| made[c].1.iter().map(|v| *v as f32).collect());
        let sigma: [f32; 3] = std::array::from_fn(|c| made[c].0 as f32);
        // Deviation that is left after the taps, which the mean has to be kept for.
        let left: [f32; 3] = std::array::from_fn(|c| {
            let t = &made[c].1;
            let squares = t[0] * t[0] + 2.0 * t[1..].iter().map(|v| v * v).sum::<f64>();
            (made[c].0 * squares).powi(2) as f32
        });
        pixels.par_chunks_mut(w * BAND).enumerate().for_each_init(Vec::new, |scratch, (band, rows)| {
            let first = [plate.origin[0], plate.origin[1] + band * BAND];
            for c in 0..3 {
                let noise = Noise { keys: [keys[c], keys[3]], parts, taps: &taps[c], side, first };
                lane::vectorised(Grained {
                    layer: &self.layers[c],
                    c,
                    sigma: sigma[c],
                    left: left[c],
                    noise,
                    w,
                    rows,
                    scratch,
                });
            }
        });
    }
}

/// White noise and the taps that make clumps of it.
struct Noise<'a> {
    keys: [u32; 2],
    parts: [f32; 2],
    taps: &'a [f32],
    side: usize,
    first: [usize; 2],
}

/// One layer's grain on a band of rows.
struct Grained<'a> {
    layer: &'a Layer,
    c: usize,
    sigma: f32,
    left: f32,
    noise: Noise<'a>,
    w: usize,
    rows: &'a mut Pixels,
    scratch: &'a mut Vec<f32>,
}

impl pulp::NullaryFnOnce for Grained<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { layer, c, sigma, left, noise, w, rows, scratch } = self;
        let (t, side) = (noise.taps, noise.side);
        let count = rows.len() / w;
        let (nw, nh) = (w + 2 * side, count + 2 * side);
        // White noise with `side` more on every side, a row of it through the taps downward, densities, their noise.
        scratch.resize(nw * nh + nw + 2 * w, 0.0);
        let (white, rest) = scratch.split_at_mut(nw * nh);
        let (down, rest) = rest.split_at_mut(nw);
        let (density, grain) = rest.split_at_mut(w);
        for (k, line) in white.chunks_exact_mut(nw).enumerate() {
            noise.row(k, line);
        }
        for (k, out) in rows.chunks_exact_mut(w).enumerate() {
            let line = |at: usize| &white[at * nw..(at + 1) * nw];
            for (v, o) in down.iter_mut().zip(line(k + side)) {
                *v = t[0] * o;
            }
            for (j, weight) in t.iter().enumerate().skip(1) {
                let (a, b) = (line(k + side - j), line(k + side + j));
                for ((v, a), b) in down.iter_mut().zip(a).zip(b) {
                    *v += weight * (a + b);
                }
            }
            for (v, o) in grain.iter_mut().zip(&down[side..]) {
                *v = t[0] * o;
            }
            for (j, weight) in t.iter().enumerate().skip(1) {
                for ((v, a), b) in grain.iter_mut().zip(&down[side - j..]).zip(&down[side + j..]) {
                    *v += weight * (a + b);
                }
            }
            for (d, p) in density.iter_mut().zip(&*out) {
                *d = p[c];
            }
            for (d, n) in density.iter_mut().zip(&*grain) {
                *d += layer.grain(*d, sigma * n, left);
            }
            for (d, p) in density.iter().zip(out) {
                p[c] = *d;
            }
        }
    }
}

impl Noise<'_> {
    /// A row of white noise: a layer's own and the common one by their parts.
    #[inline(always)]
    fn row(&self, k: usize, line: &mut [f32]) {
        // Places before the frame's first pixel wrap, which makes them other places.
        let at = |v: usize, d: usize| (v as u32).wrapping_add(d as u32).wrapping_sub(self.side as u32);
        let down = row(at(self.first[1], k));
        let across = at(self.first[0], 0);
        let [own, common] = self.parts;
        if common == 0.0 {
            for (x, v) in (0_u32..).zip(line) {
                *v = own * normal(self.keys[0], across.wrapping_add(x), down);
            }
        } else {
            for (x, v) in (0_u32..).zip(line) {
                let place = across.wrapping_add(x);
                *v = own * normal(self.keys[0], place, down) + common * normal(self.keys[1], place, down);
            }
        }
    }
}
