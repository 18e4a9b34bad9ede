//! Colour compress: brings colours from outside the gamut in smoothly, and caps the peak.

use crate::field::parameters;
use crate::numeric::lane::{Channel, N, Planes, exp2, log2, powf, select};

parameters! {
    /// The ACES reference gamut compression 1.3 in its parametric form, with its published constants as defaults, on
    /// linear AP1. Colours within the thresholds stay bit for bit.
    ColourCompress {
        /// How far toward cyan colours may lie from the neutral axis before they are compressed; 1 is the gamut's edge.
        cyan_threshold: "Cyan from", Plain, number(0.0, 0.999, 0.815, 0.005);
        /// How far toward magenta colours may lie before they are compressed.
        magenta_threshold: "Magenta from", Plain, number(0.0, 0.999, 0.803, 0.005);
        /// How far toward yellow colours may lie before they are compressed.
        yellow_threshold: "Yellow from", Plain, number(0.0, 0.999, 0.880, 0.005);
        /// The distance toward cyan that lands on the gamut's edge.
        cyan_limit: "Cyan reach", Plain, number(1.01, 3.0, 1.147, 0.005);
        /// The distance toward magenta that lands on the gamut's edge.
        magenta_limit: "Magenta reach", Plain, number(1.01, 3.0, 1.264, 0.005);
        /// The distance toward yellow that lands on the gamut's edge.
        yellow_limit: "Yellow reach", Plain, number(1.01, 3.0, 1.312, 0.005);
        /// How sharply the compression sets in.
        power: "Sharpness", Plain, number(1.0, 4.0, 1.2, 0.02);
        /// Holds the brightest channel under a peak.
        cap: "Cap the peak", Plain, switch(false);
        /// The peak that the brightest channel comes near and never reaches.
        peak: "Peak", Stops, number(1.0, 10.0, 6.0, 0.05);
        /// How far under the peak the cap sets in.
        knee: "Knee", Stops, number(0.2, 6.0, 2.0, 0.05);
    }
}

/// The shape of one channel's compression.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Shape {
    threshold: f32,
    /// What brings the limit onto 1.
    scale: f32,
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct CompressKernel {
    shapes: [Shape; 3],
    power: f32,
    cap: Option<Cap>,
}

/// The cap in stops: u becomes from + room * (1 - e^(-(u - from) / room)) above `from`.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Cap {
    from: f32,
    room: f32,
}

impl ColourCompress {
    /// The same threshold and limit toward all three, without a cap, at the softest and quickest sharpness of 1.
    pub fn even(threshold: f64, limit: f64) -> Self {
        Self {
            cyan_threshold: threshold,
            magenta_threshold: threshold,
            yellow_threshold: threshold,
            cyan_limit: limit,
            magenta_limit: limit,
            yellow_limit: limit,
            power: 1.0,
            ..Default::default()
        }
    }

    /// The step on linear AP1.
    pub fn kernel(&self) -> CompressKernel {
        let p = self.power;
        // Reference gamut compression, "scale factor": s = (l - t) / (((1 - t) / (l - t))^-p - 1)^(1/p).
        let shape = |threshold: f64, limit: f64| {
            let t = threshold.min(0.999);
            let ratio = (1.0 - t) / (limit - t);
            Shape { threshold: t as f32, scale: ((limit - t) / (ratio.powf(-p) - 1.0).powf(1.0 / p)) as f32 }
        };
        let grey = 0.18_f64.log2();
        CompressKernel {
            shapes: [
                shape(self.cyan_threshold, self.cyan_limit),
                shape(self.magenta_threshold, self.magenta_limit),
                shape(self.yellow_threshold, self.yellow_limit),
            ],
            power: p as f32,
            cap: self
                .cap
                .then_some(Cap { from: (grey + self.peak - self.knee) as f32, room: self.knee as f32 }),
        }
    }
}

impl CompressKernel {
    /// The step on a block of linear light.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        // The achromatic axis is the largest channel; distances count from it, as shares of its size.
        let (mut achromatic, mut size, mut per) = (Channel::of(0.0), Channel::of(0.0), Channel::of(0.0));
        for i in 0..N {
            achromatic[i] = planes[0][i].max(planes[1][i]).max(planes[2][i]);
            size[i] = achromatic[i].abs().max(f32::MIN_POSITIVE);
            per[i] = select(achromatic[i] == 0.0, 0.0, 1.0 / size[i]);
        }
        for (plane, shape) in planes.iter_mut().zip(&self.shapes) {
            // Distances over the threshold, counted in scales, and what divides them.
            let (mut over, mut by) = (Channel::of(0.0), Channel::of(0.0));
            let (threshold, scale, scales) = (shape.threshold, shape.scale, 1.0 / shape.scale);
            for i in 0..N {
                over[i] = ((achromatic[i] - plane[i]) * per[i] - threshold) * scales;
                by[i] = 1.0 + over[i].max(0.0);
            }
            if self.power != 1.0 {
                for i in 0..N {
                    by[i] = powf(1.0 + powf(over[i].max(0.0), self.power), 1.0 / self.power);
                }
            }
            for i in 0..N {
                let moved = achromatic[i] - (threshold + scale * over[i] / by[i]) * size[i];
                plane[i] = select(over[i] > 0.0, moved, plane[i]);
            }
        }
        if let Some(cap) = &self.cap {
            cap.run(planes);
        }
    }
}

impl Cap {
    /// One gain for all channels, so that hue stays.
    #[inline(always)]
    fn run(&self, planes: &mut Planes) {
        for i in 0..N {
            let most = planes[0][i].max(planes[1][i]).max(planes[2][i]);
            let over = (log2(most.max(1e-9)) - self.from).max(0.0);
            let kept = self.room * (1.0 - exp2(-over / self.room * std::f32::consts::LOG2_E));
            let gain = select(over > 0.0, exp2(kept - over), 1.0);
            for plane in planes.iter_mut() {
                plane[i] *= gain;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(v: &ColourCompress, rgb: [f32; 3]) -> [f32; 3] {
        let mut p = rgb.map(Channel::of);
        v.kernel().run(&mut p);
        p.map(|plane| plane[0])
    }

    #[test]
    fn colours_within_the_thresholds_stay_bit_for_bit() {
        for rgb in
            [[0.18, 0.18, 0.18], [0.5, 0.2, 0.1], [0.0, 0.0, 0.0], [1.0, 0.21, 0.2], [-0.1, -0.1, -0.1]]
        {
            assert_eq!(run(&ColourCompress::default(), rgb), rgb);
        }
    }

    #[test]
    fn what_lies_at_the_limit_lands_on_the_edge_of_the_gamut() {
        // The published limits of ACES 1.3: distances of 1.147, 1.264 and 1.312 compress to exactly 1.
        for (c, limit) in [(0, 1.147_f32), (1, 1.264), (2, 1.312)] {
            let mut rgb = [1.0; 3];
            rgb[c] = 1.0 - limit;
            assert!(run(&ColourCompress::default(), rgb)[c].abs() < 1e-5, "{c}");
        }
    }

    #[test]
    fn a_cap_holds_the_peak_keeps_hue_and_leaves_what_lies_under_its_knee() {
        let v = ColourCompress { cap: true, peak: 4.0, knee: 2.0, ..Default::default() };
        let top = 0.18 * 16.0;
        let bright = run(&v, [200.0, 100.0, 80.0]);
        assert!(bright[0] < top && bright[0] > 0.9 * top, "{bright:?}");
        assert!((bright[1] / bright[0] - 0.5).abs() < 1e-5);
        assert_eq!(run(&v, [0.6, 0.5, 0.4]), [0.6, 0.5, 0.4]);
    }
}
