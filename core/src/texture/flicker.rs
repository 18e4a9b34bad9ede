//! Flicker: density that breathes slowly from frame to frame.

use super::FrameGeometry;
use super::chain::{Point, Ready};
use super::noise::{key, slow};
use super::scanline::Scanline;
use crate::field::parameters;

parameters! {
    /// Slow breathing of density.
    Flicker {
        /// How much light comes and goes, as a deviation.
        amount: "Amount", Percent, number(0.0, 0.3, 0.015, 0.001);
        /// Frames from one breath to the next.
        slowness: "Slowness", Plain, number(1.0, 48.0, 6.0, 0.5);
        /// Another number breathes differently.
        seed: "Seed", Plain, number(0.0, 9999.0, 1.0, 1.0);
    }
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct FlickerKernel {
    amount: f64,
    slowness: f64,
    key: u32,
}

impl Flicker {
    /// The step at a strength.
    pub fn kernel(&self, strength: f64) -> FlickerKernel {
        FlickerKernel {
            amount: self.amount * strength,
            slowness: self.slowness,
            key: key(self.seed as u32, 0, 21),
        }
    }
}

impl FlickerKernel {
    /// Density that a frame gains.
    pub fn density(&self, frame: u32) -> f64 {
        -(1.0 + self.amount * slow(self.key, frame, self.slowness)).max(0.05).log10()
    }

    pub(super) fn ready<'a>(&self, geometry: &FrameGeometry) -> Ready<'a> {
        Ready::point(Gain(self.density(geometry.frame) as f32))
    }
}

/// Density that is added to all.
struct Gain(f32);

impl Point for Gain {
    fn row(&self, _: usize, _: usize, line: &mut Scanline) {
        for plane in line.planes_mut() {
            plane.iter_mut().for_each(|v| *v += self.0);
        }
    }
}
