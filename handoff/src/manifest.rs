//! The manifest of a package: every file with its hashes, and what it is.

use crate::table_file::Range;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::io::Read;
use std::path::Path;

/// Its name in a package.
pub const NAME: &str = "manifest.json";
/// The version of manifests that this code writes.
pub const MANIFEST_VERSION: u32 = 1;

/// What a package holds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Manifest {
    /// Version of this document's form.
    pub version: u32,
    /// The program that made it, with its version.
    pub program: String,
    /// The plan's name.
    pub plan: String,
    /// The look.
    pub look: LookOf,
    /// Every other file.
    pub files: Vec<FileOf>,
    /// Steps of the look that no table holds, with the reason.
    pub left_out: Vec<LeftOutOf>,
    /// Deliveries that could not be made, with the reason.
    pub not_made: Vec<NotMade>,
}

/// The look that a package is of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct LookOf {
    /// Its name.
    pub name: String,
    /// The number of its version, where it comes from a production.
    pub version: Option<i32>,
    /// BLAKE3 of its document.
    pub blake3: String,
}

/// A file of a package.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct FileOf {
    /// Its path in the package.
    pub path: String,
    /// Who receives it; empty for what belongs to the whole package.
    pub receiver: String,
    /// What it is, in words.
    pub is: String,
    /// Bytes.
    pub length: u64,
    /// BLAKE3, in hexadecimal.
    pub blake3: String,
    /// SHA-256, in hexadecimal.
    pub sha256: String,
    /// What a table takes and gives.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub table: Option<TableOf>,
}

/// What a table takes and gives.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct TableOf {
    /// The encoding that goes in.
    pub from: String,
    /// The encoding that comes out.
    pub to: String,
    /// The range of both.
    pub range: Range,
    /// Points on a side of its 3D part; 0 where it has none.
    pub points: usize,
    /// What it is made of.
    pub made_of: Vec<String>,
}

/// A step that no table holds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct LeftOutOf {
    /// Its name.
    pub step: String,
    /// Why.
    pub why: String,
}

/// A delivery that could not be made.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct NotMade {
    /// Who should have got it.
    pub receiver: String,
    /// What it is.
    pub what: String,
    /// Why.
    pub why: String,
}

impl FileOf {
    /// A file by its bytes.
    pub fn new(path: &str, receiver: &str, is: &str, bytes: &[u8]) -> Self {
        Self {
            path: path.into(),
            receiver: receiver.into(),
            is: is.into(),
            length: bytes.len() as u64,
            blake3: blake3::hash(bytes).to_hex().to_string(),
            sha256: sha256(bytes),
            table: None,
        }
    }
}

impl FileOf {
    /// The same of what a file on disk holds.
    pub fn of_file(path: &str, receiver: &str, is: &str, file: &Path) -> std::io::Result<Self> {
        let (length, [blake3, sha256]) = hashes(std::fs::File::open(file)?)?;
        Ok(Self { length, blake3, sha256, ..Self::new(path, receiver, is, &[]) })
    }
}

/// The length of what is read, and its BLAKE3 and SHA-256 in hexadecimal.
pub fn hashes(mut from: impl Read) -> std::io::Result<(u64, [String; 2])> {
    let (mut blake3, mut sha256, mut length) = (blake3::Hasher::new(), Sha256::new(), 0);
    let mut piece = vec![0; 1 << 20];
    loop {
        match from.read(&mut piece)? {
            0 => break,
            n => {
                blake3.update(&piece[..n]);
                sha256.update(&piece[..n]);
                length += n as u64;
            }
        }
    }
    Ok((length, [blake3.finalize().to_hex().to_string(), hexadecimal(&sha256.finalize())]))
}

fn hexadecimal(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// SHA-256 (FIPS 180-4), in hexadecimal.
pub fn sha256(bytes: &[u8]) -> String {
    hexadecimal(&Sha256::digest(bytes))
}

#[cfg(test)]
mod tests {
    #[test]
    fn the_hash_of_the_standards_example() {
        // FIPS 180-4, the example of one block: "abc".
        let want = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";
        assert_eq!(super::sha256(b"abc"), want);
        let dir = tempfile::tempdir().unwrap();
        std::fs::write(dir.path().join("a"), "abc").unwrap();
        let of = super::FileOf::of_file("p", "r", "i", &dir.path().join("a")).unwrap();
        assert_eq!(of, super::FileOf::new("p", "r", "i", b"abc"));
    }
}
