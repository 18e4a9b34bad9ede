//! Tone: contrast about a pivot, black and white point, toe and shoulder, a faded black.

use super::kind::{Domain, InFiles, Kind, KindInfo, SCENE_AND_SCREEN, Site};
use super::plain::{PlainRendering, tone::ToneCurve};
use super::{Axis, Zone};
use crate::colour::plane::Plane;
use crate::colour::transfer::linear_to_acescct;
use crate::field::parameters;
use crate::numeric::lane::{Channel, N, Planes, smoothstep, softplus};

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
        /// The fade of looks made before there was `lift`, as it was. It hardly works at its lower end.
        fade: "Earlier fade", Percent, number(0.0, 1.0, 0.0, 0.01);
        /// How much of the change keeps colour differences, instead of working on R, G and B apart.
        keep_colour: "Keep colour", Percent, number(0.0, 1.0, 0.0, 0.01);
        /// Lifts black with a soft knee, as in a faded print: evenly, up to 18 % of the display.
        lift: "Fade", Percent, number(0.0, 1.0, 0.0, 0.01);
    }
}

/// The Tone curve ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct ToneKernel {
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
    /// Values of the knees at the pivot, which stays where it is.
    toe_at_pivot: f32,
    shoulder_at_pivot: f32,
    floor: f32,
    fade: f32,
    fade_share: f32,
    fade_width: f32,
    fade_steepness: f32,
    lift: Option<Lift>,
    keep: f32,
}

/// A lifted black: a soft maximum with a floor, mixed in by a share.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Lift {
    floor: f32,
    width: f32,
    steepness: f32,
    share: f32,
}

/// The signal of a display by BT.1886 that a full fade makes of black (by eye: a print left in the sun).
const FULL_LIFT: f64 = 0.18;
/// Below this fade the floor is mixed in by a share, so that what lies under black is not cut off at once.
const WHOLE_FROM: f64 = 0.02;
/// Width of the knee, as a share of how far black is lifted (by eye: dark tones stay apart from each other).
const LIFT_KNEE: f64 = 0.25;

impl Lift {
    /// The fade that brings black to `amount` of [`FULL_LIFT`]: in the Scene zone as the plain rendering shows it.
    fn new(amount: f64, zone: Zone) -> Option<Self> {
        if amount <= 0.0 {
            return None;
        }
        let axis = Axis::of(zone);
        let signal = FULL_LIFT * amount;
        let (black, code) = match zone {
            Zone::Screen => (0.0, signal as f32),
            Zone::Scene | Zone::Film => {
                let rendering = ToneCurve::new(&PlainRendering::default(), 1.0);
                let light = rendering.inverse(signal.powf(BT1886) as f32);
                (linear_to_acescct(0.0), linear_to_acescct(light))
            }
        };
        let black = f64::from(axis.place(black));
        let share = (amount / WHOLE_FROM).min(1.0);
        // How far black has to come where the floor counts in full.
        let by = (f64::from(axis.place(code)) - black) / share;
        let width = LIFT_KNEE * by;
        // The floor whose soft maximum with black is exactly black + by.
        let floor = black + by + width * (-(-by / width).exp()).ln_1p();
        Some(Self {
            floor: floor as f32,
            width: width as f32,
            steepness: (1.0 / width) as f32,
            share: share as f32,
        })
    }

    #[inline(always)]
    fn at(&self, y: f32) -> f32 {
        let lifted = self.floor + self.width * softplus((y - self.floor) * self.steepness);
        y + self.share * (lifted - y)
    }
}

/// Width of the knees of toe and shoulder, in axis units (determined by eye: softer hides where they begin).
const KNEE: f32 = 0.6;

/// The axis place of black in the Scene zone, from which a fade lifts; the Screen's is close enough to it
/// for the same range (-3.83) to be reached by the same control.
const SCENE_BLACK: f32 = -6.2;
const SCREEN_BLACK: f32 = -3.85;

/// Exponent of the reference display (BT.1886).
const BT1886: f64 = 2.4;

impl Tone {
    /// The curve for a zone.
    pub fn kernel(&self, zone: Zone) -> ToneKernel {
        let black = if zone == Zone::Screen { SCREEN_BLACK } else { SCENE_BLACK };
        let fade = self.fade;
        let fade_width = 0.02 + 0.9 * fade;
        ToneKernel {
            axis: Axis::of(zone),
            plane: super::plane_of(zone),
            contrast: self.contrast as f32,
            pivot: self.pivot as f32,
            black: self.black as f32,
            white: self.white as f32,
            // A slope of exactly zero beyond the reach would make the curve impossible to undo.
            toe: self.toe.min(0.999) as f32,
            toe_reach: self.toe_reach as f32,
            shoulder: self.shoulder.min(0.999) as f32,
            shoulder_reach: self.shoulder_reach as f32,
            toe_at_pivot: softplus(-self.toe_reach as f32 / KNEE),
            shoulder_at_pivot: softplus(-self.shoulder_reach as f32 / KNEE),
            // A full fade brings black two thirds of the way to middle grey.
            floor: black * (1.0 - 0.66 * fade as f32),
            fade: fade as f32,
            // What lies far below the floor comes up to it by and by.
            fade_share: (fade / WHOLE_FROM).min(1.0) as f32,
            fade_width: fade_width as f32,
            fade_steepness: (1.0 / fade_width) as f32,
            lift: Lift::new(self.lift, zone),
            keep: self.keep_colour as f32,
        }
    }
}

impl ToneKernel {
    /// The response on the tonal axis: strictly rising for every setting in range.
    ///
    /// Black and white point first: shifts that fade in over six units, with slopes of at least one half.
    /// Then slope about the pivot, whose toe and shoulder change the slope by the factor (1 - amount) beyond
    /// their reach through a softplus of width [`KNEE`]. Last the fade: a soft maximum with its floor.
    pub fn response(&self, u: f32) -> f32 {
        let v = self.with_ends(u - self.pivot);
        let y = self.bend(v + self.toe * self.toe_of(v) - self.shoulder * self.shoulder_of(v));
        self.lift.map_or(y, |l| l.at(y))
    }

    /// Black and white point, on places counted from the pivot.
    #[inline(always)]
    fn with_ends(&self, v: f32) -> f32 {
        v + self.black * smoothstep(0.0, 6.0, -v) + self.white * smoothstep(0.0, 6.0, v)
    }

    #[inline(always)]
    fn toe_of(&self, v: f32) -> f32 {
        (softplus((-v - self.toe_reach) * (1.0 / KNEE)) - self.toe_at_pivot) * KNEE
    }

    #[inline(always)]
    fn shoulder_of(&self, v: f32) -> f32 {
        (softplus((v - self.shoulder_reach) * (1.0 / KNEE)) - self.shoulder_at_pivot) * KNEE
    }

    /// Contrast and the earlier fade, back to places on the axis.
    #[inline(always)]
    fn bend(&self, v: f32) -> f32 {
        let y = self.contrast * v + self.pivot;
        let lifted = self.floor + self.fade_width * softplus((y - self.floor) * self.fade_steepness);
        y + self.fade_share * (lifted - y)
    }

    /// The curve on one plane of code values: [`Self::response`] in passes, without those that change nothing.
    #[inline(always)]
    fn curve(&self, plane: &mut Channel) {
        let mut v = Channel::of(0.0);
        for i in 0..N {
            v[i] = self.axis.place(plane[i]) - self.pivot;
        }
        if self.black != 0.0 || self.white != 0.0 {
            for v in &mut v {
                *v = self.with_ends(*v);
            }
        }
        *plane = v;
        if self.toe != 0.0 {
            for i in 0..N {
                plane[i] += self.toe * self.toe_of(v[i]);
            }
        }
        if self.shoulder != 0.0 {
            for i in 0..N {
                plane[i] -= self.shoulder * self.shoulder_of(v[i]);
            }
        }
        if self.fade > 0.0 {
            for v in plane.iter_mut() {
                *v = self.bend(*v);
            }
        } else {
            for v in plane.iter_mut() {
                *v = self.contrast * *v + self.pivot;
            }
        }
        if let Some(lift) = &self.lift {
            for v in plane.iter_mut() {
                *v = lift.at(*v);
            }
        }
        for v in plane {
            *v = self.axis.code(*v);
        }
    }

    /// The curve on a block of code values.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        if self.keep == 0.0 {
            for plane in planes {
                self.curve(plane);
            }
            return;
        }
        let luma = self.plane.luma_plane(planes);
        let mut moved = luma;
        self.curve(&mut moved);
        for plane in planes {
            let before = *plane;
            self.curve(plane);
            for i in 0..N {
                plane[i] += self.keep * (before[i] + (moved[i] - luma[i]) - plane[i]);
            }
        }
    }
}

impl Kind for Tone {
    const INFO: KindInfo = KindInfo {
        kind: "tone",
        title: "Tone",
        purpose: "Contrast, black and white point, toe and shoulder, faded blacks",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Encoded,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = ToneKernel;

    fn work(&self, site: &Site) -> Option<Self::Kernel> {
        Some(self.kernel(site.zone))
    }

    fn in_files(kernel: &Self::Kernel) -> Option<InFiles> {
        (kernel.keep == 0.0).then_some(InFiles::ByChannel)
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
            lift in 0.0..1.0_f64,
        ) {
            let tone = Tone {
                contrast, pivot, black, white, toe, shoulder, fade, lift,
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
    fn a_fade_lifts_black_evenly_from_one_per_cent_on_as_the_display_shows_it() {
        use crate::colour::Encoding;
        use crate::graph::Program;
        use crate::look::{Path, Step};
        use crate::step::Values;
        let [from, to] = ["acescct", "rec709"].map(|id| Encoding::find(id).unwrap());
        for zone in [Zone::Scene, Zone::Screen] {
            for percent in [0, 1, 2, 3, 5, 10, 30, 60, 100] {
                let tone = Tone { lift: f64::from(percent) / 100.0, ..Default::default() };
                let path = Path::of(vec![Step::new("tone", zone, Values::Tone(tone))]);
                let program = Program::compile(&path, &from, &to).unwrap();
                let black = program.on_colour([linear_to_acescct(0.0); 3]);
                let want = 0.18 * percent as f32 / 100.0;
                assert!(black.iter().all(|v| (v - want).abs() < 1e-3), "{zone:?} {percent} %: {black:?}");
                // A light grey of two stops over 18 % stays.
                let light = |p: &Program| p.on_colour([linear_to_acescct(0.72); 3])[0];
                let idle = Program::compile(&Path::default(), &from, &to).unwrap();
                assert!((light(&program) - light(&idle)).abs() < 0.01, "{zone:?} {percent} %");
            }
        }
    }

    #[test]
    fn a_faint_fade_leaves_what_lies_under_black_nearly_as_it_is() {
        for zone in [Zone::Scene, Zone::Screen] {
            let [idle, faint] = [0.0, 0.001].map(|lift| Tone { lift, ..Default::default() }.kernel(zone));
            for i in -100..100 {
                let u = i as f32 * 0.1;
                assert!((faint.response(u) - idle.response(u)).abs() < 0.5, "{zone:?} {u}");
            }
        }
    }

    #[test]
    fn an_earlier_fade_is_lifted_while_white_stays() {
        let k = Tone { fade: 0.5, ..Default::default() }.kernel(Zone::Screen);
        let axis = Axis::of(Zone::Screen);
        let black = axis.code(k.response(axis.place(0.0)));
        let white = axis.code(k.response(axis.place(1.0)));
        assert!(black > 0.05 && black < 0.3, "{black}");
        assert!((white - 1.0).abs() < 1e-3, "{white}");
    }
}
