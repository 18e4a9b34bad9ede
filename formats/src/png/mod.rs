//! PNG (ISO/IEC 15948, W3C PNG third edition), 8 and 16 bit.

mod stored;

use crate::depth::SampleDepth;
use crate::exif;
use crate::frame::{Beside, Frame, Rows, Whole, sane_aspect};
use crate::registry::{Keeps, PictureFormat};
use crate::samples::{self, quantise};
use crate::{Depth, FormatError, icc};
use lantern_core::colour::Encoding;
use lantern_core::picture::{Picture, check_size};
use png::{BitDepth, ColorType, Transformations};
use std::io::{BufRead, Cursor, Seek};
use stored::Inflated;

/// The format in the list of [all](crate::registry).
pub(crate) const FORMAT: PictureFormat = PictureFormat {
    name: "PNG",
    endings: &["png"],
    begins: &[b"\x89PNG"],
    read: read_frame,
    rows: Some(each_row),
    facts: crate::facts::png,
    write: Some(|frame, encoding| write_frame(frame, Depth::Sixteen, encoding)),
    depths: &[SampleDepth::Eight, SampleDepth::Sixteen],
    write_at: Some(|frame, encoding, depth| {
        let depth = if depth == SampleDepth::Eight { Depth::Eight } else { Depth::Sixteen };
        write_frame(frame, depth, encoding)
    }),
    codes: None,
    keeps: Keeps { windows: false, orientation: true, times: false },
};

const NAME: &str = "PNG";

/// Reads a PNG as code values 0..1.
pub fn read(bytes: &[u8]) -> Result<Picture, FormatError> {
    read_frame(bytes).map(|f| f.picture)
}

/// The same with what lies beside the pixels.
pub fn read_frame(bytes: &[u8]) -> Result<Frame, FormatError> {
    let mut whole = Whole::default();
    let beside = each_row(bytes, &mut whole)?;
    whole.frame(beside)
}

/// Reads it row by row.
pub fn each_row(bytes: &[u8], rows: &mut dyn Rows) -> Result<Beside, FormatError> {
    match Inflated::of(bytes) {
        Some(inflated) => {
            let mut decoder = png::Decoder::new(inflated.stored());
            decoder.ignore_checksums(true);
            rows_of(decoder, rows)
        }
        None => rows_of(png::Decoder::new(Cursor::new(bytes)), rows),
    }
}

fn rows_of<R: BufRead + Seek>(
    mut decoder: png::Decoder<R>,
    rows: &mut dyn Rows,
) -> Result<Beside, FormatError> {
    let broken = |e| FormatError::broken(NAME, e);
    // Palettes and samples under 8 bit become plain 8-bit samples.
    decoder.set_transformations(Transformations::EXPAND);
    let mut reader = decoder.read_info().map_err(broken)?;
    let (width, height) = (reader.info().width as usize, reader.info().height as usize);
    check_size(width, height)?;
    let (kind, depth) = reader.output_color_type();
    let channels = match kind {
        ColorType::Grayscale => 1,
        ColorType::GrayscaleAlpha => 2,
        ColorType::Rgb | ColorType::Indexed => 3,
        ColorType::Rgba => 4,
    };
    let (depth, bytes_of_sample) =
        if depth == BitDepth::Sixteen { (Depth::Sixteen, 2) } else { (Depth::Eight, 1) };
    let info = reader.info();
    let beside = Beside {
        alpha: channels % 2 == 0,
        // PNG, 6.2: never.
        premultiplied: false,
        // Pixels per unit: a narrow pixel has more of them in a row.
        aspect: info.pixel_dims.map_or(1.0, |d| sane_aspect(d.yppu as f32 / d.xppu as f32)),
        orientation: info.exif_metadata.as_deref().and_then(exif::orientation).unwrap_or(1),
        windows: None,
        ..Beside::default()
    };
    rows.begin([width, height], &beside);
    let mut values = Vec::new();
    let mut put = |data: &[u8]| {
        samples::values(data, depth, &mut values);
        rows.samples(channels, &values);
    };
    if reader.info().interlaced {
        // Its rows come in passes: it is put together as a whole.
        let size = reader.output_buffer_size();
        let mut buffer = vec![0; size.ok_or_else(|| FormatError::broken(NAME, "its size has no end"))?];
        reader.next_frame(&mut buffer).map_err(broken)?;
        buffer.chunks_exact(width * channels * bytes_of_sample).take(height).for_each(put);
    } else {
        while let Some(row) = reader.next_row().map_err(broken)? {
            put(row.data());
        }
    }
    Ok(beside)
}

/// Writes code values 0..1 as an RGB PNG without alpha; values beyond are held at the ends.
pub fn write(picture: &Picture, depth: Depth) -> Result<Vec<u8>, FormatError> {
    let data = data(picture, 3, depth);
    write_samples(picture.width(), picture.height(), depth, &data, png::Compression::Balanced)
}

/// The first channels of a picture as samples in the order of the file.
fn data(picture: &Picture, channels: usize, depth: Depth) -> Vec<u8> {
    match depth {
        Depth::Eight => samples::of(&picture.pixels, channels, |v| quantise(v, 255.0) as u8),
        Depth::Sixteen => {
            let sample = |v| (quantise(v, 65535.0) as u16).to_be_bytes();
            samples::of(&picture.pixels, channels, sample).into_flattened()
        }
    }
}

/// Writes a picture with what lies beside it, and what its code values mean: as cICP, and for readers that do not know it
/// as an sRGB chunk or an ICC profile (PNG third edition, 11.3.2).
pub fn write_frame(frame: &Frame, depth: Depth, encoding: Option<&Encoding>) -> Result<Vec<u8>, FormatError> {
    let (picture, beside) = (&frame.picture, &frame.beside);
    let mut info = png::Info::with_size(picture.width() as u32, picture.height() as u32);
    info.color_type = if beside.alpha { ColorType::Rgba } else { ColorType::Rgb };
    info.bit_depth = if depth == Depth::Sixteen { BitDepth::Sixteen } else { BitDepth::Eight };
    if beside.aspect != 1.0 {
        let [xppu, yppu] = [1000.0, 1000.0 * beside.aspect].map(|v| v.round() as u32);
        info.pixel_dims = Some(png::PixelDimensions { xppu, yppu, unit: png::Unit::Unspecified });
    }
    if beside.orientation != 1 {
        info.exif_metadata = Some(exif::of(beside.orientation).into());
    }
    if let Some(encoding) = encoding {
        if encoding.id == "srgb" {
            info.srgb = Some(png::SrgbRenderingIntent::RelativeColorimetric);
        } else {
            info.icc_profile = icc::profile(encoding).map(Into::into);
        }
    }
    let mut out = Vec::new();
    let broken = |e| FormatError::broken(NAME, e);
    let mut encoder = png::Encoder::with_info(&mut out, info).map_err(broken)?;
    encoder.set_compression(png::Compression::Balanced);
    let mut writer = encoder.write_header().map_err(broken)?;
    // Primaries, transfer, no matrix, full range. The library reads this chunk and does not write it.
    if let Some([primaries, transfer]) = encoding.and_then(icc::code_points) {
        let chunk = png::chunk::ChunkType(*b"cICP");
        writer.write_chunk(chunk, &[primaries, transfer, 0, 1]).map_err(broken)?;
    }
    let channels = if beside.alpha { 4 } else { 3 };
    writer.write_image_data(&data(picture, channels, depth)).map_err(broken)?;
    writer.finish().map_err(broken)?;
    Ok(out)
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
                assert_eq!((a * most).round(), quantise(*b, most) as f32);
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
