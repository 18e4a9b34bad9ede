//! Rows through stages: each asks the one before it for the rows that it reaches, and keeps no others.

use super::Pixels;
use super::line::{Line, SIDE};
use super::sheet::Sheet;
use crate::numeric::lane;
use std::ops::Range;

/// Where rows come from.
pub trait Source: Sync {
    /// Writes the row `y` from the column `first` on, as much as the line is wide.
    fn row(&self, y: usize, first: usize, line: &mut Line);
}

/// A part of a picture of RGBA pixels.
#[derive(Clone, Copy, Debug)]
pub struct Window<'a> {
    /// The whole picture, row by row.
    pub pixels: &'a Pixels,
    /// Pixels in its rows.
    pub width: usize,
    /// The place of the part's first pixel.
    pub at: [usize; 2],
}

impl Source for Window<'_> {
    fn row(&self, y: usize, first: usize, line: &mut Line) {
        struct Take<'a>(&'a Pixels, &'a mut Line);
        impl pulp::NullaryFnOnce for Take<'_> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                self.1.take(self.0);
            }
        }
        let first = (self.at[1] + y) * self.width + self.at[0] + first;
        lane::vectorised(Take(&self.pixels[first..first + line.width()], line));
    }
}

impl Source for Sheet {
    fn row(&self, y: usize, first: usize, line: &mut Line) {
        struct Read<'a>(&'a Sheet, [usize; 2], &'a mut Line);
        impl pulp::NullaryFnOnce for Read<'_> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                let Read(sheet, [y, first], line) = self;
                sheet.read(y, first, line);
            }
        }
        lane::vectorised(Read(self, [y, first], line));
    }
}

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

/// Writes a row of what comes before.
pub type Before<'a> = dyn FnMut(usize, &mut Line) + 'a;

/// One stage in a band: rows are asked for in order.
pub trait Stage {
    /// Writes the row `y`, from rows of what comes before.
    fn row(&mut self, y: usize, out: &mut Line, before: &mut Before<'_>);
}

/// What happens to each pixel by itself.
pub trait Point: Sync {
    /// Changes the row `y`, of which the line has what lies from the column `first` on.
    fn row(&self, y: usize, first: usize, line: &mut Line);
}

/// What reaches beyond a pixel, or keeps something from row to row.
pub trait Wide: Sync {
    /// For some columns of a band.
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_>;

    /// Columns on both sides of one that it depends on.
    fn reach(&self) -> usize;
}

/// Something that happens, ready for a plate: what all bands share.
pub enum Ready<'a> {
    /// To each pixel by itself.
    Point(Box<dyn Point + 'a>),
    /// With its neighbours.
    Wide(Box<dyn Wide + 'a>),
}

impl Point for &dyn Point {
    fn row(&self, y: usize, first: usize, line: &mut Line) {
        (**self).row(y, first, line);
    }
}

impl<'a> Ready<'a> {
    /// To each pixel by itself.
    pub fn point(of: impl Point + 'a) -> Self {
        Self::Point(Box::new(of))
    }

    /// With its neighbours.
    pub fn wide(of: impl Wide + 'a) -> Self {
        Self::Wide(Box::new(of))
    }
}

/// The stages of some columns of a band.
pub struct Chain<'a> {
    stages: Vec<Box<dyn Stage + 'a>>,
    source: &'a dyn Source,
    first: usize,
}

struct Alone<'a>(&'a dyn Point, usize);

impl Stage for Alone<'_> {
    fn row(&mut self, y: usize, out: &mut Line, before: &mut Before<'_>) {
        before(y, out);
        self.0.row(y, self.1, out);
    }
}

impl<'a> Chain<'a> {
    /// Stages over a source.
    pub fn of(ready: &'a [Ready<'_>], source: &'a dyn Source, columns: &Columns) -> Self {
        let stage = |r: &'a Ready<'_>| -> Box<dyn Stage + 'a> {
            match r {
                Ready::Point(p) => Box::new(Alone(&**p, columns.first)),
                Ready::Wide(w) => w.stage(columns),
            }
        };
        Self { stages: ready.iter().map(stage).collect(), source, first: columns.first }
    }

    /// Columns on both sides of one that it depends on.
    pub fn reach(ready: &[Ready<'_>]) -> usize {
        let reach = |r: &Ready<'_>| match r {
            Ready::Point(_) => 0,
            Ready::Wide(w) => w.reach(),
        };
        ready.iter().map(reach).sum()
    }

    /// The row `y` after all stages.
    pub fn row(&mut self, y: usize, line: &mut Line) {
        fn pull(
            stages: &mut [Box<dyn Stage + '_>],
            source: &dyn Source,
            y: usize,
            first: usize,
            line: &mut Line,
        ) {
            match stages.split_last_mut() {
                None => source.row(y, first, line),
                Some((last, rest)) => {
                    last.row(y, line, &mut |y, line| pull(rest, source, y, first, line));
                }
            }
        }
        pull(&mut self.stages, self.source, y, self.first, line);
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
