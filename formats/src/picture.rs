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

/// Builds a picture from samples: grey, grey and alpha, RGB or RGBA, told by the number in a pixel.
pub(crate) fn from_samples(
    width: usize,
    height: usize,
    channels: usize,
    samples: impl Iterator<Item = f32>,
) -> Result<Picture, FormatError> {
    let mut rows = Rows::new(width, height, channels);
    rows.put(samples);
    rows.picture()
}

/// A picture while its samples come, whole pixels at a time: so that no second copy of it is in memory.
pub(crate) struct Rows {
    size: [usize; 2],
    channels: usize,
    pixels: Vec<[f32; 4]>,
}

impl Rows {
    /// A size that was checked.
    pub(crate) fn new(width: usize, height: usize, channels: usize) -> Self {
        Self { size: [width, height], channels, pixels: Vec::with_capacity(width * height) }
    }

    pub(crate) fn put(&mut self, samples: impl Iterator<Item = f32>) {
        // A loop for each number of channels: without a test for each sample.
        match self.channels {
            1 => self.put_pixels::<1>(samples),
            2 => self.put_pixels::<2>(samples),
            3 => self.put_pixels::<3>(samples),
            _ => self.put_pixels::<4>(samples),
        }
    }

    fn put_pixels<const CHANNELS: usize>(&mut self, mut samples: impl Iterator<Item = f32>) {
        loop {
            let mut pixel = [0.0_f32; 4];
            for v in &mut pixel[..CHANNELS] {
                let Some(sample) = samples.next() else { return };
                *v = sample;
            }
            self.pixels.push(rgba(pixel, CHANNELS));
        }
    }

    pub(crate) fn picture(self) -> Result<Picture, FormatError> {
        Ok(Picture::new(self.size[0], self.size[1], self.pixels)?)
    }
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
