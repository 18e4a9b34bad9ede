//! Light spread by a sum of bell curves, octave by octave, through a pyramid.
//!
//! Going down, each level is the one above it through the binomial (1 4 6 4 1)/16 at every second pixel; coming up, the
//! same binomial puts the pixels back. Level l of such a way down and up is a bell of variance 2(4^l - 1)/3 square
//! pixels, and all of them together cost little more than one pass over the picture. Any round falloff is a sum of such
//! bells with weights of at least 0 that sum to 1: energy is kept, nothing rings. A recursive filter at full size costs
//! ten times as much.

use super::Pixels;
use crate::lane;
use rayon::prelude::*;

/// The most levels: bells of up to 836 pixels.
pub const LEVELS: usize = 11;

/// Variance in square pixels of what level `l` spreads to, in each direction.
pub fn variance(l: usize) -> f64 {
    2.0 * (4_f64.powi(l as i32) - 1.0) / 3.0
}

/// Part of a round falloff.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Part {
    /// exp(-r/a) / (2 pi a^2), a in pixels.
    Exponential(f64),
    /// A bell of this standard deviation in pixels.
    Bell(f64),
}

impl Part {
    /// The share of light within a radius.
    pub fn within(self, r: f64) -> f64 {
        match self {
            Self::Exponential(a) => 1.0 - (1.0 + r / a) * (-r / a).exp(),
            Self::Bell(s) => 1.0 - (-0.5 * (r / s).powi(2)).exp(),
        }
    }

    /// The mean of the squared distance along one direction: half of that from the centre.
    fn variance(self) -> f64 {
        match self {
            Self::Exponential(a) => 3.0 * a * a,
            Self::Bell(s) => s * s,
        }
    }
}

/// Weights of the levels, summing to 1, that come nearest to a sum of parts with weights of their own; `levels` of them.
///
/// Least squares on the share of light within a radius, over radii evenly spaced in their logarithm, weights not below
/// zero, found by coordinate descent. The mean of the squared radius is held as well, so that what is measured from a
/// point of light is what was asked for.
pub fn weights(parts: &[(Part, f64)], levels: usize) -> Vec<f64> {
    let widest = parts.iter().map(|(p, _)| p.variance().sqrt()).fold(0.3, f64::max);
    let radii: Vec<f64> = (0..48).map(|i| 0.3 * (8.0 * widest / 0.3).powf(f64::from(i) / 47.0)).collect();
    let total: f64 = parts.iter().map(|(_, w)| w).sum::<f64>().max(1e-12);
    let spread: f64 = parts.iter().map(|(p, w)| w * p.variance()).sum::<f64>() / total;
    // Rows: radii, then the sum, then the variance as a share of what it should be.
    let column = |l: usize| -> Vec<f64> {
        let bell = Part::Bell(variance(l).sqrt().max(1e-3));
        let mut rows: Vec<f64> = radii.iter().map(|r| bell.within(*r)).collect();
        rows.push(30.0);
        rows.push(10.0 * variance(l) / spread.max(1e-9));
        rows
    };
    let columns: Vec<Vec<f64>> = (0..levels).map(column).collect();
    let mut wanted: Vec<f64> =
        radii.iter().map(|r| parts.iter().map(|(p, w)| w * p.within(*r)).sum::<f64>() / total).collect();
    wanted.extend([30.0, 10.0]);
    let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
    let along: Vec<f64> = columns.iter().map(|c| dot(c, &wanted)).collect();
    let gram: Vec<Vec<f64>> = columns.iter().map(|c| columns.iter().map(|d| dot(c, d)).collect()).collect();
    let mut w = vec![0.0; levels];
    for _ in 0..4000 {
        for l in 0..levels {
            let miss = along[l] - dot(&gram[l], &w);
            w[l] = (w[l] + miss / gram[l][l]).max(0.0);
        }
    }
    let sum: f64 = w.iter().sum();
    w.iter().map(|v| v / sum).collect()
}

/// How many levels a picture has.
pub fn levels(size: [usize; 2]) -> usize {
    let least = size[0].min(size[1]).max(1);
    (least.ilog2() as usize).clamp(1, LEVELS)
}

/// Light that a picture gives away, row by row.
pub trait Gives: Sync {
    /// The light of a row of pixels; the fourth value is not used.
    fn row(&self, from: &Pixels, light: &mut Pixels);
}

struct Level {
    width: usize,
    height: usize,
    pixels: Vec<[f32; 4]>,
}

/// A level as it is.
struct AsItIs;

impl Gives for AsItIs {
    #[inline(always)]
    fn row(&self, from: &Pixels, light: &mut Pixels) {
        light.copy_from_slice(from);
    }
}

const BINOMIAL: [f32; 3] = [1.0 / 16.0, 4.0 / 16.0, 6.0 / 16.0];

/// Rows that one job makes.
const BAND: usize = 8;

/// What stays of the light where it is, and what it does to the picture.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Stays {
    /// Weight of the picture's own pixel.
    picture: f32,
    /// Weight of its light.
    light: f32,
}

/// Takes light from a picture and gives it back spread: E' = E - L + sum over levels of `weights` times L spread by that
/// level. Beyond its edges the picture goes on as it ends.
pub fn give(pixels: &mut Pixels, size: [usize; 2], weights: &[f64], gives: &impl Gives) {
    let first = weights.first().map_or(0.0, |w| *w as f32);
    onto(pixels, size, weights, gives, Stays { picture: 1.0, light: first - 1.0 });
}

/// The light that comes back and nothing else, in place of a picture.
pub fn alone(pixels: &mut Pixels, size: [usize; 2], weights: &[f64], gives: &impl Gives) {
    let first = weights.first().map_or(0.0, |w| *w as f32);
    onto(pixels, size, weights, gives, Stays { picture: 0.0, light: first });
}

fn onto(pixels: &mut Pixels, size: [usize; 2], weights: &[f64], gives: &impl Gives, stays: Stays) {
    let used = weights.iter().rposition(|w| *w > 0.0).map_or(1, |i| i + 1).min(levels(size) + 1).max(1);
    let mut pyramid: Vec<Level> = Vec::with_capacity(used);
    for _ in 1..used {
        let next = match pyramid.last() {
            None => down(pixels, size, gives),
            Some(last) => down(&last.pixels, [last.width, last.height], &AsItIs),
        };
        pyramid.push(next);
    }
    let mut above: Option<Level> = None;
    for (l, mut level) in pyramid.into_iter().enumerate().rev() {
        let w = weights[l + 1] as f32;
        let size = [level.width, level.height];
        let own = Stays { picture: w, light: 0.0 };
        up(above.take().as_ref(), &mut level.pixels, size, None::<&AsItIs>, own);
        above = Some(level);
    }
    up(above.as_ref(), pixels, size, Some(gives), stays);
}

struct Down<'a, G> {
    from: &'a Pixels,
    size: [usize; 2],
    gives: &'a G,
    first: usize,
    rows: &'a mut Pixels,
    scratch: &'a mut Vec<[f32; 4]>,
}

impl<G: Gives> pulp::NullaryFnOnce for Down<'_, G> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let [w, h] = self.size;
        let width = w.div_ceil(2);
        let count = self.rows.len() / width;
        // The rows that the band is made from, then a row through the vertical binomial with two more on both sides.
        let needed = 2 * count + 3;
        self.scratch.resize(needed * w + w + 4, [0.0; 4]);
        let (lines, tall) = self.scratch.split_at_mut(needed * w);
        for (k, line) in lines.chunks_exact_mut(w).enumerate() {
            let y = (2 * self.first + k).saturating_sub(2).min(h - 1);
            self.gives.row(&self.from[y * w..(y + 1) * w], line);
        }
        for (k, row) in self.rows.chunks_exact_mut(width).enumerate() {
            let line = |d: usize| &lines[(2 * k + d) * w..(2 * k + d + 1) * w];
            combine(&mut tall[2..w + 2], [line(0), line(1), line(2), line(3), line(4)]);
            let (left, right) = (tall[2], tall[w + 1]);
            (tall[0], tall[1], tall[w + 2], tall[w + 3]) = (left, left, right, right);
            for (x, out) in row.iter_mut().enumerate() {
                let Some([a, b, c, d, e]) = tall.get(2 * x..2 * x + 5) else { continue };
                for i in 0..4 {
                    out[i] = BINOMIAL[0] * (a[i] + e[i]) + BINOMIAL[1] * (b[i] + d[i]) + BINOMIAL[2] * c[i];
                }
            }
        }
    }
}

fn down(from: &Pixels, size: [usize; 2], gives: &impl Gives) -> Level {
    let [width, height] = size.map(|v| v.div_ceil(2));
    let mut pixels = vec![[0.0; 4]; width * height];
    pixels.par_chunks_mut(width * BAND).enumerate().for_each_init(Vec::new, |scratch, (band, rows)| {
        lane::vectorised(Down { from, size, gives, first: band * BAND, rows, scratch });
    });
    Level { width, height, pixels }
}

/// The vertical binomial of five rows.
#[inline(always)]
fn combine(out: &mut Pixels, rows: [&Pixels; 5]) {
    let out = out.as_flattened_mut();
    let [a, b, c, d, e] = rows.map(|r| &r.as_flattened()[..out.len()]);
    for i in 0..out.len() {
        out[i] = BINOMIAL[0] * (a[i] + e[i]) + BINOMIAL[1] * (b[i] + d[i]) + BINOMIAL[2] * c[i];
    }
}

struct Up<'a, G> {
    coarse: Option<&'a Level>,
    width: usize,
    gives: Option<&'a G>,
    stays: Stays,
    first: usize,
    rows: &'a mut Pixels,
    scratch: &'a mut Vec<[f32; 4]>,
}

impl<G: Gives> pulp::NullaryFnOnce for Up<'_, G> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let w = self.width;
        let cw = self.coarse.map_or(0, |c| c.width);
        // The row's light, then the coarse row with one more on both sides.
        self.scratch.resize(w + cw + 2, [0.0; 4]);
        let (light, tall) = self.scratch.split_at_mut(w);
        for (k, row) in self.rows.chunks_exact_mut(w).enumerate() {
            let y = self.first + k;
            match self.gives {
                None => {
                    let keep = self.stays.picture;
                    row.as_flattened_mut().iter_mut().for_each(|v| *v *= keep);
                }
                Some(gives) => {
                    gives.row(row, light);
                    let (row, light) = (row.as_flattened_mut(), light.as_flattened());
                    let light = &light[..row.len()];
                    for i in 0..row.len() {
                        row[i] = self.stays.picture * row[i] + self.stays.light * light[i];
                    }
                }
            }
            let Some(coarse) = self.coarse else { continue };
            let source = |at: usize| &coarse.pixels[at * cw..(at + 1) * cw];
            let middle = (y / 2).min(coarse.height - 1);
            let (above, below) = (middle.saturating_sub(1), (middle + 1).min(coarse.height - 1));
            let parts = if y.is_multiple_of(2) { [0.125, 0.75, 0.125] } else { [0.0, 0.5, 0.5] };
            weigh(&mut tall[1..cw + 1], [source(above), source(middle), source(below)], parts);
            (tall[0], tall[cw + 1]) = (tall[1], tall[cw]);
            for (x, pair) in row.chunks_mut(2).enumerate() {
                let Some([a, b, c]) = tall.get(x..x + 3) else { continue };
                for i in 0..4 {
                    pair[0][i] += 0.125 * (a[i] + c[i]) + 0.75 * b[i];
                }
                if let Some(odd) = pair.get_mut(1) {
                    for i in 0..4 {
                        odd[i] += 0.5 * (b[i] + c[i]);
                    }
                }
            }
        }
    }
}

/// picture = what stays of it and of its light + coarse put back at its size.
fn up<G: Gives>(
    coarse: Option<&Level>,
    picture: &mut Pixels,
    [w, _]: [usize; 2],
    gives: Option<&G>,
    stays: Stays,
) {
    picture.par_chunks_mut(w * BAND).enumerate().for_each_init(Vec::new, |scratch, (band, rows)| {
        lane::vectorised(Up { coarse, width: w, gives, stays, first: band * BAND, rows, scratch });
    });
}

#[inline(always)]
fn weigh(out: &mut Pixels, rows: [&Pixels; 3], parts: [f32; 3]) {
    let out = out.as_flattened_mut();
    let [a, b, c] = rows.map(|r| &r.as_flattened()[..out.len()]);
    for i in 0..out.len() {
        out[i] = parts[0] * a[i] + parts[1] * b[i] + parts[2] * c[i];
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn lamp(w: usize, h: usize) -> Vec<[f32; 4]> {
        let mut pixels = vec![[0.0; 4]; w * h];
        pixels[(h / 2) * w + w / 2] = [1.0, 1.0, 1.0, 0.0];
        pixels
    }

    #[test]
    fn each_level_spreads_a_point_to_its_variance_and_loses_nothing() {
        let (w, h) = (515, 301);
        for l in 0..6 {
            let mut weights = vec![0.0; l + 1];
            weights[l] = 1.0;
            let mut out = lamp(w, h);
            alone(&mut out, [w, h], &weights, &AsItIs);
            let sum: f64 = out.iter().map(|p| f64::from(p[0])).sum();
            let var: f64 = out
                .iter()
                .enumerate()
                .map(|(i, p)| f64::from(p[0]) * ((i % w) as f64 - (w / 2) as f64).powi(2))
                .sum();
            assert!((sum - 1.0).abs() < 1e-3, "level {l}: {sum}");
            let want = variance(l);
            assert!((var - want).abs() < 0.06 * want.max(0.5), "level {l}: {var} for {want}");
        }
    }

    #[test]
    fn an_even_field_stays_even_to_its_edges() {
        let mut out = vec![[0.4; 4]; 97 * 61];
        alone(&mut out, [97, 61], &[0.2, 0.2, 0.2, 0.2, 0.2], &AsItIs);
        assert!(out.iter().all(|p| (p[1] - 0.4).abs() < 1e-6));
    }

    #[test]
    fn weights_are_shares_and_hold_the_radius() {
        let parts =
            [(Part::Exponential(3.0), 0.5), (Part::Exponential(11.0), 0.3), (Part::Exponential(30.0), 0.2)];
        let w = weights(&parts, 9);
        assert!(w.iter().all(|v| *v >= 0.0) && (w.iter().sum::<f64>() - 1.0).abs() < 1e-12);
        let got: f64 = w.iter().enumerate().map(|(l, w)| w * variance(l)).sum();
        // E[r^2] of exp(-r/a) over the plane is 6 a^2.
        let want = 0.5 * 3.0 * 9.0 + 0.3 * 3.0 * 121.0 + 0.2 * 3.0 * 900.0;
        assert!((got / want - 1.0).abs() < 0.03, "{got} for {want}");
    }
}
