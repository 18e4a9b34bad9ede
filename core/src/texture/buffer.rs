//! Planar buffers: pictures between two passes, in single or half precision.
//!
//! A pass is bound by memory. Halves (IEEE 754 binary16) hold light to one part in two thousand and halve the traffic; exact
//! rendering uses single precision.

use super::columns::Columns;
use super::scanline::Scanline;
use crate::numeric::half::{from_halves, to_halves};
use crate::numeric::lane;

/// Storage precision between two passes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Precision {
    /// IEEE 754 binary32.
    Single,
    /// IEEE 754 binary16: up to 65504, to one part in 2048.
    Half,
}

#[derive(Clone, Debug, PartialEq)]
enum Samples {
    Single(Vec<f32>),
    Half(Vec<u16>),
}

/// A picture of three planes, interleaved by row: row 0 of each channel, then row 1, and so on.
#[derive(Clone, Debug, PartialEq)]
pub struct PlanarBuffer {
    width: usize,
    height: usize,
    values: Samples,
}

/// A pool of buffers for reuse, which saves allocating and clearing pages for every picture.
#[derive(Debug, Default)]
pub struct BufferPool {
    singles: Vec<Vec<f32>>,
    halves: Vec<Vec<u16>>,
}

/// The most buffers that the pool keeps of each precision.
const MOST: usize = 16;

/// Takes the smallest buffer of at least `size` values from the pool, or makes one; its contents are undefined.
fn taken<T: Clone + Default>(from: &mut Vec<Vec<T>>, size: usize) -> Vec<T> {
    let fits = (0..from.len()).filter(|i| from[*i].capacity() >= size);
    let best = fits.min_by_key(|i| from[*i].capacity());
    let mut values = best.map(|i| from.swap_remove(i)).unwrap_or_default();
    values.resize(size, T::default());
    values
}

impl BufferPool {
    /// A buffer with undefined contents.
    pub fn buffer(&mut self, [width, height]: [usize; 2], precision: Precision) -> PlanarBuffer {
        let size = 3 * width * height;
        let values = match precision {
            Precision::Single => Samples::Single(taken(&mut self.singles, size)),
            Precision::Half => Samples::Half(taken(&mut self.halves, size)),
        };
        PlanarBuffer { width, height, values }
    }

    /// Buffers in the pool.
    pub fn kept(&self) -> usize {
        self.singles.len() + self.halves.len()
    }

    /// Returns a buffer to the pool.
    pub fn give(&mut self, buffer: PlanarBuffer) {
        match buffer.values {
            Samples::Single(v) if self.singles.len() < MOST => self.singles.push(v),
            Samples::Half(v) if self.halves.len() < MOST => self.halves.push(v),
            _ => {}
        }
    }
}

/// A band of rows of a buffer, for writing.
pub struct Rows<'a> {
    width: usize,
    values: Places<'a>,
}

enum Places<'a> {
    Single(&'a mut [f32]),
    Half(&'a mut [u16]),
}

impl Rows<'_> {
    /// Stores the tile's own columns of `line` into row `k` of the band.
    pub fn put(&mut self, k: usize, line: &Scanline, columns: &Columns) {
        struct Write<'a, 'b>(&'a mut Rows<'b>, usize, &'a Scanline, &'a Columns);
        impl pulp::NullaryFnOnce for Write<'_, '_> {
            type Output = ();
            #[inline(always)]
            fn call(self) {
                let Write(Rows { width, values }, k, line, columns) = self;
                let (inside, own) = (columns.inside(), &columns.own);
                for c in 0..3 {
                    let from = &line.plane(c)[inside.clone()];
                    let first = (3 * k + c) * *width;
                    let to = first + own.start..first + own.end;
                    match values {
                        Places::Single(rows) => rows[to].copy_from_slice(from),
                        Places::Half(rows) => to_halves(from, &mut rows[to]),
                    }
                }
            }
        }
        lane::vectorised(Write(self, k, line, columns));
    }

    /// Stores `line` into row `k` of the band.
    pub fn write(&mut self, k: usize, line: &Scanline) {
        self.put(k, line, &Columns::all(line.width()));
    }
}

impl PlanarBuffer {
    /// Pixels in a row, and rows.
    pub fn size(&self) -> [usize; 2] {
        [self.width, self.height]
    }

    /// Its size in bytes.
    pub fn bytes(&self) -> usize {
        match &self.values {
            Samples::Single(v) => v.len() * 4,
            Samples::Half(v) => v.len() * 2,
        }
    }

    /// Fills `line` with row `y`, starting at column `first`.
    #[inline(always)]
    pub fn read(&self, y: usize, first: usize, line: &mut Scanline) {
        let w = line.width();
        for c in 0..3 {
            let first = (3 * y + c) * self.width + first;
            let out = &mut line.plane_mut(c)[..w];
            match &self.values {
                Samples::Single(v) => out.copy_from_slice(&v[first..first + w]),
                Samples::Half(v) => from_halves(&v[first..first + w], 3 * self.width, out),
            }
        }
    }

    /// All rows for writing, in bands of `count` rows.
    pub fn bands(&mut self, count: usize) -> Vec<Rows<'_>> {
        let (size, width) = (3 * self.width * count, self.width);
        let rows = |values| Rows { width, values };
        match &mut self.values {
            Samples::Single(v) => v.chunks_mut(size).map(Places::Single).map(rows).collect(),
            Samples::Half(v) => v.chunks_mut(size).map(Places::Half).map(rows).collect(),
        }
    }
}

/// Rows in a band for a picture `height` rows high: equal work for each thread, at most 270 rows so that no thread waits long
/// for another, at least 16 so that halo rows, which neighbouring bands both compute, stay cheap.
pub fn band(height: usize) -> usize {
    const MOST: usize = 270;
    let threads = rayon::current_num_threads().max(1);
    let each = height.div_ceil(threads * MOST).max(if threads > 1 { 2 } else { 1 });
    height.div_ceil(threads * each).max(16)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_come_back_as_they_were_written() {
        let mut pool = BufferPool::default();
        for precision in [Precision::Single, Precision::Half] {
            let mut buffer = pool.buffer([21, 5], precision);
            let mut line = Scanline::new(21);
            for (band, mut rows) in buffer.bands(2).into_iter().enumerate() {
                for k in 0..2.min(5 - 2 * band) {
                    for c in 0..3 {
                        line.plane_mut(c).fill((band * 2 + k) as f32 + 0.25 * c as f32);
                    }
                    rows.write(k, &line);
                }
            }
            buffer.read(3, 0, &mut line);
            assert_eq!((line.plane(0)[20], line.plane(2)[0]), (3.0, 3.5));
            pool.give(buffer);
        }
    }
}
