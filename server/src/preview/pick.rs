//! Colours picked from the picture for a step: a bump on the hue circle, or a colour range.

use super::light::patch;
use super::request::Seat;
use super::studio::{Studio, display};
use crate::error::{ApiError, ApiResult};
use lantern_core::graph::Program;
use lantern_core::region::ColourRange;
use lantern_core::scope::Area;
use lantern_core::step::{Bump, hue_curves::bump_over};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What is wanted of a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Want {
    /// A bump over its hues.
    Bump,
    /// A colour range over it.
    Range,
    /// The range that there is, widened to hold it.
    Add,
    /// The range that there is, cut so that it lets go of it.
    Subtract,
}

/// Asks for a bump or a range from a place, as a step or group is given it.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct PickRequest {
    /// What is looked at.
    #[serde(flatten)]
    pub seat: Seat,
    /// The step or group.
    pub target: String,
    /// What is wanted.
    pub want: Want,
    /// The place, as shares of width and height; a small patch around it counts.
    #[serde(default)]
    pub at: Option<[f64; 2]>,
    /// The area; it counts instead of the place where it is said.
    #[serde(default)]
    pub area: Option<Area>,
}

/// What was found.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Picked {
    /// The bump, where one was wanted.
    pub bump: Option<Bump>,
    /// The range, where one was wanted.
    pub range: Option<ColourRange>,
}

impl Studio {
    /// A bump or a range from what a place holds.
    pub fn pick(&self, r: &PickRequest) -> ApiResult<Picked> {
        let path = self.whole(&r.seat)?;
        let mut pixels = patch(self, &r.seat.shot, r.seat.frame, r.at, r.area.as_ref())?;
        let from = self.proxy(&r.seat.shot, r.seat.frame, super::light::WIDTH)?.encoding.clone();
        let given = Program::given_to(&path, &r.target, &from, &display("rec709")?);
        let (program, zone) = given.ok_or_else(|| {
            ApiError::Invalid("colours are picked for a step of the Scene or Screen zone".into())
        })?;
        program.run(&mut pixels);
        if r.want == Want::Bump {
            let bump = bump_over(&pixels, zone).ok_or_else(|| {
                ApiError::Invalid("this place has no colour to go by; try a more colourful one".into())
            })?;
            return Ok(Picked { bump: Some(bump), range: None });
        }
        let old = path.place_of(&r.target).and_then(|(_, region)| region).map(|r| r.colours.clone());
        let range = match (r.want, old) {
            (Want::Add, Some(old)) => old.with(&pixels, zone),
            (Want::Subtract, Some(old)) => old.without(&pixels, zone),
            _ => ColourRange::over(&pixels, zone),
        };
        let range =
            range.ok_or_else(|| ApiError::Invalid("there is nothing at this place to go by".into()))?;
        Ok(Picked { bump: None, range: Some(range) })
    }
}
