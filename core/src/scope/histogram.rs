//! Histograms.

use crate::colour::plane::Plane;
use crate::numeric::lane::log2;
use crate::scope::{LEVELS, luma_level};

/// Histogram of luminance in stops from middle grey: `bins` even bins over `span`, of linear AP1 pixels.
/// Pixels beyond an end, black included, count in the end's bin.
pub fn stops_histogram(pixels: &[[f32; 4]], span: [f32; 2], bins: usize) -> Vec<u32> {
    let mut counts = vec![0_u32; bins.max(1)];
    let last = counts.len() - 1;
    for p in pixels {
        // AP1 luminance weights, S-2014-004.
        let y = 0.272_228_7 * p[0] + 0.674_081_8 * p[1] + 0.053_689_5 * p[2];
        let stops = log2(y.max(1e-9) * (1.0 / 0.18));
        let t = (stops - span[0]) / (span[1] - span[0]) * (last + 1) as f32;
        counts[(t.max(0.0) as usize).min(last)] += 1;
    }
    counts
}

/// Histogram of luma on a tonal axis: `bins` even bins over `span`, of encoded pixels. Pixels beyond an end
/// count in the end's bin.
pub fn axis_histogram(
    pixels: &[[f32; 4]],
    axis: crate::colour::Axis,
    span: [f32; 2],
    bins: usize,
) -> Vec<u32> {
    let mut counts = vec![0_u32; bins.max(1)];
    let last = counts.len() - 1;
    let plane = Plane::bt709();
    for p in pixels {
        let place = axis.place(plane.luma_of([p[0], p[1], p[2]]));
        let t = (place - span[0]) / (span[1] - span[0]) * (last + 1) as f32;
        counts[(t.max(0.0) as usize).min(last)] += 1;
    }
    counts
}

/// Histogram of encoded luma: `bins` even bins over 0..1, of delivery-encoded RGBA bytes.
pub fn luma_histogram(pixels: &[[u8; 4]], bins: usize) -> Vec<u32> {
    let mut counts = vec![0_u32; bins.max(1)];
    let last = counts.len() - 1;
    let plane = Plane::bt709();
    for p in pixels {
        let y = plane.luma_of([f32::from(p[0]), f32::from(p[1]), f32::from(p[2])]) / 255.0;
        counts[((y * (last + 1) as f32) as usize).min(last)] += 1;
    }
    counts
}

/// Histograms of R, G, B and luma: 256 bins each, one after the other, of delivery-encoded RGBA bytes.
pub fn histogram(pixels: &[[u8; 4]]) -> Vec<u32> {
    let mut counts = vec![0_u32; 4 * LEVELS];
    for p in pixels {
        for c in 0..3 {
            counts[c * LEVELS + usize::from(p[c])] += 1;
        }
        counts[3 * LEVELS + luma_level(*p)] += 1;
    }
    counts
}
