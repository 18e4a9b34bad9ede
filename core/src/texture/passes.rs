//! Running texture: few passes over the picture, and in each of them a row goes through everything at once.
//!
//! The cost is mostly memory: a pass over the picture takes as long as a table lookup. So colour work and texture are chained
//! row by row, each stage keeping only the rows inside the next one's radius; the whole picture is stored only where something
//! needs all of it: before light is spread by a pyramid, where it is kept, and at the end. Bands of rows run in parallel; a
//! row's result does not depend on its band.

use super::buffer::{BufferPool, PlanarBuffer, Precision, band};
use super::chain::{Before, Chain, Point, Ready, RowSource, Stage, Wide, Window};
use super::columns::Columns;
use super::mix::{Mix, Mixing};
use super::scanline::Scanline;
use super::spread::{self, Back, Gives, Halving, Levels, Stays};
use super::{FrameGeometry, Pixels, Texture, halation};
use rayon::prelude::*;
use std::ops::Range;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Where pictures are kept on the way.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Slot {
    /// For the end.
    End,
    /// For the group that is being worked on.
    Group,
    /// For the step that is being worked on.
    Step,
}

const SLOTS: usize = 3;

/// One item of work on a picture; items run in order.
pub enum Item<'a> {
    /// Colour work.
    Colour(&'a dyn Point),
    /// Keeps the picture as it is here.
    Keep(Slot),
    /// Makes a matte of the picture that is kept: the work puts it in place of the colours.
    Matte(Slot, &'a dyn Point),
    /// Blends the picture with the one that is kept, which is given up.
    Mix(Slot, Mix),
    /// Texture.
    Texture(&'a Texture),
    /// Replaces the picture by what halation adds to it.
    Alone(&'a halation::HalationKernel),
}

/// A finished picture, and the one that was kept on the way.
#[derive(Clone, Debug)]
pub struct Made {
    /// The picture after all items.
    pub picture: PlanarBuffer,
    /// The picture kept for the end, where there is one.
    pub aside: Option<PlanarBuffer>,
}

impl Made {
    /// Its size in bytes.
    pub fn bytes(&self) -> usize {
        self.picture.bytes() + self.aside.as_ref().map_or(0, PlanarBuffer::bytes)
    }

    /// Returns its buffers to the pool.
    pub fn done(self, pool: &mut BufferPool) {
        pool.give(self.picture);
        self.aside.into_iter().for_each(|s| pool.give(s));
    }
}

/// What a run needs.
pub struct Work<'a> {
    /// Where the picture lies on the film.
    pub geometry: &'a FrameGeometry,
    /// Storage precision between passes.
    pub precision: Precision,
    /// Buffers to use and to return.
    pub pool: &'a mut BufferPool,
    /// Set from outside to stop; checked every few rows.
    pub stop: &'a AtomicBool,
}

/// Where the stored picture is.
enum From<'a> {
    Source(&'a dyn RowSource),
    Buffer(PlanarBuffer),
    Kept(Arc<PlanarBuffer>),
}

/// The stored picture and the stages queued on it: `'s` is the source's life, `'i` that of the items.
struct Pending<'s, 'i> {
    from: From<'s>,
    ready: Vec<Ready<'i>>,
    /// Spread light that the first queued stage adds back.
    levels: Option<Arc<Levels>>,
    /// What is kept in each [`Slot`], and the mattes of it.
    kept: [Option<Arc<PlanarBuffer>>; SLOTS],
    mattes: [Option<Arc<PlanarBuffer>>; SLOTS],
    /// What queued stages read, to be given back after them.
    read: Vec<Arc<PlanarBuffer>>,
}

impl<'s, 'i> Pending<'s, 'i> {
    fn new(source: &'s dyn RowSource) -> Self {
        Self::of(From::Source(source), Vec::new())
    }

    fn of(from: From<'s>, ready: Vec<Ready<'i>>) -> Self {
        Self {
            from,
            ready,
            levels: None,
            kept: Default::default(),
            mattes: Default::default(),
            read: Vec::new(),
        }
    }

    fn source(&self) -> &dyn RowSource {
        match &self.from {
            From::Source(source) => *source,
            From::Buffer(buffer) => buffer,
            From::Kept(buffer) => &**buffer,
        }
    }

    /// The same without its source, where all that is still to be read is stored; `None` where it is not.
    fn stored(self) -> Option<Pending<'static, 'i>> {
        let Self { from, ready, levels, kept, mattes, read } = self;
        let from = match from {
            From::Source(_) => return None,
            From::Buffer(buffer) => From::Buffer(buffer),
            From::Kept(buffer) => From::Kept(buffer),
        };
        Some(Pending { from, ready, levels, kept, mattes, read })
    }

    /// Clears the queue and returns the spread light's buffers.
    fn done(&mut self, pool: &mut BufferPool) {
        self.ready.clear();
        self.read.drain(..).for_each(|buffer| give(pool, buffer));
        if let Some(levels) = self.levels.take().and_then(|l| Arc::try_unwrap(l).ok()) {
            levels.done(pool);
        }
    }

    /// Returns all buffers to the pool.
    fn drop_into(mut self, pool: &mut BufferPool) {
        self.ready.clear();
        match std::mem::replace(&mut self.from, From::Source(&Nothing)) {
            From::Buffer(buffer) => pool.give(buffer),
            From::Kept(_) | From::Source(_) => {}
        }
        self.done(pool);
        self.kept.into_iter().chain(self.mattes).flatten().for_each(|buffer| give(pool, buffer));
    }
}

/// Nothing, in place of a picture that was given back.
struct Nothing;

impl RowSource for Nothing {
    fn row(&self, _: usize, _: usize, _: &mut Scanline) {}
}

/// Returns a buffer to the pool when nobody else has it.
fn give(pool: &mut BufferPool, buffer: Arc<PlanarBuffer>) {
    if let Ok(buffer) = Arc::try_unwrap(buffer) {
        pool.give(buffer);
    }
}

/// Adds spread light to rows: line = keep * line + light.
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

    fn halo(&self) -> usize {
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
    /// Runs all items. `None` when `stop` was set meanwhile.
    pub fn run(mut self, items: &[Item<'_>], source: &dyn RowSource) -> Option<Made> {
        let mut pending = Pending::new(source);
        let Some(picture) = self.most(&mut pending, items).and_then(|()| self.render(&mut pending)) else {
            pending.drop_into(self.pool);
            return None;
        };
        let aside = pending.kept[Slot::End as usize].take().and_then(Arc::into_inner);
        pending.drop_into(self.pool);
        let Some(aside) = aside else { return Some(Made { picture, aside: None }) };
        match self.weave(items, aside) {
            Some(aside) => Some(Made { picture, aside: Some(aside) }),
            None => {
                self.pool.give(picture);
                None
            }
        }
    }

    /// Runs all items and streams the rectangle `inside` (left, top, width, height) to `write` without storing the picture.
    /// `write` gets a scanline, the columns of it that count, scratch pixels, and the matching part of `out` (`per` values a
    /// pixel). Must not be used with [`Item::Keep`]. `None` when `stop` was set meanwhile.
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
        self.stream(pending, inside, out, per, write)
    }

    /// As [`Work::run_into`], for a whole picture that is written over: what the last pass reads is stored first. A run that is
    /// stopped leaves it half written.
    pub fn run_over(
        mut self,
        items: &[Item<'_>],
        pixels: &mut Pixels,
        write: impl Fn(&mut Scanline, Range<usize>, &mut Vec<[f32; 4]>, &mut Pixels) + Sync,
    ) -> Option<()> {
        let [width, height] = self.geometry.size;
        let source = Window { pixels, width, at: [0, 0] };
        let mut pending = Pending::new(&source);
        if self.most(&mut pending, items).and_then(|()| self.store(&mut pending)).is_none() {
            pending.drop_into(self.pool);
            return None;
        }
        self.stream(pending.stored()?, [0, 0, width, height], pixels, 1, write)
    }

    /// Stores the picture after all queued stages where it is still the source.
    fn store(&mut self, pending: &mut Pending<'_, '_>) -> Option<()> {
        if let From::Source(_) = pending.from {
            pending.from = From::Buffer(self.render(pending)?);
        }
        Some(())
    }

    /// The last pass: runs what is queued and writes each row.
    fn stream<T: Send>(
        self,
        pending: Pending<'_, '_>,
        inside: [usize; 4],
        out: &mut [T],
        per: usize,
        write: impl Fn(&mut Scanline, Range<usize>, &mut Vec<[f32; 4]>, &mut [T]) + Sync,
    ) -> Option<()> {
        let ([left, top, width, height], stop) = (inside, self.stop);
        let rows = band(height);
        let cut = Columns::of(left..left + width, self.geometry.size[0], Chain::halo(&pending.ready));
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

    /// Runs or queues all items up to the last pass.
    fn most<'i>(&mut self, pending: &mut Pending<'_, 'i>, items: &[Item<'i>]) -> Option<()> {
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
                Item::Keep(slot) => {
                    let kept = Arc::new(self.render(pending)?);
                    pending.from = From::Kept(kept.clone());
                    pending.kept[*slot as usize] = Some(kept);
                }
                Item::Matte(slot, work) => {
                    let Some(kept) = pending.kept[*slot as usize].clone() else { continue };
                    let matte = self.pass(&*kept, &[Ready::point(*work)])?;
                    pending.mattes[*slot as usize] = Some(Arc::new(matte));
                }
                Item::Mix(slot, mix) => {
                    let Some(kept) = pending.kept[*slot as usize].take() else { continue };
                    let matte = pending.mattes[*slot as usize].take();
                    pending.read.extend([Some(kept.clone()), matte.clone()].into_iter().flatten());
                    pending.ready.push(Ready::wide(Mixing { mix: *mix, kept, matte }));
                }
            }
        }
        Some(())
    }

    /// Stores what remains of the picture, builds the pyramid of its light, and queues the stage that adds it back.
    fn spread<G: Gives>(
        &mut self,
        pending: &mut Pending<'_, '_>,
        weights: &[f64],
        gives: &G,
        stays: Stays,
    ) -> Option<()> {
        let used = spread::used(weights, self.geometry.size);
        let (buffer, half) =
            self.rendered(pending, |work, source, ready| work.pass_halved(source, ready, gives, stays))?;
        let levels = Arc::new(Levels::of(half, weights, gives.share(), used, self.precision, self.pool));
        pending.levels = Some(levels.clone());
        let keep = if G::ALL { stays.picture + stays.light } else { 1.0 };
        pending.ready.push(Ready::wide(Spread { keep, levels }));
        pending.from = From::Buffer(buffer);
        Some(())
    }

    /// Moves the kept picture as gate weave moves the other, so that both still coincide.
    fn weave(&mut self, items: &[Item<'_>], aside: PlanarBuffer) -> Option<PlanarBuffer> {
        let weaves = items.iter().filter_map(|i| match i {
            Item::Texture(t @ Texture::GateWeave(_)) => Some(t),
            _ => None,
        });
        let ready: Vec<_> = weaves.flat_map(|t| t.ready(self.geometry)).collect();
        if ready.is_empty() {
            return Some(aside);
        }
        let mut pending = Pending::of(From::Buffer(aside), ready);
        let woven = self.render(&mut pending);
        if woven.is_none() {
            pending.drop_into(self.pool);
        }
        woven
    }

    /// Runs the queued stages into a new buffer and clears the queue; afterwards `from` is empty.
    fn render(&mut self, pending: &mut Pending<'_, '_>) -> Option<PlanarBuffer> {
        let made = self.rendered(pending, |work, source, ready| Some((work.pass(source, ready)?, ())));
        made.map(|(buffer, ())| buffer)
    }

    /// As [`Work::render`], by a pass that also gives something else.
    fn rendered<T>(
        &mut self,
        pending: &mut Pending<'_, '_>,
        pass: impl FnOnce(&mut Self, &dyn RowSource, &[Ready<'_>]) -> Option<(PlanarBuffer, T)>,
    ) -> Option<(PlanarBuffer, T)> {
        let made = pass(self, pending.source(), &pending.ready)?;
        if let From::Buffer(buffer) = std::mem::replace(&mut pending.from, From::Source(&Nothing)) {
            self.pool.give(buffer);
        }
        pending.done(self.pool);
        Some(made)
    }

    fn pass(&mut self, source: &dyn RowSource, ready: &[Ready<'_>]) -> Option<PlanarBuffer> {
        let [width, height] = self.geometry.size;
        let mut to = self.pool.buffer([width, height], self.precision);
        let rows = band(height);
        let stop = self.stop;
        let cut = Columns::of(0..width, width, Chain::halo(ready));
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

    /// The written buffers; `None`, and the buffers back in the pool, when the run was stopped.
    fn unless_stopped<const K: usize>(&mut self, made: [PlanarBuffer; K]) -> Option<[PlanarBuffer; K]> {
        if self.stop.load(Ordering::Relaxed) {
            made.into_iter().for_each(|buffer| self.pool.give(buffer));
            return None;
        }
        Some(made)
    }

    /// One pass that stores what remains of the picture and, from the same rows, the light that it gives at half its size.
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
                // Halo rows of the band: they are stored by the bands that own them.
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
