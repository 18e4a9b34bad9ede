//! Stocks: the parameters of negatives, reversals and prints. All that ship are invented.

use super::curve::CharacteristicCurve;
use super::measured::Measured;
use crate::field::ValueError;
use crate::field::check_fields;
use crate::field::parameters;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::OnceLock;

parameters! {
    /// The characteristic curve of one layer.
    Layer {
        /// Slope of the straight part: density for each unit of log exposure.
        gamma: "Gamma", Plain, number(0.1, 8.0, 0.58, 0.005);
        /// Where the toe lies: log exposure from middle grey in a negative, from the printer's middle in a print.
        toe: "Toe", LogExposure, number(-3.0, 1.0, -1.2, 0.01);
        /// How soft the toe is.
        toe_soft: "Toe soft", LogExposure, number(0.02, 0.8, 0.18, 0.005);
        /// Where the shoulder lies.
        shoulder: "Shoulder", LogExposure, number(0.2, 4.0, 1.8, 0.01);
        /// How soft the shoulder is.
        shoulder_soft: "Shoulder soft", LogExposure, number(0.02, 0.8, 0.3, 0.005);
    }
}

impl Layer {
    /// Its characteristic curve.
    pub fn curve(&self) -> CharacteristicCurve {
        CharacteristicCurve {
            gamma: self.gamma,
            toe: [self.toe, self.toe_soft],
            shoulder: [self.shoulder, self.shoulder_soft],
        }
    }
}

parameters! {
    /// One bell-shaped band of absorption of a dye.
    Band {
        /// Density at its centre for one unit of dye.
        height: "Height", Density, number(0.0, 2.0, 1.0, 0.005);
        /// The wavelength of its centre.
        centre: "Centre", Nanometres, number(360.0, 760.0, 550.0, 1.0);
        /// Its standard deviation.
        width: "Width", Nanometres, number(8.0, 120.0, 35.0, 0.5);
    }
}

parameters! {
    /// The grain of one layer.
    LayerGrain {
        /// Rms granularity: a thousand times the deviation of density seen through a 48 micrometre aperture at
        /// density 1 above base (ANSI PH2.40).
        rms: "Granularity", Plain, number(0.0, 40.0, 5.0, 0.1);
        /// How much less of it there is toward the greatest density.
        fall: "Less grain where dense", Percent, number(0.0, 0.95, 0.7, 0.01);
        /// Density of fog, which has grain where no light fell.
        fog: "Fog", Density, number(0.0, 0.4, 0.05, 0.005);
        /// Size of a clump, full width at half height.
        clump: "Clumping", Micrometres, number(2.0, 40.0, 7.0, 0.1);
    }
}

parameters! {
    /// How a layer stands to one of its neighbours.
    Neighbour {
        /// How much of the neighbour's light the layer sees; below 0 it is purer.
        sees: "Sensitivity", Plain, number(-0.5, 0.5, 0.0, 0.005);
        /// Log exposure that the layer gains where its development is ahead of the neighbour's: separates colours.
        holds: "Inter-layer", Plain, number(0.0, 1.0, 0.0, 0.005);
    }
}

parameters! {
    /// What a black-and-white stock sees; blue light has the rest.
    Taking {
        /// Share of red light.
        red: "Red sensitivity", Percent, number(-0.5, 1.2, 0.27, 0.01);
        /// Share of green light.
        green: "Green sensitivity", Percent, number(-0.5, 1.2, 0.67, 0.01);
    }
}

/// What kind of film a negative stock is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NegativeKind {
    /// A colour negative, printed.
    Negative,
    /// A direct positive, projected as it is.
    Reversal,
    /// A silver negative, printed.
    BlackAndWhite,
}

/// Bands of the three dyes and of the base that they lie on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DyeSet {
    /// The dye that takes red away.
    pub cyan: Vec<Band>,
    /// The dye that takes green away.
    pub magenta: Vec<Band>,
    /// The dye that takes blue away.
    pub yellow: Vec<Band>,
    /// Even density of the base.
    pub base: f64,
    /// Coloured density of the base.
    pub stain: Vec<Band>,
}

/// What development longer or shorter than normal does, for each stop of push.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Push {
    /// Growth of gamma.
    pub contrast: f64,
    /// Growth of fog, in density.
    pub fog: f64,
    /// Share of the stop that the toe gains.
    pub speed: f64,
    /// How much of the contrast each layer takes.
    pub contrast_layers: [f64; 3],
    /// How much of the fog each layer takes.
    pub fog_layers: [f64; 3],
}

/// How development in one layer restrains its neighbours across a distance, which sharpens edges.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Adjacency {
    /// Log exposure for each unit of development.
    pub share: f64,
    /// Distance in micrometres, standard deviation.
    pub reach: f64,
}

/// Light that comes back from the base.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Returned {
    /// Share of the light, for each layer.
    pub share: [f64; 3],
    /// Radii of its three parts in micrometres.
    pub reach: [f64; 3],
    /// Weights of the parts; together 1.
    pub weights: [f64; 3],
}

/// What a reversal needs to be projected.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Projected {
    /// Visual density of middle grey, base and all.
    pub aim: f64,
    /// Its dyes.
    pub dyes: DyeSet,
}

/// A negative or reversal stock.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NegativeStock {
    /// What it is called.
    pub name: String,
    /// Its character in a line.
    pub line: String,
    /// What kind of film it is.
    pub kind: NegativeKind,
    /// Its speed, as an arithmetic exposure index: for people, it changes nothing.
    pub speed: f64,
    /// Shares of red, green and blue light that a black-and-white stock sees.
    pub taking: [f64; 3],
    /// What the layers see of linear AP1, a row a layer; rows sum to 1.
    pub capture: [[f64; 3]; 3],
    /// Share of the light that strays evenly into all layers.
    pub stray: f64,
    /// Log exposure that a layer (row) gains for each unit of development that it is ahead of a neighbour (column).
    pub restraint: [[f64; 3]; 3],
    /// Density of base and fog.
    pub base: [f64; 3],
    /// The characteristic curves of the red-, green- and blue-sensitive layers.
    pub layers: [Layer; 3],
    /// What the print's layers (rows) see of the dyes; rows sum to 1.
    pub printing: [[f64; 3]; 3],
    /// Longer and shorter development.
    pub push: Push,
    /// Density of retained silver for each unit of mean density, at full retention.
    pub silver: f64,
    /// Grain of the layers.
    pub grain: [LayerGrain; 3],
    /// Cycles per millimetre where each layer's modulation transfer has fallen to a half.
    pub softness: [f64; 3],
    /// Edges.
    pub adjacency: Adjacency,
    /// Light from the base.
    pub halation: Returned,
    /// For a reversal, how it is projected.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub projected: Option<Projected>,
    /// What it was measured from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub measured: Option<Measured>,
}

/// A print stock.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PrintStock {
    /// What it is called.
    pub name: String,
    /// Its character in a line.
    pub line: String,
    /// The curves of its layers: equivalent neutral density over log exposure by the printer.
    pub layers: [Layer; 3],
    /// Visual density of middle grey, base and all.
    pub aim: f64,
    /// Density of retained silver for each unit of mean density, at full retention.
    pub silver: f64,
    /// How much more of it lies in the blue than in the red.
    pub silver_tilt: f64,
    /// Its dyes.
    pub dyes: DyeSet,
    /// What it was measured from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub measured: Option<Measured>,
}

/// The most bands of a dye.
pub const MOST_BANDS: usize = 6;

fn bad(stock: &str, what: &str) -> ValueError {
    ValueError::Stock(format!("the stock “{stock}”: {what}"))
}

fn within(stock: &str, what: &str, values: &[f64], min: f64, max: f64) -> Result<(), ValueError> {
    match values.iter().find(|v| !(min..=max).contains(*v)) {
        None => Ok(()),
        Some(v) => Err(bad(stock, &format!("{what} goes from {min} to {max}, not {v}"))),
    }
}

fn rows_of_one(stock: &str, what: &str, m: &[[f64; 3]; 3]) -> Result<(), ValueError> {
    within(stock, what, m.as_flattened(), -3.0, 3.0)?;
    let even = m.iter().all(|row| (row.iter().sum::<f64>() - 1.0).abs() < 2e-3);
    if even { Ok(()) } else { Err(bad(stock, &format!("each row of {what} has to sum to 1"))) }
}

fn names(name: &str, line: &str) -> Result<(), ValueError> {
    let fine = (1..=100).contains(&name.chars().count()) && line.chars().count() <= 300;
    if fine { Ok(()) } else { Err(bad(name, "its name has 1 to 100 characters, its line up to 300")) }
}

/// Checks entries against their fields.
fn entries<T: Serialize>(
    stock: &str,
    all: &[T],
    fields: &'static [crate::field::Field],
) -> Result<(), ValueError> {
    all.iter().try_for_each(|one| {
        let json = serde_json::to_value(one).unwrap_or_default();
        check_fields(fields, &json).map_err(|e| bad(stock, &e.to_string()))
    })
}

fn layers(stock: &str, all: &[Layer; 3], aim: Option<f64>) -> Result<(), ValueError> {
    entries(stock, all, Layer::FIELDS)?;
    for curve in all.iter().map(|l| l.curve()) {
        if curve.shoulder[0] - curve.toe[0] < 0.3 {
            return Err(bad(stock, "a shoulder lies at least 0.3 over its toe"));
        }
        if aim.is_some_and(|aim| curve.most() < aim + 0.2) {
            return Err(bad(
                stock,
                "a layer does not reach the density of middle grey: raise its gamma or move its toe and shoulder apart",
            ));
        }
    }
    Ok(())
}

impl DyeSet {
    fn check(&self, stock: &str) -> Result<(), ValueError> {
        within(stock, "the base's density", &[self.base], 0.0, 1.0)?;
        for (what, bands, least) in [
            ("cyan", &self.cyan, 1),
            ("magenta", &self.magenta, 1),
            ("yellow", &self.yellow, 1),
            ("stain", &self.stain, 0),
        ] {
            if !(least..=MOST_BANDS).contains(&bands.len()) {
                return Err(bad(stock, &format!("{what} has {least} to {MOST_BANDS} bands")));
            }
            entries(stock, bands, Band::FIELDS)?;
        }
        // Each dye has to do its own work, or no amounts of the three make a grey.
        for (what, bands, [low, high]) in [
            ("cyan", &self.cyan, [590.0, 720.0]),
            ("magenta", &self.magenta, [500.0, 590.0]),
            ("yellow", &self.yellow, [390.0, 500.0]),
        ] {
            let own = |b: &&Band| (low..=high).contains(&b.centre) && b.height >= 0.4;
            if !bands.iter().any(|b| own(&b)) {
                return Err(bad(
                    stock,
                    &format!("{what} needs a band of height 0.4 or more between {low} and {high} nm"),
                ));
            }
        }
        Ok(())
    }
}

impl NegativeStock {
    /// Checks every value.
    pub fn check(&self) -> Result<(), ValueError> {
        let n = self.name.as_str();
        names(n, &self.line)?;
        within(n, "the speed", &[self.speed], 1.0, 100_000.0)?;
        entries(n, &[Taking { red: self.taking[0], green: self.taking[1] }], Taking::FIELDS)?;
        if (self.taking.iter().sum::<f64>() - 1.0).abs() > 2e-3 {
            return Err(bad(n, "the taking shares have to sum to 1"));
        }
        rows_of_one(n, "capture", &self.capture)?;
        rows_of_one(n, "printing", &self.printing)?;
        within(n, "stray light", &[self.stray], 0.0, 0.3)?;
        for (i, j) in (0..3).flat_map(|i| (0..3).map(move |j| (i, j))).filter(|(i, j)| i != j) {
            let stands = Neighbour { sees: self.capture[i][j], holds: self.restraint[i][j] };
            entries(n, &[stands], Neighbour::FIELDS)?;
        }
        within(n, "the base", &self.base, 0.0, 2.0)?;
        layers(n, &self.layers, self.projected.as_ref().map(|p| p.aim))?;
        let p = &self.push;
        within(n, "push", &[p.contrast, p.fog, p.speed], 0.0, 1.0)?;
        within(n, "push of a layer", &[p.contrast_layers, p.fog_layers].concat(), 0.0, 3.0)?;
        within(n, "silver", &[self.silver], 0.0, 2.0)?;
        entries(n, &self.grain, LayerGrain::FIELDS)?;
        within(n, "softness", &self.softness, 5.0, 300.0)?;
        within(n, "adjacency", &[self.adjacency.share], 0.0, 0.5)?;
        within(n, "the reach of adjacency", &[self.adjacency.reach], 1.0, 100.0)?;
        within(n, "halation", &self.halation.share, 0.0, 0.5)?;
        within(n, "the reach of halation", &self.halation.reach, 1.0, 2000.0)?;
        within(n, "a weight of halation", &self.halation.weights, 0.0, 1.0)?;
        if (self.halation.weights.iter().sum::<f64>() - 1.0).abs() > 2e-3 {
            return Err(bad(n, "the weights of halation have to sum to 1"));
        }
        match (&self.projected, self.kind) {
            (Some(p), NegativeKind::Reversal) => {
                within(n, "the aim", &[p.aim], 0.3, 2.0)?;
                p.dyes.check(n)
            }
            (None, NegativeKind::Reversal) => Err(bad(n, "a reversal says how it is projected")),
            (Some(_), _) => Err(bad(n, "only a reversal is projected itself")),
            (None, _) => Ok(()),
        }
    }

    /// The curves of its layers.
    pub fn curves(&self) -> [CharacteristicCurve; 3] {
        [0, 1, 2].map(|i| self.layers[i].curve())
    }
}

impl PrintStock {
    /// Checks every value.
    pub fn check(&self) -> Result<(), ValueError> {
        let n = self.name.as_str();
        names(n, &self.line)?;
        within(n, "the aim", &[self.aim], 0.3, 2.0)?;
        layers(n, &self.layers, Some(self.aim))?;
        within(n, "silver", &[self.silver], 0.0, 2.0)?;
        within(n, "the silver's tilt", &[self.silver_tilt], -0.5, 0.5)?;
        self.dyes.check(n)
    }

    /// The curves of its layers.
    pub fn curves(&self) -> [CharacteristicCurve; 3] {
        [0, 1, 2].map(|i| self.layers[i].curve())
    }
}

impl Default for NegativeStock {
    fn default() -> Self {
        negatives()[0].clone()
    }
}

impl Default for PrintStock {
    fn default() -> Self {
        prints()[0].clone()
    }
}

/// The negatives and reversals that ship; the main one first.
pub const SHIPPED_NEGATIVES: [&str; 7] = [
    include_str!("../../stocks/meadowlight.json"),
    include_str!("../../stocks/windward-noon.json"),
    include_str!("../../stocks/lamplighter.json"),
    include_str!("../../stocks/chalk-orchard.json"),
    include_str!("../../stocks/saltglass.json"),
    include_str!("../../stocks/iron-moth.json"),
    include_str!("../../stocks/quiet-ash.json"),
];

/// The prints that ship; the neutral one first.
pub const SHIPPED_PRINTS: [&str; 4] = [
    include_str!("../../stocks/plainsong.json"),
    include_str!("../../stocks/ember-vault.json"),
    include_str!("../../stocks/north-window.json"),
    include_str!("../../stocks/carnival-wire.json"),
];

/// The negatives and reversals that ship.
#[expect(clippy::expect_used, reason = "files of the program's own, each read by the tests")]
pub fn negatives() -> &'static [NegativeStock] {
    static ALL: OnceLock<Vec<NegativeStock>> = OnceLock::new();
    ALL.get_or_init(|| {
        SHIPPED_NEGATIVES.iter().map(|t| serde_json::from_str(t).expect("a stock that ships")).collect()
    })
}

/// The prints that ship.
#[expect(clippy::expect_used, reason = "files of the program's own, each read by the tests")]
pub fn prints() -> &'static [PrintStock] {
    static ALL: OnceLock<Vec<PrintStock>> = OnceLock::new();
    ALL.get_or_init(|| {
        SHIPPED_PRINTS.iter().map(|t| serde_json::from_str(t).expect("a stock that ships")).collect()
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_stock_that_ships_opens_and_passes_its_own_check() {
        assert!(negatives().len() >= 6 && prints().len() >= 4);
        negatives().iter().for_each(|s| s.check().unwrap());
        prints().iter().for_each(|s| s.check().unwrap());
        let mut names: Vec<&str> = negatives().iter().map(|s| s.name.as_str()).collect();
        names.extend(prints().iter().map(|s| s.name.as_str()));
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), negatives().len() + prints().len());
    }

    #[test]
    fn stocks_that_make_no_film_are_refused_with_the_reason() {
        let why = |change: &dyn Fn(&mut PrintStock)| {
            let mut stock = PrintStock::default();
            change(&mut stock);
            stock.check().unwrap_err().to_string()
        };
        assert!(why(&|s| s.layers[1].gamma = 0.2).contains("does not reach the density of middle grey"));
        assert!(why(&|s| s.layers[0].gamma = f64::NAN).contains("not a finite number"));
        assert!(why(&|s| s.dyes.cyan[0].centre = 450.0).contains("cyan needs a band"));
        assert!(why(&|s| s.dyes.stain = vec![Band::default(); 7]).contains("bands"));
        let mut stock = NegativeStock::default();
        stock.capture[0][0] += 0.1;
        assert!(stock.check().unwrap_err().to_string().contains("sum to 1"));
        stock = NegativeStock { kind: NegativeKind::Reversal, ..Default::default() };
        assert!(stock.check().unwrap_err().to_string().contains("projected"));
    }
}
