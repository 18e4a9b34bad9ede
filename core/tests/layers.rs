//! Who uses whom: each folder of the core uses those below it and no other. The layers are those of `src/lib.rs`, in that
//! order.

#![allow(clippy::unwrap_used)]

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

/// The layers in the order in which `lib.rs` lists them, lowest first.
fn layers(lib: &str) -> Vec<String> {
    let listed = lib.lines().filter_map(|l| l.strip_prefix("//! * [`"));
    listed.map(|l| l.split('`').next().unwrap().to_owned()).collect()
}

fn sources(folder: &Path, into: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            sources(&path, into);
        } else if path.extension().is_some_and(|e| e == "rs") {
            into.push(path);
        }
    }
}

/// The code of a file: without comments, and without its tests, which may use anything.
fn code(text: &str) -> String {
    let before_tests = text.split("#[cfg(test)]").next().unwrap();
    before_tests.lines().map(|l| l.split("//").next().unwrap()).collect::<Vec<_>>().join("\n")
}

/// The first part of every path that begins at the crate, in groups too.
fn used(code: &str) -> BTreeSet<String> {
    let word = |text: &str| text.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect::<String>();
    let mut found = BTreeSet::new();
    for (at, start) in code.match_indices("crate::") {
        let rest = &code[at + start.len()..];
        let Some(group) = rest.strip_prefix('{') else {
            found.insert(word(rest));
            continue;
        };
        // What stands at the beginning and after each comma of the outermost group.
        let (mut depth, mut next) = (0, true);
        for (i, c) in group.char_indices() {
            match c {
                '{' => depth += 1,
                '}' if depth == 0 => break,
                '}' => depth -= 1,
                ',' if depth == 0 => next = true,
                c if next && !c.is_whitespace() => {
                    found.insert(word(&group[i..]));
                    next = false;
                }
                _ => {}
            }
        }
    }
    found
}

#[test]
fn no_arrow_runs_up() {
    let root = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("src");
    let lib = std::fs::read_to_string(root.join("lib.rs")).unwrap();
    let layers = layers(&lib);
    let modules: BTreeSet<&str> =
        lib.lines().filter_map(|l| l.strip_prefix("pub mod ")).map(|l| l.trim_end_matches(';')).collect();
    assert_eq!(modules, layers.iter().map(String::as_str).collect(), "lib.rs lists every module");
    let place = |name: &str| layers.iter().position(|l| l == name);
    let mut files = Vec::new();
    sources(&root, &mut files);
    let (mut faults, mut arrows) = (Vec::new(), 0);
    for file in files {
        let inside = file.strip_prefix(&root).unwrap();
        let first = inside.iter().next().unwrap().to_str().unwrap().trim_end_matches(".rs").to_owned();
        let Some(own) = place(&first) else { continue };
        for name in used(&code(&std::fs::read_to_string(&file).unwrap())) {
            let Some(other) = place(&name) else { continue };
            arrows += usize::from(other != own);
            if other > own {
                faults.push(format!("{} uses {name}", inside.display()));
            }
        }
    }
    assert!(arrows > 100, "paths are found: {arrows}");
    assert!(faults.is_empty(), "arrows that run up:\n{}", faults.join("\n"));
}

#[test]
fn paths_are_found_wherever_they_stand() {
    let code = "use crate::{a::B, c::{D, e::F}, g};\nlet x = crate::h::f();\nuse lantern::i;";
    let found: Vec<String> = used(code).into_iter().collect();
    assert_eq!(found, ["a", "c", "g", "h"]);
}
