//! The characteristic curve: density over log exposure.

use crate::numeric::lane::softening;

/// D(x) = gamma (s_t softplus((x - x_t)/s_t) - s_s softplus((x - x_s)/s_s)): a straight part of slope gamma between a
/// soft toe and a soft shoulder. Strictly rising; density above base ends at gamma (x_s - x_t).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CharacteristicCurve {
    /// Slope of the straight part.
    pub gamma: f64,
    /// Where the toe lies, and how soft it is.
    pub toe: [f64; 2],
    /// Where the shoulder lies, and how soft it is.
    pub shoulder: [f64; 2],
}

impl CharacteristicCurve {
    /// Between this curve and another.
    pub fn toward(&self, other: &Self, share: f64) -> Self {
        let mix = |a: f64, b: f64| a + share * (b - a);
        Self {
            gamma: mix(self.gamma, other.gamma),
            toe: [mix(self.toe[0], other.toe[0]), mix(self.toe[1], other.toe[1])],
            shoulder: [mix(self.shoulder[0], other.shoulder[0]), mix(self.shoulder[1], other.shoulder[1])],
        }
    }

    /// The mean of three curves.
    pub fn mean(curves: &[Self; 3]) -> Self {
        curves[0].toward(&curves[1], 0.5).toward(&curves[2], 1.0 / 3.0)
    }

    /// Density above base at log exposure `x`.
    pub fn at(&self, x: f64) -> f64 {
        let bend = |[place, soft]: [f64; 2]| soft * softplus((x - place) / soft);
        self.gamma * (bend(self.toe) - bend(self.shoulder))
    }

    /// The slope there.
    pub fn slope(&self, x: f64) -> f64 {
        let share = |[place, soft]: [f64; 2]| 1.0 / (1.0 + (-(x - place) / soft).exp());
        self.gamma * (share(self.toe) - share(self.shoulder))
    }

    /// The most density above base.
    pub fn most(&self) -> f64 {
        self.gamma * (self.shoulder[0] - self.toe[0])
    }

    /// The log exposure of a density above base; a density that the curve does not reach is brought to within a
    /// hundredth of its ends.
    pub fn inverse(&self, density: f64) -> f64 {
        let wanted = density.clamp(0.01 * self.most(), 0.99 * self.most());
        let (mut low, mut high) =
            (self.toe[0] - 40.0 * self.toe[1], self.shoulder[0] + 40.0 * self.shoulder[1]);
        for _ in 0..80 {
            let middle = 0.5 * (low + high);
            if self.at(middle) < wanted { low = middle } else { high = middle }
        }
        0.5 * (low + high)
    }

    /// For blocks.
    pub fn lane(&self) -> Lane {
        let bend = |[place, soft]: [f64; 2]| {
            let per = std::f64::consts::LOG2_E / soft;
            [per as f32, (-place * per) as f32, (self.gamma * soft * std::f64::consts::LN_2) as f32]
        };
        Lane { toe: bend(self.toe), shoulder: bend(self.shoulder) }
    }
}

fn softplus(z: f64) -> f64 {
    z.max(0.0) + (-z.abs()).exp().ln_1p()
}

/// A curve ready for blocks: each bend as scale and offset into powers of two, and height.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Lane {
    toe: [f32; 3],
    shoulder: [f32; 3],
}

impl Lane {
    /// Density above base.
    #[inline(always)]
    pub fn at(&self, x: f32) -> f32 {
        bend(self.toe, x) - bend(self.shoulder, x)
    }
}

/// height * log2(1 + 2^z): softplus in powers of two.
#[inline(always)]
fn bend([per, offset, height]: [f32; 3], x: f32) -> f32 {
    let z = per.mul_add(x, offset);
    height * (z.max(0.0) + softening(z))
}

#[cfg(test)]
mod tests {
    use super::*;

    const CURVE: CharacteristicCurve =
        CharacteristicCurve { gamma: 0.6, toe: [-1.2, 0.18], shoulder: [1.8, 0.3] };

    #[test]
    fn the_straight_part_has_its_slope_and_the_ends_their_densities() {
        assert!((CURVE.slope(0.2) - 0.6).abs() < 0.005);
        assert!(
            CURVE.at(-6.0) < 1e-9 && (CURVE.at(9.0) - 1.8).abs() < 1e-9 && (CURVE.most() - 1.8).abs() < 1e-12
        );
        // The slope is the derivative.
        for i in -30..30 {
            let (x, h) = (f64::from(i) * 0.1, 1e-5);
            let want = (CURVE.at(x + h) - CURVE.at(x - h)) / (2.0 * h);
            assert!((CURVE.slope(x) - want).abs() < 1e-8 && want > 0.0);
        }
    }

    #[test]
    fn the_inverse_leads_back_and_blocks_agree() {
        for i in 1..30 {
            let x = f64::from(i) * 0.1 - 1.3;
            assert!((CURVE.inverse(CURVE.at(x)) - x).abs() < 1e-9, "{x}");
            assert!((f64::from(CURVE.lane().at(x as f32)) - CURVE.at(x)).abs() < 2e-6);
        }
        assert!(CURVE.inverse(5.0).is_finite() && CURVE.inverse(-1.0).is_finite());
    }
}
