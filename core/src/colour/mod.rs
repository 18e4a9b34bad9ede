//! Colour: what numbers mean and how one meaning becomes another.

pub mod adaptation;
pub mod axis;
pub mod bound;
pub mod chart;
pub mod chromaticity;
pub mod compress;
pub mod difference;
pub mod display;
pub mod encoding;
pub mod fit;
pub mod hues;
pub mod isotherm;
pub mod likely;
pub mod log_curve;
pub mod plane;
pub mod primaries;
pub mod profile;
pub mod transfer;

pub use crate::numeric::matrix::{self, Mat3};
pub use adaptation::Adaptation;
pub use axis::{Axis, Site, Zone, plane_of, saturation_reach};
pub use display::Display;
pub use encoding::{Encoding, Reference};
pub use primaries::Primaries;
pub use profile::CameraProfile;
