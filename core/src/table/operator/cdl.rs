//! The ASC colour decision list as files mean it: on code values, clipped or not, there or back (ASC CDL 1.2;
//! SMPTE ST 2136-1, `ASC_CDL`).

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One correction.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Correction {
    /// Factors on R, G, B.
    pub slope: [f64; 3],
    /// Added to R, G, B.
    pub offset: [f64; 3],
    /// Exponents of R, G, B, over 0.
    pub power: [f64; 3],
    /// Factor on saturation about BT.709 luma.
    pub saturation: f64,
    /// Whether it is undone.
    pub inverse: bool,
    /// Whether values are held to 0..1, as the ASC's strict form does.
    pub clips: bool,
}

impl Default for Correction {
    /// The one that changes nothing and clips nothing.
    fn default() -> Self {
        Self {
            slope: [1.0; 3],
            offset: [0.0; 3],
            power: [1.0; 3],
            saturation: 1.0,
            inverse: false,
            clips: false,
        }
    }
}

/// BT.709 luma, which ASC CDL 1.2 takes whatever the values are.
const LUMA: [f64; 3] = [0.2126, 0.7152, 0.0722];

impl Correction {
    pub(super) fn fault(&self) -> Option<String> {
        let all = self.slope.iter().chain(&self.offset).chain(&self.power).chain([&self.saturation]);
        if all.into_iter().any(|v| !v.is_finite()) {
            return Some("a correction has numbers that are not finite".into());
        }
        if self.power.iter().any(|p| *p <= 0.0) {
            return Some("a power of a correction is not over 0".into());
        }
        if self.slope.iter().any(|s| *s < 0.0) || self.saturation < 0.0 {
            return Some("a slope or the saturation of a correction is under 0".into());
        }
        let undone = self.slope.iter().all(|s| *s > 0.0) && self.saturation > 0.0;
        (self.inverse && !undone)
            .then(|| "a correction with a slope or a saturation of 0 cannot be undone".into())
    }

    fn held(&self, v: f64) -> f64 {
        if self.clips { v.clamp(0.0, 1.0) } else { v }
    }

    /// A power; without clipping what lies below zero keeps its value.
    fn power(v: f64, p: f64) -> f64 {
        if v < 0.0 { v } else { v.powf(p) }
    }

    fn saturated(rgb: [f64; 3], factor: f64) -> [f64; 3] {
        let luma: f64 = rgb.iter().zip(LUMA).map(|(v, w)| v * w).sum();
        rgb.map(|v| luma + factor * (v - luma))
    }

    pub(super) fn at(&self, rgb: [f64; 3]) -> [f64; 3] {
        if self.inverse {
            let rgb = Self::saturated(rgb.map(|v| self.held(v)), 1.0 / self.saturation);
            return [0, 1, 2].map(|c| {
                let v = Self::power(self.held(rgb[c]), 1.0 / self.power[c]);
                self.held((v - self.offset[c]) / self.slope[c])
            });
        }
        let rgb =
            [0, 1, 2].map(|c| Self::power(self.held(rgb[c] * self.slope[c] + self.offset[c]), self.power[c]));
        Self::saturated(rgb, self.saturation).map(|v| self.held(v))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_formula_of_the_asc() {
        let c = Correction {
            slope: [1.2, 1.0, 0.9],
            offset: [0.1, 0.0, -0.05],
            power: [1.1, 1.0, 0.9],
            ..Default::default()
        };
        let out = c.at([0.5, 0.5, 0.5]);
        // (0.5 * 1.2 + 0.1) ^ 1.1, 0.5, (0.5 * 0.9 - 0.05) ^ 0.9, by hand.
        for (v, want) in out.into_iter().zip([0.7_f64.powf(1.1), 0.5, 0.4_f64.powf(0.9)]) {
            assert!((v - want).abs() < 1e-12);
        }
    }

    proptest! {
        #[test]
        fn a_correction_that_does_not_clip_is_undone(
            v in proptest::array::uniform3(0.2..1.0_f64), slope in 0.5..2.0_f64, offset in 0.0..0.2_f64,
            power in 0.5..2.0_f64, saturation in 0.5..1.0_f64,
        ) {
            let there = Correction { slope: [slope, 1.0, 1.0], offset: [offset; 3], power: [power; 3], saturation, ..Default::default() };
            let back = Correction { inverse: true, ..there.clone() };
            for (a, b) in back.at(there.at(v)).into_iter().zip(v) {
                prop_assert!((a - b).abs() < 1e-9);
            }
        }
    }
}
