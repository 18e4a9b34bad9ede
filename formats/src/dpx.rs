//! DPX (SMPTE ST 268-1): one element of luma, RGB, RGBA or ABGR at 8, 10, 12 or 16 bit, both byte orders, packed
//! or filled, not run-length encoded.
//!
//! Samples come out as code values 0..1 over the element's whole range; what they mean is for the encoding to say,
//! for which [`Header::transfer`] holds the file's own word.

use crate::FormatError;
use crate::depth::SampleDepth;
use crate::frame::{self, Beside, Frame, Timecode, Windows, sane_aspect};
use crate::registry::{CodesFormat, Keeps, PictureFormat};
use crate::samples::quantise;
use lantern_core::colour::{Encoding, transfer::Transfer};
use lantern_core::picture::{Codes, Picture, check_size};
use std::sync::Arc;

/// The format in the list of [all](crate::registry).
pub(crate) const FORMAT: PictureFormat = PictureFormat {
    name: "DPX",
    endings: &["dpx"],
    begins: &[b"SDPX", b"XPDS"],
    read: read_frame,
    rows: None,
    facts: crate::facts::dpx,
    write: Some(|frame, encoding| Ok(write_frame(frame, encoding.map_or([0, 0], words)))),
    depths: &[SampleDepth::Eight, SampleDepth::Ten, SampleDepth::Twelve, SampleDepth::Sixteen],
    write_at: Some(|frame, encoding, depth| {
        let words = encoding.map_or([0, 0], words);
        Ok(match depth {
            SampleDepth::Ten => write_frame(frame, words),
            depth => write_deep(frame, words, depth),
        })
    }),
    codes: Some(CodesFormat { read: read_codes, most: TEN, write: write_codes }),
    keeps: Keeps { windows: true, orientation: false, times: true },
};

/// The words for an encoding's transfer and colorimetry (ST 268-1, tables 5A and 5B).
fn words(encoding: &Encoding) -> [u8; 2] {
    match encoding.transfer {
        Transfer::Cineon => [1, 1],
        Transfer::Linear => [2, 0],
        Transfer::Log(_) | Transfer::AcesCc | Transfer::AcesCct => [3, 0],
        _ if encoding.id == "rec709" => [6, 6],
        _ => [0, 0],
    }
}

const NAME: &str = "DPX";
/// The most of a sample of 10 bits, which is what is written.
const TEN: u16 = 1023;
/// Where the generic image header begins, and the shortest file that has it whole.
const IMAGE: usize = 768;
const LEAST: usize = 1024;
/// The header's length as written here: generic, industry and no user data.
const WRITTEN: usize = 2048;

/// What the header says of the picture.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Header {
    /// Whether words are big-endian.
    pub big: bool,
    /// Pixels in a line.
    pub width: usize,
    /// Lines.
    pub height: usize,
    /// Bits of a sample.
    pub bits: u8,
    /// Transfer characteristic, ST 268-1 table 4: 1 printing density, 2 linear, 3 logarithmic, 6 BT.709.
    pub transfer: u8,
    /// Colorimetric specification, same table.
    pub colorimetric: u8,
    descriptor: u8,
    packing: u16,
    orientation: u16,
    offset: usize,
    line_padding: usize,
    /// Width of a pixel over its height, ST 268-1 fields 30.
    aspect: f32,
    /// Place of the first pixel in the picture that it was cut from, and that one's size: fields 23 to 26.
    cut: [u32; 4],
    /// Fields 69 and 60 or 74: when the frame was taken, and frames a second.
    timecode: Option<Timecode>,
    rate: Option<f32>,
}

/// Where the orientation header has its offsets and sizes, and its pixel aspect ratio (ST 268-1, table 6).
const CUT: usize = 1408;
const WHOLE: usize = 1424;
const ASPECT: usize = 1628;
/// Timecode and frame rate of the television header, and frame rate of the film header (ST 268-1, tables 7 and 8).
const TIMECODE: usize = 1920;
const TV_RATE: usize = 1940;
const FILM_RATE: usize = 1724;
/// Texts of the header, place and length: file name, date, creator, project, rights; descriptions of the eight elements; source
/// file, date, device, serial number; film identification, format, frame, slate. What nobody filled in is an empty text.
const TEXTS: [(usize, usize); 20] = [
    (36, 100),
    (136, 24),
    (160, 100),
    (260, 200),
    (460, 200),
    (820, 32),
    (892, 32),
    (964, 32),
    (1036, 32),
    (1108, 32),
    (1180, 32),
    (1252, 32),
    (1324, 32),
    (1432, 100),
    (1532, 24),
    (1556, 32),
    (1588, 32),
    (1664, 48),
    (1732, 32),
    (1764, 100),
];
/// Numbers that describe the frame and stay true once it is graded: position, length, held frames, rate and shutter angle of the
/// film; timecode, user bits and rate of the television header. Of four bytes each.
const NUMBERS: [usize; 8] = [1712, 1716, 1720, FILM_RATE, 1728, TIMECODE, 1924, TV_RATE];

fn u16_at(bytes: &[u8], at: usize, big: bool) -> u16 {
    let b = [bytes[at], bytes[at + 1]];
    if big { u16::from_be_bytes(b) } else { u16::from_le_bytes(b) }
}

fn u32_at(bytes: &[u8], at: usize, big: bool) -> u32 {
    let b = [bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]];
    if big { u32::from_be_bytes(b) } else { u32::from_le_bytes(b) }
}

fn unsupported<T>(what: String, instead: &'static str) -> Result<T, FormatError> {
    Err(FormatError::Unsupported { format: NAME, what, instead })
}

fn number(bytes: &[u8], at: usize, big: bool) -> Option<u32> {
    let found = u32_at(bytes.get(at..at + 4)?, 0, big);
    (found != u32::MAX).then_some(found)
}

/// The timecode: a decimal digit in each four bits, hours first. One that no clock shows is none.
fn timecode(bytes: &[u8], big: bool) -> Option<Timecode> {
    let word = number(bytes, TIMECODE, big)?;
    let two = |shift: u32| {
        let [tens, ones] = [word >> (shift + 4) & 15, word >> shift & 15];
        (tens < 10 && ones < 10).then_some((tens * 10 + ones) as u8)
    };
    let code =
        Timecode { hours: two(24)?, minutes: two(16)?, seconds: two(8)?, frames: two(0)?, drop_frame: false };
    (code.hours < 24 && code.minutes < 60 && code.seconds < 60).then_some(code)
}

fn timecode_word(code: &Timecode) -> u32 {
    let two = |v: u8| u32::from(v / 10 % 10) << 4 | u32::from(v % 10);
    two(code.hours) << 24 | two(code.minutes) << 16 | two(code.seconds) << 8 | two(code.frames)
}

fn rate(bytes: &[u8], big: bool) -> Option<f32> {
    let rates = [TV_RATE, FILM_RATE].into_iter().filter_map(|at| number(bytes, at, big));
    rates.map(f32::from_bits).find(|r| (1.0..=1000.0).contains(r))
}

/// What the header says of the picture, for another file's header.
fn described(bytes: &[u8], big: bool) -> Option<frame::Header> {
    let texts = TEXTS.into_iter().filter_map(|(at, length)| {
        let text = bytes.get(at..at + length)?;
        let filled = text.first().is_some_and(|b| *b != 0 && *b != 0xff);
        filled.then(|| (at, text.to_vec()))
    });
    let numbers =
        NUMBERS.into_iter().filter_map(|at| Some((at, number(bytes, at, big)?.to_be_bytes().to_vec())));
    let fields: Vec<_> = texts.chain(numbers).collect();
    (!fields.is_empty()).then(|| frame::Header::Dpx(Arc::new(fields)))
}

/// Reads the header and checks that its picture is one that is read here.
pub fn header(bytes: &[u8]) -> Result<Header, FormatError> {
    let big = match bytes.get(..4) {
        Some(b"SDPX") => true,
        Some(b"XPDS") => false,
        _ => return Err(FormatError::broken(NAME, "it does not begin with SDPX or XPDS")),
    };
    if bytes.len() < LEAST {
        return Err(FormatError::broken(NAME, "it ends inside its header"));
    }
    let element = IMAGE + 12;
    // A field that was never filled in is all ones.
    let filled = |v: u32| if v == u32::MAX { 0 } else { v as usize };
    let own = filled(u32_at(bytes, element + 28, big));
    let offset = if own > 0 { own } else { u32_at(bytes, 4, big) as usize };
    // Behind the header lies the picture.
    let head = &bytes[..offset.min(bytes.len())];
    let h = Header {
        big,
        width: u32_at(bytes, IMAGE + 4, big) as usize,
        height: u32_at(bytes, IMAGE + 8, big) as usize,
        bits: bytes[element + 23],
        transfer: bytes[element + 21],
        colorimetric: bytes[element + 22],
        descriptor: bytes[element + 20],
        packing: u16_at(bytes, element + 24, big),
        orientation: u16_at(bytes, IMAGE, big),
        offset,
        line_padding: filled(u32_at(bytes, element + 32, big)),
        aspect: {
            let part = |at: usize| bytes.get(at..at + 4).map_or(0, |b| filled(u32_at(b, 0, big)));
            let (x, y) = (part(ASPECT), part(ASPECT + 4));
            if x == 0 || y == 0 { 1.0 } else { sane_aspect(x as f32 / y as f32) }
        },
        timecode: timecode(head, big),
        rate: rate(head, big),
        cut: [CUT, CUT + 4, WHOLE, WHOLE + 4]
            .map(|at| bytes.get(at..at + 4).map_or(0, |b| filled(u32_at(b, 0, big)) as u32)),
    };
    check_size(h.width, h.height)?;
    let elements = u16_at(bytes, IMAGE + 2, big);
    if elements != 1 {
        return unsupported(format!("a picture in {elements} elements"), "one element with R, G and B");
    }
    if u16_at(bytes, element + 26, big) == 1 {
        return unsupported("run-length encoding".into(), "an uncompressed DPX");
    }
    if h.channels().is_none() {
        return unsupported(format!("element descriptor {}", h.descriptor), "RGB or RGBA");
    }
    if !matches!((h.bits, h.packing), (8 | 16, _) | (10 | 12, 0..=2)) {
        return unsupported(format!("{} bit with packing {}", h.bits, h.packing), "8, 10, 12 or 16 bit");
    }
    if h.orientation > 3 {
        return unsupported(format!("orientation {}", h.orientation), "rows from left to right");
    }
    if h.offset < LEAST || h.line_padding > 1 << 16 {
        return Err(FormatError::broken(NAME, "its header points into itself"));
    }
    Ok(h)
}

impl Header {
    /// Samples of a pixel (ST 268-1, table 1).
    fn channels(&self) -> Option<usize> {
        match self.descriptor {
            6 => Some(1),
            50 => Some(3),
            51 | 52 => Some(4),
            _ => None,
        }
    }

    /// Bytes of a line: whole 32-bit words for everything that is packed into words.
    fn line(&self, samples: usize) -> usize {
        let words = |bits: usize| bits.div_ceil(32) * 4;
        let plain = match (self.bits, self.packing) {
            (10, 1 | 2) => samples.div_ceil(3) * 4,
            (12, 1 | 2) => words(samples * 16),
            (bits, _) => words(samples * usize::from(bits)),
        };
        plain + self.line_padding
    }

    /// A sample of a line, as an integer of [`Header::bits`] bits.
    fn sample(&self, line: &[u8], i: usize) -> u32 {
        match (self.bits, self.packing) {
            (8, _) => u32::from(line[i]),
            (16, _) => u32::from(u16_at(line, 2 * i, self.big)),
            // Three samples fill a word from its high end, padding below (A) or above (B) them.
            (10, filled @ (1 | 2)) => {
                let low = if filled == 1 { 2 } else { 0 };
                u32_at(line, i / 3 * 4, self.big) >> (low + 10 * (2 - i % 3)) & 0x3ff
            }
            (12, filled @ (1 | 2)) => {
                let word = u32::from(u16_at(line, 2 * i, self.big));
                if filled == 1 { word >> 4 } else { word & 0xfff }
            }
            // Packed: samples fill words from the low end and run on into the next.
            (bits, _) => {
                let bits = usize::from(bits);
                let (word, shift) = (i * bits / 32, i * bits % 32);
                let low = u64::from(u32_at(line, word * 4, self.big));
                let next = line.get(word * 4 + 4..word * 4 + 8).map_or(0, |b| u32_at(b, 0, self.big));
                ((low | u64::from(next) << 32) >> shift) as u32 & ((1 << bits) - 1)
            }
        }
    }
}

/// Reads a DPX as code values 0..1.
pub fn read(bytes: &[u8]) -> Result<Picture, FormatError> {
    read_frame(bytes).map(|f| f.picture)
}

/// The same with what lies beside the pixels. Lines that run from the bottom or the right are turned.
pub fn read_frame(bytes: &[u8]) -> Result<Frame, FormatError> {
    if let Some((codes, beside)) = read_codes(bytes)? {
        return Ok(Frame { picture: codes.picture(), beside });
    }
    let h = header(bytes)?;
    let channels = h.channels().unwrap_or(3);
    let most = h.most() as f32;
    let right_to_left = h.orientation & 1 == 1;
    let mut pixels = Vec::with_capacity(h.width * h.height);
    for row in h.lines(bytes)? {
        for x in 0..h.width {
            let x = if right_to_left { h.width - 1 - x } else { x };
            let at = |c: usize| h.sample(row, x * channels + c) as f32 / most;
            pixels.push(match h.descriptor {
                6 => [at(0), at(0), at(0), 1.0],
                50 => [at(0), at(1), at(2), 1.0],
                51 => [at(0), at(1), at(2), at(3)],
                _ => [at(3), at(2), at(1), at(0)],
            });
        }
    }
    Ok(Frame { picture: Picture::new(h.width, h.height, pixels)?, beside: h.described(bytes) })
}

/// Reads a DPX of red, green and blue whose samples lie one in each 16 bits, or three in each word of 32; `None` for another.
fn read_codes(bytes: &[u8]) -> Result<Option<(Codes, Beside)>, FormatError> {
    let h = header(bytes)?;
    if h.descriptor != 50 || h.orientation & 1 == 1 || !matches!((h.bits, h.packing), (16, _) | (10, 1 | 2)) {
        return Ok(None);
    }
    let lines = h.lines(bytes)?;
    let mut samples = vec![0; 3 * h.width * h.height];
    let low = if h.packing == 1 { 2 } else { 0 };
    for (line, out) in lines.zip(samples.chunks_exact_mut(3 * h.width)) {
        if h.bits == 16 {
            for (out, v) in out.iter_mut().zip(line.as_chunks::<2>().0) {
                *out = if h.big { u16::from_be_bytes(*v) } else { u16::from_le_bytes(*v) };
            }
        } else {
            for (out, v) in out.as_chunks_mut::<3>().0.iter_mut().zip(line.as_chunks::<4>().0) {
                let word = if h.big { u32::from_be_bytes(*v) } else { u32::from_le_bytes(*v) } >> low;
                *out = [word >> 20, word >> 10, word].map(|v| (v & 0x3ff) as u16);
            }
        }
    }
    Ok(Some((Codes::new(h.width, h.height, h.most() as u16, samples)?, h.described(bytes))))
}

impl Header {
    /// What lies beside the pixels, with what the header says of the picture.
    fn described(&self, bytes: &[u8]) -> Beside {
        let head = &bytes[..self.offset.min(bytes.len())];
        Beside { header: described(head, self.big), ..self.beside() }
    }

    /// The most of a sample.
    fn most(&self) -> u32 {
        (1 << self.bits) - 1
    }

    /// The lines of a file from the top, each with all samples of its pixels.
    fn lines<'a>(&self, bytes: &'a [u8]) -> Result<impl Iterator<Item = &'a [u8]> + use<'a>, FormatError> {
        let line = self.line(self.width * self.channels().unwrap_or(3));
        // The last line may come without its padding.
        let needed = self.offset + line * self.height - self.line_padding;
        if bytes.len() < needed {
            let why = format!("it ends after {} bytes; its header promises {needed}", bytes.len());
            return Err(FormatError::broken(NAME, why));
        }
        let (offset, height, bottom_up) = (self.offset, self.height, self.orientation & 2 == 2);
        Ok((0..height).map(move |y| {
            let from = offset + line * if bottom_up { height - 1 - y } else { y };
            &bytes[from..bytes.len().min(from + line)]
        }))
    }

    /// What lies beside the pixels.
    fn beside(&self) -> Beside {
        let [x, y, w, h] = self.cut;
        let place = |v: u32| i32::try_from(v).unwrap_or(0);
        let own = [self.width, self.height];
        let windows = Windows {
            data: [place(x), place(y)],
            shown: [0, 0],
            size: if w == 0 || h == 0 { own } else { [w as usize, h as usize] },
        };
        Beside {
            alpha: self.channels() == Some(4),
            premultiplied: false,
            aspect: self.aspect,
            orientation: 1,
            windows: windows.unless_plain(own),
            timecode: self.timecode,
            rate: self.rate,
            header: None,
        }
    }
}

/// Writes code values 0..1 as a big-endian 10-bit RGB DPX, filled by method A; values beyond are held at the ends.
/// `transfer` is the characteristic of ST 268-1 table 4 that the header names.
pub fn write(picture: &Picture, transfer: u8) -> Vec<u8> {
    write_as(picture, &Beside::default(), [transfer, transfer])
}

/// The same with what lies beside the pixels. `words` are the transfer characteristic and the colorimetric specification.
pub fn write_frame(frame: &Frame, words: [u8; 2]) -> Vec<u8> {
    write_as(&frame.picture, &frame.beside, words)
}

fn write_as(picture: &Picture, beside: &Beside, words: [u8; 2]) -> Vec<u8> {
    if !beside.alpha {
        return write_rgb(&Codes::of(picture, TEN), beside, words);
    }
    let (w, h) = (picture.width(), picture.height());
    let line = (w * 4).div_ceil(3) * 4;
    let mut out = begun([w, h], line, beside, words);
    for row in picture.pixels.chunks_exact(w) {
        let mut samples = row.iter().flatten().map(|v| quantise(*v, 1023.0));
        for _ in 0..line / 4 {
            out.extend(word([(); 3].map(|()| samples.next().unwrap_or(0))));
        }
    }
    out
}

/// Writes samples of 8, 12 or 16 bits: 8 four to a word, 12 each in the upper bits of 16 (method A), 16 as they are.
fn write_deep(frame: &Frame, words: [u8; 2], depth: SampleDepth) -> Vec<u8> {
    let (picture, beside) = (&frame.picture, &frame.beside);
    let (bits, most) = match depth {
        SampleDepth::Eight => (8_u8, 255.0),
        SampleDepth::Twelve => (12, 4095.0),
        _ => (16, 65_535.0),
    };
    let (w, channels) = (picture.width(), if beside.alpha { 4 } else { 3 });
    let bytes = if bits == 8 { 1 } else { 2 };
    let line = (w * channels * bytes).div_ceil(4) * 4;
    let mut out = begun([w, picture.height()], line, beside, words);
    out[IMAGE + 12 + 23] = bits;
    out[IMAGE + 12 + 25] = u8::from(bits == 12);
    for row in picture.pixels.chunks_exact(w) {
        let begins = out.len();
        for v in row.iter().flat_map(|p| &p[..channels]) {
            let code = quantise(*v, most);
            match bits {
                8 => out.push(code as u8),
                12 => out.extend(((code << 4) as u16).to_be_bytes()),
                _ => out.extend((code as u16).to_be_bytes()),
            }
        }
        out.resize(begins + line, 0);
    }
    out
}

/// Writes samples of 10 bits as they are.
fn write_codes(codes: &Codes, beside: &Beside, encoding: Option<&Encoding>) -> Result<Vec<u8>, FormatError> {
    Ok(write_rgb(codes, &Beside { alpha: false, ..beside.clone() }, encoding.map_or([0, 0], words)))
}

fn write_rgb(codes: &Codes, beside: &Beside, words: [u8; 2]) -> Vec<u8> {
    let [w, h] = codes.size();
    let mut out = begun([w, h], 4 * w, beside, words);
    out.resize(WRITTEN + 4 * w * h, 0);
    let pixels = codes.samples().as_chunks::<3>().0;
    for (out, p) in out[WRITTEN..].as_chunks_mut::<4>().0.iter_mut().zip(pixels) {
        *out = word(p.map(u32::from));
    }
    out
}

/// Three samples of 10 bits as a big-endian word, by method A.
fn word([a, b, c]: [u32; 3]) -> [u8; 4] {
    (a << 22 | b << 12 | c << 2).to_be_bytes()
}

/// A file up to its pixels, of which each line takes `line` bytes.
fn begun([w, h]: [usize; 2], line: usize, beside: &Beside, [transfer, colorimetric]: [u8; 2]) -> Vec<u8> {
    let mut out = Vec::with_capacity(WRITTEN + line * h);
    out.resize(WRITTEN, 0xff);
    let mut put = |at: usize, bytes: &[u8]| out[at..at + bytes.len()].copy_from_slice(bytes);
    put(0, b"SDPX");
    put(4, &(WRITTEN as u32).to_be_bytes());
    put(8, b"V2.0\0\0\0\0");
    put(16, &((WRITTEN + line * h) as u32).to_be_bytes());
    put(24, &1664_u32.to_be_bytes());
    put(28, &384_u32.to_be_bytes());
    put(32, &0_u32.to_be_bytes());
    for (at, length) in TEXTS {
        put(at, &vec![0; length]);
    }
    if let Some(code) = &beside.timecode {
        put(TIMECODE, &timecode_word(code).to_be_bytes());
    }
    if let Some(rate) = beside.rate {
        put(TV_RATE, &rate.to_bits().to_be_bytes());
    }
    if let Some(frame::Header::Dpx(fields)) = &beside.header {
        // The file has another name now.
        fields.iter().filter(|(at, _)| *at != 36).for_each(|(at, bytes)| put(*at, bytes));
    }
    put(IMAGE, &[0, 0, 0, 1]);
    put(IMAGE + 4, &(w as u32).to_be_bytes());
    put(IMAGE + 8, &(h as u32).to_be_bytes());
    let element = IMAGE + 12;
    put(element, &0_u32.to_be_bytes());
    put(element + 20, &[if beside.alpha { 51 } else { 50 }, transfer, colorimetric, 10, 0, 1, 0, 0]);
    put(element + 28, &(WRITTEN as u32).to_be_bytes());
    put(element + 32, &[0; 8]);
    if let Some(window) = &beside.windows {
        for c in 0..2 {
            // Only places inside of what is shown can be said.
            let from = window.data[c].saturating_sub(window.shown[c]).max(0) as u32;
            put(CUT + 4 * c, &from.to_be_bytes());
            put(WHOLE + 4 * c, &(window.size[c] as u32).to_be_bytes());
        }
    }
    let [wide, high] =
        if beside.aspect == 1.0 { [1, 1] } else { [(beside.aspect * 10_000.0).round() as u32, 10_000] };
    put(ASPECT, &[wide.to_be_bytes(), high.to_be_bytes()].concat());
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn ramp() -> Picture {
        let pixels = (0..15).map(|i| [i as f32 / 14.0, 0.25, 1.0 - i as f32 / 14.0, 1.0]).collect();
        Picture::new(5, 3, pixels).unwrap()
    }

    #[test]
    fn ten_bit_samples_come_back_to_the_code() {
        let bytes = write(&ramp(), 3);
        let h = header(&bytes).unwrap();
        assert_eq!((h.width, h.height, h.bits, h.transfer, h.big), (5, 3, 10, 3, true));
        let back = read(&bytes).unwrap();
        for (a, b) in back.pixels.iter().flatten().zip(ramp().pixels.iter().flatten()) {
            assert_eq!((a * 1023.0).round(), quantise(*b, 1023.0) as f32);
        }
    }

    /// A header written here, turned to another layout, with the words that ST 268-1 lays out for it.
    fn with(bits: u8, packing: u8, words: &[u32]) -> Vec<u8> {
        let mut bytes = write(&Picture::new(1, 1, vec![[0.0; 4]]).unwrap(), 0);
        bytes[IMAGE + 12 + 23] = bits;
        bytes[IMAGE + 12 + 25] = packing;
        bytes.truncate(WRITTEN);
        bytes.extend(words.iter().flat_map(|w| w.to_be_bytes()));
        bytes
    }

    #[test]
    fn every_packing_finds_the_same_three_samples() {
        // By ST 268-1, clause on packing, worked out by hand for R, G, B = 0x3ff, 0x201, 0x002 (10 bit) and
        // 0xfff, 0x801, 0x002 (12 bit).
        let ten = [1.0, 513.0 / 1023.0, 2.0 / 1023.0, 1.0].map(|v: f32| v);
        let twelve = [1.0, 2049.0 / 4095.0, 2.0 / 4095.0, 1.0].map(|v: f32| v);
        let cases = [
            (10, 1, vec![0x3ff << 22 | 0x201 << 12 | 2 << 2], ten),
            (10, 2, vec![0x3ff << 20 | 0x201 << 10 | 2], ten),
            (10, 0, vec![0x3ff | 0x201 << 10 | 2 << 20], ten),
            (12, 1, vec![0xfff0_8010, 0x0020_0000], twelve),
            (12, 2, vec![0x0fff_0801, 0x0002_0000], twelve),
            (12, 0, vec![0xfff | 0x801 << 12 | 2 << 24, 0], twelve),
        ];
        for (bits, packing, words, want) in cases {
            let got = read(&with(bits, packing, &words)).unwrap();
            assert_eq!(got.pixels, [want], "{bits} bit, packing {packing}");
        }
    }

    #[test]
    fn lines_that_run_from_the_bottom_or_the_right_are_turned() {
        let mut bytes = write(&ramp(), 0);
        bytes[IMAGE + 1] = 3;
        let turned = read(&bytes).unwrap();
        let mut want = read(&write(&ramp(), 0)).unwrap();
        want.pixels.reverse();
        assert_eq!(turned, want);
    }

    #[test]
    fn what_is_not_read_is_said_and_what_breaks_off_is_an_error() {
        let bytes = write(&ramp(), 0);
        for cut in [0, 3, 700, 1100, bytes.len() - 1] {
            assert!(read(&bytes[..cut]).is_err(), "cut at {cut}");
        }
        let mut run_length = bytes.clone();
        run_length[IMAGE + 12 + 27] = 1;
        assert!(read(&run_length).unwrap_err().to_string().contains("run-length"));
        let mut huge = bytes;
        huge[IMAGE + 4..IMAGE + 12].copy_from_slice(&[0, 1, 0x86, 0xa0, 0, 1, 0x86, 0xa0]);
        assert!(read(&huge).unwrap_err().to_string().contains("too large"));
    }

    proptest! {
        #[test]
        fn no_header_panics(edits in proptest::collection::vec((0..1100_usize, any::<u8>()), 1..12)) {
            let mut bytes = write(&ramp(), 0);
            for (at, v) in edits {
                bytes[at] = v;
            }
            let _ = read(&bytes);
        }
    }
}
