//! Balance: exposure and white balance, on linear light.

use super::kind::{Domain, InFiles, Kind, KindInfo, SCENE, Site};
use crate::colour::{
    Adaptation, Mat3,
    adaptation::{locus, nearest_on_locus},
    chromaticity::xyz_to_xy,
    matrix::Mat3f,
    primaries::AP1,
};
use crate::field::parameters;

/// Temperature that changes nothing: the working white lies on the daylight locus at 6000 K (TB-2018-001).
pub const WORKING_KELVIN: f64 = 6_000.0;

parameters! {
    /// Exposure in stops, and the white of the light on the set as temperature and tint.
    Balance {
        /// Gain on light; one stop doubles it.
        exposure: "Exposure", Stops, number(-8.0, 8.0, 0.0, 0.05);
        /// Temperature of the light that should look white: a higher value makes the picture warmer.
        temperature: "Temperature", Kelvin, number(1_800.0, 25_000.0, WORKING_KELVIN, 50.0);
        /// How far that light lies from the locus toward green: a higher value makes the picture more magenta.
        tint: "Tint", Duv, number(-40.0, 40.0, 0.0, 0.5);
    }
}

impl Balance {
    /// The matrix on linear AP1: CAT16 from the chosen white to the white of [`WORKING_KELVIN`], times
    /// 2^exposure. Exactly the gain alone where the white is the neutral one.
    pub fn kernel(&self) -> Mat3f {
        let gain = self.exposure.exp2();
        let gain = Mat3::diagonal([gain; 3]);
        if self.temperature == WORKING_KELVIN && self.tint == 0.0 {
            return gain.to_f32();
        }
        let from = locus(self.temperature, self.tint / 1_000.0);
        let to = locus(WORKING_KELVIN, 0.0);
        let to_xyz = AP1.to_xyz();
        let to_rgb = AP1.from_xyz();
        to_rgb.after(&Adaptation::Cat16.between(from, to)).after(&to_xyz).after(&gain).to_f32()
    }

    /// The white balance that makes a patch neutral, exposure unchanged. `patch` is the linear AP1 mean of
    /// something neutral in the picture, before this step.
    ///
    /// `None` where the patch has no light, or a colour so far from any white that it cannot have been neutral.
    pub fn neutralising(&self, patch: [f64; 3]) -> Option<Self> {
        let found = Self::bringing(patch, [1.0; 3])?;
        Some(Self { exposure: self.exposure, ..found })
    }

    /// The balance that brings one linear AP1 colour to another, in chromaticity and luminance.
    ///
    /// `None` where either has no light, where no white between 1800 K and 25000 K does it, or where the exposure
    /// would leave its range.
    pub fn bringing(colour: [f64; 3], to: [f64; 3]) -> Option<Self> {
        let to_xyz = AP1.to_xyz();
        let cones = Adaptation::Cat16.to_cones();
        let seen = cones.apply(to_xyz.apply(colour));
        let wanted = cones.apply(to_xyz.apply(to));
        let target = cones.apply(crate::colour::chromaticity::xy_to_xyz(locus(WORKING_KELVIN, 0.0)));
        // Von Kries: white_i with seen_i * target_i / white_i proportional to wanted_i.
        let white = [0, 1, 2].map(|i| seen[i] * target[i] / wanted[i]);
        if white.iter().any(|v| *v <= 0.0 || !v.is_finite()) {
            return None;
        }
        let xy = xyz_to_xy(cones.inverse()?.apply(white));
        let (kelvin, duv) = nearest_on_locus(xy)?;
        if !(1_800.0..=25_000.0).contains(&kelvin) || duv.abs() > 0.04 {
            return None;
        }
        let white = Self { exposure: 0.0, temperature: kelvin, tint: duv * 1_000.0 };
        let [_, before, _] = to_xyz.apply(white.kernel().apply(colour.map(|v| v as f32)).map(f64::from));
        let [_, after, _] = to_xyz.apply(to);
        let exposure = (after / before).log2();
        (exposure.abs() <= 8.0).then_some(Self { exposure, ..white })
    }
}

impl Kind for Balance {
    const INFO: KindInfo = KindInfo {
        kind: "balance",
        title: "Balance",
        purpose: "Exposure and white, as light on the set would change",
        zones: SCENE,
        domain: Domain::Linear,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = Mat3f;

    fn work(&self, _: &Site) -> Option<Self::Kernel> {
        Some(self.kernel())
    }

    fn in_files(kernel: &Self::Kernel) -> Option<InFiles> {
        Some(InFiles::matrix(kernel))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::chromaticity::xy_to_xyz;

    #[test]
    fn one_stop_doubles_and_neutral_is_the_identity() {
        assert_eq!(Balance::default().kernel(), Mat3::IDENTITY.to_f32());
        let up = Balance { exposure: 1.0, ..Default::default() };
        assert_eq!(up.kernel().apply([0.1, 0.2, 0.3]), [0.2, 0.4, 0.6]);
    }

    #[test]
    fn a_grey_patch_under_a_lamp_gives_the_lamps_temperature_and_becomes_neutral() {
        let to_rgb = AP1.from_xyz();
        for (kelvin, duv) in
            [(2_856.0, 0.0), (4_300.0, 0.0), (6_504.0, 0.0), (9_300.0, 0.0), (4_000.0, 0.012)]
        {
            let patch = to_rgb.apply(xy_to_xyz(locus(kelvin, duv)).map(|v| v * 0.18));
            let found = Balance::default().neutralising(patch).unwrap();
            // The working white is 1e-4 in y off the 6000 K locus point, hence the tolerance.
            assert!((found.temperature / kelvin - 1.0).abs() < 0.01, "{kelvin}: {found:?}");
            assert!((found.tint / 1000.0 - duv).abs() < 4e-4, "{kelvin}: {found:?}");
            let out = found.kernel().apply(patch.map(|v| v as f32));
            let mean = out.iter().sum::<f32>() / 3.0;
            assert!(out.iter().all(|v| (v / mean - 1.0).abs() < 1e-3), "{out:?}");
        }
    }

    #[test]
    fn bringing_one_colour_to_another_undoes_a_known_balance() {
        let to_rgb = AP1.from_xyz();
        let colour = to_rgb.apply(xy_to_xyz([0.40, 0.36]).map(|v| v * 0.3)).map(|v| v as f32);
        for (exposure, temperature, tint) in [(1.0, 8_200.0, -5.0), (-0.8, 4_600.0, 6.0), (2.5, 6_000.0, 0.0)]
        {
            let known = Balance { exposure, temperature, tint };
            let right = known.kernel().apply(colour);
            let found = Balance::bringing(colour.map(f64::from), right.map(f64::from)).unwrap();
            assert!((found.exposure - exposure).abs() < 1e-3, "{known:?} {found:?}");
            assert!((found.temperature / temperature - 1.0).abs() < 2e-3, "{known:?} {found:?}");
            assert!((found.tint - tint).abs() < 0.2, "{known:?} {found:?}");
        }
        assert_eq!(Balance::bringing([0.0; 3], [0.18; 3]), None);
        assert_eq!(Balance::bringing([1e-6; 3], [10.0; 3]), None, "23 stops are beyond any exposure");
    }

    #[test]
    fn a_coloured_lamp_is_no_white() {
        assert_eq!(Balance::default().neutralising([0.0, 0.9, 0.05]), None);
        assert_eq!(Balance::default().neutralising([0.0, 0.0, 0.0]), None);
    }

    #[test]
    fn a_higher_temperature_makes_the_picture_warmer() {
        let warm = Balance { temperature: 8_000.0, ..Default::default() }.kernel().apply([0.18; 3]);
        assert!(warm[0] > 0.18 && warm[2] < 0.18, "{warm:?}");
    }
}
