//! Frames decoded once and kept in the size that is looked at.

use crate::error::{ApiError, ApiResult};
use crate::media::MediaFolder;
use crate::store::Store;
use crate::store::productions::{Production, Source};
use crate::store::shots::{Frame, Shot};
use diesel::SqliteConnection;
use lantern_core::colour::{Encoding, Reference};
use lantern_core::look::{Path, Program};
use lantern_core::picture::Picture;
use lantern_core::table::{Bake, Reach};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// A frame's picture at some width, in code values of [`Proxy::encoding`].
#[derive(Debug)]
pub struct Proxy {
    /// The pixels.
    pub picture: Picture,
    /// What they mean: the shot's own encoding, or ACEScct for linear sources, so that tables fit.
    pub encoding: Encoding,
    /// Content hash of the source.
    pub hash: String,
    /// What it reads of a quick table.
    pub reach: Option<Reach>,
}

/// A frame of a shot: by its place in the order, or the one that is shown for the shot.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct FrameOf {
    /// The shot.
    pub shot: String,
    /// The place in its order; its poster where none is said.
    pub place: Option<u32>,
}

type Key = (FrameOf, usize);

#[derive(Default)]
struct Cache {
    kept: HashMap<Key, (Arc<Proxy>, u64)>,
    bytes: usize,
    /// Rises with every use; the lowest is the one used longest ago.
    clock: u64,
}

/// Proxies by frame and width.
#[derive(Default)]
pub struct Proxies {
    cache: Mutex<Cache>,
    trims: Mutex<HashMap<String, Arc<Path>>>,
}

/// Points on a side of the tables that pictures go through while something is dragged.
const QUICK_SIZE: usize = 33;

/// Memory that proxies may take: a minute of a 480-wide sequence, or some hundred stills at 960.
const MOST_BYTES: usize = 900 << 20;

fn size(p: &Proxy) -> usize {
    p.picture.pixels.len() * 16 + p.reach.as_ref().map_or(0, |_| 256 << 10)
}

impl Proxies {
    /// The proxy of a frame, at most `width` pixels wide. Blocks while it is decoded for the first time.
    pub fn get(
        &self,
        store: &Store,
        media: &MediaFolder,
        of: &FrameOf,
        width: usize,
    ) -> ApiResult<Arc<Proxy>> {
        let key = (of.clone(), width);
        {
            let cache = &mut *self.lock();
            cache.clock += 1;
            if let Some((found, used)) = cache.kept.get_mut(&key) {
                *used = cache.clock;
                return Ok(found.clone());
            }
        }
        let made = Arc::new(make(&mut *store.connect()?, media, of, width)?);
        let cache = &mut *self.lock();
        cache.bytes += size(&made);
        let clock = cache.clock;
        if let Some((old, _)) = cache.kept.insert(key.clone(), (made.clone(), clock)) {
            cache.bytes -= size(&old);
        }
        while cache.bytes > MOST_BYTES && cache.kept.len() > 1 {
            let oldest = cache.kept.iter().filter(|(k, _)| **k != key).min_by_key(|(_, (_, used))| *used);
            let Some(oldest) = oldest.map(|(k, _)| k.clone()) else { break };
            if let Some((gone, _)) = cache.kept.remove(&oldest) {
                cache.bytes -= size(&gone);
            }
        }
        Ok(made)
    }

    /// The trim of a shot as it was saved last.
    pub fn trim(&self, store: &Store, shot: &str) -> ApiResult<Arc<Path>> {
        let trims = || self.trims.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(found) = trims().get(shot) {
            return Ok(found.clone());
        }
        let (row, _) = Shot::find(&mut *store.connect()?, shot)?;
        let trim = Arc::new(row.trim()?);
        trims().insert(shot.into(), trim.clone());
        Ok(trim)
    }

    /// Drops what is kept of a shot, because it changed.
    pub fn forget(&self, shot: &str) {
        self.forget_trim(shot);
        let cache = &mut *self.lock();
        cache.kept.retain(|(of, _), _| of.shot != shot);
        cache.bytes = cache.kept.values().map(|(p, _)| size(p)).sum();
    }

    /// Drops the kept trim of a shot.
    pub fn forget_trim(&self, shot: &str) {
        self.trims.lock().unwrap_or_else(PoisonError::into_inner).remove(shot);
    }

    /// Drops everything, because what encodings mean has changed.
    pub fn forget_all(&self) {
        self.trims.lock().unwrap_or_else(PoisonError::into_inner).clear();
        *self.lock() = Cache::default();
    }

    fn lock(&self) -> MutexGuard<'_, Cache> {
        // The cache is whole after every operation, also where a thread panicked.
        self.cache.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// What a shot's code values mean: its profile's technical table, where it has one, and the encoding after it.
pub fn source(
    c: &mut SqliteConnection,
    media: &MediaFolder,
    production: &Production,
    encoding: &str,
) -> ApiResult<Source> {
    let profile = production.profile(c, encoding)?;
    let table = match profile.as_ref().and_then(|p| p.table_hash.as_ref()) {
        Some(hash) => Some(lantern_formats::cube::read(&media.read(hash)?)?),
        None => None,
    };
    let mut own = production.encoding(c, encoding)?;
    // Every profile is called `camera` by itself; caches tell encodings apart by their ids.
    if let Some(profile) = profile {
        own.id = format!("profile:{}", profile.id);
    }
    Ok(Source { table, encoding: own })
}

fn make(c: &mut SqliteConnection, media: &MediaFolder, of: &FrameOf, width: usize) -> ApiResult<Proxy> {
    let (shot, production) = Shot::find(c, &of.shot)?;
    let place = of.place.map_or(i64::from(shot.poster), i64::from);
    let frame = Frame::at(c, &shot.id, place)?;
    let source = source(c, media, &production, &shot.encoding)?;
    decode(media, &frame.media_hash, &source, width)
}

/// Decodes a picture file for looking at.
pub fn decode(media: &MediaFolder, hash: &str, source: &Source, width: usize) -> ApiResult<Proxy> {
    let mut picture = lantern_formats::picture::read(&media.read(hash)?)?;
    picture.heal();
    if let Some(table) = &source.table {
        table.apply_parallel(&mut picture.pixels);
    }
    let own = &source.encoding;
    let encoding = if own.is_linear() { named("acescct")? } else { own.clone() };
    if picture.width() > width || encoding != *own {
        picture = resize(picture, own, &encoding, width)?;
    }
    let reach = Reach::of(&picture.pixels, &Bake::quick(&encoding, QUICK_SIZE));
    Ok(Proxy { picture, encoding, hash: hash.into(), reach })
}

fn named(id: &str) -> ApiResult<Encoding> {
    Encoding::find(id).ok_or_else(|| ApiError::internal(format!("no encoding {id}")))
}

/// Makes a picture smaller in linear light, from code values of one encoding to those of another.
fn resize(mut picture: Picture, from: &Encoding, to: &Encoding, width: usize) -> ApiResult<Picture> {
    let linear = match from.reference {
        Reference::Scene => named("acescg")?,
        // Display pictures are averaged in their own light and stay in their own encoding.
        Reference::Display => {
            return Ok(picture.fit_within(width, usize::MAX >> 16));
        }
    };
    let none = Path::default();
    Program::compile(&none, from, &linear)?.run_parallel(&mut picture.pixels);
    let mut small = picture.fit_within(width, usize::MAX >> 16);
    Program::compile(&none, &linear, to)?.run_parallel(&mut small.pixels);
    Ok(small)
}
