//! Any picture format, told by its first bytes.

use crate::FormatError;
use lantern_core::numeric::lane;
use lantern_core::picture::Picture;
use lantern_core::picture::samples::rgba;

/// Whether a file that begins like this is of a format that is read here.
pub fn is_known(head: &[u8]) -> bool {
    crate::registry::of_bytes(head).is_ok()
}

/// Reads a picture of any format that is read here.
pub fn read(bytes: &[u8]) -> Result<Picture, FormatError> {
    crate::frame::read(bytes).map(|f| f.picture)
}

/// Adds whole pixels out of their samples: grey, grey and alpha, RGB or RGBA, told by the number in a pixel.
pub fn put_pixels(pixels: &mut Vec<[f32; 4]>, channels: usize, samples: &[f32]) {
    lane::vectorised(Put { pixels, channels, samples });
}

struct Put<'a> {
    pixels: &'a mut Vec<[f32; 4]>,
    channels: usize,
    samples: &'a [f32],
}

impl pulp::NullaryFnOnce for Put<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        // A loop for each number of channels: without a test for each sample.
        match self.channels {
            1 => self.each::<1>(),
            2 => self.each::<2>(),
            3 => self.each::<3>(),
            _ => self.each::<4>(),
        }
    }
}

impl Put<'_> {
    #[inline(always)]
    fn each<const CHANNELS: usize>(self) {
        self.pixels.extend(self.samples.as_chunks::<CHANNELS>().0.iter().map(
            #[inline(always)]
            |own| {
                let mut pixel = [0.0_f32; 4];
                pixel[..CHANNELS].copy_from_slice(own);
                rgba(pixel, CHANNELS)
            },
        ));
    }
}
