//! The kinds of steps. One file a kind; this file is the one list.

pub mod axis;
pub mod balance;
pub mod curve;
pub mod curves;
pub mod field;
pub mod plain;
pub mod saturation;
pub mod tone;
pub mod tone_tint;

pub use axis::{Axis, plane_of};
pub use balance::Balance;
pub use curves::Curves;
pub use plain::PlainRendering;
pub use saturation::Saturation;
pub use tone::Tone;
pub use tone_tint::ToneTint;

use crate::colour::matrix::Mat3f;
use crate::lane::Planes;
use field::{Field, FieldKind, MAX_POINTS, POINT_GAP};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// The three parts of a path, in the order of the light.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Zone {
    /// Scene-referred, before any rendering; steps work in ACEScct or linear AP1.
    Scene,
    /// Negative, printer and print, or the plain rendering.
    Film,
    /// Display light, P3-D65, in a pure 2.4 power.
    Screen,
}

/// A step's kind with its parameters.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", content = "values", rename_all = "kebab-case")]
pub enum Values {
    /// Exposure and white balance.
    Balance(Balance),
    /// Response curve.
    Tone(Tone),
    /// Split toning.
    ToneTint(ToneTint),
    /// Free curves.
    Curves(Curves),
    /// Strength of colours.
    Saturation(Saturation),
    /// Neutral scene-to-display rendering.
    PlainRendering(PlainRendering),
}

/// The domain a step's arithmetic runs in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Domain {
    /// Linear light: AP1 in the Scene zone.
    Linear,
    /// The zone's encoded values: ACEScct in the Scene zone, 2.4-power P3 in the Screen zone.
    Encoded,
}

/// What is known about a kind of step before there is one.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct KindInfo {
    /// The kind's id in documents.
    pub kind: &'static str,
    /// What people call it.
    pub title: &'static str,
    /// What it is for, in a line.
    pub purpose: &'static str,
    /// The zones it may stand in.
    pub zones: &'static [Zone],
    /// Whether it depends on a pixel's colour alone and so goes into tables.
    pub in_table: bool,
    /// Its parameters in the order they are shown.
    pub fields: &'static [Field],
}

const SCENE_AND_SCREEN: &[Zone] = &[Zone::Scene, Zone::Screen];

/// Every kind of step, in the order a path usually has them.
pub const KINDS: &[KindInfo] = &[
    KindInfo {
        kind: "balance",
        title: "Balance",
        purpose: "Exposure and white, as light on the set would change",
        zones: &[Zone::Scene],
        in_table: true,
        fields: Balance::FIELDS,
    },
    KindInfo {
        kind: "tone",
        title: "Tone",
        purpose: "Contrast, black and white point, toe and shoulder, faded blacks",
        zones: SCENE_AND_SCREEN,
        in_table: true,
        fields: Tone::FIELDS,
    },
    KindInfo {
        kind: "tone-tint",
        title: "Tone tint",
        purpose: "Split toning: a colour for darks, middles and lights",
        zones: SCENE_AND_SCREEN,
        in_table: true,
        fields: ToneTint::FIELDS,
    },
    KindInfo {
        kind: "curves",
        title: "Curves",
        purpose: "Brightness, red, green and blue through free points",
        zones: SCENE_AND_SCREEN,
        in_table: true,
        fields: Curves::FIELDS,
    },
    KindInfo {
        kind: "saturation",
        title: "Saturation",
        purpose: "Strength of colours: overall, weak ones, by brightness, with density",
        zones: SCENE_AND_SCREEN,
        in_table: true,
        fields: Saturation::FIELDS,
    },
    KindInfo {
        kind: "plain-rendering",
        title: "Plain rendering",
        purpose: "Neutral way from scene light to the screen where no film is wanted",
        zones: &[Zone::Film],
        in_table: true,
        fields: PlainRendering::FIELDS,
    },
];

/// Why a step's values cannot be used.
#[derive(Debug, Error, PartialEq)]
pub enum ValueError {
    /// A number that is NaN or infinite.
    #[error("{0} is not a finite number")]
    NotFinite(&'static str),
    /// A number outside its range.
    #[error("{field} is {value}; it goes from {min} to {max}")]
    Range {
        /// The field's title.
        field: &'static str,
        /// What was given.
        value: f64,
        /// Lowest value.
        min: f64,
        /// Highest value.
        max: f64,
    },
    /// Too many points on a curve.
    #[error("{0} has {1} points; a curve holds up to {MAX_POINTS}")]
    TooManyPoints(&'static str, usize),
    /// Points that do not rise.
    #[error("{0}: points have to go from left to right, at least {POINT_GAP} apart")]
    Order(&'static str),
}

/// A step's arithmetic, ready to run on blocks.
#[derive(Clone, Debug, PartialEq)]
pub enum Kernel {
    /// A matrix on linear light.
    Matrix(Mat3f),
    /// Tone.
    Tone(tone::Kernel),
    /// Tone tint.
    ToneTint(tone_tint::Kernel),
    /// Curves.
    Curves(curves::Kernel),
    /// Saturation.
    Saturation(saturation::Kernel),
}

impl Kernel {
    /// Runs the step at full strength.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        match self {
            Self::Matrix(m) => m.run(planes),
            Self::Tone(k) => k.run(planes),
            Self::ToneTint(k) => k.run(planes),
            Self::Curves(k) => k.run(planes),
            Self::Saturation(k) => k.run(planes),
        }
    }
}

impl Values {
    /// New values of a kind, which change nothing. `None` for a kind that does not exist.
    pub fn neutral(kind: &str) -> Option<Self> {
        Some(match kind {
            "balance" => Self::Balance(Balance::default()),
            "tone" => Self::Tone(Tone::default()),
            "tone-tint" => Self::ToneTint(ToneTint::default()),
            "curves" => Self::Curves(Curves::default()),
            "saturation" => Self::Saturation(Saturation::default()),
            "plain-rendering" => Self::PlainRendering(PlainRendering::default()),
            _ => return None,
        })
    }

    /// What is known about this kind.
    pub fn info(&self) -> &'static KindInfo {
        let kind = match self {
            Self::Balance(_) => 0,
            Self::Tone(_) => 1,
            Self::ToneTint(_) => 2,
            Self::Curves(_) => 3,
            Self::Saturation(_) => 4,
            Self::PlainRendering(_) => 5,
        };
        &KINDS[kind]
    }

    /// The domain the step runs in.
    pub fn domain(&self) -> Domain {
        match self {
            Self::Balance(_) => Domain::Linear,
            _ => Domain::Encoded,
        }
    }

    /// The step's arithmetic in a zone. `None` for a rendering, which changes zones instead.
    pub fn kernel(&self, zone: Zone) -> Option<Kernel> {
        Some(match self {
            Self::Balance(v) => Kernel::Matrix(v.kernel()),
            Self::Tone(v) => Kernel::Tone(v.kernel(zone)),
            Self::ToneTint(v) => Kernel::ToneTint(v.kernel(zone)),
            Self::Curves(v) => Kernel::Curves(v.kernel(zone)),
            Self::Saturation(v) => Kernel::Saturation(v.kernel(zone)),
            Self::PlainRendering(_) => return None,
        })
    }

    /// Checks every value against the ranges of its field.
    pub fn check(&self) -> Result<(), ValueError> {
        // Reading the values through their own serialisation keeps the check in one place for all kinds.
        let json = serde_json::to_value(self).unwrap_or_default();
        let values = &json["values"];
        for field in self.info().fields {
            check_field(field, &values[field.id])?;
        }
        Ok(())
    }
}

fn check_field(field: &Field, value: &serde_json::Value) -> Result<(), ValueError> {
    match field.kind {
        FieldKind::Number { min, max, .. } => check_number(field.title, value, [min, max]),
        FieldKind::Switch { .. } => Ok(()),
        FieldKind::Curve { across, up, .. } => {
            let points = value.as_array().map(Vec::as_slice).unwrap_or_default();
            if points.len() > MAX_POINTS {
                return Err(ValueError::TooManyPoints(field.title, points.len()));
            }
            let mut last = f64::NEG_INFINITY;
            for p in points {
                check_number(field.title, &p[0], across)?;
                check_number(field.title, &p[1], up)?;
                let x = p[0].as_f64().unwrap_or(f64::NAN);
                if x - last < POINT_GAP * 0.999 {
                    return Err(ValueError::Order(field.title));
                }
                last = x;
            }
            Ok(())
        }
    }
}

/// JSON has no NaN: serde_json writes one as null, which arrives here as no number.
fn check_number(
    field: &'static str,
    value: &serde_json::Value,
    [min, max]: [f64; 2],
) -> Result<(), ValueError> {
    let value = value.as_f64().filter(|v| v.is_finite()).ok_or(ValueError::NotFinite(field))?;
    // A value typed at a range's end may come back a rounding error beyond it.
    let slack = (max - min) * 1e-9;
    if value < min - slack || value > max + slack {
        return Err(ValueError::Range { field, value, min, max });
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_has_a_neutral_that_passes_its_own_check_and_knows_its_name() {
        for info in KINDS {
            let values = Values::neutral(info.kind).unwrap();
            values.check().unwrap();
            assert_eq!(values.info().kind, info.kind);
            assert_eq!(serde_json::to_value(&values).unwrap()["kind"], info.kind);
        }
        assert_eq!(Values::neutral("sharpen"), None);
    }

    #[test]
    fn values_out_of_range_or_not_finite_are_named() {
        let high = Values::Balance(Balance { exposure: 40.0, ..Default::default() });
        assert_eq!(high.check().unwrap_err().to_string(), "Exposure is 40; it goes from -8 to 8");
        let nan = Values::Tone(Tone { contrast: f64::NAN, ..Default::default() });
        assert_eq!(nan.check().unwrap_err().to_string(), "Contrast is not a finite number");
        let back = Values::Curves(Curves { red: vec![[1.0, 1.0], [0.0, 0.0]], ..Default::default() });
        assert!(matches!(back.check(), Err(ValueError::Order("Red"))));
    }

    #[test]
    fn neutral_steps_change_no_code_value_by_more_than_an_ulp_or_two() {
        for info in KINDS.iter().filter(|k| k.kind != "plain-rendering") {
            for zone in info.zones {
                let kernel = Values::neutral(info.kind).unwrap().kernel(*zone).unwrap();
                let rgb = [0.413_588_4_f32, 0.02, 0.97];
                let mut p = rgb.map(|v| [v; crate::lane::N]);
                kernel.run(&mut p);
                for (plane, v) in p.iter().zip(rgb) {
                    assert!((plane[0] - v).abs() < 3e-7, "{} {zone:?}: {v} became {}", info.kind, plane[0]);
                }
            }
        }
    }
}
