//! The vectorscope.

use super::{LEVELS, LUMA, VECTOR_SPAN};
use crate::numeric::lane;

/// Vectorscope: [`LEVELS`] x [`LEVELS`] counts, blue difference to the right, red difference up, row 0 on top,
/// the centre between the middle cells, the sides at +-[`VECTOR_SPAN`] over `zoom` (at least 1). Weights of BT.709.
/// What lies beyond the sides is not counted. Counts stop at 65535.
pub fn vectorscope(pixels: &[[u8; 4]], zoom: f32) -> Vec<u16> {
    let mut counts = vec![0_u32; LEVELS * LEVELS];
    let mut cells = [0_u16; BLOCK];
    for block in pixels.chunks(BLOCK) {
        lane::vectorised(FindCells { pixels: block, cells: &mut cells, zoom: zoom.max(1.0) });
        for cell in &cells[..block.len()] {
            counts[usize::from(*cell)] += 1;
        }
    }
    if zoom > 1.0 {
        // The outermost cells took what lies beyond.
        for k in 0..LEVELS {
            for cell in [k, (LEVELS - 1) * LEVELS + k, k * LEVELS, k * LEVELS + LEVELS - 1] {
                counts[cell] = 0;
            }
        }
    }
    counts.into_iter().map(|n| n.min(u32::from(u16::MAX)) as u16).collect()
}

/// Pixels whose cells are found before they are counted: finding is vector work, counting is not.
const BLOCK: usize = 1024;

struct FindCells<'a> {
    pixels: &'a [[u8; 4]],
    cells: &'a mut [u16; BLOCK],
    zoom: f32,
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
        const MOST: f32 = (LEVELS - 1) as f32;
        let (blue, red) = (BLUE * self.zoom, RED * self.zoom);
        for (cell, p) in self.cells.iter_mut().zip(self.pixels) {
            let [r, g, b] = [i32::from(p[0]), i32::from(p[1]), i32::from(p[2])];
            let y = LUMA[0] * r + LUMA[1] * g + LUMA[2] * b;
            let x = rounded((HALF - 0.5 + ((b << 16) - y) as f32 * blue).max(0.0).min(MOST));
            let y = rounded((HALF - 0.5 - ((r << 16) - y) as f32 * red).max(0.0).min(MOST));
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
