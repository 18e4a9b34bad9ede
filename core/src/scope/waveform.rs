//! Waveforms: levels by column.

use super::{LEVELS, Mask, luma_level};

/// Waveform of R, G and B: for each of `columns` columns, [`LEVELS`] levels from 0 up, how many pixels of the
/// columns have this level. Layout: column, channel, level; counts stop at 65535.
///
/// `pixels` are delivery-encoded RGBA bytes in rows of `width`; only those inside the mask count.
pub fn waveform(pixels: &[[u8; 4]], width: usize, columns: usize, mask: Option<&Mask>) -> Vec<u16> {
    trace(pixels, width, columns, mask, |p| [p[0], p[1], p[2]].map(usize::from))
}

/// Waveform of luma (BT.709-6, 3.2), laid out as column and level.
pub fn luma_waveform(pixels: &[[u8; 4]], width: usize, columns: usize, mask: Option<&Mask>) -> Vec<u16> {
    trace(pixels, width, columns, mask, |p| [luma_level(*p)])
}

fn trace<const N: usize>(
    pixels: &[[u8; 4]],
    width: usize,
    columns: usize,
    mask: Option<&Mask>,
    levels: impl Fn(&[u8; 4]) -> [usize; N],
) -> Vec<u16> {
    let columns = columns.clamp(1, width.max(1));
    let mut counts = vec![0_u16; columns * N * LEVELS];
    if width == 0 {
        return counts;
    }
    let place: Vec<usize> = (0..width).map(|x| x * columns / width * N * LEVELS).collect();
    for (y, row) in pixels.chunks_exact(width).enumerate() {
        for (x, (p, at)) in row.iter().zip(&place).enumerate() {
            if mask.is_some_and(|m| !m.holds(y * width + x)) {
                continue;
            }
            let column = &mut counts[*at..at + N * LEVELS];
            for (c, level) in levels(p).into_iter().enumerate() {
                let count = &mut column[c * LEVELS + level];
                *count = count.saturating_add(1);
            }
        }
    }
    counts
}
