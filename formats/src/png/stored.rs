//! A PNG whose image data was inflated as a whole before the library that takes PNG apart sees it: that library's own inflating,
//! piece by piece, takes most of the time of reading a photograph, and twice as long.

use lantern_core::numeric::room::Room;
use std::collections::VecDeque;
use std::io::{self, BufRead, Read, Seek, SeekFrom};

/// The most image data that is inflated as a whole. A picture of 3840 x 2160 with 16 bits and alpha lies below; a larger one
/// is inflated piece by piece, so that it takes no more memory than its file.
const MOST_BYTES: usize = 64 << 20;
/// The most that a block which is only stored holds (RFC 1951, 3.2.4).
const BLOCK: usize = 65_535;
/// What is around a chunk's data: its length and kind, and its checksum.
const AROUND: usize = 12;

/// A PNG in parts: what stands before its image data, the data itself, and what stands after.
pub(super) struct Inflated<'a> {
    before: &'a [u8],
    after: &'a [u8],
    data: Room,
    /// What stands around the data to make it a chunk again.
    frames: Vec<u8>,
}

impl<'a> Inflated<'a> {
    /// Takes a file apart and inflates its image data. `None` where it is too large for that, comes in passes, or anything about
    /// it is not as it should be: then the library reads the file as it is, and says what is wrong.
    pub(super) fn of(file: &'a [u8]) -> Option<Self> {
        let (_, mut left) = file.split_at_checked(8)?;
        let length = image_length(left)?;
        let (mut parts, mut begins, mut ends) = (Vec::new(), 0, 0);
        while !left.is_empty() {
            let at = file.len() - left.len();
            let (kind, data, rest) = chunk(left)?;
            if kind == *b"IDAT" {
                if parts.is_empty() {
                    begins = at;
                } else if at != ends {
                    return None;
                }
                parts.push(data);
                ends = file.len() - rest.len();
            }
            left = rest;
        }
        let mut data = Room::of(length);
        let joined = (parts.len() > 1).then(|| Room::joined(&parts));
        let deflated = joined.as_deref().or_else(|| parts.first().copied())?;
        let inflated =
            libdeflater::Decompressor::new().deflate_decompress(bare(deflated)?, &mut data).ok()?;
        let (before, after) = (&file[..begins], &file[ends..]);
        (inflated == length).then(|| Self { before, after, data, frames: frames(length) })
    }

    /// The same PNG with its image data stored. The chunk of it has no checksums: those of the file were right.
    pub(super) fn stored(&self) -> Parts<'_> {
        let (head, mut frames) = self.frames.split_at(8 + 2);
        let mut parts = VecDeque::from([self.before, head]);
        for block in self.data.chunks(BLOCK) {
            let (frame, rest) = frames.split_at(5);
            parts.extend([frame, block]);
            frames = rest;
        }
        parts.extend([frames, self.after]);
        Parts(parts)
    }
}

/// What is deflated in a zlib stream (RFC 1950, 2.2). The sum over what it inflates to is not looked at, as that library does
/// not: each chunk's own sum was right.
fn bare(zlib: &[u8]) -> Option<&[u8]> {
    let (head, rest) = zlib.split_first_chunk::<2>()?;
    let (deflated, _sum) = rest.split_last_chunk::<4>()?;
    // Method 8 with a window of up to 32 kB, no dictionary, and a check over both bytes.
    let [method, flags] = *head;
    let right = method & 0x0f == 8 && method >> 4 <= 7 && flags & 0x20 == 0;
    (right && u16::from_be_bytes(*head).is_multiple_of(31)).then_some(deflated)
}

/// The kind and data of a whole chunk with the right checksum, and what follows it.
fn chunk(bytes: &[u8]) -> Option<([u8; 4], &[u8], &[u8])> {
    let length = u32::from_be_bytes(*bytes.first_chunk()?) as usize;
    let (chunk, rest) = bytes.split_at_checked(length.checked_add(AROUND)?)?;
    let (checked, sum) = chunk[4..].split_last_chunk::<4>()?;
    let (kind, data) = checked.split_first_chunk()?;
    (libdeflater::crc32(checked).to_be_bytes() == *sum).then_some((*kind, data, rest))
}

/// How many bytes the rows of a picture and their filters take, by its header (PNG third edition, 11.2.1).
fn image_length(bytes: &[u8]) -> Option<usize> {
    let (b"IHDR", header, _) = chunk(bytes).as_ref().map(|(kind, data, rest)| (kind, *data, *rest))? else {
        return None;
    };
    let [width, height] =
        [header.first_chunk()?, header.get(4..)?.first_chunk()?].map(|v| u32::from_be_bytes(*v) as usize);
    let [depth, kind, 0, 0, 0] = *header.get(8..)? else { return None };
    let samples = match kind {
        0 | 3 => 1,
        2 => 3,
        4 => 2,
        6 => 4,
        _ => return None,
    };
    let row = width.checked_mul(samples * usize::from(depth))?.div_ceil(8) + 1;
    row.checked_mul(height).filter(|length| (1..=MOST_BYTES).contains(length))
}

/// What stands around stored blocks of so many bytes together: a chunk's head, a zlib stream's (RFC 1950, 2.2), each block's
/// (RFC 1951, 3.2.4), and two checksums that nobody looks at.
fn frames(length: usize) -> Vec<u8> {
    let blocks = length.div_ceil(BLOCK);
    let mut frames = ((2 + 5 * blocks + length + 4) as u32).to_be_bytes().to_vec();
    frames.extend(b"IDAT\x78\x01");
    for block in 0..blocks {
        let of_block = (length - block * BLOCK).min(BLOCK) as u16;
        frames.push(u8::from(block + 1 == blocks));
        frames.extend(of_block.to_le_bytes());
        frames.extend((!of_block).to_le_bytes());
    }
    frames.extend([0; 8]);
    frames
}

/// Parts one after the other.
pub(super) struct Parts<'a>(VecDeque<&'a [u8]>);

impl BufRead for Parts<'_> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        while self.0.front().is_some_and(|part| part.is_empty()) {
            self.0.pop_front();
        }
        Ok(self.0.front().copied().unwrap_or_default())
    }

    fn consume(&mut self, amount: usize) {
        if let Some(part) = self.0.front_mut() {
            *part = &part[amount..];
        }
    }
}

impl Read for Parts<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let read = self.fill_buf()?.read(into)?;
        self.consume(read);
        Ok(read)
    }
}

/// The library asks for it, and never goes back.
impl Seek for Parts<'_> {
    fn seek(&mut self, _: SeekFrom) -> io::Result<u64> {
        Err(io::ErrorKind::Unsupported.into())
    }
}

#[cfg(test)]
mod tests {
    use super::super::{crc, rows_of};
    use super::*;
    use crate::FormatError;
    use crate::frame::{Frame, Whole};
    use proptest::prelude::*;

    /// A chunk with its checksum.
    fn whole(kind: &[u8], data: &[u8]) -> Vec<u8> {
        let checked = [kind, data].concat();
        [&(data.len() as u32).to_be_bytes()[..], &checked, &crc(&checked).to_be_bytes()].concat()
    }

    /// The same PNG with its image data cut into chunks of `part` bytes, the first of them empty.
    fn cut(png: &[u8], part: usize) -> Vec<u8> {
        let (mut out, mut left, mut image) = (png[..8].to_vec(), &png[8..], Vec::new());
        while let Some((kind, data, rest)) = chunk(left) {
            if &kind == b"IDAT" {
                image.extend_from_slice(data);
            } else {
                if &kind == b"IEND" {
                    out.extend(whole(b"IDAT", &[]));
                    image.chunks(part).for_each(|part| out.extend(whole(b"IDAT", part)));
                }
                out.extend(whole(&kind, data));
            }
            left = rest;
        }
        out
    }

    /// How the library reads a file by itself.
    fn alone(file: &[u8]) -> Result<Frame, FormatError> {
        let mut rows = Whole::default();
        let beside = rows_of(png::Decoder::new(io::Cursor::new(file)), &mut rows)?;
        rows.frame(beside)
    }

    fn kinds() -> impl Strategy<Value = (png::ColorType, png::BitDepth)> {
        use png::{BitDepth::*, ColorType::*};
        let kinds = [
            (Grayscale, One),
            (Grayscale, Four),
            (Grayscale, Sixteen),
            (GrayscaleAlpha, Eight),
            (Indexed, Two),
            (Indexed, Eight),
            (Rgb, Eight),
            (Rgb, Sixteen),
            (Rgba, Sixteen),
        ];
        prop::sample::select(kinds.to_vec())
    }

    prop_compose! {
        /// A PNG of any kind, and how many bytes its rows take.
        fn any_png()(
            (kind, depth) in kinds(),
            width in 1_u32..300,
            height in 1_u32..60,
            compression in prop::sample::select(vec![png::Compression::NoCompression, png::Compression::Fast, png::Compression::High]),
            part in 1_usize..9000,
            seed in any::<u32>(),
        ) -> (Vec<u8>, usize) {
            let mut file = Vec::new();
            let mut encoder = png::Encoder::new(&mut file, width, height);
            encoder.set_color(kind);
            encoder.set_depth(depth);
            encoder.set_compression(compression);
            if kind == png::ColorType::Indexed {
                encoder.set_palette((0..=255).flat_map(|i: u8| [i, 255 - i, i / 3]).collect::<Vec<_>>());
                encoder.set_trns((0..=255).collect::<Vec<u8>>());
            }
            let row = (width as usize * kind.samples() * depth as usize).div_ceil(8);
            // Rows that are alike and rows that are not, for every filter.
            let sample = |i: usize| (i as u32 / 7).wrapping_add(seed.wrapping_mul(i as u32 & 3)).to_le_bytes()[0];
            let data: Vec<u8> = (0..row * height as usize).map(sample).collect();
            encoder.write_header().unwrap().write_image_data(&data).unwrap();
            (cut(&file, part), (row + 1) * height as usize)
        }
    }

    proptest! {
        #[test]
        fn every_picture_reads_as_the_library_alone_reads_it((file, length) in any_png()) {
            prop_assert_eq!(Inflated::of(&file).map(|i| i.data.len()), Some(length));
            prop_assert_eq!(super::super::read_frame(&file).unwrap(), alone(&file).unwrap());
        }

        #[test]
        fn whatever_is_wrong_is_what_the_library_alone_says(
            ((file, _), at, bit, cut) in any_png().prop_flat_map(|made| {
                let length = made.0.len();
                (Just(made), 0..length, 0_u32..8, any::<bool>())
            }),
        ) {
            let mut damaged = file;
            if cut {
                damaged.truncate(at);
            } else {
                damaged[at] ^= 1 << bit;
            }
            match (super::super::read_frame(&damaged), alone(&damaged)) {
                (Ok(a), Ok(b)) => prop_assert_eq!(a, b),
                (a, b) => prop_assert_eq!(a.unwrap_err().to_string(), b.unwrap_err().to_string()),
            }
        }
    }

    /// The image data of a PNG, as one chunk's worth.
    fn image_data(png: &[u8]) -> Vec<u8> {
        let (mut left, mut data) = (&png[8..], Vec::new());
        while let Some((kind, part, rest)) = chunk(left) {
            if &kind == b"IDAT" {
                data.extend_from_slice(part);
            }
            left = rest;
        }
        data
    }

    /// The same PNG with other image data, its checksum right.
    fn with_data(png: &[u8], data: &[u8]) -> Vec<u8> {
        let (mut out, mut left) = (png[..8].to_vec(), &png[8..]);
        let mut data = Some(data);
        while let Some((kind, part, rest)) = chunk(left) {
            if &kind != b"IDAT" {
                out.extend(whole(&kind, part));
            } else if let Some(data) = data.take() {
                out.extend(whole(b"IDAT", data));
            }
            left = rest;
        }
        out
    }

    proptest! {
        // What is wrong inside of a chunk whose checksum is right: its head, what is deflated, the sum over that, its length.
        #[test]
        fn data_that_is_wrong_under_a_right_checksum_reads_as_the_library_alone_reads_it(
            (file, _) in any_png(),
            at in prop_oneof![Just(0_usize), Just(1), Just(usize::MAX), any::<usize>()],
            bit in 0_u32..8,
            cut in 0_usize..8,
        ) {
            let mut data = image_data(&file);
            let last = data.len() - 1;
            let at = if at == usize::MAX { last } else { at % data.len() };
            if cut == 0 { data[at] ^= 1 << bit } else { data.truncate(data.len() - cut) }
            let wrong = with_data(&file, &data);
            match (super::super::read_frame(&wrong), alone(&wrong)) {
                (Ok(a), Ok(b)) => prop_assert_eq!(a, b),
                (a, b) => prop_assert_eq!(a.unwrap_err().to_string(), b.unwrap_err().to_string()),
            }
        }
    }

    #[test]
    fn the_largest_that_is_inflated_as_a_whole_is_a_picture_of_3840_by_2160_with_alpha() {
        let header = |[width, height]: [u32; 2], depth: u8, kind: u8, passes: u8| {
            let size = [width.to_be_bytes(), height.to_be_bytes()].concat();
            image_length(&whole(b"IHDR", &[&size[..], &[depth, kind, 0, 0, passes]].concat()))
        };
        assert_eq!(header([3840, 2160], 16, 6, 0), Some(2160 * (3840 * 8 + 1)));
        assert_eq!(header([9, 2], 1, 0, 0), Some(2 * 3));
        for (size, depth, kind, passes) in [
            ([7680, 4320], 16, 2, 0),
            ([u32::MAX, u32::MAX], 255, 6, 0),
            ([16, 16], 8, 2, 1),
            ([16, 16], 8, 5, 0),
            ([16, 0], 8, 2, 0),
        ] {
            assert_eq!(header(size, depth, kind, passes), None, "{size:?} {depth} {kind} {passes}");
        }
    }
}
