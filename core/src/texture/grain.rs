//! Grain: clumps of silver or dye, in the density of the negative.

use super::FrameGeometry;
use super::blur::Downward;
use super::chain::{Before, Ready, Stage, Wide};
use super::columns::Columns;
use super::noise::{self, key, row};
use super::scanline::{Ring, SIDE, Scanline, weigh};
use super::taps::bell;
use crate::field::parameters;
use crate::film::{Chain, GREY, NegativeKind, stock::LayerGrain};
use crate::numeric::lane;
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
    /// By how much less there is of it for each unit of density.
    fall: f32,
    /// The most density there is.
    most: f32,
    /// What makes the deviation that of density 1 there.
    scale: f32,
    /// By how much density has to move, for each square of deviation, so that the mean light stays: a polynomial.
    keep: [f32; TERMS],
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct GrainKernel {
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
            fall: (of.fall / most) as f32,
            most: most as f32,
            scale: (1.0 / raw(1.0_f64.min(0.9 * most)).max(1e-3)) as f32,
            keep,
        }
    }

    /// What noise adds to a density, its mean light kept: by the deviation there, as a share of that at density 1.
    #[inline(always)]
    fn grain(&self, d: f32, noise: f32, left: f32) -> f32 {
        let d = d.max(0.0).min(self.most);
        let s = self.scale * ((d + self.fog) * (1.0 - self.fall * d)).max(0.0).sqrt();
        let mut keep = 0.0_f32;
        for k in self.keep.iter().rev() {
            keep = keep.mul_add(d, *k);
        }
        s.mul_add(noise, keep.max(-6.0).min(6.0) * left * s * s)
    }
}

impl Grain {
    /// The step at a strength on a film.
    pub fn kernel(&self, strength: f64, chain: &Chain) -> GrainKernel {
        let curves = &chain.chemistry.curves;
        let amount = self.amount * strength * chain.grain_growth;
        let layers = std::array::from_fn(|c| {
            Layer::new(&chain.stock.grain[c], curves[c].most(), amount, self.size, keep(chain, c))
        });
        let silver = chain.stock.kind == NegativeKind::BlackAndWhite;
        GrainKernel { layers, own: if silver { 0.0 } else { self.colour as f32 }, seed: self.seed as u32 }
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

impl GrainKernel {
    /// Deviation of a layer's density over one pixel, at density 1, before its clumps, and the taps that make those.
    fn deviation(&self, c: usize, pitch: f64) -> (f64, Vec<f64>) {
        let layer = &self.layers[c];
        (layer.power / pitch, bell(layer.clump / 2.355 / pitch))
    }

    /// On densities.
    pub(super) fn ready<'a>(&self, geometry: &FrameGeometry) -> Ready<'a> {
        let made: [(f64, Vec<f64>); 3] = std::array::from_fn(|c| self.deviation(c, geometry.pitch));
        let common = key(self.seed, geometry.frame, 3);
        // Own and common noise together keep the deviation.
        let own = self.own;
        let norm = 1.0 / (own * own + (1.0 - own) * (1.0 - own)).sqrt();
        Ready::wide(Grained {
            layers: self.layers,
            taps: std::array::from_fn(|c| made[c].1.iter().map(|v| *v as f32).collect()),
            sigma: std::array::from_fn(|c| made[c].0 as f32),
            // Deviation that is left after the taps, which the mean has to be kept for.
            left: std::array::from_fn(|c| {
                let t = &made[c].1;
                let squares = t[0] * t[0] + 2.0 * t[1..].iter().map(|v| v * v).sum::<f64>();
                (made[c].0 * squares).powi(2) as f32
            }),
            keys: [0, 1, 2].map(|c| [key(self.seed, geometry.frame, c), common]),
            parts: [own * norm, (1.0 - own) * norm],
            origin: geometry.origin.map(|v| v as u32),
        })
    }
}

/// The step on a geometry.
struct Grained {
    layers: [Layer; 3],
    /// Taps that make clumps of white noise.
    taps: [Vec<f32>; 3],
    sigma: [f32; 3],
    left: [f32; 3],
    /// For each layer: of its own noise and of the common one.
    keys: [[u32; 2]; 3],
    /// How much of each.
    parts: [f32; 2],
    origin: [u32; 2],
}

struct Graining<'a> {
    of: &'a Grained,
    side: usize,
    /// Noise through the taps across, a layer in each channel; its first row lies `side` over the picture's.
    across: Ring,
    /// White noise with `side` more on both sides, of one kind and of the other.
    white: [Vec<f32>; 2],
    noise: Scanline,
    /// The first column.
    first: usize,
}

impl Wide for Grained {
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_> {
        let side = self.taps.iter().map(Vec::len).max().unwrap_or(1) - 1;
        let width = columns.count;
        let long = width.next_multiple_of(SIDE) + 2 * side;
        Box::new(Graining {
            of: self,
            side,
            across: Ring::new(width, 2 * side + 1),
            white: [vec![0.0; long], vec![0.0; long]],
            noise: Scanline::new(width),
            first: columns.first,
        })
    }

    fn halo(&self) -> usize {
        0
    }
}

impl Stage for Graining<'_> {
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>) {
        before(y, out);
        let Self { of, side, across, white, noise, first } = self;
        let side = *side;
        while let Some((at, line)) = across.missing(y, y + 2 * side) {
            // Places before the frame's first pixel wrap, which makes them other places.
            let place = |v: u32, at: usize| v.wrapping_add(at as u32).wrapping_sub(side as u32);
            let place = [place(of.origin[0], *first), row(place(of.origin[1], at))];
            lane::vectorised(Clumps { of, side, place, white, line });
        }
        let rows =
            Downward { taps: &of.taps, ring: across, y: y + side, height: usize::MAX >> 1, out: noise };
        lane::vectorised(rows);
        lane::vectorised(Grow { of, noise, out });
    }
}

/// A row of clumps across.
struct Clumps<'a> {
    of: &'a Grained,
    side: usize,
    place: [u32; 2],
    white: &'a mut [Vec<f32>; 2],
    line: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for Clumps<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { of, side, place: [x, row], white: [white, common], line } = self;
        let [own_part, common_part] = of.parts;
        if common_part > 0.0 {
            noise::fill(of.keys[0][1], x, row, common);
        }
        for c in 0..3 {
            let taps = &of.taps[c];
            let first = side + 1 - taps.len();
            if own_part == 0.0 {
                weigh(line.plane_mut(c), taps, |k| &common[first + k..]);
                continue;
            }
            noise::fill(of.keys[c][0], x, row, white);
            if common_part > 0.0 {
                for (v, o) in white.iter_mut().zip(&*common) {
                    *v = own_part.mul_add(*v, common_part * o);
                }
            }
            weigh(line.plane_mut(c), taps, |k| &white[first + k..]);
        }
    }
}

/// Noise put onto a row of densities.
struct Grow<'a> {
    of: &'a Grained,
    noise: &'a Scanline,
    out: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for Grow<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        for c in 0..3 {
            let (layer, sigma, left) = (&self.of.layers[c], self.of.sigma[c], self.of.left[c]);
            for (d, n) in self.out.plane_mut(c).iter_mut().zip(self.noise.plane(c)) {
                *d += layer.grain(*d, sigma * n, left);
            }
        }
    }
}
