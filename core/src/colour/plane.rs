//! The colour-difference plane: one hue angle for scopes and steps.
//!
//! Blue difference to the right, red difference up, scaled as BT.709 scales Cb and Cr: the vectorscope's own
//! convention. Hue is the angle in degrees, counted from the right; saturation the radius; brightness the luma.

use super::Primaries;
use crate::numeric::lane::{Channel, N, Planes};

/// Hue of the skin line, the I axis, in degrees (common practice: skin of every tone lies near it).
pub const SKIN_DEGREES: f64 = 123.0;

/// Luma weights and the scales that follow from them.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Plane {
    /// Luma weights of R, G, B; they sum to 1.
    pub luma: [f32; 3],
    blue_scale: f32,
    red_scale: f32,
}

impl Plane {
    /// The plane with these luma weights, which sum to 1.
    pub fn new(luma: [f64; 3]) -> Self {
        Self {
            luma: luma.map(|w| w as f32),
            // BT.709-6, 3.3: the scales that put pure blue and pure red at 0.5.
            blue_scale: (2.0 * (1.0 - luma[2])) as f32,
            red_scale: (2.0 * (1.0 - luma[0])) as f32,
        }
    }

    /// The plane of RGB with these primaries.
    pub fn of(primaries: &Primaries) -> Self {
        Self::new(primaries.luma())
    }

    /// BT.709 with the weights of the recommendation (item 3.2).
    pub fn bt709() -> Self {
        Self::new([0.2126, 0.7152, 0.0722])
    }

    /// Luma of a colour.
    #[inline(always)]
    pub fn luma_of(&self, [r, g, b]: [f32; 3]) -> f32 {
        self.luma[0] * r + self.luma[1] * g + self.luma[2] * b
    }

    /// Luma of every pixel of a block.
    #[inline(always)]
    pub fn luma_plane(&self, [r, g, b]: &Planes) -> Channel {
        let mut luma = Channel::of(0.0);
        for i in 0..N {
            luma[i] = self.luma_of([r[i], g[i], b[i]]);
        }
        luma
    }

    /// Luma, blue difference and red difference.
    #[inline(always)]
    pub fn split(&self, rgb: [f32; 3]) -> (f32, f32, f32) {
        let y = self.luma_of(rgb);
        (y, (rgb[2] - y) / self.blue_scale, (rgb[0] - y) / self.red_scale)
    }

    /// The colour offset of a move by (`cb`, `cr`) in the plane: it has no luma of its own.
    #[inline(always)]
    pub fn offset(&self, cb: f32, cr: f32) -> [f32; 3] {
        let (b, r) = (cb * self.blue_scale, cr * self.red_scale);
        [r, -(self.luma[0] * r + self.luma[2] * b) / self.luma[1], b]
    }

    /// The colour with this luma and these differences.
    #[inline(always)]
    pub fn join(&self, y: f32, cb: f32, cr: f32) -> [f32; 3] {
        let o = self.offset(cb, cr);
        [y + o[0], y + o[1], y + o[2]]
    }
}

/// The point of a hue in degrees and an amount: (`cb`, `cr`).
pub fn polar(hue: f64, amount: f64) -> (f64, f64) {
    let (sin, cos) = hue.to_radians().sin_cos();
    (amount * cos, amount * sin)
}

/// Hue in degrees, 0..360, of a point in the plane; 0 at the centre.
pub fn hue_of(cb: f64, cr: f64) -> f64 {
    cr.atan2(cb).to_degrees().rem_euclid(360.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pure_colours_lie_at_the_angles_of_a_bt709_vectorscope() {
        // From the definition in BT.709-6, 3.2-3.3: Cb, Cr of the primaries and their complements.
        let plane = Plane::bt709();
        let want = [
            ([1.0, 0.0, 0.0], 102.9, 0.513),
            ([0.0, 1.0, 0.0], 229.7, 0.596),
            ([0.0, 0.0, 1.0], 354.8, 0.502),
            ([1.0, 1.0, 0.0], 174.8, 0.502),
        ];
        for (rgb, angle, radius) in want {
            let (_, cb, cr) = plane.split(rgb);
            assert!((hue_of(f64::from(cb), f64::from(cr)) - angle).abs() < 0.1, "{rgb:?}");
            assert!((cb.hypot(cr) - radius).abs() < 2e-3, "{rgb:?}");
        }
    }

    #[test]
    fn splitting_and_joining_gives_the_colour_back_and_an_offset_has_no_luma() {
        let plane = Plane::of(&super::super::primaries::AP1);
        let (y, cb, cr) = plane.split([0.7, 0.1, -0.2]);
        for (v, want) in plane.join(y, cb, cr).iter().zip([0.7, 0.1, -0.2]) {
            assert!((v - want).abs() < 1e-6);
        }
        assert!(plane.luma_of(plane.offset(0.3, -0.2)).abs() < 1e-7);
    }
}
