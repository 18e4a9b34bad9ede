//! Looks: the document, compiling its path to a program, running it, what a step looks like at a glance, and what two
//! paths differ in.

mod check;
pub mod compare;
pub mod compile;
pub mod document;
pub mod filmed;
mod films;
pub mod fingerprint;
pub mod program;
pub mod schema;
pub mod staged;
pub mod starting;

pub use compare::{Difference, compare};
pub use compile::{CompileError, LeftOut};
pub use document::{DocumentError, Group, LOOK_VERSION, Look, Path, Step};
pub use filmed::Filmed;
pub use fingerprint::{Fingerprint, fingerprint};
pub use program::Program;
pub use staged::{Staged, StagedTables, Target};
