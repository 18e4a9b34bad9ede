//! Hue curves: hue, saturation and brightness by hue, saturation by brightness and by saturation.
//!
//! What happens to a hue is said in two ways that add up: free points on periodic curves, and bumps, which have a
//! centre and two edges and so say "this colour" rather than "this place".

use super::{Axis, Zone, curve::Curve, field::CurveRest, field::parameters, saturation_reach};
use crate::colour::plane::{Plane, SKIN_DEGREES};
use crate::lane::{self, N, Planes, select};

/// Ends of brightness by hue, on the tonal axis.
const BRIGHTNESS: [f64; 2] = [-3.0, 3.0];

parameters! {
    /// Curves over the hue circle, and saturation by what a colour is.
    HueCurves {
        /// Colours picked from the picture, each with its own move.
        bumps: "Bumps", Plain, bumps();
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

/// A bump's shape: 1 at its centre, a half at its reach, 0 beyond its softness.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Shape {
    centre: f32,
    /// Where it ends on both sides, and over how many degrees.
    down: [f32; 2],
    up: [f32; 2],
}

impl Shape {
    /// A shape from a centre, its reaches and its softness, in degrees. Reaches are held short of the opposite hue and
    /// softness short of the centre, so that the shape is one piece on the circle.
    pub fn new(centre: f64, down: f64, up: f64, softness: f64) -> Self {
        let side = |reach: f64| {
            let soft = softness.min(2.0 * reach);
            let reach = reach.min(180.0 - soft / 2.0);
            [(reach + soft / 2.0) as f32, soft as f32]
        };
        Self { centre: centre as f32, down: side(down), up: side(up) }
    }

    /// The shape at a hue in degrees, 0..360.
    #[inline(always)]
    pub fn at(&self, hue: f32) -> f32 {
        let d = hue - self.centre;
        let d = d - 360.0 * ((d + 180.0) * (1.0 / 360.0)).floor();
        let end = select(d < 0.0, self.down[0], self.up[0]);
        let soft = select(d < 0.0, self.down[1], self.up[1]);
        let t = ((end - d.abs()) / soft).max(0.0).min(1.0);
        t * t * (3.0 - 2.0 * t)
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
pub struct Kernel {
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

/// The share of the full radius at which a hue's own brightness counts half, and from which on its turn and its factor count
/// in full: below, a colour has too little of a hue for that, and all of them meet in one point. Found by trial: narrower
/// ones crease tables about neutral, where most of a picture lies.
const FAINT: f32 = 0.2;
const HINT: f32 = 0.25;

/// How much of a change of brightness by hue a colour takes, by its squared radius: none at neutral, where a hue is
/// nothing but noise, and nearly all for what people would call a colour.
#[inline(always)]
pub fn coloured(square: f32, reach: f32) -> f32 {
    let faint = FAINT * reach;
    square / (square + faint * faint)
}

/// How much of a turn or a factor by hue a colour takes, by its squared radius: all from [`HINT`] of the full radius on.
#[inline(always)]
pub fn hinted(square: f32, reach: f32) -> f32 {
    lane::smoothstep(0.0, HINT * reach, square.sqrt())
}

impl HueCurves {
    /// The step for a zone.
    pub fn kernel(&self, zone: Zone) -> Kernel {
        let axis = Axis::of(zone);
        let moves = self.bumps.iter().map(|b| Move {
            shape: Shape::new(b.centre, b.down, b.up, b.softness),
            hue: b.hue as f32,
            saturation: b.saturation as f32,
            brightness: b.brightness as f32 / axis.scale,
        });
        Kernel {
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
    pub(super) turn: lane::Plane,
    pub(super) factor: lane::Plane,
    pub(super) rise: lane::Plane,
}

impl Change {
    /// No change.
    pub fn none() -> Self {
        Self { turn: [0.0; N], factor: [1.0; N], rise: [0.0; N] }
    }

    /// Applies it. Luma changes by the rise alone.
    #[inline(always)]
    pub fn apply(&self, plane: &Plane, planes: &mut Planes) {
        let [r, g, b] = planes;
        let (mut sin, mut cos) = ([0.0; N], [0.0; N]);
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

/// Hue in degrees and squared radius of each pixel.
#[inline(always)]
pub fn hues(plane: &Plane, [r, g, b]: &Planes) -> (lane::Plane, lane::Plane) {
    let (mut hue, mut square) = ([0.0; N], [0.0; N]);
    for i in 0..N {
        let (_, cb, cr) = plane.split([r[i], g[i], b[i]]);
        hue[i] = lane::angle_degrees(cb, cr);
        square[i] = cb * cb + cr * cr;
    }
    (hue, square)
}

impl Kernel {
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
        let (mut cover, mut hint) = ([1.0_f32; N], [0.0; N]);
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
    fn by_hue(&self, hue: &lane::Plane, hint: &lane::Plane, change: &mut Change) {
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
    fn by_strength(&self, planes: &Planes, square: &lane::Plane, change: &mut Change) {
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
        self.by_hue(&[hue; N], &[1.0; N], &mut planes);
        [planes.turn[0], planes.factor[0], planes.rise[0] * self.axis.scale]
    }
}

/// Middle and ends of the hues of some points of the plane: the angle of their mean, and how far below and above it
/// `outside` of their saturation lies on either side. Strong colours count for more. `None` where nothing has a hue.
pub fn spread(seen: &[(f64, f64)], outside: f64) -> Option<(f64, f64, f64)> {
    let (x, y) = seen.iter().fold((0.0, 0.0), |(x, y), (cb, cr)| (x + cb, y + cr));
    let centre = crate::colour::plane::hue_of(x, y);
    let away = |(cb, cr): &(f64, f64)| {
        (crate::colour::plane::hue_of(*cb, *cr) - centre + 540.0).rem_euclid(360.0) - 180.0
    };
    let mut weighed: Vec<(f64, f64)> = seen.iter().map(|p| (away(p), p.0.hypot(p.1))).collect();
    let total: f64 = weighed.iter().map(|(_, w)| w).sum();
    if total <= 0.0 {
        return None;
    }
    weighed.sort_by(|a, b| a.0.total_cmp(&b.0));
    let at = |share: f64| {
        let mut sum = 0.0;
        let found = weighed.iter().find(|(_, w)| {
            sum += w;
            sum >= share * total
        });
        found.map_or(0.0, |(away, _)| *away)
    };
    Some((centre, at(outside).min(0.0), at(1.0 - outside).max(0.0)))
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
        let mut p = rgb.map(|v| [v; N]);
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
        let mut p: Planes = [[0.41; N]; 3];
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
