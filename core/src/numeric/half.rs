//! Single precision to halves (IEEE 754 binary16) and back: the definition, and the machine's own instructions where it has
//! them. With the twins of the 3D lookup the only place with `unsafe`.
#![allow(unsafe_code)]

/// The largest half.
const LARGEST: f32 = 65504.0;

/// A half's bits for a value, to nearest, ties to even; what is too large, and what is not a number, becomes the largest.
#[inline(always)]
fn to_half(v: f32) -> u16 {
    /// 2^-14 is the smallest that has an exponent of its own.
    const SMALLEST: f32 = 6.103_515_6e-5;
    let sign = (v.to_bits() >> 16) & 0x8000;
    let size = v.abs().min(LARGEST);
    let bits = size.to_bits();
    // The exponent's bias goes from 127 to 15.
    let normal = bits.wrapping_add(0x0fff + ((bits >> 13) & 1)).wrapping_sub(112 << 23) >> 13;
    // Steps of 2^-24: adding 2^23 leaves their number in the low bits.
    let small = (size.min(SMALLEST) * 16_777_216.0 + 8_388_608.0).to_bits() & 0x07ff;
    let half = if size < SMALLEST { small } else { normal };
    (half | sign) as u16
}

/// A half's value.
#[inline(always)]
fn from_half(half: u16) -> f32 {
    let (half, size) = (u32::from(half), u32::from(half & 0x7fff));
    let normal = (size << 13).wrapping_add(112 << 23);
    let small = (size as i32 as f32 * (1.0 / 16_777_216.0)).to_bits();
    let bits = if size < 0x0400 { small } else { normal };
    f32::from_bits(bits | (half & 0x8000) << 16)
}

/// Values to halves, to nearest; what is too large, and what is not a number, becomes the largest.
#[inline]
pub fn to_halves(from: &[f32], to: &mut [u16]) {
    let mut done = 0;
    #[cfg(target_arch = "x86_64")]
    if is_x86_feature_detected!("avx512f") {
        // SAFETY: the instruction set was found.
        done = unsafe { wide::to_halves(from, to) };
    }
    for (to, from) in to[done..].iter_mut().zip(&from[done..]) {
        *to = to_half(*from);
    }
}

/// Halves to values. Those `ahead` places further on are fetched from memory meanwhile: rows that are cut into columns lie
/// too far apart for the machine to see that they will be read next.
#[inline]
pub fn from_halves(from: &[u16], ahead: usize, to: &mut [f32]) {
    let mut done = 0;
    #[cfg(target_arch = "x86_64")]
    if is_x86_feature_detected!("avx512f") {
        // SAFETY: the instruction set was found.
        done = unsafe { wide::from_halves(from, ahead, to) };
    }
    for (to, from) in to[done..].iter_mut().zip(&from[done..]) {
        *to = from_half(*from);
    }
}

#[cfg(target_arch = "x86_64")]
mod wide {
    use super::LARGEST;
    use std::arch::x86_64::*;

    /// As many whole sixteens as there are; gives how many values that were.
    #[target_feature(enable = "avx512f")]
    pub(super) fn to_halves(from: &[f32], to: &mut [u16]) -> usize {
        let (from, _) = from.as_chunks::<16>();
        let (to, _) = to.as_chunks_mut::<16>();
        let largest = _mm512_set1_ps(LARGEST);
        for (from, to) in from.iter().zip(to.iter_mut()) {
            // SAFETY: both are arrays of sixteen.
            unsafe {
                let v = _mm512_loadu_ps(from.as_ptr());
                // min returns its second operand for a NaN.
                let v = _mm512_max_ps(_mm512_min_ps(v, largest), _mm512_sub_ps(_mm512_setzero_ps(), largest));
                let half = _mm512_cvtps_ph::<{ _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC }>(v);
                _mm256_storeu_si256(to.as_mut_ptr().cast(), half);
            }
        }
        16 * from.len().min(to.len())
    }

    /// As many whole sixteens as there are; gives how many values that were.
    #[target_feature(enable = "avx512f")]
    pub(super) fn from_halves(from: &[u16], ahead: usize, to: &mut [f32]) -> usize {
        let (from, _) = from.as_chunks::<16>();
        let (to, _) = to.as_chunks_mut::<16>();
        for (from, to) in from.iter().zip(to.iter_mut()) {
            // SAFETY: both are arrays of sixteen; what is only fetched may lie anywhere.
            unsafe {
                let half = _mm256_loadu_si256(from.as_ptr().cast());
                _mm_prefetch::<_MM_HINT_T1>(from.as_ptr().wrapping_add(ahead).cast());
                _mm512_storeu_ps(to.as_mut_ptr(), _mm512_cvtph_ps(half));
            }
        }
        16 * from.len().min(to.len())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn halves_are_those_of_the_standard() {
        // IEEE 754-2019, binary16: 1, the largest, the smallest normal and subnormal, a third, 0, and rounding to even.
        let known = [
            (1.0, 0x3c00),
            (65504.0, 0x7bff),
            (6.103_515_625e-5, 0x0400),
            (5.960_464_5e-8, 0x0001),
            (0.333_251_95, 0x3555),
            (0.0, 0x0000),
            (-2.0, 0xc000),
            (1.0 + 1.0 / 2048.0, 0x3c00),
            (1.0 + 3.0 / 2048.0, 0x3c02),
            (6.097_555e-5, 0x03ff),
            (1e9, 0x7bff),
            (-1e9, 0xfbff),
        ];
        for (value, bits) in known {
            assert_eq!(to_half(value), bits, "{value}");
            // Whole sixteens and a rest.
            let mut out = [0; 19];
            to_halves(&[value; 19], &mut out);
            assert_eq!(out, [bits; 19], "{value}");
        }
        assert_eq!(to_half(f32::NAN), 0x7bff);
        let all: Vec<u16> = (0..0x7c00_u16).chain(0x8000..0xfc00).collect();
        let mut wide = vec![0.0; all.len()];
        from_halves(&all, 0, &mut wide);
        for (bits, value) in all.iter().zip(&wide) {
            assert_eq!((to_half(*value), from_half(*bits)), (*bits, *value), "{bits:#x}");
        }
    }

    #[test]
    fn every_twin_rounds_as_the_definition() {
        let values: Vec<f32> = (0..40_000).map(|i| ((i as f32 * 0.37).sin() * 40.0).exp2() - 1e-3).collect();
        let mut out = vec![0; values.len()];
        to_halves(&values, &mut out);
        for (v, bits) in values.iter().zip(out) {
            assert_eq!(to_half(*v), bits, "{v}");
        }
    }
}
