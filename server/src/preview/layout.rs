//! What a message of the socket is made of, said once: the server writes by it, and `dusky-lantern describe socket` gives it to
//! the page (`cargo xtask types`).

use super::scopes;
use std::fmt::Write;

/// Columns of the waveform.
pub const COLUMNS: usize = 240;
/// Bins of the tonal histogram, over [`TONE_SPAN`].
pub const TONE_BINS: usize = 128;
/// Bins of the population of hues.
pub const HUE_BINS: usize = 180;
/// Ends of the tonal histogram on the tonal axis.
pub const TONE_SPAN: [f32; 2] = [-8.0, 8.0];
/// Length of the header before the pixels.
pub const HEADER: usize = 16;

/// What a message may hold after its pixels and the counts of its [scopes], as bits; see [`parts`].
pub mod holds {
    use crate::preview::scopes::{SCOPES, bit};

    /// Histogram of what a step is given.
    pub const TONES: u16 = bit(SCOPES.len());
    /// Population of the hues that a step is given, from 0 degrees on, colourful pixels counting for more.
    pub const HUES: u16 = bit(SCOPES.len() + 1);
}

/// What a message is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub enum Kind {
    /// The picture in hand.
    Picture = 1,
    /// A picture of the row.
    Row = 2,
    /// The picture beside the one in hand.
    Beside = 3,
    /// A small picture under one of several paths.
    Card = 4,
    /// A part of the frame, pixel for pixel, beside the whole of it.
    Loupe = 5,
    /// A frame that is kept for playing.
    Reel = 6,
}

/// A message for the page. Little-endian: kind u8, quality u8 (0 drag, 1 rest), what it [`holds`] u16, sequence u32,
/// width u16, height u16, waveform columns u16, index in the row u16; then RGBA bytes; then what it holds.
pub type Message = Vec<u8>;

/// Begins a message with its header. The waveform's columns are 0 where none comes along.
pub fn header(kind: Kind, quality: u8, holds: u16, seq: u32, [w, h, columns, index]: [usize; 4]) -> Message {
    let counts = columns * 4 * 512 + 2 * 256 * 512 + 4096 + TONE_BINS * 4 + HUE_BINS * 4 + 16;
    let mut frame = Vec::with_capacity(HEADER + w * h * 4 + if holds == 0 { 0 } else { counts });
    frame.extend_from_slice(&[kind as u8, quality]);
    frame.extend_from_slice(&holds.to_le_bytes());
    frame.extend_from_slice(&seq.to_le_bytes());
    for v in [w, h, columns, index] {
        frame.extend_from_slice(&(v as u16).to_le_bytes());
    }
    frame
}

/// What the numbers of a part are, little-endian.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Element {
    /// u16.
    Short,
    /// u32.
    Long,
    /// f32.
    Float,
}

/// A part of a message after its pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct MessagePart {
    /// What the page calls it.
    pub name: &'static str,
    /// Its bit among what a message [`holds`].
    pub bit: u16,
    /// What its numbers are.
    pub element: Element,
    /// How many there are; for each of the waveform's columns where `columns`.
    pub count: usize,
    /// Whether it has so many for each column.
    pub columns: bool,
}

/// All parts, in the order in which they come.
pub fn parts() -> Vec<MessagePart> {
    let long = |name, bit, count| MessagePart { name, bit, element: Element::Long, count, columns: false };
    let of_step = [long("tones", holds::TONES, TONE_BINS), long("hues", holds::HUES, HUE_BINS)];
    scopes::parts().chain(of_step).collect()
}

/// The kinds of messages as the page calls them.
pub const KINDS: &[(&str, Kind)] = &[
    ("picture", Kind::Picture),
    ("row", Kind::Row),
    ("beside", Kind::Beside),
    ("card", Kind::Card),
    ("loupe", Kind::Loupe),
    ("reel", Kind::Reel),
];

/// The layout as TypeScript.
pub fn typescript() -> String {
    let mut text = String::from(
        "/** What a message of the preview socket is made of. Written by `cargo xtask types` from the server's `preview::layout`. */\n\n",
    );
    let _ = writeln!(text, "/** Bytes before the pixels. */\nexport const HEADER = {HEADER};\n");
    text.push_str("/** What a message is, by its first byte. */\nexport const KINDS = {\n");
    for (name, kind) in KINDS {
        let _ = writeln!(text, "  {}: \"{name}\",", *kind as u8);
    }
    text.push_str("} as const;\n\n/** What may follow the pixels, in this order: its bit, its numbers, how many of them. */\nexport const PARTS = [\n");
    for p in parts() {
        let element = match p.element {
            Element::Short => "Uint16Array",
            Element::Long => "Uint32Array",
            Element::Float => "Float32Array",
        };
        let (name, bit, count, columns) = (p.name, p.bit, p.count, p.columns);
        let _ = writeln!(
            text,
            "  {{ name: \"{name}\", bit: {bit}, element: {element}, count: {count}, columns: {columns} }},"
        );
    }
    text.push_str("] as const;\n");
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_page_has_this_layout() {
        let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../web/src/preview/layout.ts");
        let page = std::fs::read_to_string(file).unwrap();
        assert_eq!(page, typescript(), "run cargo xtask types");
    }

    #[test]
    fn bits_are_single_and_rise_with_the_order() {
        let parts = parts();
        assert!(parts.iter().all(|p| p.bit.count_ones() == 1));
        assert!(parts.is_sorted_by(|a, b| a.bit < b.bit));
    }
}
