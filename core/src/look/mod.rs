//! Looks: the document and its versions, the check of a path, what two paths differ in, and the looks that ship.

mod check;
pub mod compare;
pub mod document;
mod matched;
pub mod schema;
pub mod starting;

pub use check::MAX_NAME;
pub use compare::{Difference, compare};
pub use document::{DocumentError, Group, LOOK_VERSION, Look, Path, Step};
pub use matched::{Matched, MatchedArea, MatchedPair};
