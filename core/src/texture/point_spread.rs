//! Round falloffs of light as sums of the bells that a pyramid spreads to.

/// The most levels: bells of up to 836 pixels.
pub const LEVELS: usize = 11;

/// Variance in square pixels of what level `l` spreads to, in each direction.
pub fn variance(l: usize) -> f64 {
    2.0 * (4_f64.powi(l as i32) - 1.0) / 3.0
}

/// Component of a round falloff.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Component {
    /// exp(-r/a) / (2 pi a^2), a in pixels.
    Exponential(f64),
    /// A bell of this standard deviation in pixels.
    Bell(f64),
}

impl Component {
    /// The share of light within a radius.
    pub fn within(self, r: f64) -> f64 {
        match self {
            Self::Exponential(a) => 1.0 - (1.0 + r / a) * (-r / a).exp(),
            Self::Bell(s) => 1.0 - (-0.5 * (r / s).powi(2)).exp(),
        }
    }

    /// The mean of the squared distance along one direction: half of that from the centre.
    fn variance(self) -> f64 {
        match self {
            Self::Exponential(a) => 3.0 * a * a,
            Self::Bell(s) => s * s,
        }
    }
}

/// Weights of the levels, summing to 1, that come nearest to a sum of parts with weights of their own; `levels` of them.
///
/// Least squares on the share of light within a radius, over radii evenly spaced in their logarithm, weights not below
/// zero. The mean of the squared radius is held as well, so that what is measured from a point of light is what was asked
/// for.
pub fn weights(parts: &[(Component, f64)], levels: usize) -> Vec<f64> {
    let widest = parts.iter().map(|(p, _)| p.variance().sqrt()).fold(0.3, f64::max);
    let radii: Vec<f64> = (0..48).map(|i| 0.3 * (8.0 * widest / 0.3).powf(f64::from(i) / 47.0)).collect();
    let total: f64 = parts.iter().map(|(_, w)| w).sum::<f64>().max(1e-12);
    let spread: f64 = parts.iter().map(|(p, w)| w * p.variance()).sum::<f64>() / total;
    // Rows: radii, then the sum, then the variance as a share of what it should be.
    let column = |l: usize| -> Vec<f64> {
        let bell = Component::Bell(variance(l).sqrt().max(1e-3));
        let mut rows: Vec<f64> = radii.iter().map(|r| bell.within(*r)).collect();
        rows.push(30.0);
        rows.push(10.0 * variance(l) / spread.max(1e-9));
        rows
    };
    let columns: Vec<Vec<f64>> = (0..levels).map(column).collect();
    let mut wanted: Vec<f64> =
        radii.iter().map(|r| parts.iter().map(|(p, w)| w * p.within(*r)).sum::<f64>() / total).collect();
    wanted.extend([30.0, 10.0]);
    let w = least_squares(&columns, &wanted);
    let sum: f64 = w.iter().sum();
    w.iter().map(|v| v / sum).collect()
}

/// Weights of columns, none below 0, whose sum comes nearest to what is wanted.
///
/// The active set method of Lawson and Hanson ("Solving Least Squares Problems", chapter 23): columns come in one by one,
/// by how much they would help, and leave where their weight would be negative.
fn least_squares(columns: &[Vec<f64>], wanted: &[f64]) -> Vec<f64> {
    let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
    let along: Vec<f64> = columns.iter().map(|c| dot(c, wanted)).collect();
    let gram: Vec<Vec<f64>> = columns.iter().map(|c| columns.iter().map(|d| dot(c, d)).collect()).collect();
    let n = columns.len();
    let enough = 1e-9 * along.iter().copied().fold(0.0, f64::max);
    let (mut w, mut inside) = (vec![0.0; n], Vec::<usize>::new());
    // Each round lessens what is missed, so none comes back; columns that are nearly alike could go round in circles.
    for _ in 0..4 * n {
        let helps = |l: usize| along[l] - dot(&gram[l], &w);
        let outside = (0..n).filter(|l| !inside.contains(l)).map(|l| (l, helps(l)));
        match outside.max_by(|a, b| a.1.total_cmp(&b.1)) {
            Some((l, by)) if by > enough => inside.push(l),
            _ => break,
        }
        loop {
            let best = solved(&gram, &along, &inside);
            // As far toward the best as no weight falls below 0.
            let reached = inside.iter().zip(&best).filter(|(_, b)| **b <= 0.0);
            let share = reached.map(|(l, b)| w[*l] / (w[*l] - b).max(1e-300)).fold(1.0, f64::min);
            for (l, b) in inside.iter().zip(&best) {
                w[*l] += share * (b - w[*l]);
            }
            if share == 1.0 && best.iter().all(|b| *b > 0.0) {
                break;
            }
            inside.retain(|l| w[*l] > 1e-12);
            (0..n).filter(|l| !inside.contains(l)).for_each(|l| w[l] = 0.0);
            if inside.is_empty() {
                break;
            }
        }
    }
    w
}

/// The solution of the rows and columns `of` a symmetric positive system, by Cholesky's factor.
fn solved(gram: &[Vec<f64>], along: &[f64], of: &[usize]) -> Vec<f64> {
    let n = of.len();
    let mut factor = vec![vec![0.0; n]; n];
    for i in 0..n {
        for j in 0..=i {
            let rest: f64 = gram[of[i]][of[j]] - (0..j).map(|k| factor[i][k] * factor[j][k]).sum::<f64>();
            factor[i][j] = if i == j { rest.max(1e-18).sqrt() } else { rest / factor[j][j] };
        }
    }
    let mut x: Vec<f64> = of.iter().map(|l| along[*l]).collect();
    for i in 0..n {
        let done: f64 = (0..i).map(|k| factor[i][k] * x[k]).sum();
        x[i] = (x[i] - done) / factor[i][i];
    }
    for i in (0..n).rev() {
        let done: f64 = (i + 1..n).map(|k| factor[k][i] * x[k]).sum();
        x[i] = (x[i] - done) / factor[i][i];
    }
    x
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weights_are_shares_and_hold_the_radius() {
        let parts = [
            (Component::Exponential(3.0), 0.5),
            (Component::Exponential(11.0), 0.3),
            (Component::Exponential(30.0), 0.2),
        ];
        let w = weights(&parts, 9);
        assert!(w.iter().all(|v| *v >= 0.0) && (w.iter().sum::<f64>() - 1.0).abs() < 1e-12);
        let got: f64 = w.iter().enumerate().map(|(l, w)| w * variance(l)).sum();
        // E[r^2] of exp(-r/a) over the plane is 6 a^2.
        let want = 0.5 * 3.0 * 9.0 + 0.3 * 3.0 * 121.0 + 0.2 * 3.0 * 900.0;
        assert!((got / want - 1.0).abs() < 0.03, "{got} for {want}");
    }

    #[test]
    fn weights_are_where_no_change_of_one_would_come_nearer() {
        // The conditions of Karush, Kuhn and Tucker: what a weight over 0 would still give is nothing, and a weight of 0
        // could only do harm.
        let columns: Vec<Vec<f64>> = (0..7)
            .map(|l| (0..40).map(|i| (-f64::from(i) / (1.0 + 2.0 * f64::from(l))).exp()).collect())
            .collect();
        for seed in 0..20 {
            let wanted: Vec<f64> =
                (0..40).map(|i| (f64::from(i) * (0.1 + 0.07 * f64::from(seed))).cos() + 0.5).collect();
            let w = least_squares(&columns, &wanted);
            for (column, weight) in columns.iter().zip(&w) {
                let missed = (0..40).map(|i| wanted[i] - (0..7).map(|l| w[l] * columns[l][i]).sum::<f64>());
                let helps: f64 = missed.zip(column).map(|(m, c)| m * c).sum();
                assert!(*weight >= 0.0 && helps < 1e-6 && helps * weight > -1e-6, "{seed}: {weight} {helps}");
            }
        }
    }
}
