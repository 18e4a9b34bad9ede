//! What a lens does to light between the set and the sensor: a little of it lands beside its place.

use crate::vector::V3;
use rayon::prelude::*;

/// Shares of light that are spread, and over how much: standard deviations of Gaussians in shares of the height. A
/// lamp's rim, many stops over what is beside it, fades over some pixels instead of ending at one.
const SPREAD: [(f32, f32); 2] = [(0.10, 0.0011), (0.03, 0.0032)];

/// A picture through the lens, rows from the top.
pub fn through(picture: &[V3], w: usize, h: usize) -> Vec<V3> {
    let kept = 1.0 - SPREAD.iter().map(|s| s.0).sum::<f32>();
    let mut all: Vec<V3> = picture.par_iter().map(|p| *p * kept).collect();
    for (share, sigma) in SPREAD {
        let wide = blurred(picture, w, h, sigma * h as f32);
        all.par_iter_mut().zip(wide).for_each(|(a, b)| *a += b * share);
    }
    all
}

/// A Gaussian over both directions; edges repeat.
fn blurred(picture: &[V3], w: usize, h: usize, sigma: f32) -> Vec<V3> {
    let reach = (sigma * 4.0).ceil() as isize;
    let kernel: Vec<f32> = (-reach..=reach).map(|d| (-0.5 * (d as f32 / sigma).powi(2)).exp()).collect();
    let sum: f32 = kernel.iter().sum();
    let pass = |from: &[V3], step: usize, length: usize, at: &(dyn Fn(usize) -> usize + Sync)| -> Vec<V3> {
        (0..w * h)
            .into_par_iter()
            .map(|i| {
                let place = at(i) as isize;
                let mut all = V3::default();
                for (k, d) in (-reach..=reach).enumerate() {
                    let to = (place + d).clamp(0, length as isize - 1) - place;
                    all += from[(i as isize + to * step as isize) as usize] * (kernel[k] / sum);
                }
                all
            })
            .collect()
    };
    let rows = pass(picture, 1, w, &|i| i % w);
    pass(&rows, w, h, &|i| i / w)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::vector::splat;

    #[test]
    fn no_light_is_lost_and_an_even_picture_stays() {
        let (w, h) = (64, 48);
        let even = through(&vec![splat(0.3); w * h], w, h);
        assert!(even.iter().all(|p| (p.0[1] - 0.3).abs() < 1e-5));
        let mut point = vec![splat(0.0); w * h];
        point[24 * w + 32] = splat(100.0);
        let spread = through(&point, w, h);
        let sum: f64 = spread.iter().map(|p| f64::from(p.0[0])).sum();
        assert!((sum - 100.0).abs() < 0.01, "{sum}");
        // The same to the left as to the right, above as below.
        for d in 1..6 {
            let at = |x: usize, y: usize| spread[y * w + x].0[2];
            assert!((at(32 - d, 24) - at(32 + d, 24)).abs() < 1e-6);
            assert!((at(32, 24 - d) - at(32 + d, 24)).abs() < 1e-6);
        }
    }
}
