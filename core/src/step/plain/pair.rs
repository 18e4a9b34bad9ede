//! The pair for display sources: a rendering and its inverse that are both well-conditioned on the whole cube of a
//! display, so that a picture with clipped channels can be graded.
//!
//! The plain rendering's own inverse is exact, but has no bound at the faces of the cube: a code value inward from a face
//! moves scene light by a hundred stops. This pair gives up the exact match with the plain rendering near the faces
//! (elsewhere they agree) for a bounded slope. Forward, from linear AP1:
//!
//! 0. What no display colour comes from is capped softly: light above the peak (the brightest blues of wide displays begin to
//!    be, by 0.04 %), and light below zero.
//! 1. To the display through N, whose columns are the display's primaries, each a little more saturated than it is and held
//!    inside AP1 ([`SPREAD`], [`LEAST`]); N's rows sum to one and are positive, so the cube comes from positive light.
//! 2. *Calm.* With y the luma and rho = (y - min) / y, colours move toward y by h / rho, where rho = h / (a + (1-a) h^2):
//!    by a near neutral, and not at all where a channel is zero. N is more saturated than the display's own matrix, but where
//!    it is held inside AP1 less than [`SPREAD`] says: a makes up for what it is in the mean ([`spread`]), so that ordinary
//!    colours come out as the plain rendering has them.
//! 3. The tone curve, straight in stops from 85 % of the peak, on channels and on the largest one with ratios kept.
//! 4. *White.* Distances d from the largest channel shrink to d (w + (1-w) e d^2): pure colours are spared up to the peak.
//! 5. Nothing is brighter than the peak.
//!
//! [`PairBack`] undoes 4 to 1 for light inside of the cube.

use super::{
    PlainRendering,
    hue::Hues,
    inverse::{Inverse, Ordered},
    tone::ToneCurve,
};
use crate::colour::{
    Adaptation, Display, Mat3,
    matrix::Mat3f,
    primaries::{AP1, BT709},
    transfer::{CCT_SLOPE, acescct_to_linear, linear_to_acescct},
};
use crate::numeric::lane::{Channel, N, Planes, exp2, select, smoothstep};
use std::f32::consts::LOG2_E;

/// How far N's columns lie beyond the primaries of BT.709, away from their luma. A wider display's go less far, by the square of
/// how far its primaries still lie from those of AP1 ([`apart`]): that is the room they have.
///
/// This, [`LEAST`] and the power of the deepest tones ([`super::tone`]) were searched together over all looks that ship: what
/// leaves at most two looks of each display over 2 CIEDE2000 for one code inward, and grades pictures most alike.
const SPREAD: f64 = 0.1;
/// Least entry of N before its rows are scaled: no less, or pure colours would meet the bound on scene light
/// ([`crate::colour::bound`]).
const LEAST: f64 = 0.013;
/// ACEScct above what becomes the peak where light begins to be capped, and how far it goes on from there.
const CAP_FROM: f32 = 0.012;
const CAP_ROOM: f32 = 0.06;
/// How far light goes below zero at most, in ACEScct.
const FLOOR_ROOM: f32 = 0.01;
/// Stops above the peak over which pure colours are no longer spared from white.
const SPARED_OVER: f32 = 3.0;
/// Rounds of Newton's method that undo step 4: convergence is quadratic from above.
const ROUNDS: usize = 5;

/// The pair for one display, ready to run on linear AP1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pair {
    to_display: Mat3f,
    to_scene: Mat3f,
    luma: [f32; 3],
    /// Step 2's a.
    calm: f32,
    hues: Hues,
    /// Stops over grey that become the peak.
    top: f32,
    /// ACEScct and light where the cap begins.
    cap: [f32; 2],
}

impl Pair {
    /// The pair of a rendering for a display. What undoes a display picture is always the standard one; a look's own
    /// parameters act on the way out alone.
    pub fn new(of: &PlainRendering, display: &Display) -> Self {
        let (to_scene, spread) = spread(display);
        let tone = ToneCurve::of_pair(of, display);
        let top = tone.peak_stops();
        let cap = linear_to_acescct(0.18 * top.exp2()) + CAP_FROM;
        Self {
            to_display: to_scene
                .inverse()
                .expect("the hue-keeping matrix of a display can be inverted")
                .to_f32(),
            to_scene: to_scene.to_f32(),
            luma: display.luma(),
            calm: ((1.0 - of.calm) * spread) as f32,
            hues: of.hues(tone, display),
            top,
            cap: [cap, acescct_to_linear(cap)],
        }
    }

    /// Linear AP1 to display light in the display's primaries, 0 up to the peak.
    #[inline(always)]
    pub fn render(&self, planes: &mut Planes) {
        let k = *self;
        for plane in planes.iter_mut() {
            for v in plane {
                *v = k.capped(*v);
            }
        }
        k.to_display.run(planes);
        k.calm(planes);
        let (mut m, mut top, mut keep) = (Channel::of(0.0), Channel::of(0.0), Channel::of(0.0));
        let (mut white, mut spared) = (Channel::of(0.0), Channel::of(0.0));
        {
            let [r, g, b] = &*planes;
            for i in 0..N {
                let most = r[i].max(g[i]).max(b[i]);
                let low = r[i].min(g[i]).min(b[i]);
                m[i] = most.max(1e-12);
                top[i] = k.hues.tone.at(m[i]);
                keep[i] = k.hues.keep(low.max(0.0), m[i]);
                white[i] = k.hues.whiten(m[i]);
                let over = crate::numeric::lane::log2(m[i] * (1.0 / 0.18)) - k.top;
                spared[i] = (1.0 - white[i]) * (1.0 - smoothstep(0.0, SPARED_OVER, over));
            }
        }
        for plane in planes {
            for i in 0..N {
                let out = k.hues.mix(plane[i].max(0.0), top[i] / m[i], keep[i]);
                let d = 1.0 - out / top[i].max(1e-30);
                let d = d * (white[i] + spared[i] * d * d);
                plane[i] = (top[i] * (1.0 - d)).max(0.0).min(k.hues.tone.peak);
            }
        }
    }

    /// Step 0.
    #[inline(always)]
    fn capped(&self, v: f32) -> f32 {
        let over = (linear_to_acescct(v) - self.cap[0]).max(0.0);
        let high = acescct_to_linear(self.cap[0] + CAP_ROOM * (1.0 - exp2(over * (-LOG2_E / CAP_ROOM))));
        const FLOOR: f32 = FLOOR_ROOM / CCT_SLOPE;
        let low = -FLOOR * (1.0 - exp2(v.min(0.0) * (LOG2_E / FLOOR)));
        select(v > self.cap[1], high, select(v < 0.0, low, v))
    }

    /// Step 2: h / rho = 2a / (1 + sqrt(1 - 4a (1-a) rho^2)), which has no singular place; beyond rho = 1, where a channel
    /// lies below zero, straight on.
    #[inline(always)]
    fn calm(&self, planes: &mut Planes) {
        let (a, slope) = (self.calm, 1.0 / (2.0 * self.calm - 1.0));
        let [r, g, b] = planes;
        for i in 0..N {
            let y = (self.luma[0] * r[i] + self.luma[1] * g[i] + self.luma[2] * b[i]).max(1e-9);
            let rho = ((y - r[i].min(g[i]).min(b[i])) / y).max(0.0);
            let inner = rho.min(1.0);
            let within = 2.0 * a / (1.0 + (1.0 - 4.0 * a * (1.0 - a) * inner * inner).max(0.0).sqrt());
            let share = select(rho > 1.0, (1.0 + (rho - 1.0) * slope) / rho.max(1.0), within);
            r[i] = y + share * (r[i] - y);
            g[i] = y + share * (g[i] - y);
            b[i] = y + share * (b[i] - y);
        }
    }
}

/// N of a display, and how many times as saturated as the display's own matrix to AP1 it is: by least squares over how far their
/// entries lie from the luma weights, which are all that is left of a matrix without saturation.
fn spread(display: &Display) -> (Mat3, f64) {
    let own = display.primaries.to(&AP1, Adaptation::Bradford).0;
    let luma = display.primaries.luma();
    let spread = SPREAD * (apart(&own) / apart(&BT709.to(&AP1, Adaptation::Bradford).0)).powi(2);
    let n = own.map(|row| {
        let row: [f64; 3] = std::array::from_fn(|c| ((1.0 + spread) * row[c] - spread * luma[c]).max(LEAST));
        let sum: f64 = row.iter().sum();
        row.map(|v| v / sum)
    });
    let (mut along, mut all) = (0.0, 0.0);
    for (n, own) in n.iter().zip(own) {
        for c in 0..3 {
            let d = own[c] - luma[c];
            along += (n[c] - luma[c]) * d;
            all += d * d;
        }
    }
    (Mat3(n), along / all)
}

/// How much of a matrix lies beside its diagonal.
fn apart(m: &[[f64; 3]; 3]) -> f64 {
    (0..3).map(|i| 1.0 - m[i][i]).sum()
}

/// The way back: display light to the scene light that a pair renders to it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PairBack {
    pair: Pair,
    inverse: Inverse,
}

impl PairBack {
    /// The way back of this pair.
    pub fn new(pair: Pair) -> Self {
        Self { pair, inverse: Inverse::new(pair.hues) }
    }

    /// Display light in the display's primaries to linear AP1. Light outside of 0..peak is taken as its nearest end.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let k = &self.pair;
        let peak = k.hues.tone.peak;
        for plane in planes.iter_mut() {
            for v in plane {
                *v = v.max(0.0).min(peak);
            }
        }
        let order = Ordered::of(planes);
        let m = self.inverse.largest(&order.top);
        let mut light = Ordered { ..order };
        for i in 0..N {
            let (white, top) = (k.hues.whiten(m[i]), order.top[i].max(1e-9));
            light.middle[i] = coloured(light.middle[i], top, white);
            light.low[i] = coloured(light.low[i], top, white);
        }
        self.inverse.others(&mut light, &m);
        order.put(planes, &light);
        for plane in planes.iter_mut() {
            for i in 0..N {
                plane[i] = select(order.top[i] > 0.0, plane[i], 0.0);
            }
        }
        self.uncalm(planes);
        k.to_scene.run(planes);
    }

    /// Undoes step 2: what was h is given now, and rho / h = 1 / (a + (1-a) h^2).
    #[inline(always)]
    fn uncalm(&self, planes: &mut Planes) {
        let (a, luma) = (self.pair.calm, self.pair.luma);
        let [r, g, b] = planes;
        for i in 0..N {
            let y = (luma[0] * r[i] + luma[1] * g[i] + luma[2] * b[i]).max(1e-9);
            let h = ((y - r[i].min(g[i]).min(b[i])) / y).max(0.0).min(1.0);
            let share = 1.0 / (a + (1.0 - a) * h * h);
            r[i] = y + share * (r[i] - y);
            g[i] = y + share * (g[i] - y);
            b[i] = y + share * (b[i] - y);
        }
    }
}

/// Undoes step 4 for one channel: Newton's method on d (w + (1-w) d^2) from a place at or above its root.
#[inline(always)]
fn coloured(light: f32, top: f32, w: f32) -> f32 {
    let want = 1.0 - light / top;
    let mut d = (want / w).min(1.0);
    for _ in 0..ROUNDS {
        let square = d * d;
        d -= (d * (w + (1.0 - w) * square) - want) / (w + 3.0 * (1.0 - w) * square);
    }
    top * (1.0 - d).max(0.0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::{
        bound::bound,
        primaries::{BT2020, P3_D65},
    };

    #[test]
    fn pure_colours_of_every_display_lie_clear_of_the_bound_on_scene_light() {
        for primaries in [BT709, P3_D65, BT2020] {
            let n = spread(&Display::sdr(primaries)).0;
            for c in 0..3 {
                let pure = [0, 1, 2].map(|row| n.0[row][c] as f32);
                let mut planes = pure.map(Channel::of);
                bound(&mut planes);
                assert_eq!(planes.map(|p| p[0]), pure, "{c}: {n:?}");
            }
            assert!(n.0.iter().all(|row| (row.iter().sum::<f64>() - 1.0).abs() < 1e-12));
        }
    }

    #[test]
    fn how_saturated_the_matrix_is_makes_up_for_what_holds_it_back() {
        // BT.709 has room for nearly all of the spread, BT.2020 for none.
        let of = |primaries| spread(&Display::sdr(primaries)).1;
        assert!((of(BT709) - 1.09).abs() < 0.01, "{}", of(BT709));
        assert!(of(P3_D65) > 1.0 && of(P3_D65) < 1.04, "{}", of(P3_D65));
        assert!(of(BT2020) > 0.98 && of(BT2020) < 1.0, "{}", of(BT2020));
    }
}
