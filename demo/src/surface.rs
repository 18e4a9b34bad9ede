//! How surfaces take light up and give it back.

use crate::dice::Dice;
use crate::shape::Triangle;
use crate::stage::{Finish, Material};
use crate::vector::{V3, noise, splat, v};
use std::f32::consts::{PI, TAU};

/// A place on a surface that a ray met.
pub struct Place {
    pub at: V3,
    /// The normal on the side that was met.
    pub normal: V3,
    /// Reflectance there.
    pub colour: V3,
    pub finish: Finish,
}

impl Place {
    pub fn new(m: &Material, t: &Triangle, uv: [f32; 2], at: V3, dir: V3, bumps: bool) -> Self {
        Self { at, normal: normal(m, t, uv, at, dir, bumps), colour: paint(m, t, uv, at), finish: m.finish }
    }

    /// The share of light that its coat mirrors, seen along `dir`; of a metal, all it does not swallow.
    pub fn mirrored(&self, dir: V3) -> V3 {
        let facing = (-dir.dot(self.normal)).clamp(0.0, 1.0);
        // Schlick 1994 for index 1.5.
        let rim = (1.0 - facing).powi(5);
        let gloss = 0.04 + 0.96 * rim;
        match self.finish {
            Finish::Matte | Finish::Lamp => splat(0.0),
            Finish::Coat(_) => splat(gloss),
            Finish::Metal(_) => self.colour.lerp(splat(1.0), rim),
            Finish::Pane => splat((gloss * 1.6).min(1.0)),
            Finish::Leaf(_) => splat(gloss * 0.6),
        }
    }

    /// Roughness of what mirrors.
    pub fn rough(&self) -> f32 {
        match self.finish {
            Finish::Coat(rough) | Finish::Metal(rough) => rough,
            Finish::Leaf(_) => 0.25,
            Finish::Matte | Finish::Lamp | Finish::Pane => 0.0,
        }
    }
}

pub fn paint(m: &Material, t: &Triangle, [u, w]: [f32; 2], at: V3) -> V3 {
    let own = t.c[0] * (1.0 - u - w) + t.c[1] * u + t.c[2] * w;
    own * m.colour * m.texture.map_or(splat(1.0), |f| f(m.on.own(at - m.on.at)))
}

fn normal(m: &Material, t: &Triangle, [u, w]: [f32; 2], at: V3, dir: V3, bumps: bool) -> V3 {
    let mut n = (t.n[0] * (1.0 - u - w) + t.n[1] * u + t.n[2] * w).unit();
    let [height, frequency] = m.bumps;
    if bumps && height > 0.0 {
        let p = m.on.own(at - m.on.at) * frequency;
        let (here, d) = (noise(p), 0.05);
        let slope =
            v(noise(p + v(d, 0., 0.)) - here, noise(p + v(0., d, 0.)) - here, noise(p + v(0., 0., d)) - here);
        n = (n - m.on.face(slope) * (height / d)).unit();
    }
    if n.dot(dir) > 0.0 { -n } else { n }
}

/// A mirrored direction of a rough surface: half vectors of the distribution of Trowbridge and Reitz 1975.
pub fn mirror(dir: V3, n: V3, rough: f32, [r, turn]: [f32; 2]) -> V3 {
    let mut h = n;
    if rough > 0.0 {
        let a2 = rough.powi(4);
        let cos = ((1.0 - r) / (1.0 + (a2 - 1.0) * r)).sqrt();
        let (sin, turn) = ((1.0 - cos * cos).max(0.0).sqrt(), TAU * turn);
        let (t, u) = n.frame();
        h = t * (sin * turn.cos()) + u * (sin * turn.sin()) + n * cos;
    }
    let d = dir - h * (2.0 * dir.dot(h));
    if d.dot(n) > 0.0 { d } else { d - n * (2.0 * d.dot(n)) }
}

/// How densely [`mirror`] sends directions toward `to`, per steradian. The few per cent that very rough mirrors would send
/// into the surface, and that are turned up again, are not in it.
pub fn mirror_density(dir: V3, n: V3, rough: f32, to: V3) -> f32 {
    let h = (to - dir).unit();
    let (cos, across) = (h.dot(n), h.dot(to));
    if cos <= 0.0 || across <= 1e-4 {
        return 0.0;
    }
    let a2 = rough.powi(4);
    let d = cos * cos * (a2 - 1.0) + 1.0;
    a2 / (PI * d * d) * cos / (4.0 * across)
}

/// A direction to the side of `n`, by the cosine of its angle (Lambert).
pub fn cosine(n: V3, [r, a]: [f32; 2]) -> V3 {
    let a = TAU * a;
    let (t, u) = n.frame();
    let s = r.sqrt();
    t * (s * a.cos()) + u * (s * a.sin()) + n * (1.0 - r).max(0.0).sqrt()
}

/// Whether a path goes on, by how much it still carries; what goes on carries more.
pub fn survive(through: &mut V3, dice: &mut Dice) -> bool {
    let keep = (through.max() * 1.2).clamp(0.05, 0.95);
    *through = *through * (1.0 / keep);
    dice.roll() < keep
}
