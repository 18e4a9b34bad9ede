//! What a stock was measured from, kept in the stock.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A wedge: what was measured of one development.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Wedge {
    /// What it is called.
    pub name: String,
    /// Stops of push; below 0 of pull.
    pub push: f64,
    /// Log exposure from middle grey (of a print from the printer's middle), then the densities of the red-, green- and
    /// blue-sensitive layers.
    pub steps: Vec<[f64; 4]>,
}

/// What a stock was made from and how well it meets that.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Measured {
    /// The stock that it was begun with.
    pub start: String,
    /// The wedges.
    pub wedges: Vec<Wedge>,
    /// Measured less fitted density, of each wedge and step.
    pub residuals: Vec<Vec<[f64; 3]>>,
    /// Density of base and fog of each layer.
    pub base: [f64; 3],
    /// Mean slope between 0.3 and 1.2 over base, of each layer.
    pub mean_gradient: [f64; 3],
    /// What the data do not say, which is the starting stock's, in words.
    pub undetermined: Vec<String>,
    /// What it was fitted to together with its other side.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub film: Option<FilmFit>,
}

/// A patch of a chart: the light that the film was given, and what was measured of it on the print.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Patch {
    /// What it is called.
    pub name: String,
    /// Scene light in linear AP1, middle grey at 0.18.
    pub light: [f64; 3],
    /// CIELAB of it on the print, relative to the print's white.
    pub lab: [f64; 3],
}

/// What data say of a parameter.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Says {
    /// They give it.
    Measured,
    /// They draw it some of the way.
    Partly,
    /// They say nothing: it is the starting stock's.
    Start,
}

/// How well a parameter is known.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Determined {
    /// The parameter, in words.
    pub name: String,
    /// What the data say of it.
    pub says: Says,
    /// Whether it lies at an end of its range.
    pub at_bound: bool,
}

/// How near a film comes to a print table, in CIEDE2000.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TableFit {
    /// What the table is called.
    pub name: String,
    /// Mean over natural colours.
    pub natural: f64,
    /// The worst of them.
    pub worst: f64,
    /// Mean over neutrals.
    pub neutrals: f64,
}

/// A film, negative and print together, fitted to what it gives.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FilmFit {
    /// The stock of the other side.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub with: Option<String>,
    /// Whether the two are valid only together: nothing that was measured tells the negative from the print.
    pub tied: bool,
    /// Printer points of red, green and blue light.
    pub points: [f64; 3],
    /// Screen black that goes with it, 0..1.
    pub black: f64,
    /// The patches.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub patches: Vec<Patch>,
    /// Measured less fitted CIELAB of each patch.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub off: Vec<[f64; 3]>,
    /// CIEDE2000 of each patch from a film that was fitted without it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub left_out: Vec<f64>,
    /// The print table.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub table: Option<TableFit>,
    /// How well each parameter is known.
    pub parameters: Vec<Determined>,
}
