//! Pictures: RGBA f32, rows from the top.

use thiserror::Error;

/// The longest side that is accepted, in pixels: larger than any film scan, small enough that the sizes of
/// buffers can never overflow.
pub const MAX_SIDE: usize = 32_768;

/// The most pixels a picture may have: 2^28 pixels are 4 GiB of f32 RGBA.
pub const MAX_PIXELS: usize = 1 << 28;

/// A picture of `width * height` RGBA pixels in row order. What the values mean is said by its owner.
#[derive(Clone, Debug, PartialEq)]
pub struct Picture {
    width: usize,
    height: usize,
    /// Pixels in row order, alpha last.
    pub pixels: Vec<[f32; 4]>,
}

/// Why a picture cannot be.
#[derive(Debug, Error, PartialEq, Eq)]
pub enum SizeError {
    /// A side is zero.
    #[error("a picture of {0} x {1} pixels has nothing in it")]
    Empty(usize, usize),
    /// A side or the area is over the limit.
    #[error(
        "a picture of {0} x {1} pixels is too large: up to {MAX_SIDE} on a side and {MAX_PIXELS} in all are read"
    )]
    TooLarge(usize, usize),
    /// The number of pixels does not fit the size.
    #[error("{0} pixels were given for a picture of {1} x {2}")]
    Mismatch(usize, usize, usize),
}

/// Checks a size before anything is allocated for it.
pub fn check_size(width: usize, height: usize) -> Result<(), SizeError> {
    if width == 0 || height == 0 {
        return Err(SizeError::Empty(width, height));
    }
    if width > MAX_SIDE || height > MAX_SIDE || width * height > MAX_PIXELS {
        return Err(SizeError::TooLarge(width, height));
    }
    Ok(())
}

impl Picture {
    /// A picture from its pixels in row order.
    pub fn new(width: usize, height: usize, pixels: Vec<[f32; 4]>) -> Result<Self, SizeError> {
        check_size(width, height)?;
        if pixels.len() != width * height {
            return Err(SizeError::Mismatch(pixels.len(), width, height));
        }
        Ok(Self { width, height, pixels })
    }

    /// Pixels in a row.
    pub fn width(&self) -> usize {
        self.width
    }

    /// Rows.
    pub fn height(&self) -> usize {
        self.height
    }

    /// Replaces NaN by 0 and infinities by the largest half-float value (65504), as readers do; gives the
    /// number of values replaced.
    pub fn heal(&mut self) -> usize {
        let mut healed = 0;
        for v in self.pixels.iter_mut().flatten() {
            if !v.is_finite() {
                *v = if v.is_nan() { 0.0 } else { 65504.0_f32.copysign(*v) };
                healed += 1;
            }
        }
        healed
    }

    /// The picture made smaller by averaging whole areas, so that its width and height are at most those
    /// given. A picture that already fits is copied.
    ///
    /// Averages are exact box averages with fractional edges, in the values as they are: hand it linear light.
    pub fn fit_within(&self, width: usize, height: usize) -> Self {
        let scale = (width as f64 / self.width as f64).min(height as f64 / self.height as f64);
        if scale >= 1.0 {
            return self.clone();
        }
        let w = ((self.width as f64 * scale).round() as usize).max(1);
        let h = ((self.height as f64 * scale).round() as usize).max(1);
        let narrow = shrink_rows(&self.pixels, self.width, self.height, w);
        let pixels = transpose(&shrink_rows(&transpose(&narrow, w, self.height), self.height, w, h), h, w);
        Self { width: w, height: h, pixels }
    }
}

/// Display-encoded pixels as RGBA bytes, rounded to nearest and held at the ends, alpha 255. `out` has four
/// bytes a pixel; NaN becomes 0.
pub fn to_bytes(pixels: &[[f32; 4]], out: &mut [u8]) {
    struct Convert<'a>(&'a [[f32; 4]], &'a mut [u8]);
    impl pulp::NullaryFnOnce for Convert<'_> {
        type Output = ();

        #[inline(always)]
        fn call(self) {
            // All four values alike first, alpha put right after: both loops run over whole vectors. Blocks stay
            // in the first-level cache between the two.
            for (pixels, out) in self.0.chunks(crate::lane::N).zip(self.1.chunks_mut(4 * crate::lane::N)) {
                for (v, o) in pixels.as_flattened().iter().zip(out.iter_mut()) {
                    // Adding 2^23 leaves the rounded integer in the low bits: a saturating cast would not
                    // vectorise.
                    *o = (v.max(0.0).min(1.0) * 255.0 + 8_388_608.0).to_bits() as u8;
                }
                for o in out.chunks_exact_mut(4) {
                    o[3] = 255;
                }
            }
        }
    }
    crate::lane::vectorised(Convert(pixels, out));
}

/// Shrinks each of `rows` rows from `from` to `to` pixels.
fn shrink_rows(pixels: &[[f32; 4]], from: usize, rows: usize, to: usize) -> Vec<[f32; 4]> {
    let step = from as f64 / to as f64;
    let mut out = Vec::with_capacity(to * rows);
    for row in pixels.chunks_exact(from) {
        for x in 0..to {
            let (a, b) = (x as f64 * step, ((x + 1) as f64 * step).min(from as f64));
            let mut sum = [0.0_f64; 4];
            for (i, p) in row.iter().enumerate().take(b.ceil() as usize).skip(a as usize) {
                let share = (b.min(i as f64 + 1.0) - a.max(i as f64)).max(0.0);
                for (s, v) in sum.iter_mut().zip(p) {
                    *s += share * f64::from(*v);
                }
            }
            out.push(sum.map(|s| (s / (b - a)) as f32));
        }
    }
    out
}

fn transpose(pixels: &[[f32; 4]], width: usize, height: usize) -> Vec<[f32; 4]> {
    let mut out = Vec::with_capacity(pixels.len());
    for x in 0..width {
        out.extend((0..height).map(|y| pixels[y * width + x]));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_size_beyond_the_limit_is_refused_before_anything_is_allocated() {
        assert_eq!(check_size(100_000, 100_000), Err(SizeError::TooLarge(100_000, 100_000)));
        assert_eq!(check_size(0, 4), Err(SizeError::Empty(0, 4)));
    }

    #[test]
    fn bytes_are_rounded_to_nearest_and_held_at_the_ends() {
        let mut out = [0; 12];
        to_bytes(&[[0.5, 1.0, 0.0, 0.3], [-1.0, 7.0, f32::NAN, 1.0], [0.0019, 0.002, 0.9985, 1.0]], &mut out);
        assert_eq!(out, [128, 255, 0, 255, 0, 255, 0, 255, 0, 1, 255, 255]);
    }

    #[test]
    fn shrinking_keeps_the_mean() {
        let pixels = (0..7 * 5).map(|i| [i as f32, 1.0, -2.0, 1.0]).collect();
        let small = Picture::new(7, 5, pixels).unwrap().fit_within(3, 3);
        assert_eq!((small.width(), small.height()), (3, 2));
        let mean: f32 = small.pixels.iter().map(|p| p[0]).sum::<f32>() / 6.0;
        assert!((mean - 17.0).abs() < 1e-4, "{mean}");
        assert!(small.pixels.iter().all(|p| (p[2] + 2.0).abs() < 1e-6));
    }

    #[test]
    fn what_is_not_a_number_is_counted_and_replaced() {
        let mut p = Picture::new(1, 1, vec![[f32::NAN, f32::NEG_INFINITY, 1.0, 1.0]]).unwrap();
        assert_eq!(p.heal(), 2);
        assert_eq!(p.pixels[0], [0.0, -65504.0, 1.0, 1.0]);
    }
}
