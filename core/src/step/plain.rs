//! Plain rendering: a neutral, invertible way from scene light to display light.
//!
//! In the primaries of the display that is delivered to, so that what comes out fits it:
//!
//! 0. *Calm.* Colours move toward their luma by a share: a curve of slope 1.5 on each channel multiplies colour
//!    contrast by as much, and this takes back what is too much of it. It also lowers the error of tables, which
//!    comes from seeing the matrix to the display's primaries through a logarithm.
//! 1. *Gamut.* With M the largest channel, a channel's distance from neutral is d = (M - c) / M. Distances
//!    from [`THRESHOLD`] up to the limit of what AP1 can hold are compressed into 0..1 by the curve of the ACES
//!    reference gamut compression (power 1.2), and go on straight beyond.
//! 2. *Tone.* A Naka-Rushton sigmoid y = A r / (1 + r), r = (x / 0.18)^n r0, with the toe y^2 (1+t) / (y+t):
//!    18 % grey lands on its level with the slope asked for, `white` stops over grey land on 1.
//! 3. *Hue.* The mean of the curve on each channel and the curve on M with ratios kept. Both give M the same
//!    value, which makes the step invertible. The second counts by `keep_hue` and by how colourful the pixel is:
//!    near neutral there is no hue to keep, and M's change from one channel to another would crease the tables.
//! 4. *White.* Distances from M shrink as M nears white.
//!
//! What still lies below zero then (light beyond AP1) ends at zero, M unchanged. [`unrender`] undoes each part in
//! turn for the whole cube of a display. Display pictures come into the scene through a pair of their own: see [`pair`].
//!
//! On a display with headroom the tone curve goes on above white ([`tone`]), and hue is kept and lights go to white by as
//! many stops later as the curve's half peak lies higher.

mod hue;
mod inverse;
pub mod pair;
pub mod tone;
pub mod unrender;

use super::kind::{Domain, FILM, Kind, KindInfo, Nothing};
use crate::colour::{Adaptation, Display, Mat3, Reference, matrix::Mat3f, primaries::AP1};
use crate::field::parameters;
use crate::numeric::lane::{Channel, N, Planes, powf, select};
use hue::Hues;
use pair::Pair;
use tone::ToneCurve;

parameters! {
    /// A neutral rendering where no film is wanted.
    PlainRendering {
        /// Slope in log-log at middle grey.
        contrast: "Contrast", Plain, number(1.0, 2.2, 1.5, 0.01);
        /// Display light of middle grey, as a share of peak.
        grey: "Grey level", Percent, number(0.05, 0.2, 0.1, 0.001);
        /// Scene light that becomes display white, over middle grey.
        white: "White", Stops, number(3.0, 10.0, 8.0, 0.05);
        /// How far colours are calmed against the contrast of the curve.
        calm: "Soften strong colours", Percent, number(0.0, 0.4, 0.26, 0.005);
        /// How firmly the deepest shadows go to black.
        toe: "Toe", Percent, number(0.0, 0.05, 0.004, 0.0005);
        /// How far highlights keep their hue instead of drifting as single channels would.
        keep_hue: "Keep hue", Percent, number(0.0, 1.0, 0.5, 0.01);
        /// How far lights near display white go to white.
        to_white: "Highlights to white", Percent, number(0.0, 0.9, 0.6, 0.01);
    }
}

/// Distance from neutral where the gamut curve begins (the mean of the three published thresholds of the
/// ACES reference gamut compression is 0.83; a little lower is smoother for smaller gamuts).
const THRESHOLD: f64 = 0.8;
/// Steepness of its knee, as published for the reference gamut compression.
const POWER: f64 = 1.2;
/// The gamut curve of one channel.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Squeeze {
    limit: f32,
    scale: f32,
    end_slope: f32,
}

impl Squeeze {
    /// The curve that brings `limit` to 1; ACES reference gamut compression, parametric form.
    fn new(limit: f64) -> Self {
        let reach = limit - THRESHOLD;
        let scale = reach / (((1.0 - THRESHOLD) / reach).powf(-POWER) - 1.0).powf(1.0 / POWER);
        let x = reach / scale;
        let end_slope = (1.0 + x.powf(POWER)).powf(-1.0 / POWER - 1.0);
        Self { limit: limit as f32, scale: scale as f32, end_slope: end_slope as f32 }
    }

    #[inline(always)]
    fn squeeze(&self, d: f32) -> f32 {
        const T: f32 = THRESHOLD as f32;
        const P: f32 = POWER as f32;
        let x = (d - T).max(0.0) / self.scale;
        let curve = T + self.scale * x * powf(1.0 + powf(x, P), -1.0 / P);
        let beyond = 1.0 + (d - self.limit) * self.end_slope;
        select(d <= T, d, select(d <= self.limit, curve, beyond))
    }
}

/// The rendering ready to run on linear light in the primaries of one display.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlainKernel {
    squeeze: [Squeeze; 3],
    hues: Hues,
    calm: f32,
    luma: [f32; 3],
}

/// A rendering from linear AP1 to light of one display.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Rendering {
    /// Of scene light, by the plain rendering.
    OfScene {
        /// AP1 to the display's primaries.
        to_display: Mat3f,
        /// The rendering there.
        kernel: PlainKernel,
    },
    /// Of light that came from a display, by the pair.
    OfDisplay(Pair),
}

impl Rendering {
    /// The rendering with these parameters of light that came from scene or display sources.
    pub fn new(of: &PlainRendering, source: Reference, display: &Display) -> Self {
        match source {
            Reference::Scene => {
                Self::OfScene { to_display: to_display(display).to_f32(), kernel: of.kernel(display) }
            }
            Reference::Display => Self::OfDisplay(Pair::new(of, display)),
        }
    }

    /// Linear AP1 to display light.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        match self {
            Self::OfScene { to_display, kernel } => {
                to_display.run(planes);
                kernel.run(planes);
            }
            Self::OfDisplay(pair) => pair.render(planes),
        }
    }
}

/// Linear AP1 to a display's primaries.
pub fn to_display(display: &Display) -> Mat3 {
    AP1.to(&display.primaries, Adaptation::Bradford)
}

/// The way back from light of a display to linear AP1.
pub fn from_display(display: &Display) -> Mat3 {
    AP1.back_from(&display.primaries, Adaptation::Bradford)
}

impl PlainRendering {
    /// The rendering for a display.
    pub fn kernel(&self, display: &Display) -> PlainKernel {
        let tone = ToneCurve::new(self, display.headroom);
        PlainKernel {
            squeeze: limits(display, self.calm).map(Squeeze::new),
            hues: self.hues(tone, display),
            calm: self.calm as f32,
            luma: display.luma(),
        }
    }

    /// A tone curve of these parameters on colours.
    fn hues(&self, tone: ToneCurve, display: &Display) -> Hues {
        let half = |headroom: f64| ToneCurve::new(self, headroom).half_peak_stops();
        let shift = if display.is_hdr() { half(display.headroom) - half(1.0) } else { 0.0 };
        Hues::new(tone, self.keep_hue, self.to_white, shift)
    }
}

/// The largest distance from neutral that colours of AP1 have in each channel of a display, with a twelfth to
/// spare for lights beyond AP1.
fn limits(display: &Display, calm: f64) -> [f64; 3] {
    let m = AP1.to(&display.primaries, Adaptation::Bradford);
    let luma = display.primaries.luma();
    let mut limits = [1.0_f64; 3];
    const STEPS: usize = 128;
    for i in 0..3 * STEPS {
        // Around the triangle of AP1: from each primary to the next.
        let (side, t) = (i / STEPS, (i % STEPS) as f64 / STEPS as f64);
        let mut edge = [0.0; 3];
        edge[side] = 1.0 - t;
        edge[(side + 1) % 3] = t;
        let rgb = m.apply(edge);
        let y: f64 = rgb.iter().zip(luma).map(|(v, w)| v * w).sum();
        let rgb = rgb.map(|v| v + calm * (y - v));
        let most = rgb[0].max(rgb[1]).max(rgb[2]);
        for (l, c) in limits.iter_mut().zip(rgb) {
            *l = l.max((most - c) / most);
        }
    }
    limits.map(|l| (l * 13.0 / 12.0).max(1.1))
}

impl PlainKernel {
    /// The tone curve on light >= 0: scene-linear to display-linear.
    #[inline(always)]
    pub fn tone(&self, x: f32) -> f32 {
        self.hues.tone.at(x)
    }

    /// Scene-linear to display-linear, both in the display's primaries.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        // A copy: the compiler then knows that no plane overlaps it.
        let k = *self;
        // The largest channel; where it is not above zero the pixel is black.
        let (mut most, mut m) = (Channel::of(0.0), Channel::of(0.0));
        {
            let [r, g, b] = planes;
            for i in 0..N {
                let y = k.luma[0] * r[i] + k.luma[1] * g[i] + k.luma[2] * b[i];
                r[i] += k.calm * (y - r[i]);
                g[i] += k.calm * (y - g[i]);
                b[i] += k.calm * (y - b[i]);
                most[i] = r[i].max(g[i]).max(b[i]);
                m[i] = most[i].max(1e-12);
            }
        }
        for (plane, squeeze) in planes.iter_mut().zip(k.squeeze) {
            for i in 0..N {
                plane[i] = m[i] * (1.0 - squeeze.squeeze((m[i] - plane[i]) / m[i]));
            }
        }
        let (mut top, mut keep, mut colour) = (Channel::of(0.0), Channel::of(0.0), Channel::of(0.0));
        {
            let [r, g, b] = &*planes;
            for i in 0..N {
                top[i] = k.tone(m[i]);
                keep[i] = k.hues.keep(r[i].min(g[i]).min(b[i]), m[i]);
                colour[i] = k.hues.whiten(m[i]);
            }
        }
        for plane in planes {
            for i in 0..N {
                let x = plane[i];
                let ratio = top[i] / m[i];
                // Below zero, outside the display, there is no curve: ratios are kept.
                let y = select(x < 0.0, x * ratio, k.hues.mix(x, ratio, keep[i]));
                plane[i] = select(most[i] > 0.0, (top[i] - (top[i] - y) * colour[i]).max(0.0), 0.0);
            }
        }
    }
}

impl Kind for PlainRendering {
    const INFO: KindInfo = KindInfo {
        kind: "plain-rendering",
        title: "Plain rendering",
        purpose: "Neutral way from scene light to the screen where no film is wanted",
        zones: FILM,
        domain: Domain::Rendering,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::primaries::{BT709, BT2020, P3_D65};

    fn kernel() -> PlainKernel {
        PlainRendering::default().kernel(&Display::sdr(BT709))
    }

    fn render(k: &PlainKernel, rgb: [f32; 3]) -> [f32; 3] {
        let mut p = rgb.map(Channel::of);
        k.run(&mut p);
        [p[0][0], p[1][0], p[2][0]]
    }

    #[test]
    fn grey_lands_on_its_level_with_its_slope_and_white_on_one() {
        let k = kernel();
        assert!((k.tone(0.18) - 0.1).abs() < 1e-5);
        let slope = (k.tone(0.18 * 1.01) / k.tone(0.18 / 1.01)).ln() / (1.01_f32 * 1.01).ln();
        assert!((slope - 1.5).abs() < 0.005, "{slope}");
        assert!((k.tone(0.18 * 256.0) - 1.0).abs() < 1e-5);
    }

    #[test]
    fn neutrals_stay_neutral_and_rise() {
        let k = kernel();
        let mut last = -1.0;
        for i in -140..80 {
            let out = render(&k, [0.18 * (i as f32 * 0.1).exp2(); 3]);
            assert!((out[0] - out[1]).abs() < 1e-7 && (out[0] - out[2]).abs() < 1e-7);
            assert!(out[0] >= last);
            last = out[0];
        }
    }

    #[test]
    fn the_whole_cube_of_a_display_comes_back_through_the_scene() {
        for display in [BT709, P3_D65, BT2020] {
            let k = PlainRendering::default().kernel(&Display::sdr(display));
            let back = unrender::Unrender::new(k);
            for n in 0..11 * 11 * 11 {
                let rgb = [n % 11, n / 11 % 11, n / 121].map(|v| (v as f32 / 10.0).powf(2.4));
                let mut p = rgb.map(Channel::of);
                back.run(&mut p);
                let scene = [p[0][0], p[1][0], p[2][0]];
                let out = render(&k, scene);
                for (v, want) in out.iter().zip(rgb) {
                    assert!((v - want).abs() < 3e-5, "{rgb:?} -> {scene:?} -> {out:?}");
                }
            }
        }
    }

    #[test]
    fn lamps_as_wide_as_ap1_come_in_without_clipping() {
        let to_display = AP1.to(&BT709, Adaptation::Bradford);
        for i in 0..60 {
            let t = i as f64 / 20.0;
            let (side, f) = (t as usize, t.fract());
            let mut lamp = [0.0; 3];
            lamp[side] = 1.0 - f;
            lamp[(side + 1) % 3] = f;
            for stops in [-3.0, 0.0, 3.0, 6.0] {
                let rgb = to_display.apply(lamp.map(|v| v * 0.18 * f64::exp2(stops)));
                let out = render(&kernel(), rgb.map(|v| v as f32));
                assert!(out.iter().all(|v| (0.0..=1.0).contains(v)), "{lamp:?} at {stops}: {out:?}");
            }
        }
    }
}
