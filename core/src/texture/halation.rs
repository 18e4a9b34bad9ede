//! Halation: light that goes through the film, comes back from its base and exposes it again.

use super::FrameGeometry;
use super::point_spread::{Component, weights};
use super::scanline::Scanline;
use super::spread::{Gives, levels};
use crate::field::parameters;
use crate::film::GREY;
use crate::film::stock::Returned;
use crate::numeric::lane::{octaves, smoothstep, undo_octaves};

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

/// Pixels side by side that are looked at together for whether they give any.
const RUN: usize = 128;

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct HalationKernel {
    share: [f32; 3],
    reach: [f64; 3],
    weights: [f64; 3],
    threshold: f32,
}

impl Halation {
    /// The step at a strength, for what a stock gives back.
    pub fn kernel(&self, strength: f64, stock: &Returned) -> HalationKernel {
        let whole = stock.share.iter().copied().fold(0.0, f64::max);
        let toward = if self.tint < 0.0 { [whole; 3] } else { [whole, 0.0, 0.0] };
        let share = std::array::from_fn(|c| {
            let own = stock.share[c] + self.tint.abs() * (toward[c] - stock.share[c]);
            (own * self.amount * strength).clamp(0.0, 0.9) as f32
        });
        HalationKernel {
            share,
            reach: stock.reach.map(|a| a * self.reach),
            weights: stock.weights,
            threshold: self.threshold as f32,
        }
    }
}

impl HalationKernel {
    /// The falloff at a scale.
    pub fn parts(&self, pitch: f64) -> Vec<(Component, f64)> {
        self.reach.iter().zip(self.weights).map(|(a, w)| (Component::Exponential(a / pitch), w)).collect()
    }

    /// Its radius in micrometres: what lies beyond is less than 2 % of the widest part.
    pub fn radius(&self) -> f64 {
        6.0 * self.reach.iter().copied().fold(0.0, f64::max)
    }

    /// Weights of the pyramid's levels.
    pub(super) fn weights(&self, geometry: &FrameGeometry) -> Vec<f64> {
        weights(&self.parts(geometry.pitch), levels(geometry.size))
    }
}

impl Gives for HalationKernel {
    #[inline(always)]
    fn row(&self, from: &Scanline, light: &mut Scanline) {
        let (share, low) = (self.share, self.threshold);
        // What is darker, and most of a picture is, gives nothing: see `octaves`, which only ever grows. A little less, so
        // that no rounding lets a place depend on those beside it.
        let dark = undo_octaves(low) * GREY as f32 * 0.9999;
        let [red, green, blue] = light.planes_mut();
        let n = red.len();
        let planes = [0, 1, 2].map(|c| &from.plane(c)[..n]);
        let mut first = 0;
        while first < n {
            let run = first..(first + RUN).min(n);
            let [r, g, b] = planes.map(|p| &p[run.clone()]);
            let [red, green, blue] = [&mut red[run.clone()], &mut green[run.clone()], &mut blue[run.clone()]];
            first += RUN;
            let n = r.len();
            let (g, b, green, red) = (&g[..n], &b[..n], &mut green[..n], &mut red[..n]);
            let mut most = 0.0_f32;
            for i in 0..n {
                most = most.max(r[i].max(g[i]).max(b[i]));
            }
            if most < dark {
                red.fill(0.0);
                green.fill(0.0);
                blue.fill(0.0);
                continue;
            }
            // How much comes back, in the plane that is filled last.
            for i in 0..n {
                let most = r[i].max(g[i]).max(b[i]);
                blue[i] = smoothstep(0.0, 1.0, (octaves(most * (1.0 / GREY as f32)) - low) * (1.0 / SOFT));
            }
            for i in 0..n {
                red[i] = share[0] * blue[i] * r[i].max(0.0);
            }
            for i in 0..n {
                green[i] = share[1] * blue[i] * g[i].max(0.0);
            }
            for i in 0..n {
                blue[i] *= share[2] * b[i].max(0.0);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::film::stock::negatives;

    #[test]
    fn light_comes_back_above_the_threshold_whatever_lies_beside_it() {
        let kernel = Halation::default().kernel(1.0, &negatives()[0].halation);
        let from = |first: usize, count: usize| {
            let (mut row, mut light) = (Scanline::new(count), Scanline::new(count));
            for (i, [r, g, b]) in (0..count)
                .map(|i| {
                    // Runs of darkness with lamps among them, and a slow climb through the threshold.
                    let x = (first + i) as f32;
                    let v = GREY as f32
                        * (x * 0.006 - 1.0).exp2()
                        * if (first + i) % 301 < 9 { 9.0 } else { 1.0 };
                    [v, 0.7 * v, -0.1 * v]
                })
                .enumerate()
            {
                [row.plane_mut(0)[i], row.plane_mut(1)[i], row.plane_mut(2)[i]] = [r, g, b];
            }
            kernel.row(&row, &mut light);
            [0, 1, 2].map(|c| light.plane(c)[..count].to_vec())
        };
        let whole = from(0, 1000);
        for first in (0..1000).step_by(7) {
            assert_eq!(from(first, 1).map(|p| p[0]), [0, 1, 2].map(|c| whole[c][first]), "{first}");
        }
        // 1.5 stops over grey, reached at 2.5 / 0.006; three more until all of the share comes back.
        assert!(whole[0][10..400].iter().enumerate().all(|(i, v)| (i + 10) % 301 < 9 || *v == 0.0));
        assert!(whole[0][440] > 0.0 && whole[2].iter().all(|v| *v == 0.0));
        let v = GREY as f32 * (999.0_f32 * 0.006 - 1.0).exp2();
        assert!((whole[0][999] / (kernel.share[0] * v) - 1.0).abs() < 1e-5);
    }
}
