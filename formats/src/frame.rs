//! A picture with what its file says beside the pixels, which has to survive where the picture is worked on and written
//! again.

use crate::FormatError;
use crate::registry::PictureFormat;
use lantern_core::picture::Picture;

/// A picture and what lies beside it in its file.
#[derive(Clone, Debug, PartialEq)]
pub struct Frame {
    /// The pixels, as they stand in the file: not turned by [`Beside::orientation`].
    pub picture: Picture,
    /// The rest.
    pub beside: Beside,
}

/// What a file says beside its pixels.
#[derive(Clone, Debug, PartialEq)]
pub struct Beside {
    /// Whether the file has an alpha channel.
    pub alpha: bool,
    /// Width of a pixel over its height.
    pub aspect: f32,
    /// How the rows and columns stand, 1 to 8 (TIFF 6.0, Orientation; EXIF has the same): 1 is upright.
    pub orientation: u8,
    /// Where the pixels lie in a larger or smaller frame, where the file says so.
    pub windows: Option<Windows>,
}

/// Where the pixels of a file lie (OpenEXR's data window) in what is shown (its display window).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Windows {
    /// Column and row of the first pixel.
    pub data: [i32; 2],
    /// Column and row of the first pixel of what is shown.
    pub shown: [i32; 2],
    /// Width and height of what is shown.
    pub size: [usize; 2],
}

impl Default for Beside {
    fn default() -> Self {
        Self { alpha: false, aspect: 1.0, orientation: 1, windows: None }
    }
}

impl From<Picture> for Frame {
    fn from(picture: Picture) -> Self {
        Self { picture, beside: Beside::default() }
    }
}

impl Windows {
    /// `None` where the pixels are exactly what is shown and begin at zero: then there is nothing to say.
    pub(crate) fn unless_plain(self, picture: &Picture) -> Option<Self> {
        let plain = Self { data: [0, 0], shown: [0, 0], size: [picture.width(), picture.height()] };
        (self != plain).then_some(self)
    }
}

/// An aspect as files hold it, or 1 where it makes no sense.
pub(crate) fn sane_aspect(aspect: f32) -> f32 {
    if aspect.is_finite() && (0.05..=20.0).contains(&aspect) { aspect } else { 1.0 }
}

impl Beside {
    /// What of it a format has no place for, in words: lost where the picture is written so.
    pub fn lost_in(&self, format: &PictureFormat) -> Vec<&'static str> {
        let mut lost = Vec::new();
        if self.windows.is_some() && !format.keeps.windows {
            lost.push("data and display windows");
        }
        if self.orientation != 1 && !format.keeps.orientation {
            lost.push("orientation");
        }
        lost
    }
}

/// Reads a picture of any format that is read here, with what lies beside it.
pub fn read(bytes: &[u8]) -> Result<Frame, FormatError> {
    (crate::registry::of_bytes(bytes)?.read)(bytes)
}

/// The Orientation of an EXIF block (JEITA CP-3451; a TIFF without a picture): its tag 274 in the first directory.
pub(crate) fn exif_orientation(exif: &[u8]) -> Option<u8> {
    let block = exif.strip_prefix(b"Exif\0\0").unwrap_or(exif);
    let little = match block.get(..4)? {
        b"II*\0" => true,
        b"MM\0*" => false,
        _ => return None,
    };
    let short = |at: usize| {
        let b = block.get(at..at.checked_add(2)?)?;
        Some(if little { u16::from_le_bytes([b[0], b[1]]) } else { u16::from_be_bytes([b[0], b[1]]) })
    };
    let b = block.get(4..8)?;
    let own = [b[0], b[1], b[2], b[3]];
    let at = if little { u32::from_le_bytes(own) } else { u32::from_be_bytes(own) } as usize;
    let found = (0..usize::from(short(at)?).min(1000)).find_map(|i| {
        let entry = at + 2 + 12 * i;
        (short(entry)? == 274 && short(entry + 2)? == 3).then(|| short(entry + 8))?
    })?;
    u8::try_from(found).ok().filter(|v| (1..=8).contains(v))
}

/// An EXIF block that says an orientation and nothing else.
pub(crate) fn exif_of(orientation: u8) -> Vec<u8> {
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
            assert_eq!(exif_orientation(&exif_of(v)), Some(v));
        }
        assert_eq!(exif_orientation(&exif_of(9)), None);
        let big = b"Exif\0\0MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0";
        assert_eq!(exif_orientation(big), Some(6));
    }

    proptest! {
        #[test]
        fn no_block_makes_it_panic(bytes in proptest::collection::vec(any::<u8>(), 0..64)) {
            let _ = exif_orientation(&bytes);
            let _ = exif_orientation(&[b"II*\0", &bytes[..]].concat());
        }
    }
}
