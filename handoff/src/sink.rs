//! Where a package goes: a folder, or a ZIP archive.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use zip::{CompressionMethod, ZipWriter, write::SimpleFileOptions};

/// Takes the files of a package, one by one.
pub trait Sink: Send {
    /// Takes a file under a path of plain names with `/` between them.
    fn put(&mut self, path: &str, bytes: &[u8]) -> io::Result<()>;

    /// The same of what a file holds.
    fn put_file(&mut self, path: &str, from: &Path) -> io::Result<()>;

    /// Ends the package.
    fn finish(self: Box<Self>) -> io::Result<()>;
}

/// A folder. Each file is written under a hidden name and renamed. A package that is not ended leaves nothing behind.
pub struct Folder {
    at: PathBuf,
    put: Vec<PathBuf>,
    ended: bool,
}

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
        Ok(Self { at: at.into(), put: Vec::new(), ended: false })
    }
}

impl Folder {
    /// Writes a file under a hidden name and renames it.
    fn write(&mut self, path: &str, write: impl FnOnce(&Path) -> io::Result<()>) -> io::Result<()> {
        let to = self.at.join(path);
        let (Some(folder), Some(name)) = (to.parent(), to.file_name()) else { return Ok(()) };
        std::fs::create_dir_all(folder)?;
        let part = folder.join(format!(".{}.part", name.to_string_lossy()));
        let done = write(&part).and_then(|()| std::fs::rename(&part, &to));
        if done.is_err() {
            let _ = std::fs::remove_file(&part);
        }
        self.put.push(to);
        done
    }
}

impl Sink for Folder {
    fn put(&mut self, path: &str, bytes: &[u8]) -> io::Result<()> {
        self.write(path, |part| std::fs::write(part, bytes))
    }

    fn put_file(&mut self, path: &str, from: &Path) -> io::Result<()> {
        self.write(path, |part| std::fs::copy(from, part).map(|_| ()))
    }

    fn finish(mut self: Box<Self>) -> io::Result<()> {
        self.ended = true;
        Ok(())
    }
}

impl Drop for Folder {
    fn drop(&mut self) {
        for file in self.put.iter().filter(|_| !self.ended) {
            let _ = std::fs::remove_file(file);
            // Only folders that nothing is left in go.
            for folder in file.ancestors().skip(1).take_while(|f| f.starts_with(&self.at)) {
                if std::fs::remove_dir(folder).is_err() {
                    break;
                }
            }
        }
    }
}

/// A ZIP archive without times, so that the same files give the same bytes. One that is not ended leaves nothing behind.
pub struct Archive {
    zip: Option<ZipWriter<File>>,
    part: PathBuf,
    to: PathBuf,
}

impl Archive {
    /// Begins an archive, which stands under its name only when it is whole.
    pub fn new(to: &Path) -> io::Result<Self> {
        let name = to.file_name().unwrap_or_default().to_string_lossy();
        let part = to.with_file_name(format!(".{name}.{}.part", std::process::id()));
        Ok(Self { zip: Some(ZipWriter::new(File::create(&part)?)), part, to: to.into() })
    }
}

impl Archive {
    /// Adds what is read, which has a length.
    fn add(&mut self, path: &str, length: u64, mut from: impl io::Read) -> io::Result<()> {
        let Some(zip) = &mut self.zip else { return Ok(()) };
        let plain = SimpleFileOptions::default().compression_method(CompressionMethod::Stored);
        // From 4 GiB on a file needs the longer form of the format.
        let plain = plain.last_modified_time(zip::DateTime::default()).large_file(length >= 0xffff_ffff);
        zip.start_file(path, plain).map_err(io::Error::other)?;
        io::copy(&mut from, zip).map(|_| ())
    }
}

impl Sink for Archive {
    fn put(&mut self, path: &str, bytes: &[u8]) -> io::Result<()> {
        self.add(path, bytes.len() as u64, bytes)
    }

    fn put_file(&mut self, path: &str, from: &Path) -> io::Result<()> {
        let file = File::open(from)?;
        self.add(path, file.metadata()?.len(), file)
    }

    fn finish(mut self: Box<Self>) -> io::Result<()> {
        if let Some(zip) = self.zip.take() {
            zip.finish().map_err(io::Error::other)?.sync_all()?;
        }
        std::fs::rename(&self.part, &self.to)
    }
}

impl Drop for Archive {
    fn drop(&mut self) {
        // What is whole has its own name.
        let _ = std::fs::remove_file(&self.part);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_not_ended_leaves_nothing_behind() {
        let (dir, aside) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let from = aside.path().join("d");
        std::fs::write(&from, "y").unwrap();
        let begin = |ends: bool| {
            let mut all: [Box<dyn Sink>; 2] = [
                Box::new(Folder::new(&dir.path().join("p")).unwrap()),
                Box::new(Archive::new(&dir.path().join("p.zip")).unwrap()),
            ];
            all.iter_mut().for_each(|s| s.put("a/b/c.txt", b"x").unwrap());
            all.iter_mut().for_each(|s| s.put_file("a/d.txt", &from).unwrap());
            all.into_iter().filter(|_| ends).for_each(|s| s.finish().unwrap());
        };
        begin(false);
        assert_eq!(std::fs::read_dir(dir.path()).unwrap().count(), 0);
        begin(true);
        assert_eq!(std::fs::read(dir.path().join("p/a/b/c.txt")).unwrap(), b"x");
        assert_eq!(std::fs::read(dir.path().join("p/a/d.txt")).unwrap(), b"y");
        assert_eq!(std::fs::read_dir(dir.path()).unwrap().count(), 2);
    }
}
