//! Taps of filters: how film draws softly, and bells.

use std::f64::consts::PI;

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

/// The most pixels on each side of a tap's centre.
const MOST_TAPS: usize = super::scanline::MARGIN;

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
