//! Tables made of paths: filled, settled, proven and judged.

pub mod fidelity;
pub mod judge;
pub mod live;
pub mod meter;
pub mod steep;

pub use crate::graph::fill::{Bake, Before, SHAPER_RANGE, bake, title};
pub use fidelity::{Exact, Fidelity, Probe, Proving};
pub use judge::{Judgement, judge};
pub use live::Reach;
pub use meter::Meter;
