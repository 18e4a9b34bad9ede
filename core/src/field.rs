//! Descriptions of parameters and the check of their values, from which ranges, defaults, the page's controls and the schema all come.

use serde::Serialize;
use thiserror::Error;

/// The unit a value is shown in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Unit {
    /// A ratio or share without a unit.
    Plain,
    /// Exposure in stops (log2), in every zone.
    Stops,
    /// A place or distance on the zone's tonal axis: stops from middle grey in the Scene zone, tenths of the
    /// signal range from middle grey in the Screen zone.
    Tones,
    /// Kelvin.
    Kelvin,
    /// Thousandths of Duv, CIE 1960 uv distance from the locus; positive is green.
    Duv,
    /// Degrees.
    Degrees,
    /// A share shown in per cent (1.0 = 100 %).
    Percent,
    /// Printer points.
    Points,
    /// Optical density.
    Density,
    /// Units of log10 exposure.
    LogExposure,
    /// Millimetres.
    Millimetres,
    /// Micrometres on film.
    Micrometres,
    /// Nanometres of wavelength.
    Nanometres,
}

/// What a parameter holds.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, schemars::JsonSchema)]
#[serde(tag = "type", rename_all = "lowercase")]
pub enum FieldKind {
    /// A number in a closed range.
    Number {
        /// Lowest value.
        min: f64,
        /// Highest value.
        max: f64,
        /// Value of a new step: the value that changes nothing, unless the field says otherwise.
        default: f64,
        /// One step of keys and wheel; coarse is ten of them, fine a tenth.
        nudge: f64,
    },
    /// On or off.
    Switch {
        /// Value of a new step.
        default: bool,
    },
    /// A curve through points `[x, y]` with rising x on the zone's tonal axis; no points change nothing.
    Curve {
        /// Lowest and highest x.
        across: [f64; 2],
        /// Lowest and highest y.
        up: [f64; 2],
        /// What the curve gives where it changes nothing: its own x, or one.
        rest: CurveRest,
    },
    /// A curve over the hue circle through points `[degrees, y]`, degrees rising from 0 to below 360; no points change
    /// nothing.
    Ring {
        /// Lowest and highest y.
        up: [f64; 2],
        /// What the curve gives where it changes nothing.
        rest: CurveRest,
    },
    /// A list of bumps on the hue circle.
    Bumps {
        /// The most there may be.
        most: usize,
        /// The parameters of each.
        fields: &'static [Field],
    },
    /// A list of families on the hue circle, each from its border to that of the next.
    Families {
        /// The most there may be.
        most: usize,
        /// The least distance of two borders, in degrees.
        gap: f64,
        /// The borders of a new step.
        borders: &'static [f64],
        /// The parameters of each.
        fields: &'static [Field],
    },
    /// A negative or reversal stock with all its parameters.
    NegativeStock,
    /// A print stock with all its parameters.
    PrintStock,
    /// A list of tables, each with its encodings and strength.
    Tables {
        /// The most there may be.
        most: usize,
    },
}

/// The neutral of a curve.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum CurveRest {
    /// y = x.
    Same,
    /// y = 1.
    One,
    /// y = 0.
    Zero,
}

/// A parameter of a step.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Field {
    /// The field's name in a look document.
    pub id: &'static str,
    /// What people call it.
    pub title: &'static str,
    /// What it does, in a line.
    pub help: &'static str,
    /// The unit it is shown in.
    pub unit: Unit,
    /// What it holds.
    #[serde(flatten)]
    pub kind: FieldKind,
}

/// A curve's points.
pub type Points = Vec<[f64; 2]>;

/// The most points a curve may have.
pub const MAX_POINTS: usize = 16;

/// The most bumps of one step.
pub const MAX_BUMPS: usize = 8;

/// The most families of one step.
pub const MAX_FAMILIES: usize = 12;

/// The least distance of two borders between families, in degrees: narrower ones no table follows.
pub const FAMILY_GAP: f64 = 8.0;

/// The least distance of two neighbouring points across.
pub const POINT_GAP: f64 = 0.02;

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

/// Declares the parameters of a step once: the struct with serde and schema, its neutral default and its
/// [`Field`] list.
macro_rules! parameters {
    (
        $(#[$about:meta])*
        $name:ident {
            $( $(#[doc = $help:literal])+ $field:ident : $title:literal, $unit:ident, $kind:tt ( $($arg:tt)* ); )*
        }
    ) => {
        $(#[$about])*
        #[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
        #[serde(deny_unknown_fields, default)]
        pub struct $name { $( $(#[doc = $help])+ pub $field: $crate::field::parameters!(@type $kind $($arg)*), )* }

        impl $name {
            /// The parameters in the order they are shown.
            pub const FIELDS: &'static [$crate::field::Field] = &[ $( $crate::field::Field {
                id: stringify!($field),
                title: $title,
                help: concat!($($help),+).trim_ascii(),
                unit: $crate::field::Unit::$unit,
                kind: $crate::field::parameters!(@kind $kind $($arg)*),
            }, )* ];
        }

        impl Default for $name {
            fn default() -> Self {
                Self { $( $field: $crate::field::parameters!(@default $kind $($arg)*), )* }
            }
        }
    };
    (@type number $($arg:tt)*) => { f64 };
    (@type switch $($arg:tt)*) => { bool };
    (@type curve $($arg:tt)*) => { $crate::field::Points };
    (@type ring $($arg:tt)*) => { $crate::field::Points };
    (@type holds $type:ty, $kind:expr) => { $type };
    (@kind number $min:expr, $max:expr, $default:expr, $nudge:expr) => {
        $crate::field::FieldKind::Number { min: $min, max: $max, default: $default, nudge: $nudge }
    };
    (@kind switch $default:expr) => { $crate::field::FieldKind::Switch { default: $default } };
    (@kind curve $across:expr, $up:expr, $rest:expr) => {
        $crate::field::FieldKind::Curve { across: $across, up: $up, rest: $rest }
    };
    (@kind ring $up:expr, $rest:expr) => {
        $crate::field::FieldKind::Ring { up: $up, rest: $rest }
    };
    (@kind holds $type:ty, $kind:expr) => { $kind };
    (@default number $min:expr, $max:expr, $default:expr, $nudge:expr) => { $default };
    (@default switch $default:expr) => { $default };
    (@default curve $across:expr, $up:expr, $rest:expr) => { Vec::new() };
    (@default ring $up:expr, $rest:expr) => { Vec::new() };
    (@default holds $type:ty, $kind:expr) => { Default::default() };
}
pub(crate) use parameters;
