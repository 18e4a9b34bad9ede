//! What EXIF blocks (JEITA CP-3451) say that concerns pictures here, and one that says how a picture is turned.

use exif::{Exif, In, Reader, Tag};

/// Reads a block, with or without the mark that it has in a JPEG. One that breaks off is read as far as it goes.
fn read(block: &[u8]) -> Option<Exif> {
    let block = block.strip_prefix(b"Exif\0\0").unwrap_or(block);
    let mut reader = Reader::new();
    reader.continue_on_error(true);
    reader.read_raw(block.to_vec()).or_else(|e| e.distill_partial_result(|_| ())).ok()
}

fn number(block: &[u8], tag: Tag) -> Option<u32> {
    read(block)?.get_field(tag, In::PRIMARY)?.value.get_uint(0)
}

/// The Orientation of a block, 1 to 8.
pub(crate) fn orientation(block: &[u8]) -> Option<u8> {
    u8::try_from(number(block, Tag::Orientation)?).ok().filter(|v| (1..=8).contains(v))
}

/// Whether its ColorSpace is 1 (4.6.5).
pub(crate) fn says_srgb(block: &[u8]) -> bool {
    number(block, Tag::ColorSpace) == Some(1)
}

/// A block that says an orientation and nothing else.
pub(crate) fn of(orientation: u8) -> Vec<u8> {
    let mut block = b"II*\0\x08\0\0\0\x01\0".to_vec();
    block.extend_from_slice(&[0x12, 0x01, 3, 0, 1, 0, 0, 0, orientation, 0, 0, 0]);
    block.extend_from_slice(&[0; 4]);
    block
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn an_orientation_is_found_in_either_byte_order() {
        for v in 1..=8 {
            assert_eq!(orientation(&of(v)), Some(v));
        }
        assert_eq!(orientation(&of(9)), None);
        let big = b"Exif\0\0MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0";
        assert_eq!(orientation(big), Some(6));
    }

    /// A block whose Exif directory, pointed to by tag 0x8769, has a ColorSpace.
    fn with_space(space: u8) -> Vec<u8> {
        let mut block = b"Exif\0\0MM\0*\0\0\0\x08".to_vec();
        block.extend_from_slice(&[0, 1, 0x87, 0x69, 0, 4, 0, 0, 0, 1, 0, 0, 0, 26, 0, 0, 0, 0]);
        block.extend_from_slice(&[0, 1, 0xa0, 0x01, 0, 3, 0, 0, 0, 1, 0, space, 0, 0, 0, 0, 0, 0]);
        block
    }

    #[test]
    fn a_colour_space_is_read_from_its_own_directory_and_not_found_by_chance() {
        assert!(says_srgb(&with_space(1)));
        // 0xffff is "uncalibrated", and 2 no value of the standard.
        assert!(!says_srgb(&with_space(2)));
        // The same bytes elsewhere, as in a maker's own notes, say nothing.
        let mut chance = of(1);
        chance.extend_from_slice(&[0x01, 0xa0, 3, 0, 1, 0, 0, 0, 1, 0]);
        assert!(!says_srgb(&chance));
    }

    #[test]
    fn a_block_that_breaks_off_says_what_it_still_says() {
        let mut broken = b"II*\0\x08\0\0\0\x02\0".to_vec();
        broken.extend_from_slice(&[0x12, 0x01, 3, 0, 1, 0, 0, 0, 8, 0, 0, 0]);
        assert_eq!(orientation(&broken), Some(8));
    }

    proptest! {
        #[test]
        fn no_block_makes_it_panic(bytes in proptest::collection::vec(any::<u8>(), 0..64)) {
            let _ = orientation(&bytes);
            let _ = orientation(&[b"II*\0", &bytes[..]].concat());
            let _ = says_srgb(&[b"II*\0\x08\0\0\0", &bytes[..]].concat());
        }
    }
}
