//! Scopes: counts over the delivered picture. Drawing them is the page's work.

use crate::colour::plane::Plane;
use crate::lane::{self, log2};

/// Levels of a waveform, and the side of the vectorscope.
pub const LEVELS: usize = 256;

/// Half the span of the vectorscope's side, in colour-difference units: every colour of the cube lies inside
/// (pure green, the farthest, at 0.596).
pub const VECTOR_SPAN: f32 = 0.62;

/// Waveform of R, G and B: for each of `columns` columns, [`LEVELS`] levels from 0 up, how many pixels of the
/// columns have this level. Layout: column, channel, level; counts stop at 65535.
///
/// `pixels` are delivery-encoded RGBA bytes in rows of `width`.
pub fn waveform(pixels: &[[u8; 4]], width: usize, columns: usize) -> Vec<u16> {
    let columns = columns.clamp(1, width.max(1));
    let mut counts = vec![0_u16; columns * 3 * LEVELS];
    if width == 0 {
        return counts;
    }
    let place: Vec<usize> = (0..width).map(|x| x * columns / width * 3 * LEVELS).collect();
    for row in pixels.chunks_exact(width) {
        for (p, at) in row.iter().zip(&place) {
            let column = &mut counts[*at..at + 3 * LEVELS];
            for c in 0..3 {
                let count = &mut column[c * LEVELS + usize::from(p[c])];
                *count = count.saturating_add(1);
            }
        }
    }
    counts
}

/// Vectorscope: [`LEVELS`] x [`LEVELS`] counts, blue difference to the right, red difference up, row 0 on top,
/// the centre between the middle cells, the sides at +-[`VECTOR_SPAN`]. Weights of BT.709. Counts stop at 65535.
pub fn vectorscope(pixels: &[[u8; 4]]) -> Vec<u16> {
    let mut counts = vec![0_u32; LEVELS * LEVELS];
    let mut cells = [0_u16; BLOCK];
    for block in pixels.chunks(BLOCK) {
        lane::vectorised(FindCells { pixels: block, cells: &mut cells });
        for cell in &cells[..block.len()] {
            counts[usize::from(*cell)] += 1;
        }
    }
    counts.into_iter().map(|n| n.min(u32::from(u16::MAX)) as u16).collect()
}

/// Pixels whose cells are found before they are counted: finding is vector work, counting is not.
const BLOCK: usize = 1024;

/// Luma weights of BT.709-6, 3.2, in 65536ths that sum to one, so that a grey has no colour difference at all.
const LUMA: [i32; 3] = [13_933, 46_871, 4_732];

struct FindCells<'a> {
    pixels: &'a [[u8; 4]],
    cells: &'a mut [u16; BLOCK],
}

impl pulp::NullaryFnOnce for FindCells<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        const HALF: f32 = LEVELS as f32 / 2.0;
        // BT.709-6, 3.3: the differences over 2 (1 - weight), from 65536ths of byte codes to cells.
        const SCALE: f32 = HALF / VECTOR_SPAN / 255.0 / 65_536.0;
        const BLUE: f32 = SCALE / (2.0 * (1.0 - LUMA[2] as f32 / 65_536.0));
        const RED: f32 = SCALE / (2.0 * (1.0 - LUMA[0] as f32 / 65_536.0));
        for (cell, p) in self.cells.iter_mut().zip(self.pixels) {
            let [r, g, b] = [i32::from(p[0]), i32::from(p[1]), i32::from(p[2])];
            let y = LUMA[0] * r + LUMA[1] * g + LUMA[2] * b;
            let x = rounded(HALF - 0.5 + ((b << 16) - y) as f32 * BLUE);
            let y = rounded(HALF - 0.5 - ((r << 16) - y) as f32 * RED);
            *cell = (y * LEVELS as u32 + x) as u16;
        }
    }
}

/// The nearest whole number of a value in 0..2^22, to even from halves. Adding 2^23 leaves it in the low
/// mantissa bits; a cast that saturates is not vectorised.
#[inline(always)]
fn rounded(v: f32) -> u32 {
    (v + 8_388_608.0).to_bits() & (LEVELS as u32 - 1)
}

/// Histogram of luminance in stops from middle grey: `bins` even bins over `span`, of linear AP1 pixels.
/// Pixels beyond an end, black included, count in the end's bin.
pub fn stops_histogram(pixels: &[[f32; 4]], span: [f32; 2], bins: usize) -> Vec<u32> {
    let mut counts = vec![0_u32; bins.max(1)];
    let last = counts.len() - 1;
    for p in pixels {
        // AP1 luminance weights, S-2014-004.
        let y = 0.272_228_7 * p[0] + 0.674_081_8 * p[1] + 0.053_689_5 * p[2];
        let stops = log2(y.max(1e-9) * (1.0 / 0.18));
        let t = (stops - span[0]) / (span[1] - span[0]) * (last + 1) as f32;
        counts[(t.max(0.0) as usize).min(last)] += 1;
    }
    counts
}

/// Histogram of luma on a tonal axis: `bins` even bins over `span`, of encoded pixels. Pixels beyond an end
/// count in the end's bin.
pub fn axis_histogram(pixels: &[[f32; 4]], axis: crate::step::Axis, span: [f32; 2], bins: usize) -> Vec<u32> {
    let mut counts = vec![0_u32; bins.max(1)];
    let last = counts.len() - 1;
    let plane = Plane::bt709();
    for p in pixels {
        let place = axis.place(plane.luma_of([p[0], p[1], p[2]]));
        let t = (place - span[0]) / (span[1] - span[0]) * (last + 1) as f32;
        counts[(t.max(0.0) as usize).min(last)] += 1;
    }
    counts
}

/// Histogram of encoded luma: `bins` even bins over 0..1, of delivery-encoded RGBA bytes.
pub fn luma_histogram(pixels: &[[u8; 4]], bins: usize) -> Vec<u32> {
    let mut counts = vec![0_u32; bins.max(1)];
    let last = counts.len() - 1;
    let plane = Plane::bt709();
    for p in pixels {
        let y = plane.luma_of([f32::from(p[0]), f32::from(p[1]), f32::from(p[2])]) / 255.0;
        counts[((y * (last + 1) as f32) as usize).min(last)] += 1;
    }
    counts
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ramp_is_a_diagonal_in_the_waveform() {
        let row: Vec<[u8; 4]> = (0..=255).map(|v| [v, 255 - v, 7, 255]).collect();
        let pixels = [row.clone(), row].concat();
        let counts = waveform(&pixels, 256, 64);
        for (x, column) in counts.chunks(3 * LEVELS).enumerate() {
            for v in 4 * x..4 * x + 4 {
                assert_eq!(column[v], 2);
                assert_eq!(column[LEVELS + 255 - v], 2);
            }
            assert_eq!(column[2 * LEVELS + 7], 8);
        }
    }

    #[test]
    fn bars_land_at_the_angles_and_radii_that_bt709_defines() {
        // 75 % bars; Cb and Cr from BT.709-6, 3.2 and 3.3, worked out by hand for red: Y = 0.15945,
        // Cb = -0.0859, Cr = 0.375. 0.75 is code 191.25 of 255.
        let counts = vectorscope(&[[191, 0, 0, 255]; 10]);
        let at = counts.iter().position(|c| *c == 10).unwrap();
        let (x, y) = (at % LEVELS, at / LEVELS);
        let place = |cell: usize| (cell as f32 + 0.5 - 128.0) / 128.0 * VECTOR_SPAN;
        assert!((place(x) + 0.0859).abs() < 0.005 && (-place(y) - 0.3745).abs() < 0.005, "{x} {y}");
        // Every grey lies in one and the same cell beside the centre.
        let greys: Vec<[u8; 4]> = (0..=255).map(|v| [v, v, v, 255]).collect();
        assert_eq!(vectorscope(&greys)[128 * LEVELS + 128], 256);
    }

    #[test]
    fn a_stop_up_moves_the_histogram_one_stop() {
        let at = |v: f32| {
            let counts = stops_histogram(&[[v, v, v, 1.0]], [-8.0, 8.0], 16);
            counts.iter().position(|c| *c == 1).unwrap()
        };
        assert_eq!((at(0.181), at(0.362), at(0.0), at(1e9)), (8, 9, 0, 15));
        assert_eq!(luma_histogram(&[[255, 255, 255, 255], [0, 0, 0, 255]], 4), [1, 0, 0, 1]);
    }
}
