//! Review movies, through the system's ffmpeg: pictures go in as they are made, with the colour tags of their encoding.

use crate::rate::Rate;
use lantern_core::colour::{Encoding, transfer::Transfer};
use lantern_core::picture::Picture;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, Command, Stdio};

/// What names of movies end with.
pub const ENDINGS: [&str; 3] = ["mp4", "mov", "mkv"];

/// Whether a file's ending is one of a movie.
pub fn is_ending(ending: &str) -> bool {
    ENDINGS.iter().any(|e| ending.eq_ignore_ascii_case(e))
}

/// Whether a name is one of a movie.
pub fn is_movie(path: &Path) -> bool {
    is_ending(path.extension().and_then(|e| e.to_str()).unwrap_or(""))
}

/// Refuses an encoding that movies have no tags for.
pub fn check(encoding: &Encoding) -> Result<(), String> {
    tags(encoding).map(|_| ()).ok_or_else(|| {
        format!("a movie has no tags for {}: rec709, srgb, display-p3, rec2020, pq and hlg have", encoding.id)
    })
}

/// The tags of an encoding as ffmpeg names them (ITU-T H.273, tables 2 to 4): primaries, transfer, matrix.
fn tags(encoding: &Encoding) -> Option<[&'static str; 3]> {
    let primaries = match encoding.id.as_str() {
        "rec709" | "srgb" => "bt709",
        "display-p3" => "smpte432",
        _ if encoding.is_hdr() || encoding.id == "rec2020" => "bt2020",
        _ => return None,
    };
    let transfer = match encoding.transfer {
        Transfer::Pq => "smpte2084",
        Transfer::Hlg => "arib-std-b67",
        Transfer::Srgb => "iec61966-2-1",
        // Displays for BT.709 and BT.2020 signals are those of BT.1886, which has no number of its own.
        Transfer::Power(_) if primaries == "bt2020" => "bt2020-10",
        Transfer::Power(_) => "bt709",
        _ => return None,
    };
    let matrix = if primaries == "bt2020" { "bt2020nc" } else { "bt709" };
    Some([primaries, transfer, matrix])
}

/// A movie that is being written: under a hidden name, until it is whole.
pub struct Movie {
    child: Child,
    input: Option<ChildStdin>,
    size: [usize; 2],
    part: PathBuf,
    to: PathBuf,
}

impl Movie {
    /// Begins a movie of pictures of a size, at a rate.
    pub fn begin(to: &Path, encoding: &Encoding, size: [usize; 2], rate: Rate) -> Result<Self, String> {
        check(encoding)?;
        let [primaries, transfer, matrix] = tags(encoding).unwrap_or_default();
        let name = to.file_name().unwrap_or_default().to_string_lossy();
        let part = to.with_file_name(format!(".{}.{name}", std::process::id()));
        let [width, height] = size;
        // Halves of colour need even sides: the last row and column are repeated. The scale filter only changes the matrix.
        let filter = format!(
            "scale=in_range=pc:out_range=tv:out_color_matrix={matrix}:flags=accurate_rnd+full_chroma_int,\
             pad=ceil(iw/2)*2:ceil(ih/2)*2,fillborders=right={}:bottom={}:mode=smear,\
             setparams=range=tv:color_primaries={primaries}:color_trc={transfer}:colorspace={matrix}",
            width % 2,
            height % 2
        );
        let (codec, format) =
            if encoding.is_hdr() { ("libx265", "yuv420p10le") } else { ("libx264", "yuv420p") };
        let mut command = Command::new("ffmpeg");
        command
            .args(["-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb48le"])
            .args(["-s", &format!("{width}x{height}"), "-r", &rate.text(), "-i", "-"])
            .args(["-vf", &filter, "-c:v", codec, "-crf", "14", "-preset", "medium", "-pix_fmt", format])
            .args(["-color_primaries", primaries, "-color_trc", transfer, "-colorspace", matrix])
            .args(["-color_range", "tv", "-movflags", "+faststart+write_colr"])
            // Nothing by chance and no times: the same pictures give the same bytes.
            .args(["-map_metadata", "-1", "-fflags", "+bitexact", "-flags:v", "+bitexact"]);
        if codec == "libx265" {
            command.args(["-x265-params", "log-level=error", "-tag:v", "hvc1"]);
        }
        let mut child = command
            .arg(&part)
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .spawn()
            .map_err(|e| format!("ffmpeg writes movies, and it cannot be started: {e}"))?;
        let input = child.stdin.take();
        Ok(Self { child, input, size, part, to: to.into() })
    }

    /// Adds a picture of code values.
    pub fn add(&mut self, name: &str, picture: &Picture) -> Result<(), String> {
        if [picture.width(), picture.height()] != self.size {
            let [w, h] = self.size;
            return Err(format!(
                "{name}: it has {} x {} pixels, the first has {w} x {h}: a movie has one size",
                picture.width(),
                picture.height()
            ));
        }
        let code = |v: f32| (v.max(0.0).min(1.0) * 65_535.0 + 0.5) as u16;
        let bytes: Vec<u8> = picture
            .pixels
            .iter()
            // A movie has no alpha: what is transparent lies on black.
            .flat_map(|p| [p[0], p[1], p[2]].map(|v| v * p[3].max(0.0).min(1.0)))
            .flat_map(|v| code(v).to_le_bytes())
            .collect();
        let sent = self.input.as_mut().map(|i| i.write_all(&bytes));
        // Where it has ended early it says why itself, at the end.
        if sent.is_some_and(|s| s.is_err()) {
            self.input = None;
        }
        Ok(())
    }

    /// Ends the movie, which stands under its name then.
    pub fn finish(mut self) -> Result<(), String> {
        let whole = self.input.take().is_some();
        let mut said = String::new();
        if let Some(mut complaints) = self.child.stderr.take() {
            let _ = std::io::Read::read_to_string(&mut complaints, &mut said);
        }
        let status = self.child.wait().map_err(|e| e.to_string())?;
        if !status.success() || !whole {
            let why = said.lines().next().unwrap_or("it ended early").to_owned();
            return Err(format!("ffmpeg: {why}"));
        }
        std::fs::rename(&self.part, &self.to).map_err(|e| e.to_string())
    }
}

impl Drop for Movie {
    fn drop(&mut self) {
        self.input = None;
        let _ = self.child.kill();
        let _ = self.child.wait();
        // Nothing half-written stays behind; what is whole has its own name.
        let _ = std::fs::remove_file(&self.part);
    }
}
