//! OpenEXR (ISO/IEC publicly available specification of the format's technical introduction): R, G and B, a luminance
//! alone, or the only layer that has R, G and B; half or float, any compression that the reader knows.

use crate::FormatError;
use crate::depth::SampleDepth;
use crate::frame::{Beside, Frame, Timecode, Windows, divide, sane_aspect};
use crate::registry::{Keeps, PictureFormat};
use exr::{
    meta::{
        MetaData,
        attribute::{Chromaticities, TimeCode},
        header::Header,
    },
    prelude::*,
};
use lantern_core::colour::Primaries;
use lantern_core::picture::{Picture, check_size};
use std::io::Cursor;
use std::sync::Arc;

/// The format in the list of [all](crate::registry).
pub(crate) const FORMAT: PictureFormat = PictureFormat {
    name: "OpenEXR",
    endings: &["exr"],
    begins: &[&[0x76, 0x2f, 0x31, 0x01]],
    read: read_frame,
    rows: None,
    facts: crate::facts::openexr,
    write: Some(|frame, encoding| write_frame(frame, encoding.map(|e| &e.primaries))),
    depths: &[SampleDepth::Half, SampleDepth::Float],
    write_at: Some(|frame, encoding, depth| {
        let primaries = encoding.map(|e| &e.primaries);
        if depth == SampleDepth::Half { half_frame(frame, primaries) } else { write_frame(frame, primaries) }
    }),
    codes: None,
    keeps: Keeps { windows: true, orientation: false, times: true },
};

const NAME: &str = "OpenEXR";

/// The pixels of a layer while they are read.
struct Target {
    width: usize,
    pixels: Vec<[f32; 4]>,
}

impl Target {
    fn put(&mut self, at: Vec2<usize>, pixel: [f32; 4]) {
        if let Some(p) = self.pixels.get_mut(at.y() * self.width + at.x()) {
            *p = pixel;
        }
    }
}

/// The channels that are read as R, G, B and alpha.
#[derive(Debug, PartialEq, Eq)]
struct Names {
    colours: [String; 3],
    alpha: String,
}

/// Chooses channels: R, G and B, else one luminance, else those of the only layer that has R, G and B in the one part
/// or another. Errors name what is there instead.
fn names(headers: &[Header]) -> std::result::Result<(usize, Names), FormatError> {
    let own = |h: &Header| -> Vec<String> { h.channels.list.iter().map(|c| c.name.to_string()).collect() };
    let all: Vec<Vec<String>> = headers.iter().map(own).collect();
    let has = |channels: &[String], prefix: &str, wanted: &[&str]| {
        wanted.iter().all(|w| channels.iter().any(|c| *c == format!("{prefix}{w}")))
    };
    let rgb = |prefix: &str| Names {
        colours: ["R", "G", "B"].map(|c| format!("{prefix}{c}")),
        alpha: format!("{prefix}A"),
    };
    if let Some(part) = all.iter().position(|c| has(c, "", &["R", "G", "B"])) {
        return Ok((part, rgb("")));
    }
    if let Some(part) = all.iter().position(|c| has(c, "", &["Y"])) {
        if has(&all[part], "", &["RY", "BY"]) {
            let what = "a picture in luminance and subsampled colour differences (Y, RY, BY)".into();
            return Err(FormatError::Unsupported { format: NAME, what, instead: "R, G and B" });
        }
        return Ok((part, Names { colours: ["Y"; 3].map(String::from), alpha: "A".into() }));
    }
    let mut layers = std::collections::BTreeSet::new();
    for (part, channels) in all.iter().enumerate() {
        let prefixes = channels.iter().filter_map(|c| c.strip_suffix('R')).filter(|p| p.ends_with('.'));
        layers.extend(prefixes.filter(|p| has(channels, p, &["R", "G", "B"])).map(|p| (p.to_owned(), part)));
    }
    let mut found = layers.iter();
    match (found.next(), found.next()) {
        (Some((prefix, part)), None) => Ok((*part, rgb(prefix))),
        (Some(_), Some(_)) => {
            let called: Vec<&str> = layers.iter().map(|(p, _)| p.trim_end_matches('.')).take(12).collect();
            let what = format!("a picture of several layers ({})", called.join(", "));
            Err(FormatError::Unsupported {
                format: NAME,
                what,
                instead: "the one that is meant, as R, G and B",
            })
        }
        _ => {
            let called: Vec<&str> = all.iter().flatten().map(String::as_str).take(12).collect();
            let what = format!("a picture of the channels {}", called.join(", "));
            Err(FormatError::Unsupported { format: NAME, what, instead: "R, G and B" })
        }
    }
}

/// Reads an OpenEXR picture; values are as they stand in the file.
pub fn read(bytes: &[u8]) -> std::result::Result<Picture, FormatError> {
    read_frame(bytes).map(|f| f.picture)
}

/// The same with what lies beside the pixels.
pub fn read_frame(bytes: &[u8]) -> std::result::Result<Frame, FormatError> {
    let broken = |e: Error| FormatError::broken(NAME, e);
    let meta = MetaData::read_from_buffered(Cursor::new(bytes), false).map_err(broken)?;
    for header in &meta.headers {
        check_size(header.layer_size.0, header.layer_size.1)?;
    }
    if meta.headers.iter().any(|h| h.deep) {
        let what = "deep data".into();
        return Err(FormatError::Unsupported { format: NAME, what, instead: "a flat picture" });
    }
    let (part, names) = names(&meta.headers)?;
    let header = &meta.headers[part];
    let subsampled = header.channels.list.iter().any(|c| {
        let ours = names.colours.iter().any(|n| c.name.eq(n.as_str()));
        ours && c.sampling != Vec2(1, 1)
    });
    if subsampled {
        let what = "a subsampled channel".into();
        return Err(FormatError::Unsupported { format: NAME, what, instead: "R, G and B" });
    }
    let has_alpha = header.channels.list.iter().any(|c| c.name.eq(names.alpha.as_str()));
    let place = |v: Vec2<i32>| [v.0, v.1];
    let shown = header.shared_attributes.display_window;
    let beside = Beside {
        alpha: has_alpha,
        premultiplied: has_alpha,
        aspect: sane_aspect(header.shared_attributes.pixel_aspect),
        orientation: 1,
        windows: Some(Windows {
            data: place(header.own_attributes.layer_position),
            shown: place(shown.position),
            size: [shown.size.0, shown.size.1],
        }),
        timecode: header.shared_attributes.time_code.map(|t| Timecode {
            hours: t.hours,
            minutes: t.minutes,
            seconds: t.seconds,
            frames: t.frame,
            drop_frame: t.drop_frame,
        }),
        rate: header.own_attributes.frames_per_second.map(|(n, d)| n as f32 / d.max(1) as f32),
        header: Some(described(header)),
    };
    let alpha = names.alpha.as_str();
    let new = |size: Vec2<usize>| Target {
        width: size.width(),
        // Filled row by row; the size was checked above.
        pixels: vec![[0.0, 0.0, 0.0, 1.0]; size.area()],
    };
    let layers = exr::prelude::read().no_deep_data().largest_resolution_level().specific_channels();
    // The reader takes every name once: a luminance is asked for alone.
    let target = match &names.colours {
        [y, other, _] if y == other => {
            layers
                .required(y.as_str())
                .optional(alpha, 1.0_f32)
                .collect_pixels(
                    |size: Vec2<usize>, _| new(size),
                    |target: &mut Target, at: Vec2<usize>, (y, a): (f32, f32)| target.put(at, [y, y, y, a]),
                )
                .first_valid_layer()
                .all_attributes()
                .from_buffered(Cursor::new(bytes))
                .map_err(broken)?
                .layer_data
                .channel_data
                .pixels
        }
        [r, g, b] => {
            layers
                .required(r.as_str())
                .required(g.as_str())
                .required(b.as_str())
                .optional(alpha, 1.0_f32)
                .collect_pixels(
                    |size: Vec2<usize>, _| new(size),
                    |target: &mut Target, at: Vec2<usize>, (r, g, b, a): (f32, f32, f32, f32)| {
                        target.put(at, [r, g, b, a]);
                    },
                )
                .first_valid_layer()
                .all_attributes()
                .from_buffered(Cursor::new(bytes))
                .map_err(broken)?
                .layer_data
                .channel_data
                .pixels
        }
    };
    let (width, height) = (target.width, target.pixels.len() / target.width.max(1));
    let mut target = target;
    // "Introduction to OpenEXR", RGBA: colours are premultiplied by alpha.
    if has_alpha {
        divide(&mut target.pixels);
    }
    let picture = Picture::new(width, height, target.pixels)?;
    let windows = beside.windows.and_then(|w| w.unless_plain([picture.width(), picture.height()]));
    Ok(Frame { picture, beside: Beside { windows, ..beside } })
}

/// Attributes that say what colours a file holds, which a grade changes: the flag of ST 2065-4, the identifier of the Color Interop
/// Forum, and what OpenImageIO writes.
const OF_COLOUR: [&str; 3] = ["acesImageContainerFlag", "colorInteropID", "oiio:ColorSpace"];

/// What the file says of its picture and is still true once that is graded.
fn described(header: &Header) -> crate::frame::Header {
    let mut own = header.own_attributes.clone();
    own.preview = None;
    own.white_luminance = None;
    own.adopted_neutral = None;
    own.rendering_transform_name = None;
    own.look_modification_transform_name = None;
    let mut shared = header.shared_attributes.clone();
    for name in OF_COLOUR {
        own.other.retain(|n, _| *n != *name);
        shared.other.retain(|n, _| *n != *name);
    }
    crate::frame::Header::OpenExr(Arc::new((shared, own)))
}

/// How floats are written. The last bits of a float are noise: deflating them took ten times as long as everything else
/// together and saved a twentieth. Run lengths cost nothing and make flat pictures small.
const FLOATS: Compression = Compression::RLE;

/// Writes an OpenEXR picture in f32. `primaries` go into its chromaticities attribute.
pub fn write(picture: &Picture, primaries: Option<&Primaries>) -> std::result::Result<Vec<u8>, FormatError> {
    write_frame(&with_alpha(picture), primaries)
}

/// A picture whose alpha counts.
fn with_alpha(picture: &Picture) -> Frame {
    let beside = Beside { alpha: true, premultiplied: true, ..Default::default() };
    Frame { picture: picture.clone(), beside }
}

/// The same with what lies beside the pixels. Alpha is left out where the picture has none.
pub fn write_frame(
    frame: &Frame,
    primaries: Option<&Primaries>,
) -> std::result::Result<Vec<u8>, FormatError> {
    let floats = |c: usize| FlatSamples::F32(channel(frame, c).collect());
    write_as(&frame.picture, &frame.beside, primaries, FLOATS, floats)
}

/// The same in half floats, deflated; values beyond them become infinite.
pub fn write_half(
    picture: &Picture,
    primaries: Option<&Primaries>,
) -> std::result::Result<Vec<u8>, FormatError> {
    half_frame(&with_alpha(picture), primaries)
}

fn half_frame(frame: &Frame, primaries: Option<&Primaries>) -> std::result::Result<Vec<u8>, FormatError> {
    let halves = |c: usize| FlatSamples::F16(channel(frame, c).map(f16::from_f32).collect());
    write_as(&frame.picture, &frame.beside, primaries, Compression::ZIP16, halves)
}

fn write_as(
    picture: &Picture,
    beside: &Beside,
    primaries: Option<&Primaries>,
    compression: Compression,
    samples: impl Fn(usize) -> FlatSamples,
) -> std::result::Result<Vec<u8>, FormatError> {
    let names = ["R", "G", "B", "A"].into_iter().take(if beside.alpha { 4 } else { 3 });
    let channels = names.enumerate().map(|(c, name)| AnyChannel::new(name, samples(c)));
    let encoding = Encoding { compression, ..Encoding::SMALL_LOSSLESS };
    let size = (picture.width(), picture.height());
    let channels = AnyChannels::sort(channels.collect());
    let (shared, own) = match &beside.header {
        Some(crate::frame::Header::OpenExr(both)) => (Some(both.0.clone()), both.1.clone()),
        _ => (None, LayerAttributes::named("rgba")),
    };
    let mut layer = Layer::new(size, own, encoding, channels);
    if let (None, Some(rate)) = (layer.attributes.frames_per_second, beside.rate) {
        layer.attributes.frames_per_second = Some(fraction(rate));
    }
    let window = beside.windows.unwrap_or(Windows { data: [0, 0], shown: [0, 0], size: [size.0, size.1] });
    layer.attributes.layer_position = Vec2(window.data[0], window.data[1]);
    let mut image = Image::from_layer(layer);
    if let Some(shared) = shared {
        image.attributes = shared;
    }
    image.attributes.time_code = image.attributes.time_code.or(beside.timecode.map(|t| TimeCode {
        hours: t.hours,
        minutes: t.minutes,
        seconds: t.seconds,
        frame: t.frames,
        drop_frame: t.drop_frame,
        ..TimeCode::default()
    }));
    let xy = |[x, y]: [f64; 2]| Vec2(x as f32, y as f32);
    image.attributes.chromaticities = primaries.map(|p| Chromaticities {
        red: xy(p.red),
        green: xy(p.green),
        blue: xy(p.blue),
        white: xy(p.white),
    });
    image.attributes.pixel_aspect = beside.aspect;
    image.attributes.display_window =
        IntegerBounds::new(Vec2(window.shown[0], window.shown[1]), Vec2(window.size[0], window.size[1]));
    let mut out = Cursor::new(Vec::new());
    image.write().to_buffered(&mut out).map_err(|e| FormatError::broken(NAME, e))?;
    Ok(out.into_inner())
}

/// A rate as the fraction that it stands for: by 1001 where it is one.
fn fraction(rate: f32) -> (i32, u32) {
    let by_1001 = (rate * 1.001).round();
    if (by_1001 / 1.001 - rate).abs() < 2e-3 && (rate.round() - rate).abs() > 1e-4 {
        return (by_1001 as i32 * 1000, 1001);
    }
    ((rate * 1000.0).round() as i32, 1000)
}

/// One channel as the file holds it, of all pixels in order.
fn channel(frame: &Frame, c: usize) -> impl Iterator<Item = f32> + '_ {
    frame.picture.pixels.iter().map(move |p| frame.multiplied(*p)[c])
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
