//! Bloom: the glow of a lens around bright things.

use super::FrameGeometry;
use super::point_spread::{Component, weights};
use super::spread::{Gives, levels};
use crate::field::parameters;

parameters! {
    /// Lens glow: a share of all light spread over several octaves, without colour of its own.
    Bloom {
        /// The share of the light that glows.
        amount: "Amount", Percent, number(0.0, 0.5, 0.06, 0.005);
        /// How far the widest part of the glow reaches, as a standard deviation.
        reach: "Reach", Micrometres, number(20.0, 4000.0, 600.0, 10.0);
    }
}

/// Octaves of the glow, each half as wide as the one before.
const OCTAVES: i32 = 4;

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct BloomKernel {
    amount: f32,
    reach: f64,
}

impl Bloom {
    /// The step at a strength.
    pub fn kernel(&self, strength: f64) -> BloomKernel {
        BloomKernel { amount: (self.amount * strength) as f32, reach: self.reach }
    }
}

/// A share of all light.
impl Gives for BloomKernel {
    const ALL: bool = true;

    fn share(&self) -> f32 {
        self.amount
    }
}

impl BloomKernel {
    /// The falloff at a scale.
    pub fn parts(&self, pitch: f64) -> Vec<(Component, f64)> {
        (0..OCTAVES)
            .map(|k| (Component::Bell(self.reach / pitch * 0.5_f64.powi(k)), 1.0 / f64::from(OCTAVES)))
            .collect()
    }

    /// Its radius in micrometres.
    pub fn radius(&self) -> f64 {
        3.0 * self.reach
    }

    /// Weights of the pyramid's levels.
    pub(super) fn weights(&self, geometry: &FrameGeometry) -> Vec<f64> {
        weights(&self.parts(geometry.pitch), levels(geometry.size))
    }
}
