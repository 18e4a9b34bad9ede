//! The path tracer that follows light through a set.

use crate::dice::Dice;
use crate::lamps::Lamps;
use crate::stage::{Camera, Finish, Material, Sky, Stage};
use crate::surface::{Place, cosine, mirror, mirror_density, paint, survive};
use crate::tree::Tree;
use crate::vector::{V3, splat};
use std::f32::consts::{PI, TAU};

/// A stage ready to be seen.
pub struct Set {
    tree: Tree,
    materials: Vec<Material>,
    lamps: Lamps,
    camera: Camera,
    sky: Sky,
    sun: Option<(V3, V3, f32)>,
    haze: (f32, V3),
    cast: f32,
}

/// What one path through the lens saw, in the parts that are cleaned of noise apart from each other.
#[derive(Clone, Copy, Default)]
pub struct Seen {
    /// Lamps, sky and haze, seen straight: only the place on the lens and in the pixel is by chance.
    pub shine: V3,
    /// What matte paint gives back, and the paint's reflectance: one over the other is smooth.
    pub matte: V3,
    pub paint: V3,
    /// What is mirrored.
    pub gloss: V3,
    pub normal: V3,
    /// One over the distance; 0 where nothing is met.
    pub near: f32,
}

/// The most picture value that light may bring after its first bounce, along one path: rarer, brighter paths are noise.
const GLARE: f32 = 4.0;
const BOUNCES: usize = 6;
/// Points on lamps drawn by power, one kept by what it would give unshadowed (resampled importance sampling): one
/// shadow ray does the work of many. Fewer where light has been diffused before.
const DRAWS: usize = 8;
const DRAWS_LATER: usize = 3;
/// The sun is small: what mirrors it is at least so rough.
const SUN_ROUGH: f32 = 0.05;

impl Set {
    pub fn new(stage: Stage) -> Self {
        let tree = Tree::new(stage.pile.triangles);
        Self {
            lamps: Lamps::new(&tree, &stage.materials),
            tree,
            materials: stage.materials,
            camera: stage.camera,
            sky: stage.sky,
            sun: stage.sun,
            haze: stage.haze,
            cast: stage.cast,
        }
    }

    /// One path: through pixel `x`, `y` of a picture of a size. Of light that was diffused or mirrored only where
    /// `whole`; what is seen straight costs little without it.
    pub fn path(&self, [x, y]: [usize; 2], [w, h]: [usize; 2], whole: bool, dice: &mut Dice) -> Seen {
        let c = &self.camera;
        let [right, up, ahead] = c.axes();
        let [dx, dy] = filter(dice.pair());
        let px = (x as f32 + 0.5 + dx) / w as f32 - 0.5;
        let py = 0.5 * h as f32 / w as f32 - (y as f32 + 0.5 + dy) / w as f32;
        let aim = ahead + right * (px * c.width) + up * (py * c.width);
        let [r, a] = dice.pair();
        let (r, a) = (c.lens * r.sqrt(), TAU * a);
        let shift = right * (r * a.cos()) + up * (r * a.sin());
        let seen = self.look(c.from + shift, (aim * c.focus - shift).unit(), whole, dice);
        let e = c.exposure;
        Seen { shine: seen.shine * e, matte: seen.matte * e, gloss: seen.gloss * e, ..seen }
    }

    fn look(&self, mut from: V3, dir: V3, whole: bool, dice: &mut Dice) -> Seen {
        let (mut through, mut seen) = (splat(1.0), Seen::default());
        for _ in 0..12 {
            let hit = self.tree.nearest(from, dir, 1e-4, f32::INFINITY);
            seen.shine += self.hazed(&mut through, hit.map(|h| h.distance));
            let Some(hit) = hit else {
                seen.shine += through * (self.sky)(dir);
                return seen;
            };
            let t = &self.tree.triangles[hit.triangle];
            let m = &self.materials[t.material as usize];
            let at = from + dir * hit.distance;
            if matches!(m.finish, Finish::Lamp) {
                seen.shine += through * paint(m, t, hit.uv, at);
                return seen;
            }
            let place = Place::new(m, t, hit.uv, at, dir, true);
            let part = place.mirrored(dir);
            if matches!(m.finish, Finish::Pane) {
                if whole {
                    seen.gloss += through * part * self.mirrored(&place, dir, part, dice);
                }
                through = through * place.colour * (splat(1.0) - part);
                from = at + dir * 1e-4;
                continue;
            }
            seen.normal = place.normal;
            seen.near = 1.0 / (at - self.camera.from).length().max(1e-3);
            let (side, colour) = diffusing(&place, dice);
            if let Some(colour) = colour {
                seen.paint = through * (splat(1.0) - part) * colour;
            }
            if whole {
                let [matte, gloss] = self.direct(&place, side, Some(dir), DRAWS, dice);
                if colour.is_some() {
                    let lit = matte + self.incoming(at + side * 1e-4, cosine(side, dice.pair()), None, dice);
                    seen.matte = seen.paint * lit;
                }
                if part.max() > 0.0 {
                    seen.gloss += through * part * (gloss + self.mirrored(&place, dir, part, dice));
                }
            }
            return seen;
        }
        seen
    }

    /// What comes out of the mirrored direction, over the share that is mirrored. Dim mirrors are not always asked.
    fn mirrored(&self, place: &Place, dir: V3, part: V3, dice: &mut Dice) -> V3 {
        let rough = place.rough();
        let dim = rough > 0.12 || matches!(place.finish, Finish::Pane);
        let ask = if dim { (part.max() * 4.0).clamp(0.25, 1.0) } else { 1.0 };
        if ask < 1.0 && dice.roll() >= ask {
            return splat(0.0);
        }
        let d = mirror(dir, place.normal, rough, dice.pair());
        let density = if rough > 0.0 { mirror_density(dir, place.normal, rough, d) } else { f32::INFINITY };
        self.incoming(place.at + d * 1e-4, d, Some(density), dice) * (1.0 / ask)
    }

    /// Takes the haze of a stretch out of what comes through, and gives the light it adds.
    fn hazed(&self, through: &mut V3, distance: Option<f32>) -> V3 {
        let (thick, glow) = self.haze;
        if thick <= 0.0 {
            return splat(0.0);
        }
        let clear = (-thick * distance.unwrap_or(60.0)).exp();
        let added = *through * glow * (1.0 - clear);
        *through = *through * clear;
        added
    }

    /// Light that arrives along a ray which has bounced once. A lamp at its end, also behind panes, counts by `lamps`:
    /// against the density that the ray was drawn with, wholly where that is infinite, or not at all where lamps were
    /// asked for directly.
    fn incoming(&self, from: V3, dir: V3, lamps: Option<f32>, dice: &mut Dice) -> V3 {
        let (mut from, mut dir, mut lamps) = (from, dir, lamps);
        let (mut through, mut seen, mut far) = (splat(1.0), splat(0.0), 0.0);
        let most = GLARE / self.camera.exposure;
        let capped = |light: V3| light.map(|x| x.min(most));
        for bounce in 1..BOUNCES {
            let hit = self.tree.nearest(from, dir, 1e-4, f32::INFINITY);
            seen += self.hazed(&mut through, hit.map(|h| h.distance));
            let Some(hit) = hit else { return seen + capped(through * (self.sky)(dir)) };
            let t = &self.tree.triangles[hit.triangle];
            let m = &self.materials[t.material as usize];
            let at = from + dir * hit.distance;
            if matches!(m.finish, Finish::Lamp) {
                let light = through * paint(m, t, hit.uv, at);
                return match lamps {
                    None => seen,
                    Some(density) if density < f32::INFINITY => {
                        seen + light * self.by_chance(density, hit.triangle, dir, far + hit.distance)
                    }
                    Some(_) if bounce == 1 => seen + light,
                    Some(_) => seen + capped(light),
                };
            }
            let place = Place::new(m, t, hit.uv, at, dir, false);
            let part = place.mirrored(dir);
            let metal = matches!(m.finish, Finish::Metal(_));
            if metal || (part.max() > 0.0 && dice.roll() < part.max()) {
                if metal {
                    through = through * part;
                }
                dir = mirror(dir, place.normal, place.rough(), dice.pair());
                from = at + dir * 1e-4;
                lamps = Some(f32::INFINITY);
                continue;
            }
            if matches!(m.finish, Finish::Pane) {
                through = through * place.colour;
                from = at + dir * 1e-4;
                far += hit.distance;
                continue;
            }
            let (side, colour) = diffusing(&place, dice);
            through = through * colour.unwrap_or(splat(0.0));
            let [lit, _] = self.direct(&place, side, None, DRAWS_LATER, dice);
            seen += capped(through * lit);
            dir = cosine(side, dice.pair());
            from = at + side * 1e-4;
            lamps = None;
            if !survive(&mut through, dice) {
                return seen;
            }
        }
        seen
    }

    /// The weight of a lamp that a mirrored ray met by chance, where it might have been drawn too (balance heuristic).
    fn by_chance(&self, density: f32, triangle: usize, dir: V3, distance: f32) -> f32 {
        let drawn = self.lamps.density(triangle, distance, dir);
        density / (density + DRAWS as f32 * drawn)
    }

    /// Light of the lamps and the sun at a place: what matte paint there makes of it over its reflectance, and, where
    /// it is looked at along `seen`, what its coat mirrors over its mirrored share.
    fn direct(&self, p: &Place, side: V3, seen: Option<V3>, draws: usize, dice: &mut Dice) -> [V3; 2] {
        let at = p.at + side * 1e-3;
        let rough = p.rough();
        let seen = seen.filter(|_| rough > 0.0);
        let coat = |rough: f32, d: V3| seen.map_or(0.0, |dir| mirror_density(dir, p.normal, rough, d));
        let mut light = [splat(0.0); 2];
        if let Some((to, strength, radius)) = self.sun {
            let (t, u) = to.frame();
            let [r, a] = dice.pair();
            let (r, a) = (radius * r.sqrt(), TAU * a);
            let d = (to + t * (r * a.cos()) + u * (r * a.sin())).unit();
            let cos = side.dot(d);
            if cos > 0.0 {
                let clear = strength * self.clear(at, d, f32::INFINITY);
                light[0] += clear * (cos / PI);
                light[1] += clear * coat(rough.max(SUN_ROUGH), d);
            }
        }
        if self.lamps.is_empty() {
            return light;
        }
        let mut sum = 0.0;
        let mut kept = None;
        let ([pick, spin], [a, b]) = (dice.pair(), dice.pair());
        // What a coat mirrors counts as much as it is seen: a place's paint against its share of mirrored light.
        let part = seen.map_or(0.0, |dir| p.mirrored(dir).max());
        for k in 0..draws {
            // Evenly over the lamps, and over each (the plastic number's powers: a sequence even in two dimensions).
            let turn = |x: f32, step: f32| (x + step * k as f32).fract();
            let point = [turn(a, 0.754_877_7), turn(b + spin, 0.569_840_3)];
            let Some(drawn) = self.lamps.draw(at, side, (k as f32 + pick) / draws as f32, point) else {
                continue;
            };
            let peak = coat(rough, drawn.to);
            let mirrored = peak / (peak / (draws as f32 * drawn.density) + 1.0);
            let matte = self.cast * drawn.cos / PI;
            let light = drawn.light * (1.0 / drawn.density);
            let weight = light.max() * (matte * p.colour.max() + mirrored * part);
            sum += weight;
            if weight > 0.0 && dice.roll() * sum < weight {
                kept = Some((light * (1.0 / weight), matte, mirrored, drawn.to, drawn.distance));
            }
        }
        if let Some((colour, matte, mirrored, d, distance)) = kept {
            let all = colour * (sum / draws as f32) * self.clear(at, d, distance - 2e-3);
            light[0] += all * matte;
            light[1] += all * mirrored;
        }
        light
    }

    /// How much light comes straight through along a ray: panes tint it, all else stops it.
    fn clear(&self, at: V3, dir: V3, far: f32) -> V3 {
        self.tree.left(at, dir, 1e-4, far, |t| {
            let m = &self.materials[t.material as usize];
            matches!(m.finish, Finish::Pane).then_some(m.colour)
        })
    }
}

/// The side that light is diffused to and the reflectance; a metal diffuses nothing.
fn diffusing(place: &Place, dice: &mut Dice) -> (V3, Option<V3>) {
    match place.finish {
        Finish::Metal(_) => (place.normal, None),
        Finish::Leaf(tint) if dice.roll() < 0.5 => (-place.normal, Some(place.colour * tint)),
        _ => (place.normal, Some(place.colour)),
    }
}

/// Where in and around a pixel a path begins: a Gaussian of 0.45 pixels, cut off at 1.6 (filter importance sampling).
fn filter([r, a]: [f32; 2]) -> [f32; 2] {
    const SIGMA: f32 = 0.45;
    const CUT: f32 = 1.6;
    let inside = 1.0 - (-CUT * CUT / (2.0 * SIGMA * SIGMA)).exp();
    let r = SIGMA * (-2.0 * (1.0 - r * inside).ln()).sqrt();
    let (s, c) = (TAU * a).sin_cos();
    [r * c, r * s]
}

#[cfg(test)]
mod checks;
