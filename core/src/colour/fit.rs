//! The last fit of display light into the display's own cube.

use crate::lane::{Planes, each_pixel, select};

/// Moves a colour that lies outside 0..1 toward its own luma until it is inside. Colours inside are left bit
/// for bit, hue in the colour-difference plane and luma are kept; luma outside 0..1 gives black or white.
///
/// The rendering brings wide colours in smoothly before; this catches only what Screen steps push out.
#[inline(always)]
pub fn into_cube(luma: [f32; 3], planes: &mut Planes) {
    each_pixel(planes, |rgb| {
        let y = (luma[0] * rgb[0] + luma[1] * rgb[1] + luma[2] * rgb[2]).clamp(0.0, 1.0);
        let high = rgb[0].max(rgb[1]).max(rgb[2]);
        let low = rgb[0].min(rgb[1]).min(rgb[2]);
        // How far the chroma may grow before the top or the floor of the cube is met.
        let up = select(high > 1.0, (1.0 - y) / (high - y).max(1e-12), 1.0);
        let down = select(low < 0.0, y / (y - low).max(1e-12), 1.0);
        let k = up.min(down);
        rgb.map(|v| select(k < 1.0, (y + (v - y) * k).clamp(0.0, 1.0), v))
    });
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lane::N;

    fn fit(rgb: [f32; 3]) -> [f32; 3] {
        let mut p = rgb.map(|v| [v; N]);
        into_cube([0.2126, 0.7152, 0.0722], &mut p);
        [p[0][0], p[1][0], p[2][0]]
    }

    #[test]
    fn a_colour_inside_is_left_bit_for_bit() {
        for rgb in [[0.0, 0.0, 0.0], [1.0, 1.0, 1.0], [1.0, 0.0, 0.3], [0.123, 0.5, 0.9]] {
            assert_eq!(fit(rgb), rgb);
        }
    }

    #[test]
    fn a_colour_outside_comes_to_the_wall_with_its_luma() {
        let luma = |c: [f32; 3]| 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
        for rgb in [[1.4, 0.2, -0.1], [-0.2, 0.6, 0.3], [0.9, 1.1, 0.2]] {
            let out = fit(rgb);
            assert!((luma(out) - luma(rgb)).abs() < 1e-6);
            let wall = out.iter().any(|v| *v < 1e-6 || *v > 1.0 - 1e-6);
            assert!(wall && out.iter().all(|v| (0.0..=1.0).contains(v)), "{out:?}");
        }
        assert_eq!(fit([3.0, 2.0, 1.5]), [1.0; 3]);
    }
}
