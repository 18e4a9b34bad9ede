//! A sequence in parts, on several machines, stopped and begun again: the same bits as one run.

#![allow(clippy::unwrap_used)]

use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};
use std::time::{Duration, Instant};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().into()
}

/// A look with everything that goes by the frame's number.
fn look(dir: &Path) -> String {
    let text = std::fs::read_to_string(root().join("demo/data/looks/harbour-dusk.look.json")).unwrap();
    let mut look = lantern_core::look::Look::from_json(&text).unwrap();
    for kind in ["grain", "gate-weave", "flicker"] {
        let mut values = serde_json::to_value(lantern_core::step::Values::neutral(kind).unwrap()).unwrap();
        for (name, v) in values["values"].as_object_mut().unwrap() {
            if ["amount", "sideways", "up", "brightness"].iter().any(|w| name.contains(w)) && v.is_f64() {
                *v = serde_json::json!(0.2);
            }
        }
        let values = serde_json::from_value(values).unwrap();
        look.path.steps.push(lantern_core::look::Step::new(kind, lantern_core::step::Zone::Film, values));
    }
    // In the Film zone steps stand in the order of the kinds.
    let kinds = lantern_core::step::KINDS;
    let place = |s: &lantern_core::look::Step| kinds.iter().position(|k| k.kind == s.values.info().kind);
    let film = lantern_core::step::Zone::Film;
    look.path.steps.sort_by_key(|s| (s.zone as u8, if s.zone == film { place(s) } else { None }));
    let at = dir.join("l.json");
    std::fs::write(&at, look.to_json()).unwrap();
    lantern_core::look::Look::from_json(&look.to_json()).unwrap();
    at.display().to_string()
}

/// A sequence of small frames, the wrong way round in its folder.
fn frames(dir: &Path, count: u32) {
    std::fs::create_dir(dir).unwrap();
    for k in (0..count).rev() {
        let at = |i: usize| [(i % 64) as f32 / 63.0, (i / 64) as f32 / 35.0, (k as f32 / 30.0).fract(), 1.0];
        let picture = lantern_core::picture::Picture::new(64, 36, (0..64 * 36).map(at).collect()).unwrap();
        let png = lantern_formats::png::write(&picture, lantern_formats::Depth::Sixteen).unwrap();
        std::fs::write(dir.join(format!("sea.{:04}.png", 1001 + k)), png).unwrap();
    }
}

fn render(dir: &Path, look: &str, out: &str, more: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_dusky-lantern"));
    let (from, to) = (dir.join("in/sea.%04d.png"), dir.join(out).join("graded.%04d.tiff"));
    command.args(["render", "--look", look, "--from", "acescct", "--to", "rec709"]);
    command.arg(from).arg("-o").arg(to).args(more);
    command
}

fn done(mut command: Command) -> Output {
    let done = command.output().unwrap();
    assert!(done.status.success(), "{command:?}: {}", String::from_utf8_lossy(&done.stderr));
    done
}

fn results(dir: &Path) -> Vec<(String, Vec<u8>)> {
    let mut all: Vec<(String, Vec<u8>)> = std::fs::read_dir(dir)
        .unwrap()
        .map(|e| e.unwrap().path())
        .filter(|p| p.extension().is_some_and(|e| e == "tiff"))
        .map(|p| (p.file_name().unwrap().to_string_lossy().into_owned(), std::fs::read(&p).unwrap()))
        .collect();
    all.sort();
    all
}

#[test]
fn four_parts_in_any_order_killed_twice_are_one_run() {
    let dir = tempfile::tempdir().unwrap();
    let look = look(dir.path());
    frames(&dir.path().join("in"), 24);
    for out in ["whole", "parts"] {
        std::fs::create_dir(dir.path().join(out)).unwrap();
    }
    done(render(dir.path(), &look, "whole", &[]));
    for (part, killed) in [("3/4", true), ("1/4", false), ("4/4", true), ("2/4", false)] {
        if killed {
            let before = results(&dir.path().join("parts")).len();
            let mut child =
                render(dir.path(), &look, "parts", &["--part", part]).stderr(Stdio::null()).spawn().unwrap();
            let begun = Instant::now();
            // As soon as a frame stands there, or it has ended by itself.
            while results(&dir.path().join("parts")).len() == before
                && child.try_wait().unwrap().is_none()
                && begun.elapsed() < Duration::from_secs(600)
            {
                std::thread::yield_now();
            }
            let _ = child.kill();
            child.wait().unwrap();
        }
        done(render(dir.path(), &look, "parts", &["--part", part]));
    }
    let (whole, parts) = (results(&dir.path().join("whole")), results(&dir.path().join("parts")));
    assert_eq!(whole.len(), 24);
    assert!(whole == parts, "the same bits");
    assert!(whole.windows(2).all(|w| w[0].1 != w[1].1), "grain is different in each frame");
}

#[test]
fn what_is_right_is_kept_and_what_is_not_is_made_anew() {
    let dir = tempfile::tempdir().unwrap();
    let look = look(dir.path());
    frames(&dir.path().join("in"), 4);
    let out = dir.path().join("out");
    std::fs::create_dir(&out).unwrap();
    done(render(dir.path(), &look, "out", &["--resume"]));
    let first = results(&out);
    let time = |name: &str| std::fs::metadata(out.join(name)).unwrap().modified().unwrap();
    let times: Vec<_> = first.iter().map(|f| time(&f.0)).collect();
    // One result broken, one source changed.
    std::fs::write(out.join("graded.1002.tiff"), b"broken").unwrap();
    std::fs::copy(dir.path().join("in/sea.1001.png"), dir.path().join("in/sea.1004.png")).unwrap();
    done(render(dir.path(), &look, "out", &["--resume"]));
    let second = results(&out);
    assert_eq!(second[1], first[1], "made anew");
    assert_ne!(second[3].1, first[3].1, "of the new source");
    for i in [0, 2] {
        assert_eq!(time(&first[i].0), times[i], "left alone");
    }
    // A part of one frame is kept too.
    done(render(dir.path(), &look, "out", &["--part", "1/4"]));
    assert_eq!(time("graded.1001.tiff"), times[0], "left alone in a part of one");
    // Where nothing is said, all that is asked for is made.
    done(render(dir.path(), &look, "out", &["--frames", "1001-1002", "--overwrite"]));
    assert!(time("graded.1001.tiff") > times[0] && time("graded.1003.tiff") == times[2]);
    assert_eq!(results(&out)[0], first[0]);
}

#[test]
fn a_frame_that_fails_is_said_and_the_others_are_made() {
    let dir = tempfile::tempdir().unwrap();
    let look = look(dir.path());
    frames(&dir.path().join("in"), 4);
    std::fs::create_dir(dir.path().join("out")).unwrap();
    std::fs::write(dir.path().join("in/sea.1003.png"), b"\x89PNG\r\n\x1a\nnothing").unwrap();
    let done = render(dir.path(), &look, "out", &["--overwrite"]).output().unwrap();
    assert_eq!(done.status.code(), Some(1));
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(said.contains("sea.1003.png") && said.contains("1 of 4 pictures could not be made"), "{said}");
    assert_eq!(results(&dir.path().join("out")).len(), 3);
    for (more, want) in [
        (["--frames", "2000-2001"], "no frame from 2000 to 2001"),
        (["--frames", "9-3"], "are no frames"),
        (["--part", "5/4"], "is no part"),
    ] {
        let done = render(dir.path(), &look, "out", &more).output().unwrap();
        assert!(!done.status.success());
        assert!(
            String::from_utf8_lossy(&done.stderr).contains(want),
            "{}",
            String::from_utf8_lossy(&done.stderr)
        );
    }
}

#[test]
fn the_array_script_takes_its_count_from_a_variable_of_its_own() {
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().join("deploy/render.slurm");
    let run = |task: &str, count: &str, parts: Option<&str>| {
        let mut bash = Command::new("bash");
        bash.arg(&script).args(["--look", "a b.json"]).env("DUSKY_LANTERN", "echo");
        bash.env("SLURM_ARRAY_TASK_ID", task).env("SLURM_ARRAY_TASK_COUNT", count).env_remove("PARTS");
        bash.envs(parts.map(|p| ("PARTS", p)));
        let done = bash.output().unwrap();
        (done.status.success(), String::from_utf8(done.stdout).unwrap().trim().to_owned())
    };
    let said = |part: &str| (true, format!("render --look a b.json --part {part}"));
    assert_eq!(run("7", "20", None), said("7/20"));
    // One part handed in again: an array of one.
    assert_eq!(run("7", "1", Some("20")), said("7/20"));
    assert!(!run("7", "1", None).0);
}
