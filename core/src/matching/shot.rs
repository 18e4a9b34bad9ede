//! Exposure and white of one shot brought to another's, as an ordinary Balance step, and its contrast as Tone.

use crate::scope::stops::stops_of;
use crate::step::Balance;
use schemars::JsonSchema;
use serde::Serialize;

/// What a picture, or an area of one, is by its light.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Measure {
    /// Mean of its linear AP1 light, without its darkest and lightest pixels.
    pub mean: [f64; 3],
    /// Distance in stops from its 10th to its 90th percentile of exposure.
    pub range: f64,
}

/// What would bring one shot to another.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Brought {
    /// Exposure in stops.
    pub exposure: f64,
    /// Temperature in kelvin.
    pub temperature: f64,
    /// Tint in thousandths of Duv.
    pub tint: f64,
    /// Contrast of a Tone step about middle grey.
    pub contrast: f64,
}

/// The share of pixels left out at each end: lamps and holes say nothing about the light on a set.
const ENDS: f64 = 0.05;
/// Ranges under this many stops are flat patches and say nothing about contrast.
const FLAT: f64 = 0.5;
/// The ends of a contrast that is still a match and no accident.
const CONTRAST: [f64; 2] = [0.5, 2.0];

/// Measures linear AP1 pixels. `None` where there are none with light.
pub fn measure(pixels: &[[f32; 4]]) -> Option<Measure> {
    let mut lit: Vec<(f32, [f32; 4])> =
        pixels.iter().map(|p| (stops_of(p), *p)).filter(|(s, _)| s.is_finite() && *s > -20.0).collect();
    if lit.is_empty() {
        return None;
    }
    lit.sort_unstable_by(|a, b| a.0.total_cmp(&b.0));
    let n = lit.len();
    let at = |share: f64| (((n - 1) as f64) * share).round() as usize;
    let inner = &lit[at(ENDS)..=at(1.0 - ENDS)];
    let mean =
        [0, 1, 2].map(|c| inner.iter().map(|(_, p)| f64::from(p[c])).sum::<f64>() / inner.len() as f64);
    Some(Measure { mean, range: f64::from(lit[at(0.9)].0 - lit[at(0.1)].0) })
}

/// What brings `shot` to `to`. `None` where no balance does.
pub fn bring(shot: &Measure, to: &Measure) -> Option<Brought> {
    let b = Balance::bringing(shot.mean, to.mean)?;
    let flat = shot.range < FLAT || to.range < FLAT;
    let contrast = if flat { 1.0 } else { (to.range / shot.range).clamp(CONTRAST[0], CONTRAST[1]) };
    Some(Brought { exposure: b.exposure, temperature: b.temperature, tint: b.tint, contrast })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A picture of many colours and exposures.
    fn picture() -> Vec<[f32; 4]> {
        (0..4000)
            .map(|i| {
                let t = i as f32 / 4000.0;
                let y = 0.18 * (10.0 * (t - 0.5)).exp2();
                [y * (1.0 + 0.4 * (t * 91.0).sin()), y, y * (1.0 + 0.4 * (t * 57.0).cos()), 1.0]
            })
            .collect()
    }

    #[test]
    fn a_known_offset_of_the_whole_picture_is_found_to_a_hundredth_of_a_stop() {
        let right = picture();
        for known in [
            Balance { exposure: 1.0, temperature: 8_200.0, tint: -5.0 },
            Balance { exposure: -1.3, temperature: 4_200.0, tint: 4.0 },
        ] {
            // The picture as it is before the balance that puts it right.
            let m =
                crate::colour::Mat3(known.kernel().0.map(|r| r.map(f64::from))).inverse().unwrap().to_f32();
            let wrong: Vec<[f32; 4]> = right
                .iter()
                .map(|p| {
                    let [r, g, b] = m.apply([p[0], p[1], p[2]]);
                    [r, g, b, 1.0]
                })
                .collect();
            let found = bring(&measure(&wrong).unwrap(), &measure(&right).unwrap()).unwrap();
            assert!((found.exposure - known.exposure).abs() < 0.01, "{known:?} {found:?}");
            assert!((found.temperature / known.temperature - 1.0).abs() < 0.01, "{known:?} {found:?}");
            assert!((found.contrast - 1.0).abs() < 0.01, "{found:?}");
        }
    }

    #[test]
    fn contrast_is_the_ratio_of_ranges_and_flat_patches_have_none() {
        let flatter: Vec<[f32; 4]> =
            picture().iter().map(|p| p.map(|v| 0.18 * (v.max(1e-9) / 0.18).powf(0.8))).collect();
        let found = bring(&measure(&flatter).unwrap(), &measure(&picture()).unwrap()).unwrap();
        assert!((found.contrast - 1.25).abs() < 0.02, "{found:?}");
        let patch = measure(&[[0.2, 0.2, 0.2, 1.0]; 50]).unwrap();
        assert_eq!(bring(&patch, &measure(&picture()).unwrap()).unwrap().contrast, 1.0);
        assert_eq!(measure(&[[0.0; 4]; 9]), None);
    }
}
