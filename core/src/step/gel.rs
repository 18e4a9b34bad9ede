//! Gel: light through a coloured filter.

use super::Zone;
use super::kind::{Domain, InFiles, Kind, KindInfo, SCENE, Site};
use crate::colour::{Mat3, matrix::Mat3f, plane::polar};
use crate::field::parameters;

parameters! {
    /// A coloured filter before the light.
    Gel {
        /// The colour that the filter lets through.
        hue: "Hue", Degrees, number(0.0, 360.0, 123.0, 1.0);
        /// Its density for the colours that it holds back most; 0.3 takes away half of them.
        density: "Density", Plain, number(0.0, 2.0, 0.0, 0.01);
        /// Gives white its brightness back.
        keep_exposure: "Keep exposure", Plain, switch(true);
    }
}

/// What a filter of a hue and a density lets through of R, G and B: 10^(-density * a), the law of Beer and Lambert on
/// three bands. The absorption a goes from 0 in the band that the hue is richest in to 1 in the one that it is
/// poorest in, as the zone's colour-difference plane has it.
pub fn transmittance(zone: Zone, hue: f64, density: f64) -> [f64; 3] {
    let (cb, cr) = polar(hue, 1.0);
    let o = super::plane_of(zone).offset(cb as f32, cr as f32).map(f64::from);
    let (most, least) =
        (o.iter().copied().fold(f64::MIN, f64::max), o.iter().copied().fold(f64::MAX, f64::min));
    o.map(|v| 10_f64.powf(-density * (most - v) / (most - least)))
}

impl Gel {
    /// The gains on linear light.
    pub fn kernel(&self, zone: Zone) -> Mat3f {
        if self.density == 0.0 {
            return Mat3::IDENTITY.to_f32();
        }
        let t = transmittance(zone, self.hue, self.density);
        let luma = super::plane_of(zone).luma.map(f64::from);
        let white: f64 = t.iter().zip(luma).map(|(t, w)| t * w).sum();
        let gain = if self.keep_exposure { 1.0 / white } else { 1.0 };
        Mat3::diagonal(t.map(|v| v * gain)).to_f32()
    }
}

impl Kind for Gel {
    const INFO: KindInfo = KindInfo {
        kind: "gel",
        title: "Gel",
        purpose: "Light through a coloured filter",
        zones: SCENE,
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
    use crate::colour::plane::hue_of;

    #[test]
    fn densities_add_up_as_filters_laid_on_each_other_do() {
        // Beer and Lambert: two filters of 0.2 and 0.3 let through what one of 0.5 does.
        let t = |d| transmittance(Zone::Scene, 40.0, d);
        for c in 0..3 {
            assert!((t(0.2)[c] * t(0.3)[c] - t(0.5)[c]).abs() < 1e-12);
        }
        let darkest = t(0.3).into_iter().fold(1.0, f64::min);
        assert!((darkest - 0.501_187).abs() < 1e-5, "a density of 0.3 lets 10^-0.3 through: {darkest}");
    }

    #[test]
    fn white_goes_the_way_of_the_hue_and_keeps_its_brightness() {
        for hue in [0.0, 60.0, 123.0, 200.0, 300.0] {
            let gel = Gel { hue, density: 0.05, keep_exposure: true };
            let out = gel.kernel(Zone::Scene).apply([0.18; 3]);
            let (y, cb, cr) = super::super::plane_of(Zone::Scene).split(out);
            assert!((y - 0.18).abs() < 1e-6);
            let off = (hue_of(f64::from(cb), f64::from(cr)) - hue + 540.0).rem_euclid(360.0) - 180.0;
            assert!(off.abs() < 4.0, "{hue}: off by {off}");
        }
    }
}
