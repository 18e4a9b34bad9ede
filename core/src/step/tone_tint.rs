//! Tone tint: split toning. A push in the colour-difference plane for darks, middles and lights.

use super::kind::{Domain, Kind, KindInfo, SCENE_AND_SCREEN, Site};
use super::{Axis, Zone};
use crate::colour::plane::{Plane, polar};
use crate::field::parameters;
use crate::numeric::lane::{Channel, N, Planes, logistic};

parameters! {
    /// Colour and brightness for three tonal ranges whose weights always sum to one.
    ToneTint {
        /// Hue that the darks are pushed toward.
        darks_hue: "Darks hue", Degrees, number(0.0, 360.0, 0.0, 1.0);
        /// How far, as a radius in the colour-difference plane.
        darks_amount: "Darks amount", Plain, number(0.0, 0.5, 0.0, 0.002);
        /// Brightness of the darks.
        darks_brightness: "Darks brightness", Tones, number(-2.0, 2.0, 0.0, 0.02);
        /// Hue that the middles are pushed toward.
        middles_hue: "Middles hue", Degrees, number(0.0, 360.0, 0.0, 1.0);
        /// How far, as a radius in the colour-difference plane.
        middles_amount: "Middles amount", Plain, number(0.0, 0.5, 0.0, 0.002);
        /// Brightness of the middles.
        middles_brightness: "Middles brightness", Tones, number(-2.0, 2.0, 0.0, 0.02);
        /// Hue that the lights are pushed toward.
        lights_hue: "Lights hue", Degrees, number(0.0, 360.0, 0.0, 1.0);
        /// How far, as a radius in the colour-difference plane.
        lights_amount: "Lights amount", Plain, number(0.0, 0.5, 0.0, 0.002);
        /// Brightness of the lights.
        lights_brightness: "Lights brightness", Tones, number(-2.0, 2.0, 0.0, 0.02);
        /// Where darks hand over to middles; never above the other crossover.
        low: "Darks to middles", Tones, number(-6.0, 4.0, -2.0, 0.05);
        /// Where middles hand over to lights; never below the other crossover.
        high: "Middles to lights", Tones, number(-4.0, 6.0, 1.5, 0.05);
        /// How gradually one range hands over to the next.
        softness: "Softness", Tones, number(0.3, 4.0, 1.5, 0.05);
        /// Keeps lights opposite to darks while either is dragged.
        opposite: "Opposite", Plain, switch(false);
    }
}

/// The Tone tint ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct ToneTintKernel {
    axis: Axis,
    plane: Plane,
    low: f32,
    high: f32,
    steepness: f32,
    /// RGB code offsets of darks, middles and lights, colour and brightness together.
    push: [[f32; 3]; 3],
}

impl ToneTint {
    /// The step for a zone. Crossovers in the wrong order are sorted.
    pub fn kernel(&self, zone: Zone) -> ToneTintKernel {
        let (axis, plane) = (Axis::of(zone), super::plane_of(zone));
        let push = |hue: f64, amount: f64, brightness: f64| {
            let (cb, cr) = polar(hue, amount);
            plane.offset(cb as f32, cr as f32).map(|v| v + brightness as f32 / axis.scale)
        };
        ToneTintKernel {
            axis,
            plane,
            low: self.low.min(self.high) as f32,
            high: self.low.max(self.high) as f32,
            // A logistic goes from 12 % to 88 % over `softness` axis units.
            steepness: 4.0 / self.softness.max(0.05) as f32,
            push: [
                push(self.darks_hue, self.darks_amount, self.darks_brightness),
                push(self.middles_hue, self.middles_amount, self.middles_brightness),
                push(self.lights_hue, self.lights_amount, self.lights_brightness),
            ],
        }
    }
}

impl ToneTintKernel {
    /// Weights of darks, middles and lights at a place on the axis: none negative, their sum is one.
    #[inline(always)]
    pub fn weights(&self, place: f32) -> [f32; 3] {
        let not_dark = logistic((place - self.low) * self.steepness);
        let light = logistic((place - self.high) * self.steepness);
        [1.0 - not_dark, not_dark - light, light]
    }

    /// The pushes on a block of code values.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let luma = self.plane.luma_plane(planes);
        let mut weights = [Channel::of(0.0); 3];
        let [d, m, l] = &mut weights;
        for i in 0..N {
            [d[i], m[i], l[i]] = self.weights(self.axis.place(luma[i]));
        }
        for (c, plane) in planes.iter_mut().enumerate() {
            for i in 0..N {
                plane[i] += d[i] * self.push[0][c] + m[i] * self.push[1][c] + l[i] * self.push[2][c];
            }
        }
    }
}

impl Kind for ToneTint {
    const INFO: KindInfo = KindInfo {
        kind: "tone-tint",
        title: "Tone tint",
        purpose: "Split toning: a colour for darks, middles and lights",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Encoded,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = ToneTintKernel;

    fn work(&self, site: &Site) -> Option<Self::Kernel> {
        Some(self.kernel(site.zone))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::plane::hue_of;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn weights_are_a_partition_of_unity(
            low in -6.0..4.0_f64, high in -4.0..6.0_f64, softness in 0.3..4.0_f64, at in -20.0..20.0_f32,
        ) {
            let w = ToneTint { low, high, softness, ..Default::default() }.kernel(Zone::Scene).weights(at);
            prop_assert!((w.iter().sum::<f32>() - 1.0).abs() < 1e-6);
            prop_assert!(w.iter().all(|v| *v >= -1e-6));
        }
    }

    #[test]
    fn a_push_moves_the_colour_along_its_angle_and_keeps_luma() {
        let step = ToneTint { lights_hue: 70.0, lights_amount: 0.1, ..Default::default() };
        let kernel = step.kernel(Zone::Scene);
        let mut p: Planes = [Channel::of(0.7), Channel::of(0.7), Channel::of(0.7)];
        kernel.run(&mut p);
        let (y, cb, cr) = kernel.plane.split([p[0][0], p[1][0], p[2][0]]);
        assert!((hue_of(f64::from(cb), f64::from(cr)) - 70.0).abs() < 0.01);
        assert!((y - 0.7).abs() < 1e-6);
    }

    #[test]
    fn darks_keep_still_when_only_the_lights_are_pushed() {
        let step =
            ToneTint { lights_hue: 70.0, lights_amount: 0.3, lights_brightness: 1.0, ..Default::default() };
        let mut p: Planes = [Channel::of(0.1); 3];
        step.kernel(Zone::Scene).run(&mut p);
        assert!((p[0][0] - 0.1).abs() < 1e-5);
    }
}
