//! Pixels that stand alone.
//!
//! A path that met by chance what others missed leaves one pixel out of what is around it, also after cleaning. No picture
//! of a lens has such a pixel: its blur is wider. Each channel goes no further than the eight pixels around it, and a little
//! more.

use lantern_core::picture::Picture;
use rayon::prelude::*;

/// How much further: a share of the brightest around, and a floor; each is about an 8-bit code value of a display, or less.
const SHARE: f32 = 0.01;
const FLOOR: f32 = 1e-4;

/// Brings single pixels back to those around them. Light is linear.
pub fn joined(p: Picture) -> Picture {
    let (w, h) = (p.width(), p.height());
    let own = p.pixels.clone();
    let mut joined = p;
    joined.pixels.par_iter_mut().enumerate().for_each(|(i, pixel)| {
        let (x, y) = (i % w, i / w);
        let (mut low, mut high) = ([f32::INFINITY; 3], [f32::NEG_INFINITY; 3]);
        for b in y.saturating_sub(1)..(y + 2).min(h) {
            for a in (x.saturating_sub(1)..(x + 2).min(w)).filter(|a| [*a, b] != [x, y]) {
                for c in 0..3 {
                    let v = own[b * w + a][c];
                    (low[c], high[c]) = (low[c].min(v), high[c].max(v));
                }
            }
        }
        for c in 0..3 {
            let more = SHARE * high[c].abs() + FLOOR;
            pixel[c] = pixel[c].min(high[c] + more).max(low[c] - more);
        }
    });
    joined
}

#[cfg(test)]
mod tests {
    use super::*;

    const W: usize = 20;
    const H: usize = 12;

    fn grey(value: impl Fn(usize, usize) -> f32) -> Picture {
        let pixels = (0..W * H).map(|i| value(i % W, i / W)).map(|v| [v, v, v, 1.0]).collect();
        Picture::new(W, H, pixels).unwrap()
    }

    #[test]
    fn a_pixel_alone_comes_back_and_its_neighbours_stay() {
        for (x, y) in [(0, 0), (W - 1, 5), (7, H - 1), (9, 6)] {
            for lone in [0.0, 50.0] {
                let mut spotted = grey(|_, _| 0.2);
                spotted.pixels[y * W + x] = [lone, lone, lone, 1.0];
                for (i, p) in joined(spotted).pixels.iter().enumerate() {
                    let most = if i == y * W + x { 0.0022 } else { 0.0 };
                    assert!((p[0] - 0.2).abs() <= most, "{lone} at {x}, {y}: {p:?} at {i}");
                }
            }
        }
    }

    #[test]
    fn edges_slopes_and_lines_of_a_pixel_stay_to_the_bit() {
        let shapes: [fn(usize, usize) -> f32; 4] = [
            |x, _| if x < 8 { 0.01 } else { 40.0 },
            |x, y| 0.1 + 4e-4 * x as f32 + 3e-4 * y as f32,
            |x, _| if x == 7 { 3.0 } else { 0.1 },
            |x, y| if x == y { 3.0 } else { 0.1 },
        ];
        for shape in shapes {
            let before = grey(shape);
            assert!(joined(before.clone()).pixels == before.pixels);
        }
    }
}
