//! Every kind of table that `bake` writes, in the hands of other readers: OpenColorIO takes all of them, ffmpeg those
//! without a 1D part; both give what `apply` gives.

#![allow(clippy::unwrap_used)]

use lantern_core::colour::Encoding;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// Pixels that go through each table.
const COUNT: usize = 4096;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().into()
}

/// Code values spread over what a table expects, with its corners: a linear congruential generator (Numerical Recipes).
fn spread(from: f32, to: f32) -> Vec<[f32; 4]> {
    let mut state = 11_u32;
    let mut next = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        from + (to - from) * (state >> 8) as f32 / (1 << 24) as f32
    };
    let mut all: Vec<[f32; 4]> = (0..COUNT).map(|_| [next(), next(), next(), 1.0]).collect();
    for (i, p) in all.iter_mut().take(8).enumerate() {
        *p = [i & 1, i >> 1 & 1, i >> 2]
            .map(|v| if v == 1 { to } else { from })
            .into_iter()
            .chain([1.0])
            .collect::<Vec<_>>()
            .try_into()
            .unwrap();
    }
    all
}

fn worst(a: &[[f32; 4]], b: impl Iterator<Item = [f32; 3]>) -> f32 {
    a.iter().zip(b).flat_map(|(a, b)| [0, 1, 2].map(|c| (a[c] - b[c]).abs())).fold(0.0, f32::max)
}

/// What OpenColorIO makes of pixels.
fn opencolorio(dir: &Path, table: &str, pixels: &[[f32; 4]]) -> Result<Vec<[f32; 3]>, String> {
    let (source, target) = (dir.join("in.raw"), dir.join("out.raw"));
    let bytes: Vec<u8> = pixels.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
    std::fs::write(&source, bytes).unwrap();
    let python = root().join(".venv/bin/python");
    let mut command = Command::new(python);
    let done =
        command.arg(root().join("xtask/outside.py")).args(["apply", table]).args([&source, &target]).output();
    let done = done.unwrap();
    if !done.status.success() {
        return Err(String::from_utf8_lossy(&done.stderr).lines().last().unwrap_or_default().to_owned());
    }
    let all: Vec<f32> = std::fs::read(&target)
        .unwrap()
        .chunks_exact(4)
        .map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]))
        .collect();
    Ok(all.chunks_exact(4).map(|p| [p[0], p[1], p[2]]).collect())
}

/// What ffmpeg makes of them, in float planes.
fn ffmpeg(table: &str, pixels: &[[f32; 4]]) -> Result<Vec<[f32; 3]>, String> {
    let planes =
        [1, 2, 0].map(|c: usize| pixels.iter().flat_map(move |p| p[c].to_le_bytes()).collect::<Vec<u8>>());
    let size = format!("64x{}", COUNT / 64);
    let raw = ["-f", "rawvideo", "-pix_fmt", "gbrpf32le"];
    let mut child = Command::new("ffmpeg")
        .args(["-v", "error", "-nostdin"])
        .args(raw)
        .args(["-s", &size, "-i", "-", "-vf", &format!("lut3d=file={table}:interp=tetrahedral")])
        .args(raw)
        .arg("-")
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut stdin = child.stdin.take().unwrap();
    let input = planes.concat();
    let feed = std::thread::spawn(move || stdin.write_all(&input));
    let done = child.wait_with_output().unwrap();
    let _ = feed.join();
    if !done.status.success() || done.stdout.len() != COUNT * 12 {
        return Err(String::from_utf8_lossy(&done.stderr).lines().last().unwrap_or_default().to_owned());
    }
    let value = |i: usize| f32::from_le_bytes(done.stdout[4 * i..4 * i + 4].try_into().unwrap());
    Ok((0..COUNT).map(|i| [value(2 * COUNT + i), value(i), value(COUNT + i)]).collect())
}

#[test]
fn every_kind_of_table_that_bake_writes_is_taken_by_other_readers_and_gives_what_apply_gives() {
    let dir = tempfile::tempdir().unwrap();
    let look = root().join("demo/data/looks/harbour-dusk.look.json").display().to_string();
    let all = Encoding::shipped().map(|from| (from, "17"));
    let larger = ["acescct", "acescg", "rec709", "acescc"].map(|id| Encoding::find(id).unwrap());
    let larger = larger.into_iter().zip(["33", "33", "65", "65"]);
    let mut wrong = Vec::new();
    for (from, size) in all.chain(larger) {
        let table = dir.path().join(format!("{}-{size}.cube", from.id)).display().to_string();
        let done = Command::new(env!("CARGO_BIN_EXE_dusky-lantern"))
            .args([
                "bake", "--look", &look, "--from", &from.id, "--to", "rec709", "--size", size, "-o", &table,
            ])
            .output()
            .unwrap();
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(done.status.success(), "{}: {said}", from.id);
        let read = lantern_formats::cube::read(&std::fs::read(&table).unwrap()).unwrap();
        // What narrows who can read it is said.
        assert_eq!(said.contains("1D part"), read.shaper().is_some(), "{}: {said}", from.id);
        assert!(read.title.contains("Harbour Dusk") && read.title.contains(&from.id), "{}", read.title);
        let (a, b) = if from.is_linear() {
            (0.0, 8.0)
        } else if from.id == "acescc" {
            (-0.358, 1.0)
        } else {
            (0.0, 1.0)
        };
        let pixels = spread(a, b);
        let mut ours = pixels.clone();
        read.apply(&mut ours);
        match opencolorio(dir.path(), &table, &pixels) {
            Ok(theirs) => {
                let apart = worst(&ours, theirs.into_iter());
                if apart > 2e-4 {
                    wrong.push(format!("{} at {size}: OpenColorIO is {apart} apart", from.id));
                }
            }
            Err(e) => wrong.push(format!("{} at {size}: OpenColorIO: {e}", from.id)),
        }
        if read.shaper().is_none() {
            match ffmpeg(&table, &pixels) {
                Ok(theirs) => {
                    let apart = worst(&ours, theirs.into_iter());
                    if apart > 2e-4 {
                        wrong.push(format!("{} at {size}: ffmpeg is {apart} apart", from.id));
                    }
                }
                Err(e) => wrong.push(format!("{} at {size}: ffmpeg: {e}", from.id)),
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}
