//! Colour families: six families of hues, and darks, neutrals and lights, each with hue, saturation and brightness.

use super::hue_curves::{Change, coloured, hinted, hues};
use super::{Axis, Zone, curve::Curve, field::CurveRest, field::parameters, saturation_reach};
use crate::colour::plane::{Plane, hue_of};
use crate::lane::{N, Planes, logistic};

parameters! {
    /// Moves of whole families of colours.
    ColourFamilies {
        /// Turns reds.
        reds_hue: "Reds hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on the saturation of reds.
        reds_saturation: "Reds saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Brightness of reds.
        reds_brightness: "Reds brightness", Tones, number(-3.0, 3.0, 0.0, 0.02);
        /// Turns yellows.
        yellows_hue: "Yellows hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on the saturation of yellows.
        yellows_saturation: "Yellows saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Brightness of yellows.
        yellows_brightness: "Yellows brightness", Tones, number(-3.0, 3.0, 0.0, 0.02);
        /// Turns greens.
        greens_hue: "Greens hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on the saturation of greens.
        greens_saturation: "Greens saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Brightness of greens.
        greens_brightness: "Greens brightness", Tones, number(-3.0, 3.0, 0.0, 0.02);
        /// Turns cyans.
        cyans_hue: "Cyans hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on the saturation of cyans.
        cyans_saturation: "Cyans saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Brightness of cyans.
        cyans_brightness: "Cyans brightness", Tones, number(-3.0, 3.0, 0.0, 0.02);
        /// Turns blues.
        blues_hue: "Blues hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on the saturation of blues.
        blues_saturation: "Blues saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Brightness of blues.
        blues_brightness: "Blues brightness", Tones, number(-3.0, 3.0, 0.0, 0.02);
        /// Turns magentas.
        magentas_hue: "Magentas hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on the saturation of magentas.
        magentas_saturation: "Magentas saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Brightness of magentas.
        magentas_brightness: "Magentas brightness", Tones, number(-3.0, 3.0, 0.0, 0.02);
        /// Turns what is dark.
        darks_hue: "Darks hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on the saturation of what is dark.
        darks_saturation: "Darks saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Brightness of what is dark.
        darks_brightness: "Darks brightness", Tones, number(-2.0, 2.0, 0.0, 0.02);
        /// Turns what has little colour.
        neutrals_hue: "Neutrals hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on the saturation of what has little colour.
        neutrals_saturation: "Neutrals saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Brightness of what has little colour.
        neutrals_brightness: "Neutrals brightness", Tones, number(-2.0, 2.0, 0.0, 0.02);
        /// Turns what is bright.
        lights_hue: "Lights hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on the saturation of what is bright.
        lights_saturation: "Lights saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Brightness of what is bright.
        lights_brightness: "Lights brightness", Tones, number(-2.0, 2.0, 0.0, 0.02);
    }
}

/// Where darks end and lights begin on the tonal axis, and the width of the handover (determined by eye: two stops
/// under a grey card is a dark wall, two above it a lit one).
const DARKS_END: f32 = -2.0;
const LIGHTS_BEGIN: f32 = 2.0;
const HANDOVER: f32 = 0.5;
/// Up to this share of the full radius a colour counts as a neutral by half.
const NEUTRAL: f32 = 0.15;

/// Hue, saturation and brightness of one part.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Part {
    hue: f32,
    factor: f32,
    rise: f32,
}

impl Part {
    const IDLE: Self = Self { hue: 0.0, factor: 1.0, rise: 0.0 };

    fn new(axis: Axis, [hue, factor, brightness]: [f64; 3]) -> Self {
        Self { hue: hue as f32, factor: factor as f32, rise: brightness as f32 / axis.scale }
    }
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct Kernel {
    axis: Axis,
    plane: Plane,
    reach: f32,
    hue: Option<Curve>,
    factor: Option<Curve>,
    rise: Option<Curve>,
    darks: Part,
    neutrals: Part,
    lights: Part,
}

/// The hues of the six families in a zone, from magenta on round the circle: those of its primaries and their
/// complements.
pub fn family_hues(zone: Zone) -> [f64; 6] {
    let plane = super::plane_of(zone);
    let pure = [
        [1.0, 0.0, 1.0],
        [1.0, 0.0, 0.0],
        [1.0, 1.0, 0.0],
        [0.0, 1.0, 0.0],
        [0.0, 1.0, 1.0],
        [0.0, 0.0, 1.0],
    ];
    pure.map(|rgb| {
        let (_, cb, cr) = plane.split(rgb);
        hue_of(f64::from(cb), f64::from(cr))
    })
}

impl ColourFamilies {
    /// The step for a zone. Between two families the move goes over smoothly from one to the other.
    pub fn kernel(&self, zone: Zone) -> Kernel {
        let v = self;
        let axis = Axis::of(zone);
        let families = [
            [v.magentas_hue, v.magentas_saturation, v.magentas_brightness],
            [v.reds_hue, v.reds_saturation, v.reds_brightness],
            [v.yellows_hue, v.yellows_saturation, v.yellows_brightness],
            [v.greens_hue, v.greens_saturation, v.greens_brightness],
            [v.cyans_hue, v.cyans_saturation, v.cyans_brightness],
            [v.blues_hue, v.blues_saturation, v.blues_brightness],
        ];
        let hues = family_hues(zone);
        let ring = |what: usize, idle: f64, rest: CurveRest| {
            if families.iter().all(|f| f[what] == idle) {
                return None;
            }
            let mut points: Vec<[f64; 2]> = hues.iter().zip(families).map(|(h, f)| [*h, f[what]]).collect();
            points.sort_by(|a, b| a[0].total_cmp(&b[0]));
            Curve::periodic(&points, rest)
        };
        Kernel {
            axis,
            plane: super::plane_of(zone),
            reach: saturation_reach(zone),
            hue: ring(0, 0.0, CurveRest::Zero),
            factor: ring(1, 1.0, CurveRest::One),
            rise: ring(2, 0.0, CurveRest::Zero),
            darks: Part::new(axis, [v.darks_hue, v.darks_saturation, v.darks_brightness]),
            neutrals: Part::new(axis, [v.neutrals_hue, v.neutrals_saturation, v.neutrals_brightness]),
            lights: Part::new(axis, [v.lights_hue, v.lights_saturation, v.lights_brightness]),
        }
    }
}

impl Kernel {
    /// The step on a block of code values.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let rings = [&self.hue, &self.factor, &self.rise];
        let parts = [self.darks, self.neutrals, self.lights];
        if rings.iter().all(|r| r.is_none()) && parts.iter().all(|p| *p == Part::IDLE) {
            return;
        }
        let (hue, square) = hues(&self.plane, planes);
        let mut change = Change::none();
        if let Some(curve) = &self.hue {
            change.turn = hue;
            curve.on_places(&mut change.turn);
            for i in 0..N {
                change.turn[i] *= hinted(square[i], self.reach);
            }
        }
        if let Some(curve) = &self.factor {
            change.factor = hue;
            curve.on_places(&mut change.factor);
            for i in 0..N {
                change.factor[i] = 1.0 + hinted(square[i], self.reach) * (change.factor[i] - 1.0);
            }
        }
        if let Some(curve) = &self.rise {
            let mut v = hue;
            curve.on_places(&mut v);
            for i in 0..N {
                change.rise[i] = v[i] / self.axis.scale * coloured(square[i], self.reach);
            }
        }
        let luma = self.plane.luma_plane(planes);
        let neutral = (NEUTRAL * self.reach) * (NEUTRAL * self.reach);
        for i in 0..N {
            let place = self.axis.place(luma[i]);
            let dark = logistic((DARKS_END - place) * (1.0 / HANDOVER));
            let light = logistic((place - LIGHTS_BEGIN) * (1.0 / HANDOVER));
            let grey = neutral / (neutral + square[i]);
            for (part, w) in [(&self.darks, dark), (&self.neutrals, grey), (&self.lights, light)] {
                change.turn[i] += w * part.hue;
                change.factor[i] *= 1.0 + w * (part.factor - 1.0);
                change.rise[i] += w * part.rise;
            }
        }
        change.apply(&self.plane, planes);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::plane::polar;

    fn run(v: &ColourFamilies, y: f32, hue: f64, amount: f64) -> (f32, f64, f64) {
        let plane = super::super::plane_of(Zone::Screen);
        let (cb, cr) = polar(hue, amount);
        let mut p = plane.join(y, cb as f32, cr as f32).map(|v| [v; N]);
        v.kernel(Zone::Screen).run(&mut p);
        let (y, cb, cr) = plane.split([p[0][0], p[1][0], p[2][0]]);
        (y, hue_of(f64::from(cb), f64::from(cr)), f64::from(cb.hypot(cr)))
    }

    #[test]
    fn a_family_moves_at_its_own_hue_and_not_at_its_neighbours() {
        let v = ColourFamilies { greens_hue: 30.0, greens_saturation: 0.5, ..Default::default() };
        let hues = family_hues(Zone::Screen);
        let (_, green, amount) = run(&v, 0.4, hues[3], 0.2);
        assert!((green - hues[3] - 30.0).abs() < 0.02 && (amount - 0.1).abs() < 1e-5, "{green} {amount}");
        for other in [2, 4] {
            let (_, hue, amount) = run(&v, 0.4, hues[other], 0.2);
            assert!((hue - hues[other]).abs() < 0.02 && (amount - 0.2).abs() < 1e-5);
        }
    }

    #[test]
    fn families_of_bt709_would_lie_where_a_vectorscope_has_its_targets() {
        // BT.709-6, 3.2-3.3 gives red 102.9, yellow 174.8, green 229.7; P3's weights lie close to those.
        for (hue, want) in family_hues(Zone::Screen).iter().zip([49.7, 102.9, 174.8, 229.7, 282.9, 354.8]) {
            assert!((hue - want).abs() < 5.0, "{hue} {want}");
        }
    }

    #[test]
    fn darks_and_lights_move_by_brightness_and_neutrals_by_lack_of_colour() {
        let v = ColourFamilies { darks_saturation: 0.0, lights_brightness: 1.0, ..Default::default() };
        let (_, _, dark) = run(&v, 0.02, 200.0, 0.02);
        let (_, _, middle) = run(&v, 0.38, 200.0, 0.2);
        assert!(dark < 0.002 && (middle - 0.2).abs() < 0.01, "{dark} {middle}");
        let (light, _, _) = run(&v, 0.95, 200.0, 0.0);
        assert!(light > 1.04, "{light}");
        let grey = ColourFamilies { neutrals_brightness: 1.0, ..Default::default() };
        let (lifted, _, _) = run(&grey, 0.4, 0.0, 0.0);
        let (held, _, _) = run(&grey, 0.4, 40.0, 0.4);
        assert!((lifted - 0.5).abs() < 1e-4 && held < 0.41, "{lifted} {held}");
    }
}
