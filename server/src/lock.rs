//! One writer for a data folder.

use crate::error::{ApiError, ApiResult};
use std::fs::{File, OpenOptions, TryLockError};
use std::io::{ErrorKind, Read, Seek, SeekFrom, Write};
use std::path::Path;

/// The name of the lock's file. It stays; what counts is who holds it.
const NAME: &str = "in-use";
/// The most that is read of what the holder wrote.
const MOST_SAID: u64 = 300;

/// Held while a data folder is worked with, and let go of however the process ends.
#[derive(Debug)]
pub struct Lock {
    file: File,
}

impl Lock {
    /// Takes a folder. Errors, having touched nothing, where another process has it, and says who.
    pub fn take(folder: &Path) -> ApiResult<Self> {
        let path = folder.join(NAME);
        let open = || OpenOptions::new().read(true).write(true).create(true).truncate(false).open(&path);
        let file = open().map_err(|e| unusable(folder, &e))?;
        match file.try_lock() {
            Ok(()) => {
                let lock = Self { file };
                lock.say("it has just begun")?;
                Ok(lock)
            }
            Err(TryLockError::WouldBlock) => {
                let mut said = String::new();
                // Whoever holds it may be writing just now; then there is less to say.
                let _ = (&file).take(MOST_SAID).read_to_string(&mut said);
                Err(ApiError::Unusable(format!(
                    "the data folder {} is in use by another Dusky Lantern ({}): use that one, or give this one another \
                     folder with --data",
                    folder.display(),
                    said.trim()
                )))
            }
            Err(TryLockError::Error(e)) => Err(unusable(folder, &e)),
        }
    }

    /// Writes down who has it, for whoever comes next: the process, and where it can be reached.
    pub fn say(&self, where_to: &str) -> ApiResult<()> {
        let mut file = &self.file;
        // On a full disk nobody can be told; what counts is who holds it.
        let said = self.write(&mut file, where_to);
        if said.as_ref().is_err_and(|e| e.kind() == ErrorKind::StorageFull) { Ok(()) } else { Ok(said?) }
    }

    fn write(&self, file: &mut &File, where_to: &str) -> std::io::Result<()> {
        file.set_len(0)?;
        file.seek(SeekFrom::Start(0))?;
        writeln!(file, "process {}, {where_to}", std::process::id())?;
        file.flush()
    }
}

fn unusable(folder: &Path, e: &std::io::Error) -> ApiError {
    ApiError::Unusable(format!("the data folder {} cannot be used: {e}", folder.display()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_comes_second_is_told_who_has_it_and_who_comes_after_gets_it() {
        let folder = tempfile::tempdir().unwrap();
        let first = Lock::take(folder.path()).unwrap();
        first.say("http://127.0.0.1:4000").unwrap();
        let refused = Lock::take(folder.path()).unwrap_err().to_string();
        assert!(refused.contains(&std::process::id().to_string()), "{refused}");
        assert!(refused.contains("http://127.0.0.1:4000") && !refused.contains('\n'), "{refused}");
        drop(first);
        Lock::take(folder.path()).unwrap();
    }
}
