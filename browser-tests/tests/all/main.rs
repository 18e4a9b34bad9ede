//! Tests of the page in a browser, in one program: linked once, and run side by side.

#![allow(clippy::unwrap_used)]

mod access;
mod balance;
mod boards;
mod budgets;
mod displays;
mod film;
mod first_mile;
mod footage;
mod handoff;
mod intake;
mod killed;
mod look;
mod path;
mod recipes;
mod references;
mod safety;
mod together;
mod traps;
mod walk;
mod whole;
