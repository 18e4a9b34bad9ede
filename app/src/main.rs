//! Dusky Lantern: the server with its page inside, and the command line for pipelines.

mod command;
mod demo;
mod files;
mod memory;

use clap::Parser;
use std::process::ExitCode;

#[global_allocator]
static ALLOCATOR: memory::Memory = memory::Memory;

fn main() -> ExitCode {
    // Wrong usage ends in clap with status 2.
    match command::run(command::Arguments::parse()) {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            eprintln!("dusky-lantern: {e}");
            ExitCode::from(1)
        }
    }
}
