//! Arithmetic on the hue circle: a shape about a hue, how much of a hue a colour has, how widely hues are spread.

use super::plane::Plane;
use crate::numeric::lane::{self, Channel, N, Planes, select};

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

/// Hue in degrees and squared radius of each pixel.
#[inline(always)]
pub fn hues(plane: &Plane, [r, g, b]: &Planes) -> (Channel, Channel) {
    let (mut hue, mut square) = (Channel::of(0.0), Channel::of(0.0));
    for i in 0..N {
        let (_, cb, cr) = plane.split([r[i], g[i], b[i]]);
        hue[i] = lane::angle_degrees(cb, cr);
        square[i] = cb * cb + cr * cr;
    }
    (hue, square)
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
