//! The readout of a place in the picture.

use super::stops::stops_of;
use crate::colour::Encoding;
use crate::colour::difference::LabOf;
use schemars::JsonSchema;
use serde::Serialize;

/// What lies at a place: the mean of the pixels there.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Sample {
    /// Delivered R, G and B, 0..1 of the signal's range.
    pub signal: [f64; 3],
    /// Exposure in stops from middle grey, in the scene after its steps.
    pub stops: f64,
    /// CIE L*a*b* of the delivered colour under the display's own white.
    pub lab: [f64; 3],
    /// Linear AP1 of the scene after its steps.
    pub scene: [f64; 3],
}

fn mean(pixels: &[[f32; 4]]) -> [f64; 3] {
    [0, 1, 2].map(|c| pixels.iter().map(|p| f64::from(p[c])).sum::<f64>() / pixels.len().max(1) as f64)
}

/// Reads a patch: `delivered` in code values of `display`, `scene` in linear AP1.
pub fn sample(delivered: &[[f32; 4]], scene: &[[f32; 4]], display: &Encoding) -> Sample {
    let signal = mean(delivered);
    let seen = mean(scene);
    let light = display.transfer.decoded(signal.map(|v| v as f32)).map(f64::from);
    Sample {
        signal,
        stops: f64::from(stops_of(&[seen[0] as f32, seen[1] as f32, seen[2] as f32, 1.0])),
        lab: LabOf::new(&display.primaries).lab(light),
        scene: seen,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mid_code_grey_reads_as_the_standards_say() {
        let srgb = Encoding::find("srgb").unwrap();
        let s = sample(&[[0.5, 0.5, 0.5, 1.0]; 4], &[[0.36, 0.36, 0.36, 1.0]; 4], &srgb);
        // IEC 61966-2-1: 0.5 is 21.40 % of peak light; CIE 015: L* of that is 53.39. One stop over grey by definition.
        assert!((s.lab[0] - 53.39).abs() < 0.01 && s.lab[1].abs() < 0.01 && s.lab[2].abs() < 0.01, "{s:?}");
        assert!((s.stops - 1.0).abs() < 1e-3 && (s.signal[1] - 0.5).abs() < 1e-9);
    }
}
