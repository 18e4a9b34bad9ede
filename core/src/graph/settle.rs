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

use crate::numeric::lane;
use rayon::prelude::*;

/// Rounds of settling; the error has stopped falling by then (determined empirically).
const ROUNDS: usize = 12;
/// Reciprocal of the distance from neutral, in half cells, at which a point counts half (found by trial).
const NEAR_NEUTRAL: f32 = 4.0;
/// Share of the mean residual that a node moves in a round.
const PACE: f32 = 0.9;

/// Moves the nodes of a table toward the least mean square error against `fine`: the exact values on the grid
/// of 2 * size - 1 points, red fastest. Nodes stay within what the function reaches around them.
///
/// A node's residual is the weighted mean, over the points of the dense grid that it takes part in, of exact less read. Exact
/// values and weights do not change from round to round: they are summed once, and a round is sums over rows of nodes.
pub(super) fn settle(nodes: &mut [[f32; 3]], size: usize, fine: &[[f32; 4]]) {
    debug_assert!(nodes.len() == size.pow(3) && fine.len() == (2 * size - 1).pow(3));
    let fixed = Fixed::of(size, fine);
    let wide = size + 2;
    let inner = |i: usize| {
        let [r, g, b] = place(i, size);
        (r + 1) + wide * ((g + 1) + wide * (b + 1))
    };
    let mut now = [0, 1, 2].map(|_| vec![0.0_f32; wide.pow(3)]);
    for (i, node) in nodes.iter().enumerate() {
        (0..3).for_each(|c| now[c][inner(i)] = node[c]);
    }
    let mut next = now.clone();
    for _ in 0..ROUNDS {
        for (c, (from, to)) in now.iter().zip(&mut next).enumerate() {
            let slabs = to.par_chunks_mut(wide * wide).enumerate().skip(1).take(size);
            slabs.for_each(|(b, to)| lane::vectorised(Slab { fixed: &fixed, c, b: b - 1, from, to }));
        }
        std::mem::swap(&mut now, &mut next);
    }
    for (i, node) in nodes.iter_mut().enumerate() {
        (0..3).for_each(|c| node[c] = now[c][inner(i)]);
    }
}

/// Offsets to the nodes that a point of the dense grid beside a node is read from, with the node itself: those to one side of it
/// in every direction. A point with half places to both sides of the node is read from two other nodes.
fn offsets() -> impl Iterator<Item = [isize; 3]> {
    let all = (0..27_isize).map(|k| [k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1]);
    all.filter(|d| !(d.contains(&1) && d.contains(&-1)))
}

/// How many there are.
const OFFSETS: usize = 15;

/// What does not change from round to round, node by node, red fastest.
struct Fixed {
    size: usize,
    /// Half the share of each offset's node in what is read.
    shares: [Vec<f32>; OFFSETS],
    /// The weighted mean of the exact values, of each channel.
    exact: [Vec<f32>; 3],
    /// Lowest and highest value that the function has about a node, of each channel.
    bounds: [[Vec<f32>; 2]; 3],
}

impl Fixed {
    fn of(size: usize, fine: &[[f32; 4]]) -> Self {
        let count = size.pow(3);
        let all: Vec<_> = (0..count).into_par_iter().map(|i| Around::of(i, size, fine)).collect();
        let plane = |of: &dyn Fn(&Around) -> f32| all.iter().map(of).collect::<Vec<_>>();
        Self {
            size,
            shares: std::array::from_fn(|k| plane(&|a| a.shares[k])),
            exact: std::array::from_fn(|c| plane(&|a| a.exact[c])),
            bounds: std::array::from_fn(|c| std::array::from_fn(|end| plane(&|a| a.bounds[end][c]))),
        }
    }
}

/// The same of one node.
struct Around {
    shares: [f32; OFFSETS],
    exact: [f32; 3],
    bounds: [[f32; 3]; 2],
}

impl Around {
    fn of(i: usize, size: usize, fine: &[[f32; 4]]) -> Self {
        let (at, dense) = (place(i, size), 2 * size - 1);
        let neutral = at[0] == at[1] && at[1] == at[2];
        let mut bounds = [[f32::INFINITY; 3], [f32::NEG_INFINITY; 3]];
        neighbours(at, dense, |p| {
            for c in 0..3 {
                bounds[0][c] = bounds[0][c].min(fine[p][c]);
                bounds[1][c] = bounds[1][c].max(fine[p][c]);
            }
        });
        let (mut shares, mut exact, mut all) = ([0.0; OFFSETS], [0.0; 3], 0.0);
        for (share, d) in shares.iter_mut().zip(offsets()) {
            let Some(p) = point(at, d, dense) else { continue };
            let weight = weight(at, d, neutral);
            for c in 0..3 {
                exact[c] += weight * fine[p][c];
            }
            *share = 0.5 * weight;
            all += weight;
        }
        Self { shares: shares.map(|s| s / all), exact: exact.map(|v| v / all), bounds }
    }
}

/// A round of one channel's nodes that have the same blue.
struct Slab<'a> {
    fixed: &'a Fixed,
    c: usize,
    b: usize,
    /// All nodes, with a rim of one around them.
    from: &'a [f32],
    /// Those of this blue.
    to: &'a mut [f32],
}

impl pulp::NullaryFnOnce for Slab<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { fixed, c, b, from, to } = self;
        let (size, wide) = (fixed.size, fixed.size + 2);
        let mut read = vec![0.0_f32; size];
        for g in 0..size {
            let own = size * (g + size * b)..size * (g + 1 + size * b);
            let first = 1 + wide * (g + 1 + wide * (b + 1));
            let node = &from[first..first + size];
            read.iter_mut().zip(node).for_each(|(r, n)| *r = 0.5 * n);
            for (shares, [x, y, z]) in fixed.shares.iter().zip(offsets()) {
                let away = x + wide as isize * (y + wide as isize * z);
                let other = &from[(first as isize + away) as usize..][..size];
                for ((r, share), n) in read.iter_mut().zip(&shares[own.clone()]).zip(other) {
                    *r += share * n;
                }
            }
            let to = &mut to[1 + wide * (g + 1)..][..size];
            let exact = &fixed.exact[c][own.clone()];
            let [low, high] = &fixed.bounds[c];
            let bounds = low[own.clone()].iter().zip(&high[own.clone()]);
            for ((((to, node), read), exact), (low, high)) in
                to.iter_mut().zip(node).zip(&read).zip(exact).zip(bounds)
            {
                *to = (node + PACE * (exact - read)).max(*low).min(*high);
            }
        }
    }
}

fn place(i: usize, n: usize) -> [usize; 3] {
    [i % n, i / n % n, i / n / n]
}

/// The point of the dense grid at an offset from a node, where it is on the grid.
fn point(at: [usize; 3], d: [isize; 3], dense: usize) -> Option<usize> {
    let p = [0, 1, 2].map(|c| 2 * at[c] as isize + d[c]);
    let inside = p.iter().all(|v| (0..dense as isize).contains(v));
    inside.then(|| (p[0] + dense as isize * (p[1] + dense as isize * p[2])) as usize)
}

/// Calls `f` with each point of the dense grid about a node.
fn neighbours(at: [usize; 3], dense: usize, f: impl FnMut(usize)) {
    let all = (0..27_isize).map(|k| [k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1]);
    all.filter_map(|d| point(at, d, dense)).for_each(f);
}

/// The weight of a point at an offset from a node. Simpson: 2 for each half place, 1 for each whole one. On the neutral line it
/// is one direction, and nothing beside it counts.
fn weight(at: [usize; 3], d: [isize; 3], neutral: bool) -> f32 {
    let halves = d.iter().filter(|v| **v != 0).count();
    if !neutral {
        return (1 << halves) as f32 * grey_share(at, d);
    }
    match (d[0] == d[1] && d[1] == d[2], halves) {
        (false, _) => 0.0,
        (true, 0) => 1.0,
        (true, _) => 2.0,
    }
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
