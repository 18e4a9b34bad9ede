//! Pictures with texture: in parts, with what does not change kept between two frames.

use super::proxy::Proxy;
use super::request::{Frame, Quality};
use crate::error::{ApiError, ApiResult};
use lantern_core::colour::Encoding;
use lantern_core::look::{Path, Staged, StagedTables};
use lantern_core::picture;
use lantern_core::step::{Values, Zone};
use lantern_core::table::Bake;
use lantern_core::texture::Plate;
use lantern_core::texture::passes::{Made, Window};
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
                let mut room = std::mem::take(&mut *locked(&self.room));
                let made =
                    staged.textured(tables.as_ref(), &window(proxy, &cut.plate), &cut.plate, &mut room, stop);
                *locked(&self.room) = room;
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

/// Appends the bytes of a picture with its texture, computed exactly and not kept. `false` when `stop` was set.
pub fn render_once(proxy: &Proxy, staged: &Staged, cut: &Cut, frame: &mut Frame, stop: &AtomicBool) -> bool {
    let source = window(proxy, &cut.plate);
    let out = grown(frame, cut);
    let mut room = Room::default();
    staged.render(None, &source, &cut.plate, cut.inside, &mut room, stop, out, 4, picture::to_bytes).is_some()
}

/// Appends the bytes of what halation adds and nothing else.
pub fn halation_alone(proxy: &Proxy, staged: &Staged, cut: &Cut, display: &Encoding, frame: &mut Frame) {
    let mut pixels = gather(proxy, &cut.plate);
    staged.halation_alone(&mut pixels, &cut.plate, display);
    let [x, y, w, _] = cut.inside;
    let rows = pixels.chunks_exact(cut.plate.size[0]).skip(y);
    for (row, out) in rows.zip(grown(frame, cut).chunks_exact_mut(w * 4)) {
        picture::to_bytes(&row[x..x + w], out);
    }
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

fn gather(proxy: &Proxy, plate: &Plate) -> Vec<[f32; 4]> {
    let width = proxy.picture.width();
    let rows = proxy.picture.pixels.chunks_exact(width).skip(plate.origin[1]).take(plate.size[1]);
    rows.flat_map(|row| row[plate.origin[0]..plate.origin[0] + plate.size[0]].iter().copied()).collect()
}

/// Room for the bytes of the part that is shown, after what there is.
fn grown<'a>(frame: &'a mut Frame, cut: &Cut) -> &'a mut [u8] {
    let start = frame.len();
    frame.resize(start + cut.inside[2] * cut.inside[3] * 4, 0);
    &mut frame[start..]
}

/// Appends the bytes of the part that is shown.
fn finish(staged: &Staged, tables: Option<&StagedTables>, made: &Made, cut: &Cut, frame: &mut Frame) {
    staged.finish(tables, made, cut.inside, grown(frame, cut), 4, picture::to_bytes);
}
