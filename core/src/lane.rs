//! Planar blocks of pixels and the elementary functions that run on them.
//!
//! A step sees [`Planes`]: three arrays of [`N`] values. Loops over them have a constant trip count and no
//! branches, so the compiler vectorises them; [`vectorised`] picks the widest instruction set of the machine
//! at run time. Nothing here uses fused multiply-add, so that every instruction set gives the same bits.
//!
//! What a loop calls has to be inlined into it, or the loop stays scalar and runs ten times slower. A function
//! can be told so with `#[inline(always)]`, a closure cannot: the compiler leaves a large one standing alone.
//! So loops over values are written by the macro [`each_value`], and a step that does much to a pixel does it
//! in several short passes over the block, which stays in the first-level cache.

use pulp::{Arch, NullaryFnOnce};

/// Pixels in a block. 256 pixels of three f32 planes are 3 kB: they stay in the first-level cache.
pub const N: usize = 256;

/// One channel of a block.
pub type Plane = [f32; N];

/// Red, green and blue of a block. What they mean (domain, primaries) is said by whoever hands it on.
pub type Planes = [Plane; 3];

/// Runs `job` with the widest vector instructions this machine has.
///
/// Everything that should profit has to be inlined into `job.call()`.
#[inline]
pub fn vectorised<J: NullaryFnOnce>(job: J) -> J::Output {
    Arch::new().dispatch(job)
}

/// Reads up to [`N`] RGBA pixels into planes. Lanes beyond `pixels.len()` repeat the last pixel.
#[inline(always)]
pub fn load(pixels: &[[f32; 4]], planes: &mut Planes) {
    if let Ok(full) = <&[[f32; 4]; N]>::try_from(pixels) {
        for (i, p) in full.iter().enumerate() {
            for (plane, v) in planes.iter_mut().zip(p) {
                plane[i] = *v;
            }
        }
        return;
    }
    let Some(last) = pixels.last() else { return };
    for i in 0..N {
        let p = pixels.get(i).unwrap_or(last);
        for (plane, v) in planes.iter_mut().zip(p) {
            plane[i] = *v;
        }
    }
}

/// Writes planes over the RGB of up to [`N`] RGBA pixels; alpha is left as it is.
#[inline(always)]
pub fn store(planes: &Planes, pixels: &mut [[f32; 4]]) {
    for (i, p) in pixels.iter_mut().take(N).enumerate() {
        p[0] = planes[0][i];
        p[1] = planes[1][i];
        p[2] = planes[2][i];
    }
}

/// Puts an expression in place of every value of all three planes: `each_value!(planes, v => v * 2.0)`.
macro_rules! each_value {
    ($planes:expr, $v:ident => $new:expr) => {
        for plane in $planes.iter_mut() {
            for place in plane.iter_mut() {
                let $v = *place;
                *place = $new;
            }
        }
    };
}
pub(crate) use each_value;

/// `if condition { a } else { b }` on values both already computed: a blend, not a branch.
#[inline(always)]
pub fn select(condition: bool, a: f32, b: f32) -> f32 {
    if condition { a } else { b }
}

/// 2^x, relative error below 3e-7. Saturates at 2^-126 and 2^127.
///
/// Taylor series of e^(f ln 2) to the seventh power on f in -0.5..0.5 (remainder 5e-9), scaled by the
/// exponent field of IEEE 754.
#[inline(always)]
pub fn exp2(x: f32) -> f32 {
    let x = x.clamp(-126.0, 127.0);
    // Adding 1.5 * 2^23 rounds to the nearest integer and leaves it in the low mantissa bits.
    const ROUND: f32 = 12_582_912.0;
    let rounded = x + ROUND;
    let n = (rounded.to_bits() as i32).wrapping_sub(ROUND.to_bits() as i32);
    let f = (x - (rounded - ROUND)) * std::f32::consts::LN_2;
    let p = 1.0 / 5040.0;
    let p = p * f + 1.0 / 720.0;
    let p = p * f + 1.0 / 120.0;
    let p = p * f + 1.0 / 24.0;
    let p = p * f + 1.0 / 6.0;
    let p = p * f + 0.5;
    let p = p * f + 1.0;
    let p = p * f + 1.0;
    p * f32::from_bits((n.wrapping_add(127) << 23) as u32)
}

/// log2(x) for x > 0, absolute error below 2e-7 or one unit in the last place. Values at or below the
/// smallest normal number give -126.
///
/// Mantissa moved to sqrt(1/2)..sqrt(2), then the series of 2/ln 2 * artanh((m-1)/(m+1)) to the ninth power
/// (remainder 4e-10).
#[inline(always)]
pub fn log2(x: f32) -> f32 {
    let bits = x.max(f32::MIN_POSITIVE).to_bits() as i32;
    const SQRT_HALF: i32 = 0x3f35_04f3;
    let e = (bits - SQRT_HALF) >> 23;
    let m = f32::from_bits((bits - (e << 23)) as u32);
    let s = (m - 1.0) / (m + 1.0);
    let q = s * s;
    let p = 1.0 / 9.0;
    let p = p * q + 1.0 / 7.0;
    let p = p * q + 1.0 / 5.0;
    let p = p * q + 1.0 / 3.0;
    let p = p * q + 1.0;
    e as f32 + s * p * (2.0 / std::f32::consts::LN_2)
}

/// x^p for x > 0, and 0 for x <= 0. Relative error about |p log2 x| * 1e-7 + 3e-7.
#[inline(always)]
pub fn powf(x: f32, p: f32) -> f32 {
    select(x > 0.0, exp2(p * log2(x)), 0.0)
}

/// sign(x) * |x|^p: a power curve that goes straight through zero, for values that may be negative.
#[inline(always)]
pub fn signed_pow(x: f32, p: f32) -> f32 {
    powf(x.abs(), p).copysign(x)
}

/// ln(1 + e^x): smooth maximum of 0 and x.
#[inline(always)]
pub fn softplus(x: f32) -> f32 {
    // ln(1+e^x) = max(x,0) + ln(1+e^-|x|): the exponential never overflows.
    let t = exp2(-x.abs() * std::f32::consts::LOG2_E);
    x.max(0.0) + log2(1.0 + t) * std::f32::consts::LN_2
}

/// 1 / (1 + e^-x).
#[inline(always)]
pub fn logistic(x: f32) -> f32 {
    let t = exp2(-x.abs() * std::f32::consts::LOG2_E);
    select(x >= 0.0, 1.0, t) / (1.0 + t)
}

/// Cubic Hermite step: 0 below `a`, 1 above `b`, smooth between.
#[inline(always)]
pub fn smoothstep(a: f32, b: f32, x: f32) -> f32 {
    let t = ((x - a) / (b - a)).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Points across the whole exponent range, with both ugly and round values.
    fn grid() -> impl Iterator<Item = f32> {
        (-4000..4000).map(|i| i as f32 * 0.009_7)
    }

    #[test]
    fn exp2_agrees_with_the_standard_library() {
        for x in grid() {
            let want = f64::from(x).exp2();
            let error = (f64::from(exp2(x)) / want - 1.0).abs();
            assert!(error < 3e-7, "2^{x}: {error}");
        }
    }

    #[test]
    fn log2_agrees_with_the_standard_library() {
        for x in grid() {
            let v = x.exp2();
            let want = f64::from(v).log2();
            let error = (f64::from(log2(v)) - want).abs() / want.abs().max(1.0);
            assert!(error < 2e-7, "log2 {v}: {error}");
        }
    }

    #[test]
    fn powers_of_zero_and_below_are_zero_and_signed_powers_are_odd() {
        assert_eq!(powf(0.0, 2.4), 0.0);
        assert_eq!(powf(-1.0, 2.4), 0.0);
        assert_eq!(signed_pow(-0.3, 2.4), -signed_pow(0.3, 2.4));
    }

    #[test]
    fn softplus_and_logistic_agree_with_their_definitions() {
        for i in -300..300 {
            let x = i as f32 * 0.1;
            let exact = f64::from(x).exp().ln_1p();
            assert!((f64::from(softplus(x)) - exact).abs() < 1e-6 * exact.max(1.0));
            let exact = 1.0 / (1.0 + (-f64::from(x)).exp());
            assert!((f64::from(logistic(x)) - exact).abs() < 3e-7);
        }
    }

    #[test]
    fn a_short_block_repeats_its_last_pixel_and_stores_only_what_it_was_given() {
        let mut planes = [[0.0; N]; 3];
        let mut pixels = [[0.1, 0.2, 0.3, 1.0], [0.4, 0.5, 0.6, 0.5]];
        load(&pixels, &mut planes);
        assert_eq!(planes[1][N - 1], 0.5);
        each_value!(planes, v => v + 1.0);
        store(&planes, &mut pixels);
        assert_eq!(pixels[1], [1.4, 1.5, 1.6, 0.5]);
    }
}
