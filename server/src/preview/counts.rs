//! The counts that go with a picture.

use super::layout::{HEADER, Message, holds};
use super::output::{Output, Point};
use super::proxy::Proxy;
use super::request::Counts;
use crate::error::{ApiError, ApiResult};
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::scope::{self, Mask, chromaticity, limits};

/// Only every second pixel of every second row counts where whole programs have to run for it.
const STRIDE: usize = 2;

/// What a picture with these counts holds.
pub fn flags(c: &Counts) -> u16 {
    let flag = |is: bool, bit: u16| if is { bit } else { 0 };
    flag(c.wave, holds::WAVE)
        | flag(c.luma, holds::LUMA)
        | flag(c.vector.is_some(), holds::VECTOR)
        | flag(c.histogram, holds::HISTOGRAM)
        | flag(c.chromaticity, holds::CHROMATICITY)
        | flag(c.limits, holds::LIMITS)
}

/// Appends the counts of the picture that a message holds, or of `delivered` where the message shows it by a tone map.
pub fn append(
    frame: &mut Message,
    wanted: &Counts,
    proxy: &Proxy,
    path: &Path,
    output: Option<&Output<'_>>,
    columns: usize,
    delivered: Option<&[u8]>,
) -> ApiResult<()> {
    let (w, h) = (proxy.picture.width(), proxy.picture.height());
    let mask = wanted.area.as_ref().map(|a| a.mask(w, h)).transpose();
    let mask = mask.map_err(|e| ApiError::Invalid(e.to_string()))?;
    let delivered: &[[u8; 4]] = bytemuck::cast_slice(delivered.unwrap_or(&frame[HEADER..HEADER + w * h * 4]));
    let gathered = mask.as_ref().map(|m| m.gather(delivered));
    let inside = gathered.as_deref().unwrap_or(delivered);
    let ((wave, luma), (vector, histogram)) = rayon::join(
        || {
            (
                wanted.wave.then(|| scope::waveform(delivered, w, columns, mask.as_ref())),
                wanted.luma.then(|| scope::luma_waveform(delivered, w, columns, mask.as_ref())),
            )
        },
        || {
            (
                wanted.vector.map(|zoom| scope::vectorscope(inside, zoom.clamp(1.0, 16.0))),
                wanted.histogram.then(|| scope::histogram(inside)),
            )
        },
    );
    let wide = wanted.chromaticity || wanted.limits;
    let sparse_light = if wide { sparse(&proxy.picture.pixels, w, mask.as_ref()) } else { Vec::new() };
    let chroma = wanted.chromaticity.then(|| {
        let mut light = sparse_light.clone();
        Program::scene(path, &proxy.encoding).run_parallel(&mut light);
        chromaticity::chromaticity(&light)
    });
    let shares = output.filter(|_| wanted.limits).map(|output| {
        // Texture makes a pixel depend on its neighbours: then all of them are made, and as many counted.
        let at = |point| {
            output
                .of_pixels(point, &sparse_light)
                .unwrap_or_else(|| sparse(&output.all(point), w, mask.as_ref()))
        };
        let l = limits::limits(&at(Point::Delivered), &at(Point::Unfitted));
        [l.at_black, l.at_white, l.out_of_gamut, l.beyond_r103].map(|v| v as f32)
    });
    for counts in [wave, luma, vector].into_iter().flatten() {
        frame.extend_from_slice(bytemuck::cast_slice(&counts));
    }
    if let Some(counts) = histogram {
        frame.extend_from_slice(bytemuck::cast_slice(&counts));
    }
    if let Some(counts) = chroma {
        frame.extend_from_slice(bytemuck::cast_slice(&counts));
    }
    if let Some(shares) = shares {
        frame.extend_from_slice(bytemuck::cast_slice(&shares));
    }
    Ok(())
}

/// Pixels of the area; every second of every second row, or all of an area so small that few would be left.
fn sparse(pixels: &[[f32; 4]], w: usize, mask: Option<&Mask>) -> Vec<[f32; 4]> {
    if let Some(mask) = mask {
        let inside = mask.gather(pixels);
        let step = if inside.len() > 40_000 { STRIDE * STRIDE } else { 1 };
        return inside.into_iter().step_by(step).collect();
    }
    let rows = pixels.chunks_exact(w.max(1)).step_by(STRIDE);
    rows.flat_map(|row| row.iter().step_by(STRIDE).copied()).collect()
}
