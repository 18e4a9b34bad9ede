//! Looks: the document, compiling its path to a program, running it, what a step looks like at a glance, and what two
//! paths differ in.

pub mod compare;
pub mod document;
pub mod fingerprint;
pub mod program;
pub mod schema;
pub mod starting;

pub use compare::{Difference, compare};
pub use document::{DocumentError, Group, LOOK_VERSION, Look, Path, Step};
pub use fingerprint::{Fingerprint, fingerprint};
pub use program::{CompileError, LeftOut, Program};
