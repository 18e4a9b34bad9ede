//! What a designer reads off a film: its curves, where grey falls, what a printer point does.

use super::chain::Chain;
use super::{GREY, POINT};
use crate::colour::chromaticity::xy_to_xyz;
use crate::colour::difference::xyz_to_lab;
use schemars::JsonSchema;
use serde::Serialize;

/// Places on the exposure axis.
const PLACES: usize = 109;
/// Its ends in stops about a normally exposed middle grey.
pub const SPAN: [f64; 2] = [-10.0, 8.0];

/// A film's curves and figures.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
#[schemars(rename = "FilmReading")]
pub struct Reading {
    /// Ends of the exposure axis on the film, in stops about a normally exposed middle grey; curves are even over it.
    pub span: [f64; 2],
    /// Density of the red-, green- and blue-sensitive layers, base and fog included.
    pub layers: [Vec<f64>; 3],
    /// Equivalent neutral density of the print's layers, or of the reversal itself.
    pub print: [Vec<f64>; 3],
    /// Display light of the neutral scale, 1 for the clear print.
    pub light: Vec<f64>,
    /// Where the scene's middle grey falls on the exposure axis.
    pub grey: f64,
    /// Slope of log light over log exposure at middle grey: the negative's times the print's.
    pub slope: f64,
    /// Visual density of middle grey on the print, above its clear base.
    pub grey_density: f64,
    /// The greatest visual density that the film reaches.
    pub deepest: f64,
    /// Printer points of red, green and blue that make up for exposure and development.
    pub made_up: [f64; 3],
    /// What one point more of red, green, blue and all three does to middle grey: CIELAB differences.
    pub moves: [[f64; 3]; 4],
    /// Whether it has a printer at all.
    pub printed: bool,
    /// Spectral density of one unit of cyan, magenta and yellow dye, every ten nanometres from 380 to 730.
    pub dyes: [Vec<f64>; 3],
}

impl Reading {
    /// Reads a chain.
    pub fn of(chain: &Chain) -> Self {
        let at = |i: usize| SPAN[0] + (SPAN[1] - SPAN[0]) * i as f64 / (PLACES - 1) as f64;
        // On the film itself: exposure and flash have happened.
        let film = |stops: f64| chain.chemistry.neutral(GREY * stops.exp2());
        let printed = |d: [f64; 3]| chain.printer.as_ref().map_or(d, |p| p.at(d));
        let (mut layers, mut print): ([Vec<f64>; 3], [Vec<f64>; 3]) = Default::default();
        let mut light = Vec::with_capacity(PLACES);
        for i in 0..PLACES {
            let d = film(at(i));
            let n = printed(d);
            for c in 0..3 {
                layers[c].push(d[c] + chain.base[c]);
                print[c].push(n[c]);
            }
            light.push(chain.projection.xyz(n)[1]);
        }
        let [gain, flash] = chain.exposed;
        let grey = (gain + flash).log2();
        let y = |scene: f64| chain.projection.xyz(chain.neutral(scene))[1];
        let (up, down) = (y(GREY * 0.02_f64.exp2()), y(GREY * (-0.02_f64).exp2()));
        let own = chain.neutral(GREY);
        let lab = |by: [f64; 3]| {
            let white = xy_to_xyz(chain.projection.dyes.white());
            let n = chain.printer.as_ref().map_or(own, |p| {
                let [gain, flash] = chain.exposed;
                let seen = p.sees.apply(chain.chemistry.neutral(GREY * (gain + flash)));
                std::array::from_fn(|i| p.curves[i].at(p.light[i] + by[i] - seen[i]))
            });
            xyz_to_lab(chain.projection.xyz(n), white)
        };
        let rest = lab([0.0; 3]);
        let moved = |by: [f64; 3]| {
            let to = lab(by.map(|v| v * POINT));
            [0, 1, 2].map(|i| to[i] - rest[i])
        };
        Self {
            span: SPAN,
            layers,
            print,
            light,
            grey,
            slope: (up / down).log2() / 0.04,
            grey_density: -y(GREY).log10(),
            deepest: -y(0.0).log10(),
            made_up: chain.made_up,
            moves: [moved([1.0, 0.0, 0.0]), moved([0.0, 1.0, 0.0]), moved([0.0, 0.0, 1.0]), moved([1.0; 3])],
            printed: chain.printer.is_some(),
            dyes: [0, 1, 2].map(|i| chain.projection.dyes.unit[i].to_vec()),
        }
    }
}
