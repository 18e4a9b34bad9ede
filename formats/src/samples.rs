//! Pixels as integer samples.

use crate::Depth;
use lantern_core::numeric::lane;
pub(crate) use lantern_core::picture::samples::{put, quantise};

/// The first `channels` of each pixel, 3 or 4, by `sample` in the order of a file.
pub(crate) fn of<T: Copy + Default>(
    pixels: &[[f32; 4]],
    channels: usize,
    sample: impl Fn(f32) -> T,
) -> Vec<T> {
    let mut out = Vec::new();
    put(pixels, channels, sample, &mut out);
    out
}

/// Samples of a file, big-endian where they have 16 bits, as values 0..1 in place of what `out` held.
pub(crate) fn values(data: &[u8], depth: Depth, out: &mut Vec<f32>) {
    let count = if depth == Depth::Sixteen { data.len() / 2 } else { data.len() };
    out.resize(count, 0.0);
    lane::vectorised(Values { data, depth, out });
}

struct Values<'a> {
    data: &'a [u8],
    depth: Depth,
    out: &'a mut [f32],
}

impl pulp::NullaryFnOnce for Values<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { data, depth, out } = self;
        // Divided: a product with the reciprocal would be off in the last bit for some.
        match depth {
            Depth::Eight => {
                for (out, v) in out.iter_mut().zip(data) {
                    *out = f32::from(*v) / 255.0;
                }
            }
            Depth::Sixteen => {
                for (out, v) in out.iter_mut().zip(data.as_chunks::<2>().0) {
                    *out = f32::from(u16::from_be_bytes(*v)) / 65535.0;
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_sample_is_its_share_of_the_largest() {
        let mut out = vec![9.0; 3];
        let all: Vec<u8> = (0..=65535_u16).flat_map(u16::to_be_bytes).collect();
        values(&all, Depth::Sixteen, &mut out);
        assert!(out.len() == 65536 && out.iter().enumerate().all(|(i, v)| *v == i as f32 / 65535.0));
        values(&all[..512], Depth::Eight, &mut out);
        assert!(out.len() == 512 && (out[511], out[510], out[0]) == (1.0, 0.0, 0.0));
        values(&[], Depth::Sixteen, &mut out);
        assert!(out.is_empty());
    }
}
