//! A picture taken: many paths a pixel, kept in parts and in two halves that tell how noisy they are.

use crate::dice::Dice;
use crate::light::{Seen, Set};
use crate::vector::V3;
use rayon::prelude::*;

/// What a pixel gathered.
#[derive(Clone, Copy, Default)]
pub struct Pixel {
    /// Means of the two halves of all whole paths.
    pub halves: [Part; 2],
    /// Over all paths, also those that only looked: light seen straight and reflectance, by halves too, direction and
    /// nearness.
    pub shines: [V3; 2],
    pub paints: [V3; 2],
    pub normal: V3,
    pub near: f32,
    /// Variance of the means of paint, normal and nearness.
    pub varied: [f32; 3],
    paths: f32,
    squares: [f32; 3],
    /// The least and the most light a path saw straight, and the like of paint.
    lights: [f32; 2],
    tones: [f32; 2],
}

/// What whole paths gathered: see [`Seen`].
#[derive(Clone, Copy, Default)]
pub struct Part {
    pub matte: V3,
    pub paint: V3,
    pub gloss: V3,
}

impl Part {
    /// Light on matte paint: what it gives back over its reflectance.
    pub fn lit(&self) -> V3 {
        V3([0, 1, 2].map(|c| if self.paint.0[c] > 1e-4 { self.matte.0[c] / self.paint.0[c] } else { 0.0 }))
    }
}

impl Pixel {
    fn add(&mut self, s: &Seen) {
        self.shines[self.paths as usize % 2] += s.shine;
        self.paints[self.paths as usize % 2] += s.paint;
        self.normal += s.normal;
        self.near += s.near;
        let squares = [s.paint.dot(s.paint), s.normal.dot(s.normal), s.near * s.near];
        for (sum, one) in self.squares.iter_mut().zip(squares) {
            *sum += one;
        }
        let (shine, paint) = (s.shine.max(), s.paint.max());
        if self.paths == 0.0 {
            (self.lights, self.tones) = ([shine; 2], [paint; 2]);
        }
        self.lights = [self.lights[0].min(shine), self.lights[1].max(shine)];
        self.tones = [self.tones[0].min(paint), self.tones[1].max(paint)];
        self.paths += 1.0;
    }

    /// Reflectance over all paths.
    pub fn paint(&self) -> V3 {
        (self.paints[0] + self.paints[1]) * 0.5
    }

    /// Sums become means.
    fn settled(mut self) -> Self {
        let share = 1.0 / self.paths.max(1.0);
        self.shines = self.shines.map(|s| s * (share * 2.0));
        self.paints = self.paints.map(|s| s * (share * 2.0));
        self.normal = self.normal * share;
        self.near *= share;
        let paint = self.paint();
        let means = [paint.dot(paint), self.normal.dot(self.normal), self.near * self.near];
        for k in 0..3 {
            self.varied[k] = (self.squares[k] * share - means[k]).max(0.0) * share;
        }
        self
    }
}

/// A picture in parts, rows from the top.
pub struct Frame {
    pub width: usize,
    pub height: usize,
    pub pixels: Vec<Pixel>,
}

/// Paths that only look, for each whole one, where a pixel holds a lamp's edge: lamps are so much brighter than what is
/// beside them that a path in a hundred shows.
const LOOKS: usize = 24;
/// The same where only paint changes inside a pixel.
const LOOKS_AT_PAINT: usize = 3;

impl Frame {
    /// Takes the picture with `paths` whole paths a pixel (even); `progress` is told the share of the work done.
    pub fn take(set: &Set, [width, height]: [usize; 2], paths: usize, progress: impl Fn(f32) + Sync) -> Self {
        let size = [width, height];
        let done = std::sync::atomic::AtomicUsize::new(0);
        let tell = || {
            let rows = done.fetch_add(1, std::sync::atomic::Ordering::Relaxed) + 1;
            progress(rows as f32 / (2 * height) as f32);
        };
        let mut pixels = vec![Pixel::default(); width * height];
        pixels.par_chunks_mut(width).enumerate().for_each(|(y, row)| {
            for (x, pixel) in row.iter_mut().enumerate() {
                let seed = (y * width + x) as u64;
                let half = paths.div_ceil(2).max(1);
                for h in 0..2_usize {
                    let mut sum = Part::default();
                    for k in 0..half {
                        let seen =
                            set.path([x, y], size, true, &mut Dice::nth(seed << 2 | h as u64, k as u32));
                        sum.matte += seen.matte;
                        sum.paint += seen.paint;
                        sum.gloss += seen.gloss;
                        pixel.add(&seen);
                    }
                    let share = 1.0 / half as f32;
                    pixel.halves[h] =
                        Part { matte: sum.matte * share, paint: sum.paint * share, gloss: sum.gloss * share };
                }
            }
            tell();
        });
        let looks: Vec<usize> = (0..width * height)
            .into_par_iter()
            .map(|i| paths * looks(&pixels, size, [i % width, i / width]))
            .collect();
        pixels.par_chunks_mut(width).zip(looks.par_chunks(width)).enumerate().for_each(
            |(y, (row, looks))| {
                for (x, (pixel, looks)) in row.iter_mut().zip(looks).enumerate() {
                    let seed = (y * width + x) as u64;
                    for k in 0..*looks {
                        pixel.add(&set.path([x, y], size, false, &mut Dice::nth(seed << 2 | 2, k as u32)));
                    }
                    *pixel = pixel.settled();
                }
                tell();
            },
        );
        Self { width, height, pixels }
    }
}

/// How many paths more, for each whole one, a pixel needs that only look: by how its surroundings changed.
fn looks(pixels: &[Pixel], [w, h]: [usize; 2], [x, y]: [usize; 2]) -> usize {
    let (mut lamp, mut paint) = (false, false);
    for b in y.saturating_sub(2)..(y + 3).min(h) {
        for a in x.saturating_sub(2)..(x + 3).min(w) {
            let p = &pixels[b * w + a];
            lamp |= p.lights[1] > 0.5 && p.lights[1] > 1.5 * p.lights[0] + 0.1;
            let near = a.abs_diff(x) < 2 && b.abs_diff(y) < 2;
            paint |= near && p.tones[1] > 1.25 * p.tones[0] + 0.01;
        }
    }
    if lamp {
        LOOKS
    } else if paint {
        LOOKS_AT_PAINT
    } else {
        0
    }
}

/// A picture without cleaning: what the parts add up to.
#[cfg(test)]
pub fn plain(frame: &Frame) -> Vec<V3> {
    frame
        .pixels
        .iter()
        .map(|p| {
            let [a, b] = p.halves.map(|h| h.matte + h.gloss);
            (a + b + p.shines[0] + p.shines[1]) * 0.5
        })
        .collect()
}
