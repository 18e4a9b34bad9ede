//! What a page may ask of the preview, and how pictures are laid out in messages.

use lantern_core::look::Path;
use lantern_core::scope::Area;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How a picture is computed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Quality {
    /// Through a 33-point table, while something is dragged.
    Drag,
    /// Exactly.
    Rest,
}

/// What is shown in place of the picture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Show {
    /// The picture itself.
    #[default]
    Picture,
    /// False colour: exposure in stops.
    Stops,
    /// The picture with marks on what is clipped or outside the gamut of the display.
    Marks,
    /// The matte of a region as grey.
    Matte,
    /// The picture where a region holds it, grey elsewhere.
    Isolated,
    /// What halation adds and nothing else.
    Halation,
    /// Grain and nothing else, on middle grey.
    Grain,
}

/// The counts that come along with a picture.
#[derive(Clone, Debug, Default, PartialEq, Deserialize, JsonSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Counts {
    /// Waveform of R, G and B.
    pub wave: bool,
    /// Waveform of luma.
    pub luma: bool,
    /// Vectorscope at this zoom, 1 or more.
    pub vector: Option<f32>,
    /// Histograms of R, G, B and luma.
    pub histogram: bool,
    /// CIE 1976 chromaticity of the scene.
    pub chromaticity: bool,
    /// Shares beyond the limits.
    pub limits: bool,
    /// The part of the picture that counts; all where none is drawn.
    pub area: Option<Area>,
}

/// Asks for the picture in hand.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct PictureRequest {
    /// The page that asks, which the socket puts in.
    #[serde(skip)]
    pub viewer: u32,
    /// Rises with every request; comes back with the picture.
    pub seq: u32,
    /// The shot.
    pub shot: String,
    /// The frame, by its place in the order; the shot's poster where none is said.
    #[serde(default)]
    pub frame: Option<u32>,
    /// The whole path.
    pub path: Path,
    /// The trim beneath it; the shot's own, as it was saved last, where none is said.
    #[serde(default)]
    pub trim: Option<Path>,
    /// How to compute it.
    pub quality: Quality,
    /// Most pixels in a row.
    pub width: u32,
    /// Display encoding of the picture.
    pub display: String,
    /// The number that grain, weave and flicker go by; the frame's own where none is said.
    #[serde(default)]
    pub tick: Option<u32>,
    /// What is shown in its place.
    #[serde(default)]
    pub show: Show,
    /// The counts that come along.
    #[serde(default)]
    pub counts: Counts,
    /// The step whose input histogram comes along.
    #[serde(default)]
    pub tones_of: Option<String>,
    /// The step or group whose population of hues comes along.
    #[serde(default)]
    pub hues_of: Option<String>,
    /// The step or group whose region is shown.
    #[serde(default)]
    pub matte_of: Option<String>,
    /// The part of the full-size frame that is wanted, pixel for pixel: left, top, width, height as shares of it.
    /// Counts are then those of this part.
    #[serde(default)]
    pub view: Option<[f64; 4]>,
}

/// Asks for small pictures of one shot under several paths.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct CardsRequest {
    /// Comes back with each picture.
    pub seq: u32,
    /// The shot.
    pub shot: String,
    /// The frame, by its place in the order.
    #[serde(default)]
    pub frame: Option<u32>,
    /// The paths, up to 100.
    pub paths: Vec<Path>,
    /// Most pixels in a row of each.
    pub width: u32,
    /// Display encoding of the pictures.
    pub display: String,
}

/// The most small pictures of one request.
pub const MOST_CARDS: usize = 100;

/// Asks for small pictures of several shots under one path, each over its own trim.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct RowRequest {
    /// Comes back with each picture.
    pub seq: u32,
    /// The shots.
    pub shots: Vec<String>,
    /// The whole path.
    pub path: Path,
    /// Most pixels in a row of each.
    pub width: u32,
    /// Display encoding of the pictures.
    pub display: String,
}

/// Asks what lies at places of a picture.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct SampleRequest {
    /// The page that asks, which the socket puts in.
    #[serde(skip)]
    pub viewer: u32,
    /// Comes back with the answer.
    pub seq: u32,
    /// The shot.
    pub shot: String,
    /// The frame, by its place in the order.
    #[serde(default)]
    pub frame: Option<u32>,
    /// The whole path.
    pub path: Path,
    /// The trim beneath it.
    #[serde(default)]
    pub trim: Option<Path>,
    /// Display encoding of the picture.
    pub display: String,
    /// Places as shares of width and height; up to 64.
    pub at: Vec<[f64; 2]>,
}

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

/// What a message holds after its pixels, in this order.
pub mod holds {
    /// Waveform of R, G and B: columns x 3 x 256 u16.
    pub const WAVE: u16 = 1;
    /// Waveform of luma: columns x 256 u16.
    pub const LUMA: u16 = 2;
    /// Vectorscope: 256 x 256 u16.
    pub const VECTOR: u16 = 4;
    /// Histograms of R, G, B and luma: 4 x 256 u32.
    pub const HISTOGRAM: u16 = 8;
    /// Chromaticity: 256 x 256 u16.
    pub const CHROMATICITY: u16 = 16;
    /// Shares at black, at white, out of gamut, beyond EBU R 103: 4 f32.
    pub const LIMITS: u16 = 32;
    /// Histogram of what a step is given: 128 u32.
    pub const TONES: u16 = 64;
    /// Population of the hues that a step is given, from 0 degrees on: 180 u32, colourful pixels counting for more.
    pub const HUES: u16 = 128;
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
pub type Frame = Vec<u8>;

/// Begins a message with its header. The waveform's columns are 0 where none comes along.
pub fn header(kind: Kind, quality: u8, holds: u16, seq: u32, [w, h, columns, index]: [usize; 4]) -> Frame {
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
