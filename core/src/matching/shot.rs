//! Exposure and white of one shot brought to another's, as an ordinary Balance step, its contrast as Tone and its colour as
//! Saturation: exposure and white by means of light, all five together by the least-squares engine.

use crate::colour::Encoding;
use crate::colour::plane::Plane;
use crate::colour::primaries::AP1;
use crate::graph::Program;
use crate::look::{Path, Step};
use crate::numeric::least_squares::{Loss, Parameter, Problem, solve, unwatched};
use crate::numeric::percentile::percentile;
use crate::scope::stops::stops_of;
use crate::step::{Balance, Saturation, Tone, Values, Zone};
use schemars::JsonSchema;
use serde::Serialize;
use std::sync::atomic::AtomicBool;

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
    /// Amount of a Saturation step; 1 where it was not asked for.
    pub saturation: f64,
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
    Some(Brought {
        exposure: b.exposure,
        temperature: b.temperature,
        tint: b.tint,
        contrast,
        saturation: 1.0,
    })
}

/// The most pixels that a fit looks at.
const MOST_PIXELS: usize = 6_000;
/// Shares of the picture whose exposures are compared, and how far one of them is off by chance, in stops.
const SHARES: [f64; 9] = [0.03, 0.1, 0.2, 0.35, 0.5, 0.65, 0.8, 0.9, 0.97];
const STOPS_OFF: f64 = 0.08;
/// Ranges of exposure whose mean colours are compared, and how far those are off by chance on the plane.
const RANGES: usize = 4;
const COLOUR_OFF: f64 = 0.003;
/// Shares of the picture whose strength of colour is compared, and how far that is off by chance.
const CHROMA: [f64; 3] = [0.5, 0.8, 0.95];
const CHROMA_OFF: f64 = 0.004;

/// What a picture is for the fit: exposures, colours and their strength, each over its deviation. Code values of ACEScct.
fn features(pixels: &[[f32; 4]], plane: &Plane, stops_a_code: f64) -> Vec<f64> {
    let mut split: Vec<[f64; 3]> = pixels
        .iter()
        .map(|p| {
            let (y, cb, cr) = plane.split([p[0], p[1], p[2]]);
            [y, cb, cr].map(f64::from)
        })
        .collect();
    split.sort_unstable_by(|a, b| a[0].total_cmp(&b[0]));
    let n = split.len();
    let at = |share: f64| split[(((n - 1) as f64) * share).round() as usize][0];
    let mut all: Vec<f64> = SHARES.iter().map(|s| at(*s) * stops_a_code / STOPS_OFF).collect();
    for part in split.chunks(n.div_ceil(RANGES).max(1)) {
        for c in 1..3 {
            all.push(part.iter().map(|p| p[c]).sum::<f64>() / part.len() as f64 / COLOUR_OFF);
        }
    }
    let mut chroma: Vec<f64> = split.iter().map(|p| p[1].hypot(p[2])).collect();
    all.extend(CHROMA.map(|s| percentile(&mut chroma, s) / CHROMA_OFF));
    all
}

/// The steps that bring a shot to another.
fn steps(b: &Brought) -> Path {
    let balance = Balance { exposure: b.exposure, temperature: b.temperature, tint: b.tint };
    let step = |id, values| Step::new(id, Zone::Scene, values);
    Path::of(vec![
        step("balance", Values::Balance(balance)),
        step("tone", Values::Tone(Tone { contrast: b.contrast, ..Default::default() })),
        step("saturation", Values::Saturation(Saturation { amount: b.saturation, ..Default::default() })),
    ])
}

/// Exposure, white, contrast and saturation together, from linear AP1 pixels of two shots of one scene: least squares over what
/// both pictures are, begun at [`bring`]. `None` where no balance does it, or where it was stopped.
pub fn bring_whole(shot: &[[f32; 4]], to: &[[f32; 4]], stop: &AtomicBool) -> Option<Brought> {
    let (own, its) = (measure(shot)?, measure(to)?);
    let begun = bring(&own, &its)?;
    if own.range < FLAT || its.range < FLAT {
        return Some(begun);
    }
    let linear = Encoding::find("acescg")?;
    let log = Encoding::find("acescct")?;
    let thinned = |all: &[[f32; 4]]| -> Vec<[f32; 4]> {
        let by = all.len().div_ceil(MOST_PIXELS).max(1);
        all.iter().step_by(by).filter(|p| p.iter().all(|v| v.is_finite())).copied().collect()
    };
    let plane = Plane::of(&AP1);
    // ACEScct holds 17.52 stops in its logarithmic part's code (S-2016-001).
    let read = |pixels: &[[f32; 4]], path: &Path| -> Option<Vec<f64>> {
        let mut pixels = pixels.to_vec();
        Program::compile(path, &linear, &log).ok()?.run(&mut pixels);
        Some(features(&pixels, &plane, 17.52))
    };
    let (shot, to) = (thinned(shot), thinned(to));
    let wanted = read(&to, &Path::default())?;
    let brought = |v: &[f64]| Brought {
        exposure: v[0],
        temperature: 1e6 / v[1],
        tint: v[2],
        contrast: v[3].exp(),
        saturation: v[4].exp(),
    };
    let parameters = [
        Parameter::new(begun.exposure, [-8.0, 8.0], 1.0).stepped(0.01),
        Parameter::new(1e6 / begun.temperature, [1e6 / 25_000.0, 1e6 / 1_800.0], 60.0).stepped(0.5),
        Parameter::new(begun.tint, [-40.0, 40.0], 12.0).stepped(0.1),
        Parameter::new(begun.contrast.ln(), CONTRAST.map(f64::ln), 0.3).stepped(0.01),
        Parameter::new(0.0, [0.4_f64.ln(), 2.5_f64.ln()], 0.3).stepped(0.01),
    ];
    let residuals = |v: &[f64]| match read(&shot, &steps(&brought(v))) {
        Some(found) => found.iter().zip(&wanted).map(|(a, b)| a - b).collect(),
        None => vec![f64::NAN; wanted.len()],
    };
    let problem = Problem {
        parameters: &parameters,
        residuals: &residuals,
        group: 1,
        loss: Loss::Student(8.0),
        rounds: 30,
        tolerance: 1e-4,
        watch: &unwatched,
    };
    solve(&problem, stop).map(|found| brought(&found.values))
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
    fn exposure_white_contrast_and_saturation_are_found_together() {
        let right = picture();
        let by = Brought { exposure: 0.7, temperature: 5_200.0, tint: 3.0, contrast: 1.2, saturation: 0.8 };
        let mut other = right.clone();
        let linear = Encoding::find("acescg").unwrap();
        Program::compile(&steps(&by), &linear, &linear).unwrap().run(&mut other);
        let found = bring_whole(&right, &other, &AtomicBool::new(false)).unwrap();
        assert!((found.exposure - by.exposure).abs() < 0.03, "{found:?}");
        assert!((found.temperature / by.temperature - 1.0).abs() < 0.02, "{found:?}");
        assert!((found.contrast - by.contrast).abs() < 0.02, "{found:?}");
        assert!((found.saturation - by.saturation).abs() < 0.04, "{found:?}");
        // Of itself nothing has to change; a flat patch has neither contrast nor saturation to go by.
        let same = bring_whole(&right, &right, &AtomicBool::new(false)).unwrap();
        assert!(same.exposure.abs() < 0.01 && (same.saturation - 1.0).abs() < 0.01, "{same:?}");
        let flat = [[0.2, 0.2, 0.2, 1.0]; 50];
        assert_eq!(bring_whole(&flat, &right, &AtomicBool::new(false)).unwrap().saturation, 1.0);
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
