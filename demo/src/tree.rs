//! A tree of boxes over triangles, and rays through it.

use crate::shape::Triangle;
use crate::vector::{V3, splat, v};

/// A ray's meeting with a triangle.
#[derive(Clone, Copy)]
pub struct Hit {
    pub distance: f32,
    pub triangle: usize,
    /// Barycentric weights of the second and third corner.
    pub uv: [f32; 2],
}

struct Node {
    low: V3,
    high: V3,
    /// First triangle of a leaf, or index of the second child (the first follows its parent).
    link: u32,
    /// Triangles in a leaf; 0 for an inner node.
    count: u32,
}

/// The tree; it owns the triangles in its own order.
pub struct Tree {
    nodes: Vec<Node>,
    pub triangles: Vec<Triangle>,
}

fn each(a: V3, b: V3, f: impl Fn(f32, f32) -> f32) -> V3 {
    v(f(a.0[0], b.0[0]), f(a.0[1], b.0[1]), f(a.0[2], b.0[2]))
}

fn bounds(triangles: &[Triangle]) -> (V3, V3) {
    let mut b = (splat(f32::INFINITY), splat(f32::NEG_INFINITY));
    for p in triangles.iter().flat_map(|t| t.p) {
        b = (each(b.0, p, f32::min), each(b.1, p, f32::max));
    }
    b
}

fn middle(t: &Triangle, axis: usize) -> f32 {
    t.p[0].0[axis] + t.p[1].0[axis] + t.p[2].0[axis]
}

impl Tree {
    pub fn new(mut triangles: Vec<Triangle>) -> Self {
        let mut nodes = Vec::new();
        let n = triangles.len();
        build(&mut nodes, &mut triangles, 0, n);
        Self { nodes, triangles }
    }

    /// The nearest triangle between `near` and `far`.
    pub fn nearest(&self, from: V3, dir: V3, near: f32, far: f32) -> Option<Hit> {
        let inverse = dir.map(|d| 1.0 / d);
        let mut best: Option<Hit> = None;
        let mut far = far;
        let mut stack = [0_u32; 64];
        let mut top = 1;
        while top > 0 {
            top -= 1;
            let index = stack[top] as usize;
            let node = &self.nodes[index];
            if enter(node, from, inverse, far).is_none() {
                continue;
            }
            if node.count > 0 {
                for k in node.link..node.link + node.count {
                    if let Some((t, uv)) = meet(&self.triangles[k as usize], from, dir, near, far) {
                        far = t;
                        best = Some(Hit { distance: t, triangle: k as usize, uv });
                    }
                }
                continue;
            }
            let (a, b) = (index as u32 + 1, node.link);
            let (ta, tb) = (
                enter(&self.nodes[a as usize], from, inverse, far).unwrap_or(f32::INFINITY),
                enter(&self.nodes[b as usize], from, inverse, far).unwrap_or(f32::INFINITY),
            );
            let (first, second) = if ta < tb { (a, b) } else { (b, a) };
            if ta.max(tb) < f32::INFINITY {
                stack[top] = second;
                top += 1;
            }
            if ta.min(tb) < f32::INFINITY {
                stack[top] = first;
                top += 1;
            }
        }
        best
    }
}

fn enter(node: &Node, from: V3, inverse: V3, far: f32) -> Option<f32> {
    let (a, b) = ((node.low - from) * inverse, (node.high - from) * inverse);
    let (lo, hi) = (each(a, b, f32::min), each(a, b, f32::max));
    let start = lo.0[0].max(lo.0[1]).max(lo.0[2]).max(0.0);
    let end = hi.0[0].min(hi.0[1]).min(hi.0[2]).min(far);
    (start <= end).then_some(start)
}

/// Moeller and Trumbore 1997.
fn meet(t: &Triangle, from: V3, dir: V3, near: f32, far: f32) -> Option<(f32, [f32; 2])> {
    let (e1, e2) = (t.p[1] - t.p[0], t.p[2] - t.p[0]);
    let p = dir.cross(e2);
    let det = e1.dot(p);
    if det.abs() < 1e-14 {
        return None;
    }
    let inv = 1.0 / det;
    let s = from - t.p[0];
    let u = s.dot(p) * inv;
    if !(0.0..=1.0).contains(&u) {
        return None;
    }
    let q = s.cross(e1);
    let w = dir.dot(q) * inv;
    if w < 0.0 || u + w > 1.0 {
        return None;
    }
    let distance = e2.dot(q) * inv;
    (distance > near && distance < far).then_some((distance, [u, w]))
}

fn build(nodes: &mut Vec<Node>, triangles: &mut [Triangle], start: usize, end: usize) {
    let (low, high) = bounds(&triangles[start..end]);
    let here = nodes.len();
    nodes.push(Node { low, high, link: start as u32, count: (end - start) as u32 });
    if end - start <= 4 {
        return;
    }
    let Some((axis, at)) = best_cut(&triangles[start..end]) else { return };
    let slice = &mut triangles[start..end];
    slice.sort_unstable_by(|a, b| middle(a, axis).total_cmp(&middle(b, axis)));
    let cut = start + slice.partition_point(|t| middle(t, axis) < at).clamp(1, slice.len() - 1);
    build(nodes, triangles, start, cut);
    nodes[here].link = nodes.len() as u32;
    nodes[here].count = 0;
    build(nodes, triangles, cut, end);
}

/// The cut with the least surface area heuristic over 12 bins an axis.
fn best_cut(triangles: &[Triangle]) -> Option<(usize, f32)> {
    const BINS: usize = 12;
    let area = |(a, b): (V3, V3)| {
        let d = b - a;
        d.0[0] * d.0[1] + d.0[1] * d.0[2] + d.0[2] * d.0[0]
    };
    let mut best: Option<(f32, usize, f32)> = None;
    for axis in 0..3 {
        let (lo, hi) = triangles
            .iter()
            .map(|t| middle(t, axis))
            .fold((f32::INFINITY, f32::NEG_INFINITY), |(a, b), m| (a.min(m), b.max(m)));
        if hi - lo < 1e-9 {
            continue;
        }
        let mut bins = [(splat(f32::INFINITY), splat(f32::NEG_INFINITY), 0_usize); BINS];
        for t in triangles {
            let bin = &mut bins[(((middle(t, axis) - lo) / (hi - lo) * BINS as f32) as usize).min(BINS - 1)];
            for p in t.p {
                (bin.0, bin.1) = (each(bin.0, p, f32::min), each(bin.1, p, f32::max));
            }
            bin.2 += 1;
        }
        let cost = |part: &[(V3, V3, usize)]| {
            let all = part
                .iter()
                .filter(|b| b.2 > 0)
                .fold((splat(f32::INFINITY), splat(f32::NEG_INFINITY)), |a, b| {
                    (each(a.0, b.0, f32::min), each(a.1, b.1, f32::max))
                });
            let count: usize = part.iter().map(|b| b.2).sum();
            if count == 0 { 0.0 } else { area(all) * count as f32 }
        };
        for k in 1..BINS {
            let c = cost(&bins[..k]) + cost(&bins[k..]);
            if best.is_none_or(|b| c < b.0) {
                best = Some((c, axis, lo + (hi - lo) * k as f32 / BINS as f32));
            }
        }
    }
    best.map(|(_, axis, at)| (axis, at))
}
