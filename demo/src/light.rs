//! Materials, lamps, and the path tracer that follows light through a set.

use crate::shape::{Pile, Triangle};
use crate::tree::Tree;
use crate::vector::{Dice, V3, noise, splat, v};
use rayon::prelude::*;
use std::f32::consts::{PI, TAU};

/// What a surface does with light. Reflectances are linear AP1.
#[derive(Clone, Copy)]
pub enum Finish {
    /// Matte.
    Matte,
    /// Matte under a clear coat of index 1.5 with a roughness.
    Coat(f32),
    /// Metal with a roughness.
    Metal(f32),
    /// A thin pane: passes light straight through, tinted, and mirrors a little.
    Pane,
    /// A thin leaf: half of what is not absorbed goes through, diffused and tinted by the triple.
    Leaf(V3),
    /// A lamp: its paint is its radiance.
    Lamp,
}

/// A material.
#[derive(Clone, Copy)]
pub struct Material {
    pub finish: Finish,
    pub colour: V3,
    /// Paint that changes over space; multiplies `colour`.
    pub texture: Option<fn(V3) -> V3>,
    /// Height of its bumps over their size, and bumps a unit.
    pub bumps: [f32; 2],
}

impl Material {
    pub fn new(finish: Finish, colour: V3) -> Self {
        Self { finish, colour, texture: None, bumps: [0.0, 1.0] }
    }

    pub fn textured(self, texture: fn(V3) -> V3) -> Self {
        Self { texture: Some(texture), ..self }
    }

    pub fn bumpy(self, height: f32, frequency: f32) -> Self {
        Self { bumps: [height, frequency], ..self }
    }
}

/// Everything in front of the camera, before the tree is built.
pub struct Stage {
    pub pile: Pile,
    pub materials: Vec<Material>,
    pub camera: Camera,
    /// Radiance of the sky in a direction.
    pub sky: fn(V3) -> V3,
    /// A distant lamp: direction toward it, irradiance square on, and its angular radius.
    pub sun: Option<(V3, V3, f32)>,
    /// Density of haze, a unit of length, and the light it scatters.
    pub haze: (f32, V3),
    /// How much more light lamps cast than they show: the dimmed practical with a film lamp hidden in it.
    pub cast: f32,
}

/// A thin-lens camera.
#[derive(Clone, Copy)]
pub struct Camera {
    pub from: V3,
    pub to: V3,
    /// Width of what is seen at distance 1.
    pub width: f32,
    /// Radius of the lens, and the distance in focus.
    pub lens: f32,
    pub focus: f32,
    /// Gain from radiance to scene-linear picture values.
    pub exposure: f32,
}

impl Stage {
    pub fn new(camera: Camera) -> Self {
        Self {
            pile: Pile::default(),
            materials: Vec::new(),
            camera,
            sky: |_| splat(0.0),
            sun: None,
            haze: (0.0, splat(0.0)),
            cast: 1.0,
        }
    }

    /// Adds a material and gives its number.
    pub fn material(&mut self, m: Material) -> u16 {
        self.materials.push(m);
        (self.materials.len() - 1) as u16
    }
}

/// A stage ready to be seen.
pub struct Set {
    tree: Tree,
    materials: Vec<Material>,
    lamps: Vec<(usize, f32)>,
    camera: Camera,
    sky: fn(V3) -> V3,
    sun: Option<(V3, V3, f32)>,
    haze: (f32, V3),
    cast: f32,
}

/// The most radiance that a path may bring home after its first bounce: rarer, brighter paths are noise.
const GLARE: f32 = 12.0;
const BOUNCES: usize = 6;

impl Set {
    pub fn new(stage: Stage) -> Self {
        let tree = Tree::new(stage.pile.triangles);
        let mut sum = 0.0;
        let mut lamps = Vec::new();
        for (i, t) in tree.triangles.iter().enumerate() {
            let m = &stage.materials[t.material as usize];
            if matches!(m.finish, Finish::Lamp) {
                let power = (m.colour * t.c[0]).max() * (t.p[1] - t.p[0]).cross(t.p[2] - t.p[0]).length();
                sum += power.max(1e-9);
                lamps.push((i, sum));
            }
        }
        for lamp in &mut lamps {
            lamp.1 /= sum;
        }
        Self {
            tree,
            materials: stage.materials,
            lamps,
            camera: stage.camera,
            sky: stage.sky,
            sun: stage.sun,
            haze: stage.haze,
            cast: stage.cast,
        }
    }

    /// The picture in linear AP1, rows from the top, with `samples` paths a pixel.
    pub fn picture(
        &self,
        width: usize,
        height: usize,
        samples: usize,
        progress: impl Fn() + Sync,
    ) -> Vec<[f32; 4]> {
        (0..height)
            .into_par_iter()
            .flat_map_iter(|y| {
                progress();
                (0..width).map(move |x| {
                    let mut sum = splat(0.0);
                    for s in 0..samples {
                        let mut dice = Dice::new(((y * width + x) as u64) << 16 | s as u64);
                        sum += self.sample(x, y, width, height, (s, samples), &mut dice);
                    }
                    let [r, g, b] = (sum * (self.camera.exposure / samples as f32)).0;
                    [r, g, b, 1.0]
                })
            })
            .collect()
    }

    fn sample(
        &self,
        x: usize,
        y: usize,
        width: usize,
        height: usize,
        (s, n): (usize, usize),
        dice: &mut Dice,
    ) -> V3 {
        let c = &self.camera;
        let ahead = (c.to - c.from).unit();
        let right = ahead.cross(v(0.0, 1.0, 0.0)).unit();
        let up = right.cross(ahead);
        // Stratified over the pixel, with a soft filter a little wider than it.
        let side = (n as f32).sqrt().floor().max(1.0);
        let (cx, cy) =
            ((s as f32 % side + dice.roll()) / side, ((s as f32 / side).floor() + dice.roll()) / side);
        let tent = |t: f32| {
            let t = 2.0 * t.clamp(0.0, 0.999_999);
            if t < 1.0 { t.sqrt() - 1.0 } else { 1.0 - (2.0 - t).sqrt() }
        };
        let px = (x as f32 + 0.5 + 0.9 * tent(cx)) / width as f32 - 0.5;
        let py = 0.5 * height as f32 / width as f32 - (y as f32 + 0.5 + 0.9 * tent(cy)) / width as f32;
        let aim = ahead + right * (px * c.width) + up * (py * c.width);
        let (r, a) = (c.lens * dice.roll().sqrt(), TAU * dice.roll());
        let shift = right * (r * a.cos()) + up * (r * a.sin());
        self.follow(c.from + shift, (aim * c.focus - shift).unit(), dice)
    }

    fn follow(&self, from: V3, dir: V3, dice: &mut Dice) -> V3 {
        let (mut from, mut dir) = (from, dir);
        let (mut through, mut seen) = (splat(1.0), splat(0.0));
        // Lamps met by chance count only where they were not asked for directly before.
        let mut mirror = true;
        for bounce in 0..BOUNCES {
            let hit = self.tree.nearest(from, dir, 1e-4, f32::INFINITY);
            let far = hit.map_or(60.0, |h| h.distance);
            if self.haze.0 > 0.0 {
                let clear = (-self.haze.0 * far).exp();
                seen += through * self.haze.1 * (1.0 - clear);
                through = through * clear;
            }
            let Some(hit) = hit else {
                let sky = (self.sky)(dir);
                return seen + through * if bounce == 0 { sky } else { sky.map(|x| x.min(GLARE)) };
            };
            let t = &self.tree.triangles[hit.triangle];
            let m = &self.materials[t.material as usize];
            let at = from + dir * hit.distance;
            let colour = paint(m, t, hit.uv, at);
            if matches!(m.finish, Finish::Lamp) {
                let light = if bounce == 0 { colour } else { colour.map(|x| x.min(GLARE)) };
                return if mirror { seen + through * light } else { seen };
            }
            let n = normal(m, t, hit.uv, at, dir);
            match scatter(m, colour, n, dir, dice) {
                Bounce::Straight(tint) => through = through * tint,
                Bounce::Mirror(d, tint) => {
                    dir = d;
                    through = through * tint;
                    mirror = true;
                }
                Bounce::Matte(d, tint, side) => {
                    let lit = self.lamps_at(at + side * 1e-3, side, dice) * tint * (1.0 / PI);
                    let lit = if bounce == 0 { lit } else { lit.map(|x| x.min(GLARE)) };
                    seen += through * lit;
                    dir = d;
                    through = through * tint;
                    mirror = false;
                    from = at + side * 1e-4;
                    if !survive(&mut through, bounce, dice) {
                        return seen;
                    }
                    continue;
                }
            }
            from = at + dir * 1e-4;
        }
        seen
    }

    /// Irradiance from one lamp chosen by power, and the sun, at a place with a normal.
    fn lamps_at(&self, at: V3, n: V3, dice: &mut Dice) -> V3 {
        let mut light = splat(0.0);
        if let Some((to, strength, radius)) = self.sun {
            let (t, u) = to.frame();
            let (r, a) = (radius * dice.roll().sqrt(), TAU * dice.roll());
            let d = (to + t * (r * a.cos()) + u * (r * a.sin())).unit();
            let cos = n.dot(d);
            if cos > 0.0 {
                light += strength * cos * self.clear(at, d, f32::INFINITY);
            }
        }
        if self.lamps.is_empty() {
            return light;
        }
        // Sixteen lamps drawn by power, one kept by what it would give here unshadowed (resampled importance
        // sampling): one shadow ray does the work of many.
        const DRAWS: usize = 16;
        let (mut sum, mut kept) = (0.0, None);
        for _ in 0..DRAWS {
            if let Some((light, d, distance)) = self.draw_lamp(at, n, dice) {
                let weight = light.max();
                sum += weight;
                if dice.roll() * sum < weight {
                    kept = Some((light * (1.0 / weight), d, distance));
                }
            }
        }
        let Some((colour, d, distance)) = kept else { return light };
        light + colour * (sum * self.cast / DRAWS as f32) * self.clear(at, d, distance - 2e-3)
    }

    /// A point on a lamp drawn by power: its unshadowed irradiance over its density, its direction and distance.
    fn draw_lamp(&self, at: V3, n: V3, dice: &mut Dice) -> Option<(V3, V3, f32)> {
        let pick = dice.roll();
        let k = self.lamps.partition_point(|l| l.1 < pick).min(self.lamps.len() - 1);
        let share = self.lamps[k].1 - if k > 0 { self.lamps[k - 1].1 } else { 0.0 };
        let t = &self.tree.triangles[self.lamps[k].0];
        let (mut a, mut b) = (dice.roll(), dice.roll());
        if a + b > 1.0 {
            (a, b) = (1.0 - a, 1.0 - b);
        }
        let (e1, e2) = (t.p[1] - t.p[0], t.p[2] - t.p[0]);
        let to = t.p[0] + e1 * a + e2 * b - at;
        let distance = to.length();
        let d = to * (1.0 / distance);
        let face = e1.cross(e2);
        let area = face.length() * 0.5;
        let cos = n.dot(d) * face.unit().dot(d).abs();
        // Round lamps shine outward only (normals of a globe point in): their far side is never seen.
        let hidden = t.n[0] != t.n[1] && t.n[0].dot(d) <= 0.0;
        if cos <= 0.0 || share <= 0.0 || hidden {
            return None;
        }
        let m = &self.materials[t.material as usize];
        // Near lamps would make fireflies: the distance counts from a little outside of them.
        let spread = (distance * distance).max(area * 0.5);
        Some((m.colour * t.c[0] * (cos * area / (spread * share)), d, distance))
    }

    /// How much light comes straight through along a ray: panes tint it, all else stops it.
    fn clear(&self, at: V3, dir: V3, far: f32) -> V3 {
        let (mut from, mut left, mut through) = (at, far, splat(1.0));
        for _ in 0..6 {
            let Some(hit) = self.tree.nearest(from, dir, 1e-4, left) else { return through };
            let t = &self.tree.triangles[hit.triangle];
            let m = &self.materials[t.material as usize];
            if !matches!(m.finish, Finish::Pane) {
                return splat(0.0);
            }
            through = through * m.colour;
            from += dir * (hit.distance + 1e-4);
            left -= hit.distance + 1e-4;
        }
        splat(0.0)
    }
}

fn survive(through: &mut V3, bounce: usize, dice: &mut Dice) -> bool {
    if bounce < 2 {
        return true;
    }
    let keep = through.max().clamp(0.05, 0.95);
    *through = *through * (1.0 / keep);
    dice.roll() < keep
}

fn paint(m: &Material, t: &Triangle, [u, w]: [f32; 2], at: V3) -> V3 {
    let own = t.c[0] * (1.0 - u - w) + t.c[1] * u + t.c[2] * w;
    own * m.colour * m.texture.map_or(splat(1.0), |f| f(at))
}

fn normal(m: &Material, t: &Triangle, [u, w]: [f32; 2], at: V3, dir: V3) -> V3 {
    let mut n = (t.n[0] * (1.0 - u - w) + t.n[1] * u + t.n[2] * w).unit();
    let [height, frequency] = m.bumps;
    if height > 0.0 {
        let p = at * frequency;
        let (here, d) = (noise(p), 0.05);
        let slope =
            v(noise(p + v(d, 0., 0.)) - here, noise(p + v(0., d, 0.)) - here, noise(p + v(0., 0., d)) - here);
        n = (n - slope * (height / d)).unit();
    }
    if n.dot(dir) > 0.0 { -n } else { n }
}

enum Bounce {
    /// On through a pane.
    Straight(V3),
    /// Mirrored, more or less sharply.
    Mirror(V3, V3),
    /// Diffused to a side whose normal is given.
    Matte(V3, V3, V3),
}

fn scatter(m: &Material, colour: V3, n: V3, dir: V3, dice: &mut Dice) -> Bounce {
    let facing = (-dir.dot(n)).clamp(0.0, 1.0);
    // Schlick 1994 for index 1.5.
    let gloss = 0.04 + 0.96 * (1.0 - facing).powi(5);
    let matte = |side: V3, tint: V3, dice: &mut Dice| Bounce::Matte(cosine(side, dice), tint, side);
    match m.finish {
        Finish::Matte | Finish::Lamp => matte(n, colour, dice),
        Finish::Coat(rough) if dice.roll() < gloss => Bounce::Mirror(mirror(dir, n, rough, dice), splat(1.0)),
        Finish::Coat(_) => matte(n, colour, dice),
        Finish::Metal(rough) => {
            let tint = colour.lerp(splat(1.0), (1.0 - facing).powi(5));
            Bounce::Mirror(mirror(dir, n, rough, dice), tint)
        }
        Finish::Pane if dice.roll() < gloss * 1.6 => Bounce::Mirror(mirror(dir, n, 0.0, dice), splat(1.0)),
        Finish::Pane => Bounce::Straight(colour),
        Finish::Leaf(_) if dice.roll() < gloss * 0.6 => {
            Bounce::Mirror(mirror(dir, n, 0.25, dice), splat(1.0))
        }
        Finish::Leaf(tint) => {
            if dice.roll() < 0.5 {
                matte(n, colour, dice)
            } else {
                matte(-n, colour * tint, dice)
            }
        }
    }
}

fn mirror(dir: V3, n: V3, rough: f32, dice: &mut Dice) -> V3 {
    let mut h = n;
    if rough > 0.0 {
        // Half vectors of the Trowbridge-Reitz distribution.
        let (a2, r) = (rough.powi(4), dice.roll());
        let cos = ((1.0 - r) / (1.0 + (a2 - 1.0) * r)).sqrt();
        let (sin, turn) = ((1.0 - cos * cos).max(0.0).sqrt(), TAU * dice.roll());
        let (t, u) = n.frame();
        h = t * (sin * turn.cos()) + u * (sin * turn.sin()) + n * cos;
    }
    let d = dir - h * (2.0 * dir.dot(h));
    if d.dot(n) > 0.0 { d } else { d - n * (2.0 * d.dot(n)) }
}

fn cosine(n: V3, dice: &mut Dice) -> V3 {
    let (r, a) = (dice.roll(), TAU * dice.roll());
    let (t, u) = n.frame();
    let s = r.sqrt();
    t * (s * a.cos()) + u * (s * a.sin()) + n * (1.0 - r).max(0.0).sqrt()
}

#[cfg(test)]
mod checks;
