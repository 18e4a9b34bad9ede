//! Colour: what numbers mean and how one meaning becomes another.

pub mod adaptation;
pub mod bound;
pub mod chart;
pub mod difference;
pub mod display;
pub mod encoding;
pub mod fit;
pub mod isotherm;
pub mod likely;
pub mod matrix;
pub mod plane;
pub mod primaries;
pub mod profile;
pub mod transfer;

pub use adaptation::Adaptation;
pub use display::Display;
pub use encoding::{Encoding, Reference};
pub use matrix::Mat3;
pub use primaries::Primaries;
pub use profile::CameraProfile;
