//! A package held against its manifest, anywhere, without the server.

use crate::manifest::{FileOf, MANIFEST_VERSION, Manifest, NAME, hashes};
use crate::unzip::Unzip;
use lantern_core::colour::Encoding;
use serde::Serialize;
use std::collections::BTreeMap;
use std::fs::File;
use std::io::Read;
use std::path::{Component, Path};

/// The longest manifest and the largest file that are read whole, and the most files.
const MOST_MANIFEST: u64 = 256 << 20;
const MOST_FILE: u64 = 1 << 30;
const MOST_FILES: usize = 200_000;
/// The deepest folders of a package.
const MOST_DEPTH: usize = 8;

/// What was found.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Verified {
    /// The look that the package is of.
    pub look: String,
    /// Files that are as the manifest says.
    pub sound: usize,
    /// What is wrong, a sentence each.
    pub faults: Vec<String>,
}

impl Verified {
    /// Whether all of it is as the manifest says.
    pub fn is_sound(&self) -> bool {
        self.faults.is_empty()
    }
}

/// Where the files of a package are read.
enum Source {
    Folder(std::path::PathBuf),
    Archive(Box<Unzip>),
}

impl Source {
    fn open(package: &Path) -> Result<Self, String> {
        if package.is_dir() {
            return Ok(Self::Folder(package.into()));
        }
        let zip = Unzip::open(package, NAME, MOST_FILES)
            .map_err(|e| format!("this is neither the folder nor the archive of a package: {e}"))?;
        Ok(Self::Archive(Box::new(zip)))
    }

    fn names(&mut self) -> Result<Vec<String>, String> {
        let names = match self {
            Self::Folder(at) => {
                let mut names = Vec::new();
                listed(at, "", 0, &mut names)?;
                names
            }
            Self::Archive(zip) => zip.paths().map(str::to_owned).collect(),
        };
        Ok(names)
    }

    /// Gives a file to what reads it.
    fn open_file<T>(
        &mut self,
        name: &str,
        read: impl FnOnce(&mut dyn Read) -> std::io::Result<T>,
    ) -> Result<T, String> {
        let found = match self {
            Self::Folder(at) => read(&mut File::open(at.join(name)).map_err(|e| e.to_string())?),
            Self::Archive(zip) => read(&mut zip.file(name).map_err(|e| e.to_string())?),
        };
        found.map_err(|e| e.to_string())
    }

    fn read(&mut self, name: &str, most: u64) -> Result<Vec<u8>, String> {
        let mut bytes = Vec::new();
        self.open_file(name, |from| from.take(most + 1).read_to_end(&mut bytes))?;
        if bytes.len() as u64 > most {
            Err(format!("it is longer than {} MB", most >> 20))
        } else {
            Ok(bytes)
        }
    }
}

fn listed(at: &Path, before: &str, depth: usize, into: &mut Vec<String>) -> Result<(), String> {
    for entry in std::fs::read_dir(at).map_err(|e| format!("{}: {e}", at.display()))? {
        let entry = entry.map_err(|e| e.to_string())?;
        let name = format!("{before}{}", entry.file_name().to_string_lossy());
        let kind = entry.file_type().map_err(|e| e.to_string())?;
        if kind.is_dir() {
            if depth >= MOST_DEPTH {
                return Err(format!("{name}: its folders are nested too deeply"));
            }
            listed(&entry.path(), &format!("{name}/"), depth + 1, into)?;
        } else {
            into.push(name);
        }
        if into.len() > MOST_FILES {
            return Err(format!("it holds more than {MOST_FILES} files"));
        }
    }
    Ok(())
}

/// The manifest of a package.
pub fn manifest(package: &Path) -> Result<Manifest, String> {
    read_manifest(&mut Source::open(package)?)
}

fn read_manifest(source: &mut Source) -> Result<Manifest, String> {
    let bytes = source.read(NAME, MOST_MANIFEST).map_err(|e| format!("its {NAME} cannot be read: {e}"))?;
    let manifest: Manifest =
        serde_json::from_slice(&bytes).map_err(|e| format!("its {NAME} is none: {e}"))?;
    if manifest.version > MANIFEST_VERSION {
        return Err(format!(
            "its manifest has version {}; this program reads up to {MANIFEST_VERSION}",
            manifest.version
        ));
    }
    Ok(manifest)
}

/// A package opened to read files of it.
pub struct Reader(Source);

impl Reader {
    /// Opens a folder or an archive.
    pub fn open(package: &Path) -> Result<Self, String> {
        Source::open(package).map(Self)
    }

    /// A file of the package. Refused is a path that leads out of it.
    pub fn file(&mut self, path: &str) -> Result<Vec<u8>, String> {
        if path.is_empty() || !Path::new(path).components().all(|c| matches!(c, Component::Normal(_))) {
            return Err(format!("{} is no path in a package", shown(path)));
        }
        self.0.read(path, MOST_FILE)
    }
}

/// One file of a package; see [`Reader::file`].
pub fn file(package: &Path, path: &str) -> Result<Vec<u8>, String> {
    Reader::open(package)?.file(path)
}

/// Holds every file against the manifest. Errors where there is no manifest to hold anything against.
pub fn verify(package: &Path) -> Result<Verified, String> {
    let mut source = Source::open(package)?;
    let manifest = read_manifest(&mut source)?;
    let mut found = Verified { look: manifest.look.name.clone(), ..Default::default() };
    let names = source.names()?;
    let mut left: BTreeMap<&str, usize> = BTreeMap::new();
    for name in names.iter().filter(|n| *n != NAME) {
        *left.entry(name).or_default() += 1;
    }
    for file in &manifest.files {
        match left.remove(file.path.as_str()) {
            None => {
                found.faults.push(format!("{} is missing", shown(&file.path)));
                continue;
            }
            Some(1) => {}
            Some(_) => found.faults.push(format!("{} stands twice in it", shown(&file.path))),
        }
        // No further than the manifest says: what is longer is wrong, however long it is.
        let read = source.open_file(&file.path, |from| hashes(from.take(file.length.saturating_add(1))));
        match read {
            Err(e) => found.faults.push(format!("{} cannot be read: {e}", shown(&file.path))),
            Ok((length, hashes)) => {
                let path = shown(&file.path);
                if length != file.length {
                    let by = if length < file.length { "shorter" } else { "longer" };
                    found.faults.push(format!(
                        "{path} is {by} than the {} bytes that the manifest says",
                        file.length
                    ));
                } else if hashes == [file.blake3.as_str(), &file.sha256] {
                    match contradiction(&mut source, file) {
                        None => found.sound += 1,
                        Some(words) => found.faults.push(format!("{path} {words}")),
                    }
                } else {
                    found.faults.push(format!("{path} was altered: its bytes have another hash"));
                }
            }
        }
    }
    found.faults.extend(left.keys().map(|n| format!("{} does not belong to it", shown(n))));
    Ok(found)
}

/// What a table's own file says otherwise than the manifest.
fn contradiction(source: &mut Source, file: &FileOf) -> Option<String> {
    let said = file.table.as_ref()?;
    let bytes = source.read(&file.path, MOST_FILE).ok()?;
    let table = match lantern_formats::registry::read_table(&bytes, "") {
        Ok(table) => table,
        Err(e) => return Some(format!("is no table, as the manifest says that it is: {e}")),
    };
    if table.points() != said.points {
        return Some(format!(
            "has {} points on a side, and the manifest says {}",
            table.points(),
            said.points
        ));
    }
    // "Look: acescct to rec709, full range", as tables of ours are called.
    let (_, way) = table.title.rsplit_once(": ")?;
    let (way, range) = way.rsplit_once(", ")?;
    let (from, to) = way.split_once(" to ")?;
    let differ = |own: &str, said: &str| {
        let both = [own, said].map(Encoding::find);
        both.iter().all(Option::is_some) && own != said
    };
    for (own, said) in [(from, &said.from), (to, &said.to)] {
        if differ(own, said) {
            return Some(format!("says {own} of itself where the manifest says {said}"));
        }
    }
    let own = range.strip_suffix(" range")?;
    (own != said.range.id())
        .then(|| format!("says {own} range of itself where the manifest says {}", said.range.id()))
}

/// A name without what a terminal would take for a command.
fn shown(name: &str) -> String {
    name.chars().filter(|c| !c.is_control()).take(120).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_path_leads_out_of_a_package() {
        let dir = tempfile::tempdir().unwrap();
        std::fs::create_dir(dir.path().join("p")).unwrap();
        for name in ["p/in.txt", "out.txt"] {
            std::fs::write(dir.path().join(name), "x").unwrap();
        }
        let package = dir.path().join("p");
        assert_eq!(file(&package, "in.txt").unwrap(), b"x");
        let absolute = dir.path().join("out.txt").display().to_string();
        for path in ["../out.txt", "a/../../out.txt", &absolute, ""] {
            assert!(file(&package, path).unwrap_err().contains("no path"), "{path}");
        }
    }
}
