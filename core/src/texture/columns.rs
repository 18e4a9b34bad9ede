//! Column tiles: wide pictures are cut so that the rows that stages keep stay in cache.

use super::scanline::SIDE;
use std::ops::Range;

/// One column tile with its halo.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Columns {
    /// First column of its scanlines, halo included. Even, so that it maps to a whole column at half the size.
    pub first: usize,
    /// Columns of its scanlines, halo included.
    pub count: usize,
    /// The columns that the tile is for. Results outside of them are invalid: their halo is incomplete.
    pub own: Range<usize>,
}

/// Width of a tile in columns, where stages keep rows: about what a second-level cache holds of nine rows.
const TOGETHER: usize = 1536;

/// Smallest halo, in pixels, at which tiling by columns pays: shorter pieces of rows are slower to fetch.
const FAR: usize = 8;

impl Columns {
    /// The tiles that cover `wanted` in a picture `width` wide, for stages with a halo of `halo` columns on both sides.
    pub fn of(wanted: Range<usize>, width: usize, halo: usize) -> Vec<Self> {
        let parts = if (FAR..TOGETHER / 8).contains(&halo) { wanted.len().div_ceil(TOGETHER) } else { 1 };
        let each = wanted.len().div_ceil(parts.max(1)).next_multiple_of(2 * SIDE).max(2 * SIDE);
        let cut = |start: usize| {
            let own = start..(start + each).min(wanted.end);
            let first = own.start.saturating_sub(halo) / 2 * 2;
            Self { first, count: (own.end + halo).min(width) - first, own }
        };
        wanted.clone().step_by(each).map(cut).collect()
    }

    /// One tile of the whole width.
    pub fn all(width: usize) -> Self {
        Self { first: 0, count: width, own: 0..width }
    }

    /// The tile's own columns as indices into its scanlines.
    pub fn inside(&self) -> Range<usize> {
        self.own.start - self.first..self.own.end - self.first
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_cover_what_is_wanted_once_and_what_stages_reach() {
        for (wanted, width, halo) in [
            (0..3840, 3840, 40),
            (0..1920, 1920, 40),
            (101..3700, 3840, 9),
            (0..5001, 5001, 0),
            (9..9, 20, 3),
        ] {
            let parts = Columns::of(wanted.clone(), width, halo);
            let all: Vec<usize> = parts.iter().flat_map(|c| c.own.clone()).collect();
            assert_eq!(all, wanted.clone().collect::<Vec<_>>());
            for c in &parts {
                assert!(c.first % 2 == 0 && c.first <= c.own.start.saturating_sub(halo));
                assert!(c.first + c.count >= (c.own.end + halo).min(width) && c.first + c.count <= width);
            }
        }
        let parts = Columns::of(0..3840, 3840, 40);
        assert!(parts.len() == 3 && parts.iter().all(|c| c.count <= TOGETHER));
        assert_eq!(Columns::of(0..3840, 3840, 2), [Columns::all(3840)]);
    }
}
