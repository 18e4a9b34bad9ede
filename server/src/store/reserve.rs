//! Room on the disk that is set aside, so that a full disk stops nobody from ending, deleting and starting.
//!
//! A file of known length lies beside the database. Where the disk is full it is taken away, and what it held is there for
//! what has to be written: how a job ended, that something is deleted, the files that SQLite opens a database with. It is laid
//! down again before the next job begins.

use crate::error::ApiResult;
use std::fs::{File, OpenOptions};
use std::io::Write;
use std::path::{Path, PathBuf};

/// The file's name in the data folder.
const NAME: &str = "reserve";
/// How much is set aside: the rows of some thousand jobs, and what SQLite writes beside them.
pub const BYTES: u64 = 4 << 20;
/// Where less than this is free when a folder is opened, the reserve is given up at once. SQLite needs some 70 KB to open.
const LEAST_FREE: u64 = 1 << 20;

/// The reserve of one data folder.
#[derive(Clone, Debug)]
pub struct Reserve(PathBuf);

impl Reserve {
    /// The reserve of a folder. Where the folder's disk is full, it is given up: opening needs room.
    pub fn of(folder: &Path) -> Self {
        let reserve = Self(folder.join(NAME));
        if free(folder).is_some_and(|free| free < LEAST_FREE) {
            reserve.give_up();
        }
        reserve
    }

    /// Sets room aside, where none is. Errors where the disk has not that much.
    pub fn lay_down(&self) -> ApiResult<()> {
        if std::fs::metadata(&self.0).is_ok_and(|m| m.len() >= BYTES) {
            return Ok(());
        }
        let made = OpenOptions::new().write(true).create(true).truncate(true).open(&self.0);
        let written = made.and_then(|mut file| fill(&mut file));
        // Half of it would only be in the way.
        Ok(written.inspect_err(|_| {
            self.give_up();
        })?)
    }

    /// Takes it away. `false` where there was none.
    pub fn give_up(&self) -> bool {
        std::fs::remove_file(&self.0).is_ok()
    }
}

/// Writes all of it: a file system may promise room that it has not.
fn fill(file: &mut File) -> std::io::Result<()> {
    let piece = [0x55_u8; 1 << 16];
    for _ in 0..BYTES / piece.len() as u64 {
        file.write_all(&piece)?;
    }
    file.sync_all()
}

/// Free bytes on the disk of a folder, where that can be told.
pub fn free(folder: &Path) -> Option<u64> {
    #[cfg(unix)]
    {
        let disk = rustix::fs::statvfs(folder).ok()?;
        Some(disk.f_bavail.saturating_mul(disk.f_frsize))
    }
    #[cfg(not(unix))]
    {
        let _ = folder;
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_laid_down_once_and_given_up_once() {
        let folder = tempfile::tempdir().unwrap();
        let reserve = Reserve::of(folder.path());
        assert!(!reserve.give_up());
        reserve.lay_down().unwrap();
        reserve.lay_down().unwrap();
        assert_eq!(std::fs::metadata(folder.path().join(NAME)).unwrap().len(), BYTES);
        assert!(free(folder.path()).unwrap() > 0);
        assert!(reserve.give_up() && !reserve.give_up());
    }
}
