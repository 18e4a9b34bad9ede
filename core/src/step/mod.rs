//! The kinds of steps. One file a kind; this file is the one list.

pub mod axis;
pub mod balance;
pub mod channel_mix;
pub mod colour_compress;
pub mod colour_families;
pub mod curve;
pub mod curves;
pub mod field;
pub mod gel;
pub mod hue_curves;
pub mod kinds;
pub mod levels;
pub mod negative;
pub mod plain;
pub mod print;
pub mod saturation;
pub mod slope_offset_power;
pub mod tables;
pub mod tone;
pub mod tone_tint;

pub use axis::{Axis, plane_of, saturation_reach};
pub use balance::Balance;
pub use channel_mix::ChannelMix;
pub use colour_compress::ColourCompress;
pub use colour_families::ColourFamilies;
pub use curves::Curves;
pub use gel::Gel;
pub use hue_curves::{Bump, HueCurves};
pub use kinds::{KINDS, KindInfo};
pub use levels::Levels;
pub use negative::Negative;
pub use plain::PlainRendering;
pub use print::Print;
pub use saturation::Saturation;
pub use slope_offset_power::SlopeOffsetPower;
pub use tables::{TableEncoding, TableUse, Tables};
pub use tone::Tone;
pub use tone_tint::ToneTint;

pub use crate::texture::{Bloom, Flicker, GateWeave, Grain, Halation, Softness, Vignette};

use crate::colour::{Reference, matrix::Mat3f};
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

/// Where a step's arithmetic works: the zone, and what it needs to know of the light there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Site {
    /// The zone.
    pub zone: Zone,
    /// What the path's source stands for, which says how scene and display light are made of each other.
    pub source: Reference,
    /// The brightest display light, where white is 1; above 1 in the Screen zone of HDR displays alone.
    pub headroom: f64,
}

impl From<Zone> for Site {
    /// A zone of a path from scene light to an SDR display.
    fn from(zone: Zone) -> Self {
        Self { zone, source: Reference::Scene, headroom: 1.0 }
    }
}

impl Site {
    /// The brightest code value of the Screen zone: a 2.4 power of light.
    pub fn signal_peak(&self) -> f32 {
        self.headroom.powf(1.0 / 2.4) as f32
    }
}

/// A step's kind with its parameters.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", content = "values", rename_all = "kebab-case")]
#[expect(
    clippy::large_enum_variant,
    reason = "a path has one negative and one print, which hold their stocks"
)]
pub enum Values {
    /// Exposure and white balance.
    Balance(Balance),
    /// Light through a coloured filter.
    Gel(Gel),
    /// Channels from channels, and monochrome.
    ChannelMix(ChannelMix),
    /// Colours from outside the gamut brought in, and the peak capped.
    ColourCompress(ColourCompress),
    /// Response curve.
    Tone(Tone),
    /// Ends and middle of the signal.
    Levels(Levels),
    /// ASC colour decision list.
    SlopeOffsetPower(SlopeOffsetPower),
    /// Split toning.
    ToneTint(ToneTint),
    /// Free curves.
    Curves(Curves),
    /// Moves of hues.
    HueCurves(HueCurves),
    /// Moves of families of colours.
    ColourFamilies(ColourFamilies),
    /// Strength of colours.
    Saturation(Saturation),
    /// Imported tables.
    Table(Tables),
    /// Glow of the lens.
    Bloom(Bloom),
    /// Light falling off.
    Vignette(Vignette),
    /// Light from the film's base.
    Halation(Halation),
    /// The film in the camera.
    Negative(Negative),
    /// The film's own sharpness.
    Softness(Softness),
    /// The film's grain.
    Grain(Grain),
    /// The film in the projector.
    Print(Print),
    /// Neutral scene-to-display rendering.
    PlainRendering(PlainRendering),
    /// Density that breathes.
    Flicker(Flicker),
    /// A frame that does not stand still.
    GateWeave(GateWeave),
}

/// The domain a step's arithmetic runs in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Domain {
    /// Linear light: AP1 in the Scene zone.
    Linear,
    /// The zone's encoded values: ACEScct in the Scene zone, 2.4-power P3 in the Screen zone.
    Encoded,
}

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
    /// Borders that lie too near each other, or do not go round once.
    #[error("{field}: borders have to go round the circle once, at least {gap} degrees apart")]
    Near {
        /// The field's title.
        field: &'static str,
        /// The least distance.
        gap: f64,
    },
    /// More entries in a list than it holds.
    #[error("{field} has {found} entries; it holds up to {most}")]
    TooMany {
        /// The field's title.
        field: &'static str,
        /// Entries that are there.
        found: usize,
        /// The most there may be.
        most: usize,
    },
    /// A table that cannot be used.
    #[error("{0}")]
    Table(String),
    /// A stock that makes no film.
    #[error("{0}")]
    Stock(String),
}

/// A step's arithmetic, ready to run on blocks.
#[derive(Clone, Debug, PartialEq)]
pub enum Kernel {
    /// A matrix on linear light.
    Matrix(Mat3f),
    /// Colour compress.
    ColourCompress(colour_compress::Kernel),
    /// Tone.
    Tone(tone::Kernel),
    /// Levels.
    Levels(levels::Kernel),
    /// Slope, offset, power.
    SlopeOffsetPower(slope_offset_power::Kernel),
    /// Tone tint.
    ToneTint(tone_tint::Kernel),
    /// Curves.
    Curves(curves::Kernel),
    /// Hue curves.
    HueCurves(hue_curves::Kernel),
    /// Colour families.
    ColourFamilies(colour_families::Kernel),
    /// Saturation.
    Saturation(saturation::Kernel),
    /// Tables.
    Tables(tables::Kernel),
}

impl Kernel {
    /// Runs the step at full strength.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        match self {
            Self::Matrix(m) => m.run(planes),
            Self::ColourCompress(k) => k.run(planes),
            Self::Tone(k) => k.run(planes),
            Self::Levels(k) => k.run(planes),
            Self::SlopeOffsetPower(k) => k.run(planes),
            Self::ToneTint(k) => k.run(planes),
            Self::Curves(k) => k.run(planes),
            Self::HueCurves(k) => k.run(planes),
            Self::ColourFamilies(k) => k.run(planes),
            Self::Saturation(k) => k.run(planes),
            Self::Tables(k) => k.run(planes),
        }
    }
}

impl Values {
    /// New values of a kind, which change nothing. `None` for a kind that does not exist.
    pub fn neutral(kind: &str) -> Option<Self> {
        // Every parameter has its neutral as the default of its type, so no values at all are the neutral ones.
        serde_json::from_value(serde_json::json!({ "kind": kind, "values": {} })).ok()
    }

    /// What is known about this kind.
    pub fn info(&self) -> &'static KindInfo {
        let kind = match self {
            Self::Balance(_) => 0,
            Self::Gel(_) => 1,
            Self::ChannelMix(_) => 2,
            Self::ColourCompress(_) => 3,
            Self::Tone(_) => 4,
            Self::Levels(_) => 5,
            Self::SlopeOffsetPower(_) => 6,
            Self::ToneTint(_) => 7,
            Self::Curves(_) => 8,
            Self::HueCurves(_) => 9,
            Self::ColourFamilies(_) => 10,
            Self::Saturation(_) => 11,
            Self::Table(_) => 12,
            Self::Bloom(_) => 13,
            Self::Vignette(_) => 14,
            Self::Halation(_) => 15,
            Self::Negative(_) => 16,
            Self::Softness(_) => 17,
            Self::Grain(_) => 18,
            Self::Print(_) => 19,
            Self::PlainRendering(_) => 20,
            Self::Flicker(_) => 21,
            Self::GateWeave(_) => 22,
        };
        &KINDS[kind]
    }

    /// The domain the step runs in.
    pub fn domain(&self) -> Domain {
        match self {
            Self::Balance(_) | Self::Gel(_) | Self::ChannelMix(_) | Self::ColourCompress(_) => Domain::Linear,
            _ => Domain::Encoded,
        }
    }

    /// The step's arithmetic at a site. `None` in the Film zone, whose steps work together on the way between zones.
    pub fn kernel(&self, site: impl Into<Site>) -> Option<Kernel> {
        let site = site.into();
        let zone = site.zone;
        Some(match self {
            Self::Balance(v) => Kernel::Matrix(v.kernel()),
            Self::Gel(v) => Kernel::Matrix(v.kernel(zone)),
            Self::ChannelMix(v) => Kernel::Matrix(v.kernel(zone)),
            Self::ColourCompress(v) => Kernel::ColourCompress(v.kernel()),
            Self::Tone(v) => Kernel::Tone(v.kernel(zone)),
            Self::Levels(v) => Kernel::Levels(v.kernel()),
            Self::SlopeOffsetPower(v) => Kernel::SlopeOffsetPower(v.kernel_to(site.signal_peak())),
            Self::ToneTint(v) => Kernel::ToneTint(v.kernel(zone)),
            Self::Curves(v) => Kernel::Curves(v.kernel(zone)),
            Self::HueCurves(v) => Kernel::HueCurves(v.kernel(zone)),
            Self::ColourFamilies(v) => Kernel::ColourFamilies(v.kernel(zone)),
            Self::Saturation(v) => Kernel::Saturation(v.kernel(site)),
            Self::Table(v) => Kernel::Tables(v.kernel(site)),
            Self::PlainRendering(_) | Self::Negative(_) | Self::Print(_) => return None,
            Self::Bloom(_) | Self::Vignette(_) | Self::Halation(_) | Self::Softness(_) => return None,
            Self::Grain(_) | Self::Flicker(_) | Self::GateWeave(_) => return None,
        })
    }

    /// Checks every value against the ranges of its field.
    pub fn check(&self) -> Result<(), ValueError> {
        // Reading the values through their own serialisation keeps the check in one place for all kinds.
        let json = serde_json::to_value(self).unwrap_or_default();
        check_fields(self.info().fields, &json["values"])?;
        match self {
            Self::Table(v) => {
                v.tables.iter().find_map(TableUse::fault).map_or(Ok(()), |why| Err(ValueError::Table(why)))
            }
            Self::Negative(v) => v.stock.check(),
            Self::Print(v) => v.stock.check(),
            _ => Ok(()),
        }
    }
}

/// Checks the values of an object against its fields.
pub fn check_fields(fields: &'static [Field], values: &serde_json::Value) -> Result<(), ValueError> {
    fields.iter().try_for_each(|field| check_field(field, &values[field.id]))
}

fn check_field(field: &Field, value: &serde_json::Value) -> Result<(), ValueError> {
    let list = value.as_array().map(Vec::as_slice).unwrap_or_default();
    let at_most = |most: usize| {
        let found = list.len();
        if found > most { Err(ValueError::TooMany { field: field.title, found, most }) } else { Ok(()) }
    };
    match field.kind {
        FieldKind::Number { min, max, .. } => check_number(field.title, value, [min, max]),
        FieldKind::Switch { .. } => Ok(()),
        FieldKind::Curve { across, up, .. } => check_points(field.title, list, across, up),
        // The last point keeps its distance from the first one, a turn on.
        FieldKind::Ring { up, .. } => check_points(field.title, list, [0.0, 360.0 - POINT_GAP], up),
        FieldKind::Bumps { most, fields } => {
            at_most(most)?;
            list.iter().try_for_each(|bump| check_fields(fields, bump))
        }
        FieldKind::Families { most, gap, fields, .. } => {
            at_most(most)?;
            list.iter().try_for_each(|family| check_fields(fields, family))?;
            check_borders(field.title, list, gap)
        }
        FieldKind::Tables { most } => at_most(most),
        // A stock checks itself.
        FieldKind::NegativeStock | FieldKind::PrintStock => Ok(()),
    }
}

/// Borders go round the circle once and keep their distance, the last from the first too.
fn check_borders(title: &'static str, families: &[serde_json::Value], gap: f64) -> Result<(), ValueError> {
    let borders: Vec<f64> = families.iter().filter_map(|f| f["border"].as_f64()).collect();
    let near = |pair: &[f64]| pair[1] - pair[0] < gap - 1e-9;
    let around =
        borders.first().zip(borders.last()).is_some_and(|(first, last)| first + 360.0 - last < gap - 1e-9);
    if borders.windows(2).any(near) || around {
        return Err(ValueError::Near { field: title, gap });
    }
    Ok(())
}

fn check_points(
    title: &'static str,
    points: &[serde_json::Value],
    across: [f64; 2],
    up: [f64; 2],
) -> Result<(), ValueError> {
    if points.len() > MAX_POINTS {
        return Err(ValueError::TooManyPoints(title, points.len()));
    }
    let mut last = f64::NEG_INFINITY;
    for p in points {
        check_number(title, &p[0], across)?;
        check_number(title, &p[1], up)?;
        let x = p[0].as_f64().unwrap_or(f64::NAN);
        if x - last < POINT_GAP * 0.999 {
            return Err(ValueError::Order(title));
        }
        last = x;
    }
    Ok(())
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
        for info in KINDS.iter().filter(|k| !k.zones.contains(&Zone::Film)) {
            for zone in info.zones {
                let kernel = Values::neutral(info.kind).unwrap().kernel(*zone).unwrap();
                // Colour compress has the published constants as its neutral: it leaves what lies inside of them.
                let low = if info.kind == "colour-compress" { 0.3 } else { 0.02 };
                let rgb = [0.413_588_4_f32, low, 0.97];
                let mut p = rgb.map(|v| [v; crate::lane::N]);
                kernel.run(&mut p);
                for (plane, v) in p.iter().zip(rgb) {
                    assert!((plane[0] - v).abs() < 3e-7, "{} {zone:?}: {v} became {}", info.kind, plane[0]);
                }
            }
        }
    }
}
