//! Scanlines: rows of three planes with a margin on both sides, which filters across read.

use crate::numeric::lane::{N, Planes};
use std::cell::RefCell;

/// Values of margin on both sides of a row; also the largest radius of a filter across, in pixels.
pub const MARGIN: usize = 16;

/// Length of the widest vector, in values. Rows are padded to a multiple of it, so loops need no remainder.
pub const SIDE: usize = 16;

/// One row of a picture, three planes. Values outside of its width are undefined until [`Scanline::extend`] fills them.
#[derive(Debug)]
pub struct Scanline {
    width: usize,
    stride: usize,
    /// Offset of the first plane in `values`; chosen so that each plane's first pixel is aligned to [`WHOLE`] bytes.
    first: usize,
    buffer: Vec<f32>,
}

/// Size of a cache line in bytes. A vector that straddles two costs two loads.
const WHOLE: usize = 64;

/// The most row buffers that a thread keeps for reuse.
const MOST: usize = 128;

thread_local! {
    /// Row buffers to use again: allocating them anew for each band would make the system clear fresh pages.
    static SPARE: RefCell<Vec<Vec<f32>>> = const { RefCell::new(Vec::new()) };
}

impl Drop for Scanline {
    fn drop(&mut self) {
        let buffer = std::mem::take(&mut self.buffer);
        // While a thread ends its store is gone: then the buffer is freed.
        let _ = SPARE.try_with(|spare| {
            let mut spare = spare.borrow_mut();
            if spare.len() < MOST {
                spare.push(buffer);
            }
        });
    }
}

impl Scanline {
    /// A row with undefined values.
    pub fn new(width: usize) -> Self {
        let stride = MARGIN + (width + SIDE + MARGIN).next_multiple_of(N);
        let size = 3 * stride + WHOLE / size_of::<f32>();
        let taken = SPARE.with(|spare| {
            let mut spare = spare.borrow_mut();
            let fits = spare.iter().rposition(|v| v.len() == size);
            fits.map(|i| spare.swap_remove(i))
        });
        let buffer = taken.unwrap_or_else(|| vec![0.0; size]);
        let first = buffer.as_ptr().align_offset(WHOLE).min(size - 3 * stride);
        Self { width, stride, first, buffer }
    }

    /// Pixels in the row.
    pub fn width(&self) -> usize {
        self.width
    }

    #[inline(always)]
    fn values(&self) -> &[f32] {
        &self.buffer[self.first..self.first + 3 * self.stride]
    }

    #[inline(always)]
    fn values_mut(&mut self) -> &mut [f32] {
        &mut self.buffer[self.first..self.first + 3 * self.stride]
    }

    fn padded(&self) -> usize {
        self.width.next_multiple_of(SIDE)
    }

    /// One channel, padded to a multiple of [`SIDE`].
    #[inline(always)]
    pub fn plane(&self, c: usize) -> &[f32] {
        let first = c * self.stride + MARGIN;
        &self.values()[first..first + self.padded()]
    }

    /// As [`Scanline::plane`], mutable.
    #[inline(always)]
    pub fn plane_mut(&mut self, c: usize) -> &mut [f32] {
        let (first, count) = (c * self.stride + MARGIN, self.padded());
        &mut self.values_mut()[first..first + count]
    }

    /// All three channels, mutable.
    #[inline(always)]
    pub fn planes_mut(&mut self) -> [&mut [f32]; 3] {
        let count = self.padded();
        let stride = self.stride;
        let (red, rest) = self.values_mut().split_at_mut(stride);
        let (green, blue) = rest.split_at_mut(stride);
        [red, green, blue].map(|p| &mut p[MARGIN..MARGIN + count])
    }

    /// All three channels padded to whole blocks of [`N`] values; the padding is undefined.
    #[inline(always)]
    pub fn blocks_mut(&mut self) -> [&mut [f32]; 3] {
        let count = self.blocks() * N;
        let stride = self.stride;
        let (red, rest) = self.values_mut().split_at_mut(stride);
        let (green, blue) = rest.split_at_mut(stride);
        [red, green, blue].map(|p| &mut p[MARGIN..MARGIN + count])
    }

    /// One channel from `by` values before its first pixel to `by` values after its padded end; `by` is at most [`MARGIN`].
    #[inline(always)]
    pub fn wide(&self, c: usize, by: usize) -> &[f32] {
        let first = c * self.stride + MARGIN - by;
        &self.values()[first..first + self.padded() + 2 * by]
    }

    /// Pads both margins by repeating the edge pixel.
    #[inline(always)]
    pub fn extend(&mut self) {
        let (width, padded, stride) = (self.width, self.padded(), self.stride);
        for plane in self.values_mut().chunks_exact_mut(stride) {
            let (left, right) = (plane[MARGIN], plane[MARGIN + width - 1]);
            plane[..MARGIN].fill(left);
            plane[MARGIN + width..2 * MARGIN + padded].fill(right);
        }
    }

    /// Blocks of [`N`] pixels that cover the row.
    #[inline(always)]
    pub fn blocks(&self) -> usize {
        self.width.div_ceil(N)
    }

    /// Loads block `block` of [`N`] pixels.
    #[inline(always)]
    pub fn load(&self, block: usize, planes: &mut Planes) {
        for (c, plane) in planes.iter_mut().enumerate() {
            let first = c * self.stride + MARGIN + block * N;
            plane.copy_from_slice(&self.values()[first..first + N]);
        }
    }

    /// Stores block `block` of [`N`] pixels.
    #[inline(always)]
    pub fn store(&mut self, block: usize, planes: &Planes) {
        for (c, plane) in planes.iter().enumerate() {
            let first = c * self.stride + MARGIN + block * N;
            self.values_mut()[first..first + N].copy_from_slice(&plane[..]);
        }
    }

    /// Loads a row of RGBA pixels; alpha is dropped.
    #[inline(always)]
    pub fn take(&mut self, pixels: &[[f32; 4]]) {
        let [red, green, blue] = self.planes_mut();
        for (((p, r), g), b) in pixels.iter().zip(red).zip(green).zip(blue) {
            [*r, *g, *b, _] = *p;
        }
    }
}

/// A ring of the input rows inside a filter's radius of the row being made.
pub struct Ring {
    lines: Vec<Scanline>,
    next: usize,
}

impl Ring {
    /// A ring of `count` rows.
    pub fn new(width: usize, count: usize) -> Self {
        Self { lines: (0..count.max(1)).map(|_| Scanline::new(width)).collect(), next: 0 }
    }

    /// Claims the next missing row of `first..=last` and gives its number and storage; `None` when all are present. The
    /// range must fit the ring, and neither end may go back.
    #[inline(always)]
    pub fn missing(&mut self, first: usize, last: usize) -> Option<(usize, &mut Scanline)> {
        let at = self.next.max(first);
        if at > last {
            return None;
        }
        self.next = at + 1;
        let count = self.lines.len();
        Some((at, &mut self.lines[at % count]))
    }

    /// Row `y`, which must have been claimed.
    #[inline(always)]
    pub fn get(&self, y: usize) -> &Scanline {
        &self.lines[y % self.lines.len()]
    }
}

/// `v` held within 0 and `n` - 1.
#[inline(always)]
pub fn held(v: isize, n: usize) -> usize {
    v.clamp(0, n as isize - 1) as usize
}

/// out = taps[0] * middle + sum of taps[j] * (what lies j before + what lies j after): a filter that is the same both
/// ways. `line` gives the values that lie a number of places on from the first that is reached.
#[inline(always)]
pub fn weigh<'a>(out: &mut [f32], taps: &[f32], line: impl Fn(usize) -> &'a [f32]) {
    let (side, n) = (taps.len() - 1, out.len());
    let (t, middle) = (taps[0], &line(side)[..n]);
    // Two pairs at a time, the first ones with the middle: fewer trips of the sum to memory and back.
    let mut j = 3;
    match side {
        0 => {
            for i in 0..n {
                out[i] = t * middle[i];
            }
        }
        1 => {
            let (a, b, u) = (&line(0)[..n], &line(2)[..n], taps[1]);
            for i in 0..n {
                out[i] = u.mul_add(a[i] + b[i], t * middle[i]);
            }
        }
        _ => {
            let (a, b, u) = (&line(side - 1)[..n], &line(side + 1)[..n], taps[1]);
            let (c, d, v) = (&line(side - 2)[..n], &line(side + 2)[..n], taps[2]);
            for i in 0..n {
                out[i] = v.mul_add(c[i] + d[i], u.mul_add(a[i] + b[i], t * middle[i]));
            }
        }
    }
    while j < side {
        let (a, b) = (&line(side - j)[..n], &line(side + j)[..n]);
        let (c, d) = (&line(side - j - 1)[..n], &line(side + j + 1)[..n]);
        let (t, u) = (taps[j], taps[j + 1]);
        for i in 0..n {
            out[i] = u.mul_add(c[i] + d[i], t.mul_add(a[i] + b[i], out[i]));
        }
        j += 2;
    }
    if j == side {
        let (a, b, t) = (&line(side - j)[..n], &line(side + j)[..n], taps[j]);
        for i in 0..n {
            out[i] = t.mul_add(a[i] + b[i], out[i]);
        }
    }
}

/// out = sum of weights[k] * line(k); at least one.
#[inline(always)]
pub fn sum<'a>(out: &mut [f32], weights: &[f32], line: impl Fn(usize) -> &'a [f32]) {
    let n = out.len();
    let (a, u) = (&line(0)[..n], weights[0]);
    for i in 0..n {
        out[i] = u * a[i];
    }
    // Four at a time: fewer trips of the sum to memory and back.
    let (fours, rest) = weights[1..].as_chunks::<4>();
    for (k, [t, u, v, w]) in fours.iter().enumerate() {
        let [a, b, c, d] = [1, 2, 3, 4].map(|j| &line(4 * k + j)[..n]);
        for i in 0..n {
            out[i] += (t * a[i] + u * b[i]) + (v * c[i] + w * d[i]);
        }
    }
    for (k, t) in rest.iter().enumerate() {
        let a = &line(4 * fours.len() + 1 + k)[..n];
        for i in 0..n {
            out[i] += t * a[i];
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ring_makes_each_row_once_and_keeps_what_is_reached() {
        let mut made = Vec::new();
        let mut ring = Ring::new(3, 5);
        for y in 4..20_usize {
            while let Some((at, line)) = ring.missing(y - 2, y + 2) {
                made.push(at);
                line.plane_mut(1).fill(at as f32);
            }
            for d in 0..5 {
                assert_eq!(ring.get(y + d - 2).plane(1)[2], (y + d - 2) as f32);
            }
        }
        assert_eq!(made, (2..22).collect::<Vec<_>>());
    }

    #[test]
    fn rows_are_summed_as_written_out_one_by_one() {
        let rows: Vec<Vec<f32>> =
            (0..11).map(|k| (0..21).map(|i| ((i * 7 + k * 3) as f32).cos()).collect()).collect();
        for count in 1..=rows.len() {
            let weights: Vec<f32> = (0..count).map(|k| 0.3 - 0.05 * k as f32).collect();
            let mut out = vec![9.0; 21];
            sum(&mut out, &weights, |k| &rows[k]);
            for (i, v) in out.iter().enumerate() {
                let want: f32 = weights.iter().zip(&rows).map(|(w, row)| w * row[i]).sum();
                assert!((v - want).abs() < 1e-6, "{count} {i}: {v} {want}");
            }
        }
    }

    #[test]
    fn taps_are_summed_as_written_out_one_by_one() {
        for side in 0..7 {
            let taps: Vec<f32> = (0..=side).map(|j| 0.4 / (1.0 + j as f32)).collect();
            let mut line = Scanline::new(37);
            line.plane_mut(0).iter_mut().enumerate().for_each(|(i, v)| *v = (i as f32 * 0.7).sin());
            line.extend();
            let mut out = vec![0.0; line.plane(0).len()];
            weigh(&mut out, &taps, |k| &line.wide(0, side)[k..]);
            let at = |i: isize| line.plane(0)[held(i, 37)];
            for (x, v) in out.iter().enumerate().take(37) {
                let x = x as isize;
                let side = side as isize;
                let want: f32 = (-side..=side).map(|d| taps[d.unsigned_abs()] * at(x + d)).sum();
                assert!((v - want).abs() < 1e-6, "{side} {x}: {v} {want}");
            }
        }
    }
}
