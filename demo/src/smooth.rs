//! Taking the last noise out of a render.

use lantern_core::picture::Picture;
use rayon::prelude::*;

/// Half the side of the window that a pixel looks for its like in, and of the neighbourhoods compared.
const SEARCH: isize = 9;
const PATCH: isize = 2;
/// Half the side of the window that noise is judged over.
const AROUND: isize = 5;

/// A picture in log light with its edges repeated outward.
struct Log {
    w: usize,
    h: usize,
    values: Vec<[f32; 3]>,
}

impl Log {
    fn at(&self, x: isize, y: isize) -> usize {
        let (x, y) = (x.clamp(0, self.w as isize - 1) as usize, y.clamp(0, self.h as isize - 1) as usize);
        y * self.w + x
    }

    /// Runs a job for every pixel.
    fn each<T: Send>(&self, job: impl Fn(isize, isize) -> T + Sync) -> Vec<T> {
        let (w, h) = (self.w, self.h);
        (0..w * h).into_par_iter().map(|i| job((i % w) as isize, (i / w) as isize)).collect()
    }

    /// Squared difference of the mean neighbourhoods of two pixels, all channels.
    fn apart(&self, [ax, ay]: [isize; 2], [bx, by]: [isize; 2]) -> f32 {
        let mut sum = 0.0;
        for y in -PATCH..=PATCH {
            for x in -PATCH..=PATCH {
                let (a, b) = (self.values[self.at(ax + x, ay + y)], self.values[self.at(bx + x, by + y)]);
                sum += (0..3).map(|c| (a[c] - b[c]).powi(2)).sum::<f32>();
            }
        }
        sum / ((2 * PATCH + 1) as f32).powi(2)
    }

    /// How noisy each place is: the median over its surroundings of a pixel's squared distance from the median of
    /// the eight about it. Medians leave edges and single lights out.
    fn noise(&self) -> Vec<f32> {
        let own = self.each(|x, y| {
            let here = self.values[self.at(x, y)];
            (0..3)
                .map(|c| {
                    let mut about = [0.0; 8];
                    let ring = [(-1, -1), (0, -1), (1, -1), (-1, 0), (1, 0), (-1, 1), (0, 1), (1, 1)];
                    for (v, (dx, dy)) in about.iter_mut().zip(ring) {
                        *v = self.values[self.at(x + dx, y + dy)][c];
                    }
                    about.sort_by(f32::total_cmp);
                    (here[c] - (about[3] + about[4]) / 2.0).powi(2)
                })
                .sum::<f32>()
        });
        self.each(|x, y| {
            let mut all: Vec<f32> = (-AROUND..=AROUND)
                .flat_map(|dy| (-AROUND..=AROUND).map(move |dx| (dx, dy)))
                .map(|(dx, dy)| own[self.at(x + dx, y + dy)])
                .collect();
            let middle = all.len() / 2;
            *all.select_nth_unstable_by(middle, f32::total_cmp).1
        })
    }
}

/// A non-local mean in log light: pixels of a window count by how alike their neighbourhoods are, beyond what the
/// noise at that place explains, so that texture and edges stay and noisy corners are smoothed more.
pub fn without_noise(picture: &Picture) -> Picture {
    let (w, h) = (picture.width(), picture.height());
    let values =
        picture.pixels.iter().map(|p| [p[0], p[1], p[2]].map(|v| (v.max(0.0) + 0.004).log2())).collect();
    let log = Log { w, h, values };
    let noise = log.noise();
    let pixels = log.each(|x, y| {
        let variance = noise[log.at(x, y)];
        let (mut sum, mut weights) = ([0.0_f32; 3], 0.0);
        for dy in -SEARCH..=SEARCH {
            for dx in -SEARCH..=SEARCH {
                // Two noisy neighbourhoods of the same thing differ by twice the noise of one.
                let more = (log.apart([x, y], [x + dx, y + dy]) - 2.0 * variance).max(0.0);
                let weight = (-more / (0.4 * variance + 0.004)).exp();
                let p = &log.values[log.at(x + dx, y + dy)];
                for c in 0..3 {
                    sum[c] += p[c] * weight;
                }
                weights += weight;
            }
        }
        let [r, g, b] = sum.map(|s| (s / weights).exp2() - 0.004);
        [r, g, b, 1.0]
    });
    Picture::new(w, h, pixels).unwrap_or_else(|_| picture.clone())
}
