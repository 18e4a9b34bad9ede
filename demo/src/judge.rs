//! How clean a picture is, in numbers: what is left of a path tracer's noise where nothing else changes.

use lantern_core::picture::Picture;
use rayon::prelude::*;

/// What is left of noise in a picture.
#[derive(Clone, Copy, Debug, Default)]
pub struct Left {
    /// In blocks that are flat, how far pixels are from the median of the eight around them, in code values of 255: the
    /// median of a block, then of all blocks, and of the worst tenth of them.
    pub median: f64,
    pub worst: f64,
    /// Of 10,000 pixels in a calm ring, those that stand more than five codes out of it.
    pub alone: f64,
    /// How many blocks were flat, of all.
    pub flat: usize,
    pub blocks: usize,
}

impl std::fmt::Display for Left {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(
            f,
            "{:.3} codes, worst tenth {:.3}, {:.3} of 10,000 alone; {} of {} blocks flat",
            self.median, self.worst, self.alone, self.flat, self.blocks
        )
    }
}

/// The side of a block, and, in code values, how far a calm ring may span and how far out of it a pixel is alone.
const BLOCK: usize = 16;
const CALM: f32 = 3.0;
const ALONE: f32 = 5.0;

/// What is left of noise in the green of a picture for a display (values 0..1). A pixel is calm where the ring of eight
/// around it spans less than three codes; a block is flat where nine of ten of its pixels are.
pub fn left(p: &Picture) -> Left {
    let (w, h) = (p.width(), p.height());
    let at = |x: usize, y: usize| p.pixels[y * w + x][1] * 255.0;
    let across = w.saturating_sub(2) / BLOCK;
    let judged: Vec<(Option<f64>, usize, usize)> = (0..across * (h.saturating_sub(2) / BLOCK))
        .into_par_iter()
        .map(|block| {
            let (x0, y0) = (1 + block % across * BLOCK, 1 + block / across * BLOCK);
            let (mut away, mut calm, mut alone) = (Vec::with_capacity(BLOCK * BLOCK), 0, 0);
            for (x, y) in (0..BLOCK * BLOCK).map(|i| (x0 + i % BLOCK, y0 + i / BLOCK)) {
                let mut ring = [(0, 0), (1, 0), (2, 0), (0, 1), (2, 1), (0, 2), (1, 2), (2, 2)]
                    .map(|(dx, dy)| at(x + dx - 1, y + dy - 1));
                ring.sort_unstable_by(f32::total_cmp);
                let here = at(x, y);
                away.push(f64::from((here - (ring[3] + ring[4]) / 2.0).abs()));
                if ring[7] - ring[0] < CALM {
                    calm += 1;
                    alone += usize::from(here > ring[7] + ALONE || here < ring[0] - ALONE);
                }
            }
            away.sort_unstable_by(f64::total_cmp);
            ((calm * 10 >= 9 * away.len()).then(|| away[away.len() / 2]), calm, alone)
        })
        .collect();
    let mut flat: Vec<f64> = judged.iter().filter_map(|j| j.0).collect();
    flat.sort_unstable_by(f64::total_cmp);
    let (calm, alone) = judged.iter().fold((0, 0), |(c, l), j| (c + j.1, l + j.2));
    let of = |share: f64| flat.get((share * flat.len() as f64) as usize).copied().unwrap_or_default();
    Left {
        median: of(0.5),
        worst: of(0.9),
        alone: alone as f64 * 10_000.0 / calm.max(1) as f64,
        flat: flat.len(),
        blocks: judged.len(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dice::Dice;

    const W: usize = 200;
    const H: usize = 120;

    fn picture(value: impl FnMut(usize) -> f32) -> Picture {
        let pixels = (0..W * H).map(value).map(|v| [v / 255.0, v / 255.0, v / 255.0, 1.0]).collect();
        Picture::new(W, H, pixels).unwrap_or_else(|e| panic!("{e}"))
    }

    #[test]
    fn a_slope_is_clean_and_noise_of_half_a_code_is_seen() {
        let slope = left(&picture(|i| 40.0 + (i % W) as f32 * 0.3));
        assert!(slope.median < 1e-3 && slope.alone == 0.0, "{slope:?}");
        let mut dice = Dice::new(5);
        // Even noise of 0.8 to either side: the median of |x - m|, m near the middle, is half of that.
        let noisy = left(&picture(|_| 100.0 + 0.8 * (2.0 * dice.roll() - 1.0)));
        assert!((0.3..0.5).contains(&noisy.median), "{noisy:?}");
    }

    #[test]
    fn a_pixel_alone_counts_and_an_edge_does_not() {
        let spotted = left(&picture(|i| if i == 60 * W + 100 { 120.0 } else { 100.0 }));
        // Twelve by seven blocks are judged; the eight about it do not stand in a calm ring.
        let calm = 12 * 7 * BLOCK * BLOCK - 8;
        assert!((spotted.alone - 10_000.0 / calm as f64).abs() < 1e-6, "{spotted:?}");
        let edge = left(&picture(|i| if i % W < 90 { 20.0 } else { 230.0 }));
        assert!(edge.alone == 0.0 && edge.median == 0.0, "{edge:?}");
    }

    #[test]
    fn a_picture_smaller_than_a_block_says_nothing() {
        let tiny = Picture::new(1, 1, vec![[0.5, 0.5, 0.5, 1.0]]).unwrap_or_else(|e| panic!("{e}"));
        assert_eq!(left(&tiny).alone, 0.0);
    }
}
