//! Light spread by a sum of bell curves, octave by octave, through a pyramid.
//!
//! Going down, each level is the one above it through the binomial (1 4 6 4 1)/16 at every second pixel; coming up, the
//! same binomial puts the pixels back. Level l of such a way down and up is a bell of variance 2(4^l - 1)/3 square
//! pixels, and all of them together cost little more than one pass over the picture. Any round falloff is a sum of such
//! bells with weights of at least 0 that sum to 1: energy is kept, nothing rings. A recursive filter at full size costs
//! ten times as much.

use super::chain::{Before, Source, Stage};
use super::falloff::LEVELS;
use super::line::{Line, Ring, SIDE, held};
use super::passes::band;
use super::sheet::{Precision, Room, Rows, Sheet};
use crate::lane;
use rayon::prelude::*;

/// How many levels a picture has.
pub fn levels(size: [usize; 2]) -> usize {
    let least = size[0].min(size[1]).max(1);
    (least.ilog2() as usize).clamp(1, LEVELS)
}

/// Light that a picture gives away, row by row.
pub trait Gives: Sync {
    /// Whether that is all light, but for [`Gives::share`].
    const ALL: bool = false;

    /// How much of the light of [`Gives::row`] is given.
    fn share(&self) -> f32 {
        1.0
    }

    /// The light of a row.
    fn row(&self, from: &Line, light: &mut Line) {
        light.copy(from);
    }
}

/// A level as it is.
struct AsItIs;

impl Gives for AsItIs {
    const ALL: bool = true;
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
    pub fn given(weights: &[f64], share: f32) -> Self {
        Self { picture: 1.0, light: share * (weights.first().map_or(0.0, |w| *w as f32) - 1.0) }
    }

    /// The light that comes back and nothing else.
    pub fn alone(weights: &[f64], share: f32) -> Self {
        Self { picture: 0.0, light: share * weights.first().map_or(0.0, |w| *w as f32) }
    }
}

/// Levels of a picture of a size that have a weight, the picture itself among them.
pub fn used(weights: &[f64], size: [usize; 2]) -> usize {
    weights.iter().rposition(|w| *w > 0.0).map_or(1, |i| i + 1).min(levels(size) + 1)
}

/// The light that comes back to a picture but for what never left its pixel, at half the picture's size, to be put onto
/// it by [`put_back`]: from that light at half the size, through the `used` levels. Beyond its edges the picture goes on
/// as it ends.
pub fn spread(half: Sheet, weights: &[f64], share: f32, used: usize, room: &mut Room) -> Sheet {
    let keep = |l: usize| share * weights.get(l).map_or(0.0, |w| *w as f32);
    let mut finer = vec![half];
    for _ in 2..used {
        let next = finer.last().map(|last| down(last, last.size(), &AsItIs, room));
        finer.extend(next);
    }
    let mut level = finer.len();
    let mut above: Option<Sheet> = None;
    loop {
        let Some(mut sheet) = finer.pop() else { break };
        up(above.as_ref(), &mut sheet, keep(level));
        if let Some(done) = above.replace(sheet) {
            room.give(done);
        }
        level -= 1;
    }
    above.unwrap_or_else(|| room.sheet([1, 1], Precision::Single))
}

/// Columns of a picture that one at half its size reaches.
pub const HALVING: usize = 2;

/// Rows of a picture's light at half its size.
pub struct Halving<'a, G> {
    gives: &'a G,
    height: usize,
    /// The rows that are reached.
    ring: Ring,
    row: Line,
    /// A row through the binomial downward, its even and its odd places.
    tall: Line,
    parts: [Vec<f32>; 2],
}

impl<'a, G: Gives> Halving<'a, G> {
    /// For a band of a picture of a size.
    pub fn new(gives: &'a G, [width, height]: [usize; 2]) -> Self {
        let row = Line::new(if G::ALL { 1 } else { width });
        let (ring, tall) = (Ring::new(width, 5), Line::new(width));
        Self { gives, height, ring, row, tall, parts: halves(width.div_ceil(2)) }
    }
}

impl<G: Gives> Stage for Halving<'_, G> {
    fn row(&mut self, y: usize, out: &mut Line, before: &mut Before<'_>) {
        struct Light<'a, G>(&'a G, &'a Line, &'a mut Line);
        impl<G: Gives> pulp::NullaryFnOnce for Light<'_, G> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                self.0.row(self.1, self.2);
            }
        }
        let Self { gives, height, ring, row, tall, parts } = self;
        while let Some((at, line)) = ring.missing((2 * y).saturating_sub(2), (2 * y + 2).min(*height - 1)) {
            if G::ALL {
                before(at, line);
            } else {
                before(at, row);
                lane::vectorised(Light(*gives, row, line));
            }
        }
        lane::vectorised(Halved { rows: ring, at: 2 * y, height: *height, tall, half: out, parts });
    }
}

/// One row at half the size of those around it.
pub struct Halved<'a> {
    /// The rows.
    pub rows: &'a Ring,
    /// The one in the middle.
    pub at: usize,
    /// Rows of the picture.
    pub height: usize,
    /// Room for a row of the picture.
    pub tall: &'a mut Line,
    /// Where the result goes.
    pub half: &'a mut Line,
    /// See [`halves`].
    pub parts: &'a mut [Vec<f32>; 2],
}

impl pulp::NullaryFnOnce for Halved<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { rows, at, height, tall, half, parts } = self;
        for c in 0..3 {
            let rows = [-2, -1, 0, 1, 2].map(|d| rows.get(held(at as isize + d, height)).plane(c));
            combine(tall.plane_mut(c), rows);
        }
        tall.extend();
        for c in 0..3 {
            let reached = 2 * half.width() + 3;
            halve(half.plane_mut(c), &tall.wide(c, 2)[..reached], parts);
        }
    }
}

/// The light that a picture of a size gives, at half that size.
pub fn down(from: &dyn Source, size: [usize; 2], gives: &impl Gives, room: &mut Room) -> Sheet {
    let [width, height] = size.map(|v| v.div_ceil(2));
    let mut to = room.sheet([width, height], Precision::Single);
    let each = band(height);
    to.bands(each).into_par_iter().enumerate().for_each(|(k, mut rows)| {
        let (mut halving, mut line) = (Halving::new(gives, size), Line::new(width));
        for j in 0..each.min(height - k * each) {
            halving.row(k * each + j, &mut line, &mut |at, row| from.row(at, 0, row));
            rows.write(j, &line);
        }
    });
    to
}

/// The binomial of five rows.
#[inline(always)]
fn combine(out: &mut [f32], rows: [&[f32]; 5]) {
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
fn halve(out: &mut [f32], from: &[f32], [even, odd]: &mut [Vec<f32>; 2]) {
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

/// Puts a level back onto the row `y` of a picture at twice its size; `tall` has as much of a row as is needed, from the
/// level's column `first` on.
#[inline(always)]
pub fn put_back(coarse: &Sheet, y: usize, first: usize, line: &mut Line, tall: &mut Line) {
    let ([_, h], w) = (coarse.size(), tall.width());
    let middle = (y / 2).min(h - 1);
    let (above, below) = (middle.saturating_sub(1), (middle + 1).min(h - 1));
    let parts = back(y);
    for c in 0..3 {
        let [p, q, r] = [above, middle, below].map(|y| &coarse.single(y, c)[first..first + w]);
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
                put_back(coarse, self.first + k, 0, &mut line, &mut tall);
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
    use crate::texture::falloff::variance;

    /// A picture's first channel, spread and nothing else.
    fn alone(from: &[f32], [w, h]: [usize; 2], weights: &[f64]) -> Vec<f32> {
        let mut room = Room::default();
        let mut sheet = room.sheet([w, h], Precision::Single);
        let mut line = Line::new(w);
        for (row, mut rows) in from.chunks_exact(w).zip(sheet.bands(1)) {
            line.planes_mut().into_iter().for_each(|p| p[..w].copy_from_slice(row));
            rows.write(0, &line);
        }
        let used = used(weights, [w, h]);
        let coarse = (used > 1).then(|| {
            let half = down(&sheet, [w, h], &AsItIs, &mut room);
            spread(half, weights, 1.0, used, &mut room)
        });
        let mut tall = Line::new(w.div_ceil(2));
        let mut out = Vec::new();
        for (y, row) in from.chunks_exact(w).enumerate() {
            line.plane_mut(0)[..w].copy_from_slice(row);
            line.plane_mut(0).iter_mut().for_each(|v| *v *= Stays::alone(weights, 1.0).light);
            if let Some(coarse) = &coarse {
                put_back(coarse, y, 0, &mut line, &mut tall);
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
