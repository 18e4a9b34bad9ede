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

/// A table in a file and the pixels that go through it.
struct Asked {
    table: String,
    pixels: Vec<[f32; 4]>,
}

/// What OpenColorIO makes of the pixels of each table; one program for all of them, which stops at the first it cannot
/// read.
fn opencolorio(dir: &Path, asked: &[Asked]) -> Result<Vec<Vec<[f32; 3]>>, String> {
    let at = |i: usize, name: &str| dir.join(format!("{i}.{name}.raw"));
    let mut command = Command::new(root().join(".venv/bin/python"));
    command.arg(root().join("xtask/outside.py")).arg("apply");
    for (i, a) in asked.iter().enumerate() {
        let bytes: Vec<u8> = a.pixels.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
        std::fs::write(at(i, "in"), bytes).unwrap();
        command.arg(&a.table).args([at(i, "in"), at(i, "out")]);
    }
    let done = command.output().unwrap();
    if !done.status.success() {
        return Err(String::from_utf8_lossy(&done.stderr).lines().last().unwrap_or_default().to_owned());
    }
    let read = |i: usize| -> Vec<[f32; 3]> {
        let bytes = std::fs::read(at(i, "out")).unwrap();
        let all: Vec<f32> =
            bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect();
        all.chunks_exact(4).map(|p| [p[0], p[1], p[2]]).collect()
    };
    Ok((0..asked.len()).map(read).collect())
}

/// The same of one table.
fn opencolorio_of(dir: &Path, table: &str, pixels: &[[f32; 4]]) -> Vec<[f32; 3]> {
    let asked = [Asked { table: table.into(), pixels: pixels.to_vec() }];
    opencolorio(dir, &asked).unwrap().remove(0)
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
    let (mut wrong, mut asked, mut applied) = (Vec::new(), Vec::new(), Vec::new());
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
        asked.push(Asked { table, pixels });
        applied.push(ours);
    }
    let theirs = opencolorio(dir.path(), &asked).unwrap();
    for ((a, ours), theirs) in asked.iter().zip(&applied).zip(theirs) {
        let apart = worst(ours, theirs.into_iter());
        if apart > 2e-4 {
            wrong.push(format!("{}: OpenColorIO is {apart} apart", a.table));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

/// Looks by their files: some of them, all with `LANTERN_ALL_LOOKS` set.
fn looks() -> Vec<PathBuf> {
    let all = std::env::var_os("LANTERN_ALL_LOOKS").is_some();
    let mut found = Vec::new();
    for folder in ["core/starting-looks", "demo/data/looks"] {
        found.extend(std::fs::read_dir(root().join(folder)).unwrap().map(|e| e.unwrap().path()));
    }
    found.sort();
    found.into_iter().enumerate().filter(|(i, _)| all || i % 7 == 0).map(|(_, p)| p).collect()
}

/// Bakes a look; what was said.
fn bake(look: &Path, from: &str, to: &str, out: &str, more: &[&str]) -> String {
    let mut command = Command::new(env!("CARGO_BIN_EXE_dusky-lantern"));
    command
        .args(["bake", "--overwrite"])
        .arg("--look")
        .arg(look)
        .args(["--from", from, "--to", to, "-o", out])
        .args(more);
    let done = command.output().unwrap();
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(done.status.success(), "{}: {said}", look.display());
    said
}

#[test]
fn common_lut_format_and_spi_of_every_look_are_read_as_we_read_them() {
    let dir = tempfile::tempdir().unwrap();
    let (mut asked, mut applied) = (Vec::new(), Vec::new());
    for look in looks() {
        for (format, from, to, range) in [
            ("clf", "acescct", "rec709", "full"),
            ("clf", "acescct", "pq", "legal"),
            ("clf", "aces2065-1", "p3-d65", "full"),
            ("clf", "rec709", "rec709", "full"),
            ("spi3d", "acescct", "rec709", "full"),
            ("spi3d", "cineon", "rec709", "legal"),
        ] {
            let table = dir.path().join(format!("{}.{format}", asked.len())).display().to_string();
            bake(&look, from, to, &table, &["--format", format, "--range", range, "--size", "17"]);
            let pixels = if from == "aces2065-1" { spread(0.0, 8.0) } else { spread(0.0, 1.0) };
            let mut ours = pixels.clone();
            let bytes = std::fs::read(&table).unwrap();
            lantern_formats::registry::read_table(&bytes, "t").unwrap().apply(&mut ours);
            applied.push((ours, format!("{} as {format} from {from} to {to}", look.display())));
            asked.push(Asked { table, pixels });
        }
    }
    let theirs = opencolorio(dir.path(), &asked).unwrap();
    for ((ours, what), theirs) in applied.iter().zip(theirs) {
        let apart = worst(ours, theirs.into_iter());
        assert!(apart < 2e-4, "{what}: {apart}");
    }
}

/// A look whose steps all are formulas or curves, of strengths in between, too.
fn formulas(dir: &Path) -> PathBuf {
    let step = |id: &str, kind: &str, strength: f64, values: &str| {
        format!(
            r#"{{"id":"{id}","name":"{id}","zone":"scene","on":true,"strength":{strength},"kind":"{kind}","values":{values}}}"#
        )
    };
    let steps = [
        step("a", "balance", 1.0, r#"{"exposure":0.7,"temperature":5200.0,"tint":4.0}"#),
        step("b", "channel-mix", 0.6, r#"{"red_green":0.25,"blue_red":-0.1}"#),
        step(
            "c",
            "slope-offset-power",
            1.0,
            r#"{"red_slope":1.1,"blue_offset":0.02,"green_power":1.15,"saturation":0.9}"#,
        ),
        step("d", "curves", 0.5, r#"{"red":[[-4.0,-3.0],[0.0,0.4],[4.0,4.0]]}"#),
        step("e", "saturation", 1.0, r#"{"amount":1.2}"#),
        step("f", "levels", 1.0, r#"{"middle":0.45}"#),
    ];
    let look =
        format!(r#"{{"version":2,"name":"Formulas","path":{{"steps":[{}],"groups":[]}}}}"#, steps.join(","));
    let at = dir.join("formulas.json");
    std::fs::write(&at, look).unwrap();
    at
}

#[test]
fn a_look_of_formulas_needs_no_3d_table_and_is_exact_in_other_hands() {
    let dir = tempfile::tempdir().unwrap();
    let look = formulas(dir.path());
    let at = |name: &str| dir.path().join(name).display().to_string();
    for (from, to) in [("acescct", "acescct"), ("acescg", "acescct"), ("aces2065-1", "acescg")] {
        let table = at("t.clf");
        let said = bake(&look, from, to, &table, &["--format", "clf"]);
        assert!(said.contains("matrix") && !said.contains("3D"), "{said}");
        // Light and code values of a picture of any kind, also such as no display shows.
        let pixels = if from == "acescct" { spread(0.0, 1.0) } else { spread(0.001, 6.0) };
        let picture = lantern_core::picture::Picture::new(64, COUNT / 64, pixels.clone()).unwrap();
        std::fs::write(at("in.exr"), lantern_formats::exr::write(&picture, None).unwrap()).unwrap();
        let done = Command::new(env!("CARGO_BIN_EXE_dusky-lantern"))
            .args(["render", "--overwrite"])
            .arg("--look")
            .arg(&look)
            .args(["--from", from, "--to", to, &at("in.exr"), "-o", &at("out.exr")])
            .output()
            .unwrap();
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        let exact = lantern_formats::picture::read(&std::fs::read(at("out.exr")).unwrap()).unwrap().pixels;
        let theirs = opencolorio_of(dir.path(), &table, &pixels);
        // Where a channel comes out below zero it is a difference of large lights, in which floats themselves are lost.
        let (mut seen, light) = (0, exact.iter().zip(theirs).filter(|(a, _)| a.iter().all(|v| *v > 0.0)));
        for (a, b) in light {
            seen += 1;
            for c in 0..3 {
                assert!((a[c] - b[c]).abs() < 1e-5 * a[c].abs().max(1.0), "{from} to {to}: {a:?} {b:?}");
            }
        }
        assert!(seen > COUNT / 3, "{from} to {to}: {seen}");
    }
    // Curves for each channel alone.
    let text = std::fs::read_to_string(&look).unwrap();
    let start = text.find(r#"{"id":"d""#).unwrap();
    let end = text[start..].find(r#",{"id":"e""#).unwrap() + start;
    let curves =
        format!(r#"{{"version":2,"name":"Curves","path":{{"steps":[{}],"groups":[]}}}}"#, &text[start..end]);
    std::fs::write(at("curves.json"), curves).unwrap();
    let table = at("t.spi1d");
    bake(Path::new(&at("curves.json")), "acescct", "acescct", &table, &["--format", "spi1d"]);
    let pixels = spread(0.0, 1.0);
    let mut ours = pixels.clone();
    lantern_formats::registry::read_table(&std::fs::read(&table).unwrap(), "t").unwrap().apply(&mut ours);
    assert!(worst(&ours, opencolorio_of(dir.path(), &table, &pixels).into_iter()) < 2e-4);
}

#[test]
fn a_second_reader_of_the_common_lut_format_finds_the_same_nodes() {
    let dir = tempfile::tempdir().unwrap();
    let table = dir.path().join("t.clf");
    let look = formulas(dir.path());
    bake(&look, "aces2065-1", "acescct", &table.display().to_string(), &["--format", "clf"]);
    let script = "import sys, colour_clf_io as c\nl = c.read_clf_from_file(sys.argv[1])\nprint(','.join(type(n).__name__ for n in l.process_nodes))";
    let done =
        Command::new(root().join(".venv/bin/python")).args(["-c", script]).arg(&table).output().unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let nodes = String::from_utf8(done.stdout).unwrap().to_lowercase().replace('_', "");
    let read = lantern_formats::registry::read_table(&std::fs::read(&table).unwrap(), "t").unwrap();
    assert_eq!(nodes.trim().split(',').count(), read.operators().len(), "{nodes}");
    assert!(
        nodes.contains("matrix")
            && nodes.contains("log")
            && nodes.contains("lut1d")
            && nodes.contains("asccdl"),
        "{nodes}"
    );
}

#[test]
fn a_table_in_a_picture_is_read_by_two_others_within_three_codes() {
    let dir = tempfile::tempdir().unwrap();
    let at = |name: &str| dir.path().join(name).display().to_string();
    let look = root().join("core/starting-looks/ember-and-tide.json");
    bake(&look, "acescct", "rec709", &at("t.png"), &["--format", "hald", "--size", "17"]);
    let identity = lantern_formats::hald::identity(5).unwrap();
    std::fs::write(
        at("in.png"),
        lantern_formats::png::write(&identity, lantern_formats::Depth::Sixteen).unwrap(),
    )
    .unwrap();
    // As the others get it: in 16 bit.
    let mut ours = lantern_formats::picture::read(&std::fs::read(at("in.png")).unwrap()).unwrap().pixels;
    let bytes = std::fs::read(at("t.png")).unwrap();
    lantern_formats::registry::read_table(&bytes, "t").unwrap().apply(&mut ours);
    let (input, table) = (at("in.png"), at("t.png"));
    let (by_ffmpeg, by_magick) = (at("f.png"), at("m.png"));
    let runs = [
        (
            "ffmpeg",
            vec![
                "-v",
                "error",
                "-y",
                "-i",
                &input,
                "-i",
                &table,
                "-filter_complex",
                "haldclut=interp=tetrahedral",
                "-pix_fmt",
                "rgb48be",
                &by_ffmpeg,
            ],
            &by_ffmpeg,
        ),
        ("convert", vec![&input, &table, "-hald-clut", &by_magick], &by_magick),
    ];
    for (program, arguments, out) in runs {
        let done = Command::new(program).args(&arguments).output().unwrap();
        assert!(done.status.success(), "{program}: {}", String::from_utf8_lossy(&done.stderr));
        let theirs = lantern_formats::picture::read(&std::fs::read(out).unwrap()).unwrap();
        let apart = worst(&ours, theirs.pixels.iter().map(|p| [p[0], p[1], p[2]]));
        assert!(apart * 65_535.0 < 3.01, "{program}: {} codes", apart * 65_535.0);
    }
}
