//! Columns of a picture that are done together.

use super::scanline::SIDE;
use std::ops::Range;

/// Columns that are done together: a wide picture's rows are cut, so that all that its stages keep stays close to the
/// processor.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Columns {
    /// The first that lines have. Even, so that it is one at half the size too.
    pub first: usize,
    /// How many lines have.
    pub count: usize,
    /// Those that are wanted. What lies beside them is reached by stages and right only as far as they do not.
    pub own: Range<usize>,
}

/// The most columns that are done together where stages keep rows.
const TOGETHER: usize = 1536;

/// Columns that stages reach from which they keep enough for that. Shorter pieces of rows are slower to fetch.
const FAR: usize = 8;

impl Columns {
    /// The wanted columns of a picture of a width, in parts, for stages that reach some to both sides.
    pub fn of(wanted: Range<usize>, width: usize, reach: usize) -> Vec<Self> {
        let parts = if (FAR..TOGETHER / 8).contains(&reach) { wanted.len().div_ceil(TOGETHER) } else { 1 };
        let each = wanted.len().div_ceil(parts.max(1)).next_multiple_of(2 * SIDE).max(2 * SIDE);
        let cut = |start: usize| {
            let own = start..(start + each).min(wanted.end);
            let first = own.start.saturating_sub(reach) / 2 * 2;
            Self { first, count: (own.end + reach).min(width) - first, own }
        };
        wanted.clone().step_by(each).map(cut).collect()
    }

    /// Whole rows.
    pub fn all(width: usize) -> Self {
        Self { first: 0, count: width, own: 0..width }
    }

    /// The wanted ones in a line.
    pub fn inside(&self) -> Range<usize> {
        self.own.start - self.first..self.own.end - self.first
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_cover_what_is_wanted_once_and_what_stages_reach() {
        for (wanted, width, reach) in [
            (0..3840, 3840, 40),
            (0..1920, 1920, 40),
            (101..3700, 3840, 9),
            (0..5001, 5001, 0),
            (9..9, 20, 3),
        ] {
            let parts = Columns::of(wanted.clone(), width, reach);
            let all: Vec<usize> = parts.iter().flat_map(|c| c.own.clone()).collect();
            assert_eq!(all, wanted.clone().collect::<Vec<_>>());
            for c in &parts {
                assert!(c.first % 2 == 0 && c.first <= c.own.start.saturating_sub(reach));
                assert!(c.first + c.count >= (c.own.end + reach).min(width) && c.first + c.count <= width);
            }
        }
        let parts = Columns::of(0..3840, 3840, 40);
        assert!(parts.len() == 3 && parts.iter().all(|c| c.count <= TOGETHER));
        assert_eq!(Columns::of(0..3840, 3840, 2), [Columns::all(3840)]);
    }
}
