//! Bytes to core types and back. One file a format, each with its specification named.
//!
//! Everything here reads hostile bytes: sizes are checked before anything is allocated for them, no input
//! panics, and every error says what was expected and what was found.
//!
//! PNG, TIFF, JPEG and DPX hold code values 0..1; OpenEXR holds the values of its encoding as they are.

pub mod cdl;
pub mod clf;
pub mod cube;
pub mod depth;
pub mod dpx;
mod exif;
pub mod exr;
pub mod facts;
pub mod frame;
pub mod hald;
pub mod icc;
mod icc_facts;
pub mod jpeg;
pub mod measurements;
pub mod picture;
pub mod png;
pub mod registry;
mod samples;
pub mod spi;
pub mod tiff;
mod xml;

use std::borrow::Cow;

use lantern_core::{picture::SizeError, table::TableError};
use thiserror::Error;

/// Bits of an integer sample.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Depth {
    /// 8 bit.
    Eight,
    /// 16 bit.
    Sixteen,
}

/// Why bytes are not what they should be.
#[derive(Debug, Error)]
pub enum FormatError {
    /// Not a format that is read here.
    #[error("this is no picture that can be read: OpenEXR, DPX, TIFF, PNG and JPEG are")]
    UnknownPicture,
    /// The bytes break off or contradict themselves.
    #[error("{format}: {why}")]
    Broken {
        /// The format.
        format: &'static str,
        /// What is wrong.
        why: String,
    },
    /// A kind of the format that is not read.
    #[error("{format}: {what} is not read; save it as {instead}")]
    Unsupported {
        /// The format.
        format: &'static str,
        /// What was found.
        what: String,
        /// What would do.
        instead: &'static str,
    },
    /// A picture's size is out of bounds.
    #[error("{0}")]
    Size(#[from] SizeError),
    /// A wrong line in a text file.
    #[error("line {line}: {why}")]
    Line {
        /// Line number from 1.
        line: usize,
        /// What is wrong.
        why: String,
    },
    /// The numbers are no table.
    #[error("{0}")]
    Table(#[from] TableError),
}

impl FormatError {
    fn broken(format: &'static str, why: impl std::fmt::Display) -> Self {
        Self::Broken { format, why: why.to_string() }
    }
}

/// What of a text is said back in an error.
pub(crate) fn shortened(text: &str) -> String {
    text.chars().take(40).collect()
}

/// A file's bytes as text: UTF-8 with or without its mark, UTF-16 with one, else Latin-1, in which older programs write
/// titles. Bytes that no text has are refused.
pub(crate) fn text<'a>(bytes: &'a [u8], format: &'static str) -> Result<Cow<'a, str>, FormatError> {
    let no_text = || FormatError::broken(format, "this is not a text file");
    let wide = |order: fn([u8; 2]) -> u16| {
        let units: Vec<u16> = bytes[2..].chunks_exact(2).map(|b| order([b[0], b[1]])).collect();
        String::from_utf16(&units).map(Cow::Owned).map_err(|_| no_text())
    };
    let found = match bytes {
        [0xff, 0xfe, ..] => wide(u16::from_le_bytes)?,
        [0xfe, 0xff, ..] => wide(u16::from_be_bytes)?,
        _ => match std::str::from_utf8(bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes)) {
            Ok(text) => Cow::Borrowed(text),
            Err(_) => bytes.iter().map(|b| char::from(*b)).collect::<String>().into(),
        },
    };
    if found.chars().any(|c| c.is_control() && !c.is_whitespace()) { Err(no_text()) } else { Ok(found) }
}
