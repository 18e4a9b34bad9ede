//! What a look does to probe colours, inferred from a picture that wears it.
//!
//! A ridge regression from what the picture is ([`features`]) to the moves of the probes. It was trained on made-up looks over
//! ungraded pictures ([`super::training`]) by `cargo xtask train`; the numbers lie in `trained.bin`.

use super::features::{COUNT, features, probes};
use super::small::Small;
use std::sync::LazyLock;

/// Little-endian f32: means and scales of the features, then for each output its constant and its weights.
static NUMBERS: LazyLock<Vec<f32>> = LazyLock::new(|| {
    let bytes = include_bytes!("trained.bin");
    bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect()
});

/// Moves of the probes, in luma and colour differences of the Screen zone's code values.
pub fn infer(picture: &Small) -> Vec<[f64; 3]> {
    apply(&NUMBERS, &features(picture))
}

/// The same with other numbers.
pub fn apply(numbers: &[f32], features: &[f64]) -> Vec<[f64; 3]> {
    let count = probes().len();
    if numbers.len() != 2 * COUNT + 3 * count * (COUNT + 1) {
        return vec![[0.0; 3]; count];
    }
    let (means, rest) = numbers.split_at(COUNT);
    let (scales, rows) = rest.split_at(COUNT);
    let x: Vec<f64> = features
        .iter()
        .zip(means)
        .zip(scales)
        .map(|((f, m), s)| ((f - f64::from(*m)) * f64::from(*s)).clamp(-4.0, 4.0))
        .collect();
    let output = |row: &[f32]| -> f64 {
        f64::from(row[0]) + row[1..].iter().zip(&x).map(|(w, x)| f64::from(*w) * x).sum::<f64>()
    };
    let all: Vec<f64> = rows.chunks_exact(COUNT + 1).map(output).collect();
    all.chunks_exact(3).map(|m| [m[0], m[1], m[2]]).collect()
}
