//! One range made another (SMPTE ST 2136-1, `Range`).

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Straight from one range to another. With one end alone everything is moved by as much as that end.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Range {
    /// The lower end: what comes and what it becomes.
    pub low: Option<[f64; 2]>,
    /// The upper end.
    pub high: Option<[f64; 2]>,
    /// Whether what lies beyond an end is held there.
    pub clips: bool,
}

impl Range {
    /// Full range to 10-bit legal range: 0 to 64 and 1 to 940 of 1023 (BT.709-6, table 3; 10 bit).
    pub fn to_legal() -> Self {
        Self { low: Some([0.0, LEGAL[0]]), high: Some([1.0, LEGAL[1]]), clips: false }
    }

    /// Legal range to full range.
    pub fn from_legal() -> Self {
        Self { low: Some([LEGAL[0], 0.0]), high: Some([LEGAL[1], 1.0]), clips: false }
    }

    pub(super) fn fault(&self) -> Option<String> {
        let all = self.low.iter().chain(&self.high).flatten();
        if all.into_iter().any(|v| !v.is_finite()) {
            return Some("a range has ends that are not finite".into());
        }
        match (self.low, self.high) {
            (Some(low), Some(high)) if high[0] <= low[0] => Some("the ends of a range have to rise".into()),
            (Some(low), Some(high)) if self.clips && high[1] < low[1] => {
                Some("a range that clips cannot fall".into())
            }
            (Some(_), Some(_)) | (None, None) => None,
            _ if self.clips => None,
            _ => Some("a range that does not clip needs both ends".into()),
        }
    }

    /// What a value becomes.
    pub fn at(&self, v: f64) -> f64 {
        let out = match (self.low, self.high) {
            (Some(low), Some(high)) => low[1] + (v - low[0]) * (high[1] - low[1]) / (high[0] - low[0]),
            (Some(end), None) | (None, Some(end)) => v + end[1] - end[0],
            (None, None) => v,
        };
        if !self.clips {
            return out;
        }
        let out = self.low.map_or(out, |l| out.max(l[1]));
        self.high.map_or(out, |h| out.min(h[1]))
    }
}

/// Black and white of legal range in 10 bit (ITU-R BT.709-6, item 5.4 and BT.2100-2, table 9).
pub const LEGAL: [f64; 2] = [64.0 / 1023.0, 940.0 / 1023.0];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn black_and_white_land_on_their_10_bit_codes_and_come_back() {
        let (there, back) = (Range::to_legal(), Range::from_legal());
        assert!(
            (there.at(0.0) * 1023.0 - 64.0).abs() < 1e-9 && (there.at(1.0) * 1023.0 - 940.0).abs() < 1e-9
        );
        for v in [-0.05, 0.0, 0.3, 1.0, 1.09] {
            assert!((back.at(there.at(v)) - v).abs() < 1e-12);
        }
    }

    #[test]
    fn one_end_alone_moves_everything_and_holds_what_lies_beyond() {
        let low = Range { low: Some([0.1, 0.2]), high: None, clips: true };
        assert!((low.at(0.5) - 0.6).abs() < 1e-12 && (low.at(0.0) - 0.2).abs() < 1e-12);
        let none = Range { low: None, high: None, clips: true };
        assert_eq!(none.at(1.7), 1.7);
    }
}
