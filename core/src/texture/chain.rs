//! Streaming: each stage pulls from the one before it the rows inside its radius, and keeps no others.

use super::Pixels;
use super::buffer::PlanarBuffer;
use super::columns::Columns;
use super::scanline::Scanline;
use crate::numeric::lane;
use crate::picture::Codes;

/// A picture that rows can be read from.
pub trait RowSource: Sync {
    /// Fills `line` with row `y`, starting at column `first`.
    fn row(&self, y: usize, first: usize, line: &mut Scanline);
}

/// A rectangular part of an RGBA picture.
#[derive(Clone, Copy, Debug)]
pub struct Window<'a> {
    /// The whole picture, row by row.
    pub pixels: &'a Pixels,
    /// Pixels in its rows.
    pub width: usize,
    /// Column and row of the part's first pixel.
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

impl RowSource for Codes {
    fn row(&self, y: usize, first: usize, line: &mut Scanline) {
        let (width, [whole, _]) = (line.width(), self.size());
        self.read(y * whole + first, line.planes_mut().map(|plane| &mut plane[..width]));
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

/// Fills a scanline with row `y` of the preceding stage.
pub type Before<'a> = dyn FnMut(usize, &mut Scanline) + 'a;

/// A stage running in one band; rows are requested in rising order.
pub trait Stage {
    /// Fills `out` with row `y`, pulling input rows from `before`.
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>);
}

/// Work on each pixel by itself.
pub trait Point: Sync {
    /// Changes `line` in place; it holds row `y` from column `first` on.
    fn row(&self, y: usize, first: usize, line: &mut Scanline);
}

/// Work with a radius, or with state from row to row.
pub trait Wide: Sync {
    /// Starts it for one band and column tile.
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_>;

    /// Its radius across, in columns: the halo that a tile needs.
    fn halo(&self) -> usize;
}

/// A stage prepared for a frame geometry; shared by all bands.
pub enum Ready<'a> {
    /// On each pixel by itself.
    Point(Box<dyn Point + 'a>),
    /// With a radius.
    Wide(Box<dyn Wide + 'a>),
}

impl Point for &dyn Point {
    fn row(&self, y: usize, first: usize, line: &mut Scanline) {
        (**self).row(y, first, line);
    }
}

impl<'a> Ready<'a> {
    /// On each pixel by itself.
    pub fn point(of: impl Point + 'a) -> Self {
        Self::Point(Box::new(of))
    }

    /// With a radius.
    pub fn wide(of: impl Wide + 'a) -> Self {
        Self::Wide(Box::new(of))
    }
}

/// All stages of one band and column tile.
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
    /// Starts the stages over a source.
    pub fn of(ready: &'a [Ready<'_>], source: &'a dyn RowSource, columns: &Columns) -> Self {
        let stage = |r: &'a Ready<'_>| -> Box<dyn Stage + 'a> {
            match r {
                Ready::Point(p) => Box::new(Alone(&**p, columns.first)),
                Ready::Wide(w) => w.stage(columns),
            }
        };
        Self { stages: ready.iter().map(stage).collect(), source, first: columns.first }
    }

    /// Its radius across, in columns: the halo that a tile needs.
    pub fn halo(ready: &[Ready<'_>]) -> usize {
        let reach = |r: &Ready<'_>| match r {
            Ready::Point(_) => 0,
            Ready::Wide(w) => w.halo(),
        };
        ready.iter().map(reach).sum()
    }

    /// Fills `line` with row `y` after all stages.
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
