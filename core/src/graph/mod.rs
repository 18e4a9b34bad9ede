//! The graph: what a path compiles to, and running it. Colour work of each pixel by itself ([`Program`]), and texture between.
//!
//! Everything that anybody sees or measures of a path is the graph's own output or a named point of it.

pub mod compile;
mod compiler;
pub mod fill;
pub mod filmed;
mod films;
pub mod fingerprint;
pub mod program;
pub mod run;
mod settle;
mod tables;

pub use compile::CompileError;
pub use fill::{Bake, bake};
pub use filmed::Filmed;
pub use fingerprint::{Fingerprint, fingerprint};
pub use program::{LeftOut, Program};
pub use run::{Graph, GraphTables, Node, Target};
