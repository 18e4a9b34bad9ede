//! Settling a table's nodes so that it is closest between them, not only at them.
//!
//! A table whose nodes are exact errs between them always to the same side wherever the function bends, and a
//! log encoding seen through a matrix bends everywhere. Moving the nodes by least squares, so that the error is
//! spread to both sides, roughly halves it at the same size. (Tried on the demo looks, 33 points, ACEScct to
//! BT.709: see `docs/tables.md` for the figures with and without.)
//!
//! The function is known on a grid of twice the density. Read by tetrahedral interpolation, each point of that
//! grid is the mean of exactly two nodes: those reached by rounding its half places down and up. Weights are
//! those of Simpson's rule in three directions. The neutral diagonal settles by itself alone, so that greys
//! take no tint from the colours around them.

use rayon::prelude::*;

/// Rounds of settling; the error has stopped falling by then (determined empirically).
const ROUNDS: usize = 12;
/// Reciprocal of the distance from neutral, in half cells, at which a point counts half (found by trial).
const NEAR_NEUTRAL: f32 = 4.0;
/// Share of the mean residual that a node moves in a round.
const PACE: f32 = 0.9;

/// Moves the nodes of a table toward the least mean square error against `fine`: the exact values on the grid
/// of 2 * size - 1 points, red fastest. Nodes stay within what the function reaches around them.
pub(super) fn settle(nodes: &mut [[f32; 3]], size: usize, fine: &[[f32; 4]]) {
    let dense = 2 * size - 1;
    debug_assert!(nodes.len() == size.pow(3) && fine.len() == dense.pow(3));
    let bounds: Vec<_> = (0..nodes.len()).into_par_iter().map(|i| around(i, size, fine)).collect();
    for _ in 0..ROUNDS {
        let before = nodes.to_vec();
        nodes.par_iter_mut().enumerate().for_each(|(i, node)| {
            let step = residual(i, size, &before, fine);
            let (low, high) = bounds[i];
            for c in 0..3 {
                node[c] = (node[c] + PACE * step[c]).clamp(low[c], high[c]);
            }
        });
    }
}

fn place(i: usize, n: usize) -> [usize; 3] {
    [i % n, i / n % n, i / n / n]
}

/// Calls `f` with each offset -1..1 in three directions that stays on the dense grid about a node.
fn neighbours(at: [usize; 3], dense: usize, mut f: impl FnMut([isize; 3], usize)) {
    for k in 0..27_isize {
        let d = [k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1];
        let p = [0, 1, 2].map(|c| 2 * at[c] as isize + d[c]);
        if p.iter().all(|v| (0..dense as isize).contains(v)) {
            f(d, (p[0] + dense as isize * (p[1] + dense as isize * p[2])) as usize);
        }
    }
}

/// Lowest and highest value that the function has about a node.
fn around(i: usize, size: usize, fine: &[[f32; 4]]) -> ([f32; 3], [f32; 3]) {
    let mut range = ([f32::INFINITY; 3], [f32::NEG_INFINITY; 3]);
    neighbours(place(i, size), 2 * size - 1, |_, p| {
        for c in 0..3 {
            range.0[c] = range.0[c].min(fine[p][c]);
            range.1[c] = range.1[c].max(fine[p][c]);
        }
    });
    range
}

/// The weighted mean, over the points of the dense grid that a node takes part in, of exact less read.
fn residual(i: usize, size: usize, nodes: &[[f32; 3]], fine: &[[f32; 4]]) -> [f32; 3] {
    let at = place(i, size);
    let neutral = at[0] == at[1] && at[1] == at[2];
    let (mut sum, mut weights) = ([0.0_f32; 3], 0.0);
    neighbours(at, 2 * size - 1, |d, p| {
        let mixed = d.contains(&1) && d.contains(&-1);
        let grey = d[0] == d[1] && d[1] == d[2];
        // A point with half places to both sides of the node is read from two other nodes.
        if mixed || (neutral && !grey) {
            return;
        }
        let other = [0, 1, 2].map(|c| (at[c] as isize + d[c]) as usize);
        let j = other[0] + size * (other[1] + size * other[2]);
        // Simpson: 2 for each half place, 1 for each whole one. On the neutral line alone it is one direction.
        let halves = d.iter().filter(|v| **v != 0).count();
        let weight = if neutral {
            if halves > 0 { 2.0 } else { 1.0 }
        } else {
            (1 << halves) as f32 * grey_share(at, d)
        };
        for c in 0..3 {
            sum[c] += weight * (fine[p][c] - (nodes[i][c] + nodes[j][c]) / 2.0);
        }
        weights += weight;
    });
    sum.map(|s| s / weights)
}

/// How much a point counts by its distance from neutral: pictures are mostly near it, and a node beside the
/// neutral line serves them better by leaning to that side.
fn grey_share(at: [usize; 3], d: [isize; 3]) -> f32 {
    let p = [0, 1, 2].map(|c| 2 * at[c] as isize + d[c]);
    let spread = (p[0].max(p[1]).max(p[2]) - p[0].min(p[1]).min(p[2])) as f32;
    1.0 / (1.0 + (spread * NEAR_NEUTRAL).powi(2))
}

/// The mean square error of a table against the dense grid, over the grid, for tests and benchmarks.
#[cfg(test)]
fn error(table: &crate::table::Table3, fine: &[[f32; 4]]) -> f64 {
    let dense = 2 * table.size() - 1;
    let at = |k: usize| k as f32 / (dense - 1) as f32;
    let squares = fine.iter().enumerate().map(|(i, f)| {
        let [r, g, b] = place(i, dense);
        let v = table.at([at(r), at(g), at(b)]);
        (0..3).map(|c| f64::from(v[c] - f[c]).powi(2)).sum::<f64>()
    });
    squares.sum::<f64>() / fine.len() as f64
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::{Domain, Table3};

    fn grid(n: usize, f: impl Fn([f32; 3]) -> [f32; 3]) -> Vec<[f32; 3]> {
        let at = |k: usize| k as f32 / (n - 1) as f32;
        (0..n * n * n).map(|i| f(place(i, n).map(at))).collect()
    }

    #[test]
    fn settling_lowers_the_error_between_nodes_and_leaves_a_linear_function_alone() {
        let bend = |c: [f32; 3]| {
            let m = c[0] * 1.6 - c[1] * 0.5 - c[2] * 0.1;
            [(m * 3.0).exp() / 20.0, c[1] * c[1], c[2]]
        };
        let n = 9;
        let fine: Vec<[f32; 4]> = grid(2 * n - 1, bend).iter().map(|c| [c[0], c[1], c[2], 1.0]).collect();
        let mut nodes = grid(n, bend);
        let exact = Table3::new(n, Domain::UNIT, &nodes).unwrap();
        settle(&mut nodes, n, &fine);
        let settled = Table3::new(n, Domain::UNIT, &nodes).unwrap();
        let (settled, exact) = (error(&settled, &fine), error(&exact, &fine));
        assert!(settled < 0.6 * exact, "{settled} against {exact}");
        for (a, b) in nodes.iter().zip(grid(n, bend)) {
            assert!((a[2] - b[2]).abs() < 1e-6);
        }
    }

    #[test]
    fn a_function_that_is_neutral_on_the_diagonal_stays_so() {
        let f = |c: [f32; 3]| {
            let y = 0.3 * c[0] + 0.6 * c[1] + 0.1 * c[2];
            c.map(|v| (y + 1.7 * (v - y)).max(0.0).powf(1.8))
        };
        let n = 9;
        let fine: Vec<[f32; 4]> = grid(2 * n - 1, f).iter().map(|c| [c[0], c[1], c[2], 1.0]).collect();
        let mut nodes = grid(n, f);
        settle(&mut nodes, n, &fine);
        for k in 0..n {
            let v = nodes[k * (1 + n + n * n)];
            assert!((v[0] - v[1]).abs() < 1e-6 && (v[1] - v[2]).abs() < 1e-6);
        }
    }
}
