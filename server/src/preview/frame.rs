//! One picture for the page: pixels and scope counts in one message.

use super::{Proxies, Proxy};
use crate::error::{ApiError, ApiResult};
use crate::media::MediaFolder;
use crate::store::Store;
use lantern_core::colour::Encoding;
use lantern_core::look::{Path, Program};
use lantern_core::step::Zone;
use lantern_core::table::Table;
use lantern_core::{lane, picture, scope};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// How a picture is computed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Quality {
    /// Through a 33-point table, while something is dragged.
    Drag,
    /// Exactly.
    Rest,
}

/// Asks for the picture in hand.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct PictureRequest {
    /// Rises with every request; comes back with the picture.
    pub seq: u32,
    /// The shot.
    pub shot: String,
    /// The whole path.
    pub path: Path,
    /// How to compute it.
    pub quality: Quality,
    /// Most pixels in a row.
    pub width: u32,
    /// Display encoding of the picture.
    pub display: String,
    /// Whether waveform and vectorscope come along.
    pub scopes: bool,
    /// The step whose input histogram comes along.
    #[serde(default)]
    pub tones_of: Option<String>,
}

/// Asks for small pictures of several shots under one path.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct RowRequest {
    /// Comes back with each picture.
    pub seq: u32,
    /// The shots.
    pub shots: Vec<String>,
    /// The whole path.
    pub path: Path,
    /// Most pixels in a row of each.
    pub width: u32,
    /// Display encoding of the pictures.
    pub display: String,
}

/// Columns of the waveform.
pub const COLUMNS: usize = 240;
/// Bins of the tonal histogram, over [`TONE_SPAN`].
pub const TONE_BINS: usize = 128;
/// Ends of the tonal histogram on the tonal axis.
pub const TONE_SPAN: [f32; 2] = [-8.0, 8.0];
/// Length of the header before the pixels.
pub const HEADER: usize = 16;

/// Flags of the header.
const WITH_SCOPES: u16 = 1;
const WITH_TONES: u16 = 2;

/// A message for the page. Little-endian: kind u8 (1 picture, 2 row), quality u8 (0 drag, 1 rest), flags u16,
/// sequence u32, width u16, height u16, waveform columns u16, index in the row u16; then RGBA bytes; then, by
/// flags, the waveform (columns x 3 x 256 u16) and the vectorscope (256 x 256 u16), and 128 u32 of tones.
pub type Frame = Vec<u8>;

/// What frames are made from, and the table kept between two frames of the same path.
pub struct Studio {
    /// The database.
    pub store: Store,
    /// The media folder.
    pub media: MediaFolder,
    /// Decoded shots.
    pub proxies: Proxies,
    fused: Kept<Arc<Table>>,
    tones: Kept<Vec<u32>>,
}

/// The last value of a sort, under the key that it was made for.
struct Kept<T>(Mutex<Option<(String, T)>>);

impl<T: Clone> Kept<T> {
    fn new() -> Self {
        Self(Mutex::new(None))
    }

    fn get_or(&self, key: String, make: impl FnOnce() -> ApiResult<T>) -> ApiResult<T> {
        // A value is put in whole, so that it is good also where a thread panicked.
        let lock = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((have, value)) = &*lock()
            && *have == key
        {
            return Ok(value.clone());
        }
        let value = make()?;
        *lock() = Some((key, value.clone()));
        Ok(value)
    }
}

impl Studio {
    /// A studio over a store.
    pub fn new(store: Store, media: MediaFolder) -> Self {
        Self { store, media, proxies: Proxies::default(), fused: Kept::new(), tones: Kept::new() }
    }

    /// The picture in hand. `None` when `stop` was set meanwhile.
    pub fn picture(&self, r: &PictureRequest, stop: &AtomicBool) -> ApiResult<Option<Frame>> {
        r.path.check()?;
        let proxy = self.proxy(&r.shot, r.width)?;
        let display = display(&r.display)?;
        let program = Program::compile(&r.path, &proxy.encoding, &display)?;
        let quality = u8::from(r.quality == Quality::Rest);
        let table = match r.quality {
            Quality::Drag => self.fuse(r, &program, &proxy)?,
            Quality::Rest => None,
        };
        let (w, h) = (proxy.picture.width(), proxy.picture.height());
        let flags =
            if r.scopes { WITH_SCOPES } else { 0 } | if r.tones_of.is_some() { WITH_TONES } else { 0 };
        let columns = if r.scopes { COLUMNS.min(w) } else { 0 };
        let mut frame = header(1, quality, flags, r.seq, [w, h, columns, 0]);
        if !render(&proxy, table.as_deref(), &program, &mut frame, stop) {
            return Ok(None);
        }
        if r.scopes {
            let pixels: &[[u8; 4]] = bytemuck::cast_slice(&frame[HEADER..HEADER + w * h * 4]);
            let (wave, vector) =
                rayon::join(|| scope::waveform(pixels, w, columns), || scope::vectorscope(pixels));
            frame.extend_from_slice(bytemuck::cast_slice(&wave));
            frame.extend_from_slice(bytemuck::cast_slice(&vector));
        }
        if let Some(step) = &r.tones_of {
            frame.extend_from_slice(bytemuck::cast_slice(&self.tones(r, &proxy, step, &display)?));
        }
        Ok(Some(frame))
    }

    /// One small picture of a row. `None` when `stop` was set meanwhile.
    pub fn thumbnail(&self, r: &RowRequest, index: usize, stop: &AtomicBool) -> ApiResult<Option<Frame>> {
        let shot = r.shots.get(index).ok_or(ApiError::NotFound("shot"))?;
        r.path.check()?;
        let proxy = self.proxy(shot, r.width)?;
        let program = Program::compile(&r.path, &proxy.encoding, &display(&r.display)?)?;
        let size = [proxy.picture.width(), proxy.picture.height(), 0, index];
        let mut frame = header(2, 1, 0, r.seq, size);
        Ok(render(&proxy, None, &program, &mut frame, stop).then_some(frame))
    }

    fn proxy(&self, shot: &str, width: u32) -> ApiResult<Arc<Proxy>> {
        let width = (width as usize).clamp(16, 4096);
        self.proxies.get(&self.store, &self.media, shot, width)
    }

    /// The path as a table for this picture; kept until another path or picture comes. `None` where the
    /// picture's encoding has no quick table.
    fn fuse(&self, r: &PictureRequest, program: &Program, proxy: &Proxy) -> ApiResult<Option<Arc<Table>>> {
        let Some(reach) = &proxy.reach else { return Ok(None) };
        let path = serde_json::to_string(&r.path).map_err(ApiError::internal)?;
        let from = &proxy.encoding;
        let key = format!("{}|{}|{}|{}|{}|{path}", r.shot, r.width, from.id, from.title, r.display);
        let fill = || reach.fill(program).map(Arc::new).map_err(ApiError::internal);
        self.fused.get_or(key, fill).map(Some)
    }

    /// Histogram of what a step is given; kept, because it does not change while the step itself is dragged.
    fn tones(
        &self,
        r: &PictureRequest,
        proxy: &Proxy,
        step: &str,
        display: &Encoding,
    ) -> ApiResult<Vec<u32>> {
        let before: Vec<_> = r.path.steps.iter().take_while(|s| s.id != step).collect();
        let before = serde_json::to_string(&before).map_err(ApiError::internal)?;
        let zone = r.path.steps.iter().find(|s| s.id == step).map_or(Zone::Scene, |s| s.zone);
        let from = &proxy.encoding;
        let key =
            format!("{}|{}|{}|{}|{}|{zone:?}|{before}", r.shot, r.width, from.id, from.title, display.id);
        self.tones.get_or(key, || Ok(tones(proxy, &r.path, step, display)))
    }
}

fn display(id: &str) -> ApiResult<Encoding> {
    let found = Encoding::find(id).filter(|e| e.reference == lantern_core::colour::Reference::Display);
    found.ok_or_else(|| ApiError::Invalid(format!("“{id}” is no display encoding")))
}

fn header(kind: u8, quality: u8, flags: u16, seq: u32, [w, h, columns, index]: [usize; 4]) -> Frame {
    let mut frame = Vec::with_capacity(HEADER + w * h * 4 + columns * 3 * 512 + 256 * 512 + TONE_BINS * 4);
    frame.extend_from_slice(&[kind, quality]);
    frame.extend_from_slice(&flags.to_le_bytes());
    frame.extend_from_slice(&seq.to_le_bytes());
    for v in [w, h, columns, index] {
        frame.extend_from_slice(&(v as u16).to_le_bytes());
    }
    frame
}

/// Appends the picture's bytes, in bands that stay in the cache. `false` when `stop` was set before all were
/// done: what lies in the frame then is of no use.
fn render(
    proxy: &Proxy,
    table: Option<&Table>,
    program: &Program,
    frame: &mut Frame,
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
    let before = Path { steps: path.steps.iter().take_while(|s| s.id != id).cloned().collect() };
    let Ok(program) = Program::compile(&before, &proxy.encoding, display) else { return vec![0; TONE_BINS] };
    program.run_parallel(&mut pixels);
    scope::axis_histogram(&pixels, lantern_core::step::Axis::of(Zone::Screen), TONE_SPAN, TONE_BINS)
}
