//! Logarithms, by the constants of the Common LUT Format (SMPTE ST 2136-1, `Log`; also ACES S-2014-006).

use crate::colour::log_curve::LogConstants;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A logarithm of each channel, or back from one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Log {
    /// Code values to light; else light to code values.
    pub to_linear: bool,
    /// The constants of each channel.
    pub channels: [LogSide; 3],
}

/// A channel's constants.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct LogSide {
    /// Base of the logarithm, over 0 and not 1.
    pub base: f64,
    /// Code values an unit of logarithm; not 0.
    pub log_side_slope: f64,
    /// Code value where the logarithm is zero.
    pub log_side_offset: f64,
    /// Gain on light inside the logarithm; not 0.
    pub lin_side_slope: f64,
    /// Offset on light inside the logarithm.
    pub lin_side_offset: f64,
    /// Light at and below which the curve is a straight line, where it has one.
    pub lin_side_break: Option<f64>,
    /// Slope of that line; it continues the curve's own slope where none is said.
    pub linear_slope: Option<f64>,
}

impl From<&LogConstants> for LogSide {
    fn from(c: &LogConstants) -> Self {
        Self {
            base: c.base,
            log_side_slope: c.log_side_slope,
            log_side_offset: c.log_side_offset,
            lin_side_slope: c.lin_side_slope,
            lin_side_offset: c.lin_side_offset,
            lin_side_break: Some(c.lin_side_break),
            linear_slope: c.linear_slope,
        }
    }
}

/// The least that a logarithm is taken of: the smallest normal f32, which other readers of these files take too.
const LEAST: f64 = f32::MIN_POSITIVE as f64;

impl LogSide {
    /// The plain logarithm of a base.
    pub fn plain(base: f64) -> Self {
        Self {
            base,
            log_side_slope: 1.0,
            log_side_offset: 0.0,
            lin_side_slope: 1.0,
            lin_side_offset: 0.0,
            lin_side_break: None,
            linear_slope: None,
        }
    }

    fn log(&self, v: f64) -> f64 {
        let inside = (self.lin_side_slope * v + self.lin_side_offset).max(LEAST);
        self.log_side_slope * inside.ln() / self.base.ln() + self.log_side_offset
    }

    /// The line below the break: where it ends in light and in code values, its slope, its offset.
    fn line(&self) -> Option<[f64; 4]> {
        let end = self.lin_side_break?;
        let inside = self.lin_side_slope * end + self.lin_side_offset;
        let own = self.log_side_slope * self.lin_side_slope / (inside * self.base.ln());
        let slope = self.linear_slope.unwrap_or(own);
        let code = self.log(end);
        Some([end, code, slope, code - slope * end])
    }

    fn fault(&self) -> Option<String> {
        let all =
            [self.base, self.log_side_slope, self.log_side_offset, self.lin_side_slope, self.lin_side_offset];
        let more = self.lin_side_break.into_iter().chain(self.linear_slope);
        if all.into_iter().chain(more).any(|v| !v.is_finite()) {
            return Some("a logarithm has numbers that are not finite".into());
        }
        if self.base <= 0.0 || self.base == 1.0 {
            return Some(format!("the base of a logarithm is over 0 and not 1; this one is {}", self.base));
        }
        if self.log_side_slope == 0.0 || self.lin_side_slope == 0.0 || self.linear_slope == Some(0.0) {
            return Some("a slope of a logarithm is 0".into());
        }
        let at_break = self.lin_side_break.map(|b| self.lin_side_slope * b + self.lin_side_offset);
        at_break.is_some_and(|v| v <= 0.0).then(|| "a logarithm has no value at its break".into())
    }
}

impl Log {
    pub(super) fn fault(&self) -> Option<String> {
        self.channels.iter().find_map(LogSide::fault)
    }

    pub(super) fn run(&self, planes: [&mut [f32]; 3]) {
        for (plane, side) in planes.into_iter().zip(&self.channels) {
            let line = side.line();
            let ln_base = side.base.ln();
            let f = |v: f64| match (self.to_linear, line) {
                (false, Some([end, _, slope, offset])) if v <= end => slope * v + offset,
                (false, _) => side.log(v),
                (true, Some([_, code, slope, offset])) if v <= code => (v - offset) / slope,
                (true, _) => {
                    let power = ((v - side.log_side_offset) / side.log_side_slope * ln_base).exp();
                    (power - side.lin_side_offset) / side.lin_side_slope
                }
            };
            plane.iter_mut().for_each(|v| *v = super::held(f(f64::from(*v))));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// ACEScct (AMPAS S-2016-001) by these constants, as ST 2136-1 gives them.
    fn acescct(to_linear: bool) -> Log {
        let side = LogSide {
            log_side_slope: 1.0 / 17.52,
            log_side_offset: 9.72 / 17.52,
            lin_side_break: Some(0.007_812_5),
            linear_slope: Some(10.540_237_741_654_5),
            ..LogSide::plain(2.0)
        };
        Log { to_linear, channels: [side; 3] }
    }

    #[test]
    fn acescct_comes_of_its_constants_and_goes_back() {
        // S-2016-001, table 1: 18 % grey at 0.413588402, zero light at 0.0729055341958355.
        let mut planes = [[0.18_f32, 0.0], [0.18, 0.0], [0.18, 0.0]];
        acescct(false).run(planes.each_mut().map(|p| &mut p[..]));
        assert!((planes[0][0] - 0.413_588_4).abs() < 1e-7 && (planes[1][1] - 0.072_905_534).abs() < 1e-7);
        acescct(true).run(planes.each_mut().map(|p| &mut p[..]));
        assert!((planes[2][0] - 0.18).abs() < 1e-7 && planes[0][1].abs() < 1e-8);
    }

    #[test]
    fn a_line_whose_slope_is_not_said_continues_the_curve() {
        let side = LogSide { lin_side_break: Some(0.1), ..LogSide::plain(10.0) };
        let [end, code, slope, offset] = side.line().unwrap();
        assert!((slope * end + offset - code).abs() < 1e-12);
        let near = (side.log(end + 1e-6) - side.log(end)) / 1e-6;
        assert!((near / slope - 1.0).abs() < 1e-4, "{near} {slope}");
    }
}
