//! Light spread by a sum of bell curves, octave by octave, through a pyramid.
//!
//! Going down, each level is the one above it through the binomial (1 4 6 4 1)/16 at every second pixel; coming up, the
//! same binomial puts the pixels back. Level l of such a way down and up is a bell of variance 2(4^l - 1)/3 square
//! pixels, and all of them together cost little more than one pass over the picture. Any round falloff is a sum of such
//! bells with weights of at least 0 that sum to 1: energy is kept, nothing rings. A recursive filter at full size costs
//! ten times as much.

use super::line::{Line, Ring, SIDE, held};
use super::passes::band;
use super::sheet::{Precision, Room, Rows, Sheet};
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
    // Until they stand to a hundred thousandth of all light.
    for _ in 0..4000 {
        let mut most = 0.0_f64;
        for l in 0..levels {
            let miss = along[l] - dot(&gram[l], &w);
            let to = (w[l] + miss / gram[l][l]).max(0.0);
            most = most.max((to - w[l]).abs());
            w[l] = to;
        }
        if most < 1e-8 {
            break;
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
    /// The light of a row.
    fn row(&self, from: &Line, light: &mut Line);
}

/// A level as it is.
struct AsItIs;

impl Gives for AsItIs {
    #[inline(always)]
    fn row(&self, from: &Line, light: &mut Line) {
        light.copy(from);
    }
}

const BINOMIAL: [f32; 3] = [1.0 / 16.0, 4.0 / 16.0, 6.0 / 16.0];

/// What stays of the light where it is, and what it does to the picture.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stays {
    /// Weight of the picture's own pixel.
    pub picture: f32,
    /// Weight of its light.
    pub light: f32,
}

impl Stays {
    /// Light is taken from the picture and given back spread: E' = E - L + sum over levels of `weights` times L spread by
    /// that level.
    pub fn given(weights: &[f64]) -> Self {
        Self { picture: 1.0, light: weights.first().map_or(0.0, |w| *w as f32) - 1.0 }
    }

    /// The light that comes back and nothing else.
    pub fn alone(weights: &[f64]) -> Self {
        Self { picture: 0.0, light: weights.first().map_or(0.0, |w| *w as f32) }
    }
}

/// The light that comes back to a picture but for what never left its pixel, at half the picture's size, to be put onto
/// it by [`put_back`]. Beyond its edges the picture goes on as it ends. `None` where all stays.
pub fn spread(from: &Sheet, weights: &[f64], gives: &impl Gives, room: &mut Room) -> Option<Sheet> {
    let used = weights.iter().rposition(|w| *w > 0.0).map_or(1, |i| i + 1).min(levels(from.size()) + 1);
    let mut pyramid: Vec<Sheet> = Vec::with_capacity(used);
    for _ in 1..used {
        let next = match pyramid.last() {
            None => down(from, gives, room),
            Some(last) => down(last, &AsItIs, room),
        };
        pyramid.push(next);
    }
    let mut above: Option<Sheet> = None;
    for (l, mut level) in pyramid.into_iter().enumerate().rev() {
        up(above.as_ref(), &mut level, weights[l + 1] as f32);
        if let Some(done) = above.replace(level) {
            room.give(done);
        }
    }
    above
}

struct Down<'a, G> {
    from: &'a Sheet,
    gives: &'a G,
    first: usize,
    rows: Rows<'a>,
    count: usize,
}

impl<G: Gives> pulp::NullaryFnOnce for Down<'_, G> {
    type Output = ();

    #[inline(always)]
    fn call(mut self) {
        let [w, h] = self.from.size();
        let half = w.div_ceil(2);
        // The rows that are reached; a row through the binomial downward, its even and its odd places.
        let mut ring = Ring::new(w, 5);
        let (mut row, mut tall, mut out) = (Line::new(w), Line::new(w), Line::new(half));
        let mut parts = halves(half);
        for k in 0..self.count {
            let y = 2 * (self.first + k);
            while let Some((at, light)) = ring.missing(y.saturating_sub(2), (y + 2).min(h - 1)) {
                self.from.read(at, &mut row);
                self.gives.row(&row, light);
            }
            for c in 0..3 {
                let rows = [-2, -1, 0, 1, 2].map(|d| ring.get(held(y as isize + d, h)).plane(c));
                combine(tall.plane_mut(c), rows);
            }
            tall.extend();
            for c in 0..3 {
                halve(out.plane_mut(c), &tall.wide(c, 2)[..2 * half + 3], &mut parts);
            }
            self.rows.write(k, &out);
        }
    }
}

fn down(from: &Sheet, gives: &impl Gives, room: &mut Room) -> Sheet {
    let [width, height] = from.size().map(|v| v.div_ceil(2));
    let mut to = room.sheet([width, height], Precision::Single);
    let each = band(height);
    to.bands(each).into_par_iter().enumerate().for_each(|(k, rows)| {
        let first = k * each;
        lane::vectorised(Down { from, gives, first, rows, count: each.min(height - first) });
    });
    to
}

/// The binomial of five rows.
#[inline(always)]
pub fn combine(out: &mut [f32], rows: [&[f32]; 5]) {
    let n = out.len();
    let [a, b, c, d, e] = rows.map(|r| &r[..n]);
    for i in 0..n {
        out[i] = BINOMIAL[0] * (a[i] + e[i]) + BINOMIAL[1] * (b[i] + d[i]) + BINOMIAL[2] * c[i];
    }
}

/// Room for the even and the odd places of a row that becomes `half` long.
pub fn halves(half: usize) -> [Vec<f32>; 2] {
    let size = half.next_multiple_of(SIDE) + SIDE + 2;
    [vec![0.0; size], vec![0.0; size]]
}

/// The binomial at every second place; `from` begins two places before the first and ends two after the last.
#[inline(always)]
pub fn halve(out: &mut [f32], from: &[f32], [even, odd]: &mut [Vec<f32>; 2]) {
    let pairs = from.chunks_exact(2);
    if let [last] = pairs.remainder() {
        even[from.len() / 2] = *last;
    }
    for ((p, e), o) in pairs.zip(even.iter_mut()).zip(odd.iter_mut()) {
        (*e, *o) = (p[0], p[1]);
    }
    let n = out.len();
    let (a, c, e) = (&even[..n], &even[1..n + 1], &even[2..n + 2]);
    let (b, d) = (&odd[..n], &odd[1..n + 1]);
    for i in 0..n {
        out[i] = BINOMIAL[0] * (a[i] + e[i]) + BINOMIAL[1] * (b[i] + d[i]) + BINOMIAL[2] * c[i];
    }
}

/// Weights of the coarse rows above, at and below the one that a row lies in, which put it back at twice the size.
#[inline(always)]
pub fn back(y: usize) -> [f32; 3] {
    if y.is_multiple_of(2) { [0.125, 0.75, 0.125] } else { [0.0, 0.5, 0.5] }
}

/// Adds a coarse row to one twice as long, between its places too.
#[inline(always)]
pub fn across(coarse: &mut Line, line: &mut Line) {
    coarse.extend();
    for c in 0..3 {
        let (pairs, _) = line.plane_mut(c).as_chunks_mut::<2>();
        let (wide, n) = (coarse.wide(c, 1), pairs.len());
        let (a, b, c) = (&wide[..n], &wide[1..n + 1], &wide[2..n + 2]);
        for (((p, a), b), c) in pairs.iter_mut().zip(a).zip(b).zip(c) {
            p[0] += 0.125 * (a + c) + 0.75 * b;
            p[1] += 0.5 * (b + c);
        }
    }
}

/// Puts a level back onto the row `y` of a picture at twice its size.
#[inline(always)]
pub fn put_back(coarse: &Sheet, y: usize, line: &mut Line, tall: &mut Line) {
    let [w, h] = coarse.size();
    let middle = (y / 2).min(h - 1);
    let (above, below) = (middle.saturating_sub(1), (middle + 1).min(h - 1));
    let parts = back(y);
    for c in 0..3 {
        let [p, q, r] = [above, middle, below].map(|y| &coarse.single(y, c)[..w]);
        let out = &mut tall.plane_mut(c)[..w];
        for i in 0..w {
            out[i] = parts[0] * p[i] + parts[1] * q[i] + parts[2] * r[i];
        }
    }
    across(tall, line);
}

struct Up<'a> {
    coarse: Option<&'a Sheet>,
    width: usize,
    keep: f32,
    first: usize,
    rows: Rows<'a>,
    count: usize,
}

impl pulp::NullaryFnOnce for Up<'_> {
    type Output = ();

    #[inline(always)]
    fn call(mut self) {
        let mut line = Line::new(self.width);
        let mut tall = Line::new(self.coarse.map_or(1, |c| c.size()[0]));
        for k in 0..self.count {
            self.rows.read(k, &mut line);
            for c in 0..3 {
                line.plane_mut(c).iter_mut().for_each(|v| *v *= self.keep);
            }
            if let Some(coarse) = self.coarse {
                put_back(coarse, self.first + k, &mut line, &mut tall);
            }
            self.rows.write(k, &line);
        }
    }
}

/// level = its weight times itself + the level under it put back at its size.
fn up(coarse: Option<&Sheet>, level: &mut Sheet, keep: f32) {
    let [width, height] = level.size();
    let each = band(height);
    level.bands(each).into_par_iter().enumerate().for_each(|(k, rows)| {
        let first = k * each;
        lane::vectorised(Up { coarse, width, keep, first, rows, count: each.min(height - first) });
    });
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::texture::sheet::Precision;

    /// A picture's first channel, spread and nothing else.
    fn alone(from: &[f32], [w, h]: [usize; 2], weights: &[f64]) -> Vec<f32> {
        let mut room = Room::default();
        let mut sheet = room.sheet([w, h], Precision::Single);
        let mut line = Line::new(w);
        for (row, mut rows) in from.chunks_exact(w).zip(sheet.bands(1)) {
            line.planes_mut().into_iter().for_each(|p| p[..w].copy_from_slice(row));
            rows.write(0, &line);
        }
        let coarse = spread(&sheet, weights, &AsItIs, &mut room);
        let mut tall = Line::new(w.div_ceil(2));
        let mut out = Vec::new();
        for (y, row) in from.chunks_exact(w).enumerate() {
            line.plane_mut(0)[..w].copy_from_slice(row);
            line.plane_mut(0).iter_mut().for_each(|v| *v *= Stays::alone(weights).light);
            if let Some(coarse) = &coarse {
                put_back(coarse, y, &mut line, &mut tall);
            }
            out.extend_from_slice(&line.plane(0)[..w]);
        }
        out
    }

    fn lamp(w: usize, h: usize) -> Vec<f32> {
        let mut pixels = vec![0.0; w * h];
        pixels[(h / 2) * w + w / 2] = 1.0;
        pixels
    }

    #[test]
    fn each_level_spreads_a_point_to_its_variance_and_loses_nothing() {
        let (w, h) = (515, 301);
        for l in 0..6 {
            let mut weights = vec![0.0; l + 1];
            weights[l] = 1.0;
            let out = alone(&lamp(w, h), [w, h], &weights);
            let sum: f64 = out.iter().map(|p| f64::from(*p)).sum();
            let var: f64 = out
                .iter()
                .enumerate()
                .map(|(i, p)| f64::from(*p) * ((i % w) as f64 - (w / 2) as f64).powi(2))
                .sum();
            assert!((sum - 1.0).abs() < 1e-3, "level {l}: {sum}");
            let want = variance(l);
            assert!((var - want).abs() < 0.06 * want.max(0.5), "level {l}: {var} for {want}");
        }
    }

    #[test]
    fn an_even_field_stays_even_to_its_edges() {
        let out = alone(&vec![0.4; 97 * 61], [97, 61], &[0.2, 0.2, 0.2, 0.2, 0.2]);
        assert!(out.iter().all(|v| (v - 0.4).abs() < 1e-6));
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
