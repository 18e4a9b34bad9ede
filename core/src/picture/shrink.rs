//! Pictures made smaller by averaging, a row at a time.

use super::Picture;
use crate::numeric::lane;

/// A picture made smaller while its rows come, from the top: the whole of it need never be in memory.
///
/// Averages are exact box averages with fractional edges, in the values as they are: hand it linear light.
#[derive(Clone, Debug)]
pub struct Shrink {
    size: [usize; 2],
    /// What each column and each row of the smaller picture takes; nothing where the picture fits as it is.
    shares: Option<[Vec<Share>; 2]>,
    /// Rows that came.
    came: usize,
    /// The row of the smaller picture that adds up, and what it has so far.
    at: usize,
    sum: Vec<[f32; 4]>,
    pixels: Vec<[f32; 4]>,
}

/// The first of the neighbours that a place takes from, and the shares of it and those after it. They add up to one.
type Share = (usize, Vec<f32>);

impl Shrink {
    /// Takes a picture of this width and height, neither of them zero, to at most another, in its own proportions.
    pub fn new(from: [usize; 2], most: [usize; 2]) -> Self {
        let scale = (most[0] as f64 / from[0] as f64).min(most[1] as f64 / from[1] as f64);
        let fits = scale >= 1.0;
        let size = if fits { from } else { from.map(|v| ((v as f64 * scale).round() as usize).max(1)) };
        Self {
            size,
            shares: (!fits).then(|| [shares(from[0], size[0]), shares(from[1], size[1])]),
            came: 0,
            at: 0,
            sum: vec![[0.0; 4]; if fits { 0 } else { from[0] }],
            pixels: Vec::with_capacity(size[0] * size[1]),
        }
    }

    /// Whether the picture becomes smaller at all.
    pub fn shrinks(&self) -> bool {
        self.shares.is_some()
    }

    /// Takes the next row, of the picture's width. Rows beyond its height do not count.
    pub fn row(&mut self, row: &[[f32; 4]]) {
        let Some([across, down]) = &self.shares else {
            let room = self.size[0] * self.size[1] - self.pixels.len();
            self.pixels.extend_from_slice(&row[..row.len().min(room)]);
            return;
        };
        let y = self.came;
        self.came += 1;
        // The last row of one place may be the first of the next.
        while let Some((from, parts)) = down.get(self.at)
            && let Some(share) = y.checked_sub(*from).and_then(|k| parts.get(k))
        {
            lane::vectorised(Add { share: *share, row, sum: &mut self.sum });
            if y + 1 < from + parts.len() {
                return;
            }
            lane::vectorised(Narrow { across, sums: &mut self.sum, pixels: &mut self.pixels });
            self.at += 1;
        }
    }

    /// The smaller picture. What rows that never came would have been is black.
    pub fn picture(mut self) -> Picture {
        let [width, height] = self.size;
        self.pixels.resize(width * height, [0.0; 4]);
        Picture { width, height, pixels: self.pixels }
    }
}

/// Adds a row's share to sums.
struct Add<'a> {
    share: f32,
    row: &'a [[f32; 4]],
    sum: &'a mut [[f32; 4]],
}

impl pulp::NullaryFnOnce for Add<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        for (sum, v) in self.sum.as_flattened_mut().iter_mut().zip(self.row.as_flattened()) {
            *sum += self.share * v;
        }
    }
}

/// Makes a row of the smaller picture out of sums, which begin anew.
struct Narrow<'a> {
    across: &'a [Share],
    sums: &'a mut [[f32; 4]],
    pixels: &'a mut Vec<[f32; 4]>,
}

impl pulp::NullaryFnOnce for Narrow<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        for (from, parts) in self.across {
            let mut sum = [0.0_f32; 4];
            for (p, share) in self.sums[*from..].iter().zip(parts) {
                for c in 0..4 {
                    sum[c] += share * p[c];
                }
            }
            self.pixels.push(sum);
        }
        self.sums.fill([0.0; 4]);
    }
}

/// What each of `to` places takes of `from` neighbours.
fn shares(from: usize, to: usize) -> Vec<Share> {
    let step = from as f64 / to as f64;
    let of = |place: usize| {
        let (a, b) = (place as f64 * step, ((place + 1) as f64 * step).min(from as f64));
        let first = a as usize;
        let end = (b.ceil() as usize).clamp(first + 1, from);
        let share = |i: usize| ((b.min(i as f64 + 1.0) - a.max(i as f64)).max(0.0) / (b - a)) as f32;
        (first, (first..end).map(share).collect())
    };
    (0..to).map(of).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        // Each place is the mean of the area under it: worked out apart, over whole areas in double precision.
        #[test]
        fn every_place_is_the_mean_of_the_area_under_it(
            (from, values) in (1_usize..24, 1_usize..24)
                .prop_flat_map(|(w, h)| (Just([w, h]), prop::collection::vec(0.0_f32..1.0, w * h))),
            most in (1_usize..24, 1_usize..24),
        ) {
            let [w, h] = from;
            let picture = Picture::new(w, h, values.iter().map(|v| [*v, 1.0 - v, 2.0 * v, 1.0]).collect()).unwrap();
            let small = picture.fit_within(most.0, most.1);
            if w <= most.0 && h <= most.1 {
                prop_assert_eq!(small, picture);
                return Ok(());
            }
            prop_assert!(small.width() <= most.0 && small.height() <= most.1);
            let (sx, sy) = (w as f64 / small.width() as f64, h as f64 / small.height() as f64);
            let covered = |place: usize, step: f64, i: usize| {
                ((i + 1) as f64).min((place + 1) as f64 * step) - (i as f64).max(place as f64 * step)
            };
            for v in 0..small.height() {
                for u in 0..small.width() {
                    let mut sum = 0.0;
                    for y in 0..h {
                        for x in 0..w {
                            let area = covered(u, sx, x).max(0.0) * covered(v, sy, y).max(0.0);
                            sum += area * f64::from(values[y * w + x]);
                        }
                    }
                    let got = f64::from(small.pixels[v * small.width() + u][0]);
                    prop_assert!((got - sum / (sx * sy)).abs() < 1e-5, "{u} {v}: {got} {}", sum / (sx * sy));
                }
            }
        }
    }

    #[test]
    fn rows_too_many_or_too_few_are_no_harm() {
        for most in [[2, 2], [4, 4]] {
            let mut none = Shrink::new([4, 3], most);
            none.row(&[[1.0; 4]; 4]);
            let picture = none.picture();
            assert_eq!(picture.pixels.len(), picture.width() * picture.height());
            let mut many = Shrink::new([4, 3], most);
            (0..9).for_each(|_| many.row(&[[1.0; 4]; 4]));
            assert!(many.picture().pixels.iter().flatten().all(|v| (v - 1.0).abs() < 1e-6));
        }
    }
}
