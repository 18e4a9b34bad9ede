//! The tone curve on colours undone: scene light from the display light that [`Hues`] made of it.
//!
//! By Newton's method, on the logits v = log2(y / (C - y)) of display light over stops of scene light, with C a little above
//! the peak: a sigmoid is nearly straight there, from black to its shoulder. It begins from a table of the curve's own
//! inverse. Channels are solved by their order: the largest goes by the curve alone; the lowest says how far hue was kept;
//! with that the one between is found.

use super::hue::Hues;
use crate::numeric::lane::{Channel, N, Planes, exp2, log2, select};
use std::f32::consts::LN_2;

/// Entries of the table that Newton's method begins from, and the logits that it covers.
const ENTRIES: usize = 128;
const LOGITS: [f32; 2] = [-34.0, 5.64];
const PER_LOGIT: f32 = (ENTRIES - 1) as f32 / (LOGITS[1] - LOGITS[0]);
/// C over the peak; the peak's own logit is the last of the table's.
const CEILING: f32 = 1.02;
/// Rounds of Newton's method for the curve alone, and for a mixture. By trial over the cubes of all displays: one fewer
/// leaves errors above those of the arithmetic.
const ROUNDS_OF_CURVE: usize = 3;
const ROUNDS_OF_MIXTURE: usize = 5;
/// Stops by which the place begun from may be off.
const SLACK: f32 = 0.1;

/// What undoes a tone curve on colours.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Inverse {
    hues: Hues,
    ceiling: f32,
    /// Stops over grey by logit of display light.
    stops: [f32; ENTRIES],
}

/// The channels of pixels in the order of their light.
pub(super) struct Ordered {
    pub top: Channel,
    pub middle: Channel,
    pub low: Channel,
}

impl Ordered {
    #[inline(always)]
    pub(super) fn of(planes: &Planes) -> Self {
        let mut by = Self { top: Channel::of(0.0), middle: Channel::of(0.0), low: Channel::of(0.0) };
        let [r, g, b] = planes;
        for i in 0..N {
            let (least, most) = (r[i].min(g[i]), r[i].max(g[i]));
            by.top[i] = most.max(b[i]);
            by.middle[i] = least.max(most.min(b[i]));
            by.low[i] = least.min(b[i]);
        }
        by
    }

    /// Puts in place of each channel what its place in the order has become.
    #[inline(always)]
    pub(super) fn put(&self, planes: &mut Planes, became: &Ordered) {
        for plane in planes {
            for i in 0..N {
                let v = select(plane[i] > self.low[i], became.middle[i], became.low[i]);
                plane[i] = select(plane[i] >= self.top[i], became.top[i], v);
            }
        }
    }
}

impl Inverse {
    pub(super) fn new(hues: Hues) -> Self {
        let peak = hues.tone.peak;
        let ceiling = CEILING * peak;
        let stops = std::array::from_fn(|i| {
            let odds = (LOGITS[0] + i as f32 / PER_LOGIT).exp2();
            let light = (ceiling * odds / (1.0 + odds)).min(peak * (1.0 - 1e-5));
            log2(hues.tone.inverse(light) * (1.0 / 0.18))
        });
        Self { hues, ceiling, stops }
    }

    #[inline(always)]
    fn logit(&self, light: f32) -> f32 {
        log2(light / (self.ceiling - light))
    }

    /// Stops that the curve alone needs for a logit, about.
    #[inline(always)]
    fn begin(&self, logit: f32) -> f32 {
        let at = (logit - LOGITS[0]) * PER_LOGIT;
        let whole = at.max(0.0).min((ENTRIES - 2) as f32) as i32;
        let i = whole as usize & (ENTRIES - 1);
        let (a, b) = (self.stops[i], self.stops[(i + 1) & (ENTRIES - 1)]);
        a + (at - whole as f32) * (b - a)
    }

    /// The next place, given light and its slope per stop at the last one.
    #[inline(always)]
    fn step(&self, want: f32, light: f32, slope: f32) -> f32 {
        let light = light.max(1e-30);
        let rest = self.ceiling - light;
        (want - self.logit(light)) * light * rest * LN_2 / (self.ceiling * slope.max(1e-30))
    }

    /// Scene light of the largest channel.
    #[inline(always)]
    pub(super) fn largest(&self, top: &Channel) -> Channel {
        let k = *self;
        let (mut want, mut stops) = (Channel::of(0.0), Channel::of(0.0));
        for i in 0..N {
            want[i] = k.logit(top[i].max(1e-9).min(k.hues.tone.peak));
            stops[i] = k.begin(want[i]);
        }
        for _ in 0..ROUNDS_OF_CURVE {
            for i in 0..N {
                let (light, slope) = k.hues.tone.at_stops(stops[i]);
                stops[i] += k.step(want[i], light, slope).max(-SLACK).min(SLACK);
            }
        }
        for i in 0..N {
            stops[i] = (0.18 * exp2(stops[i])).max(1e-9);
        }
        stops
    }

    /// Puts scene light in place of display light. The largest channels `m` are solved already. Light below zero had its
    /// ratio to the largest kept.
    #[inline(always)]
    pub(super) fn others(&self, by: &mut Ordered, m: &Channel) {
        let (mut ratio, mut kept) = (Channel::of(0.0), Channel::of(0.0));
        for i in 0..N {
            ratio[i] = by.top[i].max(1e-9) / m[i];
        }
        self.unmix::<true>(&mut by.low, m, &ratio, &mut kept);
        self.unmix::<false>(&mut by.middle, m, &ratio, &mut kept);
        by.top = *m;
    }

    /// How far hue was kept is given in `kept`, or follows from the light itself where this is the lowest channel, and is
    /// then left in `kept`.
    #[inline(always)]
    fn unmix<const LOWEST: bool>(
        &self,
        plane: &mut Channel,
        m: &Channel,
        ratio: &Channel,
        kept: &mut Channel,
    ) {
        let k = *self;
        let (mut want, mut stops) = (Channel::of(0.0), Channel::of(0.0));
        let (mut least, mut most) = (Channel::of(0.0), Channel::of(0.0));
        for i in 0..N {
            // Where hue is not kept, and where it is kept in full: the light lies between.
            let light = plane[i].max(1e-12).min(k.hues.tone.peak);
            want[i] = k.logit(light);
            let apart = k.begin(want[i]);
            let together = log2(light / ratio[i] * (1.0 / 0.18));
            least[i] = apart.min(together) - SLACK;
            most[i] = apart.max(together) + SLACK;
            let share =
                if LOWEST { k.hues.keep(0.18 * exp2(0.5 * (apart + together)), m[i]) } else { kept[i] };
            stops[i] = apart + share * (together - apart);
        }
        for _ in 0..ROUNDS_OF_MIXTURE {
            for i in 0..N {
                let x = 0.18 * exp2(stops[i]);
                let (apart, slope) = k.hues.tone.at_stops(stops[i]);
                let (keep, falls) = if LOWEST { k.hues.keep_and_slope(x, m[i]) } else { (kept[i], 0.0) };
                let more = x * ratio[i] - apart;
                let light = apart + keep * more;
                let rises = slope + keep * (LN_2 * x * ratio[i] - slope) + falls * LN_2 * x * more;
                // Both ends close in on the light as they are seen to lie beside it. (Written by maximum and minimum: a
                // choice between two loads keeps a loop from being vectorised.)
                let (at, step) = (stops[i], k.step(want[i], light, rises));
                least[i] = least[i].max(select(step > 0.0, at, f32::NEG_INFINITY));
                most[i] = most[i].min(select(step < 0.0, at, f32::INFINITY));
                stops[i] = (at + step).max(least[i]).min(most[i]);
            }
        }
        for i in 0..N {
            let x = (0.18 * exp2(stops[i])).min(m[i]);
            plane[i] = select(plane[i] > 0.0, x, plane[i] / ratio[i]);
            if LOWEST {
                kept[i] = k.hues.keep(plane[i], m[i]);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::{Display, Encoding, primaries::BT709};
    use crate::step::plain::{
        PlainRendering,
        pair::{Pair, PairBack},
        tone::ToneCurve,
        unrender::Unrender,
    };
    use proptest::prelude::*;

    /// Codes of a cover of the cube, with the first and last codes of 8 and 12 bits.
    const CODES: [f32; 13] =
        [0.0, 1.0 / 4095.0, 1.0 / 255.0, 0.02, 0.06, 0.15, 0.3, 0.5, 0.7, 0.85, 0.97, 254.0 / 255.0, 1.0];

    fn displays() -> Vec<(&'static str, Display, Vec<f32>)> {
        ["rec709", "srgb", "display-p3", "p3-d65", "rec2020", "pq-600", "pq", "pq-4000", "hlg"]
            .into_iter()
            .filter_map(|id| Some((id, Encoding::find(id)?)))
            .map(|(id, e)| {
                let display = e.display();
                let lights =
                    CODES.map(|c| e.transfer.decoded([c; 3])[0].max(0.0).min(display.headroom as f32));
                (id, display, lights.to_vec())
            })
            .collect()
    }

    #[test]
    fn what_comes_back_through_the_scene_is_what_went() {
        for (id, display, lights) in displays() {
            let of = PlainRendering::default();
            let (plain, pair) = (of.kernel(&display), Pair::new(&of, &display));
            let (back, pair_back) = (Unrender::new(plain), PairBack::new(pair));
            let n = lights.len();
            let colours: Vec<[f32; 3]> =
                (0..n * n * n).map(|i| [lights[i % n], lights[i / n % n], lights[i / n / n]]).collect();
            for block in colours.chunks(N) {
                let channel =
                    |c| Channel::from(std::array::from_fn(|i: usize| block[i.min(block.len() - 1)][c]));
                let (mut a, mut b): (Planes, Planes) = ([0, 1, 2].map(channel), [0, 1, 2].map(channel));
                back.run(&mut a);
                plain.run(&mut a);
                pair_back.run(&mut b);
                pair.render(&mut b);
                for (i, want) in block.iter().enumerate() {
                    let most = want[0].max(want[1]).max(want[2]);
                    for (way, got) in [("plain", &a), ("pair", &b)] {
                        for c in 0..3 {
                            let got = got[c][i];
                            // Next to black the pair's power is steep: a rounding of scene light is some millionths there, a
                            // sixtieth of an 8-bit code, or that share of a bright channel beside it.
                            let off = (got - want[c]).abs();
                            // The pair's cap begins just above the peak: the brightest blues of wide displays, whose light in
                            // AP1 lies a little higher, come back by a twentieth of a code darker.
                            let share = if most > 0.99 * display.headroom as f32 { 5e-4 } else { 5e-5 };
                            let near = off < share * (most + 1e-4) || off < 5e-6;
                            assert!(near, "{way}, {id}: {want:?}: {got} in channel {c}");
                        }
                    }
                }
            }
        }
    }

    proptest! {
        #[test]
        fn slopes_are_those_of_the_curve(
            stops in -18.0..9.0_f32, pair in any::<bool>(),
            peak in prop::sample::select(vec![100.0, 600.0, 1_000.0, 4_000.0]),
            first_code in prop::sample::select(vec![1.7e-6, 3.04e-4]),
        ) {
            let of = PlainRendering::default();
            let display = Display { first_code, ..Display::new(BT709, peak) };
            let curve = if pair { ToneCurve::of_pair(&of, &display) } else { ToneCurve::new(&of, display.headroom) };
            const STEP: f32 = 0.05;
            let at = |s: f32| curve.at(0.18 * s.exp2());
            let (light, slope) = curve.at_stops(stops);
            prop_assert!((light / at(stops) - 1.0).abs() < 1e-5);
            let (below, above) = (at(stops - STEP), at(stops + STEP));
            // The curve has an end that goes on straight: not across it.
            prop_assume!(above < 0.8 * curve.peak || below > 0.9 * curve.peak && above < 0.999 * curve.peak);
            // Central differences over two distances, and what they say of the error of the nearer (Richardson): where the
            // power of the deepest tones meets the curve, the slope itself turns within such a distance.
            let far = (above - below) / (2.0 * STEP);
            let near = (at(stops + 0.5 * STEP) - at(stops - 0.5 * STEP)) / STEP;
            let want = near + (near - far) / 3.0;
            prop_assert!((slope - want).abs() < 1e-3 * (want + light), "{slope}, not {want}");
        }
    }
}
