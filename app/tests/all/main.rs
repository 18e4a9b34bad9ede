//! Tests of the command line and of whole looks on whole pictures, in one program: linked once, and run side by side.

#![allow(clippy::unwrap_used)]

#[path = "../baselines/mod.rs"]
mod baselines;
#[path = "../../../core/tests/common/mod.rs"]
mod common;

mod bars;
mod batch;
mod borders;
mod demo_shots;
mod fidelity;
mod film;
mod foreign;
mod frames;
mod matches;
mod movies;
mod outside;
mod packages;
mod readers;
mod wrong_input;
