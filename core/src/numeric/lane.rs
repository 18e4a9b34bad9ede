//! Planar blocks of pixels and the elementary functions that run on them.
//!
//! A step sees [`Planes`]: three arrays of [`N`] values. Loops over them have a constant trip count and no
//! branches, so the compiler vectorises them; [`vectorised`] picks the widest instruction set of the machine
//! at run time. Where a product is added to something, [`f32::mul_add`] says so: it rounds once, by definition, so every
//! machine gives the same bits; one without an instruction for it gives them slowly.
//!
//! What a loop calls has to be inlined into it, or the loop stays scalar and runs ten times slower. A function
//! can be told so with `#[inline(always)]`, a closure cannot: the compiler leaves a large one standing alone.
//! So loops over values are written by the macro [`each_value`], and a step that does much to a pixel does it
//! in several short passes over the block, which stays in the first-level cache.

use pulp::{Arch, NullaryFnOnce};
use std::ops::{Deref, DerefMut};

/// Pixels in a block. 256 pixels of three f32 planes are 3 kB: they stay in the first-level cache.
pub const N: usize = 256;

/// One channel of a block. It lies where vectors begin: one that straddles two lines of the cache costs twice, which made the
/// longest loops half as fast.
#[derive(Clone, Copy, Debug, PartialEq)]
#[repr(C, align(64))]
pub struct Channel([f32; N]);

impl Channel {
    /// The same value everywhere.
    #[inline(always)]
    pub const fn of(value: f32) -> Self {
        Self([value; N])
    }
}

impl From<[f32; N]> for Channel {
    #[inline(always)]
    fn from(values: [f32; N]) -> Self {
        Self(values)
    }
}

impl Deref for Channel {
    type Target = [f32; N];

    #[inline(always)]
    fn deref(&self) -> &[f32; N] {
        &self.0
    }
}

impl DerefMut for Channel {
    #[inline(always)]
    fn deref_mut(&mut self) -> &mut [f32; N] {
        &mut self.0
    }
}

impl<'a> IntoIterator for &'a mut Channel {
    type Item = &'a mut f32;
    type IntoIter = std::slice::IterMut<'a, f32>;

    #[inline(always)]
    fn into_iter(self) -> Self::IntoIter {
        self.0.iter_mut()
    }
}

/// Red, green and blue of a block. What they mean (domain, primaries) is said by whoever hands it on.
pub type Planes = [Channel; 3];

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

/// A polynomial by Horner's rule, from the coefficient of the highest power down.
#[inline(always)]
pub fn polynomial<const K: usize>(x: f32, coefficients: [f32; K]) -> f32 {
    let mut sum = coefficients[0];
    for c in &coefficients[1..] {
        sum = sum.mul_add(x, *c);
    }
    sum
}

/// `if condition { a } else { b }` on values both already computed: a blend, not a branch.
#[inline(always)]
pub fn select(condition: bool, a: f32, b: f32) -> f32 {
    if condition { a } else { b }
}

/// How far the logarithm bends between two octaves: what leaves the smallest miss.
const LOG_BEND: f32 = 0.346_6;

/// The same of the power of two.
const POWER_BEND: f32 = 0.34;

/// The faintest light that counts, where light is counted in octaves.
const FAINTEST: f32 = 1.0 / 65_536.0;

/// Octaves of light about 1, none below 2^-16: off from log2(x) by less than 0.008, but a handful of operations without a
/// division. For thresholds, and for what goes into tables, which need only that [`undo_octaves`] leads back.
#[inline(always)]
pub fn octaves(v: f32) -> f32 {
    let (e, m) = parts(v);
    m.mul_add(LOG_BEND.mul_add(-m, 1.0 + LOG_BEND), e)
}

/// Light from [`octaves`].
#[inline(always)]
pub fn undo_octaves(t: f32) -> f32 {
    let rounded = lower(t);
    let f = t - (rounded - ROUND);
    scaled(1.0 + root(LOG_BEND, f), rounded)
}

/// Light of about 2^t, for t of -125..127: off by less than 0.3 %, without a division. For what comes out of tables, which
/// need only that [`undo_powers`] leads back.
#[inline(always)]
pub fn powers(t: f32) -> f32 {
    let rounded = lower(t);
    let f = t - (rounded - ROUND);
    scaled(polynomial(f, [POWER_BEND, 1.0 - POWER_BEND, 1.0]), rounded)
}

/// What [`powers`] makes light of, none below 2^-16.
#[inline(always)]
pub fn undo_powers(v: f32) -> f32 {
    let (e, m) = parts(v);
    // 1 - f solves the same equation for 1 - m as the logarithm's does.
    e + 1.0 - root(POWER_BEND, 1.0 - m)
}

/// Whole octaves of light, and how far it is into the next: 0..1.
#[inline(always)]
fn parts(v: f32) -> (f32, f32) {
    let bits = v.max(FAINTEST).to_bits();
    let m = f32::from_bits((bits & 0x007f_ffff) | 0x3f80_0000) - 1.0;
    (((bits >> 23) as i32 - 127) as f32, m)
}

/// The m of 0..1 with f = m (1 + b) - b m^2, without losing digits.
#[inline(always)]
fn root(b: f32, f: f32) -> f32 {
    let straight = 1.0 + b;
    2.0 * f / (straight + (straight * straight - 4.0 * b * f).sqrt())
}

/// The whole number at or below t, plus [`ROUND`]: half of one less, rounded to the nearest. Whole numbers may come out one
/// lower, at the other end of the same octave.
#[inline(always)]
pub(crate) fn lower(t: f32) -> f32 {
    (t - 0.5) + ROUND
}

/// p times 2^n for `rounded`, which is n plus [`ROUND`]: added to the exponent field of IEEE 754; the rest of the bits that
/// rounding leaves fall out on the left.
#[inline(always)]
fn scaled(p: f32, rounded: f32) -> f32 {
    f32::from_bits(p.to_bits().wrapping_add(rounded.to_bits() << 23))
}

/// Adding this rounds to the nearest integer and leaves it in the low mantissa bits: 1.5 * 2^23.
pub(crate) const ROUND: f32 = 12_582_912.0;

/// 2^x, relative error below 3e-7. Saturates at 2^-125 and 2^127.
#[inline(always)]
pub fn exp2(x: f32) -> f32 {
    exp2_within(x.clamp(-125.0, 127.0))
}

/// As [`exp2`], for x of -125..127 only: beyond, the result means nothing.
///
/// The polynomial of degree 5 that leaves 1 at 0 with the slope of 2^f and misses that least over f in -0.5..0.5 (1e-7;
/// weighted least squares after Lawson, in f64).
#[inline(always)]
pub fn exp2_within(x: f32) -> f32 {
    let rounded = x + ROUND;
    let f = x - (rounded - ROUND);
    let p = polynomial(
        f,
        [0.001_330_060_5, 0.009_669_691, 0.055_505_585, 0.240_222_83, std::f32::consts::LN_2, 1.0],
    );
    scaled(p, rounded)
}

/// log2(x) for x > 0, absolute error below 2e-7 or one unit in the last place. Values at or below the
/// smallest normal number give -126.
///
/// Mantissa m moved to sqrt(1/2)..sqrt(2), then the polynomial of degree 9 in m - 1 that leaves 0 at 0 with the
/// logarithm's slope and misses that least (4e-8 of m - 1; weighted least squares after Lawson, in f64). A division
/// alone would cost more than all of it.
#[inline(always)]
pub fn log2(x: f32) -> f32 {
    let bits = x.max(f32::MIN_POSITIVE).to_bits() as i32;
    const SQRT_HALF: i32 = 0x3f35_04f3;
    let e = (bits - SQRT_HALF) >> 23;
    let z = f32::from_bits((bits - (e << 23)) as u32) - 1.0;
    let p = polynomial(
        z,
        [
            0.129_388_88,
            -0.208_585_71,
            0.214_998_74,
            -0.238_726_51,
            0.287_971_4,
            -0.360_713_96,
            0.480_908_8,
            -0.721_347_2,
            std::f32::consts::LOG2_E,
        ],
    );
    z.mul_add(p, e as f32)
}

/// log2(1 + 2^-|z|), absolute error below 2e-7: how much more a soft maximum of 0 and z is than the sharp one.
///
/// A polynomial of degree 8 found as those of [`log2`] are, in 2^-|z|; that is held above 2^-60, since numbers too small
/// for their exponent take the processor a hundred times as long.
#[inline(always)]
pub fn softening(z: f32) -> f32 {
    let t = exp2_within((-z.abs()).max(-60.0));
    let p = polynomial(
        t,
        [
            -0.009_309_163,
            0.052_059,
            -0.137_521_36,
            0.241_864_79,
            -0.347_301_1,
            0.478_683_7,
            -0.721_165_8,
            1.442_689_9,
        ],
    );
    p * t
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
    x.max(0.0) + softening(x * std::f32::consts::LOG2_E) * std::f32::consts::LN_2
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

/// The angle of (x, y) in degrees, 0..360, counted from the right; 0 at the centre. Absolute error below 4e-5.
///
/// Arc tangent after Abramowitz and Stegun, Handbook of Mathematical Functions, 4.4.49 (error 2e-8 radians).
#[inline(always)]
pub fn angle_degrees(x: f32, y: f32) -> f32 {
    let (ax, ay) = (x.abs(), y.abs());
    let (most, least) = (ax.max(ay), ax.min(ay));
    let t = least / most.max(1e-30);
    let q = t * t;
    let p = polynomial(
        q,
        [
            0.002_866_225_7,
            -0.016_165_736_7,
            0.042_909_613_8,
            -0.075_289_640_0,
            0.106_562_639_3,
            -0.142_088_994_4,
            0.199_935_508_5,
            -0.333_331_452_8,
            1.0,
        ],
    );
    let a = t * p * (180.0 / std::f32::consts::PI);
    let a = select(ay > ax, 90.0 - a, a);
    let a = select(x < 0.0, 180.0 - a, a);
    // An angle of -1e-7 would round to 360 itself.
    let a = select(y < 0.0, 360.0 - a, a);
    select(a >= 360.0, 0.0, a)
}

/// Sine and cosine of an angle of -360..360 degrees. Absolute error below 1e-6.
///
/// Taylor series at half the angle (remainders below 6e-8 at 90 degrees), doubled.
#[inline(always)]
pub fn sin_cos_degrees(degrees: f32) -> (f32, f32) {
    // Into -180..180: half of that is within the series' reach.
    let turned = degrees - 360.0 * select(degrees > 180.0, 1.0, select(degrees < -180.0, -1.0, 0.0));
    let x = turned * (std::f32::consts::PI / 360.0);
    let q = x * x;
    let s = polynomial(q, [-1.0 / 39_916_800.0, 1.0 / 362_880.0, -1.0 / 5_040.0, 1.0 / 120.0, -1.0 / 6.0]);
    let s = x * (s * q + 1.0);
    let c = polynomial(
        q,
        [1.0 / 479_001_600.0, -1.0 / 3_628_800.0, 1.0 / 40_320.0, -1.0 / 720.0, 1.0 / 24.0, -0.5, 1.0],
    );
    (2.0 * s * c, 1.0 - 2.0 * s * s)
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
    fn octaves_and_powers_are_near_what_they_stand_for_and_lead_back() {
        for x in (-1590..1590).map(|i| i as f32 * 0.01) {
            let v = x.exp2();
            assert!((octaves(v) - x).abs() < 8e-3 && (powers(x) / v - 1.0).abs() < 3e-3, "{x}");
            assert!((undo_octaves(octaves(v)) / v - 1.0).abs() < 3e-6, "{v}");
            assert!((powers(undo_powers(v)) / v - 1.0).abs() < 3e-6, "{v}");
        }
        assert_eq!(octaves(-1.0), undo_powers(0.0));
    }

    #[test]
    fn angles_sines_and_cosines_agree_with_the_standard_library() {
        for i in 0..7200 {
            let want = f64::from(i) * 0.05;
            let (sin, cos) = want.to_radians().sin_cos();
            for radius in [1e-6, 0.3, 40.0] {
                let got = f64::from(angle_degrees((radius * cos) as f32, (radius * sin) as f32));
                let off = (got - want + 180.0).rem_euclid(360.0) - 180.0;
                assert!(off.abs() < 4e-5, "{want}: {got}");
            }
            let (s, c) = sin_cos_degrees((want - 180.0) as f32);
            let (sin, cos) = (want - 180.0).to_radians().sin_cos();
            assert!((f64::from(s) - sin).abs() < 1e-6 && (f64::from(c) - cos).abs() < 1e-6, "{want}");
        }
        assert_eq!((angle_degrees(0.0, 0.0), sin_cos_degrees(0.0)), (0.0, (0.0, 1.0)));
    }

    #[test]
    fn powers_of_zero_and_below_are_zero_and_signed_powers_are_odd() {
        assert_eq!(powf(0.0, 2.4), 0.0);
        assert_eq!(powf(-1.0, 2.4), 0.0);
        assert_eq!(signed_pow(-0.3, 2.4), -signed_pow(0.3, 2.4));
    }

    #[test]
    fn a_soft_maximum_is_more_than_the_sharp_one_by_its_softening() {
        for z in grid() {
            let exact = (-f64::from(z).abs()).exp2().ln_1p() / std::f64::consts::LN_2;
            assert!((f64::from(softening(z)) - exact).abs() < 2e-7, "{z}: {} {exact}", softening(z));
            // Never a number that is too small for its exponent.
            assert!(softening(z) >= f32::MIN_POSITIVE && softening(-z) == softening(z));
        }
        assert_eq!(softening(0.0), 1.0);
    }

    #[test]
    fn powers_and_logarithms_hold_at_their_ends_and_are_exact_at_whole_numbers() {
        for n in -125..=127 {
            assert_eq!(exp2(n as f32), 2_f32.powi(n), "2^{n}");
            assert_eq!(log2(2_f32.powi(n)), n as f32, "log2 of 2^{n}");
        }
        assert_eq!((exp2(-1e9), exp2(1e9)), (2_f32.powi(-125), 2_f32.powi(127)));
        for faint in [0.0, -1.0, f32::MIN_POSITIVE, 1e-40, f32::NAN] {
            assert_eq!(log2(faint), -126.0);
        }
        assert_eq!((powf(1.0, 2.4), signed_pow(-1.0, 2.4)), (1.0, -1.0));
    }

    #[test]
    fn a_polynomial_begins_with_its_highest_power() {
        assert_eq!(polynomial(2.0, [3.0, 0.0, -1.0]), 11.0);
        assert_eq!(polynomial(7.0, [4.0]), 4.0);
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
        let mut planes = [Channel::of(0.0); 3];
        let mut pixels = [[0.1, 0.2, 0.3, 1.0], [0.4, 0.5, 0.6, 0.5]];
        load(&pixels, &mut planes);
        assert_eq!(planes[1][N - 1], 0.5);
        each_value!(planes, v => v + 1.0);
        store(&planes, &mut pixels);
        assert_eq!(pixels[1], [1.4, 1.5, 1.6, 0.5]);
    }
}
