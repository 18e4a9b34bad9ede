//! What several tests share.
#![allow(dead_code, clippy::unwrap_used)]

pub mod tables;
