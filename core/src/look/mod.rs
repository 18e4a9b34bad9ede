//! Looks: the document and its versions, the check of a path, what two paths differ in, and the looks that ship.

mod bounded;
mod check;
pub mod compare;
pub mod document;
mod matched;
mod names;
mod read;
pub mod schema;
pub mod starting;

pub use compare::{Difference, compare};
pub use document::{DocumentError, Group, LOOK_VERSION, Look, Path, Step};
pub use matched::{Matched, MatchedArea, MatchedPair};
pub use names::{MAX_NAME, clean_name, is_unseen};
pub use read::{MOST_BYTES, MOST_BYTES_WITH_TABLES};
