//! Gate weave: a frame that does not quite stand still in the gate.

use super::noise::{key, slow};
use super::{Pixels, Plate};
use crate::lane;
use crate::step::field::parameters;
use rayon::prelude::*;

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
pub struct Kernel {
    by: [f64; 2],
    slowness: f64,
    keys: [u32; 2],
}

impl GateWeave {
    /// The step at a strength.
    pub fn kernel(&self, strength: f64) -> Kernel {
        let seed = self.seed as u32;
        Kernel {
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

impl Kernel {
    /// Where a frame stands, in micrometres to the right and down.
    pub fn place(&self, frame: u32) -> [f64; 2] {
        [0, 1].map(|i| self.by[i] * slow(self.keys[i], frame, self.slowness))
    }

    /// How far it reaches in micrometres.
    pub fn reach(&self) -> f64 {
        4.0 * self.by[0].max(self.by[1])
    }

    /// Moves a picture; its edges go on as they end. The picture and `spare` change places.
    pub fn run(&self, pixels: &mut Vec<[f32; 4]>, spare: &mut Vec<[f32; 4]>, plate: &Plate) {
        let by = self.place(plate.frame).map(|v| -v / plate.pitch);
        let whole = by.map(f64::floor);
        let taps = [cubic(by[0] - whole[0]), cubic(by[1] - whole[1])];
        let whole = whole.map(|v| v as isize);
        spare.resize(pixels.len(), [0.0; 4]);
        spare.par_chunks_mut(plate.size[0]).enumerate().for_each_init(Vec::new, |tall, (y, out)| {
            lane::vectorised(Moved { from: pixels, size: plate.size, taps, whole, y, out, tall });
        });
        std::mem::swap(pixels, spare);
    }
}

/// One row of the moved frame.
struct Moved<'a> {
    from: &'a Pixels,
    size: [usize; 2],
    taps: [[f32; 4]; 2],
    whole: [isize; 2],
    y: usize,
    out: &'a mut Pixels,
    tall: &'a mut Vec<[f32; 4]>,
}

impl pulp::NullaryFnOnce for Moved<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let [w, h] = self.size;
        let [across, down] = self.taps;
        let held = |v: isize, n: usize| v.clamp(0, n as isize - 1) as usize;
        // The rows together, then that row with as much on both sides as it moves.
        let rows = [-1, 0, 1, 2].map(|d| {
            let y = held(self.y as isize + self.whole[1] + d, h);
            &self.from[y * w..(y + 1) * w]
        });
        self.tall.resize(2 * w + 3, [0.0; 4]);
        let (tall, long) = self.tall.split_at_mut(w);
        {
            let tall = tall.as_flattened_mut();
            let [a, b, c, d] = rows.map(|r| &r.as_flattened()[..tall.len()]);
            for i in 0..tall.len() {
                tall[i] = down[0] * a[i] + down[1] * b[i] + down[2] * c[i] + down[3] * d[i];
            }
        }
        for (x, p) in long.iter_mut().enumerate() {
            *p = tall[held(x as isize + self.whole[0] - 1, w)];
        }
        for (x, p) in self.out.iter_mut().enumerate() {
            let Some([a, b, c, d]) = long.get(x..x + 4) else { continue };
            for k in 0..4 {
                p[k] = across[0] * a[k] + across[1] * b[k] + across[2] * c[k] + across[3] * d[k];
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_frame_moves_by_where_it_stands_and_comes_back() {
        let step = GateWeave { across: 60.0, down: 90.0, ..Default::default() };
        let kernel = step.kernel(1.0);
        let (w, h) = (128, 72);
        let plate = Plate::whole(w, h, 2.0, 11);
        // A soft spot in the middle.
        let spot = |x: f64, y: f64| (-((x - 64.0).powi(2) + (y - 36.0).powi(2)) / 50.0).exp() as f32;
        let mut pixels: Vec<[f32; 4]> =
            (0..w * h).map(|i| [spot((i % w) as f64, (i / w) as f64), 0.0, 0.0, 1.0]).collect();
        kernel.run(&mut pixels, &mut Vec::new(), &plate);
        let sum: f64 = pixels.iter().map(|p| f64::from(p[0])).sum();
        let centre = [0, 1].map(|axis| {
            let at = |i: usize| if axis == 0 { i % w } else { i / w };
            pixels.iter().enumerate().map(|(i, p)| f64::from(p[0]) * at(i) as f64).sum::<f64>() / sum
        });
        let want = kernel.place(11).map(|um| um / plate.pitch);
        assert!(want[0].abs() > 0.3, "{want:?}");
        assert!(
            (centre[0] - 64.0 - want[0]).abs() < 0.02 && (centre[1] - 36.0 - want[1]).abs() < 0.02,
            "{centre:?} {want:?}"
        );
    }
}
