//! What a picture file says of itself: size, depth, and how it is encoded, with the reason.
//!
//! A guess is a guess: it names the tag that it was taken from, and where a file says nothing there is none.

use crate::{FormatError, dpx, exif, icc_facts, jpeg};
use exr::meta::MetaData;
use lantern_core::colour::{
    primaries::Chromaticities,
    primaries::{AP0, AP1, BT709, BT2020, P3_D65},
};
use lantern_core::picture::check_size;
use std::io::Cursor;

/// What is known of a picture file before it is decoded.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Facts {
    /// The format's name.
    pub format: &'static str,
    /// Pixels in a row.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// Samples, for people: `16 bit`, `half`, `float`.
    pub depth: String,
    /// How it is encoded, as far as it says.
    pub guess: Guess,
}

/// An encoding taken from a file's tags.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Guess {
    /// The encoding's id; `None` where the file says nothing that is known.
    pub encoding: Option<&'static str>,
    /// Which tag says so, or what is missing, in a sentence.
    pub reason: String,
    /// What nearly all files are that say as little as this one (common practice), by its id: to be confirmed by somebody.
    pub proposed: Option<&'static str>,
}

impl Guess {
    pub(crate) fn new(encoding: Option<&'static str>, reason: impl Into<String>) -> Self {
        Self { encoding, reason: reason.into(), proposed: None }
    }

    /// Of a file that says nothing, where nearly all such files are in sRGB (common practice).
    fn usually_srgb(says: &str) -> Self {
        let reason = format!("{says}: encoding not stated. Nearly all such files are sRGB (common practice)");
        Self { encoding: None, reason, proposed: Some("srgb") }
    }
}

/// Reads what a file says of itself. Pixels are not decoded.
pub fn read(bytes: &[u8]) -> Result<Facts, FormatError> {
    (crate::registry::of_bytes(bytes)?.facts)(bytes)
}

/// Primaries and transfer of ITU-T H.273, tables 2 and 3, as one of our encodings.
pub(crate) fn code_points(primaries: u8, transfer: u8) -> Option<&'static str> {
    Some(match (primaries, transfer) {
        (1, 13) => "srgb",
        (1, 1 | 6 | 14 | 15) => "rec709",
        (1, 8) => "linear-rec709",
        (12, 13) => "display-p3",
        (12, 8) => "linear-p3-d65",
        (9, 1 | 6 | 14 | 15) => "rec2020",
        (9, 8) => "linear-rec2020",
        (9, 16) => "pq",
        (9, 18) => "hlg",
        _ => return None,
    })
}

pub(crate) fn png(bytes: &[u8]) -> Result<Facts, FormatError> {
    let broken = |e| FormatError::broken("PNG", e);
    let reader = png::Decoder::new(Cursor::new(bytes)).read_info().map_err(broken)?;
    let info = reader.info();
    let (width, height) = (info.width as usize, info.height as usize);
    check_size(width, height)?;
    // In the order of the specification's third edition: cICP over iCCP over sRGB over gAMA and cHRM.
    let guess = if let Some(c) = info.coding_independent_code_points {
        let found = code_points(c.color_primaries, c.transfer_function);
        let said = format!("cICP: primaries {}, transfer {}", c.color_primaries, c.transfer_function);
        Guess::new(
            found,
            if found.is_some() { said } else { format!("{said}, which is none of the known encodings") },
        )
    } else if let Some(profile) = &info.icc_profile {
        icc_facts::guess(profile)
    } else if info.srgb.is_some() {
        Guess::new(Some("srgb"), "sRGB chunk")
    } else if let Some(gamma) = info.gama_chunk {
        // 45455 is 1/2.2, the value that the specification gives for sRGB.
        match gamma.into_scaled() {
            45_455 => Guess::new(Some("srgb"), "gAMA 0.45455, as written beside sRGB"),
            100_000 => Guess::new(Some("linear-rec709"), "gAMA 1: linear light"),
            other => Guess::new(
                None,
                format!("gAMA {}, which is none of the known encodings", f64::from(other) / 1e5),
            ),
        }
    } else {
        Guess::usually_srgb("PNG without cICP, iCCP, sRGB or gAMA")
    };
    let depth = format!("{} bit", info.bit_depth as u8);
    Ok(Facts { format: "PNG", width, height, depth, guess })
}

pub(crate) fn tiff(bytes: &[u8]) -> Result<Facts, FormatError> {
    let broken = |e: tiff::TiffError| FormatError::broken("TIFF", e);
    let mut decoder = tiff::decoder::Decoder::new(Cursor::new(bytes)).map_err(broken)?;
    let (width, height) = decoder.dimensions().map_err(broken)?;
    check_size(width as usize, height as usize)?;
    let bits = decoder.find_tag_unsigned_vec::<u16>(tiff::tags::Tag::BitsPerSample).map_err(broken)?;
    let forms = decoder.find_tag_unsigned_vec::<u16>(tiff::tags::Tag::SampleFormat).map_err(broken)?;
    let bits = bits.and_then(|b| b.first().copied()).unwrap_or(8);
    let depth = match (forms.and_then(|f| f.first().copied()), bits) {
        (Some(3), 16) => "half".into(),
        (Some(3), 32) => "float".into(),
        _ => format!("{bits} bit"),
    };
    let profile = decoder.get_tag_u8_vec(tiff::tags::Tag::IccProfile).ok();
    let guess = profile.map_or_else(
        || Guess::new(None, "TIFF without an ICC profile: encoding not stated"),
        |p| icc_facts::guess(&p),
    );
    Ok(Facts { format: "TIFF", width: width as usize, height: height as usize, depth, guess })
}

pub(crate) fn jpeg(bytes: &[u8]) -> Result<Facts, FormatError> {
    let tags = jpeg::tags(bytes)?;
    let guess = if let Some(profile) = &tags.icc {
        icc_facts::guess(profile)
    } else if tags.exif.as_deref().is_some_and(exif::says_srgb) {
        Guess::new(Some("srgb"), "EXIF colour space 1: sRGB")
    } else {
        Guess::usually_srgb("JPEG without an ICC profile or EXIF colour space")
    };
    let (width, height) = tags.size;
    Ok(Facts { format: "JPEG", width, height, depth: "8 bit".into(), guess })
}

pub(crate) fn dpx(bytes: &[u8]) -> Result<Facts, FormatError> {
    let h = dpx::header(bytes)?;
    // ST 268-1, table 4.
    let guess = match h.transfer {
        1 => Guess::new(Some("cineon"), "DPX transfer 1: printing density"),
        3 => Guess::new(
            Some("cineon"),
            "DPX transfer 3: logarithmic; printing-density log unless a camera's own",
        ),
        2 => Guess::new(Some("linear-rec709"), "DPX transfer 2: linear"),
        5 | 6 => Guess::new(Some("rec709"), format!("DPX transfer {}: video by BT.709", h.transfer)),
        0 | 255 => Guess::new(None, "The header names no curve: choose the camera"),
        other => Guess::new(None, format!("DPX transfer {other}, which is none of the known encodings")),
    };
    Ok(Facts { format: "DPX", width: h.width, height: h.height, depth: format!("{} bit", h.bits), guess })
}

/// How far a chromaticity may lie from the published one: writers round to three or four places.
const ROUNDED: f64 = 0.0015;

pub(crate) fn openexr(bytes: &[u8]) -> Result<Facts, FormatError> {
    let broken = |e: exr::error::Error| FormatError::broken("OpenEXR", e);
    let meta = MetaData::read_from_buffered(Cursor::new(bytes), false).map_err(broken)?;
    let header = meta.headers.first().ok_or_else(|| FormatError::broken("OpenEXR", "it has no layer"))?;
    let (width, height) = (header.layer_size.0, header.layer_size.1);
    check_size(width, height)?;
    let half = header.channels.list.iter().any(|c| c.sample_type == exr::meta::attribute::SampleType::F16);
    let guess = match header.shared_attributes.chromaticities {
        None => Guess::new(
            Some("linear-rec709"),
            "OpenEXR without chromaticities: BT.709 primaries by its specification, often left out by mistake",
        ),
        Some(c) => {
            let xy = |v: exr::math::Vec2<f32>| [f64::from(v.0), f64::from(v.1)];
            let said =
                Chromaticities { red: xy(c.red), green: xy(c.green), blue: xy(c.blue), white: xy(c.white) };
            known_primaries(&said).map_or_else(
                || Guess::new(None, format!("OpenEXR chromaticities red {:.3} {:.3}, green {:.3} {:.3}, blue {:.3} {:.3}: none of the known encodings", c.red.0, c.red.1, c.green.0, c.green.1, c.blue.0, c.blue.1)),
                |(id, name)| Guess::new(Some(id), format!("OpenEXR chromaticities: {name}")),
            )
        }
    };
    let depth = if half { "half" } else { "float" }.into();
    Ok(Facts { format: "OpenEXR", width, height, depth, guess })
}

/// The linear encoding whose primaries these are.
fn known_primaries(said: &Chromaticities) -> Option<(&'static str, &'static str)> {
    let known = [
        ("acescg", "AP1", AP1),
        ("aces2065-1", "AP0", AP0),
        ("linear-rec709", "BT.709", BT709),
        ("linear-p3-d65", "P3 with D65 white", P3_D65),
        ("linear-rec2020", "BT.2020", BT2020),
    ];
    let near = |a: [f64; 2], b: [f64; 2]| (a[0] - b[0]).abs() < ROUNDED && (a[1] - b[1]).abs() < ROUNDED;
    known.into_iter().find_map(|(id, name, p)| {
        let same = near(p.red, said.red)
            && near(p.green, said.green)
            && near(p.blue, said.blue)
            && near(p.white, said.white);
        same.then_some((id, name))
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::picture::Picture;

    fn small() -> Picture {
        Picture::new(4, 2, vec![[0.5; 4]; 8]).unwrap()
    }

    /// A PNG with chunks put in behind its header.
    fn png_with(kind: &[u8; 4], data: &[u8]) -> Vec<u8> {
        let mut bytes = crate::png::write(&small(), crate::Depth::Sixteen).unwrap();
        let mut chunk = (data.len() as u32).to_be_bytes().to_vec();
        chunk.extend_from_slice(kind);
        chunk.extend_from_slice(data);
        let sum = crate::png::crc(&chunk[4..]);
        chunk.extend_from_slice(&sum.to_be_bytes());
        bytes.splice(33..33, chunk);
        bytes
    }

    #[test]
    fn each_tag_of_a_png_is_a_guess_with_its_reason_and_none_is_none() {
        let plain = crate::png::write(&small(), crate::Depth::Sixteen).unwrap();
        let facts = read(&plain).unwrap();
        assert_eq!((facts.width, facts.height, facts.depth.as_str()), (4, 2, "16 bit"));
        assert_eq!(facts.guess.encoding, None);
        // Code points of ITU-T H.273, tables 2 and 3.
        for (chunk, data, want) in [
            (b"cICP", &[9, 16, 0, 1][..], Some("pq")),
            (b"cICP", &[9, 18, 0, 1], Some("hlg")),
            (b"cICP", &[12, 13, 0, 1], Some("display-p3")),
            (b"cICP", &[22, 13, 0, 1], None),
            (b"sRGB", &[0], Some("srgb")),
            (b"gAMA", &45_455_u32.to_be_bytes(), Some("srgb")),
            (b"gAMA", &38_462_u32.to_be_bytes(), None),
        ] {
            let guess = read(&png_with(chunk, data)).unwrap().guess;
            assert_eq!(guess.encoding, want, "{guess:?}");
            assert!(guess.reason.contains(std::str::from_utf8(chunk).unwrap()), "{guess:?}");
        }
    }

    #[test]
    fn an_openexr_is_known_by_its_chromaticities() {
        let plain = crate::exr::write(&small(), None).unwrap();
        assert_eq!(read(&plain).unwrap().guess.encoding, Some("linear-rec709"));
        for (primaries, want) in [(AP1, "acescg"), (AP0, "aces2065-1"), (BT2020, "linear-rec2020")] {
            let facts = read(&crate::exr::write(&small(), Some(&primaries)).unwrap()).unwrap();
            assert_eq!((facts.guess.encoding, facts.depth.as_str()), (Some(want), "float"));
        }
    }

    #[test]
    fn a_dpx_says_its_transfer() {
        for (transfer, want) in [(1, Some("cineon")), (3, Some("cineon")), (6, Some("rec709")), (0, None)] {
            assert_eq!(read(&dpx::write(&small(), transfer)).unwrap().guess.encoding, want);
        }
    }
}
