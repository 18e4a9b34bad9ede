//! Chromaticities: CIE 1931 xy and CIE 1960 uv.

/// XYZ of a chromaticity at Y = 1.
pub fn xy_to_xyz([x, y]: [f64; 2]) -> [f64; 3] {
    [x / y, 1.0, (1.0 - x - y) / y]
}

/// Chromaticity of a colour. A colour without light has the chromaticity (0, 0).
pub fn xyz_to_xy([x, y, z]: [f64; 3]) -> [f64; 2] {
    let sum = x + y + z;
    if sum == 0.0 { [0.0, 0.0] } else { [x / sum, y / sum] }
}

/// CIE 1960 uv of a chromaticity.
pub fn xy_to_uv([x, y]: [f64; 2]) -> [f64; 2] {
    let d = -2.0 * x + 12.0 * y + 3.0;
    [4.0 * x / d, 6.0 * y / d]
}

/// Chromaticity of a CIE 1960 uv pair.
pub fn uv_to_xy([u, v]: [f64; 2]) -> [f64; 2] {
    let d = 2.0 * u - 8.0 * v + 4.0;
    [3.0 * u / d, 2.0 * v / d]
}
