//! Gate weave: a frame that does not quite stand still in the gate.

use super::FrameGeometry;
use super::chain::{Before, Ready, Stage, Wide};
use super::columns::Columns;
use super::noise::{key, slow};
use super::scanline::{Ring, SIDE, Scanline, held};
use crate::field::parameters;
use crate::numeric::lane;

parameters! {
    /// A slow wandering of the frame.
    GateWeave {
        /// How far it wanders from side to side, as a deviation. A good gate: some micrometres; a worn one: tens.
        across: "Across", Micrometres, number(0.0, 200.0, 8.0, 0.5);
        /// How far it wanders up and down, as a deviation.
        down: "Up and down", Micrometres, number(0.0, 200.0, 12.0, 0.5);
        /// Frames from one turn to the next.
        slowness: "Slowness", Plain, number(1.0, 48.0, 4.0, 0.5);
        /// Another number wanders differently.
        seed: "Seed", Plain, number(0.0, 9999.0, 1.0, 1.0);
    }
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct WeaveKernel {
    by: [f64; 2],
    slowness: f64,
    keys: [u32; 2],
}

impl GateWeave {
    /// The step at a strength.
    pub fn kernel(&self, strength: f64) -> WeaveKernel {
        let seed = self.seed as u32;
        WeaveKernel {
            by: [self.across * strength, self.down * strength],
            slowness: self.slowness,
            keys: [key(seed, 0, 31), key(seed, 0, 32)],
        }
    }
}

/// Weights of four pixels for a value a share of the way from the second to the third: the cubic with continuous slope
/// through all of them.
fn cubic(t: f64) -> [f32; 4] {
    let (t2, t3) = (t * t, t * t * t);
    [
        0.5 * (-t3 + 2.0 * t2 - t),
        0.5 * (3.0 * t3 - 5.0 * t2 + 2.0),
        0.5 * (-3.0 * t3 + 4.0 * t2 + t),
        0.5 * (t3 - t2),
    ]
    .map(|v| v as f32)
}

impl WeaveKernel {
    /// Where a frame stands, in micrometres to the right and down.
    pub fn place(&self, frame: u32) -> [f64; 2] {
        [0, 1].map(|i| self.by[i] * slow(self.keys[i], frame, self.slowness))
    }

    /// Its radius in micrometres.
    pub fn radius(&self) -> f64 {
        4.0 * self.by[0].max(self.by[1])
    }

    /// Moves a picture; its edges go on as they end.
    pub(super) fn ready<'a>(&self, geometry: &FrameGeometry) -> Ready<'a> {
        let by = self.place(geometry.frame).map(|v| -v / geometry.pitch);
        let whole = by.map(f64::floor);
        let taps = [cubic(by[0] - whole[0]), cubic(by[1] - whole[1])];
        Ready::wide(Move { height: geometry.size[1], taps, whole: whole.map(|v| v as isize) })
    }
}

/// A move by whole pixels, and by a share of one across and down.
struct Move {
    height: usize,
    taps: [[f32; 4]; 2],
    whole: [isize; 2],
}

struct Moving<'a> {
    of: &'a Move,
    ring: Ring,
    long: Vec<f32>,
}

impl Wide for Move {
    fn stage(&self, columns: &Columns) -> Box<dyn Stage + '_> {
        let width = columns.count;
        let long = vec![0.0; width.next_multiple_of(SIDE) + SIDE + 4];
        Box::new(Moving { of: self, ring: Ring::new(width, 4), long })
    }

    fn halo(&self) -> usize {
        self.whole[0].unsigned_abs() + 2
    }
}

impl Stage for Moving<'_> {
    fn row(&mut self, y: usize, out: &mut Scanline, before: &mut Before<'_>) {
        let (top, h) = (y as isize + self.of.whole[1], self.of.height);
        while let Some((at, line)) = self.ring.missing(held(top - 1, h), held(top + 2, h)) {
            before(at, line);
        }
        lane::vectorised(Moved { of: self.of, ring: &self.ring, top, out, long: &mut self.long });
    }
}

/// One row of the moved frame.
struct Moved<'a> {
    of: &'a Move,
    ring: &'a Ring,
    top: isize,
    out: &'a mut Scanline,
    long: &'a mut [f32],
}

impl pulp::NullaryFnOnce for Moved<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { of: Move { height, taps, whole }, ring, top, out, long } = self;
        let [across, down] = *taps;
        let (w, start) = (out.width() as isize, whole[0] - 1);
        for c in 0..3 {
            let rows = [-1, 0, 1, 2].map(|d| ring.get(held(top + d, *height)).plane(c));
            let tall = out.plane_mut(c);
            let n = tall.len();
            four(tall, rows, down);
            // That row from `start` on; beyond its ends it goes on as it ends.
            let (from, to) = (start.clamp(0, w), (start + w + 3).clamp(0, w));
            let lead = (from - start).clamp(0, w + 3) as usize;
            let end = lead + (to - from).max(0) as usize;
            let long = &mut *long;
            long[..lead].fill(tall[0]);
            long[lead..end].copy_from_slice(&tall[from as usize..to.max(from) as usize]);
            long[end..].fill(tall[w as usize - 1]);
            four(tall, [&long[..n], &long[1..n + 1], &long[2..n + 2], &long[3..n + 3]], across);
        }
    }
}

/// The sum of four rows by weights.
#[inline(always)]
fn four(out: &mut [f32], rows: [&[f32]; 4], by: [f32; 4]) {
    let n = out.len();
    let [a, b, c, d] = [&rows[0][..n], &rows[1][..n], &rows[2][..n], &rows[3][..n]];
    for i in 0..n {
        out[i] = by[3].mul_add(d[i], by[2].mul_add(c[i], by[1].mul_add(b[i], by[0] * a[i])));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::texture::Texture;

    #[test]
    fn a_frame_moves_by_where_it_stands_and_comes_back() {
        let step = GateWeave { across: 60.0, down: 90.0, ..Default::default() };
        let kernel = step.kernel(1.0);
        let (w, h) = (128, 72);
        let geometry = FrameGeometry::whole(w, h, 2.0, 11);
        // A soft spot in the middle.
        let spot = |x: f64, y: f64| (-((x - 64.0).powi(2) + (y - 36.0).powi(2)) / 50.0).exp() as f32;
        let mut pixels: Vec<[f32; 4]> =
            (0..w * h).map(|i| [spot((i % w) as f64, (i / w) as f64), 0.0, 0.0, 1.0]).collect();
        Texture::GateWeave(kernel.clone()).run(&mut pixels, &geometry);
        let sum: f64 = pixels.iter().map(|p| f64::from(p[0])).sum();
        let centre = [0, 1].map(|axis| {
            let at = |i: usize| if axis == 0 { i % w } else { i / w };
            pixels.iter().enumerate().map(|(i, p)| f64::from(p[0]) * at(i) as f64).sum::<f64>() / sum
        });
        let want = kernel.place(11).map(|um| um / geometry.pitch);
        assert!(want[0].abs() > 0.3, "{want:?}");
        assert!(
            (centre[0] - 64.0 - want[0]).abs() < 0.02 && (centre[1] - 36.0 - want[1]).abs() < 0.02,
            "{centre:?} {want:?}"
        );
    }
}
