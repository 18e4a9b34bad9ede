//! Where a package goes: a folder, or a ZIP archive.

use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use zip::{CompressionMethod, ZipWriter, write::SimpleFileOptions};

/// Takes the files of a package, one by one.
pub trait Sink {
    /// Takes a file under a path of plain names with `/` between them.
    fn put(&mut self, path: &str, bytes: &[u8]) -> io::Result<()>;

    /// Ends the package.
    fn finish(self: Box<Self>) -> io::Result<()>;
}

/// A folder. Each file is written under a hidden name and renamed.
pub struct Folder(PathBuf);

impl Folder {
    /// Begins in a folder, which is made where there is none. One with anything in it is refused: what is left over of another
    /// package would seem to be of this one.
    pub fn new(at: &Path) -> io::Result<Self> {
        std::fs::create_dir_all(at)?;
        let left = std::fs::read_dir(at)?.next().is_some();
        if left {
            return Err(io::Error::new(
                io::ErrorKind::AlreadyExists,
                "the folder has something in it: give an empty one",
            ));
        }
        Ok(Self(at.into()))
    }
}

impl Sink for Folder {
    fn put(&mut self, path: &str, bytes: &[u8]) -> io::Result<()> {
        let to = self.0.join(path);
        let (Some(folder), Some(name)) = (to.parent(), to.file_name()) else { return Ok(()) };
        std::fs::create_dir_all(folder)?;
        let part = folder.join(format!(".{}.part", name.to_string_lossy()));
        let done = std::fs::write(&part, bytes).and_then(|()| std::fs::rename(&part, &to));
        if done.is_err() {
            let _ = std::fs::remove_file(&part);
        }
        done
    }

    fn finish(self: Box<Self>) -> io::Result<()> {
        Ok(())
    }
}

/// A ZIP archive without times, so that the same files give the same bytes.
pub struct Archive {
    zip: ZipWriter<File>,
    part: PathBuf,
    to: PathBuf,
}

impl Archive {
    /// Begins an archive, which stands under its name only when it is whole.
    pub fn new(to: &Path) -> io::Result<Self> {
        let name = to.file_name().unwrap_or_default().to_string_lossy();
        let part = to.with_file_name(format!(".{name}.{}.part", std::process::id()));
        Ok(Self { zip: ZipWriter::new(File::create(&part)?), part, to: to.into() })
    }
}

impl Sink for Archive {
    fn put(&mut self, path: &str, bytes: &[u8]) -> io::Result<()> {
        let plain = SimpleFileOptions::default().compression_method(CompressionMethod::Stored);
        self.zip
            .start_file(path, plain.last_modified_time(zip::DateTime::default()))
            .map_err(io::Error::other)?;
        self.zip.write_all(bytes)
    }

    fn finish(self: Box<Self>) -> io::Result<()> {
        let Self { zip, part, to } = *self;
        zip.finish().map_err(io::Error::other)?.sync_all()?;
        std::fs::rename(part, to)
    }
}

/// Several at once: the same package as a folder and as an archive.
impl Sink for Vec<Box<dyn Sink>> {
    fn put(&mut self, path: &str, bytes: &[u8]) -> io::Result<()> {
        self.iter_mut().try_for_each(|s| s.put(path, bytes))
    }

    fn finish(self: Box<Self>) -> io::Result<()> {
        self.into_iter().try_for_each(|s| s.finish())
    }
}
