//! What a page may ask of the preview, and how pictures are laid out in messages.

use crate::store::ids::ShotId;
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

/// What is looked at: a shot, a frame of it, and everything that is done to it.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct Seat {
    /// The shot.
    pub shot: ShotId,
    /// The frame, by its place in the order; the shot's poster where none is said.
    #[serde(default)]
    pub frame: Option<u32>,
    /// The whole path.
    pub path: Path,
    /// The trim beneath it; the shot's own, as it was saved last, where none is said.
    #[serde(default)]
    pub trim: Option<Path>,
}

/// Asks for the picture in hand.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct PictureRequest {
    /// The page that asks, which the socket puts in.
    #[serde(skip)]
    pub viewer: u32,
    /// Rises with every request; comes back with the picture.
    pub seq: u32,
    /// What is looked at.
    #[serde(flatten)]
    pub seat: Seat,
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
    pub shot: ShotId,
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
    pub shots: Vec<ShotId>,
    /// The place of the one that is made first; the others follow by how near they stand to it.
    #[serde(default)]
    pub first: usize,
    /// The whole path.
    pub path: Path,
    /// Most pixels in a row of each.
    pub width: u32,
    /// Display encoding of the pictures.
    pub display: String,
}

impl RowRequest {
    /// The place of the picture that is made after so many others; less than the number of shots.
    pub fn place(&self, after: usize) -> usize {
        let last = self.shots.len().saturating_sub(1);
        let (first, after) = (self.first.min(last), after.min(last));
        // To both sides in turn, as far as there is something on both.
        let both = first.min(last - first);
        match after {
            0 => first,
            _ if after <= 2 * both && after % 2 == 1 => first + after.div_ceil(2),
            _ if after <= 2 * both => first - after / 2,
            _ if first == both => first + (after - both),
            _ => first - (after - both),
        }
    }
}

/// Asks what lies at places of a picture.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct SampleRequest {
    /// The page that asks, which the socket puts in.
    #[serde(skip)]
    pub viewer: u32,
    /// Comes back with the answer.
    pub seq: u32,
    /// What is looked at.
    #[serde(flatten)]
    pub seat: Seat,
    /// Display encoding of the picture.
    pub display: String,
    /// Places as shares of width and height; up to 64.
    pub at: Vec<[f64; 2]>,
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_row_is_made_whole_from_the_first_one_outwards(count in 1_usize..40, first in 0_usize..60) {
            let shots = (0..count).map(|i| ShotId::from(i.to_string().as_str())).collect();
            let (path, display) = (Path::default(), "srgb".to_owned());
            let row = RowRequest { seq: 0, shots, first, path, width: 9, display };
            let places: Vec<usize> = (0..count).map(|after| row.place(after)).collect();
            let mut sorted = places.clone();
            sorted.sort_unstable();
            prop_assert_eq!(sorted, (0..count).collect::<Vec<_>>());
            let far: Vec<usize> = places.iter().map(|p| p.abs_diff(first.min(count - 1))).collect();
            prop_assert!(far.is_sorted(), "{places:?}");
        }
    }

    #[test]
    fn an_empty_row_has_no_first_one() {
        let row = r#"{ "seq": 1, "shots": [], "path": { "steps": [] }, "width": 9, "display": "srgb" }"#;
        assert_eq!(serde_json::from_str::<RowRequest>(row).unwrap().place(0), 0);
    }
}
