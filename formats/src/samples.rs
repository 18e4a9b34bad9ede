//! Pixels as integer samples.

use crate::Depth;
use lantern_core::numeric::lane;

/// A value 0..1 as an integer sample of 0 to `most`, rounded to nearest; values beyond are held at the ends, and what is no
/// number becomes 0.
#[inline(always)]
pub(crate) fn quantise(v: f32, most: f32) -> u32 {
    // Truncation rounds down, and is an instruction that every machine has; `floor` is a call on many.
    (v.max(0.0).min(1.0) * most + 0.5) as i32 as u32
}

/// The first `channels` of each pixel, 3 or 4, by `sample` in the order of a file.
pub(crate) fn of<T: Copy + Default>(
    pixels: &[[f32; 4]],
    channels: usize,
    sample: impl Fn(f32) -> T,
) -> Vec<T> {
    let mut out = Vec::new();
    put(pixels, channels, sample, &mut out);
    out
}

/// The same in place of what `out` held.
pub(crate) fn put<T: Copy + Default>(
    pixels: &[[f32; 4]],
    channels: usize,
    sample: impl Fn(f32) -> T,
    out: &mut Vec<T>,
) {
    out.resize(pixels.len() * channels, T::default());
    lane::vectorised(Samples { pixels, channels, sample, out });
}

struct Samples<'a, T, F> {
    pixels: &'a [[f32; 4]],
    channels: usize,
    sample: F,
    out: &'a mut [T],
}

impl<T, F: Fn(f32) -> T> pulp::NullaryFnOnce for Samples<'_, T, F> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { pixels, channels, sample, out } = self;
        if channels == 3 {
            for (out, [r, g, b, _]) in out.as_chunks_mut::<3>().0.iter_mut().zip(pixels) {
                *out = [sample(*r), sample(*g), sample(*b)];
            }
        } else {
            for (out, pixel) in out.chunks_exact_mut(channels).zip(pixels) {
                for (out, v) in out.iter_mut().zip(pixel) {
                    *out = sample(*v);
                }
            }
        }
    }
}

/// Samples of a file, big-endian where they have 16 bits, as values 0..1 in place of what `out` held.
pub(crate) fn values(data: &[u8], depth: Depth, out: &mut Vec<f32>) {
    let count = if depth == Depth::Sixteen { data.len() / 2 } else { data.len() };
    out.resize(count, 0.0);
    lane::vectorised(Values { data, depth, out });
}

struct Values<'a> {
    data: &'a [u8],
    depth: Depth,
    out: &'a mut [f32],
}

impl pulp::NullaryFnOnce for Values<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { data, depth, out } = self;
        // Divided: a product with the reciprocal would be off in the last bit for some.
        match depth {
            Depth::Eight => {
                for (out, v) in out.iter_mut().zip(data) {
                    *out = f32::from(*v) / 255.0;
                }
            }
            Depth::Sixteen => {
                for (out, v) in out.iter_mut().zip(data.as_chunks::<2>().0) {
                    *out = f32::from(u16::from_be_bytes(*v)) / 65535.0;
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_sample_is_its_share_of_the_largest() {
        let mut out = vec![9.0; 3];
        let all: Vec<u8> = (0..=65535_u16).flat_map(u16::to_be_bytes).collect();
        values(&all, Depth::Sixteen, &mut out);
        assert!(out.len() == 65536 && out.iter().enumerate().all(|(i, v)| *v == i as f32 / 65535.0));
        values(&all[..512], Depth::Eight, &mut out);
        assert!(out.len() == 512 && (out[511], out[510], out[0]) == (1.0, 0.0, 0.0));
        values(&[], Depth::Sixteen, &mut out);
        assert!(out.is_empty());
    }

    #[test]
    fn samples_are_rounded_to_nearest_and_held_at_their_ends() {
        for (v, want) in [
            (0.0, 0),
            (1.0, 255),
            (0.5 / 255.0, 1),
            (0.49 / 255.0, 0),
            (-3.0, 0),
            (7.0, 255),
            (f32::NAN, 0),
            (f32::INFINITY, 255),
            (f32::NEG_INFINITY, 0),
        ] {
            assert_eq!(quantise(v, 255.0), want, "{v}");
        }
        // Every code value of 16 bits comes back.
        for code in 0..=65535_u32 {
            assert_eq!(quantise(code as f32 / 65535.0, 65535.0), code);
        }
    }

    #[test]
    fn pixels_give_their_first_channels_in_order() {
        let pixels = [[0.0, 0.2, 0.4, 0.6], [0.8, 1.0, 2.0, -1.0]];
        let sample = |v| quantise(v, 10.0) as u8;
        assert_eq!(of(&pixels, 3, sample), [0, 2, 4, 8, 10, 10]);
        assert_eq!(of(&pixels, 4, sample), [0, 2, 4, 6, 8, 10, 10, 0]);
        assert!(of(&[], 3, sample).is_empty());
    }
}
