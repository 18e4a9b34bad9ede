//! TIFF 6.0: 8- and 16-bit grey, RGB and RGBA, chunky.

use crate::{Depth, FormatError, picture::from_samples, quantise};
use lantern_core::picture::{MAX_PIXELS, Picture, check_size};
use std::io::Cursor;
use tiff::{ColorType, decoder::DecodingResult, encoder::colortype};

const NAME: &str = "TIFF";

/// Reads a TIFF's first picture as code values 0..1.
pub fn read(bytes: &[u8]) -> Result<Picture, FormatError> {
    let broken = |e: tiff::TiffError| FormatError::broken(NAME, e);
    let mut limits = tiff::decoder::Limits::default();
    limits.decoding_buffer_size = MAX_PIXELS * 8;
    limits.intermediate_buffer_size = 1 << 28;
    let mut decoder = tiff::decoder::Decoder::new(Cursor::new(bytes)).map_err(broken)?.with_limits(limits);
    let (width, height) = decoder.dimensions().map_err(broken)?;
    check_size(width as usize, height as usize)?;
    let kind = decoder.colortype().map_err(broken)?;
    let channels = match kind {
        ColorType::Gray(8 | 16) => 1,
        ColorType::GrayA(8 | 16) => 2,
        ColorType::RGB(8 | 16) => 3,
        ColorType::RGBA(8 | 16) => 4,
        other => {
            let instead = "8- or 16-bit grey or RGB";
            return Err(FormatError::Unsupported { format: NAME, what: format!("{other:?}"), instead });
        }
    };
    let (width, height) = (width as usize, height as usize);
    match decoder.read_image().map_err(broken)? {
        DecodingResult::U8(v) => {
            from_samples(width, height, channels, v.iter().map(|b| f32::from(*b) / 255.0))
        }
        DecodingResult::U16(v) => {
            from_samples(width, height, channels, v.iter().map(|b| f32::from(*b) / 65535.0))
        }
        _ => Err(FormatError::broken(NAME, "its samples are not of the kind that its header says")),
    }
}

/// Writes code values 0..1 as an uncompressed RGB TIFF; values beyond are held at the ends.
pub fn write(picture: &Picture, depth: Depth) -> Result<Vec<u8>, FormatError> {
    let broken = |e: tiff::TiffError| FormatError::broken(NAME, e);
    let mut out = Cursor::new(Vec::new());
    let mut encoder = tiff::encoder::TiffEncoder::new(&mut out).map_err(broken)?;
    let (w, h) = (picture.width() as u32, picture.height() as u32);
    let rgb = picture.pixels.iter().flat_map(|p| &p[..3]);
    match depth {
        Depth::Eight => {
            let data: Vec<u8> = rgb.map(|v| quantise(*v, 255.0) as u8).collect();
            encoder.write_image::<colortype::RGB8>(w, h, &data).map_err(broken)?;
        }
        Depth::Sixteen => {
            let data: Vec<u16> = rgb.map(|v| quantise(*v, 65535.0) as u16).collect();
            encoder.write_image::<colortype::RGB16>(w, h, &data).map_err(broken)?;
        }
    }
    Ok(out.into_inner())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn samples_come_back_to_the_bit_and_truncation_is_an_error() {
        let pixels = (0..60).map(|i| [i as f32 / 59.0, 0.25, 1.0, 1.0]).collect();
        let picture = Picture::new(10, 6, pixels).unwrap();
        for (depth, most) in [(Depth::Eight, 255.0), (Depth::Sixteen, 65535.0)] {
            let bytes = write(&picture, depth).unwrap();
            let back = read(&bytes).unwrap();
            for (a, b) in back.pixels.iter().flatten().zip(picture.pixels.iter().flatten()) {
                assert_eq!((a * most).round(), quantise(*b, most));
            }
            assert!(read(&bytes[..bytes.len() / 2]).is_err());
        }
    }
}
