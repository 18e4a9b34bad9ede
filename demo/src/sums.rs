//! The checksums of what was made, as `sha256sum -c` reads them.

use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::Path;

/// The file of all checksums, beside the pictures.
pub const FILE: &str = "SHA256SUMS";

/// Lower-case hexadecimal SHA-256.
pub fn of(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().fold(String::new(), |mut all, byte| {
        // A string takes everything that is written to it.
        let _ = write!(all, "{byte:02x}");
        all
    })
}

/// All lines of the file: names and their sums.
pub fn read(folder: &Path) -> BTreeMap<String, String> {
    let text = std::fs::read_to_string(folder.join(FILE)).unwrap_or_default();
    text.lines().filter_map(|l| l.split_once("  ")).map(|(sum, name)| (name.into(), sum.into())).collect()
}

/// Writes a file into the folder, or a folder in it, and its sum into the list.
pub fn kept(folder: &Path, name: &str, bytes: &[u8]) -> std::io::Result<()> {
    let path = folder.join(name);
    if let Some(parent) = path.parent() {
        std::fs::create_dir_all(parent)?;
    }
    std::fs::write(path, bytes)?;
    let mut all = read(folder);
    all.insert(name.into(), of(bytes));
    let text: String = all.iter().map(|(name, sum)| format!("{sum}  {name}\n")).collect();
    std::fs::write(folder.join(FILE), text)
}
