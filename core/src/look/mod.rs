//! Looks: the document, compiling its path to a program, running it, and what a step looks like at a glance.

pub mod document;
pub mod fingerprint;
pub mod program;
pub mod schema;

pub use document::{DocumentError, LOOK_VERSION, Look, Path, Step};
pub use fingerprint::{Fingerprint, fingerprint};
pub use program::{CompileError, LeftOut, Program};
