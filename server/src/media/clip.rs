//! Clips through the system's ffmpeg: what a clip is, and its frames one after the other.

use crate::error::{ApiError, ApiResult};
use serde_json::Value;
use std::io::Read;
use std::path::Path;
use std::process::{Child, Command, Stdio};

/// Containers that are opened. Lists of other files are not among them: a clip cannot name what else is read.
const CONTAINERS: &str = "mov,matroska,avi,mxf,mpegts,mpeg,gif,ogg,dv,asf,flv,ivf,obu,nut,yuv4mpegpipe,apng";
/// Endings of files that are tried as clips.
const ENDINGS: [&str; 17] = [
    "mov", "mp4", "m4v", "mkv", "webm", "avi", "mxf", "ts", "mts", "m2ts", "mpg", "mpeg", "gif", "ogv", "dv",
    "nut", "y4m",
];
/// The most frames of a clip.
const MOST_FRAMES: usize = 100_000;

/// Whether a name ends as clips do.
pub fn is_clip_name(name: &str) -> bool {
    let ending = name.rsplit_once('.').map_or("", |(_, e)| e).to_ascii_lowercase();
    ENDINGS.contains(&ending.as_str())
}

/// What a clip is.
#[derive(Clone, Debug, PartialEq)]
pub struct Clip {
    /// Pixels in a row.
    pub width: usize,
    /// Rows.
    pub height: usize,
    /// Frames a second.
    pub rate: f64,
    /// Frames, as far as the container says; 0 where it does not.
    pub frames: usize,
    /// Encoding by its tags, where they say one that is known.
    pub encoding: Option<&'static str>,
    /// Which tags, in a sentence.
    pub reason: String,
    /// What nearly all clips are that say as little (common practice), by its id.
    pub proposed: Option<&'static str>,
}

fn ffmpeg(program: &str) -> Command {
    let mut c = Command::new(program);
    c.args(["-v", "error", "-protocol_whitelist", "file,pipe", "-format_whitelist", CONTAINERS]);
    c.stdin(Stdio::null()).stderr(Stdio::piped()).stdout(Stdio::piped());
    c
}

fn missing(e: &std::io::Error) -> ApiError {
    ApiError::Invalid(format!("clips need ffmpeg on this machine, and it does not start: {e}; install it"))
}

/// The first line of what ffmpeg complained about, without the path that it was given.
fn complaint(path: &Path, stderr: &[u8]) -> String {
    let text = String::from_utf8_lossy(stderr).replace(&*path.to_string_lossy(), "the clip");
    text.lines().next().unwrap_or("it gives no reason").chars().take(200).collect()
}

/// Reads what a clip is.
pub fn probe(path: &Path, name: &str) -> ApiResult<Clip> {
    let mut c = ffmpeg("ffprobe");
    c.args(["-select_streams", "v:0", "-show_streams", "-of", "json"]).arg(path);
    let out = c.output().map_err(|e| missing(&e))?;
    let wrong = |why: String| ApiError::Invalid(format!("“{name}” is no clip that can be read: {why}"));
    if !out.status.success() {
        return Err(wrong(complaint(path, &out.stderr)));
    }
    let all: Value = serde_json::from_slice(&out.stdout).map_err(ApiError::internal)?;
    let stream = &all["streams"][0];
    let number = |key: &str| stream[key].as_u64().unwrap_or(0) as usize;
    let (width, height) = (number("width"), number("height"));
    lantern_core::picture::check_size(width, height).map_err(|e| wrong(e.to_string()))?;
    let ratio = stream["r_frame_rate"].as_str().and_then(|r| r.split_once('/'));
    let rate = ratio.and_then(|(a, b)| Some(a.parse::<f64>().ok()? / b.parse::<f64>().ok()?));
    let rate = rate.filter(|r| crate::store::shots::RATES.contains(r)).unwrap_or(24.0);
    let frames = stream["nb_frames"].as_str().and_then(|n| n.parse().ok()).unwrap_or(0);
    let tag = |key: &str| stream[key].as_str().unwrap_or("unknown").to_owned();
    let (primaries, transfer) = (tag("color_primaries"), tag("color_transfer"));
    let encoding = match (primaries.as_str(), transfer.as_str()) {
        ("bt709", "bt709" | "smpte170m") => Some("rec709"),
        ("bt709", "iec61966-2-1") => Some("srgb"),
        ("smpte432", "iec61966-2-1") => Some("display-p3"),
        ("bt2020", "smpte2084") => Some("pq"),
        ("bt2020", "arib-std-b67") => Some("hlg"),
        ("bt2020", "bt2020-10" | "bt2020-12" | "bt709") => Some("rec2020"),
        _ => None,
    };
    // The names of ffmpeg's pixel formats say their depth where it is more than 8 bit (yuv422p10le, gbrp12le, rgb48le).
    let format = stream["pix_fmt"].as_str().unwrap_or("unknown");
    let eight = ["yuv", "nv", "rgb", "bgr", "gbr", "gray"].iter().any(|f| format.starts_with(f))
        && !["9", "10", "12", "14", "16", "48", "64", "f32"].iter().any(|d| {
            let end = format.trim_end_matches("le").trim_end_matches("be");
            end.ends_with(d)
        });
    let bare = transfer == "unknown" && primaries == "unknown";
    let proposed = (bare && eight).then_some("rec709");
    let reason = match encoding {
        None if proposed.is_some() => {
            "8-bit clip without transfer and primaries: encoding not stated. Nearly all such clips \
            are BT.709 (common practice)"
                .into()
        }
        Some(_) => format!("the clip's tags say primaries {primaries} and transfer {transfer}"),
        None if transfer == "unknown" => "clip without transfer and primaries: encoding not stated".into(),
        None => {
            format!("primaries {primaries} and transfer {transfer} of the clip's tags are none that is known")
        }
    };
    Ok(Clip { width, height, rate, frames, encoding, reason, proposed })
}

/// A clip's frames as they are decoded.
pub struct Frames {
    child: Child,
    buffer: Vec<u8>,
    left: usize,
}

impl Frames {
    /// Begins to decode. Frames are RGB in 16 bit, the clip's matrix and range undone by its own tags.
    pub fn open(path: &Path, clip: &Clip) -> ApiResult<Self> {
        let mut c = ffmpeg("ffmpeg");
        c.arg("-i").arg(path).args(["-map", "0:v:0", "-fps_mode", "passthrough", "-frames:v"]);
        c.arg(MOST_FRAMES.to_string());
        // Accurate rounding: the default trades exactness of the matrix for speed.
        c.args([
            "-sws_flags",
            "accurate_rnd+full_chroma_int",
            "-pix_fmt",
            "rgb48be",
            "-f",
            "rawvideo",
            "pipe:1",
        ]);
        let child = c.spawn().map_err(|e| missing(&e))?;
        Ok(Self { child, buffer: vec![0; clip.width * clip.height * 6], left: MOST_FRAMES })
    }

    /// The next frame's samples, big-endian R, G, B; `None` after the last one.
    pub fn next(&mut self, name: &str) -> ApiResult<Option<&[u8]>> {
        let Some(out) = self.child.stdout.as_mut().filter(|_| self.left > 0) else { return Ok(None) };
        self.left -= 1;
        let mut filled = 0;
        while filled < self.buffer.len() {
            match out.read(&mut self.buffer[filled..])? {
                0 => break,
                n => filled += n,
            }
        }
        if filled == self.buffer.len() {
            return Ok(Some(&self.buffer));
        }
        let mut said = Vec::new();
        if let Some(mut e) = self.child.stderr.take() {
            e.read_to_end(&mut said)?;
        }
        let ended = self.child.wait()?;
        if filled == 0 && ended.success() {
            return Ok(None);
        }
        Err(ApiError::Invalid(format!("“{name}” breaks off: {}", complaint(Path::new(name), &said))))
    }
}

impl Drop for Frames {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn make(dir: &Path, name: &str, arguments: &[&str]) -> std::path::PathBuf {
        let path = dir.join(name);
        let done = Command::new("ffmpeg")
            .args(["-v", "error", "-f", "lavfi", "-i"])
            .args(arguments)
            .arg(&path)
            .status()
            .unwrap();
        assert!(done.success());
        path
    }

    #[test]
    fn a_clip_gives_its_size_rate_tags_and_every_frame() {
        let dir = tempfile::tempdir().unwrap();
        let tags = ["-color_primaries", "bt709", "-color_trc", "bt709", "-colorspace", "bt709"];
        let source = "color=c=0x808080:s=64x36:r=25:d=0.4,format=rgb24";
        let path = make(dir.path(), "a.mkv", &[&[source, "-c:v", "ffv1"][..], &tags].concat());
        let clip = probe(&path, "a.mkv").unwrap();
        assert_eq!((clip.width, clip.height, clip.rate), (64, 36, 25.0));
        assert_eq!(clip.encoding, Some("rec709"), "{}", clip.reason);
        let mut frames = Frames::open(&path, &clip).unwrap();
        let mut count = 0;
        while let Some(samples) = frames.next("a.mkv").unwrap() {
            // 128 of 255 in 16 bit: 128 * 257.
            let first = u16::from_be_bytes([samples[0], samples[1]]);
            assert!(first.abs_diff(128 * 257) <= 257, "{first}");
            count += 1;
        }
        assert_eq!(count, 10);
    }

    #[test]
    fn what_is_no_clip_is_refused_in_words_and_lists_of_files_are_not_followed() {
        let dir = tempfile::tempdir().unwrap();
        let list = dir.path().join("list.mp4");
        std::fs::write(&list, "ffconcat version 1.0\nfile '/etc/hostname'\n").unwrap();
        let refused = probe(&list, "list.mp4").unwrap_err().to_string();
        assert!(
            refused.contains("list.mp4") && !refused.contains(&*dir.path().to_string_lossy()),
            "{refused}"
        );
        std::fs::write(&list, "#EXTM3U\n#EXTINF:1,\nfile:///etc/hostname\n").unwrap();
        assert!(probe(&list, "list.mp4").is_err());
        assert!(is_clip_name("A.MOV") && !is_clip_name("a.png") && !is_clip_name("mov"));
    }
}
