//! The sets of the demo production.

pub mod greenhouse;
pub mod market;
pub mod workbench;
