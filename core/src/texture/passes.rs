//! Running texture: few passes over the picture, and in each of them a row goes through everything at once.
//!
//! What a picture costs is mostly memory: a pass over all of it takes as long as a table. So colour work and texture are
//! chained row by row, each stage keeping only the rows that the next one reaches, and the whole picture is written down
//! only where something needs all of it: before light is spread by a pyramid, and at the end. Bands of rows are done side
//! by side; what a row becomes does not depend on its band.

use super::line::Line;
use super::sheet::{Precision, Room, Rows, Sheet};
use super::spread::{self, Gives, Stays, put_back};
use super::{Pixels, Plate, Texture, halation};
use crate::lane;
use rayon::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Where rows come from.
pub trait Source: Sync {
    /// Writes the row `y`.
    fn row(&self, y: usize, line: &mut Line);
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
    fn row(&self, y: usize, line: &mut Line) {
        struct Take<'a>(&'a Pixels, &'a mut Line);
        impl pulp::NullaryFnOnce for Take<'_> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                self.1.take(self.0);
            }
        }
        let first = (self.at[1] + y) * self.width + self.at[0];
        lane::vectorised(Take(&self.pixels[first..first + line.width()], line));
    }
}

impl Source for Sheet {
    fn row(&self, y: usize, line: &mut Line) {
        struct Read<'a>(&'a Sheet, usize, &'a mut Line);
        impl pulp::NullaryFnOnce for Read<'_> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                self.0.read(self.1, self.2);
            }
        }
        lane::vectorised(Read(self, y, line));
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
    /// Changes the row `y`.
    fn row(&self, y: usize, line: &mut Line);
}

/// What reaches beyond a pixel, or keeps something from row to row.
pub trait Wide: Sync {
    /// For one band.
    fn stage(&self) -> Box<dyn Stage + '_>;
}

/// Something that happens, ready for a plate: what all bands share.
pub enum Ready<'a> {
    /// To each pixel by itself.
    Point(Box<dyn Point + 'a>),
    /// With its neighbours.
    Wide(Box<dyn Wide + 'a>),
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

/// What is done to a picture, in order.
pub enum Item<'a> {
    /// Colour work.
    Colour(&'a dyn Point),
    /// The picture as it is now is needed again.
    Keep,
    /// Texture.
    Texture(&'a Texture),
    /// What halation adds, in place of the picture.
    Alone(&'a halation::Kernel),
}

impl Point for &dyn Point {
    fn row(&self, y: usize, line: &mut Line) {
        (**self).row(y, line);
    }
}

/// A picture that is made, and the one that was kept.
#[derive(Clone, Debug)]
pub struct Made {
    /// After everything.
    pub picture: Sheet,
    /// Where it was to be kept.
    pub aside: Option<Sheet>,
}

impl Made {
    /// Gives its buffers back.
    pub fn done(self, room: &mut Room) {
        room.give(self.picture);
        self.aside.into_iter().for_each(|s| room.give(s));
    }
}

/// How work is done.
pub struct Work<'a> {
    /// Where the picture lies on the film.
    pub plate: &'a Plate,
    /// How it is kept between two passes.
    pub precision: Precision,
    /// Buffers.
    pub room: &'a mut Room,
    /// Set from outside when nobody needs it any more.
    pub stop: &'a AtomicBool,
}

/// The picture so far.
enum From<'a> {
    Source(&'a dyn Source),
    Sheet(Sheet),
    Aside(Sheet),
}

/// What is written down of a picture, and what is still to be done to it.
struct Pending<'a> {
    from: From<'a>,
    ready: Vec<Ready<'a>>,
    /// The level that the first of what is ready puts back.
    coarse: Option<Arc<Sheet>>,
    aside: Option<Sheet>,
}

impl Pending<'_> {
    fn source(&self) -> &dyn Source {
        match &self.from {
            From::Source(source) => *source,
            From::Sheet(sheet) | From::Aside(sheet) => sheet,
        }
    }

    /// Nothing is left to be done; the buffers are given back but for a picture that is kept.
    fn done(&mut self, room: &mut Room) {
        self.ready.clear();
        if let Some(sheet) = self.coarse.take().and_then(|c| Arc::try_unwrap(c).ok()) {
            room.give(sheet);
        }
    }
}

/// Light that is spread onto the rows of what it was taken from.
struct Spread<'a, G> {
    gives: &'a G,
    stays: Stays,
    coarse: Option<Arc<Sheet>>,
    width: usize,
}

struct Spreading<'a, G> {
    of: &'a Spread<'a, G>,
    light: Line,
    tall: Line,
}

impl<G: Gives> Wide for Spread<'_, G> {
    fn stage(&self) -> Box<dyn Stage + '_> {
        let tall = Line::new(self.coarse.as_ref().map_or(1, |c| c.size()[0]));
        Box::new(Spreading { of: self, light: Line::new(self.width), tall })
    }
}

impl<G: Gives> Stage for Spreading<'_, G> {
    fn row(&mut self, y: usize, out: &mut Line, before: &mut Before<'_>) {
        struct Put<'a, 'b, G>(&'a mut Spreading<'b, G>, usize, &'a mut Line);
        impl<G: Gives> pulp::NullaryFnOnce for Put<'_, '_, G> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                let Put(Spreading { of, light, tall }, y, out) = self;
                of.gives.row(out, light);
                let Stays { picture, light: share } = of.stays;
                for c in 0..3 {
                    for (v, l) in out.plane_mut(c).iter_mut().zip(light.plane(c)) {
                        *v = picture * *v + share * l;
                    }
                }
                if let Some(coarse) = &of.coarse {
                    put_back(coarse, y, out, tall);
                }
            }
        }
        before(y, out);
        lane::vectorised(Put(self, y, out));
    }
}

impl Work<'_> {
    /// Does all of it. `None` when `stop` was set meanwhile.
    pub fn run(mut self, items: &[Item<'_>], source: &dyn Source) -> Option<Made> {
        let mut pending = self.most(items, source)?;
        let picture = self.settle(&mut pending)?;
        let aside = match pending.aside {
            None => None,
            Some(aside) => Some(self.weave(items, aside)?),
        };
        Some(Made { picture, aside })
    }

    /// Does all of it, and hands the rows from `top` on to `write` in place of writing the picture down: with room for
    /// pixels, and with the row's `each` places of `out`. What is kept is not given. `None` when `stop` was set meanwhile.
    pub fn run_into<T: Send>(
        mut self,
        items: &[Item<'_>],
        source: &dyn Source,
        top: usize,
        out: &mut [T],
        each: usize,
        write: impl Fn(&mut Line, &mut Vec<[f32; 4]>, &mut [T]) + Sync,
    ) -> Option<()> {
        let mut pending = self.most(items, source)?;
        let (width, stop) = (self.plate.size[0], self.stop);
        let rows = band(out.len() / each.max(1));
        out.par_chunks_mut(each * rows).enumerate().for_each(|(k, out)| {
            let mut chain = Chain::of(&pending.ready, pending.source());
            let (mut line, mut pixels) = (Line::new(width), Vec::new());
            for (y, out) in (top + k * rows..).zip(out.chunks_mut(each)) {
                if y % 16 == 0 && stop.load(Ordering::Relaxed) {
                    return;
                }
                pull(&mut chain.stages, chain.source, y, &mut line);
                write(&mut line, &mut pixels, out);
            }
        });
        pending.done(self.room);
        if let From::Sheet(sheet) | From::Aside(sheet) = pending.from {
            self.room.give(sheet);
        }
        (!stop.load(Ordering::Relaxed)).then_some(())
    }

    /// Everything up to the last pass.
    fn most<'b>(&mut self, items: &[Item<'b>], source: &'b dyn Source) -> Option<Pending<'b>> {
        let mut pending =
            Pending { from: From::Source(source), ready: Vec::new(), coarse: None, aside: None };
        for item in items {
            match item {
                Item::Colour(colour) => pending.ready.push(Ready::point(*colour)),
                Item::Texture(Texture::Bloom(k)) => {
                    let weights = k.weights(self.plate);
                    self.spread(&mut pending, &weights, k, Stays::given(&weights))?;
                }
                Item::Texture(Texture::Halation(k)) => {
                    let weights = k.weights(self.plate);
                    self.spread(&mut pending, &weights, k, Stays::given(&weights))?;
                }
                Item::Alone(k) => {
                    let weights = k.weights(self.plate);
                    self.spread(&mut pending, &weights, *k, Stays::alone(&weights))?;
                }
                Item::Texture(texture) => pending.ready.extend(texture.ready(self.plate)),
                Item::Keep => pending.from = From::Aside(self.settle(&mut pending)?),
            }
        }
        Some(pending)
    }

    /// Writes the picture down, and makes ready what spreads its light onto it.
    fn spread<'b, G: Gives>(
        &mut self,
        pending: &mut Pending<'b>,
        weights: &[f64],
        gives: &'b G,
        stays: Stays,
    ) -> Option<()> {
        let sheet = self.settle(pending)?;
        pending.coarse = spread::spread(&sheet, weights, gives, self.room).map(Arc::new);
        let (coarse, width) = (pending.coarse.clone(), sheet.size()[0]);
        pending.ready.push(Ready::wide(Spread { gives, stays, coarse, width }));
        pending.from = From::Sheet(sheet);
        Some(())
    }

    /// The picture that was kept stays under the one that moves in the gate.
    fn weave(&mut self, items: &[Item<'_>], aside: Sheet) -> Option<Sheet> {
        let weaves = items.iter().filter_map(|i| match i {
            Item::Texture(t @ Texture::GateWeave(_)) => Some(t),
            _ => None,
        });
        let ready = weaves.flat_map(|t| t.ready(self.plate)).collect();
        self.settle(&mut Pending { from: From::Sheet(aside), ready, coarse: None, aside: None })
    }

    /// Writes the picture down with what is ready done to it, which is then done. What was pending has no picture then.
    fn settle(&mut self, pending: &mut Pending<'_>) -> Option<Sheet> {
        struct Nothing;
        impl Source for Nothing {
            fn row(&self, _: usize, _: &mut Line) {}
        }
        let made = if matches!(pending.from, From::Sheet(_)) && pending.ready.is_empty() {
            None
        } else {
            Some(self.pass(pending.source(), &pending.ready)?)
        };
        pending.done(self.room);
        match (std::mem::replace(&mut pending.from, From::Source(&Nothing)), made) {
            (From::Sheet(sheet), None) => Some(sheet),
            (From::Sheet(sheet), made) => {
                self.room.give(sheet);
                made
            }
            (From::Aside(sheet), made) => {
                pending.aside = Some(sheet);
                made
            }
            (From::Source(_), made) => made,
        }
    }

    fn pass(&mut self, source: &dyn Source, ready: &[Ready<'_>]) -> Option<Sheet> {
        let [width, height] = self.plate.size;
        let mut to = self.room.sheet([width, height], self.precision);
        let rows = band(height);
        let stop = self.stop;
        to.bands(rows).into_par_iter().enumerate().for_each(|(k, out)| {
            let count = rows.min(height - k * rows);
            Chain::of(ready, source).write(k * rows, count, width, out, stop);
        });
        (!stop.load(Ordering::Relaxed)).then_some(to)
    }
}

/// Rows of a band: as many for each thread, few enough to notice a stop and enough to make little of what bands do twice.
pub fn band(height: usize) -> usize {
    const MOST: usize = 140;
    let threads = rayon::current_num_threads().max(1);
    let each = height.div_ceil(threads * MOST).max(if threads > 1 { 2 } else { 1 });
    height.div_ceil(threads * each).max(16)
}

/// The stages of a band.
struct Chain<'a> {
    stages: Vec<Box<dyn Stage + 'a>>,
    source: &'a dyn Source,
}

struct Alone<'a>(&'a dyn Point);

impl Stage for Alone<'_> {
    fn row(&mut self, y: usize, out: &mut Line, before: &mut Before<'_>) {
        before(y, out);
        self.0.row(y, out);
    }
}

impl<'a> Chain<'a> {
    fn of(ready: &'a [Ready<'_>], source: &'a dyn Source) -> Self {
        let stage = |r: &'a Ready<'_>| -> Box<dyn Stage + 'a> {
            match r {
                Ready::Point(p) => Box::new(Alone(&**p)),
                Ready::Wide(w) => w.stage(),
            }
        };
        Self { stages: ready.iter().map(stage).collect(), source }
    }

    fn write(&mut self, first: usize, count: usize, width: usize, mut out: Rows<'_>, stop: &AtomicBool) {
        struct Write<'a, 'b>(&'a mut Rows<'b>, usize, &'a Line);
        impl pulp::NullaryFnOnce for Write<'_, '_> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                self.0.write(self.1, self.2);
            }
        }
        let mut line = Line::new(width);
        for k in 0..count {
            if k % 16 == 0 && stop.load(Ordering::Relaxed) {
                return;
            }
            pull(&mut self.stages, self.source, first + k, &mut line);
            lane::vectorised(Write(&mut out, k, &line));
        }
    }
}

/// A row through all stages.
fn pull(stages: &mut [Box<dyn Stage + '_>], source: &dyn Source, y: usize, line: &mut Line) {
    match stages.split_last_mut() {
        None => source.row(y, line),
        Some((last, rest)) => last.row(y, line, &mut |y, line| pull(rest, source, y, line)),
    }
}
