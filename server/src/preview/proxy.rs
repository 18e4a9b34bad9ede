//! Frames decoded once and kept in the size that is looked at: in memory, and what is much smaller than its file on disk too
//! (see [`crate::media::proxies`]).
//!
//! They are kept by their contents: by the file's hash, and by what its code values mean. So nothing has to be dropped when
//! a shot, its encoding or a profile changes: what is asked for then has another key.

use super::looking::{Looking, Seen};
use super::smaller::{Gathered, Light, Smaller, is_transparent};
use crate::cache::{WeighedCache, Weight};
use crate::error::{ApiError, ApiResult};
use crate::jobs::stepped_back;
use crate::media::MediaFolder;
use crate::media::decode::decode;
use crate::media::proxies::Keeping;
use crate::store::ids::SceneId;
use crate::store::productions::Production;
use crate::store::profiles::Profile;
use crate::store::shots::{Frame, Shot};
use diesel::SqliteConnection;
use lantern_core::bake::{Bake, Reach};
use lantern_core::colour::Encoding;
use lantern_core::colour::likely::{Likely, likely};
use lantern_core::picture::Picture;
use lantern_formats::facts::Facts;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Condvar, Mutex, OnceLock, PoisonError};

/// A frame's picture at some width, in code values of [`Proxy::encoding`].
#[derive(Debug)]
pub struct Proxy {
    /// The pixels.
    pub picture: Picture,
    /// What they mean: the shot's own encoding, or ACEScct for linear sources, so that tables fit.
    pub encoding: Encoding,
    /// Tells these pixels from all others of this width: the file and what its code values mean.
    pub hash: String,
    /// Whether nobody knows what its values mean: they are shown as they are.
    pub raw: bool,
    /// Whether something is transparent.
    pub clear: bool,
    reach: OnceLock<Option<Reach>>,
}

/// A file of the media folder and what its code values mean: all that a proxy is made from.
#[derive(Clone, Debug)]
pub struct FrameSource {
    media: String,
    profile: Option<Profile>,
    /// A shipped encoding, where there is no profile.
    shipped: Option<Encoding>,
    /// Whether its encoding is unknown.
    raw: bool,
}

impl FrameSource {
    /// A frame of a shot, taken as if it had an encoding; with an empty one its code values are shown as they are. `place`
    /// is its place in the order.
    pub fn of(
        c: &mut SqliteConnection,
        shot: &Shot,
        production: &Production,
        place: i64,
        encoding: &str,
    ) -> ApiResult<Self> {
        let media = Frame::at(c, &shot.id, place)?.media_hash;
        Self::of_file(c, media, production, encoding)
    }

    /// A picture file of a production, taken as if it had an encoding.
    pub fn of_file(
        c: &mut SqliteConnection,
        media: String,
        production: &Production,
        encoding: &str,
    ) -> ApiResult<Self> {
        if encoding.is_empty() {
            return Ok(Self::raw_file(media));
        }
        let profile = production.profile(c, encoding)?;
        let shipped = match &profile {
            Some(_) => None,
            None => Some(production.encoding(c, encoding)?),
        };
        Ok(Self { media, profile, shipped, raw: false })
    }

    /// A frame's code values as they are, whatever they mean: taken for sRGB and shown as that, which alters nothing.
    pub fn raw(c: &mut SqliteConnection, shot: &Shot, place: i64) -> ApiResult<Self> {
        Ok(Self::raw_file(Frame::at(c, &shot.id, place)?.media_hash))
    }

    fn raw_file(media: String) -> Self {
        Self { media, profile: None, shipped: Encoding::find("srgb"), raw: true }
    }

    /// Takes raw code values for what they mean here: through the profile's technical table where it has one. Gives the
    /// encoding that they have then.
    pub fn interpret(&self, media: &MediaFolder, picture: &mut Picture) -> ApiResult<Encoding> {
        if let Some(hash) = self.profile.as_ref().and_then(|p| p.table_hash.as_ref()) {
            lantern_formats::registry::read_table(&media.read(hash)?, "")?
                .apply_parallel(&mut picture.pixels);
        }
        self.encoding()
    }

    /// Whether nobody knows how it is encoded.
    pub(super) fn is_unknown(&self) -> bool {
        self.raw
    }

    /// Whether its code values go through a technical table before they mean anything.
    pub(super) fn has_table(&self) -> bool {
        self.profile.as_ref().is_some_and(|p| p.table_hash.is_some())
    }

    /// Keeps its middling proxy on disk.
    pub(super) fn keep(&self, media: &MediaFolder, proxy: Keeping) {
        media.keep_proxy(&self.media, &self.key(), proxy);
    }

    /// The same of another frame of the same shot.
    pub fn of_frame(&self, media: String) -> Self {
        Self { media, ..self.clone() }
    }

    /// The whole frame with what lies beside its pixels, in code values of [`FrameSource::encoding`].
    pub fn whole(&self, media: &MediaFolder) -> ApiResult<lantern_formats::frame::Frame> {
        let bytes = media.read(&self.media)?;
        let mut frame = decode(self.media.get(..12).unwrap_or(&self.media), &bytes)?.frame;
        self.interpret(media, &mut frame.picture)?;
        Ok(frame)
    }

    /// Tells it from all others.
    pub fn key(&self) -> String {
        match (&self.profile, &self.shipped) {
            (Some(profile), _) => format!("{}|{}", self.media, profile.fingerprint()),
            (None, Some(_)) if self.raw => format!("{}|raw", self.media),
            (None, Some(shipped)) => format!("{}|{}", self.media, shipped.id),
            (None, None) => self.media.clone(),
        }
    }

    /// The encoding of the file's code values, or of what its technical table gives. Every profile is called `camera` by
    /// itself; caches tell encodings apart by their ids.
    pub fn encoding(&self) -> ApiResult<Encoding> {
        match (&self.profile, &self.shipped) {
            (Some(profile), _) => Ok(Encoding { id: profile.fingerprint(), ..profile.encoding()? }),
            (None, Some(shipped)) => Ok(shipped.clone()),
            (None, None) => Err(ApiError::internal("a source without an encoding")),
        }
    }

    /// What pixels for looking at mean: its own encoding, or a log where that is linear.
    pub(super) fn shown_as(own: &Encoding) -> ApiResult<Encoding> {
        if own.is_linear() { named("acescct") } else { Ok(own.clone()) }
    }

    /// Decodes it for looking at, at most `width` pixels wide; of a large picture that is wanted small also a middling one,
    /// from which others are made without decoding it again.
    fn decode(&self, media: &MediaFolder, width: usize) -> ApiResult<(Proxy, Option<Proxy>)> {
        let bytes = media.read(&self.media)?;
        // A production file brings pictures that nobody has looked at yet.
        let short = self.media.get(..12).unwrap_or(&self.media);
        let frame = decode(short, &bytes)?.frame;
        drop(bytes);
        self.seen(media, frame, width)
    }

    /// What was made of it at an earlier time: the middling one, and the one that is wanted, which is not wider.
    fn kept(&self, media: &MediaFolder, width: usize) -> Option<(Proxy, Option<Proxy>)> {
        if width > MIDDLING {
            return None;
        }
        let picture = media.proxy(&self.media, &self.key())?;
        let encoding = Self::shown_as(&self.encoding().ok()?).ok()?;
        let middling = Proxy::new(picture, encoding, self.key(), self.raw);
        if width == MIDDLING {
            Some((middling, None))
        } else {
            Some((middling.shrunk(width).ok()?, Some(middling)))
        }
    }

    /// The same of a picture that is decoded already, as it stands in its file.
    pub(super) fn seen(
        &self,
        media: &MediaFolder,
        mut frame: lantern_formats::frame::Frame,
        width: usize,
    ) -> ApiResult<(Proxy, Option<Proxy>)> {
        // It is looked at on black.
        frame.lights_cover();
        let (mut picture, orientation) = (frame.picture, frame.beside.orientation);
        let own = self.interpret(media, &mut picture)?;
        let encoding = Self::shown_as(&own)?;
        let seen = if orientation > 4 { picture.height() } else { picture.width() };
        let middling = width <= SMALL && seen >= 2 * MIDDLING;
        let wanted = if middling { MIDDLING } else { width };
        // Made smaller before it is turned, so that there are never two of the whole size.
        let most = if orientation > 4 { [MOST_ROWS, wanted] } else { [wanted, MOST_ROWS] };
        if picture.width() > most[0] || picture.height() > most[1] || encoding != own {
            picture = Light::between(&own, &encoding)?.whole(picture, most);
        }
        let mut picture = picture.upright(orientation);
        if wanted == MIDDLING && seen > MIDDLING {
            self.keep(media, Keeping::of(&mut picture));
        }
        let made = Proxy::new(picture, encoding, self.key(), self.raw);
        if middling { Ok((made.shrunk(width)?, Some(made))) } else { Ok((made, None)) }
    }
}

impl Proxy {
    fn new(picture: Picture, encoding: Encoding, hash: String, raw: bool) -> Self {
        let clear = picture.pixels.iter().any(|p| is_transparent(p[3]));
        Self { picture, encoding, hash, raw, clear, reach: OnceLock::new() }
    }

    /// Pixels of a source.
    pub(super) fn of(source: &FrameSource, picture: Picture, encoding: Encoding) -> Self {
        Self::new(picture, encoding, source.key(), source.raw)
    }

    /// Other pixels in its place, of the same encoding, for one look at them: no table is filled for so few or for one colour.
    /// `hash` tells them from all others.
    pub fn with_pixels(&self, picture: Picture, hash: String) -> Self {
        Self {
            picture,
            encoding: self.encoding.clone(),
            hash,
            raw: self.raw,
            clear: self.clear,
            reach: OnceLock::from(None),
        }
    }

    /// What it reads of a quick table; found out when it is first asked for.
    pub fn reach(&self) -> Option<&Reach> {
        self.reach
            .get_or_init(|| Reach::of(&self.picture.pixels, &Bake::quick(&self.encoding, QUICK_SIZE)))
            .as_ref()
    }

    /// The same, at most `width` pixels wide. Row by row: a copy of the whole of it takes longer than making it small.
    pub(super) fn shrunk(&self, width: usize) -> ApiResult<Self> {
        let size = [self.picture.width(), self.picture.height()];
        let light = Light::between(&self.encoding, &self.encoding)?;
        let mut rows = Gathered::new(Smaller::new(light, size, [width, MOST_ROWS]));
        self.picture.pixels.chunks_exact(size[0]).for_each(|row| rows.samples(4, row.as_flattened()));
        let picture = rows.picture()?;
        Ok(Self::new(picture, self.encoding.clone(), self.hash.clone(), self.raw))
    }
}

/// A source's [key](FrameSource::key) and a width.
type Key = (String, usize);

/// Proxies by contents and width: each is decoded once for all who ask.
pub struct Proxies {
    kept: WeighedCache<Key, Arc<Proxy>>,
    turns: Turns,
    /// How wide pages ask for the pictures of their cards and rows, by the last that did.
    around: AtomicUsize,
}

impl Default for Proxies {
    fn default() -> Self {
        Self {
            kept: WeighedCache::new(MOST_BYTES, MOST_BYTES / (960 * 540 * 16)),
            turns: Turns::new(MOST_AT_ONCE),
            around: AtomicUsize::new(ROW),
        }
    }
}

/// Places among those that decode.
struct Turns {
    free: Mutex<usize>,
    news: Condvar,
}

/// Such a place, given back however decoding ends.
struct Turn<'a>(&'a Turns);

impl Turns {
    fn new(most: usize) -> Self {
        Self { free: Mutex::new(most), news: Condvar::new() }
    }

    fn take(&self) -> Turn<'_> {
        // The count is right after every operation, also where a thread panicked.
        let mut free = self.free.lock().unwrap_or_else(PoisonError::into_inner);
        while *free == 0 {
            free = self.news.wait(free).unwrap_or_else(PoisonError::into_inner);
        }
        *free -= 1;
        Turn(self)
    }
}

impl Drop for Turn<'_> {
    fn drop(&mut self) {
        *self.0.free.lock().unwrap_or_else(PoisonError::into_inner) += 1;
        self.0.news.notify_one();
    }
}

/// Who waits for a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Haste {
    /// Somebody who works on it.
    InHand,
    /// Nobody in particular: it stands around the one in hand, and must not hold that one up.
    Around,
}

/// Points on a side of the tables that pictures go through while something is dragged.
const QUICK_SIZE: usize = 33;

/// Up to this width a picture is one of many, of a card, a row, a dialog, or only read: half of the middling one.
const SMALL: usize = MIDDLING / 2;
/// How wide the page's rows ask for theirs, and every page first.
const ROW: usize = 148;
/// The width of the picture that such ones are made from, where the file is much larger.
pub(super) const MIDDLING: usize = 960;

/// The width of a proxy as wide as the frame itself.
pub const FULL: usize = 4096;

/// No limit on the other side of a picture.
pub(super) const MOST_ROWS: usize = usize::MAX >> 16;

/// Memory that proxies may take: a minute of a 480-wide sequence, or some hundred stills at 960.
const MOST_BYTES: usize = 900 << 20;

/// Pictures that are decoded at once: each may take some hundred megabytes while it is.
const MOST_AT_ONCE: usize = 2;

impl Weight for Proxy {
    fn bytes(&self) -> usize {
        // With what it reads of a quick table, once that is found out.
        self.picture.pixels.len() * 16 + (256 << 10)
    }
}

impl Proxies {
    /// The proxy of a source, at most `width` pixels wide. Blocks while it is decoded for the first time, whoever asked
    /// for it first.
    pub fn of(
        &self,
        media: &MediaFolder,
        source: &FrameSource,
        width: usize,
        haste: Haste,
    ) -> ApiResult<Arc<Proxy>> {
        if haste == Haste::Around && width <= SMALL {
            self.around.store(width, Ordering::Relaxed);
        }
        let key = (source.key(), width);
        self.kept.get_or(&key, || {
            let _turn = self.turns.take();
            let make = || match self.larger(&key) {
                Some(larger) => Ok((larger.shrunk(width)?, None)),
                None => match source.kept(media, width) {
                    Some(kept) => Ok(kept),
                    None => source.decode(media, width),
                },
            };
            let (made, middling) = match haste {
                Haste::InHand => make()?,
                Haste::Around => stepped_back(make)?,
            };
            if let Some(middling) = middling {
                self.kept.put((key.0.clone(), MIDDLING), Arc::new(middling));
            }
            Ok(Arc::new(made))
        })
    }

    /// Looks at a file that is taken into a scene and says this of itself: it will be looked at next, as small as pages show it.
    pub fn looking(&self, c: &mut SqliteConnection, scene: &SceneId, facts: &Facts) -> ApiResult<Looking> {
        Looking::into_scene(c, scene, facts, self.around.load(Ordering::Relaxed))
    }

    /// Keeps what saw a picture while it was taken in. `whole` is the picture where it was not read row by row.
    pub fn keep_seen(
        &self,
        media: &MediaFolder,
        hash: &str,
        seen: Looking,
        whole: Option<lantern_formats::frame::Frame>,
    ) -> ApiResult<Option<Likely>> {
        let unknown = seen.is_unknown();
        let Some(Seen { source, made: (width, made) }) = seen.keep(media, hash, whole)? else {
            return Ok(None);
        };
        let few: Vec<_> = made.picture.pixels.iter().copied().step_by(LIKELY_EVERY).collect();
        self.kept.put((source.key(), width), Arc::new(made));
        Ok(if unknown { likely(&few) } else { None })
    }

    /// The same picture wider, where there is one: at least twice as wide for one that stays, which a picture only a little
    /// wider would make soft; any for one that is shown while something is dragged.
    fn larger(&self, (source, width): &Key) -> Option<Arc<Proxy>> {
        let brief = *width > SMALL && *width < MIDDLING;
        let least = if brief { width + 1 } else { 2 * width };
        let wider = [MIDDLING, FULL].into_iter().filter(|w| *w >= least);
        wider.into_iter().find_map(|w| self.kept.get(&(source.clone(), w)))
    }
}

/// Every so many pixels of what is kept are looked at for what the code values speak for: a few thousand are enough.
const LIKELY_EVERY: usize = 29;

pub(super) fn named(id: &str) -> ApiResult<Encoding> {
    Encoding::find(id).ok_or_else(|| ApiError::internal(format!("no encoding {id}")))
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_formats::Depth;

    #[test]
    fn what_is_seen_while_a_picture_comes_in_is_what_is_made_of_it_later() {
        for (encoding, size, orientation, clear) in [
            ("srgb", [2000, 30], 1, 1.0),
            ("acescct", [2000, 31], 1, 1.0),
            ("acescct", [30, 2000], 6, 1.0),
            ("acescct", [40, 30], 3, 1.0),
            ("rec709", [30, 1100], 8, 1.0),
            ("acescg", [40, 30], 1, 1.0),
            // Transparent in places: some rows are plain, some are not.
            ("srgb", [2000, 36], 1, 0.5),
        ] {
            let dir = tempfile::tempdir().unwrap();
            let media = MediaFolder::open(dir.path()).unwrap();
            let wave = |i: usize, k: f32| 0.5 + 0.45 * (i as f32 * k).sin();
            let alpha = |i: usize| if (12..20).contains(&(i / size[0])) { clear } else { 1.0 };
            let pixels =
                (0..size[0] * size[1]).map(|i| [wave(i, 0.01), wave(i, 0.13), wave(i, 1.7), alpha(i)]);
            let picture = Picture::new(size[0], size[1], pixels.collect()).unwrap();
            let beside =
                lantern_formats::frame::Beside { orientation, alpha: clear < 1.0, ..Default::default() };
            let frame = lantern_formats::frame::Frame { picture, beside };
            let bytes = lantern_formats::png::write_frame(&frame, Depth::Sixteen, None).unwrap();
            let hash = media.keep(&bytes).unwrap();
            let source = FrameSource {
                media: hash.clone(),
                profile: None,
                shipped: Encoding::find(encoding),
                raw: false,
            };

            let mut looking = Looking::at(source.of_frame(String::new()), 196).unwrap();
            lantern_formats::png::each_row(&bytes, &mut looking).unwrap();
            let Seen { source: at, made } = looking.keep(&media, &hash, None).unwrap().unwrap();
            assert_eq!(at.key(), source.key());
            let larger = size[usize::from(orientation > 4)] > MIDDLING;
            let (width, made) = made;
            assert_eq!(width, if larger { 196 } else { MIDDLING }, "{encoding} {size:?}");
            let kept = source.kept(&media, MIDDLING).map(|(kept, _)| kept.picture);
            let later = source.decode(&media, MIDDLING).unwrap().0;
            assert_eq!(kept.as_ref(), larger.then_some(&later.picture), "{encoding} {size:?} {orientation}");
            let later = if larger { later.shrunk(196).unwrap() } else { later };
            assert_eq!((&made.encoding, &made.hash), (&later.encoding, &later.hash));
            assert_eq!(made.picture, later.picture, "{encoding} {size:?} {orientation}");
        }
    }

    #[test]
    fn a_picture_that_was_taken_in_is_there_as_small_as_pages_ask_for_it() {
        let folder = tempfile::tempdir().unwrap();
        let media = MediaFolder::open(folder.path()).unwrap();
        let wave =
            |i: usize| [0.5 + 0.45 * (i as f32 * 0.13).sin(), 0.3, 0.5 + 0.4 * (i as f32 * 0.01).cos(), 1.0];
        let picture = Picture::new(2000, 30, (0..2000 * 30).map(wave).collect()).unwrap();
        let bytes = lantern_formats::png::write(&picture, Depth::Sixteen).unwrap();
        let [first, second] = [&bytes, &lantern_formats::png::write(&picture, Depth::Eight).unwrap()]
            .map(|bytes| source(&media.keep(bytes).unwrap(), "acescct"));
        let proxies = Proxies::default();
        let seen = |of: &FrameSource| {
            let width = proxies.around.load(Ordering::Relaxed);
            let mut looking = Looking::at(of.of_frame(String::new()), width).unwrap();
            lantern_formats::png::each_row(&media.read(&of.media).unwrap(), &mut looking).unwrap();
            proxies.keep_seen(&media, &of.media, looking, None).unwrap();
        };
        // Nobody has asked yet: what a page asks for first is in memory, and what it is made from is not.
        seen(&second);
        assert!(proxies.kept.get(&(second.key(), ROW)).is_some());
        assert!([MIDDLING, 196].iter().all(|width| proxies.kept.get(&(second.key(), *width)).is_none()));
        proxies.of(&media, &second, 196, Haste::Around).unwrap();
        proxies.of(&media, &second, MIDDLING, Haste::InHand).unwrap();
        seen(&first);
        assert!(proxies.kept.get(&(first.key(), MIDDLING)).is_none());
        let there = proxies.kept.get(&(first.key(), 196)).unwrap();
        let later = Proxies::default().of(&media, &first, 196, Haste::Around).unwrap();
        assert_eq!(
            (&there.picture, &there.encoding, &there.hash),
            (&later.picture, &later.encoding, &later.hash)
        );
    }

    #[test]
    fn one_that_is_made_smaller_row_by_row_is_the_one_that_is_made_smaller_as_a_whole() {
        let wave = |i: usize| [(i as f32 * 0.13).sin(), 0.3, 0.5 + 0.4 * (i as f32 * 0.01).cos(), 0.7];
        let picture = Picture::new(70, 41, (0..70 * 41).map(wave).collect()).unwrap();
        for id in ["acescct", "srgb", "acescg"] {
            let encoding = Encoding::find(id).unwrap();
            let proxy = Proxy::new(picture.clone(), encoding.clone(), "a".into(), false);
            let whole = Light::between(&encoding, &encoding).unwrap().whole(picture.clone(), [20, MOST_ROWS]);
            assert_eq!(proxy.shrunk(20).unwrap().picture, whole, "{id}");
            // What fits stays what it is.
            for width in [70, 200] {
                assert_eq!(proxy.shrunk(width).unwrap().picture, picture, "{id} {width}");
            }
        }
    }

    /// Stills of a size in a media folder, each of its own grey; their hashes.
    fn stills(media: &MediaFolder, count: usize, [w, h]: [usize; 2]) -> Vec<String> {
        let still = |i: usize| {
            let picture = Picture::new(w, h, vec![[0.1 * i as f32, 0.4, 0.6, 1.0]; w * h]).unwrap();
            media.keep(&lantern_formats::png::write(&picture, Depth::Eight).unwrap()).unwrap()
        };
        (0..count).map(still).collect()
    }

    fn source(media: &str, encoding: &str) -> FrameSource {
        FrameSource { media: media.into(), profile: None, shipped: Encoding::find(encoding), raw: false }
    }

    #[test]
    fn a_row_of_large_pictures_that_many_want_is_decoded_once_each() {
        let folder = tempfile::tempdir().unwrap();
        let media = MediaFolder::open(folder.path()).unwrap();
        let row = stills(&media, 8, [4096, 2160]);
        let proxies = Proxies::default();
        let page = || -> Vec<Arc<Proxy>> {
            row.iter()
                .map(|h| proxies.of(&media, &source(h, "acescct"), 160, Haste::Around).unwrap())
                .collect()
        };
        let all: Vec<Vec<Arc<Proxy>>> = std::thread::scope(|s| {
            let pages: Vec<_> = (0..8).map(|_| s.spawn(page)).collect();
            pages.into_iter().map(|t| t.join().unwrap()).collect()
        });
        // Whoever decodes hands out what it made: one and the same for all.
        assert!(all.iter().all(|page| page.iter().zip(&all[0]).all(|(a, b)| Arc::ptr_eq(a, b))));
    }

    #[test]
    fn a_large_picture_is_decoded_once_for_all_small_sizes_and_they_are_what_it_is() {
        let folder = tempfile::tempdir().unwrap();
        let media = MediaFolder::open(folder.path()).unwrap();
        let ramp = |i: usize| [(i % 2400) as f32 / 2400.0, 0.5, (i / 2400) as f32 / 1000.0, 1.0];
        let picture = Picture::new(2400, 1000, (0..2400 * 1000).map(ramp).collect()).unwrap();
        let hash = media.keep(&lantern_formats::png::write(&picture, Depth::Sixteen).unwrap()).unwrap();
        let (proxies, alone) = (Proxies::default(), Proxies::default());
        let of = |p: &Proxies, width| p.of(&media, &source(&hash, "rec709"), width, Haste::Around).unwrap();
        let direct = of(&alone, 500);
        let small = of(&proxies, 160);
        // From here on the file is not needed.
        std::fs::remove_file(media.path(&hash).unwrap()).unwrap();
        for width in [260, 320, 640, 800, MIDDLING] {
            assert_eq!(of(&proxies, width).picture.width(), width);
        }
        assert!(
            proxies.of(&media, &source(&hash, "rec709"), 1920, Haste::InHand).is_err(),
            "larger ones need it"
        );
        // A ramp stays a ramp, whichever way it was made smaller.
        let end = |p: &Proxy| p.picture.pixels[p.picture.width() - 1];
        let (a, b) = (end(&small), end(&direct));
        assert!((a[0] - b[0]).abs() < 0.004 && (a[1] - b[1]).abs() < 1e-4, "{a:?} {b:?}");
    }

    #[test]
    fn what_was_made_small_before_is_not_decoded_again_when_the_program_starts_anew() {
        let folder = tempfile::tempdir().unwrap();
        let media = MediaFolder::open(folder.path()).unwrap();
        let ramp = |i: usize| [(i % 2000) as f32 / 2000.0, 0.5, 0.2, 1.0];
        let picture = Picture::new(2000, 100, (0..2000 * 100).map(ramp).collect()).unwrap();
        let hash = media.keep(&lantern_formats::png::write(&picture, Depth::Sixteen).unwrap()).unwrap();
        let small = stills(&media, 1, [900, 20]).remove(0);
        // Linear ones go through a log; sizes between are made from the middling one.
        let of = |encoding: &str, width| {
            Proxies::default().of(&media, &source(&hash, encoding), width, Haste::InHand)
        };
        let made = ["rec709", "acescg"].map(|e| of(e, MIDDLING).unwrap());
        let brief = of("rec709", 480).unwrap();
        assert!(of("acescct", FULL).is_ok() && of("srgb", 1000).is_ok());
        assert!(Proxies::default().of(&media, &source(&small, "srgb"), MIDDLING, Haste::InHand).is_ok());
        std::fs::remove_file(media.path(&hash).unwrap()).unwrap();
        std::fs::remove_file(media.path(&small).unwrap()).unwrap();
        for (was, encoding) in made.iter().zip(["rec709", "acescg"]) {
            let again = of(encoding, MIDDLING).unwrap();
            assert!(again.picture == was.picture && again.encoding == was.encoding && again.hash == was.hash);
        }
        assert_eq!(of("rec709", 480).unwrap().picture.width(), brief.picture.width());
        // What means something else, is wider, or was no smaller than its file, was not kept.
        assert!(of("srgb", MIDDLING).is_err() && of("rec709", FULL).is_err());
        assert!(Proxies::default().of(&media, &source(&small, "srgb"), MIDDLING, Haste::InHand).is_err());
    }

    #[test]
    fn turned_transparent_and_very_bright_pictures_are_the_same_when_the_program_starts_anew() {
        let folder = tempfile::tempdir().unwrap();
        let media = MediaFolder::open(folder.path()).unwrap();
        let wide = |light: f32| {
            let value =
                |i: usize| [light * (i % 2200) as f32 / 2200.0, 0.5, 0.2, 0.25 + 0.5 * (i % 2) as f32];
            Picture::new(2200, 1000, (0..2200 * 1000).map(value).collect()).unwrap()
        };
        let mut turned = lantern_formats::frame::Frame::from(wide(1.0));
        turned.beside.alpha = true;
        turned.beside.orientation = 6;
        let turned = lantern_formats::png::write_frame(&turned, Depth::Sixteen, None).unwrap();
        let bright = lantern_formats::exr::write(&wide(4000.0), None).unwrap();
        for (bytes, encoding, size) in [(turned, "srgb", [960, 2112]), (bright, "acescg", [960, 436])] {
            let hash = media.keep(&bytes).unwrap();
            let of = |width| Proxies::default().of(&media, &source(&hash, encoding), width, Haste::InHand);
            let made = of(MIDDLING).unwrap();
            assert_eq!([made.picture.width(), made.picture.height()], size);
            std::fs::remove_file(media.path(&hash).unwrap()).unwrap();
            let again = of(MIDDLING).unwrap();
            assert!(again.picture == made.picture && again.encoding == made.encoding, "{encoding}");
            assert_eq!(of(160).unwrap().picture.width(), 160);
        }
    }

    #[test]
    fn the_same_file_that_means_something_else_is_another_picture() {
        let folder = tempfile::tempdir().unwrap();
        let media = MediaFolder::open(folder.path()).unwrap();
        let row = stills(&media, 1, [64, 36]);
        let proxies = Proxies::default();
        let [a, b] = ["acescct", "rec709"]
            .map(|e| proxies.of(&media, &source(&row[0], e), 32, Haste::InHand).unwrap());
        assert!(!Arc::ptr_eq(&a, &b) && a.hash != b.hash);
    }

    #[test]
    fn a_file_that_is_not_there_fails_for_everybody_and_holds_up_nobody() {
        let folder = tempfile::tempdir().unwrap();
        let media = MediaFolder::open(folder.path()).unwrap();
        let source = FrameSource {
            media: "0".repeat(64),
            profile: None,
            shipped: Encoding::find("acescct"),
            raw: false,
        };
        let proxies = Proxies::default();
        std::thread::scope(|s| {
            for _ in 0..6 {
                s.spawn(|| assert!(proxies.of(&media, &source, 100, Haste::InHand).is_err()));
            }
        });
        assert_eq!(*proxies.turns.free.lock().unwrap(), MOST_AT_ONCE);
    }
}
