//! Common LUT Format (SMPTE ST 2136-1:2024; before it AMPAS S-2014-006): a list of operators in XML.

mod node;
mod read;
mod write;

pub use read::read;
pub use write::{urn, write};

use crate::FormatError;
use crate::registry::TableFormat;

/// The format.
pub const FORMAT: TableFormat = TableFormat {
    id: "clf",
    name: "Common LUT Format",
    endings: &["clf"],
    begins: |bytes| crate::xml::is_xml(bytes) && crate::xml::names(bytes, b"ProcessList"),
    read,
    write: Some(|table, notes| Ok(write(table, notes).into_bytes())),
    holds: "matrices, logarithms, ranges, corrections, exponents, 1D and 3D tables",
};

/// The largest file that is read.
pub const MAX_BYTES: usize = 160 << 20;

fn broken(why: impl std::fmt::Display) -> FormatError {
    FormatError::broken("Common LUT Format", why)
}
