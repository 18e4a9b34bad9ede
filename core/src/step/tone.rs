//! Tone: contrast about a pivot, black and white point, toe and shoulder, a faded black.

use super::{Axis, Zone, field::parameters};
use crate::colour::plane::Plane;
use crate::lane::{N, Planes, smoothstep, softplus};

parameters! {
    /// One response curve on the zone's tonal axis.
    Tone {
        /// Slope at the pivot.
        contrast: "Contrast", Plain, number(0.2, 3.0, 1.0, 0.01);
        /// The tone that contrast leaves where it is.
        pivot: "Pivot", Tones, number(-4.0, 4.0, 0.0, 0.05);
        /// Moves the dark end; the pivot stays.
        black: "Black point", Tones, number(-2.0, 2.0, 0.0, 0.02);
        /// Moves the bright end; the pivot stays.
        white: "White point", Tones, number(-2.0, 2.0, 0.0, 0.02);
        /// Rolls the shadows off (positive) or steepens them (negative).
        toe: "Toe", Percent, number(-1.0, 1.0, 0.0, 0.01);
        /// Where the toe begins, below the pivot.
        toe_reach: "Toe reach", Tones, number(0.5, 6.0, 2.5, 0.05);
        /// Rolls the highlights off (positive) or steepens them (negative).
        shoulder: "Shoulder", Percent, number(-1.0, 1.0, 0.0, 0.01);
        /// Where the shoulder begins, above the pivot.
        shoulder_reach: "Shoulder reach", Tones, number(0.5, 6.0, 2.5, 0.05);
        /// Lifts black with a soft knee, as in a faded print.
        fade: "Fade", Percent, number(0.0, 1.0, 0.0, 0.01);
        /// How much of the change keeps colour differences, instead of working on R, G and B apart.
        keep_colour: "Keep colour", Percent, number(0.0, 1.0, 0.0, 0.01);
    }
}

/// The Tone curve ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct Kernel {
    axis: Axis,
    plane: Plane,
    contrast: f32,
    pivot: f32,
    black: f32,
    white: f32,
    toe: f32,
    toe_reach: f32,
    shoulder: f32,
    shoulder_reach: f32,
    floor: f32,
    fade: f32,
    keep: f32,
}

/// Width of the knees of toe and shoulder, in axis units (determined by eye: softer hides where they begin).
const KNEE: f32 = 0.6;

/// The axis place of black in the Scene zone, from which a fade lifts; the Screen's is close enough to it
/// for the same range (-3.83) to be reached by the same control.
const SCENE_BLACK: f32 = -6.2;
const SCREEN_BLACK: f32 = -3.85;

impl Tone {
    /// The curve for a zone.
    pub fn kernel(&self, zone: Zone) -> Kernel {
        let black = if zone == Zone::Screen { SCREEN_BLACK } else { SCENE_BLACK };
        let fade = self.fade as f32;
        Kernel {
            axis: Axis::of(zone),
            plane: super::plane_of(zone),
            contrast: self.contrast as f32,
            pivot: self.pivot as f32,
            black: self.black as f32,
            white: self.white as f32,
            toe: self.toe as f32,
            toe_reach: self.toe_reach as f32,
            shoulder: self.shoulder as f32,
            shoulder_reach: self.shoulder_reach as f32,
            // A full fade brings black two thirds of the way to middle grey.
            floor: black * (1.0 - 0.66 * fade),
            fade,
            keep: self.keep_colour as f32,
        }
    }
}

impl Kernel {
    /// The response on the tonal axis: strictly rising for every setting in range.
    ///
    /// Black and white point first: shifts that fade in over six units, with slopes of at least one half.
    /// Then slope about the pivot, whose toe and shoulder change the slope by the factor (1 - amount) beyond
    /// their reach through a softplus of width [`KNEE`]. Last the fade: a soft maximum with its floor.
    #[inline(always)]
    pub fn response(&self, u: f32) -> f32 {
        let v = u - self.pivot;
        let v = v + self.black * smoothstep(0.0, 6.0, -v) + self.white * smoothstep(0.0, 6.0, v);
        let (tr, sr) = (self.toe_reach / KNEE, self.shoulder_reach / KNEE);
        let toe = (softplus(-v / KNEE - tr) - softplus(-tr)) * KNEE;
        let shoulder = (softplus(v / KNEE - sr) - softplus(-sr)) * KNEE;
        let y = self.contrast * (v + self.toe.min(0.999) * toe - self.shoulder.min(0.999) * shoulder);
        let y = y + self.pivot;
        let width = 0.02 + 0.9 * self.fade;
        let lifted = self.floor + width * softplus((y - self.floor) / width);
        crate::lane::select(self.fade > 0.0, lifted, y)
    }

    /// The curve on a block of code values.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let curve = |code: f32| self.axis.code(self.response(self.axis.place(code)));
        if self.keep > 0.0 {
            for i in 0..N {
                let rgb = [planes[0][i], planes[1][i], planes[2][i]];
                let y = self.plane.luma_of(rgb);
                let shift = curve(y) - y;
                for (plane, v) in planes.iter_mut().zip(rgb) {
                    plane[i] = curve(v) + self.keep * (v + shift - curve(v));
                }
            }
            return;
        }
        crate::lane::each_channel(planes, curve);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_response_rises_for_every_setting(
            contrast in 0.2..3.0_f64, pivot in -4.0..4.0_f64, black in -2.0..2.0_f64, white in -2.0..2.0_f64,
            toe in -1.0..1.0_f64, shoulder in -1.0..1.0_f64, reach in 0.5..6.0_f64, fade in 0.0..1.0_f64,
        ) {
            let tone = Tone {
                contrast, pivot, black, white, toe, shoulder, fade,
                toe_reach: reach, shoulder_reach: reach, ..Default::default()
            };
            let kernel = tone.kernel(Zone::Scene);
            let mut last = f32::NEG_INFINITY;
            for i in -900..900 {
                let y = kernel.response(i as f32 * 0.01);
                prop_assert!(y >= last - 1e-5, "{tone:?} falls at {i}");
                last = y;
            }
        }
    }

    #[test]
    fn contrast_is_the_slope_at_the_pivot_which_stays() {
        let k = Tone { contrast: 1.6, pivot: 0.5, ..Default::default() }.kernel(Zone::Scene);
        assert!((k.response(0.5) - 0.5).abs() < 1e-6);
        let slope = (k.response(0.51) - k.response(0.49)) / 0.02;
        assert!((slope - 1.6).abs() < 1e-3, "{slope}");
    }

    #[test]
    fn a_full_shoulder_stops_the_highlights_near_its_reach_and_toe_lifts_the_shadows() {
        let k =
            Tone { shoulder: 1.0, shoulder_reach: 2.0, toe: 0.5, ..Default::default() }.kernel(Zone::Scene);
        assert!(k.response(8.0) < 2.2);
        assert!(k.response(-6.0) > -5.0);
    }

    #[test]
    fn the_neutral_response_is_the_identity() {
        let k = Tone::default().kernel(Zone::Scene);
        for i in -80..80 {
            let u = i as f32 * 0.1;
            assert!((k.response(u) - u).abs() < 1e-6 * u.abs().max(1.0));
        }
    }

    #[test]
    fn a_faded_black_is_lifted_while_white_stays() {
        let k = Tone { fade: 0.5, ..Default::default() }.kernel(Zone::Screen);
        let axis = Axis::of(Zone::Screen);
        let black = axis.code(k.response(axis.place(0.0)));
        let white = axis.code(k.response(axis.place(1.0)));
        assert!(black > 0.05 && black < 0.3, "{black}");
        assert!((white - 1.0).abs() < 1e-3, "{white}");
    }
}
