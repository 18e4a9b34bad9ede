//! Filters of some pixels, across and then down, row by row.

use super::chain::{Before, Stage, Wide};
use super::columns::Columns;
use super::scanline::{Ring, Scanline, held, weigh};
use crate::numeric::lane;

/// A filter that is the same across and down, and up and down.
pub struct Blur {
    /// For each channel: weights on one side, the middle one first; at most [`super::scanline::MARGIN`] beside it.
    pub taps: [Vec<f32>; 3],
    /// Rows of the picture.
    pub height: usize,
}

/// A [`Blur`] in a band.
pub struct Blurring<'a> {
    of: &'a Blur,
    ring: Ring,
    row: Scanline,
}

impl Blur {
    /// Taps on each side.
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

    fn reach(&self) -> usize {
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

/// Taps along a row that has been extended.
pub struct Across<'a> {
    /// For each channel.
    pub taps: &'a [Vec<f32>; 3],
    /// The row.
    pub row: &'a Scanline,
    /// Where the result goes.
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

/// Taps over rows that have been filtered across.
pub struct Downward<'a> {
    /// For each channel.
    pub taps: &'a [Vec<f32>; 3],
    /// The rows.
    pub ring: &'a Ring,
    /// The row that is made.
    pub y: usize,
    /// Rows of the picture.
    pub height: usize,
    /// Where the result goes.
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
