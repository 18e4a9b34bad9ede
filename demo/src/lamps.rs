//! The lamps of a set, to be drawn from by power.

use crate::stage::{Finish, Material};
use crate::tree::Tree;
use crate::vector::V3;

/// A lamp's triangle.
#[derive(Clone, Copy)]
pub struct Lamp {
    corner: V3,
    edges: [V3; 2],
    /// Its normal, and what its corners say: round lamps shine outward only.
    face: V3,
    inward: Option<V3>,
    area: f32,
    light: V3,
    /// Its share of all power, and the shares of it and all before it.
    share: f32,
    sum: f32,
    triangle: u32,
}

/// All lamps.
pub struct Lamps {
    all: Vec<Lamp>,
    /// The first lamp whose running sum reaches each of equal steps of 0..1.
    begin: Vec<u32>,
}

/// A point on a lamp as a place sees it.
pub struct Drawn {
    pub light: V3,
    pub to: V3,
    pub distance: f32,
    pub cos: f32,
    /// Per steradian.
    pub density: f32,
}

impl Lamps {
    pub fn new(tree: &Tree, materials: &[Material]) -> Self {
        let mut all = Vec::new();
        let mut sum = 0.0_f64;
        for (i, t) in tree.triangles.iter().enumerate() {
            let m = &materials[t.material as usize];
            if matches!(m.finish, Finish::Lamp) {
                let edges = [t.p[1] - t.p[0], t.p[2] - t.p[0]];
                let face = edges[0].cross(edges[1]);
                let (area, light) = (face.length() * 0.5, m.colour * t.c[0]);
                let share = (light.max() * area).max(1e-9);
                sum += f64::from(share);
                let inward = (t.n[0] != t.n[1]).then_some(t.n[0]);
                let lamp = Lamp {
                    corner: t.p[0],
                    edges,
                    face: face.unit(),
                    inward,
                    area,
                    light,
                    share,
                    sum: 0.0,
                    triangle: i as u32,
                };
                all.push(lamp);
            }
        }
        let mut running = 0.0_f64;
        for lamp in &mut all {
            running += f64::from(lamp.share);
            lamp.share = (f64::from(lamp.share) / sum) as f32;
            lamp.sum = (running / sum) as f32;
        }
        let steps = all.len() * 2;
        let begin =
            (0..steps).map(|k| all.partition_point(|l| l.sum < k as f32 / steps as f32) as u32).collect();
        Self { all, begin }
    }

    pub fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    /// A point, drawn by power, as a place with a normal sees it, where it does.
    pub fn draw(&self, at: V3, n: V3, pick: f32, [mut a, mut b]: [f32; 2]) -> Option<Drawn> {
        let mut k =
            self.begin[((pick * self.begin.len() as f32) as usize).min(self.begin.len() - 1)] as usize;
        while k + 1 < self.all.len() && self.all[k].sum < pick {
            k += 1;
        }
        let lamp = &self.all[k];
        if a + b > 1.0 {
            (a, b) = (1.0 - a, 1.0 - b);
        }
        let to = lamp.corner + lamp.edges[0] * a + lamp.edges[1] * b - at;
        if n.dot(to) <= 0.0 || lamp.inward.is_some_and(|inward| inward.dot(to) <= 0.0) {
            return None;
        }
        let distance = to.length();
        let d = to * (1.0 / distance);
        // Near lamps would make fireflies: the distance counts from a little outside of them.
        let density = lamp.density(distance.max((lamp.area * 0.5).sqrt()), d);
        (density > 0.0).then(|| Drawn { light: lamp.light, to: d, distance, cos: n.dot(d), density })
    }

    /// How densely a lamp's triangle is drawn, per steradian seen from a distance along `dir`.
    pub fn density(&self, triangle: usize, distance: f32, dir: V3) -> f32 {
        match self.all.binary_search_by_key(&(triangle as u32), |l| l.triangle) {
            Ok(k) => self.all[k].density(distance, dir),
            Err(_) => 0.0,
        }
    }
}

impl Lamp {
    fn density(&self, distance: f32, dir: V3) -> f32 {
        self.share * distance * distance / (self.area * self.face.dot(dir).abs()).max(1e-12)
    }
}
