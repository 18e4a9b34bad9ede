//! The studio: makes the pictures that pages ask for.

use super::layout::{COLUMNS, HUE_BINS, Kind, Message, TONE_BINS, TONE_SPAN, header, holds};
use super::output::{Output, Point};
use super::proxy::{FULL, FrameSource, Haste, Proxies, Proxy};
use super::request::{
    CardsRequest, MOST_CARDS, PictureRequest, Quality, RowRequest, SampleRequest, Seat, Show,
};
use super::textured::{Cut, TexturedKept};
use super::{monitor, paint, scopes, textured};
use crate::cache::WeighedCache;
use crate::error::{ApiError, ApiResult};
use crate::media::MediaFolder;
use crate::media::incoming::MOST_WHOLE;
use crate::store::Store;
use crate::store::ids::ShotId;
use crate::store::shots::Shot;
use lantern_core::colour::Encoding;
use lantern_core::graph::{Graph, Program};
use lantern_core::look::Path;
use lantern_core::numeric::lane;
use lantern_core::scope::sample::{Sample, sample};
use lantern_core::step::Zone;
use lantern_core::table::Table;
use lantern_core::texture::FrameGeometry;
use lantern_core::{picture, scope};
use rayon::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// Makes pictures: its store and media, and the caches of everything that is made on the way.
pub struct Studio {
    /// The database.
    pub store: Store,
    /// The media folder.
    pub media: MediaFolder,
    /// Decoded frames.
    pub proxies: Proxies,
    fused: WeighedCache<String, Arc<Table>>,
    tones: WeighedCache<String, Vec<u32>>,
    hues: WeighedCache<String, Vec<u32>>,
    cards: WeighedCache<String, Vec<u8>>,
    kept: TexturedKept,
    turns: Arc<Semaphore>,
    room: Arc<Semaphore>,
    /// Tables that were taken apart.
    pub unpicked: crate::jobs::unpick::Results,
    /// Sequences whose frames come one by one.
    pub coming: crate::coming::Coming,
}

/// Files that are taken in at once.
const MOST_TURNS: usize = 2;
/// Memory for files that come as a whole: three of the longest, or many photographs.
const MOST_ROOM: usize = 3 * MOST_WHOLE;

/// Memory for tables of paths: those of some forty pages.
const MOST_TABLE_BYTES: usize = 24 << 20;
/// For counts of what steps are given.
const MOST_COUNT_BYTES: usize = 2 << 20;
/// For small pictures under other paths: a page of the Shelf on some ten shots.
const MOST_CARD_BYTES: usize = 64 << 20;

/// The widest proxy that places are read from, and half the side of the patch that is read there.
const SAMPLE_WIDTH: u32 = 960;
const SAMPLE_REACH: usize = 1;
/// The most places of one request.
const MOST_PLACES: usize = 64;

impl Studio {
    /// A studio over a store.
    pub fn new(store: Store, media: MediaFolder) -> Self {
        Self {
            store,
            media,
            proxies: Proxies::default(),
            fused: WeighedCache::new(MOST_TABLE_BYTES, 40),
            tones: WeighedCache::new(MOST_COUNT_BYTES, 1000),
            hues: WeighedCache::new(MOST_COUNT_BYTES, 1000),
            cards: WeighedCache::new(MOST_CARD_BYTES, 1000),
            kept: TexturedKept::default(),
            turns: Arc::new(Semaphore::new(MOST_TURNS)),
            room: Arc::new(Semaphore::new(MOST_ROOM >> 10)),
            unpicked: Default::default(),
            coming: Default::default(),
        }
    }

    /// The picture in hand, or beside it. `None` when `stop` was set meanwhile.
    pub fn picture(&self, r: &PictureRequest, kind: Kind, stop: &AtomicBool) -> ApiResult<Option<Message>> {
        let mut path = self.whole(&r.seat)?;
        if r.show == Show::Grain {
            path = textured::grain_alone(&path);
        }
        let full = r.view.map(|_| self.proxy(&r.seat.shot, r.seat.frame, FULL as u32)).transpose()?;
        let mut proxy = match (&full, r.view) {
            (Some(full), Some(view)) => Arc::new(part(full, view)?),
            _ => self.proxy(&r.seat.shot, r.seat.frame, r.width)?,
        };
        let display = shown_on(&proxy, &r.display)?;
        let monitor = monitor::of(&display)?;
        if r.show == Show::Grain {
            proxy = Arc::new(grey(&proxy)?);
        }
        let graph = Graph::compile(&path, &proxy.encoding, &display)?;
        let (w, h) = (proxy.picture.width(), proxy.picture.height());
        let flags = scopes::flags(&r.counts)
            | if r.tones_of.is_some() { holds::TONES } else { 0 }
            | if r.hues_of.is_some() { holds::HUES } else { 0 };
        let columns = if r.counts.wave || r.counts.luma { COLUMNS.min(w) } else { 0 };
        let quality = u8::from(r.quality == Quality::Rest);
        let mut frame = header(kind, quality, flags, r.seq, [w, h, columns, 0]);
        let mut delivered = None;
        let mut textured = None;
        let done = if graph.has_texture() || r.show == Show::Halation {
            let (source, cut) = cut(r, &graph, full.as_deref().unwrap_or(&proxy), &proxy);
            let done = self.textured(r, kind, &graph, source, &cut, &display, &mut frame, stop)?;
            textured = Some((source, cut));
            done
        } else {
            let table = match r.quality {
                Quality::Drag => self.fuse(r, &path, &graph.last, &proxy)?,
                Quality::Rest => None,
            };
            match &monitor {
                None => render(&proxy, table.as_deref(), &graph.last, &mut frame, stop),
                Some(monitor) => {
                    let codes = delivered.insert(Vec::new());
                    render_hdr(&proxy, table.as_deref(), &graph.last, monitor, &mut frame, codes, stop)
                }
            }
        };
        if !done {
            return Ok(None);
        }
        if let (Some(monitor), None) = (&monitor, &delivered) {
            delivered = Some(monitor::shown(monitor, &mut frame));
        }
        let output = match &textured {
            _ if !r.counts.limits && r.show != Show::Marks => None,
            Some((source, cut)) if graph.has_texture() => {
                let made = self.kept.stage(viewport(r, kind), source, &graph, cut, r.quality, None, stop);
                let Some(made) = made else { return Ok(None) };
                Some(Output::textured(&proxy, &graph, made, cut.inside))
            }
            _ => Some(Output::plain(&proxy, &graph)),
        };
        scopes::append(&mut frame, &r.counts, &proxy, &path, output.as_ref(), columns, delivered.as_deref())?;
        match r.show {
            Show::Picture => paint::on_black(&mut frame, &proxy),
            Show::Halation | Show::Grain => {}
            Show::Stops => paint::stops(&mut frame, &proxy, &path),
            Show::Marks => output.iter().for_each(|output| paint::marks(&mut frame, &proxy, output)),
            Show::Matte | Show::Isolated => {
                let of = r.matte_of.as_deref().unwrap_or_default();
                if let Some(matte) = Program::matte(&path, of, &proxy.encoding, &display) {
                    paint::matte(&mut frame, &proxy, &matte, r.show == Show::Isolated);
                }
            }
        }
        if let Some(step) = &r.tones_of {
            frame.extend_from_slice(bytemuck::cast_slice(&self.tones(r, &path, &proxy, step, &display)?));
        }
        if let Some(of) = &r.hues_of {
            let key = key_before(r, &path, &proxy, of)?;
            let found = self.hues.get_or(&key, || Ok(hues(&proxy, &path, of, &display)))?;
            frame.extend_from_slice(bytemuck::cast_slice(&found));
        }
        Ok(Some(frame))
    }

    /// Appends a picture with its texture.
    #[expect(clippy::too_many_arguments, reason = "what a picture is made from, once")]
    fn textured(
        &self,
        r: &PictureRequest,
        kind: Kind,
        graph: &Graph,
        source: &Proxy,
        cut: &Cut,
        display: &Encoding,
        frame: &mut Message,
        stop: &AtomicBool,
    ) -> ApiResult<bool> {
        if r.show == Show::Halation {
            return Ok(textured::halation_alone(source, graph, cut, display, frame, stop));
        }
        // Stages of the picture in hand are cached, as are those that are measured.
        let again = kind == Kind::Picture || r.counts.limits || r.show == Show::Marks;
        if again && r.show != Show::Grain {
            self.kept.render(viewport(r, kind), source, graph, cut, r.quality, frame, stop)
        } else {
            Ok(self.kept.once(source, graph, cut, frame, stop))
        }
    }

    /// Appends a small picture, with its texture as far as that can be seen.
    fn small(&self, proxy: &Proxy, graph: &Graph, frame: &mut Message, stop: &AtomicBool) -> bool {
        if graph.has_texture() {
            let geometry =
                FrameGeometry::whole(proxy.picture.width(), proxy.picture.height(), graph.gauge, 0);
            return self.kept.once(proxy, graph, &Cut::whole(geometry), frame, stop);
        }
        render(proxy, None, &graph.last, frame, stop)
    }

    /// One small picture of a row. `None` when `stop` was set meanwhile.
    pub fn thumbnail(&self, r: &RowRequest, index: usize, stop: &AtomicBool) -> ApiResult<Option<Message>> {
        let shot = r.shots.get(index).ok_or(ApiError::NotFound("shot"))?;
        let path = self.over_its_trim(shot, &r.path, None)?;
        let proxy = self.proxy_in(shot, None, r.width, Haste::Around)?;
        let display = shown_on(&proxy, &r.display)?;
        let graph = Graph::compile(&path, &proxy.encoding, &display)?;
        let size = [proxy.picture.width(), proxy.picture.height(), 0, index];
        let mut frame = header(Kind::Row, 1, 0, r.seq, size);
        if !self.small(&proxy, &graph, &mut frame, stop) {
            return Ok(None);
        }
        if let Some(monitor) = monitor::of(&display)? {
            monitor::shown(&monitor, &mut frame);
        }
        paint::on_black(&mut frame, &proxy);
        Ok(Some(frame))
    }

    /// One small picture of a shot under one of several paths; kept. `None` when `stop` was set meanwhile.
    pub fn card(&self, r: &CardsRequest, index: usize, stop: &AtomicBool) -> ApiResult<Option<Message>> {
        if r.paths.len() > MOST_CARDS {
            return Err(ApiError::Invalid(format!("up to {MOST_CARDS} paths are shown at once")));
        }
        let path =
            self.over_its_trim(&r.shot, r.paths.get(index).ok_or(ApiError::NotFound("path"))?, None)?;
        let proxy = self.proxy(&r.shot, r.frame, r.width)?;
        let words = serde_json::to_string(&path).map_err(ApiError::internal)?;
        let key = format!("{}|{}|{}|{}|{words}", proxy.hash, proxy.encoding.id, r.width, r.display);
        let size = [proxy.picture.width(), proxy.picture.height(), 0, index];
        let mut frame = header(Kind::Card, 1, 0, r.seq, size);
        if let Some(kept) = self.cards.get(&key) {
            frame.extend_from_slice(&kept);
            return Ok(Some(frame));
        }
        let graph = Graph::compile(&path, &proxy.encoding, &shown_on(&proxy, &r.display)?)?;
        let start = frame.len();
        if !self.small(&proxy, &graph, &mut frame, stop) {
            return Ok(None);
        }
        paint::on_black(&mut frame, &proxy);
        self.cards.put(key, frame[start..].to_vec());
        Ok(Some(frame))
    }

    /// What lies at places of a picture, computed exactly.
    pub fn samples(&self, r: &SampleRequest) -> ApiResult<Vec<Sample>> {
        if r.at.len() > MOST_PLACES || r.at.iter().flatten().any(|v| !(0.0..=1.0).contains(v)) {
            return Err(ApiError::Invalid(format!("up to {MOST_PLACES} places inside the picture are read")));
        }
        let path = self.whole(&r.seat)?;
        let proxy = self.proxy(&r.seat.shot, r.seat.frame, SAMPLE_WIDTH)?;
        let display = shown_on(&proxy, &r.display)?;
        let graph = Graph::compile(&path, &proxy.encoding, &display)?;
        let scene = Program::scene(&path, &proxy.encoding);
        let (w, h) = (proxy.picture.width(), proxy.picture.height());
        let output = if graph.has_texture() {
            let cut = Cut::whole(FrameGeometry::whole(w, h, graph.gauge, r.seat.frame.unwrap_or(0)));
            let never = AtomicBool::new(false);
            let seat = seat_of(r.viewer, Kind::Picture);
            let made = self.kept.stage(seat, &proxy, &graph, &cut, Quality::Rest, None, &never);
            let made = made.ok_or_else(|| ApiError::internal("a picture that nobody stopped is not made"))?;
            Output::textured(&proxy, &graph, made, cut.inside)
        } else {
            Output::plain(&proxy, &graph)
        };
        let read = |at: &[f64; 2]| {
            let reach = |v: f64, n: usize| {
                let c = ((v * n as f64) as usize).min(n - 1);
                let from = c.saturating_sub(SAMPLE_REACH);
                (from, (c + SAMPLE_REACH + 1).min(n) - from)
            };
            let ((x, across), (y, down)) = (reach(at[0], w), reach(at[1], h));
            let delivered = output.read(Point::Delivered, [x, y, across, down]);
            let rows = proxy.picture.pixels.chunks_exact(w).skip(y).take(down);
            let mut light: Vec<[f32; 4]> = rows.flat_map(|row| row[x..x + across].iter().copied()).collect();
            scene.run(&mut light);
            sample(&delivered, &light, &display)
        };
        Ok(r.at.iter().map(read).collect())
    }

    /// A checked path over the trim beneath it: the one given, or the shot's own. Where the encoding is unknown nothing can
    /// be done to the picture: then none.
    pub fn whole(&self, seat: &Seat) -> ApiResult<Path> {
        self.over_its_trim(&seat.shot, &seat.path, seat.trim.as_ref())
    }

    /// The same of a path over a shot's trim, or over one that is being made.
    fn over_its_trim(&self, shot: &ShotId, path: &Path, trim: Option<&Path>) -> ApiResult<Path> {
        path.check()?;
        let row = self.store.with(|c| Shot::find(c, shot))?.0;
        if row.encoding.is_empty() {
            return Ok(Path::default());
        }
        let mut whole = match trim {
            Some(trim) => {
                trim.check_trim()?;
                path.over(trim)
            }
            None => path.over(&row.trim()?),
        };
        self.media.attach(&mut whole);
        Ok(whole)
    }

    /// A frame's proxy of at most a width.
    pub fn proxy(&self, shot: &ShotId, place: Option<u32>, width: u32) -> ApiResult<Arc<Proxy>> {
        self.proxy_in(shot, place, width, Haste::InHand)
    }

    /// The same, with somebody who waits for it or nobody in particular.
    fn proxy_in(&self, shot: &ShotId, place: Option<u32>, width: u32, haste: Haste) -> ApiResult<Arc<Proxy>> {
        let source = self.store.with(|c| {
            let (shot, production) = Shot::find(c, shot)?;
            let place = place.map_or(i64::from(shot.poster), i64::from);
            FrameSource::of(c, &shot, &production, place, &shot.encoding)
        })?;
        self.proxies.of(&self.media, &source, (width as usize).clamp(16, FULL), haste)
    }

    /// The trim of a shot as it was saved last.
    pub fn trim(&self, shot: &ShotId) -> ApiResult<Path> {
        self.store.with(|c| Shot::find(c, shot)?.0.trim())
    }

    /// Stages made so far, for tests.
    pub fn stages_made(&self) -> usize {
        self.kept.made()
    }

    /// Size of all cached stages in bytes.
    pub fn stage_bytes(&self) -> usize {
        self.kept.bytes()
    }

    /// A turn at taking files in: decoding and probing many at once would starve everybody else.
    pub async fn turn(&self) -> ApiResult<OwnedSemaphorePermit> {
        self.turns.clone().acquire_owned().await.map_err(ApiError::internal)
    }

    /// Room in memory for a file that comes as a whole; waits for it where others have it.
    pub async fn room(&self, bytes: usize) -> ApiResult<OwnedSemaphorePermit> {
        // What is too long is refused before it is read.
        let kilobytes = bytes.min(MOST_WHOLE).div_ceil(1 << 10) as u32;
        self.room.clone().acquire_many_owned(kilobytes).await.map_err(ApiError::internal)
    }

    /// The path as a table for this picture; kept until another path or picture comes. `None` where the
    /// picture's encoding has no quick table.
    fn fuse(
        &self,
        r: &PictureRequest,
        path: &Path,
        program: &Program,
        proxy: &Proxy,
    ) -> ApiResult<Option<Arc<Table>>> {
        let Some(reach) = proxy.reach() else { return Ok(None) };
        let path = serde_json::to_string(path).map_err(ApiError::internal)?;
        let from = &proxy.encoding;
        let key = format!("{}|{:?}|{}|{}|{}|{path}", proxy.hash, r.view, r.width, from.id, r.display);
        let fill = || reach.fill(program).map(Arc::new).map_err(ApiError::internal);
        self.fused.get_or(&key, fill).map(Some)
    }

    /// Histogram of what a step is given; kept, because it does not change while the step itself is dragged.
    fn tones(
        &self,
        r: &PictureRequest,
        path: &Path,
        proxy: &Proxy,
        step: &str,
        display: &Encoding,
    ) -> ApiResult<Vec<u32>> {
        let key = key_before(r, path, proxy, step)?;
        self.tones.get_or(&key, || Ok(tones(proxy, path, step, display)))
    }
}

/// Key of a page's newest stage: the page, and whether the picture is the one in hand or beside it.
fn viewport(r: &PictureRequest, kind: Kind) -> u32 {
    seat_of(r.viewer, kind)
}

fn seat_of(viewer: u32, kind: Kind) -> u32 {
    viewer.wrapping_mul(16).wrapping_add(kind as u32)
}

/// The proxy and the part of it to compute, for the whole picture or for the requested view.
fn cut<'a>(r: &PictureRequest, graph: &Graph, whole: &'a Proxy, shown: &'a Proxy) -> (&'a Proxy, Cut) {
    let tick = r.tick.or(r.seat.frame).unwrap_or(0);
    let geometry = FrameGeometry::whole(whole.picture.width(), whole.picture.height(), graph.gauge, tick);
    match r.view {
        // Grain alone lies on a grey as large as the part: nothing reaches into it.
        Some(view) if r.show == Show::Grain => {
            let [x, y, w, h] = span(view, geometry.size);
            (shown, Cut::whole(FrameGeometry { origin: [0, 0], ..geometry.part([x, y], [w, h]) }))
        }
        Some(view) => (whole, Cut::part(geometry, span(view, geometry.size), graph.halo(&geometry))),
        None => (whole, Cut::whole(geometry)),
    }
}

/// What is measured before a step depends on: the picture, and the path up to there.
fn key_before(r: &PictureRequest, path: &Path, proxy: &Proxy, of: &str) -> ApiResult<String> {
    let before = serde_json::to_string(&path.before(of)).map_err(ApiError::internal)?;
    let zone = path.place_of(of).map_or(Zone::Scene, |(zone, _)| zone);
    let (from, view) = (&proxy.encoding.id, r.view);
    Ok(format!("{}|{}|{view:?}|{from}|{}|{zone:?}|{before}", proxy.hash, r.width, r.display))
}

/// A part given as shares, in pixels: left, top, width, height.
fn span([x, y, w, h]: [f64; 4], size: [usize; 2]) -> [usize; 4] {
    let span = |from: f64, size: f64, n: usize| {
        let count = ((size * n as f64).round() as usize).clamp(1, n);
        (((from * n as f64).round() as usize).min(n - count), count)
    };
    let ((left, w), (top, h)) = (span(x, w, size[0]), span(y, h, size[1]));
    [left, top, w, h]
}

/// A part of a proxy, given as shares of it. It has no quick table: it is always computed exactly.
fn part(proxy: &Proxy, view: [f64; 4]) -> ApiResult<Proxy> {
    let inside = view.iter().all(|v| (0.0..=1.0).contains(v)) && view[2] > 0.0 && view[3] > 0.0;
    if !inside {
        return Err(ApiError::Invalid("the part lies outside the picture".into()));
    }
    let full_w = proxy.picture.width();
    let [left, top, w, h] = span(view, [full_w, proxy.picture.height()]);
    let rows = proxy.picture.pixels.chunks_exact(full_w).skip(top).take(h);
    let pixels = rows.flat_map(|row| row[left..left + w].iter().copied()).collect();
    let picture = picture::Picture::new(w, h, pixels).map_err(ApiError::internal)?;
    Ok(proxy.with_pixels(picture, proxy.hash.clone()))
}

/// Middle grey as large as a proxy, in its encoding.
fn grey(proxy: &Proxy) -> ApiResult<Proxy> {
    let linear = Encoding::find("acescg").ok_or_else(|| ApiError::internal("no linear encoding"))?;
    let mut grey = [[0.18, 0.18, 0.18, 1.0]];
    Program::compile(&Path::default(), &linear, &proxy.encoding)?.run(&mut grey);
    let (w, h) = (proxy.picture.width(), proxy.picture.height());
    let picture = picture::Picture::new(w, h, vec![grey[0]; w * h]).map_err(ApiError::internal)?;
    Ok(proxy.with_pixels(picture, "grey".into()))
}

/// Population of the hues that a step or group is given: each pixel counts for up to 64, as colourful as it is; every
/// third pixel of every third row.
fn hues(proxy: &Proxy, path: &Path, of: &str, display: &Encoding) -> Vec<u32> {
    const MOST: f32 = 64.0;
    let mut bins = vec![0_u32; HUE_BINS];
    let Some((program, zone)) = Program::given_to(path, of, &proxy.encoding, display) else { return bins };
    let rows = proxy.picture.pixels.chunks_exact(proxy.picture.width()).step_by(3);
    let mut pixels: Vec<[f32; 4]> = rows.flat_map(|row| row.iter().step_by(3).copied()).collect();
    program.run_parallel(&mut pixels);
    let (plane, reach) = (lantern_core::step::plane_of(zone), lantern_core::step::saturation_reach(zone));
    for p in &pixels {
        let (_, cb, cr) = plane.split([p[0], p[1], p[2]]);
        let weight = (cb.hypot(cr) / reach).min(1.0) * MOST;
        let bin = (lane::angle_degrees(cb, cr) * (HUE_BINS as f32 / 360.0)) as usize;
        bins[bin.min(HUE_BINS - 1)] += weight as u32;
    }
    bins
}

/// A display encoding by its id.
pub fn display(id: &str) -> ApiResult<Encoding> {
    let found = Encoding::find(id).filter(|e| e.reference == lantern_core::colour::Reference::Display);
    found.ok_or_else(|| ApiError::Invalid(format!("“{id}” is no display encoding")))
}

/// The display that a picture is made for: the one that is asked for, or where nobody knows what its values mean, the one
/// that they are taken for, so that they are seen as they are.
fn shown_on(proxy: &Proxy, asked: &str) -> ApiResult<Encoding> {
    let asked = display(asked)?;
    Ok(if proxy.raw { proxy.encoding.clone() } else { asked })
}

/// Appends the picture's bytes, in bands that stay in the cache. `false` when `stop` was set before all were
/// done: what lies in the frame then is of no use.
fn render(
    proxy: &Proxy,
    table: Option<&Table>,
    program: &Program,
    frame: &mut Message,
    stop: &AtomicBool,
) -> bool {
    let start = frame.len();
    frame.resize(start + proxy.picture.pixels.len() * 4, 0);
    let band = 32 * lane::N;
    let bands = proxy.picture.pixels.par_chunks(band).zip(frame[start..].par_chunks_mut(band * 4));
    bands.for_each_init(
        || Vec::with_capacity(band),
        |scratch: &mut Vec<[f32; 4]>, (pixels, out)| {
            if stop.load(Ordering::Relaxed) {
                return;
            }
            scratch.clear();
            scratch.extend_from_slice(pixels);
            match table {
                Some(table) => table.apply(scratch),
                None => program.run(scratch),
            }
            picture::to_bytes(scratch, out);
        },
    );
    !stop.load(Ordering::Relaxed)
}

/// The same for an HDR display: the monitor's bytes go into the frame, those of the delivery into `codes`.
fn render_hdr(
    proxy: &Proxy,
    table: Option<&Table>,
    program: &Program,
    monitor: &Table,
    frame: &mut Message,
    codes: &mut Vec<u8>,
    stop: &AtomicBool,
) -> bool {
    let start = frame.len();
    let count = proxy.picture.pixels.len() * 4;
    frame.resize(start + count, 0);
    codes.resize(count, 0);
    let band = 32 * lane::N;
    let out = frame[start..].par_chunks_mut(band * 4).zip(codes.par_chunks_mut(band * 4));
    proxy.picture.pixels.par_chunks(band).zip(out).for_each(|(pixels, (shown, codes))| {
        if stop.load(Ordering::Relaxed) {
            return;
        }
        let mut scratch = pixels.to_vec();
        match table {
            Some(table) => table.apply(&mut scratch),
            None => program.run(&mut scratch),
        }
        picture::to_bytes(&scratch, codes);
        monitor.apply(&mut scratch);
        picture::to_bytes(&scratch, shown);
    });
    !stop.load(Ordering::Relaxed)
}

/// Histogram, on the tonal axis of the step's zone, of what the step is given; every third pixel of every third
/// row counts.
fn tones(proxy: &Proxy, path: &Path, id: &str, display: &Encoding) -> Vec<u32> {
    let w = proxy.picture.width();
    let rows = proxy.picture.pixels.chunks_exact(w).step_by(3);
    let mut pixels: Vec<[f32; 4]> = rows.flat_map(|row| row.iter().step_by(3).copied()).collect();
    let zone = path.steps.iter().find(|s| s.id == id).map_or(Zone::Scene, |s| s.zone);
    if zone != Zone::Screen {
        Program::up_to(path, id, &proxy.encoding).run_parallel(&mut pixels);
        return scope::stops_histogram(&pixels, TONE_SPAN, TONE_BINS);
    }
    let before = path.before(id);
    let Ok(program) = Program::compile(&before, &proxy.encoding, display) else { return vec![0; TONE_BINS] };
    program.run_parallel(&mut pixels);
    scope::axis_histogram(&pixels, lantern_core::step::Axis::of(Zone::Screen), TONE_SPAN, TONE_BINS)
}
