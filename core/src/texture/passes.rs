//! Running texture: few passes over the picture, and in each of them a row goes through everything at once.
//!
//! What a picture costs is mostly memory: a pass over all of it takes as long as a table. So colour work and texture are
//! chained row by row, each stage keeping only the rows that the next one reaches, and the whole picture is written down
//! only where something needs all of it: before light is spread by a pyramid, and at the end. Bands of rows are done side
//! by side; what a row becomes does not depend on its band.

use super::buffer::{BufferPool, PlanarBuffer, Precision, band};
use super::chain::{Before, Chain, Point, Ready, RowSource, Stage, Wide};
use super::columns::Columns;
use super::scanline::Scanline;
use super::spread::{self, Back, Gives, Halving, Levels, Stays};
use super::{FrameGeometry, Texture, halation};
use rayon::prelude::*;
use std::ops::Range;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// What is done to a picture, in order.
pub enum Item<'a> {
    /// Colour work.
    Colour(&'a dyn Point),
    /// The picture as it is now is needed again.
    Keep,
    /// Texture.
    Texture(&'a Texture),
    /// What halation adds, in place of the picture.
    Alone(&'a halation::HalationKernel),
}

/// A picture that is made, and the one that was kept.
#[derive(Clone, Debug)]
pub struct Made {
    /// After everything.
    pub picture: PlanarBuffer,
    /// Where it was to be kept.
    pub aside: Option<PlanarBuffer>,
}

impl Made {
    /// Memory that it takes.
    pub fn bytes(&self) -> usize {
        self.picture.bytes() + self.aside.as_ref().map_or(0, PlanarBuffer::bytes)
    }

    /// Gives its buffers back.
    pub fn done(self, pool: &mut BufferPool) {
        pool.give(self.picture);
        self.aside.into_iter().for_each(|s| pool.give(s));
    }
}

/// How work is done.
pub struct Work<'a> {
    /// Where the picture lies on the film.
    pub geometry: &'a FrameGeometry,
    /// How it is kept between two passes.
    pub precision: Precision,
    /// Buffers.
    pub pool: &'a mut BufferPool,
    /// Set from outside when nobody needs it any more.
    pub stop: &'a AtomicBool,
}

/// The picture so far.
enum From<'a> {
    Source(&'a dyn RowSource),
    PlanarBuffer(PlanarBuffer),
    Aside(PlanarBuffer),
}

/// What is written down of a picture, and what is still to be done to it.
struct Pending<'a> {
    from: From<'a>,
    ready: Vec<Ready<'a>>,
    /// Light that the first of what is ready puts back.
    levels: Option<Arc<Levels>>,
    aside: Option<PlanarBuffer>,
}

impl<'a> Pending<'a> {
    fn new(source: &'a dyn RowSource) -> Self {
        Self { from: From::Source(source), ready: Vec::new(), levels: None, aside: None }
    }

    fn source(&self) -> &dyn RowSource {
        match &self.from {
            From::Source(source) => *source,
            From::PlanarBuffer(buffer) | From::Aside(buffer) => buffer,
        }
    }

    /// Nothing is left to be done; the light's buffers are given back.
    fn done(&mut self, pool: &mut BufferPool) {
        self.ready.clear();
        if let Some(levels) = self.levels.take().and_then(|l| Arc::try_unwrap(l).ok()) {
            levels.done(pool);
        }
    }

    /// Gives all buffers back.
    fn drop_into(mut self, pool: &mut BufferPool) {
        self.done(pool);
        if let From::PlanarBuffer(buffer) | From::Aside(buffer) = self.from {
            pool.give(buffer);
        }
        self.aside.into_iter().for_each(|buffer| pool.give(buffer));
    }
}

/// Light that is put back onto rows, of which `keep` stays.
struct Spread {
    keep: f32,
    levels: Arc<Levels>,
}

struct Spreading<'a> {
    keep: f32,
    back: Option<Box<Back<'a>>>,
}

impl Wide for Spread {
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_> {
        Box::new(Spreading { keep: self.keep, back: self.levels.back(columns.first, columns.count) })
    }

    fn reach(&self) -> usize {
        0
    }
}

impl Stage for Spreading<'_> {
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>) {
        before(y, out);
        if let Some(back) = &mut self.back {
            back.put(y, self.keep, out);
        }
    }
}

impl Work<'_> {
    /// Does all of it. `None` when `stop` was set meanwhile.
    pub fn run(mut self, items: &[Item<'_>], source: &dyn RowSource) -> Option<Made> {
        let mut pending = Pending::new(source);
        let Some(picture) = self.most(&mut pending, items).and_then(|()| self.settle(&mut pending)) else {
            pending.drop_into(self.pool);
            return None;
        };
        let Some(aside) = pending.aside else { return Some(Made { picture, aside: None }) };
        match self.weave(items, aside) {
            Some(aside) => Some(Made { picture, aside: Some(aside) }),
            None => {
                self.pool.give(picture);
                None
            }
        }
    }

    /// Does all of it, and hands parts of the rows `inside` a picture (its place and its size) on to `write` in place of
    /// writing the picture down: a line, where in it that part lies, room for pixels, and the part's `per` places for each
    /// pixel of `out`. What is kept is not given. `None` when `stop` was set meanwhile.
    pub fn run_into<T: Send>(
        mut self,
        items: &[Item<'_>],
        source: &dyn RowSource,
        inside: [usize; 4],
        out: &mut [T],
        per: usize,
        write: impl Fn(&mut Scanline, Range<usize>, &mut Vec<[f32; 4]>, &mut [T]) + Sync,
    ) -> Option<()> {
        let mut pending = Pending::new(source);
        if self.most(&mut pending, items).is_none() {
            pending.drop_into(self.pool);
            return None;
        }
        let ([left, top, width, height], stop) = (inside, self.stop);
        let rows = band(height);
        let cut = Columns::of(left..left + width, self.geometry.size[0], Chain::reach(&pending.ready));
        out.par_chunks_mut((width * per * rows).max(1)).enumerate().for_each(|(k, out)| {
            let mut pixels = Vec::new();
            for columns in &cut {
                let mut chain = Chain::of(&pending.ready, pending.source(), columns);
                let mut line = Scanline::new(columns.count);
                let part = (columns.own.start - left) * per..(columns.own.end - left) * per;
                for (y, out) in (top + k * rows..).zip(out.chunks_mut(width * per)) {
                    if y % 16 == 0 && stop.load(Ordering::Relaxed) {
                        return;
                    }
                    chain.row(y, &mut line);
                    write(&mut line, columns.inside(), &mut pixels, &mut out[part.clone()]);
                }
            }
        });
        pending.drop_into(self.pool);
        (!stop.load(Ordering::Relaxed)).then_some(())
    }

    /// Everything up to the last pass.
    fn most<'b>(&mut self, pending: &mut Pending<'b>, items: &[Item<'b>]) -> Option<()> {
        for item in items {
            match item {
                Item::Colour(colour) => pending.ready.push(Ready::point(*colour)),
                Item::Texture(Texture::Bloom(k)) => {
                    let weights = k.weights(self.geometry);
                    self.spread(pending, &weights, k, Stays::given(&weights, k.share()))?;
                }
                Item::Texture(Texture::Halation(k)) => {
                    let weights = k.weights(self.geometry);
                    self.spread(pending, &weights, k, Stays::given(&weights, k.share()))?;
                }
                Item::Alone(k) => {
                    let weights = k.weights(self.geometry);
                    self.spread(pending, &weights, *k, Stays::alone(&weights, k.share()))?;
                }
                Item::Texture(texture) => pending.ready.extend(texture.ready(self.geometry)),
                Item::Keep => pending.from = From::Aside(self.settle(pending)?),
            }
        }
        Some(())
    }

    /// Writes down what stays of the picture, and makes ready what puts its light back onto it.
    fn spread<G: Gives>(
        &mut self,
        pending: &mut Pending<'_>,
        weights: &[f64],
        gives: &G,
        stays: Stays,
    ) -> Option<()> {
        let used = spread::used(weights, self.geometry.size);
        let (buffer, half) =
            self.settled(pending, |work, source, ready| work.pass_halved(source, ready, gives, stays))?;
        let levels = Arc::new(Levels::of(half, weights, gives.share(), used, self.precision, self.pool));
        pending.levels = Some(levels.clone());
        let keep = if G::ALL { stays.picture + stays.light } else { 1.0 };
        pending.ready.push(Ready::wide(Spread { keep, levels }));
        pending.from = From::PlanarBuffer(buffer);
        Some(())
    }

    /// The picture that was kept stays under the one that moves in the gate.
    fn weave(&mut self, items: &[Item<'_>], aside: PlanarBuffer) -> Option<PlanarBuffer> {
        let weaves = items.iter().filter_map(|i| match i {
            Item::Texture(t @ Texture::GateWeave(_)) => Some(t),
            _ => None,
        });
        let ready: Vec<_> = weaves.flat_map(|t| t.ready(self.geometry)).collect();
        if ready.is_empty() {
            return Some(aside);
        }
        let mut pending = Pending { from: From::PlanarBuffer(aside), ready, levels: None, aside: None };
        let woven = self.settle(&mut pending);
        if woven.is_none() {
            pending.drop_into(self.pool);
        }
        woven
    }

    /// Writes the picture down with what is ready done to it, which is then done. What was pending has no picture then.
    fn settle(&mut self, pending: &mut Pending<'_>) -> Option<PlanarBuffer> {
        let made = self.settled(pending, |work, source, ready| Some((work.pass(source, ready)?, ())));
        made.map(|(buffer, ())| buffer)
    }

    /// As [`Work::settle`], by a pass that gives something more.
    fn settled<T>(
        &mut self,
        pending: &mut Pending<'_>,
        pass: impl FnOnce(&mut Self, &dyn RowSource, &[Ready<'_>]) -> Option<(PlanarBuffer, T)>,
    ) -> Option<(PlanarBuffer, T)> {
        struct Nothing;
        impl RowSource for Nothing {
            fn row(&self, _: usize, _: usize, _: &mut Scanline) {}
        }
        let made = pass(self, pending.source(), &pending.ready)?;
        pending.done(self.pool);
        match std::mem::replace(&mut pending.from, From::Source(&Nothing)) {
            From::PlanarBuffer(buffer) => self.pool.give(buffer),
            From::Aside(buffer) => pending.aside = Some(buffer),
            From::Source(_) => {}
        }
        Some(made)
    }

    fn pass(&mut self, source: &dyn RowSource, ready: &[Ready<'_>]) -> Option<PlanarBuffer> {
        let [width, height] = self.geometry.size;
        let mut to = self.pool.buffer([width, height], self.precision);
        let rows = band(height);
        let stop = self.stop;
        let cut = Columns::of(0..width, width, Chain::reach(ready));
        to.bands(rows).into_par_iter().enumerate().for_each(|(k, mut out)| {
            for columns in &cut {
                let mut chain = Chain::of(ready, source, columns);
                let mut line = Scanline::new(columns.count);
                for j in 0..rows.min(height - k * rows) {
                    if j % 16 == 0 && stop.load(Ordering::Relaxed) {
                        return;
                    }
                    chain.row(k * rows + j, &mut line);
                    out.put(j, &line, columns);
                }
            }
        });
        self.unless_stopped([to]).map(|[to]| to)
    }

    /// Buffers that were written, or nothing when that was stopped: they are given back then.
    fn unless_stopped<const K: usize>(&mut self, made: [PlanarBuffer; K]) -> Option<[PlanarBuffer; K]> {
        if self.stop.load(Ordering::Relaxed) {
            made.into_iter().for_each(|buffer| self.pool.give(buffer));
            return None;
        }
        Some(made)
    }

    /// A pass that writes down what stays of the picture and, from its rows as they come, the light that it gives at half
    /// its size.
    fn pass_halved(
        &mut self,
        source: &dyn RowSource,
        ready: &[Ready<'_>],
        gives: &impl Gives,
        stays: Stays,
    ) -> Option<(PlanarBuffer, PlanarBuffer)> {
        let size = self.geometry.size;
        let [width, height] = size.map(|v| v.div_ceil(2));
        let mut to = self.pool.buffer(size, self.precision);
        let mut half = self.pool.buffer([width, height], self.precision);
        let rows = band(height);
        let stop = self.stop;
        let bands = to.bands(2 * rows).into_par_iter().zip(half.bands(rows));
        bands.enumerate().for_each(|(k, (mut out, mut half))| {
            let mut chain = Chain::of(ready, source, &Columns::all(size[0]));
            let (mut halving, mut line) = (Halving::new(gives, stays, size), Scanline::new(width));
            let own = 2 * k * rows..2 * (k + 1) * rows;
            for j in 0..rows.min(height - k * rows) {
                if j % 8 == 0 && stop.load(Ordering::Relaxed) {
                    return;
                }
                // It reaches beyond the band on both sides: those rows are written by their own.
                let mut after = |at, row: &mut Scanline| {
                    if own.contains(&at) {
                        out.write(at - own.start, row);
                    }
                };
                halving.row(k * rows + j, &mut line, &mut |at, row| chain.row(at, row), &mut after);
                half.write(j, &line);
            }
        });
        self.unless_stopped([to, half]).map(Into::into)
    }
}
