//! Slope/offset/power: the ASC colour decision list, version 1.2, with its saturation.

use super::kind::{Domain, InFiles, Kind, KindInfo, SCENE_AND_SCREEN, Site};
use crate::colour::plane::Plane;
use crate::field::parameters;
use crate::numeric::lane::{self, Channel, N, Planes, powf, select};
use crate::table::{Operator, operator::Correction};

parameters! {
    /// out = (in * slope + offset) ^ power on each channel, then saturation about BT.709 luma.
    SlopeOffsetPower {
        /// Factor on red.
        red_slope: "Red slope", Plain, number(0.0, 4.0, 1.0, 0.005);
        /// Factor on green.
        green_slope: "Green slope", Plain, number(0.0, 4.0, 1.0, 0.005);
        /// Factor on blue.
        blue_slope: "Blue slope", Plain, number(0.0, 4.0, 1.0, 0.005);
        /// Added to red.
        red_offset: "Red offset", Plain, number(-1.0, 1.0, 0.0, 0.002);
        /// Added to green.
        green_offset: "Green offset", Plain, number(-1.0, 1.0, 0.0, 0.002);
        /// Added to blue.
        blue_offset: "Blue offset", Plain, number(-1.0, 1.0, 0.0, 0.002);
        /// Exponent of red; above one is darker.
        red_power: "Red power", Plain, number(0.1, 4.0, 1.0, 0.005);
        /// Exponent of green; above one is darker.
        green_power: "Green power", Plain, number(0.1, 4.0, 1.0, 0.005);
        /// Exponent of blue; above one is darker.
        blue_power: "Blue power", Plain, number(0.1, 4.0, 1.0, 0.005);
        /// Factor on saturation; 0 is monochrome.
        saturation: "Saturation", Plain, number(0.0, 4.0, 1.0, 0.005);
        /// Clips to 0 and 1 as the ASC's strict form does, for exchange to the digit.
        clamp: "Clip as the ASC does", Plain, switch(false);
    }
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct SlopeOffsetPowerKernel {
    slope: [f32; 3],
    offset: [f32; 3],
    power: [f32; 3],
    saturation: f32,
    /// Where it clips at the top.
    clamp: Option<f32>,
}

impl SlopeOffsetPower {
    /// Slopes, offsets and powers of R, G, B and the saturation, as decision lists write them.
    pub fn from_sop(slope: [f64; 3], offset: [f64; 3], power: [f64; 3], saturation: f64) -> Self {
        Self {
            red_slope: slope[0],
            green_slope: slope[1],
            blue_slope: slope[2],
            red_offset: offset[0],
            green_offset: offset[1],
            blue_offset: offset[2],
            red_power: power[0],
            green_power: power[1],
            blue_power: power[2],
            saturation,
            clamp: false,
        }
    }

    /// Slopes of R, G, B.
    pub fn slope(&self) -> [f64; 3] {
        [self.red_slope, self.green_slope, self.blue_slope]
    }

    /// Offsets of R, G, B.
    pub fn offset(&self) -> [f64; 3] {
        [self.red_offset, self.green_offset, self.blue_offset]
    }

    /// Powers of R, G, B.
    pub fn power(&self) -> [f64; 3] {
        [self.red_power, self.green_power, self.blue_power]
    }

    /// The step, alike in every zone: it works on the zone's code values.
    pub fn kernel(&self) -> SlopeOffsetPowerKernel {
        self.kernel_to(1.0)
    }

    /// The same, which clips to a peak in place of 1: the brightest code value of an HDR display.
    pub fn kernel_to(&self, peak: f32) -> SlopeOffsetPowerKernel {
        let f = |v: [f64; 3]| v.map(|v| v as f32);
        SlopeOffsetPowerKernel {
            slope: f(self.slope()),
            offset: f(self.offset()),
            power: f(self.power()),
            saturation: self.saturation as f32,
            clamp: self.clamp.then_some(peak),
        }
    }
}

impl SlopeOffsetPower {
    /// The step on code values in the order of their pixels.
    pub fn on_pixels(&self, pixels: &mut [[f32; 4]]) {
        let kernel = self.kernel();
        let mut planes = [Channel::of(0.0); 3];
        for block in pixels.chunks_mut(N) {
            lane::load(block, &mut planes);
            kernel.run(&mut planes);
            lane::store(&planes, block);
        }
    }
}

impl SlopeOffsetPowerKernel {
    /// The same as files hold it. `None` where it clips to another peak than 1.
    fn correction(&self) -> Option<Correction> {
        let wide = |v: [f32; 3]| v.map(f64::from);
        self.clamp.is_none_or(|peak| peak == 1.0).then(|| Correction {
            slope: wide(self.slope),
            offset: wide(self.offset),
            power: wide(self.power),
            saturation: f64::from(self.saturation),
            inverse: false,
            clips: self.clamp.is_some(),
        })
    }

    /// The step on a block of code values.
    ///
    /// Without clipping, what lies at or below zero before the power keeps its value: a power of a negative number
    /// is not defined, and cutting it off would lose it.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        for (c, plane) in planes.iter_mut().enumerate() {
            self.channel(c, plane);
        }
        if self.saturation != 1.0 {
            let luma = Plane::bt709().luma_plane(planes);
            for plane in planes.iter_mut() {
                for i in 0..N {
                    plane[i] = luma[i] + self.saturation * (plane[i] - luma[i]);
                }
            }
        }
        if let Some(peak) = self.clamp {
            lane::each_value!(planes, v => v.max(0.0).min(peak));
        }
    }

    #[inline(always)]
    fn channel(&self, c: usize, plane: &mut Channel) {
        let (slope, offset, power) = (self.slope[c], self.offset[c], self.power[c]);
        for v in plane.iter_mut() {
            *v = *v * slope + offset;
        }
        if let Some(peak) = self.clamp {
            for v in plane.iter_mut() {
                *v = v.max(0.0).min(peak);
            }
        }
        if power != 1.0 {
            for v in plane.iter_mut() {
                *v = select(*v > 0.0, powf(*v, power), *v);
            }
        }
    }
}

impl Kind for SlopeOffsetPower {
    const INFO: KindInfo = KindInfo {
        kind: "slope-offset-power",
        title: "Slope/offset/power",
        purpose: "ASC colour decision list with saturation",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Encoded,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = SlopeOffsetPowerKernel;

    fn work(&self, site: &Site) -> Option<Self::Kernel> {
        Some(self.kernel_to(site.signal_peak()))
    }

    fn in_files(kernel: &Self::Kernel) -> Option<InFiles> {
        kernel.correction().map(|c| InFiles::Operator(Box::new(Operator::Correction(c))))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(v: &SlopeOffsetPower, rgb: [f32; 3]) -> [f32; 3] {
        let mut p = rgb.map(Channel::of);
        v.kernel().run(&mut p);
        p.map(|plane| plane[0])
    }

    #[test]
    fn the_asc_formula_by_hand() {
        // ASC CDL 1.2: out = clamp(in * slope + offset) ^ power; sat: luma = .2126 R + .7152 G + .0722 B,
        // out = clamp(luma + sat * (v - luma)).
        let mut v = SlopeOffsetPower::from_sop([1.2, 0.9, 1.0], [0.02, -0.01, 0.1], [1.1, 0.8, 1.0], 0.7);
        v.clamp = true;
        for rgb in [[0.1_f64, 0.5, 0.9], [0.0, 0.01, 1.2], [0.9, 0.4, -0.3]] {
            let sop =
                [0, 1, 2].map(|c| (rgb[c] * v.slope()[c] + v.offset()[c]).clamp(0.0, 1.0).powf(v.power()[c]));
            let luma = 0.2126 * sop[0] + 0.7152 * sop[1] + 0.0722 * sop[2];
            let want = sop.map(|s| (luma + 0.7 * (s - luma)).clamp(0.0, 1.0));
            let got = run(&v, rgb.map(|v| v as f32));
            for c in 0..3 {
                assert!((f64::from(got[c]) - want[c]).abs() < 1e-6, "{rgb:?}: {got:?} {want:?}");
            }
        }
    }

    #[test]
    fn without_clipping_negative_values_stay_as_slope_and_offset_left_them() {
        let v = SlopeOffsetPower::from_sop([2.0; 3], [0.0; 3], [2.0; 3], 1.0);
        let [r, g, b] = run(&v, [-0.25, 0.0, 0.75]);
        assert_eq!([r, g], [-0.5, 0.0]);
        assert!((b - 2.25).abs() < 1e-6);
    }
}
