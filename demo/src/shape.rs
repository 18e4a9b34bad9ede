//! Triangle meshes from functions: surfaces, boxes, lathes, tubes, leaves.

use crate::vector::{V3, v};

/// A triangle with smooth normals and painted corners.
#[derive(Clone, Copy)]
pub struct Triangle {
    pub p: [V3; 3],
    pub n: [V3; 3],
    /// Paint at the corners, linear AP1 reflectance; multiplies the material's own.
    pub c: [V3; 3],
    pub material: u16,
}

/// A growing pile of triangles.
#[derive(Default)]
pub struct Pile {
    pub triangles: Vec<Triangle>,
}

/// Where a shape stands: turned about the vertical, scaled, then moved.
#[derive(Clone, Copy)]
pub struct Place {
    pub at: V3,
    pub scale: f32,
    pub turn: f32,
    /// Leaning to the side, degrees about the depth axis, before the turn.
    pub lean: f32,
}

impl Place {
    pub fn at(at: V3) -> Self {
        Self { at, scale: 1.0, turn: 0.0, lean: 0.0 }
    }

    pub fn scaled(self, scale: f32) -> Self {
        Self { scale, ..self }
    }

    pub fn turned(self, turn: f32) -> Self {
        Self { turn, ..self }
    }

    pub fn leaning(self, lean: f32) -> Self {
        Self { lean, ..self }
    }

    pub fn put(&self, p: V3) -> V3 {
        self.face(p) * self.scale + self.at
    }

    /// A direction of the shape's own, as it stands.
    pub fn face(&self, p: V3) -> V3 {
        let (s, c) = self.lean.to_radians().sin_cos();
        v(p.0[0] * c - p.0[1] * s, p.0[0] * s + p.0[1] * c, p.0[2]).turned(self.turn)
    }

    /// The other way: a direction of the set as one of the shape's own.
    pub fn own(&self, d: V3) -> V3 {
        if self.turn == 0.0 && self.lean == 0.0 {
            return d;
        }
        let p = d.turned(-self.turn);
        let (s, c) = self.lean.to_radians().sin_cos();
        v(p.0[0] * c + p.0[1] * s, p.0[1] * c - p.0[0] * s, p.0[2])
    }
}

const WHITE: V3 = v(1.0, 1.0, 1.0);

impl Pile {
    /// A surface over u, v in 0..1, with a paint for each point (given u, v and the local place).
    pub fn surface(
        &mut self,
        [nu, nv]: [usize; 2],
        material: u16,
        place: Place,
        shape: impl Fn(f32, f32) -> V3,
        paint: impl Fn(f32, f32, V3) -> V3,
    ) {
        let at = |i: usize, j: usize| (i as f32 / nu as f32, j as f32 / nv as f32);
        let mut points = Vec::with_capacity((nu + 1) * (nv + 1));
        for j in 0..=nv {
            for i in 0..=nu {
                let (a, b) = at(i, j);
                let local = shape(a, b);
                // Normals from differences inside the surface, which also serve its poles.
                let (d, a0, b0) = (1e-3, a.clamp(2e-3, 0.998), b.clamp(2e-3, 0.998));
                let du = place.put(shape(a0 + d, b0)) - place.put(shape(a0 - d, b0));
                let dv = place.put(shape(a0, b0 + d)) - place.put(shape(a0, b0 - d));
                points.push((place.put(local), du.cross(dv).unit(), paint(a, b, local)));
            }
        }
        for j in 0..nv {
            for i in 0..nu {
                let k = |i: usize, j: usize| points[j * (nu + 1) + i];
                let q = [k(i, j), k(i + 1, j), k(i + 1, j + 1), k(i, j + 1)];
                self.push(material, [q[0], q[1], q[2]]);
                self.push(material, [q[0], q[2], q[3]]);
            }
        }
    }

    fn push(&mut self, material: u16, q: [(V3, V3, V3); 3]) {
        let area = (q[1].0 - q[0].0).cross(q[2].0 - q[0].0).length();
        if area > 1e-12 {
            self.triangles.push(Triangle {
                p: q.map(|x| x.0),
                n: q.map(|x| x.1),
                c: q.map(|x| x.2),
                material,
            });
        }
    }

    /// A flat four-sided face.
    pub fn face(&mut self, material: u16, place: Place, q: [V3; 4], paint: V3) {
        let q = q.map(|p| place.put(p));
        let n = (q[1] - q[0]).cross(q[2] - q[0]).unit();
        self.push(material, [q[0], q[1], q[2]].map(|p| (p, n, paint)));
        self.push(material, [q[0], q[2], q[3]].map(|p| (p, n, paint)));
    }

    /// A box by its half sizes.
    pub fn block(&mut self, material: u16, place: Place, half: V3, paint: V3) {
        let [x, y, z] = half.0;
        let c = |a: f32, b: f32, c: f32| v(a * x, b * y, c * z);
        for s in [-1.0, 1.0] {
            self.face(material, place, [c(s, -1., -1.), c(s, 1., -1.), c(s, 1., 1.), c(s, -1., 1.)], paint);
            self.face(material, place, [c(-1., s, -1.), c(1., s, -1.), c(1., s, 1.), c(-1., s, 1.)], paint);
            self.face(material, place, [c(-1., -1., s), c(1., -1., s), c(1., 1., s), c(-1., 1., s)], paint);
        }
    }

    /// An ellipsoid.
    pub fn ball(&mut self, material: u16, place: Place, radii: V3, paint: V3) {
        self.surface([32, 20], material, place, |a, b| globe(a, b) * radii, |_, _, _| paint);
    }

    /// A body of revolution about the vertical through `profile`: radius and height, from top to bottom or
    /// bottom to top.
    pub fn lathe(&mut self, material: u16, place: Place, profile: &[(f32, f32)], paint: V3) {
        let shape = |a: f32, b: f32| {
            let (r, y) = along(profile, b);
            let (s, c) = (a * std::f32::consts::TAU).sin_cos();
            v(r * c, y, r * s)
        };
        self.surface([28, profile.len() * 5], material, place, shape, |_, _, _| paint);
    }

    /// A tube of a radius through points.
    pub fn tube(&mut self, material: u16, place: Place, points: &[V3], radius: f32, paint: V3) {
        let shape = |a: f32, b: f32| {
            let (p, dir) = bend(points, b);
            let (t, u) = dir.frame();
            let (s, c) = (a * std::f32::consts::TAU).sin_cos();
            p + (t * c + u * s) * radius
        };
        self.surface([8, points.len() * 6], material, place, shape, |_, _, _| paint);
    }
}

/// The unit sphere: `a` around, `b` from the top down.
pub fn globe(a: f32, b: f32) -> V3 {
    let (s, c) = (a * std::f32::consts::TAU).sin_cos();
    let (sb, cb) = (b * std::f32::consts::PI).sin_cos();
    v(s * sb, cb, c * sb)
}

fn along(profile: &[(f32, f32)], t: f32) -> (f32, f32) {
    let x = t * (profile.len() - 1) as f32;
    let i = (x as usize).min(profile.len() - 2);
    let (f, a, b) = (x - i as f32, profile[i], profile[i + 1]);
    // A little rounding at the corners of the profile.
    let f = f + 0.35 * (f * f * (3.0 - 2.0 * f) - f);
    (a.0 + (b.0 - a.0) * f, a.1 + (b.1 - a.1) * f)
}

/// A place and direction on the smooth line through points (Catmull-Rom).
pub fn bend(points: &[V3], t: f32) -> (V3, V3) {
    let n = points.len();
    let x = t.clamp(0.0, 1.0) * (n - 1) as f32;
    let i = (x as usize).min(n - 2);
    let f = x - i as f32;
    let p = |k: isize| points[(i as isize + k).clamp(0, n as isize - 1) as usize];
    let (a, b, c, d) = (p(-1), p(0), p(1), p(2));
    let (m0, m1) = ((c - a) * 0.5, (d - b) * 0.5);
    let (f2, f3) = (f * f, f * f * f);
    let at = b * (2.0 * f3 - 3.0 * f2 + 1.0)
        + m0 * (f3 - 2.0 * f2 + f)
        + c * (3.0 * f2 - 2.0 * f3)
        + m1 * (f3 - f2);
    let dir = b * (6.0 * f2 - 6.0 * f)
        + m0 * (3.0 * f2 - 4.0 * f + 1.0)
        + c * (6.0 * f - 6.0 * f2)
        + m1 * (3.0 * f2 - 2.0 * f);
    (at, dir.unit())
}

/// Unpainted.
pub const PLAIN: V3 = WHITE;
