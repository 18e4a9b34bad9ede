//! What was made before: a note beside each result says what it was made of, so that it is not made twice.
//!
//! Notes lie in a hidden folder beside the results. A result is kept where its note names the same picture, the same work and
//! the bytes that the file still has.

use super::frames::Way;
use crate::files::{self, Failure, Outcome};
use lantern_formats::depth::SampleDepth;
use lantern_handoff::graded::Carried;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// The folder of notes.
const FOLDER: &str = ".dusky-lantern";

/// What a result was made of.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Note {
    /// Hash of the picture, of the work on it and of the program.
    made_of: String,
    /// Hash of the result.
    result: String,
}

/// Tells what is needed and writes it down.
pub struct Kept<'a> {
    /// All that results are made of beside the pictures.
    pub key: &'a str,
    /// Whether notes are read and written.
    pub noted: bool,
    /// Whether nothing is kept.
    pub anew: bool,
}

fn hash(parts: &[&[u8]]) -> String {
    let mut hasher = blake3::Hasher::new();
    for part in parts {
        hasher.update(&(part.len() as u64).to_le_bytes());
        hasher.update(part);
    }
    hasher.finalize().to_hex().to_string()
}

fn note(way: &Way) -> PathBuf {
    let name = way.to.file_name().unwrap_or_default().to_string_lossy();
    way.to.with_file_name(FOLDER).join(format!("{name}.json"))
}

/// What a result will be made of, the depth of the picture's file, and the picture.
pub type Needed = (String, Option<SampleDepth>, Outcome<Carried>);

fn depth(bytes: &[u8]) -> Option<SampleDepth> {
    SampleDepth::of_file(bytes).ok().flatten()
}

impl Kept<'_> {
    /// The picture of a way with what its result will be made of, which nobody asks for where there are no notes; `None`
    /// where the result is there already and right.
    pub fn needed(&self, way: &Way) -> Outcome<Option<Needed>> {
        let bytes = files::bytes(&way.from)?;
        if !self.noted {
            return Ok(Some((String::new(), depth(&bytes), files::carried_of(&way.from, &bytes))));
        }
        let ending = way.to.extension().unwrap_or_default().to_string_lossy().to_ascii_lowercase();
        let number = format!("{} {}", way.number, way.black);
        let program = env!("CARGO_PKG_VERSION");
        let parts = [program, self.key, &ending, &number].map(str::as_bytes);
        let made_of = hash(&[parts.as_slice(), &[&bytes]].concat());
        if !self.anew && self.is_right(way, &made_of) {
            return Ok(None);
        }
        Ok(Some((made_of, depth(&bytes), files::carried_of(&way.from, &bytes))))
    }

    fn is_right(&self, way: &Way, made_of: &str) -> bool {
        let Ok(text) = std::fs::read(note(way)) else { return false };
        let Ok(note) = serde_json::from_slice::<Note>(&text) else { return false };
        note.made_of == made_of && std::fs::read(&way.to).is_ok_and(|bytes| hash(&[&bytes]) == note.result)
    }

    /// Writes a result, and then its note where there are any.
    pub fn write(&self, way: &Way, made_of: &str, bytes: &[u8]) -> Outcome<()> {
        files::write(&way.to, bytes)?;
        if !self.noted {
            return Ok(());
        }
        let at = note(way);
        let folder = at.parent().map_or(Ok(()), std::fs::create_dir_all);
        folder.map_err(|e| Failure(format!("{}: {e}", at.display())))?;
        let note = Note { made_of: made_of.to_owned(), result: hash(&[bytes]) };
        files::write(&at, &serde_json::to_vec(&note).map_err(|e| Failure(e.to_string()))?)
    }
}
