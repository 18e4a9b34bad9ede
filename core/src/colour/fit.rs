//! The last fit of display light into the display's own cube.

use crate::lane::{N, Planes, powf, select};

/// Moves a colour that lies outside 0..1 toward its own luma until it is inside. Colours inside are left bit
/// for bit, hue in the colour-difference plane and luma are kept; luma outside 0..1 gives black or white.
///
/// The rendering brings wide colours in smoothly before; this catches only what Screen steps push out.
#[inline(always)]
pub fn into_cube(luma: [f32; 3], planes: &mut Planes) {
    let [r, g, b] = planes;
    for i in 0..N {
        let y = (luma[0] * r[i] + luma[1] * g[i] + luma[2] * b[i]).clamp(0.0, 1.0);
        let high = r[i].max(g[i]).max(b[i]);
        let low = r[i].min(g[i]).min(b[i]);
        // How far the chroma may grow before the top or the floor of the cube is met.
        let up = select(high > 1.0, (1.0 - y) / (high - y).max(1e-12), 1.0);
        let down = select(low < 0.0, y / (y - low).max(1e-12), 1.0);
        let k = up.min(down);
        r[i] = toward(y, r[i], k);
        g[i] = toward(y, g[i], k);
        b[i] = toward(y, b[i], k);
    }
}

/// Pulls display light toward its own luma, more the nearer it comes to the faces of the cube, so that no colour is
/// pinned at 0 or 1: with r1 = (max - Y)/(1 - Y) and r2 = (Y - min)/Y, chroma is multiplied by (1 + r1^8 + r2^8)^(-1/8).
/// Luma and hue in the colour-difference plane are kept; luma outside 0..1 gives black or white.
#[inline(always)]
pub fn pull_in(luma: [f32; 3], planes: &mut Planes) {
    let [r, g, b] = planes;
    for i in 0..N {
        let y = (luma[0] * r[i] + luma[1] * g[i] + luma[2] * b[i]).clamp(0.0, 1.0);
        let high = r[i].max(g[i]).max(b[i]);
        let low = r[i].min(g[i]).min(b[i]);
        let up = eighth(((high - y) / (1.0 - y).max(1e-6)).clamp(0.0, 1e4));
        let down = eighth(((y - low) / y.max(1e-6)).clamp(0.0, 1e4));
        let k = powf(1.0 + up + down, -0.125);
        r[i] = y + (r[i] - y) * k;
        g[i] = y + (g[i] - y) * k;
        b[i] = y + (b[i] - y) * k;
    }
}

/// v^8.
#[inline(always)]
fn eighth(v: f32) -> f32 {
    let squared = v * v;
    let fourth = squared * squared;
    fourth * fourth
}

/// `v` moved toward `y` by a factor below one, and `v` itself for a factor of one.
#[inline(always)]
fn toward(y: f32, v: f32, k: f32) -> f32 {
    select(k < 1.0, (y + (v - y) * k).clamp(0.0, 1.0), v)
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
