//! TIFF 6.0 and BigTIFF: grey and RGB with or without alpha, chunky or planar, in strips or tiles; 8, 16 and 32 bit, and
//! half, float and double.

use crate::depth::SampleDepth;
use crate::frame::{Beside, Frame, divide, sane_aspect};
use crate::registry::{CodesFormat, Keeps, PictureFormat};
use crate::samples::{self, quantise};
use crate::{Depth, FormatError, icc};
use lantern_core::colour::Encoding;
use lantern_core::numeric::lane;
use lantern_core::picture::samples::rgba;
use lantern_core::picture::{Codes, Picture, check_size};
use std::io::{Cursor, Read, Seek};
use tiff::{
    TiffError,
    decoder::{Decoder, DecodingResult, Limits, ifd::Value},
    encoder::{ImageEncoder, Rational, TiffEncoder, TiffKindStandard, colortype},
    tags::{ExtraSamples, Tag},
};

/// The format in the list of [all](crate::registry).
pub(crate) const FORMAT: PictureFormat = PictureFormat {
    name: "TIFF",
    endings: &["tif", "tiff"],
    begins: &[b"II\x2a\0", b"II\x2b\0", b"MM\0\x2a", b"MM\0\x2b"],
    read: read_frame,
    rows: None,
    facts: crate::facts::tiff,
    write: Some(|frame, encoding| write_frame(frame, Depth::Sixteen, encoding)),
    depths: &[SampleDepth::Eight, SampleDepth::Sixteen, SampleDepth::Float],
    write_at: Some(|frame, encoding, depth| match depth {
        SampleDepth::Eight => write_frame(frame, Depth::Eight, encoding),
        SampleDepth::Float => write_as::<colortype::RGB32Float>(frame, encoding, |v| v),
        _ => write_frame(frame, Depth::Sixteen, encoding),
    }),
    codes: Some(CodesFormat { read: read_codes, most: u16::MAX, write: write_codes }),
    keeps: Keeps { windows: false, orientation: true, times: false },
};

const NAME: &str = "TIFF";
/// Most bytes of a strip or tile.
const MOST_CHUNK: usize = 1 << 28;

fn broken(e: TiffError) -> FormatError {
    FormatError::broken(NAME, e)
}

fn unsupported<T>(what: impl Into<String>) -> Result<T, FormatError> {
    let instead = "grey or RGB of 8 or 16 bit or float";
    Err(FormatError::Unsupported { format: NAME, what: what.into(), instead })
}

/// How samples lie in a file.
struct Layout {
    size: [usize; 2],
    /// Samples of a pixel in the file, and how many of them are taken: grey or R, G, B, and alpha.
    samples: usize,
    taken: usize,
    /// Whether they are whole numbers of 16 bits.
    sixteen: bool,
    planar: bool,
    beside: Beside,
}

fn number<R: Read + Seek>(d: &mut Decoder<R>, tag: Tag, usual: u16) -> Result<u16, FormatError> {
    Ok(d.find_tag_unsigned(tag).map_err(broken)?.unwrap_or(usual))
}

fn numbers<R: Read + Seek>(d: &mut Decoder<R>, tag: Tag, usual: u16) -> Result<Vec<u16>, FormatError> {
    Ok(d.find_tag_unsigned_vec(tag).map_err(broken)?.unwrap_or_else(|| vec![usual]))
}

fn layout<R: Read + Seek>(d: &mut Decoder<R>) -> Result<Layout, FormatError> {
    let (width, height) = d.dimensions().map_err(broken)?;
    let size = [width as usize, height as usize];
    check_size(size[0], size[1])?;
    let colours = match number(d, Tag::PhotometricInterpretation, 1)? {
        0 | 1 => 1,
        2 => 3,
        3 => return unsupported("a palette"),
        5 => return unsupported("CMYK"),
        6 => return unsupported("YCbCr"),
        8..=10 => return unsupported("CIE L*a*b*"),
        other => return unsupported(format!("photometric interpretation {other}")),
    };
    let samples = usize::from(number(d, Tag::SamplesPerPixel, colours as u16)?);
    if samples < colours || samples > 64 {
        return Err(FormatError::broken(NAME, format!("{samples} samples in a pixel of {colours} colours")));
    }
    let bits = numbers(d, Tag::BitsPerSample, 1)?;
    let forms = numbers(d, Tag::SampleFormat, 1)?;
    match (bits.first().copied().unwrap_or(1), forms.first().copied().unwrap_or(1)) {
        (8 | 16 | 32, 1 | 4) | (16 | 32 | 64, 3) => {}
        (bits, 3) => return unsupported(format!("a float of {bits} bits")),
        (_, 2) => return unsupported("a signed sample"),
        (bits, _) => return unsupported(format!("a sample of {bits} bits")),
    }
    if bits.iter().any(|b| *b != bits[0]) || forms.iter().any(|f| *f != forms[0]) {
        return unsupported("a picture whose channels differ in depth");
    }
    let sixteen = bits.first() == Some(&16) && forms.first() == Some(&1);
    // What stands beside the colours is alpha where the file says so, or says nothing of a single one.
    let extra = numbers(d, Tag::ExtraSamples, 0)?.first().copied().unwrap_or(0);
    let alpha = samples > colours && (matches!(extra, 1 | 2) || samples == colours + 1);
    let resolution = |d: &mut Decoder<R>, tag| match d.find_tag(tag) {
        Ok(Some(Value::Rational(n, of))) if n > 0 && of > 0 => Some(n as f32 / of as f32),
        _ => None,
    };
    let (x, y) = (resolution(d, Tag::XResolution), resolution(d, Tag::YResolution));
    let orientation = number(d, Tag::Orientation, 1)?;
    let beside = Beside {
        alpha,
        // TIFF 6.0, ExtraSamples: 1 is associated alpha, with pre-multiplied colours.
        premultiplied: alpha && extra == 1,
        // Pixels per unit: a narrow pixel has more of them in a row.
        aspect: x.zip(y).map_or(1.0, |(x, y)| sane_aspect(y / x)),
        orientation: u8::try_from(orientation).ok().filter(|v| (1..=8).contains(v)).unwrap_or(1),
        windows: None,
        ..Beside::default()
    };
    let planar = number(d, Tag::PlanarConfiguration, 1)? == 2 && samples > 1;
    Ok(Layout { size, samples, taken: colours + usize::from(alpha), sixteen, planar, beside })
}

/// Reads a TIFF's first picture as code values 0..1; floats as they stand.
pub fn read(bytes: &[u8]) -> Result<Picture, FormatError> {
    read_frame(bytes).map(|f| f.picture)
}

/// The same with what lies beside the pixels. It is read a strip or tile at a time.
pub fn read_frame(bytes: &[u8]) -> Result<Frame, FormatError> {
    let mut chunks = Chunks::open(bytes)?;
    let [width, height] = chunks.layout.size;
    // Where its pixels come in the order that they are kept in, memory need not be cleared for them first.
    let in_order = chunks.layout.is_rgb() && chunks.across == 1;
    let mut pixels =
        if in_order { Vec::with_capacity(width * height) } else { vec![[0.0; 4]; width * height] };
    chunks.each(|layout, part, found| {
        match found {
            DecodingResult::U8(v) => layout.put(&mut pixels, part, v, |v| f32::from(*v) / 255.0)?,
            DecodingResult::U16(v) => layout.put(&mut pixels, part, v, |v| f32::from(*v) / 65535.0)?,
            DecodingResult::U32(v) => {
                layout.put(&mut pixels, part, v, |v| (f64::from(*v) / f64::from(u32::MAX)) as f32)?;
            }
            DecodingResult::F16(v) => layout.put(&mut pixels, part, v, |v| v.to_f32())?,
            DecodingResult::F32(v) => layout.put(&mut pixels, part, v, |v| *v)?,
            DecodingResult::F64(v) => layout.put(&mut pixels, part, v, |v| *v as f32)?,
            _ => return Err(other_kind()),
        }
        Ok(())
    })?;
    let layout = chunks.layout;
    if !layout.is_rgb() {
        pixels.iter_mut().for_each(|p| *p = rgba(*p, layout.taken));
    }
    if layout.beside.premultiplied {
        divide(&mut pixels);
    }
    Ok(Frame { picture: Picture::new(width, height, pixels)?, beside: layout.beside })
}

/// Reads a TIFF of red, green and blue in 16 bit and strips; `None` for another.
fn read_codes(bytes: &[u8]) -> Result<Option<(Codes, Beside)>, FormatError> {
    let Chunks { mut decoder, layout, size, across } = Chunks::open(bytes)?;
    let [width, height] = layout.size;
    let most = width.saturating_mul(size[1].min(height)).saturating_mul(6);
    if !layout.is_rgb() || !layout.sixteen || across != 1 || most > MOST_CHUNK {
        return Ok(None);
    }
    let (mut samples, mut strip) = (Vec::with_capacity(3 * width * height), Vec::new());
    for i in 0..height.div_ceil(size[1]) {
        let (w, h) = decoder.chunk_data_dimensions(i as u32);
        // Into the same memory, which the library would clear for each.
        strip.resize(6 * w as usize * h as usize, 0);
        decoder.read_chunk_bytes(i as u32, &mut strip).map_err(broken)?;
        samples.extend(strip.as_chunks::<2>().0.iter().map(|v| u16::from_ne_bytes(*v)));
    }
    Ok(Some((Codes::new(width, height, u16::MAX, samples)?, layout.beside)))
}

fn other_kind() -> FormatError {
    FormatError::broken(NAME, "its samples are not of the kind that its header says")
}

fn too_short() -> FormatError {
    FormatError::broken(NAME, "a strip or tile of it is too short")
}

/// The strips or tiles of a file.
struct Chunks<'a> {
    decoder: Decoder<Cursor<&'a [u8]>>,
    layout: Layout,
    size: [usize; 2],
    /// How many of them lie side by side.
    across: usize,
}

impl<'a> Chunks<'a> {
    fn open(bytes: &'a [u8]) -> Result<Self, FormatError> {
        let mut limits = Limits::default();
        limits.decoding_buffer_size = MOST_CHUNK;
        limits.intermediate_buffer_size = MOST_CHUNK;
        let mut decoder = Decoder::new(Cursor::new(bytes)).map_err(broken)?.with_limits(limits);
        let layout = layout(&mut decoder)?;
        let (width, height) = decoder.chunk_dimensions();
        let size = [width as usize, height as usize];
        if size.contains(&0) {
            return Err(FormatError::broken(NAME, "its strips or tiles have no size"));
        }
        Ok(Self { across: layout.size[0].div_ceil(size[0]), decoder, layout, size })
    }

    /// Reads all of them, one after the other.
    fn each(
        &mut self,
        mut put: impl FnMut(&Layout, &Part, &DecodingResult) -> Result<(), FormatError>,
    ) -> Result<(), FormatError> {
        let Self { decoder, layout, size, across } = self;
        let each = *across * layout.size[1].div_ceil(size[1]);
        let planes = if layout.planar { layout.taken } else { 1 };
        for i in 0..each * planes {
            let (plane, within) = (i / each, i % each);
            let (left, top) = (within % *across * size[0], within / *across * size[1]);
            let found = decoder.read_chunk(i as u32).map_err(broken)?;
            let (w, h) = decoder.chunk_data_dimensions(i as u32);
            put(layout, &Part { left, top, w: w as usize, h: h as usize, plane }, &found)?;
        }
        Ok(())
    }
}

/// A strip or tile: where it lies, and the plane that it is of.
struct Part {
    left: usize,
    top: usize,
    w: usize,
    h: usize,
    plane: usize,
}

impl Layout {
    /// Red, green and blue of each pixel and nothing else, one after the other: as most pictures are.
    fn is_rgb(&self) -> bool {
        !self.planar && self.samples == 3 && self.taken == 3
    }

    /// Puts the samples of a part into pixels, by their place in a pixel.
    fn put<T>(
        &self,
        pixels: &mut Vec<[f32; 4]>,
        part: &Part,
        samples: &[T],
        value: impl Fn(&T) -> f32,
    ) -> Result<(), FormatError> {
        let each = if self.planar { 1 } else { self.samples };
        let [width, height] = self.size;
        if samples.len() < part.w * part.h * each || part.w == 0 {
            return Err(too_short());
        }
        // Tiles may reach beyond the picture.
        let (w, h) = (part.w.min(width - part.left), part.h.min(height - part.top));
        for (y, row) in samples.chunks_exact(part.w * each).take(h).enumerate() {
            let from = (part.top + y) * width + part.left;
            if self.is_rgb() {
                // Faster than counting channels, and with alpha at once.
                lane::vectorised(Rgb { pixels, from, row: &row[..3 * w], value: &value });
                continue;
            }
            for (p, own) in pixels[from..from + w].iter_mut().zip(row.chunks_exact(each)) {
                if self.planar {
                    p[part.plane] = value(&own[0]);
                } else {
                    for c in 0..self.taken {
                        p[c] = value(&own[c]);
                    }
                }
            }
        }
        Ok(())
    }
}

/// Puts samples of red, green and blue into pixels, from a place that is there or where they end.
struct Rgb<'a, T, F> {
    pixels: &'a mut Vec<[f32; 4]>,
    from: usize,
    row: &'a [T],
    value: &'a F,
}

impl<T, F: Fn(&T) -> f32> pulp::NullaryFnOnce for Rgb<'_, T, F> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { pixels, from, row, value } = self;
        let own = row.as_chunks::<3>().0.iter().map(
            #[inline(always)]
            |[r, g, b]| [value(r), value(g), value(b), 1.0],
        );
        if pixels.len() == from {
            pixels.extend(own);
        } else if let Some(there) = pixels.get_mut(from..) {
            there.iter_mut().zip(own).for_each(
                #[inline(always)]
                |(p, own)| *p = own,
            );
        }
    }
}

/// Writes code values 0..1 as an uncompressed RGB TIFF; values beyond are held at the ends.
pub fn write(picture: &Picture, depth: Depth) -> Result<Vec<u8>, FormatError> {
    let frame = Frame::from(picture.clone());
    write_frame(&frame, depth, None)
}

/// Writes a picture with what lies beside it, and the ICC profile of a display encoding.
pub fn write_frame(frame: &Frame, depth: Depth, encoding: Option<&Encoding>) -> Result<Vec<u8>, FormatError> {
    match depth {
        Depth::Eight => write_as::<colortype::RGB8>(frame, encoding, |v| quantise(v, 255.0) as u8),
        Depth::Sixteen => write_as::<colortype::RGB16>(frame, encoding, |v| quantise(v, 65535.0) as u16),
    }
}

fn write_as<C: colortype::ColorType>(
    frame: &Frame,
    encoding: Option<&Encoding>,
    sample: impl Fn(f32) -> C::Inner,
) -> Result<Vec<u8>, FormatError>
where
    C::Inner: Copy + Default,
    [C::Inner]: tiff::encoder::TiffValue,
{
    let (pixels, channels) = (frame.picture.pixels.as_slice(), if frame.beside.alpha { 4 } else { 3 });
    let size = [frame.picture.width(), frame.picture.height()];
    // A strip at a time: samples of the whole picture would be written to memory only to be read again.
    let mut strip = Vec::new();
    put::<C>(size, &frame.beside, encoding, |image, from, count| {
        let part = &pixels[from / channels..(from + count) / channels];
        if frame.beside.premultiplied {
            let part: Vec<[f32; 4]> = part.iter().map(|p| frame.multiplied(*p)).collect();
            samples::put(&part, channels, &sample, &mut strip);
        } else {
            samples::put(part, channels, &sample, &mut strip);
        }
        image.write_strip(&strip)
    })
    .map_err(broken)
}

/// Writes samples as they are.
fn write_codes(codes: &Codes, beside: &Beside, encoding: Option<&Encoding>) -> Result<Vec<u8>, FormatError> {
    put::<colortype::RGB16>(
        codes.size(),
        &Beside { alpha: false, premultiplied: false, ..beside.clone() },
        encoding,
        |image, from, count| image.write_strip(&codes.samples()[from..from + count]),
    )
    .map_err(broken)
}

type Image<'a, 'b, C> = ImageEncoder<'a, &'b mut Cursor<Vec<u8>>, C, TiffKindStandard>;

/// A file whose strips `strip` writes, told the first sample of each and how many there are.
fn put<C: colortype::ColorType>(
    [width, height]: [usize; 2],
    beside: &Beside,
    encoding: Option<&Encoding>,
    mut strip: impl FnMut(&mut Image<'_, '_, C>, usize, usize) -> Result<(), TiffError>,
) -> Result<Vec<u8>, TiffError>
where
    [C::Inner]: tiff::encoder::TiffValue,
{
    // Its samples, and a little for what says what they are.
    let samples = width * height * if beside.alpha { 4 } else { 3 };
    let mut out = Cursor::new(Vec::with_capacity(samples * size_of::<C::Inner>() + 4096));
    let mut encoder = TiffEncoder::<_, TiffKindStandard>::new(&mut out)?;
    let mut image = encoder.new_image::<C>(width as u32, height as u32)?;
    if beside.alpha {
        image.extra_samples(&[if beside.premultiplied {
            ExtraSamples::AssociatedAlpha
        } else {
            ExtraSamples::UnassociatedAlpha
        }])?;
    }
    if beside.orientation != 1 {
        image.encoder().write_tag(Tag::Orientation, u16::from(beside.orientation))?;
    }
    if beside.aspect != 1.0 {
        let per_unit = |v: f32| Rational { n: (v * 10_000.0).round() as u32, d: 100 };
        image.x_resolution(per_unit(1.0));
        image.y_resolution(per_unit(beside.aspect));
    }
    if let Some(profile) = encoding.and_then(icc::profile) {
        image.encoder().write_tag(Tag::IccProfile, &profile[..])?;
    }
    let mut done = 0;
    while done < samples {
        let count = (image.next_strip_sample_count() as usize).min(samples - done);
        if count == 0 {
            break;
        }
        strip(&mut image, done, count)?;
        done += count;
    }
    image.finish()?;
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
                assert_eq!((a * most).round(), quantise(*b, most) as f32);
            }
            assert!(read(&bytes[..bytes.len() / 2]).is_err());
        }
    }

    #[test]
    fn what_lies_beside_the_pixels_comes_back() {
        let pixels = (0..60).map(|i| [i as f32 / 59.0, 0.25, 1.0, 1.0 - i as f32 / 59.0]).collect();
        let beside = Beside { alpha: true, aspect: 2.0, orientation: 6, ..Beside::default() };
        let frame = Frame { picture: Picture::new(10, 6, pixels).unwrap(), beside };
        let back = read_frame(&write_frame(&frame, Depth::Sixteen, None).unwrap()).unwrap();
        assert_eq!(back.beside, frame.beside);
        let worst = back.picture.pixels.iter().flatten().zip(frame.picture.pixels.iter().flatten());
        assert!(worst.fold(0.0_f32, |w, (a, b)| w.max((a - b).abs())) < 1e-5);
    }
}
