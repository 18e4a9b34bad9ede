//! Planar blocks and the arithmetic on them: elementary functions, matrices, half floats, percentiles. It knows nothing of
//! colour.

pub mod half;
pub mod lane;
pub mod least_squares;
pub mod matrix;
pub mod percentile;
pub mod room;
