//! Channel mix: each channel from all three, and monochrome through a colour filter.

use super::kind::{Domain, InFiles, Kind, KindInfo, SCENE_AND_SCREEN, Site};
use super::{Zone, gel::transmittance};
use crate::colour::{Mat3, matrix::Mat3f};
use crate::field::parameters;

parameters! {
    /// A 3x3 matrix on linear light.
    ChannelMix {
        /// Red's share in red.
        red_red: "Red from red", Percent, number(-2.0, 2.0, 1.0, 0.01);
        /// Green's share in red.
        red_green: "Red from green", Percent, number(-2.0, 2.0, 0.0, 0.01);
        /// Blue's share in red.
        red_blue: "Red from blue", Percent, number(-2.0, 2.0, 0.0, 0.01);
        /// Red's share in green.
        green_red: "Green from red", Percent, number(-2.0, 2.0, 0.0, 0.01);
        /// Green's share in green.
        green_green: "Green from green", Percent, number(-2.0, 2.0, 1.0, 0.01);
        /// Blue's share in green.
        green_blue: "Green from blue", Percent, number(-2.0, 2.0, 0.0, 0.01);
        /// Red's share in blue.
        blue_red: "Blue from red", Percent, number(-2.0, 2.0, 0.0, 0.01);
        /// Green's share in blue.
        blue_green: "Blue from green", Percent, number(-2.0, 2.0, 0.0, 0.01);
        /// Blue's share in blue.
        blue_blue: "Blue from blue", Percent, number(-2.0, 2.0, 1.0, 0.01);
        /// Scales each row so that greys stay as they are.
        lock: "Keep neutrals", Plain, switch(true);
        /// Makes one brightness of all, as a black-and-white film does.
        monochrome: "Monochrome", Plain, switch(false);
        /// The colour of the filter before a monochrome picture: what it lets through gets brighter.
        filter_hue: "Filter hue", Degrees, number(0.0, 360.0, 150.0, 1.0);
        /// How strong that filter is.
        filter_density: "Filter density", Plain, number(0.0, 2.0, 0.0, 0.01);
    }
}

/// A row that keeps greys: scaled to a sum of one where it has one worth scaling, and towards its own channel where its
/// weights cancel. With s the sum: row k + (1 - k s) of the own channel, where k is 1 / s from a sum of one on and
/// s (3 - 2 |s|) below, which has the same value and slope there. The sum is always one, k stays under 9/8 and its slope
/// under 3, so that nothing jumps as s goes through zero.
fn locked(row: [f64; 3], own: usize) -> [f64; 3] {
    let s: f64 = row.iter().sum();
    let k = if s.abs() < 1.0 { s * (3.0 - 2.0 * s.abs()) } else { 1.0 / s };
    let mut out = row.map(|w| k * w);
    out[own] += 1.0 - k * s;
    out
}

impl ChannelMix {
    /// The matrix on linear light.
    pub fn kernel(&self, zone: Zone) -> Mat3f {
        let v = self;
        let mut rows = [
            [v.red_red, v.red_green, v.red_blue],
            [v.green_red, v.green_green, v.green_blue],
            [v.blue_red, v.blue_green, v.blue_blue],
        ];
        if v.lock {
            for (own, row) in rows.iter_mut().enumerate() {
                *row = locked(*row, own);
            }
        }
        let mix = Mat3(rows);
        if !v.monochrome {
            return mix.to_f32();
        }
        let luma = super::plane_of(zone).luma.map(f64::from);
        let through = transmittance(zone, v.filter_hue, v.filter_density);
        let seen = [0, 1, 2].map(|c| luma[c] * through[c]);
        let sum: f64 = seen.iter().sum();
        Mat3([seen.map(|w| w / sum); 3]).after(&mix).to_f32()
    }
}

impl Kind for ChannelMix {
    const INFO: KindInfo = KindInfo {
        kind: "channel-mix",
        title: "Channel mix",
        purpose: "Each channel from all three, swaps, monochrome through a filter",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Linear,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = Mat3f;

    fn work(&self, site: &Site) -> Option<Self::Kernel> {
        Some(self.kernel(site.zone))
    }

    fn in_files(kernel: &Self::Kernel) -> Option<InFiles> {
        Some(InFiles::matrix(kernel))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn locked_rows_keep_greys_and_unlocked_ones_do_not() {
        let wild = ChannelMix { red_green: 0.8, green_blue: -0.6, blue_red: 0.3, ..Default::default() };
        let out = wild.kernel(Zone::Scene).apply([0.18; 3]);
        assert!(out.iter().all(|v| (v - 0.18).abs() < 1e-6), "{out:?}");
        let loose = ChannelMix { lock: false, ..wild };
        assert!((loose.kernel(Zone::Scene).apply([0.18; 3])[0] - 0.18 * 1.8).abs() < 1e-6);
    }

    proptest! {
        #[test]
        fn every_locked_matrix_keeps_greys_and_none_jumps(
            red in -2.0..2.0_f64, green in -2.0..2.0_f64, blue in -2.0..2.0_f64, moved in 0_usize..3,
        ) {
            let row = [red, green, blue];
            let out = locked(row, 0);
            prop_assert!((out.iter().sum::<f64>() - 1.0).abs() < 1e-12, "{row:?} {out:?}");
            let mut near = row;
            near[moved] += 1e-6;
            // k has a slope of at most 3, and a row's weights are up to 2.
            for (a, b) in out.iter().zip(locked(near, 0)) {
                prop_assert!((a - b).abs() < 2e-5, "{row:?}");
            }
        }
    }

    #[test]
    fn a_row_that_cancels_keeps_greys() {
        let step = ChannelMix { red_red: 1.0, red_green: -0.5, red_blue: -0.5, ..Default::default() };
        let out = step.kernel(Zone::Scene).apply([0.18; 3]);
        assert!(out.iter().all(|v| (v - 0.18).abs() < 1e-7), "{out:?}");
    }

    #[test]
    fn swapping_two_channels_swaps_them() {
        let swap =
            ChannelMix { red_red: 0.0, red_blue: 1.0, blue_blue: 0.0, blue_red: 1.0, ..Default::default() };
        assert_eq!(swap.kernel(Zone::Scene).apply([0.1, 0.2, 0.3]), [0.3, 0.2, 0.1]);
    }

    #[test]
    fn a_red_filter_darkens_blue_and_brightens_red_in_monochrome_while_grey_stays() {
        // The plane's angle of red is 102.9 degrees (BT.709-6, 3.2-3.3). A red filter darkens skies: common practice.
        let plain = ChannelMix { monochrome: true, ..Default::default() };
        let red = ChannelMix { filter_hue: 102.9, filter_density: 0.8, ..plain.clone() };
        let (plain, red) = (plain.kernel(Zone::Scene), red.kernel(Zone::Scene));
        let sky = [0.2, 0.3, 0.6];
        assert!(red.apply(sky)[0] < plain.apply(sky)[0]);
        assert!(red.apply([0.6, 0.2, 0.1])[1] > plain.apply([0.6, 0.2, 0.1])[1]);
        assert!((red.apply([0.18; 3])[2] - 0.18).abs() < 1e-6);
        let [r, g, b] = red.apply(sky);
        assert!(r == g && g == b);
    }
}
