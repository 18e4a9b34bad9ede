//! Cells of a table that are turned inside out.

use super::Reader;
use crate::colour::Mat3;

/// How much of a table is folded, and how deeply.
pub(super) struct Folds {
    /// Share of cells with a corner determinant below -0.02.
    pub share: f64,
    /// The most negative determinant, negated.
    pub deepest: f64,
}

/// The determinant is that of the three edges of the output at a corner, over the cube of the pitch.
pub(super) fn measure(reader: &Reader<'_>) -> Folds {
    let n = reader.size();
    let cube = reader.cube;
    let scale = ((n - 1) as f64).powi(3);
    let (mut folded, mut cells, mut worst) = (0_usize, 0_usize, 0.0_f64);
    for b in 0..n - 1 {
        for g in 0..n - 1 {
            for r in 0..n - 1 {
                let o = cube.node(r, g, b);
                let edge = |p: [f32; 3]| [0, 1, 2].map(|c| f64::from(p[c] - o[c]));
                let edges = [cube.node(r + 1, g, b), cube.node(r, g + 1, b), cube.node(r, g, b + 1)];
                let det = Mat3(edges.map(edge)).determinant() * scale;
                folded += usize::from(det < -0.02);
                worst = worst.max(-det);
                cells += 1;
            }
        }
    }
    Folds { share: folded as f64 / cells.max(1) as f64, deepest: worst }
}
