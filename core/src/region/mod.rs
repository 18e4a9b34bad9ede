//! Regions: where a step or a group works.
//!
//! * [`range`] — a colour range: hue, saturation and brightness with soft edges. It depends on colour alone, so what
//!   works inside of one goes into tables.

pub mod range;

pub use range::ColourRange;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Where a step or a group works.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Region {
    /// The colours that it holds, as the step or the group's first step is given them.
    pub colours: ColourRange,
}
