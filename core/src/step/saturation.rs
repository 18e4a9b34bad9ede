//! Saturation: overall, vibrance, by brightness, and the density that goes with strong colour.

use super::kind::{Domain, InFiles, Kind, KindInfo, SCENE_AND_SCREEN, Site};
use super::{Axis, Zone, curve::Curve};
use crate::colour::matrix::Mat3f;
use crate::colour::plane::{Plane, SKIN_DEGREES, polar};
use crate::field::{CurveRest, parameters};
use crate::numeric::lane::{Channel, N, Planes, exp2, powf, select, signed_pow, smoothstep};

parameters! {
    /// How strong colours are, by what they are.
    Saturation {
        /// Factor on all saturation; 0 is monochrome.
        amount: "Saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// More colour where there is little; gentle on what is strong already and on skin.
        vibrance: "Vibrance", Percent, number(-1.0, 1.0, 0.0, 0.01);
        /// Darkens strong colours as dyes do (positive), or lights them up (negative).
        density: "Density", Percent, number(-1.0, 1.0, 0.0, 0.01);
        /// Factor on saturation by brightness.
        by_brightness: "By brightness", Tones, curve([-8.0, 8.0], [0.0, 2.0], CurveRest::One);
    }
}

/// The Saturation step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct SaturationKernel {
    axis: Axis,
    plane: Plane,
    amount: f32,
    vibrance: f32,
    density: f32,
    by_brightness: Option<Curve>,
    skin: [f32; 2],
    /// Radius at which a colour counts as strong, in the zone's plane.
    strong: f32,
    /// Whether lights over white come in: see [`SaturationKernel::on_lights`].
    hdr: bool,
}

impl Saturation {
    /// The step for a zone.
    pub fn kernel(&self, site: impl Into<Site>) -> SaturationKernel {
        let site = site.into();
        let zone = site.zone;
        let (x, y) = polar(SKIN_DEGREES, 1.0);
        SaturationKernel {
            axis: Axis::of(zone),
            plane: super::plane_of(zone),
            amount: self.amount as f32,
            vibrance: self.vibrance as f32,
            density: self.density as f32,
            by_brightness: Curve::new(&self.by_brightness, CurveRest::One),
            skin: [x as f32, y as f32],
            // Determined empirically: painted and natural surfaces stay below, lamps and dyes lie above. A log
            // encoding holds the same colours at about a third of the radius.
            strong: if zone == Zone::Screen { 0.25 } else { 0.08 },
            hdr: site.headroom > 1.0,
        }
    }
}

impl SaturationKernel {
    /// The matrix that it is where saturation changes by one factor everywhere.
    fn matrix(&self) -> Option<Mat3f> {
        if self.hdr || self.vibrance != 0.0 || self.density != 0.0 || self.by_brightness.is_some() {
            return None;
        }
        let grey = self.plane.luma.map(|w| w * (1.0 - self.amount));
        let mut rows = [grey; 3];
        (0..3).for_each(|c| rows[c][c] += self.amount);
        Some(Mat3f(rows))
    }

    /// The step on a block of code values. Luma is kept but for `density`.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let mut by_brightness = Channel::of(1.0);
        if let Some(curve) = &self.by_brightness {
            by_brightness = self.plane.luma_plane(planes);
            for v in &mut by_brightness {
                *v = self.axis.place(*v);
            }
            curve.on_places(&mut by_brightness);
        }
        if self.hdr {
            return self.on_lights(planes, &by_brightness);
        }
        let [r, g, b] = planes;
        for i in 0..N {
            let (y, cb, cr) = self.plane.split([r[i], g[i], b[i]]);
            let radius = radius(cb * cb + cr * cr);
            let k = self.factor(cb, cr, radius) * by_brightness[i].max(0.0);
            let dim = self.density * 0.6 * radius * k;
            [r[i], g[i], b[i]] = self.plane.join(y - dim, cb * k, cr * k);
        }
    }

    /// The factor on saturation of a colour of differences (`cb`, `cr`) at a radius.
    #[inline(always)]
    fn factor(&self, cb: f32, cr: f32, radius: f32) -> f32 {
        let square = cb * cb + cr * cr;
        let weak = self.strong / (self.strong + radius);
        let along = (cb * self.skin[0] + cr * self.skin[1]) / (square.sqrt() + 1e-6);
        // Full protection on the skin line, none beyond about 45 degrees from it, and none at neutral, where
        // a hue's own weight would be a kink.
        let coloured = square / (square + 0.01 * self.strong * self.strong);
        let skin = smoothstep(0.7, 1.0, along) * coloured * 0.7;
        self.amount * (1.0 + self.vibrance * weak * weak * (1.0 - skin))
    }

    /// The step where lights over white and colours outside of P3 come in: code values lie far above 1 and below 0, and luma
    /// says little of their light. Colour is counted as a share of a light's brightness; no channel goes farther below zero
    /// than [`LEAST`] of luma, or than it was; and luminance falls by no more than `density` says.
    #[inline(always)]
    fn on_lights(&self, planes: &mut Planes, by_brightness: &Channel) {
        let [r, g, b] = planes;
        for i in 0..N {
            let rgb = [r[i], g[i], b[i]];
            let (y, cb, cr) = self.plane.split(rgb);
            let light = self.luminance(rgb);
            let bright = powf(light.max(1e-9), 1.0 / SIGNAL).max(1.0);
            let (x, z) = (cb / bright, cr / bright);
            let radius = radius(x * x + z * z);
            let wanted = self.factor(x, z, radius) * by_brightness[i].max(0.0);
            let least = rgb[0].min(rgb[1]).min(rgb[2]);
            let lowest = least.min(-LEAST * y.max(0.0));
            let room = ((y - lowest) / (y - least).max(1e-6) - 1.0).max(0.0);
            // Up to the room that there is, along x / (1 + (x / room)^4)^(1/4).
            let more = (wanted - 1.0).max(0.0);
            let (more_2, room_2) = (more * more, room * room);
            let held = more * room / (more_2 * more_2 + room_2 * room_2 + 1e-20).sqrt().sqrt();
            let k = wanted.min(1.0) + held;
            let made = self.plane.join(y, cb * k, cr * k);
            // Density takes luminance away: a share of it that grows with colour and never exceeds the slider.
            let dense = 1.0 - exp2(-DENSE * radius * k);
            let want = light * (1.0 - self.density * dense);
            let now = self.luminance(made);
            let dimmed = now * (1.0 - self.density * dense);
            let gain = dimmed.max(want).max(1e-9) / now.max(1e-9);
            let gain = powf(select(now > 0.0, gain, 1.0), 1.0 / SIGNAL);
            [r[i], g[i], b[i]] = made.map(|v| v * gain);
        }
    }

    /// Luminance of code values, white is 1; channels below zero count as such.
    #[inline(always)]
    fn luminance(&self, rgb: [f32; 3]) -> f32 {
        self.plane.luma_of(rgb.map(|v| signed_pow(v, SIGNAL)))
    }
}

/// Radius in the plane, smooth at zero: radius^2 / (radius + a little) has no cone at the neutral axis.
#[inline(always)]
fn radius(square: f32) -> f32 {
    square / (square.sqrt() + 1e-3)
}

/// The power of the Screen zone's code values.
const SIGNAL: f32 = 2.4;

/// Share of luma that a channel may lie below zero: at -0.8 a channel takes 0.6 of what the same above zero gives, so that
/// luminance stays above zero.
const LEAST: f32 = 0.8;

/// Octaves of luminance that density 1 takes away for each radius: as the step does on SDR displays at middle grey, where
/// 0.6 of the radius goes from a code value of about 0.6 by the power 2.4.
const DENSE: f32 = SIGNAL * std::f32::consts::LOG2_E;

impl Kind for Saturation {
    const INFO: KindInfo = KindInfo {
        kind: "saturation",
        title: "Saturation",
        purpose: "Strength of colours: overall, weak ones, by brightness, with density",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Encoded,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = SaturationKernel;

    fn work(&self, site: &Site) -> Option<Self::Kernel> {
        Some(self.kernel(*site))
    }

    fn in_files(kernel: &Self::Kernel) -> Option<InFiles> {
        kernel.matrix().as_ref().map(InFiles::matrix)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(step: &Saturation, rgb: [f32; 3]) -> [f32; 3] {
        let mut p = rgb.map(Channel::of);
        step.kernel(Zone::Scene).run(&mut p);
        [p[0][0], p[1][0], p[2][0]]
    }

    fn radius(rgb: [f32; 3]) -> f32 {
        let (_, cb, cr) = super::super::plane_of(Zone::Scene).split(rgb);
        cb.hypot(cr)
    }

    #[test]
    fn none_is_monochrome_of_the_same_luma_and_neutrals_never_move() {
        let plane = super::super::plane_of(Zone::Scene);
        let out = run(&Saturation { amount: 0.0, ..Default::default() }, [0.5, 0.3, 0.2]);
        assert!(out.iter().all(|v| (v - plane.luma_of([0.5, 0.3, 0.2])).abs() < 1e-6));
        let strong = Saturation { amount: 2.0, vibrance: 1.0, density: 1.0, ..Default::default() };
        for v in run(&strong, [0.4; 3]) {
            assert!((v - 0.4).abs() < 1e-6);
        }
    }

    #[test]
    fn vibrance_lifts_weak_colours_more_than_strong_ones_and_spares_skin() {
        let step = Saturation { vibrance: 1.0, ..Default::default() };
        let plane = super::super::plane_of(Zone::Scene);
        let gain = |hue: f64, amount: f64| {
            let (cb, cr) = polar(hue, amount);
            let rgb = plane.join(0.4, cb as f32, cr as f32);
            radius(run(&step, rgb)) / radius(rgb)
        };
        assert!(gain(300.0, 0.01) > gain(300.0, 0.2) + 0.3);
        assert!(gain(300.0, 0.02) > gain(SKIN_DEGREES, 0.02) + 0.3);
    }

    #[test]
    fn by_brightness_drains_the_darks_alone() {
        let step = Saturation { by_brightness: vec![[-5.0, 0.0], [-2.0, 1.0]], ..Default::default() };
        let axis = Axis::of(Zone::Scene);
        let at = |stops: f32| axis.code(stops);
        let (dark, light) = ([at(-5.5) + 0.01, at(-5.5), at(-5.5)], [at(1.0) + 0.01, at(1.0), at(1.0)]);
        assert!(radius(run(&step, dark)) < 1e-5);
        assert!((radius(run(&step, light)) / radius(light) - 1.0).abs() < 1e-3);
    }
}
