//! Hue curves: hue, saturation and brightness by hue, saturation by brightness and by saturation.
//!
//! What happens to a hue is said in two ways that add up: free points on periodic curves, and bumps, which have a
//! centre and two edges and so say "this colour" rather than "this place".

use super::kind::{Domain, Kind, KindInfo, SCENE_AND_SCREEN, Site};
use super::{Axis, Zone, curve::Curve, saturation_reach};
use crate::colour::hues::{Shape, coloured, hinted, hues, spread};
use crate::colour::plane::{Plane, SKIN_DEGREES};
use crate::field::{CurveRest, FieldKind, MAX_BUMPS, parameters};
use crate::numeric::lane::{self, Channel, N, Planes};

/// Ends of brightness by hue, on the tonal axis.
const BRIGHTNESS: [f64; 2] = [-3.0, 3.0];

parameters! {
    /// Curves over the hue circle, and saturation by what a colour is.
    HueCurves {
        /// Colours picked from the picture, each with its own move.
        bumps: "Bumps", Plain, holds(Vec<Bump>, FieldKind::Bumps { most: MAX_BUMPS, fields: Bump::FIELDS });
        /// Turns hues, in degrees.
        hue: "Hue by hue", Degrees, ring([-180.0, 180.0], CurveRest::Zero);
        /// Factor on saturation by hue.
        saturation: "Saturation by hue", Percent, ring([0.0, 3.0], CurveRest::One);
        /// Brightness by hue; the stronger the colour, the more of it.
        brightness: "Brightness by hue", Tones, ring(BRIGHTNESS, CurveRest::Zero);
        /// Factor on saturation by brightness.
        by_brightness: "Saturation by brightness", Tones, curve([-8.0, 8.0], [0.0, 2.0], CurveRest::One);
        /// Factor on saturation by saturation; 1 is as strong as a display's primary.
        by_saturation: "Saturation by saturation", Percent, curve([0.0, 1.0], [0.0, 3.0], CurveRest::One);
        /// What is left of the saturation of all hues that lie under no bump.
        others: "All other hues", Percent, number(0.0, 1.0, 1.0, 0.01);
    }
}

parameters! {
    /// One colour on the hue circle and what becomes of it.
    Bump {
        /// The hue in the middle.
        centre: "Centre", Degrees, number(0.0, 360.0, SKIN_DEGREES, 1.0);
        /// How far the bump reaches down from its centre, to where it is half as strong.
        down: "Edge below", Degrees, number(4.0, 170.0, 24.0, 1.0);
        /// How far the bump reaches up from its centre, to where it is half as strong.
        up: "Edge above", Degrees, number(4.0, 170.0, 24.0, 1.0);
        /// How gradually it ends on both sides.
        softness: "Softness", Degrees, number(4.0, 120.0, 24.0, 1.0);
        /// Turns its hue.
        hue: "Hue", Degrees, number(-180.0, 180.0, 0.0, 1.0);
        /// Factor on its saturation.
        saturation: "Saturation", Percent, number(0.0, 3.0, 1.0, 0.01);
        /// Its brightness; the stronger the colour, the more of it.
        brightness: "Brightness", Tones, number(-3.0, 3.0, 0.0, 0.02);
    }
}

#[derive(Clone, Copy, Debug, PartialEq)]
struct Move {
    shape: Shape,
    hue: f32,
    saturation: f32,
    brightness: f32,
}

/// The step ready to run; curves without points are left out.
#[derive(Clone, Debug, PartialEq)]
pub struct HueCurvesKernel {
    axis: Axis,
    plane: Plane,
    reach: f32,
    moves: Vec<Move>,
    others: f32,
    hue: Option<Curve>,
    saturation: Option<Curve>,
    brightness: Option<Curve>,
    by_brightness: Option<Curve>,
    by_saturation: Option<Curve>,
}

impl HueCurves {
    /// The step for a zone.
    pub fn kernel(&self, zone: Zone) -> HueCurvesKernel {
        let axis = Axis::of(zone);
        let moves = self.bumps.iter().map(|b| Move {
            shape: Shape::new(b.centre, b.down, b.up, b.softness),
            hue: b.hue as f32,
            saturation: b.saturation as f32,
            brightness: b.brightness as f32 / axis.scale,
        });
        HueCurvesKernel {
            axis,
            plane: super::plane_of(zone),
            reach: saturation_reach(zone),
            moves: moves.collect(),
            others: self.others as f32,
            hue: Curve::periodic(&self.hue, CurveRest::Zero),
            saturation: Curve::periodic(&self.saturation, CurveRest::One),
            brightness: Curve::periodic(&self.brightness, CurveRest::Zero),
            by_brightness: Curve::new(&self.by_brightness, CurveRest::One),
            by_saturation: Curve::new(&self.by_saturation, CurveRest::One),
        }
    }
}

/// What becomes of each pixel of a block: its hue turned by degrees, its saturation multiplied, its luma raised.
pub struct Change {
    pub(super) turn: Channel,
    pub(super) factor: Channel,
    pub(super) rise: Channel,
}

impl Change {
    /// No change.
    pub fn none() -> Self {
        Self { turn: Channel::of(0.0), factor: Channel::of(1.0), rise: Channel::of(0.0) }
    }

    /// Applies it. Luma changes by the rise alone.
    #[inline(always)]
    pub fn apply(&self, plane: &Plane, planes: &mut Planes) {
        let [r, g, b] = planes;
        let (mut sin, mut cos) = (Channel::of(0.0), Channel::of(0.0));
        for i in 0..N {
            (sin[i], cos[i]) = lane::sin_cos_degrees(self.turn[i]);
        }
        for i in 0..N {
            let (y, cb, cr) = plane.split([r[i], g[i], b[i]]);
            let (k, s, c) = (self.factor[i].max(0.0), sin[i], cos[i]);
            [r[i], g[i], b[i]] = plane.join(y + self.rise[i], k * (cb * c - cr * s), k * (cb * s + cr * c));
        }
    }
}

impl HueCurvesKernel {
    fn idle(&self) -> bool {
        self.moves.is_empty()
            && self.others == 1.0
            && [&self.hue, &self.saturation, &self.brightness, &self.by_brightness, &self.by_saturation]
                .iter()
                .all(|c| c.is_none())
    }

    /// The step on a block of code values.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        if self.idle() {
            return;
        }
        let (hue, square) = hues(&self.plane, planes);
        let mut change = Change::none();
        let (mut cover, mut hint) = (Channel::of(1.0), Channel::of(0.0));
        for i in 0..N {
            hint[i] = hinted(square[i], self.reach);
        }
        for m in &self.moves {
            for i in 0..N {
                let b = m.shape.at(hue[i]) * hint[i];
                change.turn[i] += b * m.hue;
                change.factor[i] *= 1.0 + b * (m.saturation - 1.0);
                change.rise[i] += b * m.brightness;
                cover[i] *= 1.0 - b;
            }
        }
        for i in 0..N {
            change.factor[i] *= 1.0 - (1.0 - self.others) * cover[i];
        }
        self.by_hue(&hue, &hint, &mut change);
        for i in 0..N {
            change.rise[i] *= coloured(square[i], self.reach);
        }
        self.by_strength(planes, &square, &mut change);
        change.apply(&self.plane, planes);
    }

    /// The free points over the hue circle.
    #[inline(always)]
    fn by_hue(&self, hue: &Channel, hint: &Channel, change: &mut Change) {
        if let Some(curve) = &self.hue {
            let mut v = *hue;
            curve.on_places(&mut v);
            for i in 0..N {
                change.turn[i] += hint[i] * v[i];
            }
        }
        if let Some(curve) = &self.saturation {
            let mut v = *hue;
            curve.on_places(&mut v);
            for i in 0..N {
                change.factor[i] *= 1.0 + hint[i] * (v[i] - 1.0);
            }
        }
        if let Some(curve) = &self.brightness {
            let mut v = *hue;
            curve.on_places(&mut v);
            for i in 0..N {
                change.rise[i] += v[i] / self.axis.scale;
            }
        }
    }

    /// Saturation by brightness and by saturation.
    #[inline(always)]
    fn by_strength(&self, planes: &Planes, square: &Channel, change: &mut Change) {
        if let Some(curve) = &self.by_brightness {
            let mut v = self.plane.luma_plane(planes);
            for place in &mut v {
                *place = self.axis.place(*place);
            }
            curve.on_places(&mut v);
            for i in 0..N {
                change.factor[i] *= v[i].max(0.0);
            }
        }
        if let Some(curve) = &self.by_saturation {
            let mut v = *square;
            for place in &mut v {
                *place = place.sqrt() / self.reach;
            }
            curve.on_places(&mut v);
            for i in 0..N {
                change.factor[i] *= v[i].max(0.0);
            }
        }
    }

    /// What the bumps and free points do at a hue: degrees, factor, rise on the tonal axis. For drawing.
    pub fn drawn(&self, hue: f32) -> [f32; 3] {
        let mut planes = Change::none();
        let mut cover = 1.0;
        for m in &self.moves {
            let b = m.shape.at(hue);
            planes.turn[0] += b * m.hue;
            planes.factor[0] *= 1.0 + b * (m.saturation - 1.0);
            planes.rise[0] += b * m.brightness;
            cover *= 1.0 - b;
        }
        planes.factor[0] *= 1.0 - (1.0 - self.others) * cover;
        self.by_hue(&Channel::of(hue), &Channel::of(1.0), &mut planes);
        [planes.turn[0], planes.factor[0], planes.rise[0] * self.axis.scale]
    }
}

/// The bump that covers the hues of some code values of a zone: its centre in their middle, its edges where a twelfth
/// of their saturation lies outside, at least 8 degrees away. `None` where nothing has a hue.
pub fn bump_over(pixels: &[[f32; 4]], zone: Zone) -> Option<Bump> {
    let plane = super::plane_of(zone);
    let reach = f64::from(saturation_reach(zone));
    let seen: Vec<(f64, f64)> = pixels
        .iter()
        .map(|p| plane.split([p[0], p[1], p[2]]))
        .map(|(_, cb, cr)| (f64::from(cb), f64::from(cr)))
        .filter(|(cb, cr)| cb.hypot(*cr) > 0.01 * reach)
        .collect();
    let (centre, low, high) = spread(&seen, 1.0 / 12.0)?;
    let reach = |v: f64| (v.abs() + 6.0).clamp(8.0, 60.0).round();
    let (down, up) = (reach(low), reach(high));
    let softness = ((down + up) / 2.0).clamp(12.0, 40.0).round();
    Some(Bump { centre: centre.round() % 360.0, down, up, softness, ..Default::default() })
}

impl Kind for HueCurves {
    const INFO: KindInfo = KindInfo {
        kind: "hue-curves",
        title: "Hue curves",
        purpose: "Hue, saturation and brightness by hue; saturation by brightness and by saturation",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Encoded,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = HueCurvesKernel;

    fn work(&self, site: &Site) -> Option<Self::Kernel> {
        Some(self.kernel(site.zone))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::plane::{hue_of, polar};
    use proptest::prelude::*;

    fn colour(zone: Zone, y: f32, hue: f64, amount: f64) -> [f32; 3] {
        let (cb, cr) = polar(hue, amount);
        super::super::plane_of(zone).join(y, cb as f32, cr as f32)
    }

    fn run(v: &HueCurves, zone: Zone, rgb: [f32; 3]) -> (f32, f64, f64) {
        let mut p = rgb.map(Channel::of);
        v.kernel(zone).run(&mut p);
        let (y, cb, cr) = super::super::plane_of(zone).split([p[0][0], p[1][0], p[2][0]]);
        (y, hue_of(f64::from(cb), f64::from(cr)), f64::from(cb.hypot(cr)))
    }

    fn one(bump: Bump) -> HueCurves {
        HueCurves { bumps: vec![bump], ..Default::default() }
    }

    #[test]
    fn a_bump_turns_its_own_hue_keeps_luma_and_leaves_others_alone() {
        let v = one(Bump { centre: 200.0, hue: 30.0, ..Default::default() });
        let (y, hue, amount) = run(&v, Zone::Screen, colour(Zone::Screen, 0.4, 200.0, 0.15));
        assert!((hue - 230.0).abs() < 0.02 && (y - 0.4).abs() < 1e-6 && (amount - 0.15).abs() < 1e-6);
        let (_, hue, _) = run(&v, Zone::Screen, colour(Zone::Screen, 0.4, 300.0, 0.1));
        assert!((hue - 300.0).abs() < 0.02, "{hue}");
    }

    #[test]
    fn at_its_reach_a_bump_is_half_as_strong_on_both_sides_across_the_wrap() {
        let shape = Shape::new(5.0, 20.0, 40.0, 16.0);
        for (hue, want) in [(5.0, 1.0), (345.0, 0.5), (45.0, 0.5), (336.5, 0.0), (53.5, 0.0), (355.0, 1.0)] {
            assert!((shape.at(hue) - want).abs() < 1e-5, "{hue}: {}", shape.at(hue));
        }
    }

    proptest! {
        #[test]
        fn a_shape_never_jumps_on_the_circle(
            centre in 0.0..360.0_f64, down in 4.0..170.0_f64, up in 4.0..170.0_f64, softness in 4.0..120.0_f64,
            at in 0.0..360.0_f32,
        ) {
            let shape = Shape::new(centre, down, up, softness);
            let next = (at + 0.001) % 360.0;
            prop_assert!((shape.at(at) - shape.at(next)).abs() < 1e-3, "{shape:?} at {at}");
        }
    }

    #[test]
    fn one_colour_kept_drains_all_others() {
        let v = HueCurves { others: 0.0, ..one(Bump { centre: 110.0, ..Default::default() }) };
        let (_, _, kept) = run(&v, Zone::Scene, colour(Zone::Scene, 0.4, 112.0, 0.05));
        let (_, _, drained) = run(&v, Zone::Scene, colour(Zone::Scene, 0.4, 230.0, 0.05));
        assert!((kept - 0.05).abs() < 1e-6 && drained < 1e-6, "{kept} {drained}");
    }

    #[test]
    fn neutrals_stay_neutral_and_take_no_brightness_of_a_hue() {
        let v = HueCurves {
            hue: vec![[0.0, 90.0], [180.0, -90.0]],
            brightness: vec![[0.0, 2.0]],
            saturation: vec![[0.0, 3.0]],
            ..Default::default()
        };
        let mut p: Planes = [Channel::of(0.41); 3];
        v.kernel(Zone::Scene).run(&mut p);
        assert!(p.iter().all(|plane| (plane[0] - 0.41).abs() < 1e-6));
    }

    #[test]
    fn saturation_by_brightness_and_by_saturation_act_where_they_say() {
        let dark = HueCurves { by_brightness: vec![[-4.0, 0.0], [-2.0, 1.0]], ..Default::default() };
        let axis = Axis::of(Zone::Scene);
        let (_, _, drained) = run(&dark, Zone::Scene, colour(Zone::Scene, axis.code(-5.0), 40.0, 0.02));
        let (_, _, kept) = run(&dark, Zone::Scene, colour(Zone::Scene, axis.code(0.0), 40.0, 0.02));
        assert!(drained < 1e-6 && (kept - 0.02).abs() < 1e-6);
        let tame = HueCurves { by_saturation: vec![[0.2, 1.0], [0.6, 0.5]], ..Default::default() };
        let (_, _, strong) = run(&tame, Zone::Screen, colour(Zone::Screen, 0.4, 40.0, 0.4));
        assert!((strong - 0.2).abs() < 1e-6, "{strong}");
    }

    #[test]
    fn the_bump_over_a_patch_has_its_hue_in_the_middle() {
        let patch: Vec<[f32; 4]> = (0..100)
            .map(|i| colour(Zone::Scene, 0.4, 350.0 + f64::from(i) * 0.2, 0.05))
            .map(|[r, g, b]| [r, g, b, 1.0])
            .collect();
        let bump = bump_over(&patch, Zone::Scene).unwrap();
        assert_eq!(bump.centre, 0.0, "{bump:?}");
        assert!((13.0..17.0).contains(&bump.down) && (13.0..17.0).contains(&bump.up), "{bump:?}");
        assert_eq!(bump_over(&[[0.3, 0.3, 0.3, 1.0]], Zone::Scene), None);
    }
}
