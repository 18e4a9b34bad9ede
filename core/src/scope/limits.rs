//! Limits of a delivered signal and the share of pixels beyond them.

use crate::colour::plane::Plane;
use schemars::JsonSchema;
use serde::Serialize;

/// Lowest and highest R, G or B of EBU R 103 (2020), as shares of the range from black to white.
pub const R103_RGB: [f32; 2] = [-0.05, 1.05];
/// Lowest and highest luma of EBU R 103.
pub const R103_LUMA: [f32; 2] = [-0.01, 1.03];
/// The share of the picture's area that EBU R 103 lets lie beyond.
pub const R103_AREA: f64 = 0.01;

/// Shares of pixels, 0..1.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, JsonSchema)]
pub struct Limits {
    /// With a component at 0 % or below.
    pub at_black: f64,
    /// With a component at 100 % or above.
    pub at_white: f64,
    /// Whose colour had to be brought into the gamut of the display.
    pub out_of_gamut: f64,
    /// Beyond EBU R 103 before anything was brought in.
    pub beyond_r103: f64,
}

/// How far below zero a display component lies before its colour counts as outside: under half a code of ten bits in
/// the display's dark end nobody sees a difference.
const OUTSIDE: f32 = -0.002;

/// What a pixel is marked for: bits of [`BLACK`], [`WHITE`] and [`GAMUT`].
pub type Marks = u8;
/// A component at 0 % or below.
pub const BLACK: Marks = 1;
/// A component at 100 % or above.
pub const WHITE: Marks = 2;
/// Outside the gamut of the display.
pub const GAMUT: Marks = 4;

/// The marks of a pixel: `fitted` is the delivered colour, `wide` the same before it was brought into the gamut
/// of the display, both encoded. Half an 8-bit code counts as being at an end.
#[inline]
pub fn marks(fitted: &[f32; 4], wide: &[f32; 4]) -> Marks {
    let half = 0.5 / 255.0;
    let black = fitted[..3].iter().any(|v| *v <= half);
    let white = fitted[..3].iter().any(|v| *v >= 1.0 - half);
    let outside = wide[..3].iter().any(|v| *v < OUTSIDE);
    (u8::from(black) * BLACK) | (u8::from(white) * WHITE) | (u8::from(outside) * GAMUT)
}

/// Shares of pixels at and beyond the limits; see [`marks`] for the two pictures.
pub fn limits(fitted: &[[f32; 4]], wide: &[[f32; 4]]) -> Limits {
    let plane = Plane::bt709();
    let mut counts = [0_usize; 4];
    for (f, w) in fitted.iter().zip(wide) {
        let m = marks(f, w);
        let luma = plane.luma_of([w[0], w[1], w[2]]);
        let outside = |v: f32, [low, high]: [f32; 2]| v < low || v > high;
        let beyond = w[..3].iter().any(|v| outside(*v, R103_RGB)) || outside(luma, R103_LUMA);
        for (n, is) in counts.iter_mut().zip([m & BLACK != 0, m & WHITE != 0, m & GAMUT != 0, beyond]) {
            *n += usize::from(is);
        }
    }
    let share = |n: usize| n as f64 / fitted.len().max(1) as f64;
    Limits {
        at_black: share(counts[0]),
        at_white: share(counts[1]),
        out_of_gamut: share(counts[2]),
        beyond_r103: share(counts[3]),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_follow_the_definitions_of_r103() {
        // EBU R 103: RGB from -5 % to 105 %, luma from -1 % to 103 %.
        let wide = [
            [0.5, 0.5, 0.5, 1.0],
            [1.06, 0.2, 0.2, 1.0],
            [-0.06, 0.5, 0.5, 1.0],
            [1.04, 1.04, 1.04, 1.0],
            [1.04, 0.2, -0.04, 1.0],
        ];
        let fitted = wide.map(|p| p.map(|v: f32| v.clamp(0.0, 1.0)));
        let l = limits(&fitted, &wide);
        assert_eq!(l, Limits { at_black: 0.4, at_white: 0.6, out_of_gamut: 0.4, beyond_r103: 0.6 });
        assert_eq!(limits(&[], &[]), Limits::default());
    }
}
