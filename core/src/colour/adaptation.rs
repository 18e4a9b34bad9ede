//! Chromatic adaptation, and the whites of the daylight and Planckian locus.

use super::chromaticity::{uv_to_xy, xy_to_uv, xy_to_xyz, xyz_to_xy};
use super::{Mat3, isotherm::toward_green};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A von Kries adaptation: gains on cone-like responses.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Adaptation {
    /// The linear Bradford transform, as ACES uses it (AMPAS TB-2018-001) and ICC profiles do.
    #[default]
    Bradford,
    /// The transform of CIECAM16 (CIE 248:2022), with complete adaptation.
    Cat16,
}

impl Adaptation {
    /// XYZ to cone-like responses.
    pub fn to_cones(self) -> Mat3 {
        match self {
            // ICC.1:2022, annex E.
            Self::Bradford => {
                Mat3([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
            }
            // CIE 248:2022, M_16.
            Self::Cat16 => Mat3([
                [0.401288, 0.650173, -0.051461],
                [-0.250268, 1.204414, 0.045854],
                [-0.002079, 0.048952, 0.953127],
            ]),
        }
    }

    /// What the cones see of a white (xy) at Y = 1.
    pub(super) fn cones_of(self, white: [f64; 2]) -> [f64; 3] {
        self.to_cones().apply(xy_to_xyz(white))
    }

    /// The XYZ matrix that turns the white `from` (xy) into the white `to` (xy).
    pub fn between(self, from: [f64; 2], to: [f64; 2]) -> Mat3 {
        let cones = self.to_cones();
        let (a, b) = (self.cones_of(from), self.cones_of(to));
        let gains = Mat3::diagonal([b[0] / a[0], b[1] / a[1], b[2] / a[2]]);
        let back = cones.inverse().expect("both matrices above are regular constants");
        back.after(&gains).after(&cones)
    }
}

/// Lowest temperature of [`locus`], in kelvin.
pub const LOWEST_KELVIN: f64 = 1_700.0;
/// Highest temperature of [`locus`], in kelvin (CIE 015:2018, the end of the daylight locus).
pub const HIGHEST_KELVIN: f64 = 25_000.0;

/// Planckian locus in CIE 1960 uv; Krystek 1985, "An algorithm to calculate correlated colour temperature",
/// within about 1e-4 of Planck's law from 1,000 K to 15,000 K.
fn planckian_uv(t: f64) -> [f64; 2] {
    let u = (0.860_117_757 + 1.541_182_54e-4 * t + 1.286_412_12e-7 * t * t)
        / (1.0 + 8.424_202_35e-4 * t + 7.081_451_63e-7 * t * t);
    let v = (0.317_398_726 + 4.228_062_45e-5 * t + 4.204_816_91e-8 * t * t)
        / (1.0 - 2.897_418_16e-5 * t + 1.614_560_53e-7 * t * t);
    [u, v]
}

/// Daylight locus, CIE 015:2018 equations 4.1 to 4.3, defined from 4,000 K to 25,000 K.
pub fn daylight_xy(t: f64) -> [f64; 2] {
    let i = 1e3 / t;
    let x = if t <= 7_000.0 {
        0.244_063 + i * (0.099_11 + i * (2.967_8 - i * 4.607_0))
    } else {
        0.237_040 + i * (0.247_48 + i * (1.901_8 - i * 2.006_4))
    };
    [x, -3.0 * x * x + 2.870 * x - 0.275]
}

/// The locus of everyday whites in uv: Planckian below 4,000 K, daylight above 5,000 K, and a smooth change
/// from one to the other between, so that a slider has no jump.
fn locus_uv(kelvin: f64) -> [f64; 2] {
    let planck = planckian_uv(kelvin);
    let t = ((kelvin - 4_000.0) / 1_000.0).clamp(0.0, 1.0);
    let w = t * t * (3.0 - 2.0 * t);
    if w == 0.0 {
        return planck;
    }
    let day = xy_to_uv(daylight_xy(kelvin));
    [planck[0] + w * (day[0] - planck[0]), planck[1] + w * (day[1] - planck[1])]
}

/// The temperature in kelvin that a white of the locus really has: daylight's own formula lies off the lines of equal
/// temperature by up to 0.17 % at 16,000 K (Planck's law against CIE 015:2018, 4.1; a fit).
fn correlated(kelvin: f64) -> f64 {
    kelvin * (1.0 - 1.7e-3 * ((kelvin - 7_000.0) / 9_000.0).max(0.0))
}

/// The white of a temperature in kelvin ([`LOWEST_KELVIN`]..[`HIGHEST_KELVIN`], held at the ends) and a tint:
/// the distance from the locus in CIE 1960 uv, positive toward green (Duv), along the line of equal temperature.
pub fn locus(kelvin: f64, tint: f64) -> [f64; 2] {
    let t = kelvin.clamp(LOWEST_KELVIN, HIGHEST_KELVIN);
    let [u, v] = locus_uv(t);
    let [nu, nv] = toward_green(correlated(t));
    uv_to_xy([u + tint * nu, v + tint * nv])
}

/// Temperature and tint whose [`locus`] white is the chromaticity `xy`: the line of equal temperature that goes through
/// it, searched by halving in reciprocal temperature. The inverse of [`locus`] to 0.01 K and 1e-9 in tint.
///
/// `None` where the chromaticity is more than `0.05` from the locus, or on no such line: no white, but a colour.
pub fn nearest_on_locus(xy: [f64; 2]) -> Option<(f64, f64)> {
    let [u, v] = xy_to_uv(xy);
    // Components of the way from the locus: across the line of equal temperature, and along it.
    let apart = |mired: f64| {
        let kelvin = 1e6 / mired;
        let ([lu, lv], [nu, nv]) = (locus_uv(kelvin), toward_green(correlated(kelvin)));
        ((u - lu) * nv - (v - lv) * nu, (u - lu) * nu + (v - lv) * nv)
    };
    // Far from the locus several lines go through a point: the one that it is nearest on counts. A little beyond both
    // ends, so that whites at the ends themselves are found.
    let (low, high) = (1e6 / HIGHEST_KELVIN - 1e-6, 1e6 / LOWEST_KELVIN + 1e-6);
    const SCAN: usize = 64;
    let at = |i: usize| low + (high - low) * i as f64 / SCAN as f64;
    let crossed = (0..SCAN).filter(|i| apart(at(*i)).0 >= 0.0 && apart(at(*i + 1)).0 <= 0.0);
    let best = crossed.min_by(|a, b| apart(at(*a)).1.abs().total_cmp(&apart(at(*b)).1.abs()))?;
    let (mut a, mut b) = (at(best), at(best + 1));
    for _ in 0..60 {
        let middle = 0.5 * (a + b);
        if apart(middle).0 >= 0.0 { a = middle } else { b = middle }
    }
    let mired = 0.5 * (a + b);
    let side = apart(mired).1;
    (side.abs() <= 0.05).then_some((1e6 / mired, side))
}

/// Chromaticity of a linear colour through an RGB-to-XYZ matrix.
pub fn chromaticity(to_xyz: &Mat3, rgb: [f64; 3]) -> [f64; 2] {
    xyz_to_xy(to_xyz.apply(rgb))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn daylight_at_6500_k_is_the_published_d65() {
        // CIE 015:2018, table T.3: D65, 6504 K, has x 0.31271, y 0.32902. The locus equations are a fit and
        // give y 0.32912 there, as colour-science 0.4.7 (CCT_to_xy_CIE_D) does too.
        let [x, y] = daylight_xy(6_504.0);
        assert!((x - 0.312_714).abs() < 1e-5 && (y - 0.329_12).abs() < 1e-5, "{x} {y}");
    }

    #[test]
    fn illuminant_a_lies_on_the_planckian_part() {
        // CIE 015:2018, table T.3: illuminant A, 2856 K, x 0.44758, y 0.40745.
        let ([u, v], [au, av]) = (xy_to_uv(locus(2_856.0, 0.0)), xy_to_uv([0.447_58, 0.407_45]));
        assert!((u - au).hypot(v - av) < 1.3e-4, "{u} {v}");
    }

    #[test]
    fn the_locus_has_no_jump() {
        let mut last = locus(1_700.0, 0.01);
        for i in 1..23_300 {
            let here = locus(1_700.0 + f64::from(i), 0.01);
            assert!((here[0] - last[0]).hypot(here[1] - last[1]) < 2e-4);
            last = here;
        }
    }

    #[test]
    fn temperature_and_tint_are_found_again() {
        for kelvin in [1_900.0, 2_800.0, 4_500.0, 6_000.0, 9_300.0, 20_000.0] {
            for tint in [-0.02, 0.0, 0.015] {
                let (t, d) = nearest_on_locus(locus(kelvin, tint)).unwrap();
                assert!(
                    (t / kelvin - 1.0).abs() < 1e-6 && (d - tint).abs() < 1e-9,
                    "{kelvin} {tint}: {t} {d}"
                );
            }
        }
        assert_eq!(nearest_on_locus([0.2, 0.7]), None);
    }

    #[test]
    fn temperature_stays_within_two_thousandths_at_any_tint() {
        // The temperature of a light is that of the black body whose normal it lies on (CIE 015:2018, 9.4). The black
        // bodies are Planck's law with the observer summed every nanometre, by colour-science's tables.
        let rows: serde_json::Value =
            serde_json::from_str(include_str!("../../tests/fixtures/planck.json")).unwrap();
        let points: Vec<[f64; 3]> = serde_json::from_value(rows["mired_u_v"].clone()).unwrap();
        let last = points.len() - 2;
        for kelvin in [1_800.0, 2_400.0, 3_200.0, 4_500.0, 5_600.0, 8_000.0, 12_000.0, 16_000.0] {
            for duv in [-0.04, -0.02, 0.0, 0.02, 0.04] {
                let [u, v] = xy_to_uv(locus(kelvin, duv));
                // How far it lies to the warm side of the normal at a black body.
                let side = |i: usize| {
                    let (a, b) = (points[i - 1], points[i + 1]);
                    (u - points[i][1]) * (b[1] - a[1]) + (v - points[i][2]) * (b[2] - a[2])
                };
                let far = |i: usize| (u - points[i][1]).hypot(v - points[i][2]);
                let near = (2..last).min_by(|a, b| far(*a).total_cmp(&far(*b))).unwrap();
                let i = if side(near) < 0.0 { near - 1 } else { near };
                let (a, b) = (side(i), side(i + 1));
                let mired = points[i][0] + (points[i + 1][0] - points[i][0]) * a / (a - b);
                let off = 1e6 / mired / kelvin - 1.0;
                assert!(off.abs() < 2e-3, "{kelvin} K, Duv {duv}: {off}");
            }
        }
    }

    #[test]
    fn positive_tint_lies_toward_green() {
        assert!(locus(6_000.0, 0.02)[1] > locus(6_000.0, 0.0)[1]);
    }
}
