//! Scene light to the exposures of three layers.

use super::stock::{NegativeKind, NegativeStock};
use crate::colour::compress::{self, ColourCompress};
use crate::colour::{Mat3, matrix::Mat3f};
use crate::numeric::lane::{N, Planes};

/// Scene light to layer exposures, ready for blocks.
#[derive(Clone, Debug, PartialEq)]
pub struct Exposing {
    capture: Mat3f,
    inside: compress::CompressKernel,
    stray: f32,
    gain: f32,
    flash: f32,
}

/// Threshold and limit of what brings captured colours inside the layers' reach: the shape of the ACES reference gamut
/// compression, earlier and softer, as a film's overlapping layers are.
const INSIDE: [f64; 2] = [0.75, 1.3];

impl Exposing {
    /// The layers of a stock: `colour` is how far they see as it does, 0 as AP1 itself. Light is multiplied by `gain`,
    /// then a pre-flash is added: a share of middle grey.
    pub fn new(stock: &NegativeStock, colour: f64, gain: f64, flash: f64) -> Self {
        let rows = match stock.kind {
            NegativeKind::BlackAndWhite => [stock.taking; 3],
            _ => {
                let own = Mat3(stock.capture);
                std::array::from_fn(|i| {
                    std::array::from_fn(|j| {
                        let plain = Mat3::IDENTITY.0[i][j];
                        plain + colour * (own.0[i][j] - plain)
                    })
                })
            }
        };
        Self {
            capture: Mat3(rows).to_f32(),
            inside: ColourCompress::even(INSIDE[0], INSIDE[1]).kernel(),
            stray: (stock.stray * colour.min(1.0)) as f32,
            gain: gain as f32,
            flash: (flash * super::GREY) as f32,
        }
    }

    /// Linear AP1 to layer exposures, in the same units: middle grey at 0.18. Never below zero.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        self.capture.run(planes);
        self.inside.run(planes);
        let [r, g, b] = planes;
        let (stray, gain, flash) = (self.stray, self.gain, self.flash);
        for i in 0..N {
            let (x, y, z) = (r[i].max(0.0), g[i].max(0.0), b[i].max(0.0));
            let mean = stray * (x + y + z) * (1.0 / 3.0);
            r[i] = ((1.0 - stray) * x + mean) * gain + flash;
            g[i] = ((1.0 - stray) * y + mean) * gain + flash;
            b[i] = ((1.0 - stray) * z + mean) * gain + flash;
        }
    }
}
