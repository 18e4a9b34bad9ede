//! Primaries and whites, and the matrices that follow from them.

use super::{Adaptation, Mat3};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// CIE 1931 xy chromaticities of three primaries and their white.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Primaries {
    /// Red primary, x and y.
    pub red: [f64; 2],
    /// Green primary, x and y.
    pub green: [f64; 2],
    /// Blue primary, x and y.
    pub blue: [f64; 2],
    /// White, x and y.
    pub white: [f64; 2],
}

/// D65 as ITU-R BT.709-6, BT.2020-2 and IEC 61966-2-1 round it.
pub const D65: [f64; 2] = [0.3127, 0.3290];
/// The ACES white, close to CIE daylight at 6000 K (SMPTE ST 2065-1; AMPAS TB-2018-001).
pub const ACES_WHITE: [f64; 2] = [0.32168, 0.33767];

/// AP0, SMPTE ST 2065-1.
pub const AP0: Primaries =
    Primaries { red: [0.7347, 0.2653], green: [0.0, 1.0], blue: [0.0001, -0.0770], white: ACES_WHITE };
/// AP1, AMPAS S-2014-004.
pub const AP1: Primaries =
    Primaries { red: [0.713, 0.293], green: [0.165, 0.830], blue: [0.128, 0.044], white: ACES_WHITE };
/// ITU-R BT.709-6, item 1.3; also IEC 61966-2-1.
pub const BT709: Primaries =
    Primaries { red: [0.640, 0.330], green: [0.300, 0.600], blue: [0.150, 0.060], white: D65 };
/// SMPTE RP 431-2 primaries with D65 white.
pub const P3_D65: Primaries =
    Primaries { red: [0.680, 0.320], green: [0.265, 0.690], blue: [0.150, 0.060], white: D65 };
/// ITU-R BT.2020-2, table 3; also BT.2100.
pub const BT2020: Primaries =
    Primaries { red: [0.708, 0.292], green: [0.170, 0.797], blue: [0.131, 0.046], white: D65 };

/// XYZ of a chromaticity at Y = 1.
pub fn xy_to_xyz([x, y]: [f64; 2]) -> [f64; 3] {
    [x / y, 1.0, (1.0 - x - y) / y]
}

/// Chromaticity of a colour. A colour without light has the chromaticity (0, 0).
pub fn xyz_to_xy([x, y, z]: [f64; 3]) -> [f64; 2] {
    let sum = x + y + z;
    if sum == 0.0 { [0.0, 0.0] } else { [x / sum, y / sum] }
}

impl Primaries {
    /// RGB to XYZ relative to the own white, Y = 1 for RGB = 1 (SMPTE RP 177-1993).
    ///
    /// `None` where the primaries lie on one line or a chromaticity has y = 0.
    pub fn to_xyz(&self) -> Option<Mat3> {
        let [r, g, b] = [self.red, self.green, self.blue].map(|[x, y]| [x, y, 1.0 - x - y]);
        let p = Mat3([[r[0], g[0], b[0]], [r[1], g[1], b[1]], [r[2], g[2], b[2]]]);
        if self.white[1] == 0.0 {
            return None;
        }
        let c = p.inverse()?.apply(xy_to_xyz(self.white));
        let m = p.after(&Mat3::diagonal(c));
        m.inverse().map(|_| m)
    }

    /// The share of each primary in the luminance of white: the luma weights of these primaries.
    pub fn luma(&self) -> Option<[f64; 3]> {
        self.to_xyz().map(|m| m.0[1])
    }

    /// The matrix from these RGB to those of `other`; different whites are adapted by `how`.
    ///
    /// Exactly the identity between the same primaries.
    pub fn to(&self, other: &Self, how: Adaptation) -> Option<Mat3> {
        if self == other {
            return self.to_xyz().map(|_| Mat3::IDENTITY);
        }
        let there = other.to_xyz()?.inverse()?;
        let here = self.to_xyz()?;
        if self.white == other.white {
            return Some(there.after(&here));
        }
        Some(there.after(&how.between(self.white, other.white)).after(&here))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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
        assert_close(AP1.to_xyz().unwrap(), want, 1e-9);
    }

    #[test]
    fn bt709_luma_weights_are_those_of_the_recommendation() {
        // ITU-R BT.709-6, item 3.2: 0.2126, 0.7152, 0.0722.
        let luma = BT709.luma().unwrap();
        for (v, want) in luma.iter().zip([0.2126, 0.7152, 0.0722]) {
            assert!((v - want).abs() < 5e-5);
        }
    }

    #[test]
    fn white_stays_white_between_any_two_sets() {
        for a in [AP0, AP1, BT709, P3_D65, BT2020] {
            for b in [AP0, AP1, BT709, P3_D65, BT2020] {
                for how in [Adaptation::Bradford, Adaptation::Cat16] {
                    for v in a.to(&b, how).unwrap().apply([1.0; 3]) {
                        assert!((v - 1.0).abs() < 1e-12);
                    }
                }
            }
        }
    }

    #[test]
    fn primaries_on_one_line_have_no_matrix() {
        let flat = Primaries { red: [0.1, 0.1], green: [0.2, 0.2], blue: [0.3, 0.3], white: D65 };
        assert_eq!(flat.to_xyz(), None);
    }
}
