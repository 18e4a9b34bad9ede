//! Wrong input: one clear line on stderr, status 1, nothing written, no panic.

#![allow(clippy::unwrap_used)]

use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn demo(file: &str) -> String {
    let root: PathBuf = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().into();
    root.join("demo/data").join(file).display().to_string()
}

fn lantern(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_dusky-lantern")).args(arguments).output().unwrap()
}

/// Runs a command that has to fail with one line that says `want`.
fn refuses(arguments: &[&str], want: &str) {
    let done = lantern(arguments);
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert_eq!(done.status.code(), Some(1), "{arguments:?}: {said}");
    assert!(said.contains(want) && said.trim_end().lines().count() == 1, "{arguments:?}: {said}");
    assert!(!said.contains("panicked"));
}

struct Files(tempfile::TempDir);

impl Files {
    fn new() -> Self {
        Self(tempfile::tempdir().unwrap())
    }

    fn write(&self, name: &str, bytes: impl AsRef<[u8]>) -> String {
        let path = self.0.path().join(name);
        std::fs::write(&path, bytes).unwrap();
        path.display().to_string()
    }

    fn path(&self, name: &str) -> String {
        self.0.path().join(name).display().to_string()
    }
}

#[test]
fn tables_that_are_cut_short_or_wrong_are_refused() {
    let f = Files::new();
    let (picture, out) = (demo("workbench.png"), f.path("out.png"));
    let apply = |table: &str, want: &str| refuses(&["apply", "--table", table, &picture, "-o", &out], want);
    apply(&f.write("short.cube", "LUT_3D_SIZE 33\n0 0 0\n0.1 0 0\n"), "cut short");
    apply(&f.write("word.cube", "LUT_3D_SIZE 2\n0 0 zero\n"), "line 2");
    apply(&f.write("bytes.cube", [0xff, 0x00, 0x80]), "not a text file");
    apply(&f.path("none.cube"), "No such file");
    assert!(!Path::new(&out).exists());
}

#[test]
fn unknown_encodings_and_looks_of_later_versions_are_refused() {
    let f = Files::new();
    let (look, out) = (demo("looks/harbour-dusk.look.json"), f.path("out.cube"));
    refuses(
        &["bake", "--look", &look, "--from", "log-z", "--to", "rec709", "-o", &out],
        "no encoding “log-z”",
    );
    let later = f.write("later.json", r#"{ "version": 9, "name": "x", "path": { "steps": [] } }"#);
    refuses(&["bake", "--look", &later, "--from", "acescct", "--to", "rec709", "-o", &out], "version 9");
    let scene = ["bake", "--look", &look, "--from", "acescct", "--to", "acescct", "-o", &out];
    refuses(&scene, "scene-referred");
    assert!(!Path::new(&out).exists());
}

#[test]
fn a_look_with_a_value_that_is_no_number_is_refused_by_name() {
    let f = Files::new();
    let text = std::fs::read_to_string(demo("looks/harbour-dusk.look.json")).unwrap();
    let out = f.path("out.cube");
    for (value, want) in [("1e999", "out of range"), ("null", "expected f64"), ("40.0", "Exposure is 40")] {
        let broken =
            f.write("nan.json", text.replacen("\"exposure\": 0.3", &format!("\"exposure\": {value}"), 1));
        refuses(&["bake", "--look", &broken, "--from", "acescct", "--to", "rec709", "-o", &out], want);
    }
}

#[test]
fn a_png_header_of_ten_gigapixels_is_refused() {
    let f = Files::new();
    // IHDR of 100,000 x 100,000, 8-bit RGB, with its own right checksum (PNG, annex D).
    let mut header = b"IHDR".to_vec();
    header.extend([0, 1, 0x86, 0xa0, 0, 1, 0x86, 0xa0, 8, 2, 0, 0, 0]);
    let crc = !header.iter().fold(!0_u32, |c, b| {
        (0..8).fold(c ^ u32::from(*b), |c, _| if c & 1 == 1 { 0xedb8_8320 ^ (c >> 1) } else { c >> 1 })
    });
    let mut png = vec![0x89, b'P', b'N', b'G', 13, 10, 26, 10, 0, 0, 0, 13];
    png.extend(header);
    png.extend(crc.to_be_bytes());
    // An empty IDAT, so that the reader gets as far as the size.
    png.extend([0, 0, 0, 0, b'I', b'D', b'A', b'T', 0x35, 0xaf, 0x06, 0x1e]);
    refuses(&["inspect", &f.write("huge.png", png)], "too large");
}

#[test]
fn wrong_usage_is_status_2() {
    assert_eq!(lantern(&["bake", "--size", "34"]).status.code(), Some(2));
}

#[test]
fn inspect_and_encodings_say_what_things_are() {
    let said = |arguments: &[&str]| String::from_utf8(lantern(arguments).stdout).unwrap();
    assert!(said(&["inspect", &demo("harrier.camera.json")]).contains("18 % grey at code: 0.40"));
    assert!(
        said(&["inspect", &demo("looks/harbour-dusk.look.json")])
            .contains("Scene: Amber over slate (Tone tint), 80 %")
    );
    assert!(said(&["inspect", &demo("workbench.png")]).contains("width: 1920"));
    assert_eq!(said(&["encodings"]).lines().count(), 18);
}
