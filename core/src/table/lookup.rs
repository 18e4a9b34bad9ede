//! One lookup in a 3D table: the definition.

use super::Table3;

/// A 3D table with the constants of its lookup.
pub(super) struct Lookup<'a> {
    pub(super) table: &'a Table3,
    pub(super) scale: [f32; 3],
    /// Distance in nodes from one point to the next in R, G and B.
    pub(super) stride: [usize; 3],
}

impl<'a> Lookup<'a> {
    pub(super) fn new(table: &'a Table3) -> Self {
        let n = table.size;
        Self { table, scale: table.domain.scale(n), stride: [1, n, n * n] }
    }

    /// Looks up RGBA pixels in place.
    pub(super) fn apply(&self, pixels: &mut [[f32; 4]]) {
        for p in pixels {
            let out = self.at([p[0], p[1], p[2]]);
            p[..3].copy_from_slice(&out);
        }
    }

    /// Tetrahedral interpolation: from the cell's first corner along the axis with the largest fraction, then
    /// the middle one, then the smallest, to its last corner.
    pub(super) fn at(&self, rgb: [f32; 3]) -> [f32; 3] {
        let last = self.table.size - 2;
        let mut base = 0;
        let mut f = [0.0_f32; 3];
        for c in 0..3 {
            // In this order a NaN becomes 0.
            let t = ((rgb[c] - self.table.domain.min[c]) * self.scale[c]).max(0.0).min((last + 1) as f32);
            let i = (t as usize).min(last);
            base += i * self.stride[c];
            f[c] = t - i as f32;
        }
        let [r, g, b] = f;
        let [sr, sg, sb] = self.stride;
        let first = if r >= g && r >= b {
            sr
        } else if g >= b {
            sg
        } else {
            sb
        };
        let least = if b <= r && b <= g {
            sb
        } else if g <= r {
            sg
        } else {
            sr
        };
        let all = sr + sg + sb;
        let high = r.max(g).max(b);
        let low = r.min(g).min(b);
        let middle = r.min(g).max(r.max(g).min(b));
        let w = [1.0 - high, high - middle, middle - low, low];
        let nodes = &self.table.nodes;
        let [p0, p1, p2, p3] =
            [nodes[base], nodes[base + first], nodes[base + all - least], nodes[base + all]];
        [0, 1, 2].map(|c| ((p0[c] * w[0] + p1[c] * w[1]) + p2[c] * w[2]) + p3[c] * w[3])
    }
}
