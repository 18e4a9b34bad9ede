//! Scopes: counts over the delivered picture. Drawing them is the page's work.
//!
//! * [`waveform`], [`vectorscope`], [`histogram`] — of delivery-encoded bytes.
//! * [`chromaticity`], [`stops`] — of scene light.
//! * [`limits`] — shares of pixels at and beyond the signal's limits, and marks for them.
//! * [`area`] — the drawn part of the picture that all of them can be held to.
//! * [`sample`] — the readout of a place.

pub mod area;
pub mod chromaticity;
pub mod histogram;
pub mod limits;
pub mod sample;
pub mod stops;
pub mod vectorscope;
pub mod waveform;

pub use area::{Area, Mask};
pub use histogram::{axis_histogram, histogram, luma_histogram, stops_histogram};
pub use vectorscope::vectorscope;
pub use waveform::{luma_waveform, waveform};

/// Levels of a waveform, and the side of the vectorscope and of the chromaticity diagram.
pub const LEVELS: usize = 256;

/// Half the span of the vectorscope's side, in colour-difference units: every colour of the cube lies inside
/// (pure green, the farthest, at 0.596).
pub const VECTOR_SPAN: f32 = 0.62;

/// Luma weights of BT.709-6, 3.2, in 65536ths that sum to one, so that a grey has no colour difference at all.
const LUMA: [i32; 3] = [13_933, 46_871, 4_732];

/// Luma of a pixel, rounded to a level.
#[inline(always)]
fn luma_level(p: [u8; 4]) -> usize {
    let y = LUMA[0] * i32::from(p[0]) + LUMA[1] * i32::from(p[1]) + LUMA[2] * i32::from(p[2]);
    ((y + 32_768) >> 16) as usize
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ramp_is_a_diagonal_in_the_waveform() {
        let row: Vec<[u8; 4]> = (0..=255).map(|v| [v, 255 - v, 7, 255]).collect();
        let pixels = [row.clone(), row].concat();
        let counts = waveform(&pixels, 256, 64, None);
        for (x, column) in counts.chunks(3 * LEVELS).enumerate() {
            for v in 4 * x..4 * x + 4 {
                assert_eq!(column[v], 2);
                assert_eq!(column[LEVELS + 255 - v], 2);
            }
            assert_eq!(column[2 * LEVELS + 7], 8);
        }
    }

    #[test]
    fn bars_land_at_the_angles_and_radii_that_bt709_defines() {
        // 75 % bars; Cb and Cr from BT.709-6, 3.2 and 3.3, worked out by hand for red: Y = 0.15945,
        // Cb = -0.0859, Cr = 0.375. 0.75 is code 191.25 of 255.
        let counts = vectorscope(&[[191, 0, 0, 255]; 10], 1.0);
        let at = counts.iter().position(|c| *c == 10).unwrap();
        let (x, y) = (at % LEVELS, at / LEVELS);
        let place = |cell: usize| (cell as f32 + 0.5 - 128.0) / 128.0 * VECTOR_SPAN;
        assert!((place(x) + 0.0859).abs() < 0.005 && (-place(y) - 0.3745).abs() < 0.005, "{x} {y}");
        // Every grey lies in one and the same cell beside the centre.
        let greys: Vec<[u8; 4]> = (0..=255).map(|v| [v, v, v, 255]).collect();
        assert_eq!(vectorscope(&greys, 1.0)[128 * LEVELS + 128], 256);
    }

    #[test]
    fn a_stop_up_moves_the_histogram_one_stop() {
        let at = |v: f32| {
            let counts = stops_histogram(&[[v, v, v, 1.0]], [-8.0, 8.0], 16);
            counts.iter().position(|c| *c == 1).unwrap()
        };
        assert_eq!((at(0.181), at(0.362), at(0.0), at(1e9)), (8, 9, 0, 15));
        assert_eq!(luma_histogram(&[[255, 255, 255, 255], [0, 0, 0, 255]], 4), [1, 0, 0, 1]);
    }
}
