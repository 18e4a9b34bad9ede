//! A display: its primaries, and how far its light goes above white.

use super::{Primaries, transfer::REFERENCE_WHITE};

/// White of an SDR reference display in cd/m2 (ITU-R BT.2035).
pub const SDR_PEAK: f64 = 100.0;

/// A display as renderings see it. Its linear light is 1.0 at the white of an SDR display, or at reference white of an
/// HDR one, and reaches up to [`Display::headroom`].
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Display {
    /// Primaries and white.
    pub primaries: Primaries,
    /// Its brightest light, where reference white is 1.0: 1.0 for SDR displays.
    pub headroom: f64,
    /// The light of the first 8-bit code over black: a curve that is straight there, as that of sRGB, has much of it.
    pub first_code: f64,
}

impl Display {
    /// A display with a peak in cd/m2. Up to 203 cd/m2 its white is its peak; a brighter one shows white there and
    /// lights above it (ITU-R BT.2408-7: HDR reference white is 203 cd/m2).
    pub fn new(primaries: Primaries, peak: f64) -> Self {
        Self { primaries, headroom: (peak / f64::from(REFERENCE_WHITE)).max(1.0), first_code: 0.0 }
    }

    /// An SDR display whose curve begins at no slope.
    pub fn sdr(primaries: Primaries) -> Self {
        Self::new(primaries, SDR_PEAK)
    }

    /// Whether it shows lights above white.
    pub fn is_hdr(&self) -> bool {
        self.headroom > 1.0
    }

    /// Luma weights of its primaries.
    pub fn luma(&self) -> [f32; 3] {
        self.primaries.luma().map(|v| v as f32)
    }
}
