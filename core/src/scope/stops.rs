//! False colour: exposure in stops from middle grey.

use crate::numeric::lane::log2;
use schemars::JsonSchema;
use serde::Serialize;

/// A band of exposure and its colour.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Band {
    /// Its lower end in stops from middle grey; the bands follow each other without a gap.
    pub from: f32,
    /// R, G and B, 0..255, as shown.
    pub colour: [u8; 3],
}

const fn band(from: f32, colour: [u8; 3]) -> Band {
    Band { from, colour }
}

/// The bands from dark to light: one a stop, hue going once around from indigo to rose and brightness always rising,
/// with a narrow plain grey where middle grey belongs.
pub const BANDS: [Band; 18] = [
    band(f32::NEG_INFINITY, [6, 5, 12]),
    band(-7.5, [24, 18, 62]),
    band(-6.5, [33, 28, 94]),
    band(-5.5, [36, 46, 118]),
    band(-4.5, [32, 66, 134]),
    band(-3.5, [28, 90, 138]),
    band(-2.5, [30, 112, 130]),
    band(-1.5, [46, 128, 112]),
    band(-0.5, [70, 138, 96]),
    band(-0.166_667, [128, 128, 128]),
    band(0.166_667, [118, 150, 72]),
    band(0.5, [150, 160, 54]),
    band(1.5, [190, 164, 48]),
    band(2.5, [220, 156, 62]),
    band(3.5, [236, 148, 98]),
    band(4.5, [244, 152, 148]),
    band(5.5, [248, 180, 204]),
    band(6.5, [255, 255, 255]),
];

/// The colour of a linear AP1 pixel.
#[inline]
pub fn colour(p: &[f32; 4]) -> [u8; 3] {
    let stops = stops_of(p);
    let mut found = BANDS[0].colour;
    for b in &BANDS[1..] {
        if stops >= b.from {
            found = b.colour;
        }
    }
    found
}

/// Stops from middle grey of a linear AP1 pixel's luminance (S-2014-004).
#[inline]
pub fn stops_of(p: &[f32; 4]) -> f32 {
    let y = 0.272_228_7 * p[0] + 0.674_081_8 * p[1] + 0.053_689_5 * p[2];
    log2(y.max(1e-9) * (1.0 / 0.18))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bands_rise_in_exposure_and_in_brightness_and_grey_is_grey() {
        for pair in BANDS.windows(2) {
            assert!(pair[0].from < pair[1].from);
        }
        let luma = |b: &Band| {
            0.2126 * f64::from(b.colour[0])
                + 0.7152 * f64::from(b.colour[1])
                + 0.0722 * f64::from(b.colour[2])
        };
        let own: Vec<f64> = BANDS.iter().filter(|b| b.from.abs() > 0.2).map(luma).collect();
        assert!(own.is_sorted(), "{own:?}");
        assert_eq!(colour(&[0.18, 0.18, 0.18, 1.0]), [128; 3]);
        // 90 % white lies log2(0.9 / 0.18) = 2.32 stops over middle grey.
        assert_eq!(colour(&[0.9, 0.9, 0.9, 1.0]), [190, 164, 48]);
        assert_eq!(colour(&[0.0; 4]), BANDS[0].colour);
        assert_eq!(colour(&[900.0, 900.0, 900.0, 1.0]), [255; 3]);
    }
}
