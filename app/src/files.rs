//! Files on the command line: read with their name in every error, written whole or not at all.

use lantern_core::colour::{CameraProfile, Encoding, transfer::Transfer};
use lantern_core::look::Look;
use lantern_core::picture::Picture;
use lantern_core::table::Table;
use lantern_formats::Depth;
use std::path::{Path, PathBuf};
use thiserror::Error;

/// One clear line for stderr.
#[derive(Debug, Error)]
#[error("{0}")]
pub struct Failure(pub String);

/// Short for results here.
pub type Outcome<T> = Result<T, Failure>;

/// An error with the name of the file that it is about.
fn about<E: std::fmt::Display>(path: &Path) -> impl FnOnce(E) -> Failure + '_ {
    move |e| Failure(format!("{}: {e}", path.display()))
}

/// The largest file that is read at once.
const MOST_BYTES: u64 = 8 << 30;

/// A file's bytes.
pub fn bytes(path: &Path) -> Outcome<Vec<u8>> {
    let length = std::fs::metadata(path).map_err(about(path))?.len();
    if length > MOST_BYTES {
        return Err(Failure(format!("{}: {length} bytes are more than is read", path.display())));
    }
    std::fs::read(path).map_err(about(path))
}

/// A look file.
pub fn look(path: &Path) -> Outcome<Look> {
    let text = String::from_utf8(bytes(path)?)
        .map_err(|_| Failure(format!("{}: this is not a look file: it is no text", path.display())))?;
    Look::from_json(&text).map_err(about(path))
}

/// A .cube table.
pub fn table(path: &Path) -> Outcome<Table> {
    lantern_formats::cube::read(&bytes(path)?).map_err(about(path))
}

/// A picture; NaN and infinities are replaced and said.
pub fn picture(path: &Path) -> Outcome<Picture> {
    let mut picture = lantern_formats::picture::read(&bytes(path)?).map_err(about(path))?;
    let healed = picture.heal();
    if healed > 0 {
        eprintln!(
            "dusky-lantern: {}: {healed} values were not finite numbers and were replaced",
            path.display()
        );
    }
    Ok(picture)
}

/// An encoding by its id, or the path of a camera profile file.
pub fn encoding(name: &str) -> Outcome<Encoding> {
    if let Some(found) = Encoding::find(name) {
        return Ok(found);
    }
    let path = Path::new(name);
    if !path.is_file() {
        return Err(Failure(format!(
            "there is no encoding “{name}”, nor a camera profile file of this name; `dusky-lantern encodings` lists them"
        )));
    }
    profile(path)?.encoding().map_err(about(path))
}

/// A camera profile file.
pub fn profile(path: &Path) -> Outcome<CameraProfile> {
    serde_json::from_slice(&bytes(path)?)
        .map_err(|e| Failure(format!("{}: this is not a camera profile: {e}", path.display())))
}

/// The word that a DPX has for an encoding's transfer (ST 268-1, table 4).
fn dpx_transfer(encoding: &Encoding) -> u8 {
    match encoding.transfer {
        Transfer::Cineon => 1,
        Transfer::Linear => 2,
        Transfer::Log(_) | Transfer::AcesCc | Transfer::AcesCct => 3,
        _ if encoding.id == "rec709" => 6,
        _ => 0,
    }
}

/// Writes a file whole or not at all.
pub fn write(path: &Path, bytes: &[u8]) -> Outcome<()> {
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let name =
        path.file_name().ok_or_else(|| Failure(format!("{}: this is no name for a file", path.display())))?;
    let mut hidden = std::ffi::OsString::from(".");
    hidden.push(name);
    hidden.push(format!(".{}.part", std::process::id()));
    let part: PathBuf = folder.join(hidden);
    let done = std::fs::write(&part, bytes).and_then(|()| std::fs::rename(&part, path));
    if done.is_err() {
        // Nothing half-written stays behind.
        let _ = std::fs::remove_file(&part);
    }
    done.map_err(about(path))
}

/// A picture of an encoding in the format that the file's name ends with: PNG and TIFF in 16 bit, DPX in 10 bit,
/// OpenEXR in f32 with the encoding's chromaticities.
pub fn encode(path: &Path, picture: &Picture, encoding: Option<&Encoding>) -> Outcome<Vec<u8>> {
    let ending = path.extension().and_then(|e| e.to_str()).unwrap_or("").to_ascii_lowercase();
    let made = match ending.as_str() {
        "png" => lantern_formats::png::write(picture, Depth::Sixteen),
        "tif" | "tiff" => lantern_formats::tiff::write(picture, Depth::Sixteen),
        "exr" => lantern_formats::exr::write(picture, encoding.map(|e| &e.primaries)),
        "dpx" => Ok(lantern_formats::dpx::write(picture, encoding.map_or(0, dpx_transfer))),
        _ => {
            return Err(Failure(format!(
                "{}: pictures are written as .png, .tif, .dpx or .exr",
                path.display()
            )));
        }
    };
    made.map_err(about(path))
}
