//! A tree of boxes over triangles, eight wide, and rays through it.

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

/// Children of a node, and triangles of a leaf: what one vector register holds.
const WIDE: usize = 8;
type Lanes = [f32; WIDE];

/// Marks a child that is a leaf; the rest of the number is the leaf's place.
const LEAF: u32 = 1 << 31;
/// A child that is not there.
const NONE: u32 = u32::MAX;

#[repr(align(32))]
struct Node {
    /// Lower and upper planes of the children's boxes, an axis at a time.
    planes: [[Lanes; 2]; 3],
    children: [u32; WIDE],
}

/// Up to eight triangles: first corners and the two edges from them.
#[repr(align(32))]
struct Leaf {
    corner: [Lanes; 3],
    edges: [[Lanes; 3]; 2],
    first: u32,
}

/// The tree; it owns the triangles in its own order.
pub struct Tree {
    nodes: Vec<Node>,
    leaves: Vec<Leaf>,
    pub triangles: Vec<Triangle>,
}

/// A ray with what its way through boxes needs.
struct Ray {
    from: V3,
    dir: V3,
    inverse: V3,
    near: f32,
}

impl Ray {
    fn new(from: V3, dir: V3, near: f32) -> Self {
        // No division by zero: a ray along an axis leans away from it by nothing that matters.
        Self { from, dir, inverse: dir.map(|d| 1.0 / if d.abs() < 1e-20 { 1e-20 } else { d }), near }
    }
}

impl Tree {
    pub fn new(mut triangles: Vec<Triangle>) -> Self {
        let mut pairs = Vec::new();
        let n = triangles.len();
        build(&mut pairs, &mut triangles, 0, n);
        let mut tree = Self { nodes: Vec::new(), leaves: Vec::new(), triangles };
        tree.gather(&pairs, 0);
        tree
    }

    /// Eight children of a node of the two-wide tree, opened from the largest on, and theirs below them.
    fn gather(&mut self, pairs: &[Pair], root: usize) -> u32 {
        let mut open = vec![root];
        while open.len() < WIDE {
            let inner = (0..open.len()).filter(|k| pairs[open[*k]].count == 0);
            let area = |k: &usize| area(&pairs[open[*k]].bounds);
            let Some(k) = inner.max_by(|a, b| area(a).total_cmp(&area(b))) else { break };
            let pair = open.swap_remove(k);
            open.extend([pair + 1, pairs[pair].link]);
        }
        let here = self.nodes.len();
        self.nodes.push(Node {
            planes: [[[f32::INFINITY; WIDE], [f32::NEG_INFINITY; WIDE]]; 3],
            children: [NONE; WIDE],
        });
        for (lane, k) in open.into_iter().enumerate() {
            let pair = &pairs[k];
            let child = if pair.count > 0 { self.leaf(pair.link, pair.count) } else { self.gather(pairs, k) };
            let node = &mut self.nodes[here];
            node.children[lane] = child;
            for axis in 0..3 {
                node.planes[axis][0][lane] = pair.bounds.0.0[axis];
                node.planes[axis][1][lane] = pair.bounds.1.0[axis];
            }
        }
        here as u32
    }

    fn leaf(&mut self, first: usize, count: usize) -> u32 {
        let none = [[0.0; WIDE]; 3];
        let mut leaf = Leaf { corner: none, edges: [none; 2], first: first as u32 };
        for (lane, t) in self.triangles[first..first + count].iter().enumerate() {
            for axis in 0..3 {
                leaf.corner[axis][lane] = t.p[0].0[axis];
                leaf.edges[0][axis][lane] = (t.p[1] - t.p[0]).0[axis];
                leaf.edges[1][axis][lane] = (t.p[2] - t.p[0]).0[axis];
            }
        }
        self.leaves.push(leaf);
        (self.leaves.len() - 1) as u32 | LEAF
    }

    /// The nearest triangle between `near` and `far`.
    pub fn nearest(&self, from: V3, dir: V3, near: f32, far: f32) -> Option<Hit> {
        let ray = Ray::new(from, dir, near);
        let (mut best, mut far) = (None, far);
        let mut stack = [(0_u32, 0.0_f32); 128];
        let mut top = 1;
        while top > 0 {
            top -= 1;
            let (at, entered) = stack[top];
            if entered > far {
                continue;
            }
            if at & LEAF != 0 {
                let leaf = &self.leaves[(at & !LEAF) as usize];
                let (t, u, w) = leaf.meet(&ray, far);
                for lane in 0..WIDE {
                    if t[lane] < far {
                        far = t[lane];
                        let triangle = leaf.first as usize + lane;
                        best = Some(Hit { distance: far, triangle, uv: [u[lane], w[lane]] });
                    }
                }
                continue;
            }
            let node = &self.nodes[at as usize];
            let enter = node.enter(&ray, far);
            let begin = top;
            for lane in 0..WIDE {
                if enter[lane] < f32::INFINITY {
                    // The nearest lies on top.
                    let mut k = top;
                    while k > begin && stack[k - 1].1 < enter[lane] {
                        stack[k] = stack[k - 1];
                        k -= 1;
                    }
                    stack[k] = (node.children[lane], enter[lane]);
                    top += 1;
                }
            }
        }
        best
    }

    /// What is left of light between two ends of a ray: `through` says what a triangle lets pass, if anything.
    pub fn left(
        &self,
        from: V3,
        dir: V3,
        near: f32,
        far: f32,
        through: impl Fn(&Triangle) -> Option<V3>,
    ) -> V3 {
        let ray = Ray::new(from, dir, near);
        let mut left = splat(1.0);
        let mut stack = [0_u32; 128];
        let mut top = 1;
        while top > 0 {
            top -= 1;
            let at = stack[top];
            if at & LEAF != 0 {
                let leaf = &self.leaves[(at & !LEAF) as usize];
                let (t, ..) = leaf.meet(&ray, far);
                for lane in 0..WIDE {
                    if t[lane] < far {
                        match through(&self.triangles[leaf.first as usize + lane]) {
                            Some(tint) => left = left * tint,
                            None => return splat(0.0),
                        }
                    }
                }
                continue;
            }
            let node = &self.nodes[at as usize];
            let enter = node.enter(&ray, far);
            for lane in 0..WIDE {
                if enter[lane] < f32::INFINITY {
                    stack[top] = node.children[lane];
                    top += 1;
                }
            }
        }
        left
    }
}

fn lower(a: f32, b: f32) -> f32 {
    if a < b { a } else { b }
}

fn higher(a: f32, b: f32) -> f32 {
    if a > b { a } else { b }
}

impl Node {
    /// Where a ray enters each child's box; infinity where it misses it.
    #[inline]
    fn enter(&self, ray: &Ray, far: f32) -> Lanes {
        let (mut start, mut end) = ([0.0; WIDE], [far; WIDE]);
        for axis in 0..3 {
            let (o, i) = (ray.from.0[axis], ray.inverse.0[axis]);
            let side = usize::from(i < 0.0);
            let (first, last) = (&self.planes[axis][side], &self.planes[axis][1 - side]);
            for k in 0..WIDE {
                start[k] = higher((first[k] - o) * i, start[k]);
                end[k] = lower((last[k] - o) * i, end[k]);
            }
        }
        for k in 0..WIDE {
            // A box is a little wider than f32 says: no ray slips through its rim.
            start[k] = if start[k] <= end[k] * 1.000_000_5 { start[k] } else { f32::INFINITY };
        }
        start
    }
}

impl Leaf {
    /// Distances to the triangles, infinity where a ray misses, with the weights of their corners: Moeller and
    /// Trumbore 1997, eight at a time.
    #[inline]
    fn meet(&self, ray: &Ray, far: f32) -> (Lanes, Lanes, Lanes) {
        let [dx, dy, dz] = ray.dir.0;
        let [ox, oy, oz] = ray.from.0;
        let ([cx, cy, cz], [[ax, ay, az], [bx, by, bz]]) = (&self.corner, &self.edges);
        let (mut t, mut u, mut w) = ([0.0; WIDE], [0.0; WIDE], [0.0; WIDE]);
        for k in 0..WIDE {
            let p = [dy * bz[k] - dz * by[k], dz * bx[k] - dx * bz[k], dx * by[k] - dy * bx[k]];
            let det = ax[k] * p[0] + ay[k] * p[1] + az[k] * p[2];
            let inv = 1.0 / det;
            let s = [ox - cx[k], oy - cy[k], oz - cz[k]];
            u[k] = (s[0] * p[0] + s[1] * p[1] + s[2] * p[2]) * inv;
            let q = [s[1] * az[k] - s[2] * ay[k], s[2] * ax[k] - s[0] * az[k], s[0] * ay[k] - s[1] * ax[k]];
            w[k] = (dx * q[0] + dy * q[1] + dz * q[2]) * inv;
            let distance = (bx[k] * q[0] + by[k] * q[1] + bz[k] * q[2]) * inv;
            let met = (det.abs() > 1e-14)
                & (u[k] >= 0.0)
                & (w[k] >= 0.0)
                & (u[k] + w[k] <= 1.0)
                & (distance > ray.near)
                & (distance < far);
            t[k] = if met { distance } else { f32::INFINITY };
        }
        (t, u, w)
    }
}

/// A node of the two-wide tree that the wide one is gathered from.
struct Pair {
    bounds: (V3, V3),
    /// First triangle of a leaf, or index of the second child (the first follows its parent).
    link: usize,
    /// Triangles in a leaf; 0 for an inner node.
    count: usize,
}

fn each(a: V3, b: V3, f: impl Fn(f32, f32) -> f32) -> V3 {
    v(f(a.0[0], b.0[0]), f(a.0[1], b.0[1]), f(a.0[2], b.0[2]))
}

fn area((a, b): &(V3, V3)) -> f32 {
    let d = *b - *a;
    d.0[0] * d.0[1] + d.0[1] * d.0[2] + d.0[2] * d.0[0]
}

const NOTHING: (V3, V3) = (splat(f32::INFINITY), splat(f32::NEG_INFINITY));

fn bounds(triangles: &[Triangle]) -> (V3, V3) {
    triangles.iter().flat_map(|t| t.p).fold(NOTHING, |b, p| (each(b.0, p, f32::min), each(b.1, p, f32::max)))
}

fn middle(t: &Triangle, axis: usize) -> f32 {
    t.p[0].0[axis] + t.p[1].0[axis] + t.p[2].0[axis]
}

fn build(pairs: &mut Vec<Pair>, triangles: &mut [Triangle], start: usize, end: usize) {
    let here = pairs.len();
    pairs.push(Pair { bounds: bounds(&triangles[start..end]), link: start, count: end - start });
    let slice = &mut triangles[start..end];
    if slice.len() <= WIDE {
        return;
    }
    // Where no cut is better than another, the middle one.
    let cut = match best_cut(slice) {
        Some((axis, at)) => {
            let (mut below, mut k) = (0, 0);
            while k < slice.len() {
                if middle(&slice[k], axis) < at {
                    slice.swap(below, k);
                    below += 1;
                }
                k += 1;
            }
            below.clamp(1, slice.len() - 1)
        }
        None => slice.len() / 2,
    };
    build(pairs, triangles, start, start + cut);
    pairs[here].link = pairs.len();
    pairs[here].count = 0;
    build(pairs, triangles, start + cut, end);
}

/// The cut with the least surface area heuristic over 12 bins an axis.
fn best_cut(triangles: &[Triangle]) -> Option<(usize, f32)> {
    const BINS: usize = 12;
    let mut best: Option<(f32, usize, f32)> = None;
    for axis in 0..3 {
        let (lo, hi) = triangles
            .iter()
            .map(|t| middle(t, axis))
            .fold((f32::INFINITY, f32::NEG_INFINITY), |(a, b), m| (a.min(m), b.max(m)));
        if hi - lo < 1e-9 {
            continue;
        }
        let mut bins = [(NOTHING, 0_usize); BINS];
        for t in triangles {
            let bin = &mut bins[(((middle(t, axis) - lo) / (hi - lo) * BINS as f32) as usize).min(BINS - 1)];
            for p in t.p {
                bin.0 = (each(bin.0.0, p, f32::min), each(bin.0.1, p, f32::max));
            }
            bin.1 += 1;
        }
        let cost = |part: &[((V3, V3), usize)]| {
            let all = part
                .iter()
                .filter(|b| b.1 > 0)
                .fold(NOTHING, |a, (b, _)| (each(a.0, b.0, f32::min), each(a.1, b.1, f32::max)));
            let count: usize = part.iter().map(|b| b.1).sum();
            if count == 0 { 0.0 } else { area(&all) * count as f32 }
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
