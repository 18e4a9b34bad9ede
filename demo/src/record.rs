//! How a camera's recorder keeps a picture: 12-bit codes in the upper bits of a PNG's 16, as small as is not to be seen.
//!
//! Where neighbours differ by much, one to three codes more or less cannot be seen: there the difference to the pixel before
//! is rounded to steps, as near-lossless JPEG-LS does (ITU-T T.87, from memory). It takes a sixth off the files. Where
//! neighbours differ by little, every code stays.

use crate::dense;
use lantern_core::numeric::half::{from_halves, to_halves};
use lantern_core::picture::Picture;
use rayon::prelude::*;

/// The highest code.
const MOST: i32 = 4095;

/// A code may be off by one more where the 3 x 3 pixels around it span at least so much.
const LOOSE: [i32; 3] = [6, 16, 40];

/// The same of half floats.
const LOOSE_HALVES: [i32; 3] = [4, 10, 28];

/// A picture's file; values beyond 0..1 are held at the ends.
pub fn twelve_bits(p: &Picture) -> Result<Vec<u8>, png::EncodingError> {
    let codes = |v: f32| (v.clamp(0.0, 1.0) * MOST as f32).round() as i32;
    let codes: Vec<[i32; 3]> = p.pixels.iter().map(|[r, g, b, _]| [*r, *g, *b].map(codes)).collect();
    let kept = rounded(&codes, [p.width(), p.height()]);
    let samples: Vec<u8> =
        kept.as_flattened().iter().flat_map(|code| ((code << 4) as u16).to_be_bytes()).collect();
    dense::png(p.width(), p.height(), &samples)
}

/// A picture as a recorder of half floats keeps it: where neighbours differ by much, the last one to three bits of a value, which
/// nobody sees there, are rounded away. A value that was kept so is kept as it is.
pub fn halves(mut p: Picture) -> Picture {
    let size = [p.width(), p.height()];
    let mut halves = vec![0_u16; p.pixels.len() * 4];
    to_halves(p.pixels.as_flattened(), &mut halves);
    // Halves that are not negative stand in the order of their bits.
    let codes: Vec<[i32; 3]> = halves.chunks_exact(4).map(|h| [h[0], h[1], h[2]].map(i32::from)).collect();
    for (i, half) in halves.chunks_exact_mut(4).enumerate() {
        let [x, y] = [i % size[0], i / size[0]];
        for (c, bits) in half[..3].iter_mut().enumerate() {
            let away = loose(&codes, size, x, y, c, LOOSE_HALVES);
            if *bits < 0x7c00 && away > 0 {
                *bits = (*bits + (1 << (away - 1))) >> away << away;
            }
        }
    }
    from_halves(&halves, 0, p.pixels.as_flattened_mut());
    p
}

/// By how much the code of a pixel may be off: one more for each span of `from` that the pixels around it reach.
fn loose(codes: &[[i32; 3]], [w, h]: [usize; 2], x: usize, y: usize, c: usize, from: [i32; 3]) -> i32 {
    let (mut low, mut high) = (i32::MAX, 0);
    for row in y.saturating_sub(1)..(y + 2).min(h) {
        for pixel in &codes[row * w + x.saturating_sub(1)..row * w + (x + 2).min(w)] {
            (low, high) = (low.min(pixel[c]), high.max(pixel[c]));
        }
    }
    from.iter().filter(|span| high - low >= **span).count() as i32
}

/// Codes whose differences to those before them in the row are rounded where they may be.
fn rounded(codes: &[[i32; 3]], [w, h]: [usize; 2]) -> Vec<[i32; 3]> {
    let mut out = codes.to_vec();
    out.par_chunks_mut(w).enumerate().for_each(|(y, row)| {
        for x in 1..row.len() {
            for c in 0..3 {
                let off = loose(codes, [w, h], x, y, c, LOOSE);
                let (before, away) = (row[x - 1][c], row[x][c] - row[x - 1][c]);
                let steps = away.signum() * ((away.abs() + off) / (2 * off + 1));
                row[x][c] = (before + steps * (2 * off + 1)).clamp(0, MOST);
            }
        }
    });
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dice::Dice;

    const SIZE: [usize; 2] = [60, 40];

    #[test]
    fn smooth_slopes_keep_every_code_and_no_code_is_off_by_more_than_three() {
        let slope: Vec<[i32; 3]> = (0..60 * 40).map(|i| [i % 60 * 2, i / 60, 4095 - i % 60]).collect();
        assert_eq!(rounded(&slope, SIZE), slope);
        let mut dice = Dice::new(3);
        for most in [12.0, 90.0, 4096.0] {
            let rough: Vec<[i32; 3]> =
                (0..60 * 40).map(|_| [0; 3].map(|_| (dice.roll() * most) as i32)).collect();
            let kept = rounded(&rough, SIZE);
            for (i, (a, b)) in rough.iter().zip(&kept).enumerate() {
                for c in 0..3 {
                    let off = loose(&rough, SIZE, i % 60, i / 60, c, LOOSE);
                    assert!((a[c] - b[c]).abs() <= off && off <= 3 && (0..=MOST).contains(&b[c]));
                }
            }
        }
    }

    #[test]
    fn halves_of_smooth_pictures_stay_and_no_value_is_off_by_what_could_be_seen() {
        let at = |x: usize, y: usize| [0.18 + 1e-4 * x as f32, 0.5, 0.3 + 1e-4 * y as f32, 1.0];
        let smooth = Picture::new(60, 40, (0..2400).map(|i| at(i % 60, i / 60)).collect()).unwrap();
        let exact = |p: &Picture| {
            let mut halves = vec![0_u16; p.pixels.len() * 4];
            to_halves(p.pixels.as_flattened(), &mut halves);
            halves
        };
        let kept = exact(&halves(smooth.clone()));
        assert!(exact(&smooth).iter().zip(&kept).all(|(a, b)| a.abs_diff(*b) <= 1));
        let mut dice = Dice::new(5);
        let rough: Vec<[f32; 4]> = (0..2400).map(|_| [dice.roll() * 3.0, dice.roll(), 1e-3, 1.0]).collect();
        let rough = Picture::new(60, 40, rough).unwrap();
        let kept = exact(&halves(rough.clone()));
        for (i, (a, b)) in exact(&rough).iter().zip(&kept).enumerate() {
            assert!(a.abs_diff(*b) <= 4, "{i}: {a} {b}");
        }
    }

    #[test]
    fn the_file_holds_the_codes_and_ends_hold() {
        let value = |i: usize| [i as f32 / 59.0, -0.2, 1.3, 1.0];
        let picture = Picture::new(60, 1, (0..60).map(value).collect()).unwrap();
        let read = lantern_formats::png::read(&twelve_bits(&picture).unwrap()).unwrap();
        for (a, b) in picture.pixels.iter().zip(&read.pixels) {
            assert!((a[0] - b[0] * 65_535.0 / 65_520.0).abs() <= 3.5 / 4095.0 && b[1] == 0.0);
            assert!((b[2] * 65_535.0 - 65_520.0).abs() < 0.01);
        }
    }
}
