//! Colour differences: CIELAB, CIEDE2000 and, for PQ and HLG, delta-E-ITP.

use super::{Mat3, chromaticity, primaries};

/// The cube root of a positive, normal number: a guess from the exponent, then Halley's iteration, which triples the digits
/// that are right: 13 of them. The library's takes several times as long, for all.
fn cube_root(x: f64) -> f64 {
    // A third of the exponent; the constant is two thirds of the bias, less what makes the worst guess best.
    let mut y = f64::from_bits(x.to_bits() / 3 + 0x2a9f_7893_782d_a1ce);
    for _ in 0..2 {
        let cube = y * y * y;
        y *= (cube + 2.0 * x) / (2.0 * cube + x);
    }
    y
}

/// XYZ (Y = 1 for white) to CIELAB relative to `white` (XYZ); CIE 015:2018, 8.2.1.
pub fn xyz_to_lab(xyz: [f64; 3], white: [f64; 3]) -> [f64; 3] {
    const DELTA: f64 = 6.0 / 29.0;
    let f = |t: f64| {
        if t > DELTA.powi(3) { cube_root(t) } else { t / (3.0 * DELTA * DELTA) + 4.0 / 29.0 }
    };
    let [x, y, z] = [f(xyz[0] / white[0]), f(xyz[1] / white[1]), f(xyz[2] / white[2])];
    [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]
}

/// Linear display RGB to CIELAB relative to the display's own white.
#[derive(Clone, Copy, Debug)]
pub struct LabOf {
    to_xyz: Mat3,
    white: [f64; 3],
}

impl LabOf {
    /// For RGB with these primaries.
    pub fn new(p: &primaries::Primaries) -> Self {
        Self { to_xyz: p.to_xyz(), white: chromaticity::xy_to_xyz(p.white) }
    }

    /// L*, a*, b* of linear light, 1.0 = white.
    pub fn lab(&self, rgb: [f64; 3]) -> [f64; 3] {
        xyz_to_lab(self.to_xyz.apply(rgb), self.white)
    }
}

/// Sines and cosines of 30, 6 and 63 degrees.
const TURNS: [(f64, f64); 3] = [
    (0.5, 0.866_025_403_784_438_6),
    (0.104_528_463_267_653_47, 0.994_521_895_368_273_3),
    (0.891_006_524_188_367_9, 0.453_990_499_739_546_8),
];

/// CIEDE2000 with all weights 1, ISO/CIE 11664-6:2022.
///
/// The same function with as few angles as can be, because reports take it of millions of colours: the mean hue is the
/// direction halfway between both, the hue difference follows from their product.
pub fn ciede2000(a: [f64; 3], b: [f64; 3]) -> f64 {
    let [l1, a1, b1] = a;
    let [l2, a2, b2] = b;
    // Neither overflows: the values are those of colours.
    let length = |a: f64, b: f64| (a * a + b * b).sqrt();
    let pow7 = |c: f64| {
        let c7 = c * c * c * (c * c) * (c * c);
        (c7 / (c7 + 6_103_515_625.0)).sqrt()
    };
    let g = 0.5 * (1.0 - pow7((length(a1, b1) + length(a2, b2)) / 2.0));
    let (a1, a2) = (a1 * (1.0 + g), a2 * (1.0 + g));
    let (c1, c2) = (length(a1, b1), length(a2, b2));
    let grey = c1 * c2 == 0.0;

    let dl = l2 - l1;
    let dc = c2 - c1;
    // 2 sqrt(c1 c2) sin(dh / 2), with the sign of the turn from the first to the second.
    let turn = a1 * b2 - a2 * b1;
    let apart = length(a2 * c1 - a1 * c2, b2 * c1 - b1 * c2);
    let dh = if grey { 0.0 } else { (apart / (c1 * c2).sqrt()).copysign(turn) };

    let l = (l1 + l2) / 2.0;
    let c = (c1 + c2) / 2.0;
    // With a grey the mean hue is that of the other colour. Straight opposite hues have two means: the standard takes half the
    // sum of both angles.
    let (x, y) = if grey { (a1 + a2, b1 + b2) } else { (a1 / c1 + a2 / c2, b1 / c1 + b2 / c2) };
    let sum = length(x, y);
    let (cos_h, sin_h) = match sum {
        0.0 if grey => (1.0, 0.0),
        s if s < 1e-7 => {
            let hue = |a: f64, b: f64| b.atan2(a).rem_euclid(std::f64::consts::TAU);
            let h = (hue(a1, b1) + hue(a2, b2)) / 2.0;
            (h.cos(), h.sin())
        }
        s => (x / s, y / s),
    };
    // 1 - 0.17 cos(h - 30) + 0.24 cos(2h) + 0.32 cos(3h + 6) - 0.20 cos(4h - 63).
    let (s2, c2h) = (2.0 * sin_h * cos_h, 2.0 * cos_h * cos_h - 1.0);
    let (s3, c3h) = (s2 * cos_h + c2h * sin_h, c2h * cos_h - s2 * sin_h);
    let (s4, c4h) = (2.0 * s2 * c2h, 2.0 * c2h * c2h - 1.0);
    let [(sin30, cos30), (sin6, cos6), (sin63, cos63)] = TURNS;
    let t = 1.0 - 0.17 * (cos_h * cos30 + sin_h * sin30) + 0.24 * c2h + 0.32 * (c3h * cos6 - s3 * sin6)
        - 0.20 * (c4h * cos63 + s4 * sin63);
    let l50 = (l - 50.0) * (l - 50.0);
    let sl = 1.0 + 0.015 * l50 / (20.0 + l50).sqrt();
    let sc = 1.0 + 0.045 * c;
    let sh = 1.0 + 0.015 * c * t;
    let (dl, dc, dh) = (dl / sl, dc / sc, dh / sh);
    (dl * dl + dc * dc + dh * dh + turned(sin_h, cos_h, c, pow7) * dc * dh).max(0.0).sqrt()
}

/// The rotation term of blues: nothing farther than 125 degrees from hue 275, where its bell is below 1e-10.
fn turned(sin_h: f64, cos_h: f64, c: f64, pow7: impl Fn(f64) -> f64) -> f64 {
    // Between 41 and 149 degrees.
    if sin_h > 0.656 {
        return 0.0;
    }
    let h = sin_h.atan2(cos_h).to_degrees().rem_euclid(360.0);
    let off = (h - 275.0) / 25.0;
    -2.0 * pow7(c) * (60.0 * (-off * off).exp()).to_radians().sin()
}

/// I, T and P of BT.2020 light in cd/m2 (ITU-R BT.2124-0, annex 1; ICtCp of BT.2100-2 with T = Ct/2).
pub fn itp(nits: [f64; 3]) -> [f64; 3] {
    const LMS: Mat3 = Mat3([
        [1688.0 / 4096.0, 2146.0 / 4096.0, 262.0 / 4096.0],
        [683.0 / 4096.0, 2951.0 / 4096.0, 462.0 / 4096.0],
        [99.0 / 4096.0, 309.0 / 4096.0, 3688.0 / 4096.0],
    ]);
    let [l, m, s] = LMS.apply(nits).map(pq);
    [
        0.5 * (l + m),
        0.5 * (6610.0 * l - 13613.0 * m + 7003.0 * s) / 4096.0,
        (17933.0 * l - 17390.0 * m - 543.0 * s) / 4096.0,
    ]
}

/// SMPTE ST 2084:2014, 5.2, in f64; light in cd/m2.
fn pq(nits: f64) -> f64 {
    let y = (nits.max(0.0) / 10_000.0).powf(2610.0 / 16384.0);
    let (c1, c2, c3) = (3424.0 / 4096.0, 2413.0 / 128.0, 2392.0 / 128.0);
    ((c1 + c2 * y) / (1.0 + c3 * y)).powf(2523.0 / 32.0)
}

/// Delta-E-ITP between two colours given by [`itp`]; 1 is just noticeable (ITU-R BT.2124-0, annex 1).
pub fn delta_e_itp(a: [f64; 3], b: [f64; 3]) -> f64 {
    720.0 * ((a[0] - b[0]).powi(2) + (a[1] - b[1]).powi(2) + (a[2] - b[2]).powi(2)).sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// ISO/CIE 11664-6:2022, with every angle as the standard writes it.
    fn by_the_letter(a: [f64; 3], b: [f64; 3]) -> f64 {
        let [l1, a1, b1] = a;
        let [l2, a2, b2] = b;
        let pow7 = |c: f64| (c.powi(7) / (c.powi(7) + 25.0_f64.powi(7))).sqrt();
        let g = 0.5 * (1.0 - pow7((a1.hypot(b1) + a2.hypot(b2)) / 2.0));
        let (a1, a2) = (a1 * (1.0 + g), a2 * (1.0 + g));
        let (c1, c2) = (a1.hypot(b1), a2.hypot(b2));
        let hue = |a: f64, b: f64| {
            if a == 0.0 && b == 0.0 { 0.0 } else { b.atan2(a).to_degrees().rem_euclid(360.0) }
        };
        let (h1, h2) = (hue(a1, b1), hue(a2, b2));
        let grey = c1 * c2 == 0.0;
        let turn = h2 - h1;
        let between = match turn {
            _ if grey => 0.0,
            t if t > 180.0 => t - 360.0,
            t if t < -180.0 => t + 360.0,
            t => t,
        };
        let dh = 2.0 * (c1 * c2).sqrt() * (between.to_radians() / 2.0).sin();
        let (l, c) = ((l1 + l2) / 2.0, (c1 + c2) / 2.0);
        let h = match h1 + h2 {
            s if grey => s,
            s if turn.abs() <= 180.0 => s / 2.0,
            s if s < 360.0 => (s + 360.0) / 2.0,
            s => (s - 360.0) / 2.0,
        };
        let cos = |degrees: f64| degrees.to_radians().cos();
        let t = 1.0 - 0.17 * cos(h - 30.0) + 0.24 * cos(2.0 * h) + 0.32 * cos(3.0 * h + 6.0)
            - 0.20 * cos(4.0 * h - 63.0);
        let l50 = (l - 50.0).powi(2);
        let sl = 1.0 + 0.015 * l50 / (20.0 + l50).sqrt();
        let (sc, sh) = (1.0 + 0.045 * c, 1.0 + 0.015 * c * t);
        let rt = -2.0 * pow7(c) * (60.0 * (-((h - 275.0) / 25.0).powi(2)).exp()).to_radians().sin();
        let (dl, dc, dh) = ((l2 - l1) / sl, (c2 - c1) / sc, dh / sh);
        (dl * dl + dc * dc + dh * dh + rt * dc * dh).max(0.0).sqrt()
    }

    fn colour() -> impl Strategy<Value = [f64; 3]> {
        // Greys, grey almost, and all the rest.
        let scale = prop_oneof![Just(0.0), Just(1e-9), Just(1.0), Just(0.05)];
        (0.0..100.0, -128.0..128.0, -128.0..128.0, scale).prop_map(|(l, a, b, s)| [l, a * s, b * s])
    }

    proptest! {
        #[test]
        fn the_quick_form_is_the_standards(a in colour(), b in colour(), near in any::<bool>()) {
            // Reports are of colours that lie close together.
            let b = if near { [0, 1, 2].map(|k| a[k] + (b[k] - a[k]) * 1e-4) } else { b };
            let (got, want) = (ciede2000(a, b), by_the_letter(a, b));
            prop_assert!((got - want).abs() < 1e-7 * want.max(0.01), "{a:?} {b:?}: {got} {want}");
            prop_assert!((ciede2000(b, a) - got).abs() < 1e-7 * want.max(0.01));
        }

        #[test]
        fn a_cube_root_cubed_is_what_it_was(x in 1e-6..1e6_f64) {
            let y = cube_root(x);
            prop_assert!((y * y * y / x - 1.0).abs() < 1e-13, "{x}: {y}");
        }
    }
}
