//! Tests of the core from outside of it, in one program: linked once, and run side by side.

#![allow(clippy::unwrap_used)]

#[path = "../common/mod.rs"]
mod common;

mod continuity;
mod display_sources;
mod extending;
mod film;
mod graph;
mod hdr_tables;
mod judge;
mod layers;
mod looks;
mod nodes;
mod passes;
mod programs;
mod reference;
mod same_bits;
mod scopes;
mod stock;
mod strengths;
mod texture;
mod unpick;
