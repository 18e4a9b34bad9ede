//! Light spread by a sum of bell curves, octave by octave, through a pyramid.
//!
//! Going down, each level is the one above it through the binomial (1 4 6 4 1)/16 at every second pixel; coming up, the
//! same binomial puts the pixels back. Level l of such a way down and up is a bell of variance 2(4^l - 1)/3 square
//! pixels, and all of them together cost little more than one pass over the picture. Any round falloff is a sum of such
//! bells with weights of at least 0 that sum to 1: energy is kept, nothing rings. A recursive filter at full size costs
//! ten times as much.

use super::buffer::{BufferPool, PlanarBuffer, Precision, band};
use super::chain::{Before, RowSource};
use super::point_spread::LEVELS;
use super::scanline::{MARGIN, Ring, SIDE, Scanline, held};
use crate::numeric::lane;
use rayon::prelude::*;

/// Number of pyramid levels of a picture of some size.
pub fn levels(size: [usize; 2]) -> usize {
    let least = size[0].min(size[1]).max(1);
    (least.ilog2() as usize).clamp(1, LEVELS)
}

/// The part of a picture's light that is spread, row by row.
pub trait Gives: Sync {
    /// True where it is all light times [`Gives::share`]; [`Gives::row`] is then not called.
    const ALL: bool = false;

    /// Factor on the light of [`Gives::row`], for each channel.
    fn share(&self) -> f32 {
        1.0
    }

    /// The light of a row.
    fn row(&self, _from: &Scanline, _light: &mut Scanline) {}
}

/// Reads a level without change.
struct AsItIs;

impl Gives for AsItIs {
    const ALL: bool = true;
}

const BINOMIAL: [f32; 3] = [1.0 / 16.0, 4.0 / 16.0, 6.0 / 16.0];

/// What remains of the picture before spread light is added back: `picture` times the pixel plus `light` times the light
/// that it gives.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stays {
    /// Weight of the pixel.
    pub picture: f32,
    /// Weight of the light that it gives.
    pub light: f32,
}

impl Stays {
    /// The unchanged picture.
    const WHOLE: Self = Self { picture: 1.0, light: 0.0 };

    /// Light is taken from the picture and given back spread: E' = E - L + sum over levels of `weights` times L spread by
    /// that level.
    pub fn given(weights: &[f64], share: f32) -> Self {
        Self { picture: 1.0, light: share * (weights.first().map_or(0.0, |w| *w as f32) - 1.0) }
    }

    /// Nothing of the picture: only spread light remains.
    pub fn alone(weights: &[f64], share: f32) -> Self {
        Self { picture: 0.0, light: share * weights.first().map_or(0.0, |w| *w as f32) }
    }
}

/// Number of levels with a weight for a picture of some size; at least two, the picture and half its size.
pub fn used(weights: &[f64], size: [usize; 2]) -> usize {
    weights.iter().rposition(|w| *w > 0.0).map_or(2, |i| i + 1).clamp(2, levels(size) + 1)
}

/// The pyramid of spread light, from half the picture's size down, with the weight of each level.
pub struct Levels(Vec<(PlanarBuffer, f32)>);

impl Levels {
    /// Builds `used` levels from the light at half the picture's size.
    pub fn of(
        half: PlanarBuffer,
        weights: &[f64],
        share: f32,
        used: usize,
        precision: Precision,
        pool: &mut BufferPool,
    ) -> Self {
        let weight = |l: usize| share * weights.get(l).map_or(0.0, |w| *w as f32);
        let mut levels = vec![(half, weight(1))];
        for l in 2..used {
            let next = levels.last().map(|(last, _)| down(last, last.size(), precision, pool));
            levels.extend(next.map(|n| (n, weight(l))));
        }
        Self(levels)
    }

    /// Returns its buffers to the pool.
    pub fn done(self, pool: &mut BufferPool) {
        self.0.into_iter().for_each(|(buffer, _)| pool.give(buffer));
    }

    /// Adds the light back to `count` columns of the picture's rows, from column `first` on.
    pub fn back(&self, first: usize, count: usize) -> Option<Box<Back<'_>>> {
        Back::of(&self.0, first, count)
    }
}

/// Upsamples a level, with all coarser ones added, to the rows of the finer one; rows are made when they are first needed.
/// Edges repeat the last pixel.
pub struct Back<'a> {
    level: &'a PlanarBuffer,
    weight: f32,
    /// First column of its rows, in coarse pixels.
    first: usize,
    /// Offset between the first fine and the first coarse column, in coarse pixels.
    before: usize,
    ring: Ring,
    tall: Scanline,
    under: Option<Box<Back<'a>>>,
}

impl<'a> Back<'a> {
    fn of(levels: &'a [(PlanarBuffer, f32)], finer: usize, count: usize) -> Option<Box<Self>> {
        let ((level, weight), under) = levels.split_first()?;
        // One column of halo on both sides, starting at an even one.
        let first = (finer / 2).saturating_sub(1) / 2 * 2;
        let width = ((finer + count).div_ceil(2) + 1).min(level.size()[0]) - first;
        Some(Box::new(Self {
            level,
            weight: *weight,
            first,
            before: finer / 2 - first,
            ring: Ring::new(width, 3),
            tall: Scanline::new(width),
            under: Self::of(under, first, width),
        }))
    }

    /// line = keep * line + spread light of row `y`. Rows come in rising order.
    pub fn put(&mut self, y: usize, keep: f32, line: &mut Scanline) {
        let Self { level, weight, first, before, ring, tall, under } = self;
        let last = level.size()[1] - 1;
        let middle = (y / 2).min(last);
        while let Some((at, row)) = ring.missing(middle.saturating_sub(1), (middle + 1).min(last)) {
            level.row(at, *first, row);
            match under {
                Some(under) => under.put(at, *weight, row),
                None => lane::vectorised(Weighted { weight: *weight, row }),
            }
        }
        let rows = [middle.saturating_sub(1), middle, (middle + 1).min(last)].map(|y| ring.get(y));
        lane::vectorised(PutBack { rows, parts: back(y), before: *before, tall, keep, line });
    }
}

/// out = weight * row.
struct Weighted<'a> {
    weight: f32,
    row: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for Weighted<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        for c in 0..3 {
            self.row.plane_mut(c).iter_mut().for_each(|v| *v *= self.weight);
        }
    }
}

/// Upsamples three coarse rows to one fine row by their weights.
struct PutBack<'a> {
    rows: [&'a Scanline; 3],
    parts: [f32; 3],
    before: usize,
    tall: &'a mut Scanline,
    keep: f32,
    line: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for PutBack<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { rows, parts, before, tall, keep, line } = self;
        for c in 0..3 {
            let out = tall.plane_mut(c);
            let n = out.len();
            let [p, q, r] = rows.map(|row| &row.plane(c)[..n]);
            if parts[0] == 0.0 {
                for i in 0..n {
                    out[i] = parts[1].mul_add(q[i], parts[2] * r[i]);
                }
            } else {
                for i in 0..n {
                    out[i] = parts[0].mul_add(p[i], parts[1].mul_add(q[i], parts[2] * r[i]));
                }
            }
        }
        across(tall, before, line, |v, to| *v = keep.mul_add(*v, to));
    }
}

/// Radius of the binomial in fine pixels.
pub const HALVING: usize = 2;

/// Downsamples the light of a picture to half its size, row by row.
pub struct Halving<'a, G> {
    gives: &'a G,
    stays: Stays,
    row: Scanline,
    light: Scanline,
    halves: Halves,
}

impl<'a, G: Gives> Halving<'a, G> {
    /// For one band of a picture of `size`.
    pub fn new(gives: &'a G, stays: Stays, size: [usize; 2]) -> Self {
        let light = Scanline::new(if G::ALL { 1 } else { size[0] });
        Self { gives, stays, row: Scanline::new(size[0]), light, halves: Halves::new(size) }
    }

    /// Fills `line` with row `y` at half the size. `before` supplies the picture's rows; `after` receives each of them once, in
    /// order, with what remains of it (unchanged where all light is given).
    pub fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>, after: &mut Before<'_>) {
        let Self { gives, stays, row, light, halves } = self;
        halves.row(y, out, &mut |at, half| {
            before(at, row);
            if G::ALL {
                after(at, row);
                half(row);
            } else {
                lane::vectorised(Apart { gives: *gives, stays: *stays, row, light });
                after(at, row);
                half(light);
            }
        });
    }
}

/// Splits a row into the light that it gives and what remains.
struct Apart<'a, G> {
    gives: &'a G,
    stays: Stays,
    row: &'a mut Scanline,
    light: &'a mut Scanline,
}

impl<G: Gives> pulp::NullaryFnOnce for Apart<'_, G> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { gives, stays: Stays { picture, light: share }, row, light } = self;
        gives.row(row, light);
        for c in 0..3 {
            for (v, l) in row.plane_mut(c).iter_mut().zip(light.plane(c)) {
                *v = picture.mul_add(*v, share * l);
            }
        }
    }
}

/// Receives a row of the preceding stage.
pub type Give<'a> = dyn FnMut(&mut Scanline) + 'a;

/// The binomial (1 4 6 4 1)/16 across and down at every second pixel and row.
pub struct Halves {
    height: usize,
    /// Rows filtered across, at every second column.
    ring: Ring,
    /// Even and odd columns of a row, in two planes of a scanline.
    parts: Scanline,
}

impl Halves {
    /// For rows of a picture of `size`.
    pub fn new([width, height]: [usize; 2]) -> Self {
        let half = width.div_ceil(2);
        Self { height, ring: Ring::new(half, 5), parts: Scanline::new(half + 2 * SIDE) }
    }

    /// Fills `line` with row `y` at half the size; `rows` supplies the rows inside its radius.
    pub fn row(&mut self, y: usize, out: &mut Scanline, rows: &mut dyn FnMut(usize, &mut Give<'_>)) {
        let Self { height, ring, parts } = self;
        let last = *height - 1;
        while let Some((at, line)) = ring.missing((2 * y).saturating_sub(2), (2 * y + 2).min(last)) {
            rows(at, &mut |row| lane::vectorised(Halve { row, parts, out: line }));
        }
        let rows = [-2, -1, 0, 1, 2].map(|d| ring.get(held(2 * y as isize + d, *height)));
        lane::vectorised(Combine { rows, out });
    }
}

/// (1 4 6 4 1)/16 of five values.
#[inline(always)]
fn binomial(out: &mut [f32], from: [&[f32]; 5]) {
    let n = out.len();
    let [a, b, c, d, e] = from.map(|f| &f[..n]);
    for i in 0..n {
        let inner = BINOMIAL[1].mul_add(b[i] + d[i], BINOMIAL[2] * c[i]);
        out[i] = BINOMIAL[0].mul_add(a[i] + e[i], inner);
    }
}

/// The binomial at every second column of a row.
struct Halve<'a> {
    row: &'a mut Scanline,
    parts: &'a mut Scanline,
    out: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for Halve<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { row, parts, out } = self;
        row.extend();
        let (n, [even, odd, _]) = (out.plane(0).len(), parts.planes_mut());
        for c in 0..3 {
            // Two places before the first one, then from it on, so that both lie where the processor fetches.
            let (before, from) = row.wide(c, MARGIN).split_at(MARGIN);
            (even[SIDE - 1], odd[SIDE - 1]) = (before[MARGIN - 2], before[MARGIN - 1]);
            let (pairs, _) = from.as_chunks::<2>();
            for ((p, e), o) in pairs.iter().zip(&mut even[SIDE..]).zip(&mut odd[SIDE..]) {
                (*e, *o) = (p[0], p[1]);
            }
            let [e, o] = [&even[SIDE - 1..SIDE + n + 1], &odd[SIDE - 1..SIDE + n]];
            binomial(out.plane_mut(c), [e, o, &e[1..], &o[1..], &e[2..]]);
        }
    }
}

/// (1 4 6 4 1)/16 of five rows.
struct Combine<'a> {
    rows: [&'a Scanline; 5],
    out: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for Combine<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        for c in 0..3 {
            binomial(self.out.plane_mut(c), self.rows.map(|r| r.plane(c)));
        }
    }
}

/// Downsamples a level to half its size.
fn down(from: &dyn RowSource, size: [usize; 2], precision: Precision, pool: &mut BufferPool) -> PlanarBuffer {
    let [width, height] = size.map(|v| v.div_ceil(2));
    let mut to = pool.buffer([width, height], precision);
    let each = band(height);
    to.bands(each).into_par_iter().enumerate().for_each(|(k, mut rows)| {
        let (mut halving, mut line) = (Halving::new(&AsItIs, Stays::WHOLE, size), Scanline::new(width));
        for j in 0..each.min(height - k * each) {
            halving.row(k * each + j, &mut line, &mut |at, row| from.row(at, 0, row), &mut |_, _| {});
            rows.write(j, &line);
        }
    });
    to
}

/// Weights of the coarse rows above, at and below the coarse row of fine row `y`, for upsampling by the binomial.
#[inline(always)]
pub fn back(y: usize) -> [f32; 3] {
    if y.is_multiple_of(2) { [0.125, 0.75, 0.125] } else { [0.0, 0.5, 0.5] }
}

/// Margin of a coarse row, in coarse pixels: one of the binomial's radius, and the most by which it may start early.
const BEFORE: usize = 4;

/// Upsamples a coarse row across to twice its length by the binomial, starting at coarse column `first`.
#[inline(always)]
pub fn across(coarse: &mut Scanline, first: usize, line: &mut Scanline, put: impl Fn(&mut f32, f32)) {
    coarse.extend();
    for c in 0..3 {
        let (pairs, _) = line.plane_mut(c).as_chunks_mut::<2>();
        let (wide, n) = (&coarse.wide(c, BEFORE)[BEFORE - 1 + first..], pairs.len());
        let (a, b, c) = (&wide[..n], &wide[1..n + 1], &wide[2..n + 2]);
        for (((p, a), b), c) in pairs.iter_mut().zip(a).zip(b).zip(c) {
            put(&mut p[0], 0.125_f32.mul_add(a + c, 0.75 * b));
            put(&mut p[1], 0.5 * (b + c));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::texture::point_spread::variance;

    /// A picture's first channel, spread and nothing else.
    fn alone(from: &[f32], [w, h]: [usize; 2], weights: &[f64]) -> Vec<f32> {
        let mut pool = BufferPool::default();
        let mut buffer = pool.buffer([w, h], Precision::Single);
        let mut line = Scanline::new(w);
        for (row, mut rows) in from.chunks_exact(w).zip(buffer.bands(1)) {
            line.planes_mut().into_iter().for_each(|p| p[..w].copy_from_slice(row));
            rows.write(0, &line);
        }
        let half = down(&buffer, [w, h], Precision::Single, &mut pool);
        let levels = Levels::of(half, weights, 1.0, used(weights, [w, h]), Precision::Single, &mut pool);
        let mut back = levels.back(0, w);
        let mut out = Vec::new();
        for (y, row) in from.chunks_exact(w).enumerate() {
            line.plane_mut(0)[..w].copy_from_slice(row);
            line.plane_mut(0).iter_mut().for_each(|v| *v *= Stays::alone(weights, 1.0).light);
            if let Some(back) = &mut back {
                back.put(y, 1.0, &mut line);
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
}
