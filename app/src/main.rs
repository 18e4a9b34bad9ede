//! Dusky Lantern: the server with its page inside, and the command line for pipelines.

mod command;
mod demo;
mod files;
mod memory;
mod words;

use clap::Parser;
use std::process::ExitCode;

#[global_allocator]
static ALLOCATOR: memory::Memory = memory::Memory;

fn main() -> ExitCode {
    // Whoever reads what is printed may stop reading, as `head` does: that is no fault.
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |info| {
        if info.payload().downcast_ref::<String>().is_some_and(|s| s.starts_with("failed printing to stdout"))
        {
            std::process::exit(0);
        }
        usual(info);
    }));
    // Wrong usage ends in clap with status 2.
    match command::run(command::Arguments::parse()) {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            eprintln!("dusky-lantern: {e}");
            ExitCode::from(1)
        }
    }
}
