//! Folders on this machine that the operator allowed to bring footage from. What a user names is looked for among
//! what lies there, part by part; it never becomes a path by itself.

use crate::error::{ApiError, ApiResult};
use schemars::JsonSchema;
use serde::Serialize;
use std::path::{Path, PathBuf};

/// The allowed folders, by number.
#[derive(Clone, Debug, Default)]
pub struct Folders {
    roots: Vec<PathBuf>,
}

/// What lies in a folder.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Listing {
    /// Folders inside.
    pub folders: Vec<String>,
    /// Files inside that may be footage, in order of their names.
    pub files: Vec<String>,
}

/// The most entries of a folder that are listed.
const MOST: usize = 50_000;

impl Folders {
    /// Allows these folders; each has to exist.
    pub fn new(roots: &[PathBuf]) -> std::io::Result<Self> {
        Ok(Self { roots: roots.iter().map(|r| r.canonicalize()).collect::<Result<_, _>>()? })
    }

    /// What people call them: their own names.
    pub fn names(&self) -> Vec<String> {
        let name =
            |r: &PathBuf| r.file_name().map_or_else(|| "/".into(), |n| n.to_string_lossy().into_owned());
        self.roots.iter().map(name).collect()
    }

    /// The folder or file at `parts` inside an allowed folder.
    fn find(&self, root: usize, parts: &[String]) -> ApiResult<PathBuf> {
        let none = || ApiError::NotFound("folder");
        let root = self.roots.get(root).ok_or_else(none)?;
        let mut at = root.clone();
        for part in parts {
            let entries = std::fs::read_dir(&at).map_err(|_| none())?;
            let found = entries.flatten().find(|e| e.file_name().to_string_lossy() == *part);
            at = found.ok_or_else(none)?.path();
        }
        // A link may lead out again.
        let real = at.canonicalize().map_err(|_| none())?;
        if real.starts_with(root) { Ok(real) } else { Err(none()) }
    }

    /// What lies in a folder.
    pub fn list(&self, root: usize, parts: &[String]) -> ApiResult<Listing> {
        let mut listing = Listing { folders: Vec::new(), files: Vec::new() };
        for entry in std::fs::read_dir(self.find(root, parts)?)?.take(MOST) {
            let entry = entry?;
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.starts_with('.') {
                continue;
            }
            if entry.path().is_dir() {
                listing.folders.push(name);
            } else if is_footage(&name) {
                listing.files.push(name);
            }
        }
        listing.folders.sort();
        listing.files.sort();
        Ok(listing)
    }

    /// The path of a footage file.
    pub fn file(&self, root: usize, parts: &[String], name: &str) -> ApiResult<PathBuf> {
        let all: Vec<String> = parts.iter().cloned().chain([name.to_owned()]).collect();
        let path = self.find(root, &all)?;
        if is_footage(name) && path.is_file() { Ok(path) } else { Err(ApiError::NotFound("file")) }
    }
}

/// Whether a name ends as pictures or clips do.
fn is_footage(name: &str) -> bool {
    let ending = Path::new(name).extension().and_then(|e| e.to_str());
    ending.is_some_and(|e| lantern_formats::registry::of_ending(e).is_some())
        || super::clip::is_clip_name(name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_lies_inside_is_found() {
        let dir = tempfile::tempdir().unwrap();
        let inside = dir.path().join("footage");
        std::fs::create_dir_all(inside.join("day 1")).unwrap();
        std::fs::write(dir.path().join("secret.png"), "s").unwrap();
        std::fs::write(inside.join("day 1/a.0001.exr"), "a").unwrap();
        std::fs::write(inside.join("day 1/notes.txt"), "n").unwrap();
        std::os::unix::fs::symlink(dir.path(), inside.join("out")).unwrap();
        let folders = Folders::new(&[inside]).unwrap();
        assert_eq!(folders.names(), ["footage"]);
        let parts = |p: &[&str]| p.iter().map(|s| (*s).to_owned()).collect::<Vec<_>>();
        let day = folders.list(0, &parts(&["day 1"])).unwrap();
        assert_eq!(day.files, ["a.0001.exr"]);
        assert!(folders.file(0, &parts(&["day 1"]), "a.0001.exr").is_ok());
        for (path, name) in [
            (&["day 1"][..], "notes.txt"),
            (&[], "../secret.png"),
            (&[".."], "secret.png"),
            (&["out"], "secret.png"),
            (&["/"], "etc"),
        ] {
            assert!(folders.file(0, &parts(path), name).is_err(), "{path:?} {name}");
        }
        assert!(folders.list(1, &[]).is_err() && folders.list(0, &parts(&["out"])).is_err());
    }
}
