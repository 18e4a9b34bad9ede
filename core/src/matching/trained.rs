//! What a look does to probe colours, inferred from pictures that wear it.
//!
//! A ridge regression from what a picture is ([`features`]) to the moves of the probes. It was trained on made-up looks over
//! ungraded pictures ([`super::training`]) by `cargo xtask train`; the numbers lie in `trained.bin`.
//!
//! What one picture tells is drawn towards no move, since its own colours may be what seems to be the look. Several pictures
//! of one look have different colours of their own: their mean is trusted by as much more as the Spearman-Brown formula says.
//! Frames of one scene count as hardly more than one.

use super::features::{COUNT, features, probes};
use super::small::Small;
use std::sync::LazyLock;

/// Little-endian f32: means and scales of the features, then for each output its constant, its reliability (see [`gain`])
/// and its weights.
static NUMBERS: LazyLock<Vec<f32>> = LazyLock::new(|| {
    let bytes = include_bytes!("trained.bin");
    bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect()
});

/// Moves of the probes, in luma and colour differences of the Screen zone's code values, by the pictures of one look.
pub fn infer(pictures: &[Small]) -> Vec<[f64; 3]> {
    apply(&NUMBERS, &pictures.iter().map(features).collect::<Vec<_>>())
}

/// How much further the mean of `n` inferences goes than it says itself, each of which is reliable by `share` (the square of
/// its correlation with the truth): where one is drawn in by `share`, the mean need only be drawn in by the Spearman-Brown
/// formula's n share / (1 + (n - 1) share).
pub fn gain(n: f64, share: f64) -> f64 {
    n / (1.0 + (n - 1.0) * share)
}

/// Pictures whose standardised features differ by more than this (half their mean square) count as of other scenes. Two drawn by
/// chance differ by 1, two that wear one look by less. Set by judgement.
const APART: f64 = 0.6;

/// As how many pictures with nothing in common some count: n^2 over the sum of how alike each is to each (the design effect of
/// a sample in clusters).
fn count_as(standard: &[Vec<f64>]) -> f64 {
    let alike = |a: &[f64], b: &[f64]| {
        let apart = a.iter().zip(b).map(|(a, b)| (a - b).powi(2)).sum::<f64>() / (2 * a.len()) as f64;
        (1.0 - apart / APART).max(0.0)
    };
    let all = standard.iter().flat_map(|a| standard.iter().map(|b| alike(a, b))).sum::<f64>();
    (standard.len() as f64).powi(2) / all
}

/// The same with other numbers, from features of each picture.
pub fn apply(numbers: &[f32], pictures: &[Vec<f64>]) -> Vec<[f64; 3]> {
    let count = probes().len();
    if numbers.len() != 2 * COUNT + 3 * count * (COUNT + 2) || pictures.is_empty() {
        return vec![[0.0; 3]; count];
    }
    let (means, rest) = numbers.split_at(COUNT);
    let (scales, rows) = rest.split_at(COUNT);
    let standard = |picture: &Vec<f64>| -> Vec<f64> {
        let all = picture.iter().zip(means).zip(scales);
        all.map(|((v, m), s)| ((v - f64::from(*m)) * f64::from(*s)).clamp(-4.0, 4.0)).collect()
    };
    let standard: Vec<Vec<f64>> = pictures.iter().map(standard).collect();
    // The regression is linear: the mean of what each says is what their mean says.
    let x: Vec<f64> =
        (0..COUNT).map(|i| standard.iter().map(|p| p[i]).sum::<f64>() / standard.len() as f64).collect();
    let n = count_as(&standard);
    let output = |row: &[f32]| -> f64 {
        let said: f64 = row[2..].iter().zip(&x).map(|(w, x)| f64::from(*w) * x).sum();
        f64::from(row[0]) + gain(n, f64::from(row[1])) * said
    };
    let all: Vec<f64> = rows.chunks_exact(COUNT + 2).map(output).collect();
    all.chunks_exact(3).map(|m| [m[0], m[1], m[2]]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_mean_of_several_is_trusted_as_the_best_linear_predictor_does() {
        assert_eq!([gain(1.0, 0.3), gain(4.0, 1.0), gain(4.0, 0.0)], [1.0, 1.0, 4.0]);
        // A truth of variance 1 read with errors of variance v: one reading is drawn in by 1 / (1 + v), the mean of n by
        // 1 / (1 + v / n) (the best linear unbiased predictor of a random effect).
        for v in [0.2, 1.0, 5.0] {
            for n in [1.0, 2.0, 4.0, 8.0] {
                let share = 1.0 / (1.0 + v);
                assert!((share * gain(n, share) - 1.0 / (1.0 + v / n)).abs() < 1e-12, "{v} {n}");
            }
        }
    }

    #[test]
    fn a_picture_given_twice_says_what_it_says_once_and_others_count() {
        let numbers = NUMBERS.clone();
        let off = |by: &dyn Fn(usize) -> f64| -> Vec<f64> {
            (0..COUNT).map(|i| f64::from(numbers[i]) + by(i) / f64::from(numbers[COUNT + i])).collect()
        };
        let (one, other) = (off(&|i| (i as f64).sin()), off(&|i| (i as f64 * 2.7).cos()));
        let told = |pictures: &[&Vec<f64>]| {
            apply(&numbers, &pictures.iter().map(|p| (*p).clone()).collect::<Vec<_>>()).concat()
        };
        let (once, twice, both) = (told(&[&one]), told(&[&one, &one]), told(&[&one, &other]));
        assert!(once.iter().zip(&twice).all(|(a, b)| (a - b).abs() < 1e-9));
        // The mean of what two say, and further.
        let none = told(&[&off(&|_| 0.0)]);
        let far = |moves: &[f64]| moves.iter().zip(&none).map(|(m, n)| (m - n).powi(2)).sum::<f64>();
        let mean: Vec<f64> = once.iter().zip(&told(&[&other])).map(|(a, b)| (a + b) / 2.0).collect();
        assert!(far(&both) > far(&mean) * 1.05, "{} {}", far(&both), far(&mean));
    }

    #[test]
    fn numbers_of_another_shape_say_nothing() {
        assert!(apply(&NUMBERS[1..], &[vec![0.0; COUNT]]).iter().flatten().all(|v| *v == 0.0));
        assert!(apply(&NUMBERS, &[]).iter().flatten().all(|v| *v == 0.0));
    }
}
