//! What a picture is by its tones and colours, as numbers, and the probe colours that a look is told by.

use super::small::{Small, plane};
use crate::colour::plane::polar;
use crate::numeric::percentile::percentile;

/// Brightness zones of equal width.
const ZONES: usize = 6;
/// Hues that are looked at.
pub const HUES: usize = 8;
/// Shares of the brightness and chroma that are read off.
const TONES: [f64; 9] = [0.01, 0.05, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.99];
const CHROMAS: [f64; 5] = [0.25, 0.5, 0.75, 0.9, 0.99];
/// Zones and hues with a smaller share of the pixels say nothing.
pub const LEAST_SHARE: f64 = 0.02;
/// Below this chroma there is no hue.
const COLOURED: f64 = 0.02;

/// How many numbers [`features`] gives.
pub const COUNT: usize = TONES.len() + 4 * ZONES + 6 + 6 + CHROMAS.len() + 3 * HUES;

/// The numbers of a picture; those that its pixels do not say are 0.
pub fn features(picture: &Small) -> Vec<f64> {
    let split = picture.split();
    let n = split.len() as f64;
    let quantiles = |values: &mut Vec<f64>, shares: &[f64]| -> Vec<f64> {
        shares.iter().map(|s| percentile(values, *s)).collect()
    };
    let mut all = quantiles(&mut split.iter().map(|p| p[0]).collect(), &TONES);
    for zone in 0..ZONES {
        let (low, high) = (zone as f64 / ZONES as f64, (zone + 1) as f64 / ZONES as f64);
        let inside: Vec<&[f64; 3]> = split.iter().filter(|p| (low..high).contains(&p[0])).collect();
        if (inside.len() as f64) < LEAST_SHARE * n {
            all.extend([0.0; 4]);
            continue;
        }
        for c in [1, 2] {
            let mut values: Vec<f64> = inside.iter().map(|p| p[c]).collect();
            all.push(values.iter().sum::<f64>() / values.len() as f64);
            all.push(percentile(&mut values, 0.5));
        }
    }
    for c in 0..3 {
        all.extend(quantiles(&mut picture.pixels.iter().map(|p| f64::from(p[c])).collect(), &[0.01, 0.99]));
    }
    let mean = [0, 1, 2].map(|c| split.iter().map(|p| p[c]).sum::<f64>() / n);
    let moment =
        |a: usize, b: usize| split.iter().map(|p| (p[a] - mean[a]) * (p[b] - mean[b])).sum::<f64>() / n;
    let spread = [0, 1, 2].map(|c| moment(c, c).sqrt());
    all.extend(spread);
    all.extend([(0, 1), (0, 2), (1, 2)].map(|(a, b)| moment(a, b) / (spread[a] * spread[b] + 1e-4)));
    let chroma = |p: &[f64; 3]| p[1].hypot(p[2]);
    all.extend(quantiles(&mut split.iter().map(chroma).collect(), &CHROMAS));
    for hue in by_hue(&split) {
        all.extend(hue.unwrap_or_default());
    }
    all
}

/// Mean chroma, turn from the knot in degrees over 45, and luma of the pixels about each hue knot; `None` where there are few.
fn by_hue(split: &[[f64; 3]]) -> [Option<[f64; 3]>; HUES] {
    let width = 360.0 / HUES as f64;
    let mut sums = [[0.0; 4]; HUES];
    for p in split {
        let chroma = p[1].hypot(p[2]);
        if chroma < COLOURED {
            continue;
        }
        let hue = p[2].atan2(p[1]).to_degrees().rem_euclid(360.0);
        let knot = (hue / width).round() as usize % HUES;
        let turn = (hue - knot as f64 * width + 180.0).rem_euclid(360.0) - 180.0;
        for (s, v) in sums[knot].iter_mut().zip([1.0, chroma, turn / 45.0, p[0]]) {
            *s += v;
        }
    }
    let enough = LEAST_SHARE * split.len() as f64;
    sums.map(|[count, c, t, y]| (count >= enough).then(|| [c / count, t / count, y / count]))
}

/// The hues, in degrees on the plane, that a picture has hardly any pixels of.
pub fn unseen_hues(pictures: &[&Small]) -> Vec<f64> {
    let seen: Vec<[Option<[f64; 3]>; HUES]> = pictures.iter().map(|p| by_hue(&p.split())).collect();
    let width = 360.0 / HUES as f64;
    (0..HUES).filter(|k| seen.iter().all(|s| s[*k].is_none())).map(|k| k as f64 * width).collect()
}

/// The probe colours: eleven greys, then eight hues at six pairs of lightness and chroma; code values of the Screen zone.
pub fn probes() -> Vec<[f32; 4]> {
    let plane = plane();
    let mut all: Vec<[f32; 4]> =
        (0..11).map(|i| 0.02 + 0.96 * i as f32 / 10.0).map(|v| [v, v, v, 1.0]).collect();
    for (luma, chroma) in [(0.2, 0.05), (0.35, 0.06), (0.35, 0.14), (0.55, 0.08), (0.55, 0.18), (0.75, 0.08)]
    {
        for hue in 0..HUES {
            let (cb, cr) = polar(hue as f64 * 360.0 / HUES as f64, chroma);
            let [r, g, b] = plane.join(luma, cb as f32, cr as f32);
            all.push([r, g, b, 1.0]);
        }
    }
    all
}

/// How much each probe counts: greys for their lightness, colours more.
pub fn probe_weights() -> Vec<f64> {
    let mut weights = vec![2.0; 11];
    weights.resize(59, 1.0);
    weights
}
