//! PNG (ISO/IEC 15948, W3C PNG third edition), 8 and 16 bit.

use crate::{Depth, FormatError, picture::from_samples, quantise};
use lantern_core::picture::{Picture, check_size};
use png::{BitDepth, ColorType, Transformations};
use std::io::Cursor;

const NAME: &str = "PNG";

/// Reads a PNG as code values 0..1.
pub fn read(bytes: &[u8]) -> Result<Picture, FormatError> {
    let mut decoder = png::Decoder::new(Cursor::new(bytes));
    // Palettes and samples under 8 bit become plain 8-bit samples.
    decoder.set_transformations(Transformations::EXPAND);
    let mut reader = decoder.read_info().map_err(|e| FormatError::broken(NAME, e))?;
    let (width, height) = (reader.info().width as usize, reader.info().height as usize);
    check_size(width, height)?;
    let size = reader.output_buffer_size().ok_or_else(|| FormatError::broken(NAME, "its size has no end"))?;
    let mut buffer = vec![0; size];
    let frame = reader.next_frame(&mut buffer).map_err(|e| FormatError::broken(NAME, e))?;
    let channels = match frame.color_type {
        ColorType::Grayscale => 1,
        ColorType::GrayscaleAlpha => 2,
        ColorType::Rgb | ColorType::Indexed => 3,
        ColorType::Rgba => 4,
    };
    if frame.bit_depth == BitDepth::Sixteen {
        let samples = buffer.chunks_exact(2).map(|b| f32::from(u16::from_be_bytes([b[0], b[1]])) / 65535.0);
        return from_samples(width, height, channels, samples);
    }
    from_samples(width, height, channels, buffer.iter().map(|b| f32::from(*b) / 255.0))
}

/// Writes code values 0..1 as an RGB PNG without alpha; values beyond are held at the ends.
pub fn write(picture: &Picture, depth: Depth) -> Result<Vec<u8>, FormatError> {
    let rgb = picture.pixels.iter().flat_map(|p| &p[..3]);
    let data: Vec<u8> = match depth {
        Depth::Eight => rgb.map(|v| quantise(*v, 255.0) as u8).collect(),
        Depth::Sixteen => rgb.flat_map(|v| (quantise(*v, 65535.0) as u16).to_be_bytes()).collect(),
    };
    write_samples(picture.width(), picture.height(), depth, &data, png::Compression::Balanced)
}

/// Writes RGB samples of 16 bit, big-endian, quickly rather than small.
pub fn write_rgb48(width: usize, height: usize, samples: &[u8]) -> Result<Vec<u8>, FormatError> {
    write_samples(width, height, Depth::Sixteen, samples, png::Compression::Fast)
}

fn write_samples(
    width: usize,
    height: usize,
    depth: Depth,
    samples: &[u8],
    compression: png::Compression,
) -> Result<Vec<u8>, FormatError> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, width as u32, height as u32);
    encoder.set_color(ColorType::Rgb);
    encoder.set_compression(compression);
    encoder.set_depth(if depth == Depth::Sixteen { BitDepth::Sixteen } else { BitDepth::Eight });
    let mut writer = encoder.write_header().map_err(|e| FormatError::broken(NAME, e))?;
    writer.write_image_data(samples).map_err(|e| FormatError::broken(NAME, e))?;
    writer.finish().map_err(|e| FormatError::broken(NAME, e))?;
    Ok(out)
}

/// CRC-32 of the PNG specification, annex D, for chunks that tests put together.
#[cfg(test)]
pub(crate) fn crc(bytes: &[u8]) -> u32 {
    !bytes.iter().fold(!0_u32, |c, b| {
        (0..8).fold(c ^ u32::from(*b), |c, _| if c & 1 == 1 { 0xedb8_8320 ^ (c >> 1) } else { c >> 1 })
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ramp() -> Picture {
        let pixels = (0..64).map(|i| [i as f32 / 63.0, 0.5, 1.0 - i as f32 / 63.0, 1.0]).collect();
        Picture::new(16, 4, pixels).unwrap()
    }

    #[test]
    fn samples_come_back_to_the_bit() {
        for (depth, most) in [(Depth::Eight, 255.0), (Depth::Sixteen, 65535.0)] {
            let back = read(&write(&ramp(), depth).unwrap()).unwrap();
            for (a, b) in back.pixels.iter().flatten().zip(ramp().pixels.iter().flatten()) {
                assert_eq!((a * most).round(), quantise(*b, most));
            }
        }
    }

    #[test]
    fn a_header_that_promises_ten_gigapixels_is_refused_before_memory_is_asked_for() {
        let mut bytes = write(&ramp(), Depth::Eight).unwrap();
        bytes[16..24].copy_from_slice(&[0, 1, 0x86, 0xa0, 0, 1, 0x86, 0xa0]);
        // The header's checksum, so that the size itself is what is refused.
        let sum = crc(&bytes[12..29]);
        bytes[29..33].copy_from_slice(&sum.to_be_bytes());
        let error = read(&bytes).unwrap_err().to_string();
        assert!(error.contains("100000 x 100000") && error.contains("too large"), "{error}");
    }

    #[test]
    fn truncated_files_are_errors() {
        let bytes = write(&ramp(), Depth::Sixteen).unwrap();
        for cut in [0, 8, 20, 33, 60, bytes.len() - 20] {
            assert!(read(&bytes[..cut]).is_err(), "cut at {cut}");
        }
    }
}
