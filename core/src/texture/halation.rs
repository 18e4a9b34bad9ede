//! Halation: light that goes through the film, comes back from its base and exposes it again.

use super::spread::{self, Gives, Part, give, levels, weights};
use super::{Pixels, Plate};
use crate::film::GREY;
use crate::film::stock::Returned;
use crate::lane::{log2, smoothstep};
use crate::step::field::parameters;

parameters! {
    /// Glow off the film base, red before green before blue, as the stock has it.
    Halation {
        /// How much of it there is; 1 is the stock's own.
        amount: "Amount", Percent, number(0.0, 6.0, 1.0, 0.05);
        /// How far it reaches; 1 is the stock's own.
        reach: "Reach", Percent, number(0.25, 4.0, 1.0, 0.02);
        /// Light from which it shows, over middle grey.
        threshold: "From", Stops, number(-4.0, 8.0, 1.5, 0.1);
        /// Its colour: 0 is the stock's own, -1 without colour, 1 red alone.
        tint: "Tint", Plain, number(-1.0, 1.0, 0.0, 0.02);
    }
}

/// Stops over which light begins to come back.
const SOFT: f32 = 3.0;

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct Kernel {
    share: [f32; 3],
    reach: [f64; 3],
    weights: [f64; 3],
    threshold: f32,
}

impl Halation {
    /// The step at a strength, for what a stock gives back.
    pub fn kernel(&self, strength: f64, stock: &Returned) -> Kernel {
        let whole = stock.share.iter().copied().fold(0.0, f64::max);
        let toward = if self.tint < 0.0 { [whole; 3] } else { [whole, 0.0, 0.0] };
        let share = std::array::from_fn(|c| {
            let own = stock.share[c] + self.tint.abs() * (toward[c] - stock.share[c]);
            (own * self.amount * strength).clamp(0.0, 0.9) as f32
        });
        Kernel {
            share,
            reach: stock.reach.map(|a| a * self.reach),
            weights: stock.weights,
            threshold: self.threshold as f32,
        }
    }
}

impl Kernel {
    /// The falloff at a scale.
    pub fn parts(&self, pitch: f64) -> Vec<(Part, f64)> {
        self.reach.iter().zip(self.weights).map(|(a, w)| (Part::Exponential(a / pitch), w)).collect()
    }

    /// How far it reaches in micrometres: what lies beyond is less than 2 % of the widest part.
    pub fn reach(&self) -> f64 {
        6.0 * self.reach.iter().copied().fold(0.0, f64::max)
    }

    /// On the layers' exposures.
    pub fn run(&self, pixels: &mut Pixels, plate: &Plate) {
        let weights = weights(&self.parts(plate.pitch), levels(plate.size));
        give(pixels, plate.size, &weights, self);
    }

    /// What it adds and nothing else, in place of the layers' exposures.
    pub fn alone(&self, pixels: &mut Pixels, plate: &Plate) {
        let weights = weights(&self.parts(plate.pitch), levels(plate.size));
        spread::alone(pixels, plate.size, &weights, self);
    }
}

/// Pixels that are weighed at a time.
const BLOCK: usize = 64;

impl Gives for Kernel {
    #[inline(always)]
    fn row(&self, from: &Pixels, light: &mut Pixels) {
        let (share, low) = (self.share, self.threshold);
        let mut counts = [0.0_f32; BLOCK];
        for (from, light) in from.chunks(BLOCK).zip(light.chunks_mut(BLOCK)) {
            for (c, p) in counts.iter_mut().zip(from) {
                *c = p[0].max(p[1]).max(p[2]);
            }
            for c in &mut counts {
                *c = smoothstep(low, low + SOFT, log2(*c * (1.0 / GREY as f32)));
            }
            for ((l, p), c) in light.iter_mut().zip(from).zip(&counts) {
                *l = [
                    share[0] * c * p[0].max(0.0),
                    share[1] * c * p[1].max(0.0),
                    share[2] * c * p[2].max(0.0),
                    0.0,
                ];
            }
        }
    }
}
