//! The chromaticity diagram: CIE 1976 u'v' (CIE 015).

use super::LEVELS;
use crate::colour::Adaptation;
use crate::colour::primaries::{AP1, BT709, BT2020, D65, P3_D65, Primaries};
use schemars::JsonSchema;
use serde::Serialize;

/// The side of the diagram in u' and v': the whole spectral locus lies inside.
pub const UV_SPAN: f64 = 0.64;

/// Light under this luminance has no colour to speak of and is not counted: about nine stops under middle grey.
const DARK: f64 = 0.18 / 512.0;

/// u'v' of the spectral locus of the 1931 2 degree observer from 400 nm in steps of 10 nm to 700 nm (CIE 015, as
/// colour-science 0.4.7 tabulates it).
const LOCUS: [[f64; 2]; 31] = [
    [0.256, 0.016],
    [0.255, 0.016],
    [0.252, 0.017],
    [0.246, 0.023],
    [0.235, 0.035],
    [0.216, 0.055],
    [0.188, 0.087],
    [0.144, 0.151],
    [0.083, 0.271],
    [0.028, 0.412],
    [0.004, 0.513],
    [0.005, 0.564],
    [0.023, 0.584],
    [0.050, 0.587],
    [0.079, 0.586],
    [0.113, 0.582],
    [0.153, 0.577],
    [0.203, 0.569],
    [0.262, 0.560],
    [0.332, 0.550],
    [0.404, 0.539],
    [0.469, 0.530],
    [0.520, 0.522],
    [0.556, 0.516],
    [0.583, 0.512],
    [0.601, 0.510],
    [0.611, 0.508],
    [0.616, 0.508],
    [0.620, 0.507],
    [0.623, 0.507],
    [0.623, 0.506],
];

/// What stands still in the diagram.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Diagram {
    /// Side of the diagram in u' and v'.
    pub span: f64,
    /// The spectral locus, to be closed by the purple line.
    pub locus: Vec<[f64; 2]>,
    /// Gamuts: a name, and red, green and blue.
    pub gamuts: Vec<Gamut>,
    /// The white that pictures are adapted to: D65.
    pub white: [f64; 2],
}

/// A triangle of primaries.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Gamut {
    /// What it is called.
    pub name: &'static str,
    /// u'v' of red, green and blue.
    pub corners: [[f64; 2]; 3],
}

/// u'v' of a chromaticity.
pub fn uv([x, y]: [f64; 2]) -> [f64; 2] {
    let d = -2.0 * x + 12.0 * y + 3.0;
    [4.0 * x / d, 9.0 * y / d]
}

/// The diagram's fixed parts.
pub fn diagram() -> Diagram {
    let gamut = |name, p: &Primaries| Gamut { name, corners: [uv(p.red), uv(p.green), uv(p.blue)] };
    Diagram {
        span: UV_SPAN,
        locus: LOCUS.to_vec(),
        gamuts: vec![gamut("BT.709", &BT709), gamut("P3", &P3_D65), gamut("BT.2020", &BT2020)],
        white: uv(D65),
    }
}

/// [`LEVELS`] x [`LEVELS`] counts of linear AP1 pixels, u' to the right, v' up, row 0 on top, over [`UV_SPAN`], after
/// CAT16 adaptation to D65. Pixels that are nearly black, and those beyond the diagram, are not counted. Counts stop
/// at 65535.
pub fn chromaticity(pixels: &[[f32; 4]]) -> Vec<u16> {
    let to_xyz = AP1.to_xyz();
    let m = Adaptation::Cat16.between(AP1.white, D65).after(&to_xyz).to_f32();
    let mut counts = vec![0_u16; LEVELS * LEVELS];
    let scale = LEVELS as f32 / UV_SPAN as f32;
    for p in pixels {
        let [x, y, z] = m.apply([p[0], p[1], p[2]]);
        let d = x + 15.0 * y + 3.0 * z;
        if y < DARK as f32 || d <= 0.0 {
            continue;
        }
        let (u, v) = (4.0 * x / d * scale, 9.0 * y / d * scale);
        let most = LEVELS as f32;
        if (0.0..most).contains(&u) && (0.0..most).contains(&v) {
            let count = &mut counts[(LEVELS - 1 - v as usize) * LEVELS + u as usize];
            *count = count.saturating_add(1);
        }
    }
    counts
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The one place that counts, in u'v'.
    fn place(rgb: [f32; 3]) -> Option<[f64; 2]> {
        let counts = chromaticity(&[[rgb[0], rgb[1], rgb[2], 1.0]]);
        let at = counts.iter().position(|c| *c == 1)?;
        let cell = UV_SPAN / LEVELS as f64;
        Some([
            (at % LEVELS) as f64 * cell + cell / 2.0,
            (LEVELS - 1 - at / LEVELS) as f64 * cell + cell / 2.0,
        ])
    }

    #[test]
    fn white_lies_at_d65_and_black_is_not_counted() {
        // CIE 015: D65 has u' 0.1978, v' 0.4683.
        let [u, v] = place([0.5; 3]).unwrap();
        assert!((u - 0.1978).abs() < 0.003 && (v - 0.4683).abs() < 0.003, "{u} {v}");
        assert_eq!(place([0.0; 3]), None);
    }

    #[test]
    fn the_red_of_bt709_lies_at_its_corner_of_the_triangle() {
        // BT.709 red is xy 0.64, 0.33: u' 0.4507, v' 0.5229 by the definition.
        let red = BT709.to(&AP1, Adaptation::Cat16).apply([1.0, 0.0, 0.0]).map(|v| v as f32);
        let [u, v] = place(red).unwrap();
        assert!((u - 0.4507).abs() < 0.003 && (v - 0.5229).abs() < 0.003, "{u} {v}");
        let corner = diagram().gamuts[0].corners[0];
        assert!((corner[0] - 0.4507).abs() < 1e-4 && (corner[1] - 0.5229).abs() < 1e-4);
    }
}
