//! Softness: how sharply the film draws, layer by layer, and the edges that development draws along.

use super::blur::Blur;
use super::chain::Ready;
use super::{Plate, edges};
use crate::field::parameters;
use crate::film::NegativeStock;
use std::f64::consts::PI;

parameters! {
    /// The film's modulation transfer, and its edges.
    Softness {
        /// How soft the film is; 1 is the stock's own, 2 twice as soft.
        amount: "Softness", Percent, number(0.0, 8.0, 1.0, 0.05);
        /// How strongly development draws edges; 1 is the stock's own.
        edges: "Edges", Percent, number(0.0, 5.0, 1.0, 0.05);
    }
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct Kernel {
    /// The radius a of each layer in micrometres.
    radius: [f64; 3],
    edges: f64,
    edge_reach: f64,
}

/// The radius a, in micrometres, of a film whose modulation transfer (1 + (2 pi a f)^2)^(-3/2), that of an exponential
/// falloff, is a half at `f50` cycles per millimetre.
pub fn radius(f50: f64) -> f64 {
    1000.0 * (2_f64.powf(2.0 / 3.0) - 1.0).sqrt() / (2.0 * PI * f50)
}

/// Modulation transfer of a radius at a frequency, in units of one over the other.
pub fn transfer(a: f64, f: f64) -> f64 {
    let t = 1.0 + (2.0 * PI * a * f).powi(2);
    1.0 / (t * t.sqrt())
}

impl Softness {
    /// The step at a strength on a stock.
    pub fn kernel(&self, strength: f64, stock: &NegativeStock) -> Kernel {
        Kernel {
            radius: stock.softness.map(|f50| radius(f50) * self.amount * strength),
            edges: stock.adjacency.share * self.edges * strength,
            edge_reach: stock.adjacency.reach,
        }
    }
}

/// The most pixels on each side of a tap's centre.
const MOST_TAPS: usize = super::line::MARGIN;

fn sinc(x: f64) -> f64 {
    if x.abs() < 1e-9 { 1.0 } else { (PI * x).sin() / (PI * x) }
}

/// The transfer, at `f` cycles a pixel, of a radius in pixels whose falloff is summed up over each pixel: with what is
/// folded back from beyond the pixels' own frequency.
fn summed(a: f64, f: f64) -> f64 {
    (-6..=6).map(|n| f - f64::from(n)).map(|g| transfer(a, g) * sinc(g)).sum()
}

/// Taps on one side, the middle one first, of a falloff of radius `a` pixels; all of them are at least 0 and sum to 1.
///
/// Summing over pixels is itself soft, so a smaller radius is taken: the one whose taps have the wanted transfer where
/// it is a half, or at 0.3 cycles a pixel where that lies beyond the pixels' frequency. Sampling the transfer instead
/// would ring around lamps.
pub fn taps(a: f64) -> Vec<f64> {
    if a < 0.02 {
        return vec![1.0];
    }
    let f = (radius(1.0) / 1000.0 / a).min(0.3);
    let wanted = transfer(a, f);
    let (mut low, mut high) = (0.0, a);
    for _ in 0..40 {
        let middle = 0.5 * (low + high);
        if summed(middle, f) > wanted { low = middle } else { high = middle }
    }
    let a = 0.5 * (low + high);
    // Beyond this lies less than half a per cent.
    let side = ((a * 6.0).round() as usize).clamp(1, MOST_TAPS);
    // The falloff across a line, summed over a pixel: the cosine transform of transfer times that of a pixel.
    let last = (12.0 / a.max(0.02)).min(24.0);
    let spectrum = |f: f64| transfer(a, f) * sinc(f);
    let sampled: Vec<[f64; 2]> = simpson(0.0, last, 600).map(|(f, w)| [f, w * spectrum(f)]).collect();
    let tap = |j: usize| {
        let cosine = |[f, v]: &[f64; 2]| v * (2.0 * PI * f * j as f64).cos();
        (2.0 * sampled.iter().map(cosine).sum::<f64>()).max(0.0)
    };
    shares((0..=side).map(tap).collect())
}

/// Places and weights for the integral of a function over an interval, by Simpson's rule in an even number of steps.
fn simpson(from: f64, to: f64, steps: u32) -> impl Iterator<Item = (f64, f64)> {
    let h = (to - from) / f64::from(steps);
    let weight = move |i: u32| match i {
        0 => 1.0,
        i if i == steps => 1.0,
        i if i % 2 == 1 => 4.0,
        _ => 2.0,
    };
    (0..=steps).map(move |i| (from + h * f64::from(i), h / 3.0 * weight(i)))
}

/// Taps on one side, the middle one first, scaled so that all of them sum to 1.
fn shares(taps: Vec<f64>) -> Vec<f64> {
    let sum = taps[0] + 2.0 * taps[1..].iter().sum::<f64>();
    taps.iter().map(|t| t / sum).collect()
}

/// Deviations that taps of a bell reach: beyond lies one part in eighty.
const BELL: f64 = 2.5;

/// Taps of a bell of a standard deviation in pixels.
pub fn bell(sigma: f64) -> Vec<f64> {
    if sigma < 0.05 {
        return vec![1.0];
    }
    let side = ((BELL * sigma).ceil() as usize).clamp(1, MOST_TAPS);
    let at = |x: f64| (-0.5 * (x / sigma).powi(2)).exp();
    // Summed over each pixel.
    let over = |j: usize| simpson(j as f64 - 0.5, j as f64 + 0.5, 16).map(|(x, w)| w * at(x)).sum();
    shares((0..=side).map(over).collect())
}

fn narrowed(taps: &[f64]) -> Vec<f32> {
    taps.iter().map(|t| *t as f32).collect()
}

/// The most that edges count: at 1 a dark side would go black.
const MOST_EDGES: f64 = 0.9;

impl Kernel {
    /// How far it reaches in micrometres.
    pub fn reach(&self) -> f64 {
        8.0 * self.radius.iter().copied().fold(0.0, f64::max) + 3.0 * self.edge_reach
    }

    /// On the layers' exposures.
    pub(super) fn ready<'a>(&self, plate: &Plate) -> Vec<Ready<'a>> {
        let mut ready = Vec::new();
        let taps = self.radius.map(|a| narrowed(&taps(a / plate.pitch)));
        if taps.iter().any(|t| t.len() > 1) {
            ready.push(Ready::wide(Blur { taps, height: plate.size[1] }));
        }
        let sigma = self.edge_reach / plate.pitch;
        // A neighbourhood within a pixel draws no edges.
        if self.edges > 0.0 && bell(sigma)[0] < 0.97 {
            ready.push(edges::ready(sigma, self.edges.min(MOST_EDGES) as f32, plate.size[1]));
        }
        ready
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::texture::Texture;

    #[test]
    fn taps_are_shares_and_an_even_field_stays() {
        for a in [0.1, 0.45, 1.0, 2.2] {
            let t = taps(a);
            assert!(t.iter().all(|v| *v >= 0.0), "{t:?}");
            assert!((t[0] + 2.0 * t[1..].iter().sum::<f64>() - 1.0).abs() < 1e-12);
        }
        let mut even = vec![[0.3, 0.2, 0.1, 1.0]; 40 * 30];
        let plate = Plate::whole(40, 30, 0.4, 0);
        Texture::Softness(Softness::default().kernel(1.0, &NegativeStock::default())).run(&mut even, &plate);
        for p in even {
            assert!((p[0] - 0.3).abs() < 1e-5 && (p[2] - 0.1).abs() < 1e-5 && p[3] == 1.0, "{p:?}");
        }
    }
}
