//! JPEG (ITU-T T.81), 8 bit, grey or YCbCr: read only. A production's reference stills come as such files.

use crate::exif;
use crate::frame::{Beside, Frame};
use crate::registry::{Keeps, PictureFormat};
use crate::{Depth, FormatError, picture::put_pixels, samples};
use lantern_core::picture::{MAX_SIDE, Picture, check_size};
use zune_jpeg::{
    JpegDecoder,
    zune_core::{bytestream::ZCursor, colorspace::ColorSpace, options::DecoderOptions},
};

/// The format in the list of [all](crate::registry).
pub(crate) const FORMAT: PictureFormat = PictureFormat {
    name: "JPEG",
    endings: &["jpg", "jpeg"],
    begins: &[&[0xff, 0xd8, 0xff]],
    read: read_frame,
    rows: None,
    facts: crate::facts::jpeg,
    write: None,
    depths: &[],
    write_at: None,
    codes: None,
    keeps: Keeps { windows: false, orientation: true, times: false },
};

const NAME: &str = "JPEG";

/// A decoder with its header read and its size checked.
fn open(bytes: &[u8]) -> Result<JpegDecoder<ZCursor<&[u8]>>, FormatError> {
    let options = DecoderOptions::default()
        .set_max_width(MAX_SIDE)
        .set_max_height(MAX_SIDE)
        .set_strict_mode(true)
        .jpeg_set_out_colorspace(ColorSpace::RGB);
    let mut decoder = JpegDecoder::new_with_options(ZCursor::new(bytes), options);
    decoder.decode_headers().map_err(|e| FormatError::broken(NAME, format!("{e:?}")))?;
    let (width, height) = decoder.dimensions().ok_or_else(|| FormatError::broken(NAME, "it has no size"))?;
    check_size(width, height)?;
    Ok(decoder)
}

/// Reads a JPEG as code values 0..1.
pub fn read(bytes: &[u8]) -> Result<Picture, FormatError> {
    let mut decoder = open(bytes)?;
    let samples = decoder.decode().map_err(|e| FormatError::broken(NAME, format!("{e:?}")))?;
    let (width, height) = decoder.dimensions().unwrap_or((0, 0));
    let (mut values, mut pixels) = (Vec::new(), Vec::with_capacity(width * height));
    for row in samples.chunks(3 * width.max(1)) {
        samples::values(row, Depth::Eight, &mut values);
        put_pixels(&mut pixels, 3, &values);
    }
    Ok(Picture::new(width, height, pixels)?)
}

/// The same with what lies beside the pixels.
pub fn read_frame(bytes: &[u8]) -> Result<Frame, FormatError> {
    let orientation = open(bytes)?.exif().and_then(|e| exif::orientation(e)).unwrap_or(1);
    Ok(Frame { picture: read(bytes)?, beside: Beside { orientation, ..Default::default() } })
}

/// What the file's own tags say of it: size, ICC profile, and EXIF block.
pub(crate) struct Tags {
    pub(crate) size: (usize, usize),
    pub(crate) icc: Option<Vec<u8>>,
    pub(crate) exif: Option<Vec<u8>>,
}

/// Reads the tags without the picture.
pub(crate) fn tags(bytes: &[u8]) -> Result<Tags, FormatError> {
    let decoder = open(bytes)?;
    let size = decoder.dimensions().unwrap_or((0, 0));
    Ok(Tags { size, icc: decoder.icc_profile(), exif: decoder.exif().cloned() })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_no_jpeg_or_breaks_off_is_an_error() {
        for bytes in [&b"\xff\xd8\xff"[..], b"\xff\xd8\xff\xe0\0\x10JFIF\0", b""] {
            assert!(read(bytes).is_err());
        }
    }
}
