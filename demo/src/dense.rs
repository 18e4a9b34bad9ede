//! PNG packed as densely as they can be without losing a bit: a clone of the project brings all of them.

use libdeflater::{CompressionLvl, Compressor};
use png::chunk::IDAT;
use png::{BitDepth, ColorType, Encoder, EncodingError};
use rayon::prelude::*;
use std::io::Cursor;

/// Bytes of a pixel: three samples of 16 bit.
const PIXEL: usize = 6;

/// The five filters of PNG (W3C PNG, third edition, 9.2) by their numbers: a byte less what is foretold of it.
fn filtered(filter: u8, row: &[u8], above: &[u8], out: &mut Vec<u8>) {
    out.push(filter);
    for (i, byte) in row.iter().enumerate() {
        let left = if i >= PIXEL { row[i - PIXEL] } else { 0 };
        let up = above[i];
        let corner = if i >= PIXEL { above[i - PIXEL] } else { 0 };
        let foretold = match filter {
            0 => 0,
            1 => left,
            2 => up,
            3 => ((u16::from(left) + u16::from(up)) / 2) as u8,
            _ => paeth(left, up, corner),
        };
        out.push(byte.wrapping_sub(foretold));
    }
}

/// Of left, up and corner the one nearest to left + up - corner; ties go in that order (9.4).
fn paeth(left: u8, up: u8, corner: u8) -> u8 {
    let [a, b, c] = [left, up, corner].map(i32::from);
    let p = a + b - c;
    let [pa, pb, pc] = [a, b, c].map(|v| (p - v).abs());
    if pa <= pb && pa <= pc {
        left
    } else if pb <= pc {
        up
    } else {
        corner
    }
}

/// Bits that the bytes of a row take by how often each comes (Shannon's entropy), high and low bytes of samples apart.
fn entropy(row: &[u8]) -> f64 {
    (0..2)
        .map(|part| {
            let mut counts = [0_u32; 256];
            row.iter().skip(part).step_by(2).for_each(|b| counts[usize::from(*b)] += 1);
            let all: u32 = counts.iter().sum();
            let bits = |n: u32| f64::from(n) * (f64::from(all) / f64::from(n)).log2();
            counts.into_iter().filter(|n| *n > 0).map(bits).sum::<f64>()
        })
        .sum()
}

/// All rows by one filter, or each by the one that leaves the least.
fn rows(samples: &[u8], width: usize, only: Option<u8>) -> Vec<u8> {
    let stride = width * PIXEL;
    let none = vec![0; stride];
    let mut out = Vec::with_capacity(samples.len() + samples.len() / stride);
    for (y, row) in samples.chunks_exact(stride).enumerate() {
        let above = if y == 0 { &none } else { &samples[(y - 1) * stride..y * stride] };
        let one = |filter| {
            let mut line = Vec::with_capacity(stride + 1);
            filtered(filter, row, above, &mut line);
            line
        };
        let best = match only {
            Some(filter) => one(filter),
            None => {
                let all = (1..5).map(one).min_by(|a, b| entropy(&a[1..]).total_cmp(&entropy(&b[1..])));
                all.unwrap_or_default()
            }
        };
        out.extend(best);
    }
    out
}

/// A PNG of RGB samples of 16 bit, big-endian.
pub fn png(width: usize, height: usize, samples: &[u8]) -> Result<Vec<u8>, EncodingError> {
    let filters = [Some(1), Some(2), Some(3), Some(4), None];
    let packed = filters.into_par_iter().map(|only| {
        let data = rows(samples, width, only);
        let mut compressor = Compressor::new(CompressionLvl::best());
        let mut out = vec![0; compressor.zlib_compress_bound(data.len())];
        let length =
            compressor.zlib_compress(&data, &mut out).map_err(|e| std::io::Error::other(e.to_string()))?;
        out.truncate(length);
        Ok(out)
    });
    let packed: Vec<Vec<u8>> = packed.collect::<Result<_, std::io::Error>>()?;
    let data = packed.into_iter().min_by_key(Vec::len).unwrap_or_default();
    let mut out = Vec::new();
    let mut encoder = Encoder::new(&mut out, width as u32, height as u32);
    encoder.set_color(ColorType::Rgb);
    encoder.set_depth(BitDepth::Sixteen);
    let mut writer = encoder.write_header()?;
    writer.write_chunk(IDAT, &data)?;
    writer.finish()?;
    Ok(out)
}

/// A PNG packed anew, sample for sample the same; as it is where that is no shorter, or where it is no RGB of 16 bit.
pub fn png_again(file: Vec<u8>) -> Result<Vec<u8>, Box<dyn std::error::Error>> {
    let mut reader = png::Decoder::new(Cursor::new(&file)).read_info()?;
    let mut samples = vec![0; reader.output_buffer_size().ok_or("too large")?];
    let info = reader.next_frame(&mut samples)?;
    if (info.color_type, info.bit_depth) != (ColorType::Rgb, BitDepth::Sixteen) {
        return Ok(file);
    }
    let again = png(info.width as usize, info.height as usize, &samples)?;
    Ok(if again.len() < file.len() { again } else { file })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dice::Dice;

    #[test]
    fn what_is_packed_comes_back_by_another_reader_whatever_filter_it_took() {
        let mut dice = Dice::new(7);
        for (w, h) in [(1, 1), (3, 5), (64, 20)] {
            let noisy: Vec<u8> = (0..w * h * PIXEL).map(|_| (dice.roll() * 256.0) as u8).collect();
            let smooth: Vec<u8> = (0..w * h * PIXEL).map(|i| (i / 40) as u8).collect();
            for samples in [noisy, smooth] {
                let file = png(w, h, &samples).unwrap();
                let mut reader = png::Decoder::new(Cursor::new(&file)).read_info().unwrap();
                let mut read = vec![0; reader.output_buffer_size().unwrap()];
                reader.next_frame(&mut read).unwrap();
                assert_eq!(read, samples);
                assert_eq!(png_again(file.clone()).unwrap(), file);
            }
        }
    }
}
