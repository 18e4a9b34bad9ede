//! Any picture format, told by its first bytes.

use crate::FormatError;
use lantern_core::picture::Picture;

/// Whether a file that begins like this is of a format that is read here.
pub fn is_known(head: &[u8]) -> bool {
    crate::registry::of_bytes(head).is_ok()
}

/// Reads a picture of any format that is read here.
pub fn read(bytes: &[u8]) -> Result<Picture, FormatError> {
    crate::frame::read(bytes).map(|f| f.picture)
}

/// Adds whole pixels out of their samples: grey, grey and alpha, RGB or RGBA, told by the number in a pixel.
pub(crate) fn put_pixels(pixels: &mut Vec<[f32; 4]>, channels: usize, samples: &[f32]) {
    // A loop for each number of channels: without a test for each sample.
    match channels {
        1 => put_each::<1>(pixels, samples),
        2 => put_each::<2>(pixels, samples),
        3 => put_each::<3>(pixels, samples),
        _ => put_each::<4>(pixels, samples),
    }
}

fn put_each<const CHANNELS: usize>(pixels: &mut Vec<[f32; 4]>, samples: &[f32]) {
    pixels.extend(samples.as_chunks::<CHANNELS>().0.iter().map(|own| {
        let mut pixel = [0.0_f32; 4];
        pixel[..CHANNELS].copy_from_slice(own);
        rgba(pixel, CHANNELS)
    }));
}

/// Samples of a pixel, told by their number, as R, G, B and alpha.
pub(crate) fn rgba(p: [f32; 4], channels: usize) -> [f32; 4] {
    match channels {
        1 => [p[0], p[0], p[0], 1.0],
        2 => [p[0], p[0], p[0], p[1]],
        3 => [p[0], p[1], p[2], 1.0],
        _ => p,
    }
}
