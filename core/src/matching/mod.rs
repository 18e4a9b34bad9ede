//! Bringing one picture to another.

pub mod shot;
