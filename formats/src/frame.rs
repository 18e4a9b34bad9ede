//! A picture with what its file says beside the pixels, which has to survive where the picture is worked on and written
//! again.

use crate::FormatError;
use crate::picture::put_pixels;
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
    /// `None` where the pixels, of this width and height, are exactly what is shown and begin at zero: then there is nothing to say.
    pub(crate) fn unless_plain(self, size: [usize; 2]) -> Option<Self> {
        let plain = Self { data: [0, 0], shown: [0, 0], size };
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

/// What sees a picture's rows while it is read: so that one that is only looked at once need never be in memory as a whole.
pub trait Rows {
    /// Told once, before the first row: width and height as they stand in the file, and what lies beside the pixels.
    fn begin(&mut self, size: [usize; 2], beside: &Beside);
    /// The next row, from the top, as it stands in the file: of each pixel 1 sample for grey, 2 for grey and alpha, 3 for red,
    /// green and blue, or 4 for these and alpha, as many in all rows. [`crate::picture::put_pixels`] makes pixels of them.
    fn samples(&mut self, channels: usize, row: &[f32]);
}

/// Where nobody looks, a picture is only read to its end.
impl<R: Rows> Rows for Option<R> {
    fn begin(&mut self, size: [usize; 2], beside: &Beside) {
        if let Some(rows) = self {
            rows.begin(size, beside);
        }
    }

    fn samples(&mut self, channels: usize, row: &[f32]) {
        if let Some(rows) = self {
            rows.samples(channels, row);
        }
    }
}

/// A whole picture out of its rows.
#[derive(Default)]
pub(crate) struct Whole {
    size: [usize; 2],
    pixels: Vec<[f32; 4]>,
}

impl Rows for Whole {
    fn begin(&mut self, size: [usize; 2], _: &Beside) {
        self.size = size;
        self.pixels.reserve_exact(size[0] * size[1]);
    }

    fn samples(&mut self, channels: usize, row: &[f32]) {
        put_pixels(&mut self.pixels, channels, row);
    }
}

impl Whole {
    /// The picture and what lies beside it.
    pub(crate) fn frame(self, beside: Beside) -> Result<Frame, FormatError> {
        Ok(Frame { picture: Picture::new(self.size[0], self.size[1], self.pixels)?, beside })
    }
}

/// Reads a picture of any format that is read here, with what lies beside it.
pub fn read(bytes: &[u8]) -> Result<Frame, FormatError> {
    (crate::registry::of_bytes(bytes)?.read)(bytes)
}
