//! Softness: how sharply the film draws, layer by layer, and the edges that development draws along.

use super::blur::Blur;
use super::chain::Ready;
use super::taps::{bell, radius, taps};
use super::{FrameGeometry, edges};
use crate::field::parameters;
use crate::film::NegativeStock;

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
pub struct SoftnessKernel {
    /// The radius a of each layer in micrometres.
    radius: [f64; 3],
    edges: f64,
    edge_reach: f64,
}

impl Softness {
    /// The step at a strength on a stock.
    pub fn kernel(&self, strength: f64, stock: &NegativeStock) -> SoftnessKernel {
        SoftnessKernel {
            radius: stock.softness.map(|f50| radius(f50) * self.amount * strength),
            edges: stock.adjacency.share * self.edges * strength,
            edge_reach: stock.adjacency.reach,
        }
    }
}

fn narrowed(taps: &[f64]) -> Vec<f32> {
    taps.iter().map(|t| *t as f32).collect()
}

/// The most that edges count: at 1 a dark side would go black.
const MOST_EDGES: f64 = 0.9;

impl SoftnessKernel {
    /// Its radius in micrometres.
    pub fn radius(&self) -> f64 {
        8.0 * self.radius.iter().copied().fold(0.0, f64::max) + 3.0 * self.edge_reach
    }

    /// On the layers' exposures.
    pub(super) fn ready<'a>(&self, geometry: &FrameGeometry) -> Vec<Ready<'a>> {
        let mut ready = Vec::new();
        let taps = self.radius.map(|a| narrowed(&taps(a / geometry.pitch)));
        if taps.iter().any(|t| t.len() > 1) {
            ready.push(Ready::wide(Blur { taps, height: geometry.size[1] }));
        }
        let sigma = self.edge_reach / geometry.pitch;
        // A neighbourhood within a pixel draws no edges.
        if self.edges > 0.0 && bell(sigma)[0] < 0.97 {
            ready.push(edges::ready(sigma, self.edges.min(MOST_EDGES) as f32, geometry.size[1]));
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
        let geometry = FrameGeometry::whole(40, 30, 0.4, 0);
        Texture::Softness(Softness::default().kernel(1.0, &NegativeStock::default()))
            .run(&mut even, &geometry);
        for p in even {
            assert!((p[0] - 0.3).abs() < 1e-5 && (p[2] - 0.1).abs() < 1e-5 && p[3] == 1.0, "{p:?}");
        }
    }
}
