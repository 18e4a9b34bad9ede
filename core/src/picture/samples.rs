//! Pixels as integer samples.

use crate::numeric::lane;

/// A value 0..1 as an integer sample of 0 to `most`, rounded to nearest; values beyond are held at the ends, and what is no
/// number becomes 0. `most` is at most 2^22.
#[inline(always)]
pub fn quantise(v: f32, most: f32) -> u32 {
    const WHOLE: f32 = 8_388_608.0;
    let v = v.max(0.0).min(1.0) * most + 0.5;
    // Beside 2^23 only whole numbers stand, in the low bits; what was rounded up is one too many. A cast to an integer saturates,
    // for which the compiler takes each value by itself.
    let near = v + WHOLE;
    near.to_bits() - WHOLE.to_bits() - u32::from(near - WHOLE > v)
}

/// Samples of a pixel, told by their number, as R, G, B and alpha: 1 is grey, 2 grey and alpha, 3 R, G and B, 4 these and alpha.
#[inline(always)]
pub fn rgba(p: [f32; 4], channels: usize) -> [f32; 4] {
    match channels {
        1 => [p[0], p[0], p[0], 1.0],
        2 => [p[0], p[0], p[0], p[1]],
        3 => [p[0], p[1], p[2], 1.0],
        _ => p,
    }
}

/// The first `channels` of each pixel, 3 or 4, by `sample`, in place of what `out` held.
pub fn put<T: Copy + Default>(
    pixels: &[[f32; 4]],
    channels: usize,
    sample: impl Fn(f32) -> T,
    out: &mut Vec<T>,
) {
    out.resize(pixels.len() * channels, T::default());
    fill(pixels, channels, sample, out);
}

/// The same in place of the samples of as many pixels: `channels` for each of them.
pub fn fill<T: Copy + Default>(
    pixels: &[[f32; 4]],
    channels: usize,
    sample: impl Fn(f32) -> T,
    out: &mut [T],
) {
    lane::vectorised(Samples { pixels, channels, sample, out });
}

/// Pixels that are made samples of together.
const TOGETHER: usize = 64;

struct Samples<'a, T, F> {
    pixels: &'a [[f32; 4]],
    channels: usize,
    sample: F,
    out: &'a mut [T],
}

impl<T: Copy + Default, F: Fn(f32) -> T> pulp::NullaryFnOnce for Samples<'_, T, F> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { pixels, channels, sample, out } = self;
        if channels != 3 {
            for (out, v) in out.iter_mut().zip(pixels.as_flattened()) {
                *out = sample(*v);
            }
            return;
        }
        // All four values of each pixel first, which runs over whole vectors; then three of them are taken.
        let (blocks, rest) = pixels.as_chunks::<TOGETHER>();
        let (whole, end) = out.split_at_mut(3 * TOGETHER * blocks.len());
        let (mut all, mut own) = ([T::default(); 4 * TOGETHER], [T::default(); 3 * TOGETHER + 1]);
        for (pixels, out) in blocks.iter().zip(whole.as_chunks_mut::<{ 3 * TOGETHER }>().0) {
            for (out, v) in all.iter_mut().zip(pixels.as_flattened()) {
                *out = sample(*v);
            }
            // Four are written at once: the next pixel's first lies over this one's last.
            for i in 0..TOGETHER {
                own[3 * i..3 * i + 4].copy_from_slice(&all[4 * i..4 * i + 4]);
            }
            out.copy_from_slice(&own[..3 * TOGETHER]);
        }
        for (out, [r, g, b, _]) in end.as_chunks_mut::<3>().0.iter_mut().zip(rest) {
            *out = [sample(*r), sample(*g), sample(*b)];
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

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
        let (sample, mut many) = (|v| quantise(v, 10.0) as u8, Vec::new());
        let mut out = vec![9_u8; 40];
        put(&pixels, 3, sample, &mut out);
        assert_eq!(out, [0, 2, 4, 8, 10, 10]);
        put(&pixels, 4, sample, &mut out);
        assert_eq!(out, [0, 2, 4, 6, 8, 10, 10, 0]);
        put(&[], 3, sample, &mut out);
        assert!(out.is_empty());
        // Of any number of pixels: those that are taken together, and those that are left.
        let row: Vec<[f32; 4]> = (0..200).map(|i| [0, 1, 2, 3].map(|c| (4 * i + c) as f32)).collect();
        for count in 0..200 {
            put(&row[..count], 3, |v| v as u16, &mut many);
            let want = (0..count as u16).flat_map(|i| [4 * i, 4 * i + 1, 4 * i + 2]);
            assert!(many.iter().copied().eq(want), "{count}");
        }
    }

    proptest! {
        #[test]
        fn samples_are_half_added_and_what_lies_behind_the_point_cut_off(v in -0.2..1.2_f32, most in 1..=65535_u32) {
            let want = (v.clamp(0.0, 1.0) * most as f32 + 0.5).floor() as u32;
            prop_assert_eq!(quantise(v, most as f32), want);
            // Exactly between two of them, where sums can be told exactly.
            let half = (most / 2) as f32 + 0.5;
            prop_assert_eq!(quantise(half / 65536.0, 65536.0), most / 2 + 1);
        }
    }
}
