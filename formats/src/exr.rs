//! OpenEXR (ISO/IEC publicly available specification of the format's technical introduction): the first layer
//! with R, G and B, half or float, any compression that the reader knows.

use crate::FormatError;
use exr::{
    meta::{MetaData, attribute::Chromaticities},
    prelude::*,
};
use lantern_core::colour::Primaries;
use lantern_core::picture::{Picture, check_size};
use std::io::Cursor;

const NAME: &str = "OpenEXR";

/// The pixels of a layer while they are read.
struct Target {
    width: usize,
    pixels: Vec<[f32; 4]>,
}

/// Reads an OpenEXR picture; values are as they stand in the file.
pub fn read(bytes: &[u8]) -> std::result::Result<Picture, FormatError> {
    let broken = |e: Error| FormatError::broken(NAME, e);
    let meta = MetaData::read_from_buffered(Cursor::new(bytes), false).map_err(broken)?;
    for header in &meta.headers {
        check_size(header.layer_size.0, header.layer_size.1)?;
    }
    let image = exr::prelude::read()
        .no_deep_data()
        .largest_resolution_level()
        .rgba_channels(
            |size: Vec2<usize>, _: &RgbaChannels| Target {
                width: size.width(),
                // Filled row by row; the size was checked above.
                pixels: vec![[0.0, 0.0, 0.0, 1.0]; size.area()],
            },
            |target: &mut Target, at: Vec2<usize>, (r, g, b, a): (f32, f32, f32, f32)| {
                if let Some(p) = target.pixels.get_mut(at.y() * target.width + at.x()) {
                    *p = [r, g, b, a];
                }
            },
        )
        .first_valid_layer()
        .all_attributes()
        .from_buffered(Cursor::new(bytes))
        .map_err(broken)?;
    let size = image.layer_data.size;
    Ok(Picture::new(size.width(), size.height(), image.layer_data.channel_data.pixels.pixels)?)
}

/// Writes an OpenEXR picture in f32 with ZIP compression. `primaries` go into its chromaticities attribute.
pub fn write(picture: &Picture, primaries: Option<&Primaries>) -> std::result::Result<Vec<u8>, FormatError> {
    write_as(picture, primaries, |v| v)
}

/// The same in half floats; values beyond them become infinite.
pub fn write_half(
    picture: &Picture,
    primaries: Option<&Primaries>,
) -> std::result::Result<Vec<u8>, FormatError> {
    write_as(picture, primaries, f16::from_f32)
}

fn write_as<S: IntoSample + Sync>(
    picture: &Picture,
    primaries: Option<&Primaries>,
    sample: impl Fn(f32) -> S + Sync,
) -> std::result::Result<Vec<u8>, FormatError> {
    let channels = SpecificChannels::rgba(|at: Vec2<usize>| {
        let [r, g, b, a] = picture.pixels[at.y() * picture.width() + at.x()];
        (sample(r), sample(g), sample(b), sample(a))
    });
    let encoding = Encoding { compression: Compression::ZIP16, ..Encoding::SMALL_LOSSLESS };
    let layer =
        Layer::new((picture.width(), picture.height()), LayerAttributes::named("rgba"), encoding, channels);
    let mut out = Cursor::new(Vec::new());
    let mut image = Image::from_layer(layer);
    let xy = |[x, y]: [f64; 2]| Vec2(x as f32, y as f32);
    image.attributes.chromaticities = primaries.map(|p| Chromaticities {
        red: xy(p.red),
        green: xy(p.green),
        blue: xy(p.blue),
        white: xy(p.white),
    });
    image.write().to_buffered(&mut out).map_err(|e| FormatError::broken(NAME, e))?;
    Ok(out.into_inner())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn floats_come_back_to_the_bit_and_truncation_is_an_error() {
        let pixels = (0..300).map(|i| [i as f32 * 0.37 - 5.0, 1e-7 * i as f32, 65504.0, 0.5]).collect();
        let picture = Picture::new(20, 15, pixels).unwrap();
        let bytes = write(&picture, None).unwrap();
        assert_eq!(read(&bytes).unwrap(), picture);
        for cut in [4, 40, bytes.len() / 2, bytes.len() - 4] {
            assert!(read(&bytes[..cut]).is_err(), "cut at {cut}");
        }
    }
}
