//! Powers (SMPTE ST 2136-1, `Exponent`).

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A power of each channel.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Exponent {
    /// What happens at the beginning and below zero.
    pub style: Style,
    /// Back from the power.
    pub inverse: bool,
    /// The numbers of each channel.
    pub channels: [Gamma; 3],
}

/// What happens at the beginning and below zero.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Style {
    /// A power; below zero is zero.
    Basic,
    /// A power, odd about zero.
    Mirror,
    /// A power; below zero stays as it is.
    PassThru,
    /// A straight beginning, then a power with an offset; the line goes on below zero.
    MonCurve,
    /// The same, odd about zero.
    MonCurveMirror,
}

/// A channel's numbers.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Gamma {
    /// The exponent: 0.01 to 100, or 1 to 10 with a straight beginning.
    pub exponent: f64,
    /// The offset with a straight beginning, 0 to 0.9.
    pub offset: f64,
}

/// A straight beginning needs both a little over their ends, where the formula divides by zero.
const LITTLE: f64 = 1e-6;

impl Gamma {
    /// Where the line ends in what comes, and its slope.
    fn line(self) -> [f64; 2] {
        let (g, f) = (self.exponent.max(1.0 + LITTLE), self.offset.max(LITTLE));
        let end = f / (g - 1.0);
        [end, ((g - 1.0) / f) * (f * g / ((g - 1.0) * (f + 1.0))).powf(g)]
    }

    fn with_line(self, v: f64) -> f64 {
        let (g, f) = (self.exponent.max(1.0 + LITTLE), self.offset.max(LITTLE));
        let [end, slope] = self.line();
        if v >= end { ((v + f) / (1.0 + f)).powf(g) } else { v * slope }
    }

    fn without_line(self, v: f64) -> f64 {
        let (g, f) = (self.exponent.max(1.0 + LITTLE), self.offset.max(LITTLE));
        let [end, slope] = self.line();
        if v >= end * slope { (1.0 + f) * v.powf(1.0 / g) - f } else { v / slope }
    }
}

impl Exponent {
    pub(super) fn fault(&self) -> Option<String> {
        let line = matches!(self.style, Style::MonCurve | Style::MonCurveMirror);
        let (low, high) = if line { (1.0, 10.0) } else { (0.01, 100.0) };
        self.channels.iter().find_map(|g| {
            if !(low..=high).contains(&g.exponent) {
                return Some(format!("this exponent goes from {low} to {high}; it is {}", g.exponent));
            }
            let fine = !line || (0.0..=0.9).contains(&g.offset);
            (!fine).then(|| format!("the offset of an exponent goes from 0 to 0.9; it is {}", g.offset))
        })
    }

    pub(super) fn at(&self, channel: usize, v: f64) -> f64 {
        let g = self.channels[channel];
        let power = if self.inverse { 1.0 / g.exponent } else { g.exponent };
        let lined = |v: f64| if self.inverse { g.without_line(v) } else { g.with_line(v) };
        match self.style {
            Style::Basic => v.max(0.0).powf(power),
            Style::Mirror => v.abs().powf(power).copysign(v),
            Style::PassThru if v < 0.0 => v,
            Style::PassThru => v.powf(power),
            Style::MonCurve => lined(v),
            Style::MonCurveMirror => lined(v.abs()).copysign(v),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_numbers_of_srgb_give_its_curve() {
        // IEC 61966-2-1: 0.5 is 0.214041 of light. The line of this formula ends at 0.0392857, the standard's at 0.04045.
        let curve = Exponent {
            style: Style::MonCurve,
            inverse: false,
            channels: [Gamma { exponent: 2.4, offset: 0.055 }; 3],
        };
        assert!((curve.at(0, 0.5) - 0.214_041_14).abs() < 1e-8);
        assert!((curve.at(0, 0.02) - 0.02 / 12.92).abs() < 1e-6);
    }

    proptest! {
        #[test]
        fn every_style_is_undone_by_its_inverse(v in -3.0..3.0_f64, exponent in 1.01..4.0_f64, offset in 0.001..0.5_f64) {
            for style in [Style::Mirror, Style::PassThru, Style::MonCurve, Style::MonCurveMirror] {
                let [there, back] = [false, true].map(|inverse| Exponent { style, inverse, channels: [Gamma { exponent, offset }; 3] });
                prop_assert!((back.at(1, there.at(1, v)) - v).abs() < 1e-9, "{:?}", style);
            }
        }
    }
}
