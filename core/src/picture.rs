//! Pictures: RGBA f32, rows from the top.

pub mod codes;
pub mod samples;
mod shrink;

pub use codes::Codes;
pub use shrink::Shrink;

use crate::numeric::lane;
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

    /// The picture as it is meant to be seen, from how its rows and columns stand in the file, 1 to 8 (TIFF 6.0,
    /// Orientation: 1 is upright, from 5 on rows and columns change places). Anything else is left as it is.
    pub fn upright(self, orientation: u8) -> Self {
        let (w, h) = (self.width, self.height);
        // Where the first row and the first column of the file are seen: to the right, to the bottom, and crossed.
        let (right, bottom, crossed) = match orientation {
            2 => (true, false, false),
            3 => (true, true, false),
            4 => (false, true, false),
            5 => (false, false, true),
            6 => (true, false, true),
            7 => (true, true, true),
            8 => (false, true, true),
            _ => return self,
        };
        let (width, height) = if crossed { (h, w) } else { (w, h) };
        let mut pixels = Vec::with_capacity(self.pixels.len());
        for y in 0..height {
            let v = if bottom { height - 1 - y } else { y };
            pixels.extend((0..width).map(|x| {
                let u = if right { width - 1 - x } else { x };
                self.pixels[if crossed { u * w + v } else { v * w + u }]
            }));
        }
        Self { width, height, pixels }
    }

    /// Replaces NaN by 0 and infinities by the largest half-float value (65504), as readers do; gives the
    /// number of values replaced.
    pub fn sanitise(&mut self) -> usize {
        // Nearly always there is nothing to do.
        if lane::vectorised(Largest(self.pixels.as_flattened())) < f32::INFINITY.to_bits() {
            return 0;
        }
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
    /// given. A picture that already fits is copied. See [`Shrink`].
    pub fn fit_within(&self, width: usize, height: usize) -> Self {
        let mut small = Shrink::new([self.width, self.height], [width, height]);
        let [width, height] = small.size();
        let mut pixels = Vec::with_capacity(width * height);
        for row in self.pixels.chunks_exact(self.width) {
            small.row(row, |row| pixels.extend_from_slice(row));
        }
        Self { width, height, pixels }
    }
}

/// The bits of the value that lies furthest from 0; told without a branch for each value.
struct Largest<'a>(&'a [f32]);

impl pulp::NullaryFnOnce for Largest<'_> {
    type Output = u32;

    #[inline(always)]
    fn call(self) -> u32 {
        let mut largest = 0;
        for v in self.0 {
            largest = largest.max(v.to_bits() & 0x7fff_ffff);
        }
        largest
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
            for (pixels, out) in self.0.chunks(lane::N).zip(self.1.chunks_mut(4 * lane::N)) {
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
    lane::vectorised(Convert(pixels, out));
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
    fn pictures_are_turned_as_the_orientation_tag_says() {
        // TIFF 6.0 and EXIF name the sides that the file's first row and first column are seen at: top left, top right,
        // bottom right, bottom left, left top, right top, right bottom, left bottom.
        let picture = Picture::new(3, 2, (1..=6).map(|v| [v as f32; 4]).collect()).unwrap();
        let seen = [
            (1, 3, [1, 2, 3, 4, 5, 6]),
            (2, 3, [3, 2, 1, 6, 5, 4]),
            (3, 3, [6, 5, 4, 3, 2, 1]),
            (4, 3, [4, 5, 6, 1, 2, 3]),
            (5, 2, [1, 4, 2, 5, 3, 6]),
            (6, 2, [4, 1, 5, 2, 6, 3]),
            (7, 2, [6, 3, 5, 2, 4, 1]),
            (8, 2, [3, 6, 2, 5, 1, 4]),
            (9, 3, [1, 2, 3, 4, 5, 6]),
        ];
        for (orientation, width, want) in seen {
            let turned = picture.clone().upright(orientation);
            let values: Vec<i32> = turned.pixels.iter().map(|p| p[0] as i32).collect();
            assert_eq!((turned.width(), values), (width, want.to_vec()), "{orientation}");
        }
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
        assert_eq!(p.sanitise(), 2);
        assert_eq!(p.pixels[0], [0.0, -65504.0, 1.0, 1.0]);
    }
}
