//! Rows through stages: each asks the one before it for the rows that it reaches, and keeps no others.

use super::Pixels;
use super::buffer::PlanarBuffer;
use super::columns::Columns;
use super::scanline::Scanline;
use crate::numeric::lane;

/// Where rows come from.
pub trait RowSource: Sync {
    /// Writes the row `y` from the column `first` on, as much as the line is wide.
    fn row(&self, y: usize, first: usize, line: &mut Scanline);
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

impl RowSource for Window<'_> {
    fn row(&self, y: usize, first: usize, line: &mut Scanline) {
        struct Take<'a>(&'a Pixels, &'a mut Scanline);
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

impl RowSource for PlanarBuffer {
    fn row(&self, y: usize, first: usize, line: &mut Scanline) {
        struct Read<'a>(&'a PlanarBuffer, [usize; 2], &'a mut Scanline);
        impl pulp::NullaryFnOnce for Read<'_> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                let Read(buffer, [y, first], line) = self;
                buffer.read(y, first, line);
            }
        }
        lane::vectorised(Read(self, [y, first], line));
    }
}

/// Writes a row of what comes before.
pub type Before<'a> = dyn FnMut(usize, &mut Scanline) + 'a;

/// One stage in a band: rows are asked for in order.
pub trait Stage {
    /// Writes the row `y`, from rows of what comes before.
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>);
}

/// What happens to each pixel by itself.
pub trait Point: Sync {
    /// Changes the row `y`, of which the line has what lies from the column `first` on.
    fn row(&self, y: usize, first: usize, line: &mut Scanline);
}

/// What reaches beyond a pixel, or keeps something from row to row.
pub trait Wide: Sync {
    /// For some columns of a band.
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_>;

    /// Columns on both sides of one that it depends on.
    fn reach(&self) -> usize;
}

/// Something that happens, ready for a geometry: what all bands share.
pub enum Ready<'a> {
    /// To each pixel by itself.
    Point(Box<dyn Point + 'a>),
    /// With its neighbours.
    Wide(Box<dyn Wide + 'a>),
}

impl Point for &dyn Point {
    fn row(&self, y: usize, first: usize, line: &mut Scanline) {
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
    source: &'a dyn RowSource,
    first: usize,
}

struct Alone<'a>(&'a dyn Point, usize);

impl Stage for Alone<'_> {
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>) {
        before(y, out);
        self.0.row(y, self.1, out);
    }
}

impl<'a> Chain<'a> {
    /// Stages over a source.
    pub fn of(ready: &'a [Ready<'_>], source: &'a dyn RowSource, columns: &Columns) -> Self {
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
    pub fn row(&mut self, y: usize, line: &mut Scanline) {
        fn pull(
            stages: &mut [Box<dyn Stage + '_>],
            source: &dyn RowSource,
            y: usize,
            first: usize,
            line: &mut Scanline,
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
