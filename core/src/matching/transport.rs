//! Linear transport between the colours of two pictures: the map that moves mean and covariance of one to those of the other
//! and moves least (Olkin and Pukelsheim 1982).

use crate::colour::Mat3;

/// A straight map of three values.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Straight {
    matrix: Mat3,
    from: [f64; 3],
    to: [f64; 3],
}

impl Straight {
    /// The map from the colours of one picture to those of another. Spreads smaller than `least` count as that.
    pub fn between(from: &[[f64; 3]], to: &[[f64; 3]], least: f64) -> Self {
        let (mean_a, a) = moments(from, least);
        let (mean_b, b) = moments(to, least);
        let (root, inverse) = roots(&a);
        let (middle, _) = roots(&root.after(&b).after(&root));
        Self { matrix: inverse.after(&middle).after(&inverse), from: mean_a, to: mean_b }
    }

    /// Where a colour goes.
    pub fn at(&self, v: [f64; 3]) -> [f64; 3] {
        let moved = self.matrix.apply([0, 1, 2].map(|i| v[i] - self.from[i]));
        [0, 1, 2].map(|i| self.to[i] + moved[i])
    }
}

fn moments(of: &[[f64; 3]], least: f64) -> ([f64; 3], Mat3) {
    let n = of.len().max(1) as f64;
    let mean = [0, 1, 2].map(|i| of.iter().map(|v| v[i]).sum::<f64>() / n);
    let mut m = [[0.0; 3]; 3];
    for (i, row) in m.iter_mut().enumerate() {
        for (j, cell) in row.iter_mut().enumerate() {
            *cell = of.iter().map(|v| (v[i] - mean[i]) * (v[j] - mean[j])).sum::<f64>() / n;
        }
        row[i] += least * least;
    }
    (mean, Mat3(m))
}

/// Square root of a symmetric positive matrix and its inverse, by Jacobi rotations (Golub and Van Loan, "Matrix Computations",
/// 8.5).
fn roots(of: &Mat3) -> (Mat3, Mat3) {
    let (mut a, mut v) = (of.0, Mat3::IDENTITY.0);
    for _ in 0..30 {
        for (p, q) in [(0, 1), (0, 2), (1, 2)] {
            if a[p][q].abs() < 1e-18 {
                continue;
            }
            let theta = (a[q][q] - a[p][p]) / (2.0 * a[p][q]);
            let t = theta.signum() / (theta.abs() + theta.hypot(1.0));
            let t = if theta == 0.0 { 1.0 } else { t };
            let c = 1.0 / t.hypot(1.0);
            let s = t * c;
            for k in 0..3 {
                let (x, y) = (a[k][p], a[k][q]);
                (a[k][p], a[k][q]) = (c * x - s * y, s * x + c * y);
            }
            for k in 0..3 {
                let (x, y) = (a[p][k], a[q][k]);
                (a[p][k], a[q][k]) = (c * x - s * y, s * x + c * y);
            }
            for row in &mut v {
                let (x, y) = (row[p], row[q]);
                (row[p], row[q]) = (c * x - s * y, s * x + c * y);
            }
        }
    }
    let made = |f: &dyn Fn(f64) -> f64| {
        Mat3([0, 1, 2].map(|i| {
            [0, 1, 2].map(|j| (0..3).map(|k| v[i][k] * f(a[k][k].max(1e-12)) * v[j][k]).sum::<f64>())
        }))
    };
    (made(&f64::sqrt), made(&|x| 1.0 / x.sqrt()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_picture_moved_by_a_symmetric_map_is_found_again(
            points in proptest::collection::vec([-1.0..1.0_f64, -1.0..1.0, -1.0..1.0], 30..60),
            d in [0.5..2.0_f64, 0.5..2.0, 0.5..2.0], off in [-0.2..0.2_f64, -0.2..0.2, -0.2..0.2],
        ) {
            // The map that moves least is the symmetric one.
            let m = Mat3([[d[0], off[0], off[1]], [off[0], d[1], off[2]], [off[1], off[2], d[2]]]);
            let moved: Vec<[f64; 3]> = points.iter().map(|p| m.apply(*p).map(|v| v + 0.3)).collect();
            let map = Straight::between(&points, &moved, 0.0);
            for (p, want) in points.iter().zip(&moved) {
                for (a, b) in map.at(*p).iter().zip(want) {
                    prop_assert!((a - b).abs() < 1e-6);
                }
            }
        }
    }
}
