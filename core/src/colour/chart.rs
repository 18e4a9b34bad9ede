//! A 24-patch colour chart as published colorimetry.

use super::{
    Adaptation,
    chromaticity::{xy_to_xyz, xyz_to_xy},
    primaries::AP1,
};

/// CIE illuminant C, xy (CIE 015:2004).
const ILLUMINANT_C: [f64; 2] = [0.31006, 0.31616];

/// Names and CIE 1931 xyY under illuminant C of the 24 patches (Journal of Applied Photographic Engineering
/// 2, 1976, pages 95-99), row by row.
pub const PATCHES: [(&str, [f64; 3]); 24] = [
    ("dark skin", [0.4002, 0.3504, 0.1005]),
    ("light skin", [0.3773, 0.3446, 0.3582]),
    ("blue sky", [0.2470, 0.2514, 0.1933]),
    ("foliage", [0.3372, 0.4220, 0.1329]),
    ("blue flower", [0.2651, 0.2400, 0.2427]),
    ("bluish green", [0.2608, 0.3430, 0.4306]),
    ("orange", [0.5060, 0.4070, 0.3005]),
    ("purplish blue", [0.2110, 0.1750, 0.1200]),
    ("moderate red", [0.4533, 0.3058, 0.1977]),
    ("purple", [0.2845, 0.2020, 0.0656]),
    ("yellow green", [0.3800, 0.4887, 0.4429]),
    ("orange yellow", [0.4729, 0.4375, 0.4306]),
    ("blue", [0.1866, 0.1285, 0.0611]),
    ("green", [0.3046, 0.4782, 0.2339]),
    ("red", [0.5385, 0.3129, 0.1200]),
    ("yellow", [0.4480, 0.4703, 0.5910]),
    ("magenta", [0.3635, 0.2325, 0.1977]),
    ("cyan", [0.1958, 0.2519, 0.1977]),
    ("white", [0.3101, 0.3163, 0.9001]),
    ("neutral 8", [0.3101, 0.3163, 0.5910]),
    ("neutral 6.5", [0.3101, 0.3163, 0.3620]),
    ("neutral 5", [0.3101, 0.3163, 0.1977]),
    ("neutral 3.5", [0.3101, 0.3163, 0.0900]),
    ("black", [0.3101, 0.3163, 0.0313]),
];

/// The patches as scene-linear AP1 under the working white, adapted by CAT16.
pub fn patches_ap1() -> [[f64; 3]; 24] {
    let adapt = Adaptation::Cat16.between(ILLUMINANT_C, AP1.white);
    let to_rgb = AP1.from_xyz().after(&adapt);
    PATCHES.map(|(_, [x, y, big_y])| to_rgb.apply(xy_to_xyz([x, y]).map(|v| v * big_y)))
}

/// CIE 1931 xy of the patches under the working white.
pub fn patches_xy() -> [[f64; 2]; 24] {
    let to_xyz = AP1.to_xyz();
    patches_ap1().map(|rgb| xyz_to_xy(to_xyz.apply(rgb)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_greys_of_the_chart_are_neutral_and_keep_their_reflectance() {
        for (rgb, (name, xyy)) in patches_ap1().iter().zip(PATCHES).skip(18) {
            for v in rgb {
                assert!((v / xyy[2] - 1.0).abs() < 2e-3, "{name}: {rgb:?}");
            }
        }
    }
}
