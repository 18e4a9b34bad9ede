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
}
