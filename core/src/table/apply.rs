//! Reading a table between its nodes: linear for 1D, tetrahedral for 3D.
//!
//! The scalar function here is the definition; the vector twins in `simd` give the same bits and are tested
//! against it. Tried before and slower on such machines: gathers (17-20 ns a pixel), a plain loop over pixels
//! (38-50 ns); one 128-bit load a corner from padded nodes, in two phases over blocks, takes 4 to 6 ns.

use super::lookup::Lookup;
use super::{Table1, Table3, simd};

/// Which implementation runs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Using {
    /// The fastest that this machine has.
    Fastest,
    /// The plain definition.
    Scalar,
}

impl Table1 {
    /// Looks up RGBA pixels in place.
    pub fn apply(&self, pixels: &mut [[f32; 4]]) {
        let scale = self.domain.scale(self.entries.len());
        for p in pixels {
            for c in 0..3 {
                p[c] = self.at(c, scale[c], p[c]);
            }
        }
    }

    pub(super) fn apply_planes(&self, planes: [&mut [f32]; 3]) {
        let scale = self.domain.scale(self.entries.len());
        for (c, plane) in planes.into_iter().enumerate() {
            plane.iter_mut().for_each(|v| *v = self.at(c, scale[c], *v));
        }
    }

    /// A channel's value; `scale`: entries to a unit.
    fn at(&self, c: usize, scale: f32, v: f32) -> f32 {
        let last = self.entries.len() - 2;
        let t = ((v - self.domain.min[c]) * scale).max(0.0).min((last + 1) as f32);
        let i = (t as usize).min(last);
        let f = t - i as f32;
        let (a, b) = (self.entries[i][c], self.entries[i + 1][c]);
        a + f * (b - a)
    }
}

impl Table3 {
    /// Looks up RGBA pixels in place, on one thread.
    pub fn apply_using(&self, pixels: &mut [[f32; 4]], using: Using) {
        match using {
            Using::Fastest => simd::apply(self, pixels),
            Using::Scalar => Lookup::new(self).apply(pixels),
        }
    }

    /// The table's value at a colour.
    pub fn at(&self, rgb: [f32; 3]) -> [f32; 3] {
        Lookup::new(self).at(rgb)
    }
}
