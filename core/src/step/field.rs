//! Descriptions of parameters, from which ranges, defaults, the page's controls and the schema all come.

use serde::Serialize;

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

/// Declares the parameters of a step once: the struct with serde and schema, its neutral default and its
/// [`Field`] list.
macro_rules! parameters {
    (
        $(#[$about:meta])*
        $name:ident {
            $( $(#[doc = $help:literal])+ $field:ident : $title:literal, $unit:ident, $kind:tt ( $($arg:expr),* ); )*
        }
    ) => {
        $(#[$about])*
        #[derive(Clone, Debug, PartialEq, serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
        #[serde(deny_unknown_fields, default)]
        pub struct $name { $( $(#[doc = $help])+ pub $field: $crate::step::field::parameters!(@type $kind), )* }

        impl $name {
            /// The parameters in the order they are shown.
            pub const FIELDS: &'static [$crate::step::field::Field] = &[ $( $crate::step::field::Field {
                id: stringify!($field),
                title: $title,
                help: concat!($($help),+).trim_ascii(),
                unit: $crate::step::field::Unit::$unit,
                kind: $crate::step::field::parameters!(@kind $kind $($arg),*),
            }, )* ];
        }

        impl Default for $name {
            fn default() -> Self {
                Self { $( $field: $crate::step::field::parameters!(@default $kind $($arg),*), )* }
            }
        }
    };
    (@type number) => { f64 };
    (@type switch) => { bool };
    (@type curve) => { $crate::step::field::Points };
    (@type ring) => { $crate::step::field::Points };
    (@type bumps) => { Vec<$crate::step::hue_curves::Bump> };
    (@type families) => { Vec<$crate::step::colour_families::Family> };
    (@type negative_stock) => { $crate::film::NegativeStock };
    (@type print_stock) => { $crate::film::PrintStock };
    (@type tables) => { Vec<$crate::step::tables::TableUse> };
    (@kind number $min:expr, $max:expr, $default:expr, $nudge:expr) => {
        $crate::step::field::FieldKind::Number { min: $min, max: $max, default: $default, nudge: $nudge }
    };
    (@kind switch $default:expr) => { $crate::step::field::FieldKind::Switch { default: $default } };
    (@kind curve $across:expr, $up:expr, $rest:expr) => {
        $crate::step::field::FieldKind::Curve { across: $across, up: $up, rest: $rest }
    };
    (@kind ring $up:expr, $rest:expr) => {
        $crate::step::field::FieldKind::Ring { up: $up, rest: $rest }
    };
    (@kind bumps) => {
        $crate::step::field::FieldKind::Bumps {
            most: $crate::step::field::MAX_BUMPS,
            fields: $crate::step::hue_curves::Bump::FIELDS,
        }
    };
    (@kind families) => {
        $crate::step::field::FieldKind::Families {
            most: $crate::step::field::MAX_FAMILIES,
            gap: $crate::step::field::FAMILY_GAP,
            borders: &$crate::step::colour_families::BORDERS,
            fields: $crate::step::colour_families::Family::FIELDS,
        }
    };
    (@kind negative_stock) => { $crate::step::field::FieldKind::NegativeStock };
    (@kind print_stock) => { $crate::step::field::FieldKind::PrintStock };
    (@kind tables) => {
        $crate::step::field::FieldKind::Tables { most: $crate::step::tables::MAX_TABLES }
    };
    (@default number $min:expr, $max:expr, $default:expr, $nudge:expr) => { $default };
    (@default switch $default:expr) => { $default };
    (@default curve $across:expr, $up:expr, $rest:expr) => { Vec::new() };
    (@default ring $up:expr, $rest:expr) => { Vec::new() };
    (@default bumps) => { Vec::new() };
    (@default families) => { Vec::new() };
    (@default negative_stock) => { $crate::film::NegativeStock::default() };
    (@default print_stock) => { $crate::film::PrintStock::default() };
    (@default tables) => { Vec::new() };
}
pub(crate) use parameters;
