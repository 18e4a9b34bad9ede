//! Content-addressed files: named by the hash of their bytes, written once, never altered.
//!
//! * [`incoming`] — files on their way in, which go on where they broke off.
//! * [`intake`] — a file that arrived becomes a frame of a shot.
//! * [`clip`] — clips become frames, through the system's ffmpeg.
//! * [`folders`] — folders on this machine that the operator allowed.
//! * [`bundle`] — a production as one file.
//! * [`tables`] — the tables that looks use.
//! * [`proxies`] — large pictures made small, kept so that they are made once.

pub mod bundle;
pub mod clip;
pub mod decode;
pub mod folders;
pub mod incoming;
pub mod intake;
pub mod proxies;
pub mod tables;

use crate::error::{ApiError, ApiResult};
use crate::store::ids::PackageId;
use crate::store::productions::{Media, MediaKind};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

/// The folder, in it, of packages that are being made.
const WORKSHOPS: &str = "packages";

/// The media folder.
#[derive(Clone, Debug)]
pub struct MediaFolder {
    root: PathBuf,
    tables: tables::TableCache,
    proxies: proxies::Taken,
}

impl MediaFolder {
    /// Opens or makes the folder. What a process that was killed left half written is taken away.
    pub fn open(root: &Path) -> ApiResult<Self> {
        let folder = Self::to_read(root);
        std::fs::create_dir_all(folder.incoming())?;
        folder.tidy_incoming()?;
        Ok(folder)
    }

    /// A folder that is there, to read from only.
    pub fn to_read(root: &Path) -> Self {
        Self { root: root.into(), tables: Default::default(), proxies: Default::default() }
    }

    /// Keeps bytes and gives their hash. The file appears whole or not at all: it is written under a temporary
    /// name, synced, then renamed.
    pub fn keep(&self, bytes: &[u8]) -> ApiResult<String> {
        let mut receiver = self.receive()?;
        receiver.write(bytes)?;
        receiver.keep(self)
    }

    /// Keeps bytes, and gives the row to insert for them.
    pub fn keep_as(&self, kind: MediaKind, bytes: &[u8]) -> ApiResult<Media> {
        Ok(Media::of(kind, self.keep(bytes)?, bytes.len() as u64))
    }

    /// A file that is about to come in, under a temporary name in the folder.
    pub fn receive(&self) -> ApiResult<Receiver> {
        let file = tempfile::NamedTempFile::new_in(self.incoming())?;
        Ok(Receiver { file, hasher: blake3::Hasher::new(), length: 0 })
    }

    /// Moves a synced file to the place of its hash; one that is there already stays.
    fn put(&self, file: &Path, hash: &str) -> ApiResult<bool> {
        let path = self.path(hash)?;
        let new = !path.exists();
        if new {
            let parent = path.parent().unwrap_or(&self.root).to_owned();
            std::fs::create_dir_all(&parent)?;
            std::fs::rename(file, &path)?;
            std::fs::File::open(parent)?.sync_all()?;
        } else if let Ok(file) = std::fs::File::open(&path) {
            // It came again: whoever takes away what is old lets it be.
            let _ = file.set_modified(SystemTime::now());
        }
        Ok(new)
    }

    /// Takes away all files but those of these hashes, and those that came in within `settled`: what comes in has no row yet.
    /// Gives how many went.
    pub fn keep_only(&self, used: &std::collections::HashSet<String>, settled: Duration) -> ApiResult<usize> {
        let young = |file: &std::fs::DirEntry| {
            let came = file.metadata().and_then(|m| m.modified());
            !settled.is_zero() && came.is_ok_and(|at| at.elapsed().is_ok_and(|age| age < settled))
        };
        let mut gone = 0;
        for folder in std::fs::read_dir(&self.root)? {
            let folder = folder?;
            let two = folder.file_name().to_str().is_some_and(|n| n.len() == 2 && is_hex(n));
            if !two || !folder.file_type()?.is_dir() {
                continue;
            }
            for file in std::fs::read_dir(folder.path())? {
                let file = file?;
                // What is not named by a hash is not ours.
                let hash = file.file_name().to_str().filter(|n| n.len() == 64 && is_hex(n)).map(String::from);
                if hash.is_some_and(|hash| !used.contains(&hash)) && !young(&file) {
                    std::fs::remove_file(file.path())?;
                    gone += 1;
                }
            }
        }
        Ok(gone)
    }

    /// Takes the bytes of a hash away, which nothing refers to.
    fn forget(&self, hash: &str) {
        if let Err(e) = self.path(hash).and_then(|path| Ok(std::fs::remove_file(path)?)) {
            tracing::warn!("{hash}: {e}");
        }
    }

    /// The folder that a package is made in. Its id comes from the database.
    pub fn workshop(&self, package: &PackageId) -> PathBuf {
        self.root.join(WORKSHOPS).join(package.as_str())
    }

    /// Takes away the folder that a package was made in, where there is one.
    pub fn close_workshop(&self, package: &PackageId) -> ApiResult<()> {
        match std::fs::remove_dir_all(self.workshop(package)) {
            Err(e) if e.kind() != std::io::ErrorKind::NotFound => Err(e.into()),
            _ => Ok(()),
        }
    }

    /// Takes away the folders of all packages but these. For a folder that nobody works in.
    pub fn keep_workshops(&self, of: &std::collections::HashSet<String>) -> ApiResult<()> {
        let Ok(all) = std::fs::read_dir(self.root.join(WORKSHOPS)) else { return Ok(()) };
        for folder in all {
            let folder = folder?;
            if folder.file_name().to_str().is_none_or(|name| !of.contains(name)) {
                std::fs::remove_dir_all(folder.path())?;
            }
        }
        Ok(())
    }

    /// Takes a file that lies inside the media folder under a name of its own to the place of its hash, and gives the row to
    /// insert for it.
    pub fn keep_file(&self, kind: MediaKind, file: &Path) -> ApiResult<Media> {
        let mut hasher = blake3::Hasher::new();
        hasher.update_reader(std::fs::File::open(file)?)?;
        let hash = hasher.finalize().to_hex().to_string();
        let length = std::fs::metadata(file)?.len();
        if !self.put(file, &hash)? {
            std::fs::remove_file(file)?;
        }
        Ok(Media::of(kind, hash, length))
    }

    /// The bytes of a hash.
    pub fn read(&self, hash: &str) -> ApiResult<Vec<u8>> {
        Ok(std::fs::read(self.path(hash)?)?)
    }

    /// The file of a hash. Only a hash becomes a path.
    pub fn path(&self, hash: &str) -> ApiResult<PathBuf> {
        if hash.len() != 64 || !hash.bytes().all(|b| b.is_ascii_hexdigit()) {
            return Err(ApiError::internal(format!("“{hash}” is not a hash")));
        }
        Ok(self.root.join(&hash[..2]).join(hash))
    }
}

fn is_hex(text: &str) -> bool {
    text.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b))
}

/// A file while it comes in: hashed as it is written, gone again unless it is kept.
pub struct Receiver {
    file: tempfile::NamedTempFile,
    hasher: blake3::Hasher,
    length: u64,
}

impl Receiver {
    /// Takes the next bytes.
    pub fn write(&mut self, bytes: &[u8]) -> ApiResult<()> {
        self.file.write_all(bytes)?;
        self.hasher.update(bytes);
        self.length += bytes.len() as u64;
        Ok(())
    }

    /// Takes a whole file's bytes.
    pub fn copy(&mut self, path: &Path) -> ApiResult<()> {
        use std::io::Read;
        let mut file = std::fs::File::open(path)?;
        let mut piece = vec![0; 1 << 20];
        loop {
            match file.read(&mut piece)? {
                0 => return Ok(()),
                n => self.write(&piece[..n])?,
            }
        }
    }

    /// Bytes so far.
    pub fn length(&self) -> u64 {
        self.length
    }

    /// The hash of what came in so far.
    pub fn hash(&self) -> String {
        self.hasher.finalize().to_hex().to_string()
    }

    /// What came in.
    pub fn read(&self) -> ApiResult<Vec<u8>> {
        Ok(std::fs::read(self.file.path())?)
    }

    /// Waits until what came in has reached the disk.
    pub fn sync(&self) -> ApiResult<()> {
        Ok(self.file.as_file().sync_all()?)
    }

    /// Keeps the file under its hash and gives that; one that is there already stays.
    pub fn keep(self, folder: &MediaFolder) -> ApiResult<String> {
        let hash = self.hash();
        self.sync()?;
        folder.put(&self.file.into_temp_path(), &hash)?;
        Ok(hash)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_received_file_is_the_same_as_kept_bytes_and_one_given_up_leaves_nothing() {
        let dir = tempfile::tempdir().unwrap();
        let folder = MediaFolder::open(dir.path()).unwrap();
        let mut given_up = folder.receive().unwrap();
        given_up.write(b"half").unwrap();
        drop(given_up);
        assert_eq!(std::fs::read_dir(folder.incoming()).unwrap().count(), 0);
        let mut receiver = folder.receive().unwrap();
        receiver.write(b"gr").unwrap();
        receiver.write(b"ain").unwrap();
        assert_eq!((receiver.length(), receiver.read().unwrap()), (5, b"grain".to_vec()));
        let hash = receiver.keep(&folder).unwrap();
        assert_eq!(folder.keep(b"grain").unwrap(), hash);
        assert_eq!(folder.read(&hash).unwrap(), b"grain");
    }

    #[test]
    fn bytes_are_kept_once_and_come_back_and_names_never_become_paths() {
        let dir = tempfile::tempdir().unwrap();
        let folder = MediaFolder::open(dir.path()).unwrap();
        let hash = folder.keep(b"grain").unwrap();
        assert_eq!(folder.keep(b"grain").unwrap(), hash);
        assert_eq!(folder.read(&hash).unwrap(), b"grain");
        assert!(folder.read("../../etc/passwd").is_err());
        assert!(folder.read(&"g".repeat(64)).is_err());
    }
}
