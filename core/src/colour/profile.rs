//! Camera profiles: a log curve and primaries given by their published constants.

use super::log_curve::{LogConstants, LogCurve};
use super::{Adaptation, Encoding, Primaries, Reference, display::SDR_PEAK, transfer::Transfer};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// A camera: how its pictures are encoded.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CameraProfile {
    /// What people call it.
    pub name: String,
    /// Its log curve.
    pub log: LogConstants,
    /// Its primaries and white.
    pub primaries: Primaries,
    /// How its white is adapted to the working white.
    #[serde(default)]
    pub adaptation: Adaptation,
}

/// Points of a drawn curve, over -10 to +10 stops from middle grey.
pub const READING_POINTS: usize = 161;

/// Where light lands on a camera's curve.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct ProfileReading {
    /// Code values 0..1 over exposure, evenly from -10 to +10 stops from middle grey.
    pub curve: Vec<f64>,
    /// Code value of no light.
    pub black: f64,
    /// Code value of 18 % grey.
    pub grey: f64,
    /// Code value of 90 % white.
    pub white: f64,
    /// Stops from middle grey up to the highest code value.
    pub stops_over: f64,
    /// Stops from middle grey down to one 10-bit code value over black.
    pub stops_under: f64,
}

/// Why a camera profile cannot be used.
#[derive(Debug, Error, PartialEq)]
pub enum ProfileError {
    /// A constant is NaN or infinite.
    #[error("camera profile “{0}”: {1} is not a finite number")]
    NotFinite(String, &'static str),
    /// A constant is out of its range.
    #[error("camera profile “{0}”: {1}")]
    Range(String, &'static str),
}

impl CameraProfile {
    /// The encoding that this profile describes, under the id `camera`.
    pub fn encoding(&self) -> Result<Encoding, ProfileError> {
        let transfer = Transfer::Log(self.curve()?);
        Ok(Encoding {
            id: "camera".into(),
            name: self.name.clone(),
            title: self.name.clone(),
            transfer,
            primaries: self.primaries,
            adaptation: self.adaptation,
            reference: Reference::Scene,
            peak: SDR_PEAK,
        })
    }

    /// Where light lands on the curve.
    pub fn reading(&self) -> Result<ProfileReading, ProfileError> {
        let curve = self.curve()?;
        let code = |v: f32| f64::from(curve.to_code(v));
        let stops = |v: f32| f64::from((v.max(1e-12) / 0.18).log2());
        let place = |i: usize| -10.0 + 20.0 * i as f32 / (READING_POINTS - 1) as f32;
        let black = curve.to_code(0.0);
        Ok(ProfileReading {
            curve: (0..READING_POINTS).map(|i| code(0.18 * place(i).exp2())).collect(),
            black: f64::from(black),
            grey: code(0.18),
            white: code(0.9),
            stops_over: stops(curve.to_linear(1.0)),
            stops_under: -stops(curve.to_linear(black + 1.0 / 1023.0)),
        })
    }

    /// The curve made ready to run, after its constants were checked.
    pub fn curve(&self) -> Result<LogCurve, ProfileError> {
        let c = &self.log;
        let named = [
            (c.base, "base"),
            (c.log_side_slope, "logSideSlope"),
            (c.log_side_offset, "logSideOffset"),
            (c.lin_side_slope, "linSideSlope"),
            (c.lin_side_offset, "linSideOffset"),
            (c.lin_side_break, "linSideBreak"),
            (c.linear_slope.unwrap_or(1.0), "linearSlope"),
        ];
        if let Some((_, name)) = named.iter().find(|(v, _)| !v.is_finite()) {
            return Err(ProfileError::NotFinite(self.name.clone(), name));
        }
        let range =
            |ok: bool, what| if ok { Ok(()) } else { Err(ProfileError::Range(self.name.clone(), what)) };
        range(c.base > 1.0, "base has to be over 1")?;
        range(c.log_side_slope > 0.0, "logSideSlope has to be over 0")?;
        range(c.lin_side_slope > 0.0, "linSideSlope has to be over 0")?;
        range(c.linear_slope.unwrap_or(1.0) > 0.0, "linearSlope has to be over 0")?;
        let at_break = c.lin_side_slope * c.lin_side_break + c.lin_side_offset;
        range(at_break > 0.0, "linSideBreak lies where the logarithm has no value")?;
        Ok(LogCurve::of(c))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::primaries;

    fn acescct_by_constants() -> CameraProfile {
        CameraProfile {
            name: "ACEScct by constants".into(),
            log: LogConstants {
                base: 2.0,
                log_side_slope: 1.0 / 17.52,
                log_side_offset: 9.72 / 17.52,
                lin_side_slope: 1.0,
                lin_side_offset: 0.0,
                lin_side_break: 0.007_812_5,
                linear_slope: Some(10.540_237_741_654_5),
            },
            primaries: primaries::AP1,
            adaptation: Adaptation::Bradford,
        }
    }

    #[test]
    fn acescct_written_as_camera_constants_is_acescct() {
        // AMPAS S-2016-001: 0.18 encodes to 0.4135884, 0 to 0.0729055.
        let c = acescct_by_constants().curve().unwrap();
        assert!((c.to_code(0.18) - 0.413_588_4).abs() < 1e-6);
        assert!((c.to_code(0.0) - 0.072_905_53).abs() < 1e-6);
        for v in [-0.1_f32, 0.0, 1e-6, 0.0078, 0.0079, 0.18, 1.0, 1_234.0] {
            assert!((c.to_linear(c.to_code(v)) - v).abs() < 4e-6 * v.abs().max(0.1), "{v}");
        }
    }

    #[test]
    fn constants_that_give_no_curve_are_refused_by_name() {
        let mut p = acescct_by_constants();
        p.log.base = f64::NAN;
        assert!(p.curve().unwrap_err().to_string().contains("base is not a finite number"));
        let mut p = acescct_by_constants();
        p.log.lin_side_break = -1.0;
        assert!(p.curve().unwrap_err().to_string().contains("linSideBreak"));
    }
}
