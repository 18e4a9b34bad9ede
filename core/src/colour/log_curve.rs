//! The log curve of a camera.

use crate::numeric::lane::{exp2, log2, select};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The constants of a camera's log curve, named as in the Common LUT Format (SMPTE ST 2136-1, `Log` with the
/// styles `cameraLogToLin` and `cameraLinToLog`).
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct LogConstants {
    /// Base of the logarithm, over 1.
    pub base: f64,
    /// Code values an unit of logarithm.
    pub log_side_slope: f64,
    /// Code value where the logarithm is zero.
    pub log_side_offset: f64,
    /// Gain on linear light inside the logarithm.
    pub lin_side_slope: f64,
    /// Offset on linear light inside the logarithm.
    pub lin_side_offset: f64,
    /// Linear light below which the curve is a straight line.
    pub lin_side_break: f64,
    /// Slope of that line; where it is left out the line continues the curve's own slope.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub linear_slope: Option<f64>,
}

/// [`LogConstants`] made ready to run on pictures.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LogCurve {
    slope: f32,
    offset: f32,
    lin_slope: f32,
    lin_offset: f32,
    lin_break: f32,
    code_break: f32,
    line_slope: f32,
    line_offset: f32,
}

impl LogCurve {
    /// The curve of constants that give one: the base is over 1, both slopes of the logarithm are over 0, and it has a value
    /// at the break.
    pub(super) fn of(c: &LogConstants) -> Self {
        let at_break = c.lin_side_slope * c.lin_side_break + c.lin_side_offset;
        let code_break = c.log_side_slope * at_break.log(c.base) + c.log_side_offset;
        // ST 2136-1: the slope of the logarithmic part at the break.
        let own = c.log_side_slope * c.lin_side_slope / (at_break * c.base.ln());
        let line_slope = c.linear_slope.unwrap_or(own);
        Self {
            slope: (c.log_side_slope / c.base.log2()) as f32,
            offset: c.log_side_offset as f32,
            lin_slope: c.lin_side_slope as f32,
            lin_offset: c.lin_side_offset as f32,
            lin_break: c.lin_side_break as f32,
            code_break: code_break as f32,
            line_slope: line_slope as f32,
            line_offset: (code_break - line_slope * c.lin_side_break) as f32,
        }
    }

    /// The constants that it was made of, for a logarithm to base 2.
    pub fn constants(&self) -> LogConstants {
        LogConstants {
            base: 2.0,
            log_side_slope: self.slope.into(),
            log_side_offset: self.offset.into(),
            lin_side_slope: self.lin_slope.into(),
            lin_side_offset: self.lin_offset.into(),
            lin_side_break: self.lin_break.into(),
            linear_slope: Some(self.line_slope.into()),
        }
    }

    /// Linear light to a code value; ST 2136-1, `cameraLinToLog`.
    #[inline(always)]
    pub fn to_code(&self, v: f32) -> f32 {
        let log = self.slope * log2(self.lin_slope * v + self.lin_offset) + self.offset;
        select(v <= self.lin_break, self.line_slope * v + self.line_offset, log)
    }

    /// A code value to linear light; ST 2136-1, `cameraLogToLin`.
    #[inline(always)]
    pub fn to_linear(&self, v: f32) -> f32 {
        let lin = (exp2((v - self.offset) / self.slope) - self.lin_offset) / self.lin_slope;
        select(v <= self.code_break, (v - self.line_offset) / self.line_slope, lin)
    }
}
