//! Noise from a hash of place, frame and seed: the same on every machine, without a pattern that repeats.

use std::sync::LazyLock;

/// Mixes the bits of a word: two rounds of multiply and shift-xor with constants found by a search for low bias
/// (public domain; the bias is measured in the tests below).
#[inline(always)]
pub fn mix(x: u32) -> u32 {
    let x = (x ^ (x >> 16)).wrapping_mul(0x7feb_352d);
    let x = (x ^ (x >> 15)).wrapping_mul(0x846c_a68b);
    x ^ (x >> 16)
}

/// A key for one use of noise.
pub fn key(seed: u32, frame: u32, what: u32) -> u32 {
    mix(mix(mix(seed.wrapping_add(0x9e37_79b9)) ^ frame).wrapping_add(what.wrapping_mul(0x85eb_ca6b)))
}

/// Nearly normal noise of mean 0 and deviation 1 at a place: the sum of a hash's four bytes.
#[inline(always)]
pub fn normal(key: u32, x: u32, row: u32) -> f32 {
    let h = mix(x.wrapping_mul(0x9e37_79b1) ^ row ^ key);
    // Pairs of bytes are added side by side, then the two sums.
    let pairs = (h & 0x00ff_00ff) + ((h >> 8) & 0x00ff_00ff);
    let sum = (pairs & 0xffff) + (pairs >> 16);
    // Four values of 0..255: mean 510, variance 4 (256^2 - 1) / 12.
    (sum as i32 - 510) as f32 * (1.0 / 147.801_0)
}

/// Pixels that take noise side by side from one place of the table.
const RUN: u32 = 64;

/// Entries of the table of noise: 128 kB, which stay in the second-level cache.
const ENTRIES: usize = 1 << 15;

/// Independent noise, as near to normal as eight bytes make it, of mean 0 and deviation 1 over the whole table.
static NOISE: LazyLock<Vec<f32>> = LazyLock::new(|| {
    let at = |i: u32| f64::from(normal(0x51ed_270b, i, 0)) + f64::from(normal(0x2545_f491, i, 0));
    let all: Vec<f64> = (0..ENTRIES as u32).map(at).collect();
    let mean = all.iter().sum::<f64>() / ENTRIES as f64;
    let deviation = (all.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / ENTRIES as f64).sqrt();
    let run = all.iter().cycle().take(ENTRIES + RUN as usize);
    run.map(|v| ((v - mean) / deviation) as f32).collect()
});

/// White noise for places side by side from `x` on in a row (see [`row`]).
///
/// Every run of 64 places takes its noise from a place in a table that a hash of the run chooses. So nothing comes back
/// at any distance, and a place has the same noise whichever part of the frame is made, at a fraction of what a hash for each
/// pixel costs.
#[inline(always)]
pub fn fill(key: u32, x: u32, row: u32, out: &mut [f32]) {
    let table: &[f32] = &NOISE;
    let mut done = 0;
    while done < out.len() {
        let place = x.wrapping_add(done as u32);
        let (run, within) = (place / RUN, (place % RUN) as usize);
        let count = (RUN as usize - within).min(out.len() - done);
        let from = mix(run.wrapping_mul(0x9e37_79b1) ^ row ^ key) as usize % ENTRIES + within;
        match (out[done..].first_chunk_mut::<{ RUN as usize }>(), table[from..].first_chunk()) {
            // As one: a copy of a length that is not known before is a call.
            (Some(out), Some(run)) if within == 0 => *out = *run,
            _ => out[done..done + count].copy_from_slice(&table[from..from + count]),
        }
        done += count;
    }
}

/// A row's part of the hash.
#[inline(always)]
pub fn row(y: u32) -> u32 {
    mix(y.wrapping_mul(0xc2b2_ae35).wrapping_add(0x27d4_eb2f))
}

/// Slow noise over frames, of deviation about 1: independent values every `slow` frames, cubics between them.
pub fn slow(key: u32, frame: u32, slow: f64) -> f64 {
    let t = f64::from(frame) / slow.max(1.0);
    let (i, f) = (t.floor(), t.fract());
    let at = |d: i64| f64::from(normal(key, (i as i64 + d) as u32, 0));
    let (a, b, c, d) = (at(-1), at(0), at(1), at(2));
    // Uniform cubic B-spline: no frequencies beyond the knots'. Its variance averages 0.479 of theirs.
    let sum = a * (1.0 - f).powi(3)
        + b * (3.0 * f.powi(3) - 6.0 * f * f + 4.0)
        + c * (-3.0 * f.powi(3) + 3.0 * f * f + 3.0 * f + 1.0)
        + d * f.powi(3);
    sum / 6.0 / 0.479_f64.sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn noise_is_even_and_independent_of_its_neighbours_and_of_the_next_frame() {
        let n = 512_u32;
        let field = |frame: u32| -> Vec<f64> {
            let k = key(7, frame, 0);
            let mut field = vec![0.0; (n * n) as usize];
            field.chunks_exact_mut(n as usize).zip(0..).for_each(|(line, y)| fill(k, 0, row(y), line));
            field.into_iter().map(f64::from).collect()
        };
        let (a, b) = (field(0), field(1));
        let mean = |v: &mut dyn Iterator<Item = f64>| v.sum::<f64>() / f64::from(n * n);
        assert!(mean(&mut a.iter().copied()).abs() < 0.01);
        assert!((mean(&mut a.iter().map(|v| v * v)) - 1.0).abs() < 0.01);
        // A correlation of independent values over this many pixels stays below five deviations of 1/512.
        let along = |d: usize| mean(&mut a.iter().zip(a.iter().cycle().skip(d)).map(|(a, b)| a * b));
        for d in [1, 2, 3, 7, 64, n as usize, n as usize + 1, 64 * n as usize] {
            assert!(along(d).abs() < 0.01, "{d}: {}", along(d));
        }
        assert!(mean(&mut a.iter().zip(&b).map(|(a, b)| a * b)).abs() < 0.01);
    }

    #[test]
    fn a_part_of_a_row_has_the_noise_of_the_whole() {
        let (mut whole, mut part) = (vec![0.0; 300], vec![0.0; 90]);
        fill(5, u32::MAX - 20, row(3), &mut whole);
        fill(5, 79, row(3), &mut part);
        assert_eq!(part, whole[100..190]);
    }

    #[test]
    fn slow_noise_moves_little_from_frame_to_frame() {
        let k = key(3, 0, 9);
        let v: Vec<f64> = (0..4000).map(|f| slow(k, f, 8.0)).collect();
        let var = v.iter().map(|v| v * v).sum::<f64>() / 4000.0;
        assert!((var - 1.0).abs() < 0.25, "{var}");
        assert!(v.windows(2).all(|p| (p[1] - p[0]).abs() < 1.0));
    }
}
