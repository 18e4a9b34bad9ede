//! Lines of equal temperature: the directions across Planck's locus.
//!
//! Lights of one correlated colour temperature lie on a straight line across the locus of black bodies, at right angles to
//! it in CIE 1960 uv. The locus of everyday whites (daylight) crosses these lines at another angle, so a tint that went at
//! right angles to *that* would change the temperature: by 9 % at 4,500 K and a Duv of 0.02.

/// Reciprocal temperature of the first direction, and from one to the next, in mired (a million over kelvin).
const FIRST: f64 = 32.0;
const STEP: f64 = 8.0;

/// The angle in radians at which Planck's locus runs toward warmer lights in CIE 1960 uv, every eight mired.
///
/// From Planck's law (second radiation constant 1.4388e-2 m K) and the CIE 1931 2 degree observer, summed every
/// nanometre from 360 to 830 nm; `cargo xtask fixtures` prints them from colour-science's tables. Lines between them are
/// off by less than 2e-4 radians.
#[rustfmt::skip]
const ANGLES: [f64; 73] = [
    1.289432, 1.275031, 1.259170, 1.241890, 1.223242, 1.203285, 1.182088, 1.159728, 1.136288, 1.111855,
    1.086524, 1.060389, 1.033549, 1.006104, 0.978153, 0.949795, 0.921128, 0.892247, 0.863246, 0.834212,
    0.805231, 0.776383, 0.747743, 0.719383, 0.691365, 0.663749, 0.636588, 0.609930, 0.583815, 0.558280,
    0.533354, 0.509063, 0.485427, 0.462461, 0.440175, 0.418577, 0.397669, 0.377452, 0.357922, 0.339072,
    0.320896, 0.303383, 0.286520, 0.270295, 0.254693, 0.239698, 0.225294, 0.211464, 0.198192, 0.185459,
    0.173248, 0.161541, 0.150322, 0.139571, 0.129273, 0.119410, 0.109966, 0.100924, 0.092270, 0.083987,
    0.076060, 0.068475, 0.061219, 0.054277, 0.047636, 0.041284, 0.035209, 0.029399, 0.023842, 0.018528,
    0.013446, 0.008587, 0.003940,
];

/// The direction of equal temperature toward green, a unit vector in CIE 1960 uv, at a temperature in kelvin (1,645 to
/// 31,250; held at the ends).
pub fn toward_green(kelvin: f64) -> [f64; 2] {
    let place = ((1e6 / kelvin - FIRST) / STEP).clamp(0.0, (ANGLES.len() - 1) as f64);
    let at = (place as usize).min(ANGLES.len() - 2);
    let angle = ANGLES[at] + (place - at as f64) * (ANGLES[at + 1] - ANGLES[at]);
    let (sin, cos) = angle.sin_cos();
    [-sin, cos]
}
