//! Tests of the server through its requests and sockets, in one program: linked once, and run side by side.

#![allow(clippy::unwrap_used)]

#[macro_use]
#[path = "../common/mod.rs"]
mod common;

mod balance;
mod boards;
mod carried;
mod data;
mod deleted;
mod film;
mod first_mile;
mod footage;
mod full;
mod intake;
mod looks;
mod output;
mod packages;
mod pairs;
mod shelf;
mod socket;
