//! Shots decoded once and kept in the size that is looked at.

use crate::error::{ApiError, ApiResult};
use crate::media::MediaFolder;
use crate::store::{
    Store,
    productions::{Production, Shot},
};
use lantern_core::colour::{Encoding, Reference};
use lantern_core::look::{Path, Program};
use lantern_core::picture::Picture;
use lantern_core::table::{Bake, Reach};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// A shot's picture at some width, in code values of [`Proxy::encoding`].
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

/// Proxies by shot and width, and the shots' own rows.
#[derive(Default)]
pub struct Proxies {
    kept: Mutex<HashMap<(String, usize), Arc<Proxy>>>,
}

/// Points on a side of the tables that pictures go through while something is dragged.
const QUICK_SIZE: usize = 33;

/// Proxies kept at most: at 8 MB each for 960 x 540 they stay below a gigabyte.
const MOST: usize = 100;

impl Proxies {
    /// The proxy of a shot, at most `width` pixels wide. Blocks while it is decoded for the first time.
    pub fn get(&self, store: &Store, media: &MediaFolder, shot: &str, width: usize) -> ApiResult<Arc<Proxy>> {
        let key = (shot.to_owned(), width);
        if let Some(found) = self.lock().get(&key) {
            return Ok(found.clone());
        }
        let (shot, production) = Shot::find(&mut *store.connect()?, shot)?;
        let made = Arc::new(make(media, &shot, &production, width)?);
        let mut kept = self.lock();
        if kept.len() >= MOST {
            kept.clear();
        }
        kept.insert(key, made.clone());
        Ok(made)
    }

    /// Drops what is kept of a shot, because it changed.
    pub fn forget(&self, shot: &str) {
        self.lock().retain(|(kept, _), _| kept != shot);
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, HashMap<(String, usize), Arc<Proxy>>> {
        // The map is whole after every operation, also where a thread panicked.
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

fn make(media: &MediaFolder, shot: &Shot, production: &Production, width: usize) -> ApiResult<Proxy> {
    let mut picture = lantern_formats::picture::read(&media.read(&shot.media_hash)?)?;
    picture.heal();
    let own = production.encoding(&shot.encoding)?;
    let encoding = if own.is_linear() { named("acescct")? } else { own.clone() };
    if picture.width() > width || encoding != own {
        picture = resize(picture, &own, &encoding, width)?;
    }
    let reach = Reach::of(&picture.pixels, &Bake::quick(&encoding, QUICK_SIZE));
    Ok(Proxy { picture, encoding, hash: shot.media_hash.clone(), reach })
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
