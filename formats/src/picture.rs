//! Any picture format, told by its first bytes.

use crate::FormatError;
use lantern_core::picture::Picture;

/// Whether a file that begins like this is of a format that is read here.
pub fn is_known(head: &[u8]) -> bool {
    matches!(
        head,
        [0x89, b'P', b'N', b'G', ..]
            | [b'I', b'I', 42, 0, ..]
            | [b'M', b'M', 0, 42, ..]
            | [0x76, 0x2f, 0x31, 0x01, ..]
            | [0xff, 0xd8, 0xff, ..]
            | [b'S', b'D', b'P', b'X', ..]
            | [b'X', b'P', b'D', b'S', ..]
    )
}

/// Reads a picture of any format that is read here.
pub fn read(bytes: &[u8]) -> Result<Picture, FormatError> {
    match bytes {
        [0x89, b'P', b'N', b'G', ..] => crate::png::read(bytes),
        [b'I', b'I', 42, 0, ..] | [b'M', b'M', 0, 42, ..] => crate::tiff::read(bytes),
        [0x76, 0x2f, 0x31, 0x01, ..] => crate::exr::read(bytes),
        [0xff, 0xd8, 0xff, ..] => crate::jpeg::read(bytes),
        [b'S', b'D', b'P', b'X', ..] | [b'X', b'P', b'D', b'S', ..] => crate::dpx::read(bytes),
        _ => Err(FormatError::UnknownPicture),
    }
}

/// Builds a picture from samples: grey, grey and alpha, RGB or RGBA, told by the number in a pixel.
pub(crate) fn from_samples(
    width: usize,
    height: usize,
    channels: usize,
    samples: impl ExactSizeIterator<Item = f32>,
) -> Result<Picture, FormatError> {
    let mut pixels = Vec::with_capacity(samples.len() / channels.max(1));
    let mut pixel = [0.0_f32; 4];
    for (i, v) in samples.enumerate() {
        let c = i % channels;
        pixel[c] = v;
        if c + 1 == channels {
            let [a, b, ..] = pixel;
            pixels.push(match channels {
                1 => [a, a, a, 1.0],
                2 => [a, a, a, b],
                3 => [pixel[0], pixel[1], pixel[2], 1.0],
                _ => pixel,
            });
        }
    }
    Ok(Picture::new(width, height, pixels)?)
}
