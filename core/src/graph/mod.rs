//! The graph: what a path compiles to, and running it. Its nodes ([`Node`]) are colour work of each pixel by itself ([`Program`]),
//! what has a radius or a place, mattes, and blends with pictures that were kept; what works on each pixel by itself is one
//! program with its mattes and blends as long as nothing between them has a radius.
//!
//! Everything that anybody sees or measures of a path is the graph's own output or a named point of it.

pub mod compile;
mod compiler;
mod complete;
mod excess;
pub mod fill;
mod film_zone;
pub mod filmed;
mod films;
pub mod fingerprint;
pub mod listed;
mod partial;
pub mod program;
pub mod remainder;
pub mod run;
mod settle;
mod tables;

pub use compile::CompileError;
pub use fill::{Bake, Before, bake, plain, plain_between};
pub use filmed::Filmed;
pub use fingerprint::{Fingerprint, fingerprint};
pub use program::{LeftOut, Program};
pub use run::{Graph, GraphTables, Node, Target};
