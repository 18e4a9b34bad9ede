//! Separable filters with a small radius, across and then down, row by row.

use super::chain::{Before, Stage, Wide};
use super::columns::Columns;
use super::scanline::{Ring, Scanline, held, weigh};
use crate::numeric::lane;

/// A separable, symmetric filter, the same across and down.
pub struct Blur {
    /// For each channel: the centre weight, then those of one side; the radius is at most [`super::scanline::MARGIN`].
    pub taps: [Vec<f32>; 3],
    /// Rows of the picture.
    pub height: usize,
}

/// A [`Blur`] running in one band.
pub struct Blurring<'a> {
    of: &'a Blur,
    ring: Ring,
    row: Scanline,
}

impl Blur {
    /// Its radius in pixels.
    pub fn side(&self) -> usize {
        self.taps.iter().map(Vec::len).max().unwrap_or(1) - 1
    }
}

impl Wide for Blur {
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_> {
        let width = columns.count;
        Box::new(Blurring {
            of: self,
            ring: Ring::new(width, 2 * self.side() + 1),
            row: Scanline::new(width),
        })
    }

    fn halo(&self) -> usize {
        self.side()
    }
}

impl Stage for Blurring<'_> {
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>) {
        let (side, height) = (self.of.side(), self.of.height);
        let Self { of, ring, row } = self;
        while let Some((at, line)) = ring.missing(y.saturating_sub(side), (y + side).min(height - 1)) {
            before(at, row);
            row.extend();
            lane::vectorised(Across { taps: &of.taps, row, line });
        }
        lane::vectorised(Downward { taps: &of.taps, ring, y, height, out });
    }
}

/// Filters a row across; its margins must be padded.
pub struct Across<'a> {
    /// For each channel.
    pub taps: &'a [Vec<f32>; 3],
    /// The row.
    pub row: &'a Scanline,
    /// The result.
    pub line: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for Across<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        for c in 0..3 {
            let taps = &self.taps[c];
            let wide = self.row.wide(c, taps.len() - 1);
            weigh(self.line.plane_mut(c), taps, |k| &wide[k..]);
        }
    }
}

/// Filters down over rows that are filtered across already.
pub struct Downward<'a> {
    /// For each channel.
    pub taps: &'a [Vec<f32>; 3],
    /// The rows.
    pub ring: &'a Ring,
    /// The row being made.
    pub y: usize,
    /// Rows of the picture.
    pub height: usize,
    /// The result.
    pub out: &'a mut Scanline,
}

impl pulp::NullaryFnOnce for Downward<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let (y, height, ring) = (self.y as isize, self.height, self.ring);
        for c in 0..3 {
            let taps = &self.taps[c];
            let first = y - (taps.len() as isize - 1);
            let row = |k: usize| ring.get(held(first + k as isize, height)).plane(c);
            weigh(self.out.plane_mut(c), taps, row);
        }
    }
}
