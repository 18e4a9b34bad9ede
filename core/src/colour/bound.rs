//! The bound on scene light.
//!
//! Wide colours have channels below zero, and linear steps make them: white balance, channel mixing, camera matrices. In
//! ACEScct, whose code is straight below 2^-7, such a channel falls in proportion to light: a lamp that grows brighter by
//! stops would grow darker on the screen. So no channel of scene light may lie farther below the largest one than any
//! surface colour does; colours inside BT.709 are never touched, at any exposure.

use crate::numeric::lane::{Channel, N, Planes, exp2, select};

/// Share of the largest channel below which a channel is lifted: colours inside BT.709 have at least 0.0155.
const THRESHOLD: f32 = 0.0125;
/// Share that the most negative channel ends at.
const LEAST: f32 = 0.002;
/// Between both, with the slope 1 at the threshold.
const SPAN: f32 = THRESHOLD - LEAST;

/// Bounds linear AP1 from below. With M the largest channel and t = c / M, a channel with t < [`THRESHOLD`] becomes
/// M ([`LEAST`] + [`SPAN`] exp((t - [`THRESHOLD`]) / [`SPAN`])), which is continuous with its slope. Where no channel is
/// above zero, all become M: the limit of the same.
#[inline(always)]
pub fn bound(planes: &mut Planes) {
    const STEEP: f32 = std::f32::consts::LOG2_E / SPAN;
    let mut most = Channel::of(0.0);
    let mut per = Channel::of(0.0);
    for i in 0..N {
        most[i] = planes[0][i].max(planes[1][i]).max(planes[2][i]);
        per[i] = STEEP / most[i].max(1e-30);
    }
    for plane in planes {
        for i in 0..N {
            let lifted = most[i] * (LEAST + SPAN * exp2(plane[i] * per[i] - STEEP * THRESHOLD));
            let lifted = select(most[i] > 0.0, lifted, most[i]);
            plane[i] = select(plane[i] < THRESHOLD * most[i].max(0.0), lifted, plane[i]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::{
        Adaptation,
        primaries::{AP1, BT709},
    };
    use proptest::prelude::*;

    fn bounded(rgb: [f32; 3]) -> [f32; 3] {
        let mut p = rgb.map(Channel::of);
        bound(&mut p);
        p.map(|plane| plane[0])
    }

    proptest! {
        #[test]
        fn colours_inside_bt709_stay_bit_for_bit_at_any_exposure(
            r in 0.0..1.0_f64, g in 0.0..1.0_f64, b in 0.0..1.0_f64, stops in -14.0..14.0_f64,
        ) {
            let m = BT709.to(&AP1, Adaptation::Bradford);
            let rgb = m.apply([r, g, b].map(|v| v * stops.exp2())).map(|v| v as f32);
            prop_assert_eq!(bounded(rgb), rgb);
        }

        #[test]
        fn every_colour_is_bounded_goes_with_exposure_and_never_jumps(
            r in -4.0..4.0_f32, g in -4.0..4.0_f32, b in -4.0..4.0_f32, towards in 0_usize..3,
        ) {
            let rgb = [r, g, b];
            let most = r.max(g).max(b);
            let out = bounded(rgb);
            if most > 0.0 {
                prop_assert!(out.iter().all(|v| *v >= 0.0019 * most), "{rgb:?} {out:?}");
                let brighter = bounded(rgb.map(|v| v * 8.0));
                for c in 0..3 {
                    prop_assert!((brighter[c] - 8.0 * out[c]).abs() <= 1e-5 * brighter[c].abs());
                }
            } else {
                prop_assert_eq!(out, [most; 3]);
            }
            let mut near = rgb;
            near[towards] += 1e-4;
            for (a, b) in bounded(near).iter().zip(out) {
                prop_assert!((a - b).abs() <= 2.5e-4, "{rgb:?}: {out:?} and {near:?}");
            }
        }
    }
}
