//! Reading a production's pixels: the one place where a stored or arriving picture file becomes a picture.

use crate::error::{ApiError, ApiResult};
use lantern_formats::facts::Facts;
use lantern_formats::frame::{Frame, Rows};
use lantern_formats::registry;

/// Bytes of a pixel once it is read.
const BYTES_OF_PIXEL: usize = 16;
/// The most memory that a picture and its file take together while they are read: 8K in half float stays below.
const MOST_MEMORY: usize = 860 << 20;

/// A picture file that was read.
pub struct Decoded {
    /// What the file says of itself; its size is the one that it is seen in, turned upright.
    pub facts: Facts,
    /// Its pixels as they stand in the file, every value a number, and how they are turned.
    pub frame: Frame,
    /// Values that were no number and became one.
    pub sanitised: usize,
}

/// Reads a picture file to its end. `name` is what errors call it. Refused are pictures that take more than 860 MB with their
/// file, by their header, and files that break off or contradict themselves.
pub fn decode(name: &str, bytes: &[u8]) -> ApiResult<Decoded> {
    let wrong = |e: lantern_formats::FormatError| ApiError::Invalid(format!("“{name}”: {e}"));
    let mut facts = lantern_formats::facts::read(bytes).map_err(wrong)?;
    within_memory(name, &facts, bytes.len())?;
    let mut frame = lantern_formats::frame::read(bytes).map_err(wrong)?;
    if frame.beside.orientation > 4 {
        (facts.width, facts.height) = (facts.height, facts.width);
    }
    // Whole numbers are always numbers.
    let whole = matches!(facts.format, "PNG" | "JPEG");
    let sanitised = if whole { 0 } else { frame.picture.sanitise() };
    Ok(Decoded { facts, frame, sanitised })
}

/// A picture file that was read to its end.
pub struct Scanned {
    /// What the file says of itself; its size is the one that it is seen in, turned upright.
    pub facts: Facts,
    /// The picture, where its format is not read row by row.
    pub whole: Option<Frame>,
    /// Values that were no number.
    pub sanitised: usize,
}

/// Reads a picture file to its end and lets `rows` see it, without ever holding the whole of it, where its format allows that;
/// else as [`decode`], and `rows` sees nothing. The same files are refused.
pub fn scan(name: &str, bytes: &[u8], mut facts: Facts, rows: &mut dyn Rows) -> ApiResult<Scanned> {
    let wrong = |e: lantern_formats::FormatError| ApiError::Invalid(format!("“{name}”: {e}"));
    let Some(read) = registry::of_bytes(bytes).map_err(wrong)?.rows else {
        let Decoded { facts, frame, sanitised } = decode(name, bytes)?;
        return Ok(Scanned { facts, whole: Some(frame), sanitised });
    };
    // It will be looked at as a whole one day.
    within_memory(name, &facts, bytes.len())?;
    if read(bytes, rows).map_err(wrong)?.orientation > 4 {
        (facts.width, facts.height) = (facts.height, facts.width);
    }
    Ok(Scanned { facts, whole: None, sanitised: 0 })
}

/// What a picture file says of itself. `name` is what errors call it.
pub fn facts(name: &str, bytes: &[u8]) -> ApiResult<Facts> {
    lantern_formats::facts::read(bytes).map_err(|e| ApiError::Invalid(format!("“{name}”: {e}")))
}

/// Refuses a picture that takes too much memory once it is read, by its header. `length` is that of its file.
fn within_memory(name: &str, facts: &Facts, length: usize) -> ApiResult<()> {
    let needed = facts.width * facts.height * BYTES_OF_PIXEL + length;
    if needed <= MOST_MEMORY {
        return Ok(());
    }
    Err(ApiError::Invalid(format!(
        "“{name}” has {} × {} pixels: read, it takes {} MB of memory, and up to {} are given to a picture. Bring it in smaller",
        facts.width,
        facts.height,
        needed >> 20,
        MOST_MEMORY >> 20
    )))
}
