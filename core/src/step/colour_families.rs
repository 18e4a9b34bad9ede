//! Colour families: families of hues between movable borders, and darks, neutrals and lights, each with hue, saturation and
//! brightness.

use super::hue_curves::Change;
use super::kind::{Domain, Kind, KindInfo, SCENE_AND_SCREEN, Site};
use super::{Axis, Zone, curve::Curve, saturation_reach};
use crate::colour::hues::{coloured, hinted, hues};
use crate::colour::plane::{Plane, hue_of};
use crate::field::{CurveRest, FAMILY_GAP, FieldKind, MAX_FAMILIES, parameters};
use crate::numeric::lane::{N, Planes, logistic};

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
        /// The families round the circle. Where there are any, the six named ones, which looks of earlier versions have, do
        /// nothing.
        families: "Families", Plain, holds(
            Vec<Family>,
            FieldKind::Families { most: MAX_FAMILIES, gap: FAMILY_GAP, borders: &BORDERS, fields: Family::FIELDS }
        );
    }
}

parameters! {
    /// A family of hues, from its border up to that of the next one, and what becomes of it.
    Family {
        /// The hue that it begins at.
        border: "Border", Degrees, number(0.0, 360.0, 0.0, 1.0);
        /// Turns its hues.
        hue: "Hue", Degrees, number(-60.0, 60.0, 0.0, 0.5);
        /// Factor on its saturation.
        saturation: "Saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Its brightness; the stronger the colour, the more of it.
        brightness: "Brightness", Tones, number(-3.0, 3.0, 0.0, 0.02);
    }
}

/// Borders of a new step: half-way between the vectorscope's targets for primaries and complements (BT.709-6, 3.2-3.3), to
/// whole degrees. Magentas, reds, yellows, greens, cyans and blues begin there.
pub const BORDERS: [f64; 6] = [22.0, 76.0, 139.0, 202.0, 256.0, 319.0];

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
pub struct ColourFamiliesKernel {
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

/// What families do, hue by hue: in the middle of each all of its move, at a border half of each neighbour's. Degrees, then
/// hue, saturation and brightness.
fn round(families: &[Family]) -> Vec<[f64; 4]> {
    let move_of = |f: &Family| [f.hue, f.saturation, f.brightness];
    let one = |at: f64, [hue, saturation, brightness]: [f64; 3]| {
        [at.rem_euclid(360.0), hue, saturation, brightness]
    };
    let n = families.len();
    let mut points = Vec::with_capacity(2 * n);
    for (i, family) in families.iter().enumerate() {
        let before = &families[(i + n - 1) % n];
        let next = families[(i + 1) % n].border + if i + 1 == n { 360.0 } else { 0.0 };
        let (a, b) = (move_of(before), move_of(family));
        points.push(one(family.border, std::array::from_fn(|k| (a[k] + b[k]) / 2.0)));
        points.push(one((family.border + next) / 2.0, b));
    }
    points
}

impl ColourFamilies {
    /// What the six named families do, at the hues where they do it in full.
    fn named(&self, zone: Zone) -> Vec<[f64; 4]> {
        let v = self;
        let families = [
            [v.magentas_hue, v.magentas_saturation, v.magentas_brightness],
            [v.reds_hue, v.reds_saturation, v.reds_brightness],
            [v.yellows_hue, v.yellows_saturation, v.yellows_brightness],
            [v.greens_hue, v.greens_saturation, v.greens_brightness],
            [v.cyans_hue, v.cyans_saturation, v.cyans_brightness],
            [v.blues_hue, v.blues_saturation, v.blues_brightness],
        ];
        let hues = family_hues(zone).into_iter();
        hues.zip(families)
            .map(|(at, [hue, saturation, brightness])| [at, hue, saturation, brightness])
            .collect()
    }

    /// The step for a zone. Between two families the move goes over smoothly from one to the other.
    pub fn kernel(&self, zone: Zone) -> ColourFamiliesKernel {
        let v = self;
        let axis = Axis::of(zone);
        let points = if v.families.is_empty() { v.named(zone) } else { round(&v.families) };
        let ring = |what: usize, idle: f64, rest: CurveRest| {
            if points.iter().all(|p| p[what] == idle) {
                return None;
            }
            let mut points: Vec<[f64; 2]> = points.iter().map(|p| [p[0], p[what]]).collect();
            points.sort_by(|a, b| a[0].total_cmp(&b[0]));
            Curve::periodic(&points, rest)
        };
        ColourFamiliesKernel {
            axis,
            plane: super::plane_of(zone),
            reach: saturation_reach(zone),
            hue: ring(1, 0.0, CurveRest::Zero),
            factor: ring(2, 1.0, CurveRest::One),
            rise: ring(3, 0.0, CurveRest::Zero),
            darks: Part::new(axis, [v.darks_hue, v.darks_saturation, v.darks_brightness]),
            neutrals: Part::new(axis, [v.neutrals_hue, v.neutrals_saturation, v.neutrals_brightness]),
            lights: Part::new(axis, [v.lights_hue, v.lights_saturation, v.lights_brightness]),
        }
    }
}

impl ColourFamiliesKernel {
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

impl Kind for ColourFamilies {
    const INFO: KindInfo = KindInfo {
        kind: "colour-families",
        title: "Colour families",
        purpose: "Families of hues with movable borders, and darks, neutrals and lights",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Encoded,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = ColourFamiliesKernel;

    fn work(&self, site: &Site) -> Option<Self::Kernel> {
        Some(self.kernel(site.zone))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::plane::polar;
    use crate::numeric::lane::Channel;
    use proptest::prelude::*;

    fn run(v: &ColourFamilies, y: f32, hue: f64, amount: f64) -> (f32, f64, f64) {
        let plane = super::super::plane_of(Zone::Screen);
        let (cb, cr) = polar(hue, amount);
        let mut p = plane.join(y, cb as f32, cr as f32).map(Channel::of);
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

    fn family(border: f64, [hue, saturation, brightness]: [f64; 3]) -> Family {
        Family { border, hue, saturation, brightness }
    }

    #[test]
    fn a_family_with_borders_moves_in_full_in_its_middle_and_by_half_at_its_borders() {
        let mut families: Vec<Family> = BORDERS.iter().map(|b| family(*b, [0.0, 1.0, 0.0])).collect();
        families[3] = family(200.0, [30.0, 0.5, 0.0]);
        let v = ColourFamilies { families, ..Default::default() };
        let (_, hue, amount) = run(&v, 0.4, 228.0, 0.2);
        assert!((hue - 258.0).abs() < 0.02 && (amount - 0.1).abs() < 1e-5, "{hue} {amount}");
        for border in [200.0, 256.0] {
            let (_, hue, amount) = run(&v, 0.4, border, 0.2);
            assert!((hue - border - 15.0).abs() < 0.05 && (amount - 0.15).abs() < 1e-4, "{hue} {amount}");
        }
        for outside in [169.5, 287.5, 40.0] {
            let (_, hue, amount) = run(&v, 0.4, outside, 0.2);
            assert!((hue - outside).abs() < 0.02 && (amount - 0.2).abs() < 1e-5, "{hue} {amount}");
        }
    }

    #[test]
    fn one_family_is_the_whole_circle_and_families_win_over_the_named_ones() {
        let families = vec![family(90.0, [0.0, 0.5, 0.0])];
        let v = ColourFamilies { families, reds_hue: 40.0, ..Default::default() };
        for hue in [0.0, 103.0, 240.0, 359.0] {
            let (_, turned, amount) = run(&v, 0.4, hue, 0.2);
            let off = (turned - hue + 180.0).rem_euclid(360.0) - 180.0;
            assert!(off.abs() < 0.02 && (amount - 0.1).abs() < 1e-5, "{hue}: {turned} {amount}");
        }
    }

    #[test]
    fn borders_too_near_each_other_are_refused_also_across_the_wrap() {
        let of = |borders: &[f64]| {
            let families = borders.iter().map(|b| family(*b, [0.0, 1.0, 0.0])).collect();
            super::super::Values::ColourFamilies(ColourFamilies { families, ..Default::default() }).check()
        };
        assert!(of(&BORDERS).is_ok() && of(&[]).is_ok() && of(&[359.0]).is_ok() && of(&[4.0, 356.0]).is_ok());
        for wrong in [&[10.0, 15.0][..], &[2.0, 357.0], &[200.0, 100.0], &[0.0, 360.0]] {
            let said = of(wrong).unwrap_err().to_string();
            assert!(said.contains("at least 8 degrees apart"), "{wrong:?}: {said}");
        }
    }

    proptest! {
        #[test]
        fn whatever_the_families_the_change_goes_on_without_a_step_round_the_circle(
            start in 0.0..30.0_f64,
            own in proptest::collection::vec((8.0..29.0_f64, -60.0..60.0_f64, 0.0..3.0_f64), 1..12),
        ) {
            let mut border = start;
            let mut families = Vec::new();
            for (gap, hue, saturation) in own {
                families.push(family(border, [hue, saturation, 0.0]));
                border += gap;
            }
            let v = ColourFamilies { families, ..Default::default() };
            prop_assert!(super::super::Values::ColourFamilies(v.clone()).check().is_ok());
            let kernel = v.kernel(Zone::Scene);
            for curve in [&kernel.hue, &kernel.factor].into_iter().flatten() {
                // The steepest way from one move to another: 120 degrees over 4, by a cubic of three times that.
                let at = |i: i32| curve.at(i as f32 * 0.1);
                prop_assert!((0..3600).all(|i| (at(i + 1) - at(i)).abs() < 9.1));
                prop_assert!((at(0) - at(3600)).abs() < 1e-3);
            }
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
