//! A picture with what its file says beside the pixels, which has to survive where the picture is worked on and written
//! again.

use crate::FormatError;
use crate::picture::put_pixels;
use crate::registry::PictureFormat;
use lantern_core::picture::Picture;
use std::sync::Arc;

/// A picture and what lies beside it in its file.
#[derive(Clone, Debug, PartialEq)]
pub struct Frame {
    /// The pixels, as they stand in the file: not turned by [`Beside::orientation`]. Colours are straight: those of a file that
    /// holds them multiplied by alpha are divided again, but where alpha is 0, which leaves nothing to divide by.
    pub picture: Picture,
    /// The rest.
    pub beside: Beside,
}

/// What a file says beside its pixels.
#[derive(Clone, Debug, PartialEq)]
pub struct Beside {
    /// Whether the file has an alpha channel.
    pub alpha: bool,
    /// Whether the file holds colours multiplied by alpha (OpenEXR; TIFF's associated alpha). Light of alpha 0 is light that
    /// covers nothing then; in other files it is nothing.
    pub premultiplied: bool,
    /// Width of a pixel over its height.
    pub aspect: f32,
    /// How the rows and columns stand, 1 to 8 (TIFF 6.0, Orientation; EXIF has the same): 1 is upright.
    pub orientation: u8,
    /// Where the pixels lie in a larger or smaller frame, where the file says so.
    pub windows: Option<Windows>,
    /// When the frame was taken, where the file says so.
    pub timecode: Option<Timecode>,
    /// Frames a second, where the file says so.
    pub rate: Option<f32>,
    /// What else the file's own format says of the picture, for a file of the same format.
    pub header: Option<Header>,
}

/// A time of a frame, as SMPTE ST 12-1 counts it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Timecode {
    /// Hours.
    pub hours: u8,
    /// Minutes.
    pub minutes: u8,
    /// Seconds.
    pub seconds: u8,
    /// Frames.
    pub frames: u8,
    /// Whether numbers are left out so that it keeps up with the clock.
    pub drop_frame: bool,
}

/// What a file of a format says of its picture, beyond what other formats have a place for.
#[derive(Clone, Debug, PartialEq)]
pub enum Header {
    /// Attributes of an OpenEXR file.
    OpenExr(Arc<(exr::meta::header::ImageAttributes, exr::meta::header::LayerAttributes)>),
    /// Fields of a DPX file that describe its picture: places in the header and bytes, big-endian.
    Dpx(Arc<Vec<(usize, Vec<u8>)>>),
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
        Self {
            alpha: false,
            premultiplied: false,
            aspect: 1.0,
            orientation: 1,
            windows: None,
            timecode: None,
            rate: None,
            header: None,
        }
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

/// Divides colours by alpha, where there is any.
pub(crate) fn divide(pixels: &mut [[f32; 4]]) {
    for p in pixels.iter_mut().filter(|p| p[3] > 0.0 && p[3] != 1.0) {
        let per = 1.0 / p[3];
        let divided = [p[0], p[1], p[2]].map(|v| v / p[3]);
        // An alpha so small that nothing can be divided by it is none.
        if per.is_finite() && divided.iter().all(|v| v.is_finite()) {
            p[..3].copy_from_slice(&divided);
        }
    }
}

impl Frame {
    /// A pixel as a file holds it whose colours are multiplied by alpha. Where alpha is 0, light stays if it came from such a file.
    pub(crate) fn multiplied(&self, pixel: [f32; 4]) -> [f32; 4] {
        let [r, g, b, a] = pixel;
        if !self.beside.alpha || a == 1.0 {
            return pixel;
        }
        if a > 0.0 && (1.0 / a).is_finite() {
            return [r * a, g * a, b * a, a];
        }
        if self.beside.premultiplied { pixel } else { [0.0, 0.0, 0.0, a] }
    }

    /// Works on the colours. Where a file multiplied by alpha holds nothing, nothing stays: a film's black would add itself to
    /// what is behind.
    pub fn work<T>(&mut self, work: impl FnOnce(&mut Vec<[f32; 4]>) -> T) -> T {
        let pixels = &mut self.picture.pixels;
        if !self.beside.premultiplied {
            return work(pixels);
        }
        let clear: Vec<bool> = pixels.iter().map(|p| p[3] <= 0.0 && p[..3] == [0.0; 3]).collect();
        let done = work(pixels);
        let both = pixels.iter_mut().zip(&clear);
        both.filter(|(_, clear)| **clear).for_each(|(p, _)| p[..3].fill(0.0));
        done
    }

    /// Turned upright where a format has no place for how rows and columns stand.
    pub fn upright_for(self, format: &PictureFormat) -> Self {
        let Self { picture, beside } = self;
        if beside.orientation == 1 || format.keeps.orientation {
            return Self { picture, beside };
        }
        let turned = beside.orientation > 4;
        let aspect = if turned { 1.0 / beside.aspect } else { beside.aspect };
        let picture = picture.upright(beside.orientation);
        Self { picture, beside: Beside { orientation: 1, aspect, windows: None, ..beside } }
    }

    /// Makes light that covers nothing cover what is behind it, for whoever looks at the picture on black: it is seen.
    pub fn lights_cover(&mut self) {
        if self.beside.premultiplied {
            let lights = self.picture.pixels.iter_mut().filter(|p| p[3] <= 0.0);
            lights.filter(|p| p[..3].iter().any(|v| *v != 0.0)).for_each(|p| p[3] = 1.0);
        }
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
        if self.timecode.is_some() && !format.keeps.times {
            lost.push("timecode");
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
