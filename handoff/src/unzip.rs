//! An archive as it comes back: also one that somebody unzipped and zipped again, packed, under a folder of its own, with what
//! file managers put beside files.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, Read};
use std::path::Path;
use thiserror::Error;
use zip::ZipArchive;

/// How many times as long as an archive its files may be together, and how much they may be beyond that: pictures are packed
/// already, and a black frame of floats is packed to a thousandth.
const MOST_GROWN: u64 = 200;
const MOST_BEYOND: u64 = 1 << 30;

/// Why an archive cannot be read.
#[derive(Debug, Error)]
pub enum UnzipError {
    /// It is none, or not whole, or packed in a way that is not read.
    #[error("it is no whole archive ({0})")]
    Broken(#[from] zip::result::ZipError),
    /// It cannot be read at all.
    #[error("{0}")]
    Read(#[from] io::Error),
    /// More files than are read.
    #[error("it holds {found} files; up to {most} are read")]
    Files {
        /// Files in it.
        found: usize,
        /// The most that are read.
        most: usize,
    },
    /// The file that says what it is.
    #[error("there is no {0} in it")]
    Missing(String),
    /// A file that grows beyond all measure.
    #[error("its files say that they have {0} bytes: that is no archive of pictures and tables")]
    Grown(u64),
}

/// An archive, opened to read files of it by their paths in the folder that it holds.
pub struct Unzip {
    zip: ZipArchive<File>,
    /// Places in the archive, by path; a path that stands twice is there twice.
    files: Vec<(String, usize)>,
    by_path: BTreeMap<String, usize>,
}

/// Whether a file manager put it there: hidden files, and folders that begin with two underscores.
fn is_added(path: &str) -> bool {
    // Two dots alone are a way out of the folder, which is for whoever reads it to refuse.
    path.split('/').any(|part| (part.starts_with('.') && !part.starts_with("..")) || part.starts_with("__"))
}

impl Unzip {
    /// Opens an archive of up to `most` files by the file that says what it is, `anchor`: at its top, or in the one folder there.
    pub fn open(archive: &Path, anchor: &str, most: usize) -> Result<Self, UnzipError> {
        let file = File::open(archive)?;
        let length = file.metadata()?.len();
        let mut zip = ZipArchive::new(file)?;
        if zip.len() > most {
            return Err(UnzipError::Files { found: zip.len(), most });
        }
        let (mut files, mut grown) = (Vec::with_capacity(zip.len()), 0_u64);
        for i in 0..zip.len() {
            let entry = zip.by_index_raw(i)?;
            grown = grown.saturating_add(entry.size());
            if !entry.is_dir() {
                files.push((entry.name()?.into_owned(), i));
            }
        }
        if grown > length.saturating_mul(MOST_GROWN).saturating_add(MOST_BEYOND) {
            return Err(UnzipError::Grown(grown));
        }
        let folder = top(&files, anchor).ok_or_else(|| UnzipError::Missing(anchor.to_owned()))?;
        files.retain(|(path, _)| !is_added(path));
        if !folder.is_empty() {
            for (path, _) in &mut files {
                // What lies beside the folder keeps its path, and belongs to nothing.
                if let Some(inside) = path.strip_prefix(&folder) {
                    *path = inside.to_owned();
                }
            }
        }
        let by_path = files.iter().map(|(path, i)| (path.clone(), *i)).collect();
        Ok(Self { zip, files, by_path })
    }

    /// Paths of its files, as they stand in it.
    pub fn paths(&self) -> impl Iterator<Item = &str> {
        self.files.iter().map(|(path, _)| path.as_str())
    }

    /// How long a file says that it is.
    pub fn length(&mut self, path: &str) -> Option<u64> {
        let at = *self.by_path.get(path)?;
        Some(self.zip.by_index_raw(at).ok()?.size())
    }

    /// A file, unpacked as it is read.
    pub fn file(&mut self, path: &str) -> Result<impl Read + '_, UnzipError> {
        let at = self.by_path.get(path).ok_or_else(|| UnzipError::Missing(path.to_owned()))?;
        Ok(self.zip.by_index(*at)?)
    }
}

/// The folder of the anchor with its slash; empty for the top itself. The top counts before a folder.
fn top(files: &[(String, usize)], anchor: &str) -> Option<String> {
    if files.iter().any(|(path, _)| path == anchor) {
        return Some(String::new());
    }
    files.iter().find_map(|(path, _)| {
        let folder = path.strip_suffix(anchor)?;
        let one = folder.ends_with('/') && folder.matches('/').count() == 1 && !is_added(path);
        one.then(|| folder.to_owned())
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Write;
    use zip::{CompressionMethod, ZipWriter, write::SimpleFileOptions};

    fn zipped(at: &Path, method: CompressionMethod, files: &[(&str, &[u8])]) {
        let mut zip = ZipWriter::new(File::create(at).unwrap());
        let options = SimpleFileOptions::default().compression_method(method);
        for (path, bytes) in files {
            if path.ends_with('/') {
                zip.add_directory(*path, options).unwrap();
                continue;
            }
            zip.start_file(*path, options).unwrap();
            zip.write_all(bytes).unwrap();
        }
        zip.finish().unwrap();
    }

    #[test]
    fn an_archive_that_was_zipped_again_reads_as_the_first_one() {
        let dir = tempfile::tempdir().unwrap();
        let at = dir.path().join("a.zip");
        let read = |at: &Path| {
            let mut zip = Unzip::open(at, "list.json", 10).unwrap();
            let paths: Vec<String> = zip.paths().map(String::from).collect();
            let mut text = String::new();
            zip.file("deep/a.txt").unwrap().read_to_string(&mut text).unwrap();
            (paths, text, zip.length("deep/a.txt"))
        };
        zipped(&at, CompressionMethod::Stored, &[("list.json", b"{}"), ("deep/a.txt", b"grain")]);
        let first = read(&at);
        assert_eq!(first.1, "grain");
        let again: [&[(&str, &[u8])]; 4] = [
            &[("list.json", b"{}"), ("deep/a.txt", b"grain")],
            &[("My package/", b""), ("My package/list.json", b"{}"), ("My package/deep/a.txt", b"grain")],
            &[
                ("p/list.json", b"{}"),
                ("__extra/p/._list.json", b"x"),
                ("p/.hidden", b"x"),
                ("p/deep/", b""),
                ("p/deep/a.txt", b"grain"),
            ],
            &[
                ("list.json", b"{}"),
                ("__extra/._list.json", b"x"),
                (".hidden", b"x"),
                ("deep/a.txt", b"grain"),
            ],
        ];
        for files in again {
            zipped(&at, CompressionMethod::Deflated, files);
            assert_eq!(read(&at), first, "{files:?}");
        }
    }

    #[test]
    fn what_is_no_archive_of_ours_says_why() {
        let dir = tempfile::tempdir().unwrap();
        let at = dir.path().join("a.zip");
        let refused = |at: &Path| Unzip::open(at, "list.json", 3).err().unwrap().to_string();
        std::fs::write(&at, "no archive").unwrap();
        assert!(refused(&at).contains("no whole archive"));
        zipped(&at, CompressionMethod::Stored, &[("a/b/list.json", b"{}")]);
        assert!(refused(&at).contains("no list.json"));
        let many = ["a", "b", "c", "d"].map(|n| (n, b"".as_slice()));
        zipped(&at, CompressionMethod::Stored, &many);
        assert!(refused(&at).contains("4 files"));
    }
}
