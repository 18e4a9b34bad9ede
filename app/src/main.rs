//! Dusky Lantern: the server with its page inside, and the command line for pipelines.

mod command;
mod demo;
mod files;

use clap::Parser;
use std::process::ExitCode;

/// Pictures of two megabytes come and go thirty times a second: an allocator that keeps its pages saves the
/// kernel from handing out zeroed ones each time.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

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
