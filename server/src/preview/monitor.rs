//! HDR deliveries on the page's own monitor: a tone map, which the page says is one.

use super::layout::HEADER;
use crate::error::{ApiError, ApiResult};
use lantern_core::bake::{Bake, bake};
use lantern_core::colour::Encoding;
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::picture::to_bytes;
use lantern_core::table::Table;
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

/// The encoding of the page's monitor.
const MONITOR: &str = "srgb";
/// Points on a side of the tables that pictures of HDR displays go through.
const POINTS: usize = 65;

/// From code values of an HDR display to the monitor's. `None` for SDR displays, which are shown as they are.
pub fn of(display: &Encoding) -> ApiResult<Option<Arc<Table>>> {
    static MADE: LazyLock<Mutex<HashMap<String, Arc<Table>>>> = LazyLock::new(Mutex::default);
    if !display.is_hdr() {
        return Ok(None);
    }
    // Tables are put in whole, so that the map is good also where a thread panicked.
    let lock = || MADE.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(made) = lock().get(&display.id) {
        return Ok(Some(made.clone()));
    }
    let monitor = Encoding::find(MONITOR).ok_or_else(|| ApiError::internal("no monitor encoding"))?;
    let program = Program::compile(&Path::default(), display, &monitor)?;
    let made = bake(&program, &Bake::quick(display, POINTS), "", &AtomicBool::new(false));
    let made = made.map_err(ApiError::internal)?.ok_or_else(|| ApiError::internal("no monitor table"))?;
    let made = Arc::new(made);
    lock().insert(display.id.clone(), made.clone());
    Ok(Some(made))
}

/// Pixels that a job takes at once.
const BAND: usize = 8192;

/// Puts the monitor's bytes in place of those of an HDR display, from the end of a message's header on, and gives what was
/// there: the picture as it is delivered, which scopes count.
pub fn shown(table: &Table, message: &mut [u8]) -> Vec<u8> {
    let delivered = message[HEADER..].to_vec();
    message[HEADER..].par_chunks_mut(BAND * 4).for_each(|bytes| {
        let mut pixels: Vec<[f32; 4]> =
            bytes.chunks_exact(4).map(|p| [p[0], p[1], p[2], p[3]].map(|v| f32::from(v) / 255.0)).collect();
        table.apply(&mut pixels);
        to_bytes(&pixels, bytes);
    });
    delivered
}
