//! Primaries and whites, and the matrices that follow from them.

use super::chromaticity::xy_to_xyz;
use super::{Adaptation, Mat3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::ops::Deref;
use thiserror::Error;

/// CIE 1931 xy chromaticities of three primaries and their white, as somebody says them.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(rename = "Primaries")]
pub struct Chromaticities {
    /// Red primary, x and y.
    pub red: [f64; 2],
    /// Green primary, x and y.
    pub green: [f64; 2],
    /// Blue primary, x and y.
    pub blue: [f64; 2],
    /// White, x and y.
    pub white: [f64; 2],
}

/// Why chromaticities are no primaries.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
pub enum PrimariesError {
    /// One is NaN or infinite, or farther out than anything that has a meaning.
    #[error("the chromaticities of its primaries have to be numbers from -2 to 2")]
    Range,
    /// A white without light.
    #[error("its white has no light: y has to be above 0.01, and it has to lie among colours that are seen")]
    White,
    /// Primaries that make no triangle.
    #[error("its primaries lie on one line: no three of them make all colours")]
    Line,
}

/// Primaries and their white, of which every matrix exists: checked once, where they are made.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(try_from = "Chromaticities", into = "Chromaticities")]
#[schemars(with = "Chromaticities")]
pub struct Primaries(Chromaticities);

impl Deref for Primaries {
    type Target = Chromaticities;

    fn deref(&self) -> &Chromaticities {
        &self.0
    }
}

impl From<Primaries> for Chromaticities {
    fn from(p: Primaries) -> Self {
        p.0
    }
}

impl TryFrom<Chromaticities> for Primaries {
    type Error = PrimariesError;

    fn try_from(of: Chromaticities) -> Result<Self, PrimariesError> {
        let all = [of.red, of.green, of.blue, of.white];
        if all.iter().flatten().any(|v| !(-2.0..=2.0).contains(v)) {
            return Err(PrimariesError::Range);
        }
        // Adaptation divides by what the cones see of a white.
        let seen = |how: Adaptation| how.cones_of(of.white).iter().all(|v| *v > 0.01);
        if of.white[1] <= 0.01 || ![Adaptation::Bradford, Adaptation::Cat16].into_iter().all(seen) {
            return Err(PrimariesError::White);
        }
        // Twice the area of their triangle.
        let [r, g, b] = [of.red, of.green, of.blue];
        let area = (g[0] - r[0]) * (b[1] - r[1]) - (b[0] - r[0]) * (g[1] - r[1]);
        let regular = of.matrix().and_then(|m| m.inverse()).is_some();
        if area.abs() < 1e-4 || !regular { Err(PrimariesError::Line) } else { Ok(Self(of)) }
    }
}

/// Primaries of a standard.
const fn standard(red: [f64; 2], green: [f64; 2], blue: [f64; 2], white: [f64; 2]) -> Primaries {
    Primaries(Chromaticities { red, green, blue, white })
}

/// D65 as ITU-R BT.709-6, BT.2020-2 and IEC 61966-2-1 round it.
pub const D65: [f64; 2] = [0.3127, 0.3290];
/// The ACES white, close to CIE daylight at 6000 K (SMPTE ST 2065-1; AMPAS TB-2018-001).
pub const ACES_WHITE: [f64; 2] = [0.32168, 0.33767];

/// AP0, SMPTE ST 2065-1.
pub const AP0: Primaries = standard([0.7347, 0.2653], [0.0, 1.0], [0.0001, -0.0770], ACES_WHITE);
/// AP1, AMPAS S-2014-004.
pub const AP1: Primaries = standard([0.713, 0.293], [0.165, 0.830], [0.128, 0.044], ACES_WHITE);
/// ITU-R BT.709-6, item 1.3; also IEC 61966-2-1.
pub const BT709: Primaries = standard([0.640, 0.330], [0.300, 0.600], [0.150, 0.060], D65);
/// SMPTE RP 431-2 primaries with D65 white.
pub const P3_D65: Primaries = standard([0.680, 0.320], [0.265, 0.690], [0.150, 0.060], D65);
/// ITU-R BT.2020-2, table 3; also BT.2100.
pub const BT2020: Primaries = standard([0.708, 0.292], [0.170, 0.797], [0.131, 0.046], D65);

impl Chromaticities {
    /// RGB to XYZ relative to the own white, Y = 1 for RGB = 1 (SMPTE RP 177-1993). `None` where they lie on one line.
    fn matrix(&self) -> Option<Mat3> {
        let [r, g, b] = [self.red, self.green, self.blue].map(|[x, y]| [x, y, 1.0 - x - y]);
        let p = Mat3([[r[0], g[0], b[0]], [r[1], g[1], b[1]], [r[2], g[2], b[2]]]);
        let c = p.inverse()?.apply(xy_to_xyz(self.white));
        Some(p.after(&Mat3::diagonal(c)))
    }
}

/// What is said where primaries that were checked have no matrix: it cannot be.
const CHECKED: &str = "primaries are checked where they are made";

impl Primaries {
    /// RGB to XYZ relative to the own white, Y = 1 for RGB = 1 (SMPTE RP 177-1993).
    pub fn to_xyz(&self) -> Mat3 {
        self.0.matrix().expect(CHECKED)
    }

    /// The matrix back from XYZ.
    pub fn from_xyz(&self) -> Mat3 {
        self.to_xyz().inverse().expect(CHECKED)
    }

    /// The share of each primary in the luminance of white: the luma weights of these primaries.
    pub fn luma(&self) -> [f64; 3] {
        self.to_xyz().0[1]
    }

    /// The matrix from these RGB to those of `other`; different whites are adapted by `how`.
    ///
    /// Exactly the identity between the same primaries.
    pub fn to(&self, other: &Self, how: Adaptation) -> Mat3 {
        if self == other {
            return Mat3::IDENTITY;
        }
        let (there, here) = (other.from_xyz(), self.to_xyz());
        if self.white == other.white {
            return there.after(&here);
        }
        there.after(&how.between(self.white, other.white)).after(&here)
    }

    /// The inverse of [`Primaries::to`].
    pub fn back_from(&self, other: &Self, how: Adaptation) -> Mat3 {
        self.to(other, how).inverse().expect(CHECKED)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn assert_close(m: Mat3, want: [[f64; 3]; 3], tolerance: f64) {
        for (row, want) in m.0.iter().zip(want) {
            for (v, w) in row.iter().zip(want) {
                assert!((v - w).abs() < tolerance, "{m:?}");
            }
        }
    }

    #[test]
    fn ap1_to_xyz_is_the_matrix_printed_in_s_2014_004() {
        // AMPAS S-2014-004, annex (TRA_1 inverse: ACEScg to XYZ).
        let want = [
            [0.662_454_181_1, 0.134_004_206_5, 0.156_187_687_0],
            [0.272_228_716_8, 0.674_081_765_8, 0.053_689_517_4],
            [-0.005_574_649_5, 0.004_060_733_5, 1.010_339_100_3],
        ];
        assert_close(AP1.to_xyz(), want, 1e-9);
    }

    #[test]
    fn bt709_luma_weights_are_those_of_the_recommendation() {
        // ITU-R BT.709-6, item 3.2: 0.2126, 0.7152, 0.0722.
        let luma = BT709.luma();
        for (v, want) in luma.iter().zip([0.2126, 0.7152, 0.0722]) {
            assert!((v - want).abs() < 5e-5);
        }
    }

    #[test]
    fn white_stays_white_between_any_two_sets() {
        for a in [AP0, AP1, BT709, P3_D65, BT2020] {
            for b in [AP0, AP1, BT709, P3_D65, BT2020] {
                for how in [Adaptation::Bradford, Adaptation::Cat16] {
                    for v in a.to(&b, how).apply([1.0; 3]) {
                        assert!((v - 1.0).abs() < 1e-12);
                    }
                }
            }
        }
    }

    #[test]
    fn standards_are_primaries_and_what_makes_no_triangle_is_none() {
        for p in [AP0, AP1, BT709, P3_D65, BT2020] {
            assert_eq!(Primaries::try_from(Chromaticities::from(p)), Ok(p));
        }
        let of = |red, green, blue, white| Primaries::try_from(Chromaticities { red, green, blue, white });
        let (r, g, b) = (BT709.red, BT709.green, BT709.blue);
        assert_eq!(of([0.1, 0.1], [0.2, 0.2], [0.3, 0.3], D65), Err(PrimariesError::Line));
        assert_eq!(of(r, r, b, D65), Err(PrimariesError::Line));
        assert_eq!(of(r, g, b, [0.3, 0.0]), Err(PrimariesError::White));
        assert_eq!(of(r, g, b, [1.9, 0.02]), Err(PrimariesError::White));
        assert_eq!(of([f64::NAN, 0.3], g, b, D65), Err(PrimariesError::Range));
        assert_eq!(of([1e300, 0.3], g, b, D65), Err(PrimariesError::Range));
        // As a file says them.
        let flat = r#"{"red":[0.1,0.1],"green":[0.2,0.2],"blue":[0.3,0.3],"white":[0.3127,0.329]}"#;
        let said = serde_json::from_str::<Primaries>(flat).unwrap_err().to_string();
        assert!(said.contains("on one line"), "{said}");
    }

    proptest! {
        #[test]
        fn of_whatever_is_taken_every_matrix_is_finite_and_leads_back(
            xy in proptest::array::uniform8(-2.0..2.0_f64), near in any::<bool>(),
        ) {
            let [a, b, c, d, e, f, g, h] = xy;
            let white = if near { [0.3 + g * 0.1, 0.33 + h * 0.1] } else { [g, h] };
            let of = Chromaticities { red: [a, b], green: [c, d], blue: [e, f], white };
            let Ok(p) = Primaries::try_from(of) else { return Ok(()) };
            for how in [Adaptation::Bradford, Adaptation::Cat16] {
                let there = p.to(&AP1, how);
                let back = p.back_from(&AP1, how);
                prop_assert!(there.0.iter().chain(&back.0).flatten().all(|v| v.is_finite()));
                let size = there.0.iter().flatten().fold(1.0_f64, |m, v| m.max(v.abs()));
                for v in back.apply(there.apply([1.0; 3])) {
                    prop_assert!((v - 1.0).abs() < 1e-6 * size, "{v}");
                }
            }
        }
    }
}
