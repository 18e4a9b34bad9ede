//! 3x3 matrices on colour triples.

use crate::numeric::lane::{N, Planes};

/// A 3x3 matrix in row order that multiplies column triples.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Mat3(pub [[f64; 3]; 3]);

impl Mat3 {
    /// The identity.
    pub const IDENTITY: Self = Self([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]);

    /// A matrix with `d` on its diagonal.
    pub fn diagonal(d: [f64; 3]) -> Self {
        Self([[d[0], 0.0, 0.0], [0.0, d[1], 0.0], [0.0, 0.0, d[2]]])
    }

    /// The matrix applied to a triple.
    pub fn apply(&self, v: [f64; 3]) -> [f64; 3] {
        self.0.map(|row| row[0] * v[0] + row[1] * v[1] + row[2] * v[2])
    }

    /// `self` after `first`: the product self * first.
    pub fn after(&self, first: &Self) -> Self {
        let mut out = [[0.0; 3]; 3];
        for (r, row) in out.iter_mut().enumerate() {
            for (c, v) in row.iter_mut().enumerate() {
                *v = (0..3).map(|k| self.0[r][k] * first.0[k][c]).sum();
            }
        }
        Self(out)
    }

    /// The determinant.
    pub fn determinant(&self) -> f64 {
        let m = &self.0;
        m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) - m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0])
            + m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0])
    }

    /// The inverse. `None` for a singular matrix.
    pub fn inverse(&self) -> Option<Self> {
        let det = self.determinant();
        if det == 0.0 || !det.is_finite() {
            return None;
        }
        let m = &self.0;
        let cofactor = |r: usize, c: usize| {
            let (r1, r2) = ((r + 1) % 3, (r + 2) % 3);
            let (c1, c2) = ((c + 1) % 3, (c + 2) % 3);
            m[r1][c1] * m[r2][c2] - m[r1][c2] * m[r2][c1]
        };
        let mut out = [[0.0; 3]; 3];
        for (r, row) in out.iter_mut().enumerate() {
            for (c, v) in row.iter_mut().enumerate() {
                *v = cofactor(c, r) / det;
            }
        }
        Some(Self(out))
    }

    /// The matrix in the precision of pictures.
    pub fn to_f32(&self) -> Mat3f {
        Mat3f(self.0.map(|row| row.map(|v| v as f32)))
    }
}

/// A [`Mat3`] in f32, for pictures.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Mat3f(pub [[f32; 3]; 3]);

impl Mat3f {
    /// The matrix applied to one triple.
    #[inline(always)]
    pub fn apply(&self, v: [f32; 3]) -> [f32; 3] {
        let m = &self.0;
        [
            m[0][0].mul_add(v[0], m[0][1].mul_add(v[1], m[0][2] * v[2])),
            m[1][0].mul_add(v[0], m[1][1].mul_add(v[1], m[1][2] * v[2])),
            m[2][0].mul_add(v[0], m[2][1].mul_add(v[1], m[2][2] * v[2])),
        ]
    }

    /// The matrix applied to a block, in place.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let m = *self;
        let [r, g, b] = planes;
        for i in 0..N {
            [r[i], g[i], b[i]] = m.apply([r[i], g[i], b[i]]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_matrix_after_its_inverse_is_the_identity() {
        let m = Mat3([[0.4, 0.3, 0.2], [0.2, 0.7, 0.1], [0.0, 0.1, 0.9]]);
        let round = m.after(&m.inverse().unwrap());
        for (row, want) in round.0.iter().zip(Mat3::IDENTITY.0) {
            for (v, w) in row.iter().zip(want) {
                assert!((v - w).abs() < 1e-14);
            }
        }
        assert_eq!(Mat3([[1.0, 2.0, 3.0], [2.0, 4.0, 6.0], [0.0, 0.0, 1.0]]).inverse(), None);
    }
}
