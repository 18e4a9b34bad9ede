//! What `docs/extending.md` promises: where a step kind and a picture format stand, and nowhere else.

#![allow(clippy::unwrap_used)]

use std::path::{Path, PathBuf};

fn sources(folder: &Path, into: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            sources(&path, into);
        } else {
            into.push(path);
        }
    }
}

/// Files of the program whose code has a word: comments, tests, examples and what is generated do not count.
fn places(word: &str) -> Vec<String> {
    let root = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut files = Vec::new();
    for folder in ["core/src", "formats/src", "server/src", "app/src", "web/src"] {
        sources(&root.join(folder), &mut files);
    }
    let is_word = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    let holds = |line: &str| {
        let code = line.split("//").next().unwrap();
        code.match_indices(word).any(|(at, _)| {
            !is_word(code[..at].chars().next_back()) && !is_word(code[at + word.len()..].chars().next())
        })
    };
    let mut found: Vec<String> = files
        .iter()
        .filter_map(|f| {
            let name = f.strip_prefix(&root).unwrap().to_str().unwrap().to_owned();
            let counts = [".rs", ".ts", ".tsx"].iter().any(|e| name.ends_with(e))
                && !name.contains(".test.")
                && !name.contains("/testing/")
                && !name.ends_with("schema.d.ts");
            let text = counts.then(|| std::fs::read_to_string(f).unwrap())?;
            let code = text.split("#[cfg(test)]").next().unwrap();
            code.lines().any(holds).then_some(name)
        })
        .collect();
    found.sort();
    found
}

#[test]
fn a_scope_is_its_files_and_a_line_each() {
    // Counted here, and drawn by the page.
    assert_eq!(
        places("luma_waveform"),
        ["core/src/scope/mod.rs", "core/src/scope/waveform.rs", "server/src/preview/scopes.rs"]
    );
    assert_eq!(places("Histogram"), ["web/src/instruments/Histogram.tsx", "web/src/instruments/registry.ts"]);
}

#[test]
fn a_kind_of_step_is_its_file_and_a_line() {
    // Tints that are taken over from references are steps of this kind.
    let taken = "core/src/matching/taken.rs";
    assert_eq!(
        places("ToneTint"),
        [taken, "core/src/step/mod.rs", "core/src/step/tone_tint.rs", "server/src/preview/reading.rs"]
    );
    assert_eq!(places("Vignette")[0], "core/src/step/mod.rs");
    // With arithmetic of its own across pixels.
    let texture = [
        "core/src/step/flicker.rs",
        "core/src/step/mod.rs",
        "core/src/texture/flicker.rs",
        "core/src/texture/mod.rs",
    ];
    assert_eq!(places("Flicker"), texture);
    // On the page: its panel and a line, or nothing at all.
    assert_eq!(
        places("\"channel-mix\""),
        ["core/src/step/channel_mix.rs", "web/src/steps/ColourBodies.tsx", "web/src/steps/registry.tsx"]
    );
    assert_eq!(places("\"gate-weave\""), ["core/src/step/gate_weave.rs"]);
}

#[test]
fn a_picture_format_is_its_file_and_a_line() {
    // Reading goes by the list alone; clips are written as PNG and tables come as one.
    let dpx: Vec<String> = places("dpx").into_iter().filter(|p| !p.starts_with("web/")).collect();
    for place in &dpx {
        let own =
            ["formats/src/dpx.rs", "formats/src/registry.rs", "formats/src/lib.rs", "formats/src/facts.rs"];
        let names = ["app/src/command/frames.rs"];
        assert!(own.contains(&place.as_str()) || names.contains(&place.as_str()), "{place} knows of DPX");
    }
}
