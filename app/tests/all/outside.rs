//! Baked tables in other programs' hands: OpenColorIO and ffmpeg give the picture that we give.

#![allow(clippy::unwrap_used)]

use lantern_core::picture::Picture;
use std::path::{Path, PathBuf};
use std::process::Command;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().into()
}

fn demo(file: &str) -> String {
    root().join("demo/data").join(file).display().to_string()
}

fn lantern(arguments: &[&str]) {
    let done = Command::new(env!("CARGO_BIN_EXE_dusky-lantern")).args(arguments).output().unwrap();
    assert!(done.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&done.stderr));
}

fn read(path: &Path) -> Picture {
    lantern_formats::picture::read(&std::fs::read(path).unwrap()).unwrap()
}

/// A folder with the demo look baked from the camera to BT.709, and one demo picture.
fn baked(size: &str) -> (tempfile::TempDir, String) {
    let dir = tempfile::tempdir().unwrap();
    let table = dir.path().join("look.cube").display().to_string();
    let look = demo("looks/harbour-dusk.look.json");
    let camera = demo("harrier.camera.json");
    lantern(&["bake", "--look", &look, "--from", &camera, "--to", "rec709", "--size", size, "-o", &table]);
    (dir, table)
}

#[test]
fn opencolorio_reads_our_table_as_we_do() {
    let python = root().join(".venv/bin/python");
    assert!(python.is_file(), "OpenColorIO is installed by `cargo xtask test`");
    for size in ["33", "65"] {
        let (dir, table) = baked(size);
        for picture in ["workbench.png", "lantern-market.png"] {
            let input = read(Path::new(&demo(picture))).fit_within(960, 960);
            let (source, target) = (dir.path().join("in.raw"), dir.path().join("out.raw"));
            let bytes: Vec<u8> = input.pixels.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
            std::fs::write(&source, bytes).unwrap();
            let script = root().join("xtask/outside.py");
            let done = Command::new(&python)
                .arg(script)
                .args(["apply", &table])
                .args([&source, &target])
                .output()
                .unwrap();
            assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
            let theirs = std::fs::read(&target).unwrap();
            let theirs = theirs.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]));

            let mut ours = input;
            lantern_formats::cube::read(&std::fs::read(&table).unwrap()).unwrap().apply(&mut ours.pixels);
            let apart =
                ours.pixels.iter().flatten().zip(theirs).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
            assert!(apart < 2e-4, "{picture} at {size} points: {apart}");
        }
    }
}

#[test]
fn ffmpeg_gives_the_picture_that_apply_gives_within_three_16_bit_codes() {
    let (dir, table) = baked("33");
    let (ours, theirs) = (dir.path().join("ours.png"), dir.path().join("theirs.png"));
    let picture = demo("kelp-greenhouse.png");
    lantern(&["apply", "--table", &table, &picture, "-o", &ours.display().to_string()]);
    let filter = format!("format=rgb48le,lut3d=file={table}:interp=tetrahedral");
    let done = Command::new("ffmpeg")
        .args(["-v", "error", "-y", "-i", &picture, "-vf", &filter, "-pix_fmt", "rgb48be"])
        .arg(&theirs)
        .output()
        .unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let (a, b) = (read(&ours), read(&theirs));
    let apart = a.pixels.iter().flatten().zip(b.pixels.iter().flatten()).map(|(a, b)| (a - b).abs());
    let most = apart.fold(0.0, f32::max) * 65535.0;
    assert!(most < 3.01, "{most} codes");
}

#[test]
fn a_table_gives_the_picture_that_render_gives_within_its_reported_fidelity() {
    let (dir, table) = baked("65");
    let (rendered, applied) = (dir.path().join("r.exr"), dir.path().join("a.exr"));
    let (look, camera, picture) =
        (demo("looks/harbour-dusk.look.json"), demo("harrier.camera.json"), demo("workbench.png"));
    let out = rendered.display().to_string();
    lantern(&["render", "--look", &look, "--from", &camera, "--to", "rec709", &picture, "-o", &out]);
    lantern(&["apply", "--table", &table, &picture, "-o", &applied.display().to_string()]);
    let done = Command::new(env!("CARGO_BIN_EXE_dusky-lantern"))
        .args(["compare", "--json"])
        .args([&rendered, &applied])
        .output()
        .unwrap();
    let report: serde_json::Value = serde_json::from_slice(&done.stdout).unwrap();
    assert!(report["mean"].as_f64().unwrap() < 0.08 && report["p99"].as_f64().unwrap() < 0.4, "{report}");
}

#[test]
fn a_33_point_acescct_table_of_the_demo_look_holds_its_fidelity_over_the_demo_pictures() {
    let dir = tempfile::tempdir().unwrap();
    let path = |name: &str| dir.path().join(name).display().to_string();
    let (look, camera) = (demo("looks/harbour-dusk.look.json"), demo("harrier.camera.json"));
    let mut proofs = Vec::new();
    for picture in ["workbench", "lantern-market", "kelp-greenhouse"] {
        let proof = path(&format!("{picture}.png"));
        lantern(&[
            "render",
            "--from",
            &camera,
            "--to",
            "acescct",
            &demo(&format!("{picture}.png")),
            "-o",
            &proof,
        ]);
        proofs.push(proof);
    }
    let (table, report) = (path("t.cube"), path("t.json"));
    let mut bake = vec!["bake", "--look", &look, "--from", "acescct", "--to", "rec709", "-o", &table];
    bake.extend(["--report", &report, "--proof"]);
    bake.extend(proofs.iter().map(String::as_str));
    lantern(&bake);
    let report: serde_json::Value = serde_json::from_str(&std::fs::read_to_string(&report).unwrap()).unwrap();
    let pictures = &report["pictures"];
    assert!(pictures["p99"].as_f64().unwrap() < 0.8, "{pictures}");
    assert!(pictures["mean"].as_f64().unwrap() < MEAN, "{pictures}");
}

/// The bar for the mean; see docs/tables.md for what bounds it.
const MEAN: f64 = 0.15;
