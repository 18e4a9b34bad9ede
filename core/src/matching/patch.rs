//! Areas of two pictures compared as patches.

use super::small::Small;
use crate::colour::difference::{LabOf, ciede2000};
use crate::colour::primaries::P3_D65;
use crate::scope::Area;
use schemars::JsonSchema;
use serde::Serialize;

/// An area of a picture as one colour: the mean of its light.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct PatchReading {
    /// CIELAB, relative to the display's white.
    pub lab: [f64; 3],
    /// Luminance over the display's white.
    pub light: f64,
}

/// Two patches.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct PatchPair {
    /// Of the shot.
    pub shot: PatchReading,
    /// Of the reference.
    pub reference: PatchReading,
    /// CIEDE2000.
    pub difference: f64,
    /// How many stops the reference's is brighter.
    pub stops: f64,
}

/// Light under which stops are no longer counted: a display's black.
const BLACK: f64 = 1e-4;

/// Reads an area. `None` where it holds no pixel.
pub fn of_patch(picture: &Small, area: &Area) -> Option<PatchReading> {
    let mask = area.mask(picture.width, picture.height).ok()?;
    let inside = mask.gather(&picture.pixels);
    if inside.is_empty() {
        return None;
    }
    // The Screen zone's code is a 2.4 power of light.
    let linear = |c: usize| {
        let all = inside.iter().map(|p| f64::from(p[c].max(0.0)).powf(2.4));
        all.sum::<f64>() / inside.len() as f64
    };
    let rgb = [linear(0), linear(1), linear(2)];
    let light = rgb.iter().zip(P3_D65.luma()).map(|(v, w)| v * w).sum();
    Some(PatchReading { lab: LabOf::new(&P3_D65).lab(rgb), light })
}

impl PatchPair {
    /// Compares two.
    pub fn of(shot: PatchReading, reference: PatchReading) -> Self {
        let stops = (reference.light.max(BLACK) / shot.light.max(BLACK)).log2();
        Self { shot, reference, difference: ciede2000(shot.lab, reference.lab), stops }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(code: [f32; 3]) -> PatchReading {
        let pixels = vec![[code[0], code[1], code[2], 1.0]; 100];
        let area = Area { corners: vec![[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9]] };
        of_patch(&Small { width: 10, height: 10, pixels }, &area).unwrap()
    }

    #[test]
    fn light_doubled_is_a_stop_and_white_is_lightness_a_hundred() {
        let (a, b) = (of([0.5; 3]), of([0.5 * 2.0_f32.powf(1.0 / 2.4); 3]));
        let pair = PatchPair::of(a, b);
        assert!((pair.stops - 1.0).abs() < 1e-6, "{pair:?}");
        let white = of([1.0; 3]);
        assert!((white.lab[0] - 100.0).abs() < 1e-9 && white.lab[1].hypot(white.lab[2]) < 1e-6, "{white:?}");
        // CIE 15: L* of 18.42 % is 50.
        assert!((of([0.184_2_f32.powf(1.0 / 2.4); 3]).lab[0] - 50.0).abs() < 0.01);
        assert_eq!(PatchPair::of(a, a).difference, 0.0);
    }

    #[test]
    fn an_area_without_pixels_is_none_and_black_counts_no_stops() {
        let small = Small { width: 4, height: 4, pixels: vec![[0.0, 0.0, 0.0, 1.0]; 16] };
        let thin = Area { corners: vec![[0.0, 0.0], [0.01, 0.0], [0.01, 0.01]] };
        assert_eq!(of_patch(&small, &thin), None);
        let all = Area { corners: vec![[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]] };
        let black = of_patch(&small, &all).unwrap();
        assert_eq!(PatchPair::of(black, black).stops, 0.0);
    }
}
