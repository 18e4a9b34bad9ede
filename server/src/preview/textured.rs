//! Pictures with texture: in parts, with what does not change kept between two frames.

use super::proxy::Proxy;
use super::request::{Frame, Quality};
use crate::error::{ApiError, ApiResult};
use lantern_core::colour::Encoding;
use lantern_core::look::{Path, Staged, StagedTables, Target};
use lantern_core::step::{Values, Zone};
use lantern_core::table::Bake;
use lantern_core::texture::Plate;
use lantern_core::texture::chain::Window;
use lantern_core::texture::passes::Made;
use lantern_core::texture::sheet::Room;
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Points on a side of the table that a picture goes through before its texture.
const QUICK_SIZE: usize = 33;

/// The last picture: what it was made from and through, and how far it had come.
struct Last {
    source: Source,
    staged: Staged,
    quality: Quality,
    textured: Arc<Made>,
}

/// The last tables, and what they stand for.
struct Tables {
    encoding: String,
    staged: Staged,
    tables: StagedTables,
}

/// What a picture is made from.
#[derive(Clone, Debug, PartialEq)]
struct Source {
    hash: String,
    encoding: String,
    plate: Plate,
}

/// The picture and the tables that were made last, for a page that changes one thing at a time. Apart, because exact
/// pictures and those that were stopped come between two that go through tables.
#[derive(Default)]
pub struct TexturedKept {
    last: Mutex<Option<Last>>,
    tables: Mutex<Option<Tables>>,
    room: Mutex<Room>,
}

/// What is kept is put in whole, so that it is good also where a thread panicked.
fn locked<T>(of: &Mutex<T>) -> MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// The part of a plate that a picture shows, with as much around it as texture needs.
pub struct Cut {
    /// What is computed.
    pub plate: Plate,
    /// The place of the part in it, and its size.
    pub inside: [usize; 4],
}

impl Cut {
    /// All of a plate.
    pub fn whole(plate: Plate) -> Self {
        Self { inside: [0, 0, plate.size[0], plate.size[1]], plate }
    }

    /// A part of a whole frame.
    pub fn part(whole: Plate, [x, y, w, h]: [usize; 4], reach: usize) -> Self {
        // More than this much around a part costs more than it shows.
        const MOST_AROUND: usize = 400;
        let around = reach.min(MOST_AROUND);
        let (left, top) = (x.saturating_sub(around), y.saturating_sub(around));
        let right = (x + w + around).min(whole.size[0]);
        let bottom = (y + h + around).min(whole.size[1]);
        let plate = whole.part([left, top], [right - left, bottom - top]);
        Self { plate, inside: [x - left, y - top, w, h] }
    }
}

impl TexturedKept {
    /// Appends the bytes of a part of a picture with its texture. `false` when `stop` was set meanwhile.
    pub fn render(
        &self,
        proxy: &Proxy,
        staged: Staged,
        cut: &Cut,
        quality: Quality,
        frame: &mut Frame,
        stop: &AtomicBool,
    ) -> ApiResult<bool> {
        let source =
            Source { hash: proxy.hash.clone(), encoding: proxy.encoding.id.clone(), plate: cut.plate };
        let tables = match quality {
            Quality::Drag if !proxy.encoding.is_linear() => Some(self.tables(proxy, &staged)?),
            _ => None,
        };
        let same = |l: &Last| {
            // An exact picture serves a quick one, not the other way round.
            let good = l.quality == quality || l.quality == Quality::Rest;
            good && l.source == source && l.staged.parts == staged.parts
        };
        let kept = locked(&self.last).as_ref().filter(|l| same(l)).map(|l| (l.textured.clone(), l.quality));
        let (textured, quality) = match kept {
            Some(kept) => kept,
            None => {
                let pixels = window(proxy, &cut.plate);
                let made =
                    self.in_room(|room| staged.textured(tables.as_ref(), &pixels, &cut.plate, room, stop));
                let Some(made) = made else { return Ok(false) };
                (Arc::new(made), quality)
            }
        };
        finish(&staged, tables.as_ref(), &textured, cut, frame);
        let before = locked(&self.last).replace(Last { source, staged, quality, textured });
        if let Some(made) = before.and_then(|l| Arc::try_unwrap(l.textured).ok()) {
            made.done(&mut locked(&self.room));
        }
        Ok(true)
    }

    /// Appends the bytes of a picture with its texture, computed exactly and not kept. `false` when `stop` was set.
    pub fn once(
        &self,
        proxy: &Proxy,
        staged: &Staged,
        cut: &Cut,
        frame: &mut Frame,
        stop: &AtomicBool,
    ) -> bool {
        let target = Target::bytes(cut.inside, grown(frame, cut));
        let pixels = window(proxy, &cut.plate);
        self.in_room(|room| staged.render(None, &pixels, &cut.plate, room, stop, target)).is_some()
    }

    /// Work with the buffers of the picture before it. Who comes meanwhile begins with none.
    fn in_room<T>(&self, work: impl FnOnce(&mut Room) -> T) -> T {
        let mut room = std::mem::take(&mut *locked(&self.room));
        let done = work(&mut room);
        *locked(&self.room) = room;
        done
    }

    /// Tables for all parts, those kept that are still the same.
    fn tables(&self, proxy: &Proxy, staged: &Staged) -> ApiResult<StagedTables> {
        let encoding = &proxy.encoding.id;
        let mut kept = locked(&self.tables);
        let before = kept.as_ref().filter(|k| k.encoding == *encoding).map(|k| (&k.staged, &k.tables));
        let plan = Bake::quick(&proxy.encoding, QUICK_SIZE);
        let tables = staged.tables(&plan, before).map_err(ApiError::internal)?;
        *kept = Some(Tables { encoding: encoding.clone(), staged: staged.clone(), tables: tables.clone() });
        Ok(tables)
    }
}

/// Appends the bytes of what halation adds and nothing else. `false` when `stop` was set meanwhile.
pub fn halation_alone(
    proxy: &Proxy,
    staged: &Staged,
    cut: &Cut,
    display: &Encoding,
    frame: &mut Frame,
    stop: &AtomicBool,
) -> bool {
    // Black, where there is none.
    let out = grown(frame, cut);
    out.chunks_exact_mut(4).for_each(|p| p[3] = 255);
    let target = Target::bytes(cut.inside, out);
    staged.halation_alone(&window(proxy, &cut.plate), &cut.plate, display, stop, target).is_some()
}

/// The path that shows grain and nothing else: its film, without other steps.
pub fn grain_alone(path: &Path) -> Path {
    let shows = |v: &Values| {
        matches!(v, Values::Grain(_) | Values::Negative(_) | Values::Print(_) | Values::PlainRendering(_))
    };
    Path::of(path.steps.iter().filter(|s| s.zone == Zone::Film && shows(&s.values)).cloned().collect())
}

/// The pixels of a plate.
fn window<'a>(proxy: &'a Proxy, plate: &Plate) -> Window<'a> {
    Window { pixels: &proxy.picture.pixels, width: proxy.picture.width(), at: plate.origin }
}

/// Room for the bytes of the part that is shown, after what there is.
fn grown<'a>(frame: &'a mut Frame, cut: &Cut) -> &'a mut [u8] {
    let start = frame.len();
    frame.resize(start + cut.inside[2] * cut.inside[3] * 4, 0);
    &mut frame[start..]
}

/// Appends the bytes of the part that is shown.
fn finish(staged: &Staged, tables: Option<&StagedTables>, made: &Made, cut: &Cut, frame: &mut Frame) {
    staged.finish(tables, made, Target::bytes(cut.inside, grown(frame, cut)));
}
