//! Robust least squares with bounds and priors: Levenberg and Marquardt's method (Marquardt 1963, "An algorithm for
//! least-squares estimation of nonlinear parameters"; the damping after Nielsen 1999), parameters at a bound held there while
//! they would leave it, weights by iteration (Holland and Welsch 1977).
//!
//! The `levenberg-marquardt` crate has no bounds and no robust weights, so this is our own. The same problem gives the same
//! bits on any number of threads: threads share columns of derivatives only.

use rayon::prelude::*;
use std::sync::atomic::{AtomicBool, Ordering};

/// A parameter to solve for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Parameter {
    /// Where the search begins, and what the prior draws to.
    pub start: f64,
    /// Lowest value.
    pub low: f64,
    /// Highest value.
    pub high: f64,
    /// Standard deviation of the prior, in the parameter's unit; infinite for none.
    pub width: f64,
    /// Step of the numeric derivative.
    pub step: f64,
}

impl Parameter {
    /// A parameter between bounds with a prior; derivatives are taken over a thousandth of its width or range.
    pub fn new(start: f64, [low, high]: [f64; 2], width: f64) -> Self {
        let scale = if width.is_finite() { width } else { high - low };
        Self { start, low, high, width, step: 1e-3 * scale }
    }

    /// The same with another step of the derivative.
    pub fn stepped(self, step: f64) -> Self {
        Self { step, ..self }
    }
}

/// How much a large residual counts; `e` is the length of a group of residuals.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Loss {
    /// e^2.
    Square,
    /// c ln(1 + e^2 / c): Student's.
    Student(f64),
    /// e^2 up to c, beyond it 2 c e - c^2: Huber's.
    Huber(f64),
}

impl Loss {
    fn of(self, square: f64) -> f64 {
        match self {
            Self::Student(c) => c * (square / c).ln_1p(),
            Self::Huber(c) if square > c * c => 2.0 * c * square.sqrt() - c * c,
            _ => square,
        }
    }

    /// Derivative by the square.
    fn weight(self, square: f64) -> f64 {
        match self {
            Self::Student(c) => 1.0 / (1.0 + square / c),
            Self::Huber(c) if square > c * c => c / square.sqrt(),
            _ => 1.0,
        }
    }
}

/// What is solved.
pub struct Problem<'a> {
    /// The parameters.
    pub parameters: &'a [Parameter],
    /// Residuals of parameters, in units of their standard deviation; always as many, a whole number of groups. Not finite
    /// ones refuse the parameters.
    pub residuals: &'a (dyn Fn(&[f64]) -> Vec<f64> + Sync),
    /// How many residuals count together.
    pub group: usize,
    /// How much large ones count.
    pub loss: Loss,
    /// The most rounds, each with one set of derivatives.
    pub rounds: usize,
    /// Is told before each round how many were done.
    pub watch: &'a (dyn Fn(usize) + Sync),
    /// Ends where a round lowers the cost by less than this share.
    pub tolerance: f64,
}

/// What was found.
#[derive(Clone, Debug, PartialEq)]
pub struct Solution {
    /// The parameters.
    pub values: Vec<f64>,
    /// Loss of all groups, with the priors.
    pub cost: f64,
    /// Residuals at the end.
    pub residuals: Vec<f64>,
    /// Rounds that it took.
    pub rounds: usize,
}

/// Solves a problem from its start. `None` where it was stopped, or where the start itself has no finite residuals.
pub fn solve(problem: &Problem<'_>, stop: &AtomicBool) -> Option<Solution> {
    let start = problem.parameters.iter().map(|p| p.start.clamp(p.low, p.high)).collect();
    solve_from(problem, start, stop)
}

/// The same from values of their own; the priors still draw to the parameters' starts.
pub fn solve_from(problem: &Problem<'_>, start: Vec<f64>, stop: &AtomicBool) -> Option<Solution> {
    const MOST_TRIES: usize = 12;
    let parameters = problem.parameters;
    let mut values: Vec<f64> = start.iter().zip(parameters).map(|(v, p)| v.clamp(p.low, p.high)).collect();
    let mut residuals = finite((problem.residuals)(&values))?;
    let mut cost = problem.cost(&values, &residuals);
    let (mut damping, mut growth) = (1e-3, 2.0);
    let mut rounds = 0;
    let mut small = 0;
    while rounds < problem.rounds {
        if stop.load(Ordering::Relaxed) {
            return None;
        }
        (problem.watch)(rounds);
        rounds += 1;
        let normal = problem.normal(&values, &residuals);
        let mut better = None;
        for _ in 0..MOST_TRIES {
            let Some(change) = normal.step(&values, parameters, damping) else {
                (damping, growth) = (damping * growth, growth * 2.0);
                continue;
            };
            let tried: Vec<f64> = values
                .iter()
                .zip(&change)
                .zip(parameters)
                .map(|((v, d), p)| (v + d).clamp(p.low, p.high))
                .collect();
            let found = finite((problem.residuals)(&tried)).map(|r| (problem.cost(&tried, &r), r));
            if let Some((lower, r)) = found.filter(|(c, _)| *c < cost) {
                damping = (damping / 3.0).max(1e-12);
                growth = 2.0;
                better = Some((tried, lower, r));
                break;
            }
            (damping, growth) = (damping * growth, growth * 2.0);
            if stop.load(Ordering::Relaxed) {
                return None;
            }
        }
        let Some((tried, lower, r)) = better else { break };
        let gain = (cost - lower) / cost.max(f64::MIN_POSITIVE);
        (values, cost, residuals) = (tried, lower, r);
        small = if gain < problem.tolerance { small + 1 } else { 0 };
        if small >= 2 || cost == 0.0 {
            break;
        }
    }
    Some(Solution { values, cost, residuals, rounds })
}

fn finite(residuals: Vec<f64>) -> Option<Vec<f64>> {
    residuals.iter().all(|r| r.is_finite()).then_some(residuals)
}

/// Nobody watches.
pub fn unwatched(_: usize) {}

/// Derivatives with weights, as normal equations.
struct Normal {
    /// J' W J and the priors.
    matrix: Vec<Vec<f64>>,
    /// Half of the gradient.
    gradient: Vec<f64>,
}

impl Problem<'_> {
    /// Standard deviation that is left of each parameter where a search ended; 0 for one that a bound holds.
    pub fn deviations(&self, at: &Solution) -> Vec<f64> {
        let normal = self.normal(&at.values, &at.residuals);
        let free = normal.free(&at.values, self.parameters);
        let mut deviations = vec![0.0; at.values.len()];
        let Some(factor) = cholesky(normal.part(&free, 0.0)) else { return deviations };
        for (a, &i) in free.iter().enumerate() {
            let mut unit = vec![0.0; free.len()];
            unit[a] = 1.0;
            // The diagonal of the inverse: the squared length of the solution of L x = unit.
            deviations[i] = forward(&factor, unit).iter().map(|v| v * v).sum::<f64>().sqrt();
        }
        deviations
    }

    /// Residuals as a search without their own block of rows would leave them, to first order: by the hat matrix (Hoaglin and
    /// Welsch 1978), for the rows of a block together. Rows of no block are 0.
    pub fn left_out(&self, at: &Solution, blocks: &[Vec<usize>]) -> Vec<f64> {
        let (columns, roots) = self.columns(&at.values, &at.residuals);
        let normal = self.normal_of(&columns, &at.values, &at.residuals, &roots);
        let free = normal.free(&at.values, self.parameters);
        let Some(factor) = cholesky(normal.part(&free, 0.0)) else { return at.residuals.clone() };
        let each = |rows: &Vec<usize>| -> Vec<f64> {
            let plain: Vec<f64> = rows.iter().map(|&r| at.residuals[r]).collect();
            let half: Vec<Vec<f64>> = rows
                .iter()
                .map(|&r| forward(&factor, free.iter().map(|&i| columns[i][r]).collect()))
                .collect();
            // I - H of the block: H is the product of the halves.
            let rest: Vec<Vec<f64>> = (0..rows.len())
                .map(|a| {
                    (0..=a).map(|b| f64::from(u8::from(a == b)) - dot(&half[a], &half[b])).collect::<Vec<_>>()
                })
                .collect();
            let weighted = rows.iter().map(|&r| at.residuals[r] * roots[r]).collect();
            let Some(rest) = cholesky(rest) else { return plain };
            let out = solve_factored(&rest, weighted);
            out.iter().zip(rows).map(|(e, &r)| e / roots[r].max(1e-9)).collect()
        };
        let found: Vec<Vec<f64>> = blocks.par_iter().map(each).collect();
        let mut residuals = vec![0.0; at.residuals.len()];
        for (rows, out) in blocks.iter().zip(found) {
            rows.iter().zip(out).for_each(|(&r, v)| residuals[r] = v);
        }
        residuals
    }

    fn cost(&self, values: &[f64], residuals: &[f64]) -> f64 {
        let data: f64 =
            residuals.chunks(self.group).map(|g| self.loss.of(g.iter().map(|r| r * r).sum())).sum();
        let drawn = values.iter().zip(self.parameters).map(|(v, p)| ((v - p.start) / p.width).powi(2));
        data + drawn.sum::<f64>()
    }

    fn normal(&self, values: &[f64], residuals: &[f64]) -> Normal {
        let (columns, roots) = self.columns(values, residuals);
        self.normal_of(&columns, values, residuals, &roots)
    }

    /// Weighted derivatives by each parameter, and the roots of the weights.
    fn columns(&self, values: &[f64], residuals: &[f64]) -> (Vec<Vec<f64>>, Vec<f64>) {
        let roots: Vec<f64> = residuals
            .chunks(self.group)
            .flat_map(|g| {
                let w = self.loss.weight(g.iter().map(|r| r * r).sum()).sqrt();
                std::iter::repeat_n(w, g.len())
            })
            .collect();
        let column = |i: usize| -> Vec<f64> {
            let p = &self.parameters[i];
            let mut moved = values.to_vec();
            let step = if moved[i] + p.step > p.high { -p.step } else { p.step };
            moved[i] += step;
            let there = (self.residuals)(&moved);
            let slopes = there.iter().zip(residuals).zip(&roots);
            slopes.map(|((a, b), w)| if a.is_finite() { w * (a - b) / step } else { 0.0 }).collect()
        };
        let columns = (0..values.len()).into_par_iter().map(column).collect();
        (columns, roots)
    }

    fn normal_of(&self, columns: &[Vec<f64>], values: &[f64], residuals: &[f64], roots: &[f64]) -> Normal {
        let weighted: Vec<f64> = residuals.iter().zip(roots).map(|(r, w)| r * w).collect();
        let mut matrix: Vec<Vec<f64>> = (0..columns.len())
            .into_par_iter()
            .map(|i| (0..=i).map(|j| dot(&columns[i], &columns[j])).collect())
            .collect();
        let mut gradient: Vec<f64> = columns.iter().map(|c| dot(c, &weighted)).collect();
        for (i, p) in self.parameters.iter().enumerate() {
            matrix[i][i] += p.width.powi(-2);
            gradient[i] += (values[i] - p.start) * p.width.powi(-2);
        }
        Normal { matrix, gradient }
    }
}

impl Normal {
    /// Which parameters may move: not those at a bound that they would leave.
    fn free(&self, values: &[f64], parameters: &[Parameter]) -> Vec<usize> {
        let held = |i: &usize| {
            let (v, p, g) = (values[*i], &parameters[*i], self.gradient[*i]);
            !(v <= p.low && g > 0.0 || v >= p.high && g < 0.0) && p.low < p.high
        };
        (0..values.len()).filter(held).collect()
    }

    fn part(&self, free: &[usize], damping: f64) -> Vec<Vec<f64>> {
        free.iter()
            .enumerate()
            .map(|(a, &i)| {
                let row = free[..=a].iter().map(|&j| self.matrix[i.max(j)][i.min(j)]);
                let mut row: Vec<f64> = row.collect();
                row[a] += damping * self.matrix[i][i].max(1e-12) + 1e-14;
                row
            })
            .collect()
    }

    fn step(&self, values: &[f64], parameters: &[Parameter], damping: f64) -> Option<Vec<f64>> {
        let free = self.free(values, parameters);
        let factor = cholesky(self.part(&free, damping))?;
        let moved = solve_factored(&factor, free.iter().map(|&i| -self.gradient[i]).collect());
        let mut change = vec![0.0; values.len()];
        free.iter().zip(moved).for_each(|(&i, d)| change[i] = d);
        Some(change)
    }
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    // Four sums side by side, in a fixed order.
    let mut sums = [0.0; 4];
    let (fours, fours_b) = (a.chunks_exact(4), b.chunks_exact(4));
    let rest: f64 = fours.remainder().iter().zip(fours_b.remainder()).map(|(x, y)| x * y).sum();
    for (x, y) in fours.zip(fours_b) {
        for k in 0..4 {
            sums[k] += x[k] * y[k];
        }
    }
    sums.iter().sum::<f64>() + rest
}

/// The lower factor of a symmetric matrix given by its lower half. `None` where it is not positive.
pub fn cholesky(mut a: Vec<Vec<f64>>) -> Option<Vec<Vec<f64>>> {
    for i in 0..a.len() {
        for j in 0..=i {
            let sum = a[i][j] - dot(&a[i][..j], &a[j][..j]);
            if i == j {
                if sum <= 0.0 || !sum.is_finite() {
                    return None;
                }
                a[i][i] = sum.sqrt();
            } else {
                a[i][j] = sum / a[j][j];
            }
        }
    }
    Some(a)
}

/// Solves L x = b.
fn forward(factor: &[Vec<f64>], mut b: Vec<f64>) -> Vec<f64> {
    for i in 0..b.len() {
        b[i] = (b[i] - dot(&factor[i][..i], &b[..i])) / factor[i][i];
    }
    b
}

/// Solves L L' x = b, L from [`cholesky`].
pub fn solve_factored(factor: &[Vec<f64>], b: Vec<f64>) -> Vec<f64> {
    let mut x = forward(factor, b);
    for i in (0..x.len()).rev() {
        x[i] /= factor[i][i];
        let v = x[i];
        for j in 0..i {
            x[j] -= factor[i][j] * v;
        }
    }
    x
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    static GO_ON: AtomicBool = AtomicBool::new(false);

    fn free(start: f64) -> Parameter {
        Parameter::new(start, [-1e3, 1e3], f64::INFINITY).stepped(1e-6)
    }

    fn problem<'a>(
        parameters: &'a [Parameter],
        residuals: &'a (dyn Fn(&[f64]) -> Vec<f64> + Sync),
    ) -> Problem<'a> {
        Problem {
            parameters,
            residuals,
            group: 1,
            loss: Loss::Square,
            rounds: 200,
            tolerance: 1e-12,
            watch: &unwatched,
        }
    }

    #[test]
    fn rosenbrocks_valley_is_followed_to_its_lowest_point() {
        // Rosenbrock 1960: the lowest point is (1, 1).
        let valley = |p: &[f64]| vec![10.0 * (p[1] - p[0] * p[0]), 1.0 - p[0]];
        let found = solve(&problem(&[free(-1.2), free(1.0)], &valley), &GO_ON).unwrap();
        assert!(found.values.iter().all(|v| (v - 1.0).abs() < 1e-4), "{:?}", found.values);
    }

    #[test]
    fn the_nist_misra1a_data_give_the_certified_parameters() {
        // NIST StRD, Misra1a: y = b1 (1 - exp(-b2 x)); certified b1 238.94212918, b2 5.5015643181E-04; values from memory.
        let data = [
            (77.6, 10.07),
            (114.9, 14.73),
            (141.1, 17.94),
            (190.8, 23.93),
            (239.9, 29.61),
            (289.0, 35.18),
            (332.8, 40.02),
            (378.4, 44.82),
            (434.8, 50.76),
            (477.3, 55.05),
            (536.8, 61.01),
            (593.1, 66.40),
            (689.1, 75.47),
            (760.0, 81.78),
        ];
        let misfit = |p: &[f64]| -> Vec<f64> {
            data.iter().map(|(x, y)| p[0] * (1.0 - (-p[1] * x).exp()) - y).collect()
        };
        let parameters = [free(500.0), Parameter::new(1e-4, [0.0, 1.0], f64::INFINITY).stepped(1e-8)];
        let found = solve(&problem(&parameters, &misfit), &GO_ON).unwrap();
        assert!((found.values[0] / 238.942_129_18 - 1.0).abs() < 1e-4, "{:?}", found.values);
        assert!((found.values[1] / 5.501_564_318_1e-4 - 1.0).abs() < 1e-4, "{:?}", found.values);
    }

    #[test]
    fn a_bound_holds_and_the_others_find_their_best_along_it() {
        // (x - 3)^2 + (x + y)^2 with x at most 1: x = 1, y = -1.
        let misfit = |p: &[f64]| vec![p[0] - 3.0, p[0] + p[1]];
        let parameters = [Parameter { high: 1.0, ..free(0.0) }, free(5.0)];
        let found = solve(&problem(&parameters, &misfit), &GO_ON).unwrap();
        assert!((found.values[0] - 1.0).abs() < 1e-9 && (found.values[1] + 1.0).abs() < 1e-6);
        assert_eq!(problem(&parameters, &misfit).deviations(&found)[0], 0.0);
    }

    #[test]
    fn outliers_do_not_move_a_robust_line() {
        let x: Vec<f64> = (0..40).map(|i| f64::from(i) * 0.1).collect();
        let misfit = |p: &[f64]| -> Vec<f64> {
            let y = |i: usize| 2.0 * x[i] + 1.0 + if i.is_multiple_of(8) { 50.0 } else { 0.0 };
            (0..40).map(|i| (p[0] * x[i] + p[1] - y(i)) / 0.01).collect()
        };
        let parameters = [free(0.0), free(0.0)];
        let robust = Problem { loss: Loss::Student(8.0), ..problem(&parameters, &misfit) };
        let found = solve(&robust, &GO_ON).unwrap();
        assert!((found.values[0] - 2.0).abs() < 0.01 && (found.values[1] - 1.0).abs() < 0.02);
    }

    #[test]
    fn what_the_data_do_not_say_keeps_its_prior_and_is_said() {
        let misfit = |p: &[f64]| vec![(p[0] - 2.0) / 0.01];
        let width = |w| Parameter::new(0.5, [-10.0, 10.0], w);
        let parameters = [width(1.0), width(1.0)];
        let found = solve(&problem(&parameters, &misfit), &GO_ON).unwrap();
        assert!((found.values[0] - 2.0).abs() < 1e-3 && found.values[1] == 0.5);
        // One is measured to 0.01, the other is as wide as its prior.
        let left = problem(&parameters, &misfit).deviations(&found);
        assert!((left[0] - 0.01).abs() < 1e-5 && (left[1] - 1.0).abs() < 1e-9, "{left:?}");
    }

    #[test]
    fn what_is_left_out_misses_as_a_search_without_it_does() {
        // A straight problem, where the hat matrix says exactly what leaving out does.
        let row = |i: usize| [1.0, (i as f64 * 0.7).sin(), (i as f64 * 1.3).cos(), (i as f64 * 2.1).sin()];
        let off = |r: [f64; 4], p: &[f64]| r[0] * p[0] + r[1] * p[1] + r[2] * p[2] - r[3];
        let all = |p: &[f64]| -> Vec<f64> { (0..12).map(|i| off(row(i), p)).collect() };
        let parameters = [Parameter::new(0.0, [-9.0, 9.0], 2.0); 3];
        let whole = problem(&parameters, &all);
        let blocks: Vec<Vec<usize>> = (0..4).map(|b| vec![b, b + 4, b + 8]).collect();
        let guessed = whole.left_out(&solve(&whole, &GO_ON).unwrap(), &blocks);
        for block in 0..4 {
            let kept = |i: &usize| i % 4 != block;
            let some = |p: &[f64]| -> Vec<f64> { (0..12).filter(kept).map(|i| off(row(i), p)).collect() };
            let found = solve(&problem(&parameters, &some), &GO_ON).unwrap();
            for &i in &blocks[block] {
                let missed = off(row(i), &found.values);
                assert!((missed - guessed[i]).abs() < 1e-6, "{missed} {}", guessed[i]);
            }
        }
    }

    #[test]
    fn stopping_and_residuals_that_are_no_numbers_give_nothing() {
        let fine = |p: &[f64]| vec![p[0]];
        assert_eq!(solve(&problem(&[free(1.0)], &fine), &AtomicBool::new(true)), None);
        let none = |_: &[f64]| vec![f64::NAN];
        assert_eq!(solve(&problem(&[free(1.0)], &none), &GO_ON), None);
    }

    proptest! {
        #[test]
        fn straight_problems_are_solved_as_the_normal_equations_solve_them(
            rows in proptest::collection::vec([-1.0..1.0_f64, -1.0..1.0, -1.0..1.0, -1.0..1.0], 8..20),
        ) {
            let misfit = |p: &[f64]| -> Vec<f64> {
                rows.iter().map(|r| r[0] * p[0] + r[1] * p[1] + r[2] * p[2] - r[3]).collect()
            };
            let prior = || Parameter::new(0.0, [-1e3, 1e3], 1.0);
            let parameters = [prior(), prior(), prior()];
            let found = solve(&problem(&parameters, &misfit), &GO_ON).unwrap();
            // The gradient is zero: A' (A x - b) + x = 0.
            for c in 0..3 {
                let left: f64 = rows.iter().zip(&found.residuals).map(|(r, e)| r[c] * e).sum();
                prop_assert!((left + found.values[c]).abs() < 1e-5, "{left} {:?}", found.values);
            }
            let one = rayon::ThreadPoolBuilder::new().num_threads(1).build().unwrap();
            let again = one.install(|| solve(&problem(&parameters, &misfit), &GO_ON)).unwrap();
            prop_assert_eq!(again, found);
        }
    }
}
