//! Clips on the command line: unpacked to frames while they are worked on.

use crate::files::{Failure, Outcome};
use lantern_formats::png;
use lantern_server::media::clip::{self, Frames};
use std::path::{Path, PathBuf};
use tempfile::TempDir;

/// A clip's frames as files, which go with it.
pub struct Unpacked {
    /// The files, in order; their names end with their numbers, from 0 on.
    pub frames: Vec<PathBuf>,
    /// Frames a second.
    pub rate: f64,
    _folder: TempDir,
}

/// Whether a file is called as clips are.
pub fn is_clip(path: &Path) -> bool {
    path.is_file() && path.file_name().and_then(|n| n.to_str()).is_some_and(clip::is_clip_name)
}

impl Unpacked {
    /// Unpacks a clip into a hidden folder in another one: RGB in 16 bit, the clip's matrix and range undone by its own tags.
    pub fn of(path: &Path, folder: &Path) -> Outcome<Self> {
        let name = path.display().to_string();
        let about = |e: &dyn std::fmt::Display| Failure(format!("{name}: {e}"));
        let wrong = |e: lantern_server::error::ApiError| Failure(e.cause());
        let clip = clip::probe(path, &name).map_err(wrong)?;
        let hidden = tempfile::Builder::new().prefix(".dusky-lantern-").tempdir_in(folder);
        let hidden = hidden.map_err(|e| about(&e))?;
        let stem = path.file_stem().unwrap_or_default().to_string_lossy();
        let mut decoded = Frames::open(path, &clip).map_err(wrong)?;
        let mut frames = Vec::new();
        while let Some(samples) = decoded.next(&name).map_err(wrong)? {
            let file = hidden.path().join(format!("{stem}.{:06}.png", frames.len()));
            let bytes = png::write_rgb48(clip.width, clip.height, samples).map_err(|e| about(&e))?;
            std::fs::write(&file, bytes).map_err(|e| about(&e))?;
            frames.push(file);
        }
        if frames.is_empty() {
            return Err(about(&"there is no frame in it"));
        }
        Ok(Self { frames, rate: clip.rate, _folder: hidden })
    }
}
