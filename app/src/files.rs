//! Files on the command line: read with their name in every error, written whole or not at all.

use crate::words::Words;
use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::look::Look;
use lantern_core::picture::Picture;
use lantern_core::step::TableEncoding;
use lantern_core::table::Table;
use lantern_formats::depth::SampleDepth;
use lantern_formats::frame::Frame;
use lantern_formats::registry::{self, PictureFormat};
use lantern_handoff::graded::Carried;
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

fn table_of(path: &Path, bytes: &[u8]) -> Outcome<Table> {
    let stem = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    registry::read_table(bytes, &stem).map_err(about(path))
}

/// A table of any format that is read, told by its contents.
pub fn table(path: &Path) -> Outcome<Table> {
    table_of(path, &bytes(path)?)
}

/// A picture; NaN and infinities are replaced and said.
pub fn picture(path: &Path) -> Outcome<Picture> {
    frame(path).map(|f| f.picture)
}

/// A picture with what lies beside it in its file.
pub fn frame(path: &Path) -> Outcome<Frame> {
    let frame = lantern_formats::frame::read(&bytes(path)?).map_err(about(path))?;
    Ok(healed(path, frame.into()).into_frame())
}

/// A picture to be worked on and written again, of bytes that were read.
pub fn carried_of(path: &Path, bytes: &[u8]) -> Outcome<Carried> {
    Ok(healed(path, Carried::read(bytes).map_err(about(path))?))
}

/// Replaces what is no number, and says so.
fn healed(path: &Path, mut frame: Carried) -> Carried {
    let healed = frame.sanitise();
    if healed > 0 {
        eprintln!(
            "dusky-lantern: {}: {healed} values were not finite numbers and were replaced",
            path.display()
        );
    }
    frame
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

/// An encoding as a step says it: an id, or what a camera profile file holds.
pub fn table_encoding(name: &str) -> Outcome<TableEncoding> {
    encoding(name)?;
    match Encoding::find(name) {
        Some(shipped) => Ok(TableEncoding::Shipped(shipped.id)),
        None => Ok(TableEncoding::Camera(Box::new(profile(Path::new(name))?))),
    }
}

/// A camera profile file.
pub fn profile(path: &Path) -> Outcome<CameraProfile> {
    serde_json::from_slice(&bytes(path)?)
        .map_err(|e| Failure(format!("{}: this is not a camera profile: {e}", path.display())))
}

/// Refuses results that are there already, unless they are to be written over.
pub fn check_free<'a>(results: impl Iterator<Item = &'a Path>, overwrite: bool) -> Outcome<()> {
    match results.into_iter().find(|p| !overwrite && p.exists()) {
        Some(path) => Err(Failure(format!(
            "{} is there already: --overwrite writes over it; nothing was written",
            path.display()
        ))),
        None => Ok(()),
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

/// The format that a name ends with, where it is written.
pub fn written(path: &Path) -> Option<&'static PictureFormat> {
    lantern_handoff::plan::written(path.extension()?.to_str()?)
}

/// Refuses a name whose ending says no format that is written.
pub fn check_written(path: &Path) -> Outcome<()> {
    if written(path).is_some() {
        return Ok(());
    }
    let formats = registry::PICTURES.iter().filter(|f| f.write.is_some());
    let names: Vec<String> = formats.map(|f| format!(".{}", f.endings[0])).collect();
    let names = names.join(", ");
    let names = names.rsplit_once(", ").map_or(names.clone(), |(all, last)| format!("{all} or {last}"));
    Err(Failure(format!("{}: pictures are written as {names}", path.display())))
}

/// The depth that a file is written in where one is asked for or found.
pub fn depth_of(path: &Path, depth: Option<SampleDepth>) -> Option<SampleDepth> {
    depth?.kept_in(written(path)?)
}

/// A picture of an encoding in the format that the file's name ends with, in a depth, with the tags that the format has for the
/// encoding, and what lies beside the pixels. What is lost on the way is said: what the format has no place for, values
/// that whole numbers do not hold, and samples that were finer in the source.
pub fn encode(
    path: &Path,
    frame: &Carried,
    encoding: Option<&Encoding>,
    depth: Option<SampleDepth>,
    source: Option<SampleDepth>,
    words: &Words,
) -> Outcome<Vec<u8>> {
    check_written(path)?;
    let Some(format) = written(path) else { return Ok(Vec::new()) };
    for lost in frame.beside().lost_in(format) {
        words.say(format!("{} has no place for its {lost}", format.name), path);
    }
    let Some(kept) = depth.and_then(|d| d.kept_in(format)) else {
        return frame.encoded(format, encoding).map_err(about(path));
    };
    // Where no depth is asked for it is the source's, which its format may not have.
    if let Some(asked) = depth.filter(|d| source.is_none_or(|s| s != *d) && *d != kept) {
        words.say(format!("{} holds no {}: {} in its place", format.name, asked.title(), kept.title()), path);
    }
    if let Some(source) = source.filter(|s| !kept.holds(*s)) {
        words.say(format!("{} become {}", source.title(), kept.title()), path);
    }
    if kept.is_whole() && encoding.is_some_and(Encoding::is_linear) {
        words.say(
            "linear light in whole numbers has few of them for the darks: OpenEXR holds it".into(),
            path,
        );
    }
    if let (Some(most), Carried::Frame(frame)) = (kept.most(), frame) {
        let spare = 0.5 / most as f32;
        let colours = frame.picture.pixels.iter().flat_map(|p| &p[..3]);
        words.held(colours.filter(|v| !(-spare..=1.0 + spare).contains(*v)).count(), path);
    }
    frame.encoded_at(format, encoding, kept).map_err(about(path))
}
