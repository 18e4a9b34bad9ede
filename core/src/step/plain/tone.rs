//! The tone curve of a rendering, for displays with and without headroom, and its inverse.

use super::PlainRendering;
use crate::colour::Display;
use crate::numeric::lane::{exp2, log2, powf, select};
use std::f32::consts::LN_2;

/// Scene light to display light, one channel.
///
/// A Naka-Rushton sigmoid y = A r / (1 + r), r = r0 (x / 0.18)^n, with the toe y^2 (1+t) / (y+t). On a display with the
/// headroom p it is multiplied by G = (1 + k q) / (1 + k q / h), q = r^2 / (r + 4 r0), which is 1 for p = 1, leaves tones
/// below grey alone, and brings `white` stops over grey onto p.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ToneCurve {
    power: f32,
    /// r0, the sigmoid's r of middle grey.
    gain: f32,
    ceiling: f32,
    toe: f32,
    highlights: Option<Highlights>,
    /// The brightest light of the display.
    pub(super) peak: f32,
    deepest: Option<Deepest>,
    end: End,
}

/// What multiplies the curve on a display with headroom.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Highlights {
    /// k, and k / h.
    rise: f32,
    fall: f32,
}

/// What the curve is in the deepest tones, where the first codes over black of a display are bright: a power of scene light,
/// which spreads those codes over scene light that the curve alone would skip. Both meet by a soft maximum, so that a few codes
/// higher the curve is itself.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Deepest {
    /// Where power and curve meet: light, and stops over grey.
    light: f32,
    stops: f32,
    power: f32,
}

/// Where the curve goes on straight in stops; nowhere, by an infinite place.
#[derive(Clone, Copy, Debug, PartialEq)]
struct End {
    /// Stops over grey where it begins, the light that it begins at, and what a stop adds.
    stops: f32,
    light: f32,
    slope: f32,
}

/// At how many codes over black the power of the deepest tones meets the curve, and that power. By trial: what keeps the first
/// code's step small under every look that ships, and grades pictures least otherwise.
const DEEPEST_CODES: f64 = 2.5;
const DEEPEST_POWER: f32 = 0.33;
/// A first code below this light needs none of it: the curve itself is steep enough there.
const FAINT_CODE: f64 = 1e-4;
/// How much of G shows already where the curve itself still rises (from the trials: the least that leaves no dent).
const RISE: f64 = 0.5;
/// The share of the peak at which a curve for display sources goes on straight.
const STRAIGHT_FROM: f64 = 0.85;
/// Halvings that the inverse of a curve without a closed form takes, over 52 stops.
const HALVINGS: usize = 26;

impl ToneCurve {
    /// The curve of a rendering for a display, as the pair for display sources has it: with a bounded slope of its inverse
    /// up to the peak, from 85 % of which it goes on straight in stops, and down to black, where it is lifted for displays
    /// whose first codes are bright.
    pub fn of_pair(of: &PlainRendering, display: &Display) -> Self {
        let mut curve = Self::new(of, display.headroom);
        if display.first_code > FAINT_CODE {
            let light = (DEEPEST_CODES * display.first_code) as f32;
            let stops = log2(curve.inverse(light) * (1.0 / 0.18));
            curve.deepest = Some(Deepest { light, stops, power: DEEPEST_POWER });
        }
        let light = (STRAIGHT_FROM * display.headroom) as f32;
        let stops = log2(curve.inverse(light) * (1.0 / 0.18));
        const STEP: f32 = 0.02;
        let at = |s: f32| curve.at(0.18 * (stops + s).exp2());
        curve.end = End { stops, light, slope: (at(STEP) - at(-STEP)) / (2.0 * STEP) };
        curve
    }

    /// The curve of a rendering for a display with this headroom.
    pub fn new(of: &PlainRendering, headroom: f64) -> Self {
        let (g, t) = (of.grey, of.toe);
        // Sigmoid value of grey, before the toe: y^2 (1+t) / (y+t) = g.
        let y = (g + (g * g + 4.0 * (1.0 + t) * g * t).sqrt()) / (2.0 * (1.0 + t));
        let (mut ceiling, mut power, mut gain) = (1.0, of.contrast, y);
        // Ceiling, power and gain depend on each other weakly: a few rounds settle them.
        for _ in 0..40 {
            gain = y / (ceiling - y);
            power = of.contrast / ((1.0 - y / ceiling) * (1.0 + t / (y + t)));
            ceiling = 1.0 + 1.0 / (gain * (power * of.white).exp2());
        }
        let mut curve = Self {
            power: power as f32,
            gain: gain as f32,
            ceiling: ceiling as f32,
            toe: t as f32,
            highlights: None,
            peak: headroom as f32,
            deepest: None,
            end: End { stops: f32::INFINITY, light: 0.0, slope: 0.0 },
        };
        if headroom > 1.0 {
            let r = gain * (power * of.white).exp2();
            let q = r * r / (r + 4.0 * gain);
            // Where white lies near grey, q is small there, and G could not reach the peak.
            let rise = RISE.max(3.0 * headroom / q);
            let fall = (1.0 + rise * q - headroom) / (q * headroom);
            curve.highlights = Some(Highlights { rise: rise as f32, fall: fall as f32 });
        }
        curve
    }

    /// Display light of scene light; 0 for what is not above zero.
    #[inline(always)]
    pub fn at(&self, x: f32) -> f32 {
        let stops = log2(x * (1.0 / 0.18));
        let r = self.gain * exp2(self.power * stops);
        // A r / (1 + r) written so that a huge r does not overflow.
        let y = self.ceiling / (1.0 + 1.0 / r.max(1e-30));
        let mut light = y * y * (1.0 + self.toe) / (y + self.toe);
        if let Some(h) = &self.highlights {
            light = (light * h.gain(r, self.gain)).min(self.peak);
        }
        if let Some(d) = &self.deepest {
            light = soft_max(light, d.at(stops));
        }
        let straight = self.end.light + (stops - self.end.stops).max(0.0) * self.end.slope;
        select(x > 0.0, select(stops > self.end.stops, straight, light), 0.0)
    }

    /// Display light of scene light `stops` over grey, and what a stop more adds to it.
    #[inline(always)]
    pub(super) fn at_stops(&self, stops: f32) -> (f32, f32) {
        let r = (self.gain * exp2(self.power * stops)).max(1e-30);
        let y = self.ceiling / (1.0 + 1.0 / r);
        let mut light = y * y * (1.0 + self.toe) / (y + self.toe);
        // d log light / d log x.
        let mut slope = self.power / (1.0 + r) * (1.0 + self.toe / (y + self.toe));
        // Without branches, which would keep the loop that this is inlined into from being vectorised.
        let highlights = self.highlights.unwrap_or(Highlights { rise: 0.0, fall: 0.0 });
        let deepest = self.deepest.unwrap_or(Deepest { light: 0.0, stops: 0.0, power: 1.0 });
        let (gain, rises) = highlights.gain_and_slope(r, self.gain);
        light = (light * gain).min(self.ceiling.max(self.peak));
        slope = (slope + self.power * rises) * light * LN_2;
        let deep = deepest.at(stops);
        let (own, both) = (light, soft_max(light, deep));
        let share = |part: f32| {
            let r = part / both.max(1e-30);
            r * r * r
        };
        slope = share(own) * slope + share(deep) * deep * deepest.power * LN_2;
        light = both;
        let over = stops - self.end.stops;
        let straight = self.end.light + over.max(0.0) * self.end.slope;
        (select(over > 0.0, straight, light), select(over > 0.0, self.end.slope, slope))
    }

    /// What a display with headroom multiplies the light of a scene light by: 1 where there is none.
    #[inline(always)]
    pub fn highlight_gain(&self, x: f32) -> f32 {
        let r = self.gain * exp2(self.power * log2(x * (1.0 / 0.18)));
        self.highlights.map_or(1.0, |h| select(x > 0.0, h.gain(r.max(1e-30), self.gain), 1.0))
    }

    /// The scene light that becomes this display light, for 0 up to just below the curve's highest.
    #[inline(always)]
    pub fn inverse(&self, y: f32) -> f32 {
        let y = y.max(0.0);
        let closed = self.highlights.is_none() && self.deepest.is_none();
        let x = if closed { self.sdr_inverse(y) } else { self.searched(y) };
        let beyond = 0.18 * exp2(self.end.stops.min(40.0) + (y - self.end.light) / self.end.slope.max(1e-9));
        select(self.end.slope > 0.0 && y > self.end.light, beyond, x)
    }

    #[inline(always)]
    fn sdr_inverse(&self, y: f32) -> f32 {
        let t = self.toe;
        let s = (y + (y * y + 4.0 * (1.0 + t) * y * t).sqrt()) / (2.0 * (1.0 + t));
        let s = s.min(self.ceiling * (1.0 - 1e-6));
        0.18 * powf(s / ((self.ceiling - s) * self.gain), 1.0 / self.power)
    }

    /// By halving in stops.
    #[inline(always)]
    fn searched(&self, y: f32) -> f32 {
        let (mut low, mut high) = (-40.0_f32, 12.0_f32);
        for _ in 0..HALVINGS {
            let middle = 0.5 * (low + high);
            let below = self.at(0.18 * exp2(middle)) < y;
            low = select(below, middle, low);
            high = select(below, high, middle);
        }
        select(y > 0.0, 0.18 * exp2(0.5 * (low + high)), 0.0)
    }

    /// Scene light that becomes the peak, in stops over grey: where a straight end arrives there, or the curve itself.
    pub fn peak_stops(&self) -> f32 {
        if self.end.slope > 0.0 {
            return self.end.stops + (self.peak - self.end.light) / self.end.slope;
        }
        self.stops_of(self.peak * 0.999_9)
    }

    /// The stops over grey whose light is half the peak.
    pub fn half_peak_stops(&self) -> f32 {
        self.stops_of(0.5 * self.peak)
    }

    fn stops_of(&self, light: f32) -> f32 {
        log2(self.inverse(light) * (1.0 / 0.18))
    }
}

/// (a^4 + b^4)^(1/4) of what is not below zero.
#[inline(always)]
fn soft_max(a: f32, b: f32) -> f32 {
    let (most, least) = (a.max(b), a.min(b));
    let r = least / most.max(1e-30);
    let r = r * r;
    most * (1.0 + r * r).sqrt().sqrt()
}

impl Deepest {
    #[inline(always)]
    fn at(&self, stops: f32) -> f32 {
        self.light * exp2(self.power * (stops - self.stops))
    }
}

impl Highlights {
    #[inline(always)]
    fn gain(&self, r: f32, grey: f32) -> f32 {
        let q = r * (r / (r + 4.0 * grey));
        (1.0 + self.rise * q) / (1.0 + self.fall * q)
    }

    /// The same, and d log gain / d log r.
    #[inline(always)]
    fn gain_and_slope(&self, r: f32, grey: f32) -> (f32, f32) {
        let share = r / (r + 4.0 * grey);
        let q = r * share;
        let (rise, fall) = (1.0 + self.rise * q, 1.0 + self.fall * q);
        (rise / fall, (2.0 - share) * (1.0 / fall - 1.0 / rise))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::{display::SDR_PEAK, primaries::BT709};
    use proptest::prelude::*;

    fn headroom(peak: f64) -> f64 {
        (peak / 203.0).max(1.0)
    }

    #[test]
    fn light_by_stops_on_displays_of_every_peak() {
        // From the design's own table, worked out apart in double precision: cd/m2 at -4, -2, 0, +2, +4, +6, +8 stops.
        let want = [
            (SDR_PEAK, [0.0327, 0.921, 10.0, 51.8, 91.1, 99.1, 100.0]),
            (600.0, [0.0665, 1.87, 20.4, 128.0, 410.0, 574.0, 600.0]),
            (1_000.0, [0.0665, 1.87, 20.5, 135.0, 546.0, 923.0, 1_000.0]),
            (2_000.0, [0.0665, 1.87, 20.5, 140.0, 727.0, 1_701.0, 2_000.0]),
            (4_000.0, [0.0665, 1.87, 20.5, 142.0, 872.0, 2_938.0, 4_000.0]),
        ];
        for (peak, lights) in want {
            let curve = ToneCurve::new(&PlainRendering::default(), headroom(peak));
            for (i, want) in lights.iter().enumerate() {
                let stops = -4.0 + 2.0 * i as f32;
                let white = peak.min(203.0);
                let light = f64::from(curve.at(0.18 * stops.exp2())) * white;
                assert!((light / want - 1.0).abs() < 6e-3, "{peak} at {stops}: {light}, not {want}");
            }
        }
    }

    #[test]
    fn the_straight_end_of_a_pair_begins_and_arrives_where_it_was_designed() {
        let curve = ToneCurve::of_pair(&PlainRendering::default(), &Display::sdr(BT709));
        assert!((0.18 * curve.end.stops.exp2() - 2.010_96).abs() < 2e-3, "{curve:?}");
        assert!((curve.end.slope - 0.143_554).abs() < 1e-4, "{curve:?}");
        assert!((curve.peak_stops() - 4.527).abs() < 2e-3);
    }

    proptest! {
        #[test]
        fn every_curve_rises_to_its_peak_and_its_inverse_leads_back(
            contrast in 1.0..2.2_f64, grey in 0.05..0.2_f64, white in 3.0..10.0_f64, toe in 0.0..0.05_f64,
            peak in prop::sample::select(vec![100.0, 300.0, 600.0, 1_000.0, 4_000.0, 10_000.0]),
            pair in any::<bool>(), first_code in prop::sample::select(vec![1.7e-6, 3.04e-4]),
        ) {
            let of = PlainRendering { contrast, grey, white, toe, ..Default::default() };
            let display = Display { first_code, ..Display::new(BT709, peak) };
            let plain = || ToneCurve::new(&of, display.headroom);
            let curve = if pair { ToneCurve::of_pair(&of, &display) } else { plain() };
            let mut last = 0.0;
            for i in -120..115 {
                let x = 0.18 * (i as f32 * 0.1).exp2();
                let y = curve.at(x);
                prop_assert!(y >= last - 1e-6 * last, "{curve:?} falls at {i}");
                last = y;
                if y > 1e-6 && y < 0.98 * curve.peak {
                    let back = curve.inverse(y);
                    prop_assert!((back / x - 1.0).abs() < 2e-3, "{curve:?} at {i}: {x} -> {y} -> {back}");
                }
            }
            prop_assert!(last >= 0.99 * curve.peak);
        }
    }
}
