//! Training of [`super::trained`]: made-up looks over ungraded pictures, and a ridge regression.
//!
//! The looks are formulas of their own and no steps, so that what is learnt is not the steps' own ways. The same pictures, seed
//! and count give the same numbers.

use super::features::{COUNT, features, probes};
use super::small::{Small, plane};
use super::trained::{apply, gain};
use crate::numeric::least_squares::{cholesky, solve_factored};

/// Weight of the prior that draws the regression to no move, for standardised features.
const RIDGE: f64 = 0.02;
/// Pictures of one look that reliabilities are measured on, and looks, for each half of the pictures.
const TOGETHER: usize = 4;
const LOOKS: usize = 400;
/// An inference is never taken to be less reliable than this.
const LEAST_RELIABLE: f64 = 0.1;

/// Numbers from 0 to 1 (a linear congruential generator; the constants are those of Knuth's MMIX).
pub struct Random(pub u64);

impl Random {
    /// The next one.
    pub fn unit(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1_u64 << 53) as f64
    }

    /// One between two ends.
    pub fn between(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.unit()
    }

    /// Roughly normal, of deviation 1.
    pub fn bell(&mut self) -> f64 {
        (0..6).map(|_| self.unit()).sum::<f64>() * 1.414 - 4.243
    }
}

/// A made-up look on luma and colour differences.
pub struct MadeUp {
    power: f64,
    curve: f64,
    lift: f64,
    gain: f64,
    tints: [[f64; 2]; 3],
    colour: f64,
    dark_colour: f64,
    bumps: Vec<[f64; 3]>,
}

impl MadeUp {
    /// A random one, of a random strength.
    pub fn random(random: &mut Random) -> Self {
        let much = random.between(0.2, 1.3);
        let tint =
            |random: &mut Random, size: f64| [random.bell() * size * much, random.bell() * size * much];
        let shared = tint(random, 0.012);
        let of_tone = |random: &mut Random| {
            let own = tint(random, 0.02);
            [shared[0] + own[0], shared[1] + own[1]]
        };
        let tints = [of_tone(random), of_tone(random), of_tone(random)];
        Self {
            power: (0.18 * much * random.bell()).exp(),
            curve: 0.35 * much * random.bell() + 0.2 * much,
            lift: (0.03 * much * random.bell()).max(-0.02),
            gain: 1.0 - (0.06 * much * random.bell()).abs(),
            tints,
            colour: (0.25 * much * random.bell() - 0.05).exp(),
            dark_colour: (0.25 * much * random.bell()).exp(),
            bumps: (0..3)
                .map(|_| {
                    [random.between(0.0, 360.0), 12.0 * much * random.bell(), 0.2 * much * random.bell()]
                })
                .collect(),
        }
    }

    /// What it makes of code values.
    pub fn on(&self, pixels: &mut [[f32; 4]]) {
        let plane = plane();
        for p in pixels {
            let (y, cb, cr) = plane.split([p[0], p[1], p[2]]);
            let (y, cb, cr) = (f64::from(y).max(0.0), f64::from(cb), f64::from(cr));
            let t = y.powf(self.power).min(1.2);
            // A bend that keeps both ends and the middle.
            let bent = t - self.curve * 0.16 * (2.0 * std::f64::consts::PI * t.min(1.0)).sin();
            let out = self.lift + (self.gain - self.lift) * bent;
            let weights = [(1.0 - y).max(0.0).powi(2), 2.0 * y * (1.0 - y).max(0.0), y * y];
            let tint = [0, 1].map(|i| (0..3).map(|z| weights[z] * self.tints[z][i]).sum::<f64>());
            let hue = cr.atan2(cb).to_degrees();
            let (mut turn, mut factor) =
                (0.0, self.colour * (1.0 + (self.dark_colour - 1.0) * (1.0 - y).max(0.0)));
            for [centre, by, more] in &self.bumps {
                let off = (hue - centre + 180.0).rem_euclid(360.0) - 180.0;
                let near = (-(off / 35.0).powi(2)).exp();
                turn += near * by;
                factor *= 1.0 + near * more;
            }
            let (s, c) = turn.to_radians().sin_cos();
            let (cb, cr) = (factor * (cb * c - cr * s) + tint[0], factor * (cb * s + cr * c) + tint[1]);
            let [r, g, b] = plane.join(out as f32, cb as f32, cr as f32);
            (p[0], p[1], p[2]) = (r.clamp(0.0, 1.0), g.clamp(0.0, 1.0), b.clamp(0.0, 1.0));
        }
    }
}

/// Content as another scene might have it: a part of a picture, or of two, brighter or darker, hues and light a little other.
pub fn varied(pictures: &[Small], random: &mut Random) -> Small {
    let pick =
        |random: &mut Random| &pictures[(random.unit() * pictures.len() as f64) as usize % pictures.len()];
    let mut content = part(pick(random), random);
    if random.unit() < 0.35 {
        let other = part(pick(random), random);
        content.pixels.extend(other.pixels);
        content.height = 1;
        content.width = content.pixels.len();
    }
    let plane = plane();
    let gain = (0.5 * random.bell()).exp2().powf(1.0 / 2.4);
    let (turn, factor) = (random.bell() * 12.0, (0.25 * random.bell()).exp());
    let haze = (0.02 * random.bell()).max(0.0);
    let light = [random.bell() * 0.012, random.bell() * 0.012];
    let (s, c) = turn.to_radians().sin_cos();
    for p in &mut content.pixels {
        let (y, cb, cr) = plane.split([p[0], p[1], p[2]]);
        let (y, cb, cr) = (f64::from(y) * gain, f64::from(cb) * gain * factor, f64::from(cr) * gain * factor);
        // A soft shoulder holds what the gain pushes over white.
        let top = if y > 0.8 { 0.8 + 0.2 * ((y - 0.8) / 0.2).tanh() } else { y };
        let y = haze + (1.0 - haze) * top;
        let (cb, cr) = (cb * c - cr * s + light[0] * y, cb * s + cr * c + light[1] * y);
        let [r, g, b] = plane.join(y as f32, cb as f32, cr as f32);
        (p[0], p[1], p[2]) = (r.clamp(0.0, 1.0), g.clamp(0.0, 1.0), b.clamp(0.0, 1.0));
    }
    content
}

fn part(of: &Small, random: &mut Random) -> Small {
    let share = random.between(0.35, 1.0);
    let (w, h) = (((of.width as f64) * share) as usize, ((of.height as f64) * share) as usize);
    let (w, h) = (w.max(1), h.max(1));
    let x = (random.unit() * (of.width - w + 1) as f64) as usize;
    let y = (random.unit() * (of.height - h + 1) as f64) as usize;
    // Every other pixel and row: what is measured is the same.
    let rows = (y..y + h).step_by(2);
    let pixels =
        rows.flat_map(|r| of.pixels[r * of.width + x..r * of.width + x + w].iter().step_by(2)).copied();
    let pixels: Vec<[f32; 4]> = pixels.collect();
    Small { width: pixels.len(), height: 1, pixels }
}

/// Trains on pictures and gives the numbers of [`super::trained`]. How reliable they are is measured on pictures that were not
/// trained on: each half of them by what the other half gives.
pub fn train(pictures: &[Small], samples: usize, seed: u64) -> Vec<f32> {
    let mut numbers = regression(pictures, samples, seed);
    let halves = [0, 1].map(|h| pictures.iter().skip(h).step_by(2).cloned().collect::<Vec<Small>>());
    if halves.iter().any(Vec::is_empty) {
        return numbers;
    }
    let mut sums = vec![[0.0; 2]; 3 * probes().len()];
    for (i, own) in halves.iter().enumerate() {
        let part = regression(own, samples / 2, seed);
        let mut random = Random(seed + 1 + i as u64);
        for _ in 0..LOOKS {
            let (told, truth) = told(&part, &halves[1 - i], TOGETHER, &mut random);
            for k in 0..sums.len() {
                let constant = f64::from(row(&part, k)[0]);
                // What the mean says of itself: to the regression alone all is reliable.
                let said = told[k / 3][k % 3] - constant;
                sums[k][0] += said * (truth[k / 3][k % 3] - constant);
                sums[k][1] += said * said;
            }
        }
    }
    for (k, [with, own]) in sums.into_iter().enumerate() {
        // The gain that leaves least, turned back into what it is the gain of.
        let best = (with / own.max(1e-12)).clamp(1.0, gain(TOGETHER as f64, LEAST_RELIABLE));
        let share = (TOGETHER as f64 / best - 1.0) / (TOGETHER as f64 - 1.0);
        row_mut(&mut numbers, k)[1] = share as f32;
    }
    numbers
}

/// The numbers of an output: its constant, its reliability, its weights.
fn row(numbers: &[f32], k: usize) -> &[f32] {
    &numbers[2 * COUNT + k * (COUNT + 2)..][..COUNT + 2]
}

fn row_mut(numbers: &mut [f32], k: usize) -> &mut [f32] {
    &mut numbers[2 * COUNT + k * (COUNT + 2)..][..COUNT + 2]
}

/// What numbers tell of a made-up look from `count` pictures that wear it, and what it does.
fn told(
    numbers: &[f32],
    pictures: &[Small],
    count: usize,
    random: &mut Random,
) -> (Vec<[f64; 3]>, Vec<[f64; 3]>) {
    let (probes, plane) = (probes(), plane());
    let contents: Vec<Small> = (0..count).map(|_| varied(pictures, random)).collect();
    let look = MadeUp::random(random);
    let worn = contents.into_iter().map(|mut content| {
        look.on(&mut content.pixels);
        features(&content)
    });
    let told = apply(numbers, &worn.collect::<Vec<_>>());
    let mut moved = probes.clone();
    look.on(&mut moved);
    let before = split(&plane, &probes);
    let moves = split(&plane, &moved).into_iter().zip(&before).map(|(a, b)| [0, 1, 2].map(|c| a[c] - b[c]));
    (told, moves.collect())
}

/// The regression, every output of which says that it is reliable.
fn regression(pictures: &[Small], samples: usize, seed: u64) -> Vec<f32> {
    let mut random = Random(seed);
    let probes = probes();
    let plane = plane();
    let before: Vec<[f64; 3]> = split(&plane, &probes);
    let (mut inputs, mut outputs) = (Vec::new(), Vec::new());
    for _ in 0..samples {
        let mut content = varied(pictures, &mut random);
        let look = MadeUp::random(&mut random);
        look.on(&mut content.pixels);
        inputs.push(features(&content));
        let mut moved = probes.clone();
        look.on(&mut moved);
        let moves = split(&plane, &moved).into_iter().zip(&before);
        outputs.push(moves.flat_map(|(a, b)| [0, 1, 2].map(|c| a[c] - b[c])).collect::<Vec<f64>>());
    }
    let n = samples as f64;
    let means: Vec<f64> = (0..COUNT).map(|i| inputs.iter().map(|x| x[i]).sum::<f64>() / n).collect();
    let scales: Vec<f64> = (0..COUNT)
        .map(|i| 1.0 / (inputs.iter().map(|x| (x[i] - means[i]).powi(2)).sum::<f64>() / n).sqrt().max(1e-6))
        .collect();
    for x in &mut inputs {
        for i in 0..COUNT {
            x[i] = ((x[i] - means[i]) * scales[i]).clamp(-4.0, 4.0);
        }
    }
    let matrix: Vec<Vec<f64>> = (0..COUNT)
        .map(|i| {
            let row = (0..=i).map(|j| inputs.iter().map(|x| x[i] * x[j]).sum::<f64>());
            let mut row: Vec<f64> = row.collect();
            row[i] += RIDGE * n;
            row
        })
        .collect();
    let factor = cholesky(matrix).unwrap_or_default();
    let mut numbers: Vec<f32> = means.iter().chain(&scales).map(|v| *v as f32).collect();
    for k in 0..outputs.first().map_or(0, Vec::len) {
        let constant = outputs.iter().map(|y| y[k]).sum::<f64>() / n;
        let against = (0..COUNT)
            .map(|i| inputs.iter().zip(&outputs).map(|(x, y)| x[i] * (y[k] - constant)).sum())
            .collect();
        numbers.extend([constant as f32, 1.0]);
        numbers.extend(solve_factored(&factor, against).iter().map(|v| *v as f32));
    }
    numbers
}

/// What is left of made-up looks that were not trained on, told from `count` pictures each, as a share of them: root of the
/// mean square over all probes.
pub fn left_over(numbers: &[f32], pictures: &[Small], count: usize, samples: usize, seed: u64) -> f64 {
    let mut random = Random(seed);
    let (mut off, mut all) = (0.0, 0.0);
    for _ in 0..samples {
        let (told, truth) = told(numbers, pictures, count, &mut random);
        for (t, m) in told.iter().flatten().zip(truth.iter().flatten()) {
            off += (m - t).powi(2);
            all += m * m;
        }
    }
    (off / all).sqrt()
}

fn split(plane: &crate::colour::plane::Plane, pixels: &[[f32; 4]]) -> Vec<[f64; 3]> {
    let of = |p: &[f32; 4]| {
        let (y, cb, cr) = plane.split([p[0], p[1], p[2]]);
        [y, cb, cr].map(f64::from)
    };
    pixels.iter().map(of).collect()
}
