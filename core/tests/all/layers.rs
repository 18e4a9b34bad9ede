//! Who uses whom: each folder of the core uses those below it and no other. The layers are those of `src/lib.rs`, in that
//! order.

#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};
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

/// The code of a file: without comments, and without its tests, which may use anything. A circle that has to be is justified
/// in one line, on the line where it stands.
fn code(text: &str) -> String {
    let before_tests = text.split("#[cfg(test)]").next().unwrap();
    let counted = before_tests.lines().filter(|l| !l.contains("// A circle: "));
    counted.map(|l| l.split("//").next().unwrap()).collect::<Vec<_>>().join("\n")
}

/// A path of modules and names.
type Name = Vec<String>;

/// Reads one path of a `use` and what its groups hold; gives the rest of the text.
fn tree<'a>(text: &'a str, before: &[String], into: &mut Vec<Name>) -> &'a str {
    let mut text = text.trim_start();
    let mut path = before.to_vec();
    loop {
        if let Some(group) = text.strip_prefix('{') {
            text = group.trim_start();
            while !text.starts_with('}') && !text.is_empty() {
                text = tree(text, &path, into).trim_start();
                text = text.strip_prefix(',').unwrap_or(text).trim_start();
            }
            return text.strip_prefix('}').unwrap_or(text);
        }
        let end = text.find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(text.len());
        path.push(text[..end].to_owned());
        match text[end..].strip_prefix("::") {
            Some(rest) if rest.starts_with(|c: char| c.is_alphabetic() || c == '_' || c == '{') => {
                text = rest
            }
            // A wildcard, generic arguments, or the end.
            rest => {
                into.push(path);
                let rest = rest.map_or(&text[end..], |r| r.trim_start_matches('*'));
                // Another name for it.
                return match rest.trim_start().strip_prefix("as ") {
                    Some(name) => name.trim_start_matches(|c: char| c.is_alphanumeric() || c == '_'),
                    None => rest,
                };
            }
        }
    }
}

/// Every path that begins at the crate or at the module above, those of groups one by one, as seen from the module `at`.
fn paths(code: &str, at: &[String]) -> Vec<Name> {
    let mut found = Vec::new();
    for start in ["crate::", "super::"] {
        for (i, _) in code.match_indices(start) {
            let inside = code[..i].ends_with(|c: char| c.is_alphanumeric() || c == '_' || c == ':');
            if !inside {
                tree(&code[i..], &[], &mut found);
            }
        }
    }
    let whole = |path: Name| {
        let up = path.iter().take_while(|p| *p == "super").count();
        let from_here = path[0] != "crate";
        let base = if from_here { at.get(..at.len().checked_sub(up)?)? } else { &[] };
        let own = &path[if from_here { up } else { 1 }..];
        Some([base, own].concat())
    };
    found.into_iter().filter_map(whole).collect()
}

/// The first part of every path that begins at the crate, in groups too.
fn used(code: &str) -> BTreeSet<String> {
    paths(code, &[]).into_iter().filter_map(|p| p.into_iter().next()).collect()
}

/// The module that a file is.
fn module(inside: &Path) -> Name {
    let mut name: Name = inside.with_extension("").iter().map(|p| p.to_str().unwrap().to_owned()).collect();
    if name.last().is_some_and(|n| n == "mod" || n == "lib") {
        name.pop();
    }
    name
}

/// A way from one room back to itself, where there is one.
fn circle(arrows: &BTreeMap<String, BTreeSet<String>>) -> Option<Vec<String>> {
    fn go<'a>(
        at: &'a str,
        arrows: &'a BTreeMap<String, BTreeSet<String>>,
        way: &mut Vec<&'a str>,
        done: &mut BTreeSet<&'a str>,
    ) -> Option<Vec<String>> {
        if let Some(i) = way.iter().position(|w| *w == at) {
            return Some(way[i..].iter().chain([&at]).map(|w| (*w).to_owned()).collect());
        }
        if !done.insert(at) {
            return None;
        }
        way.push(at);
        let found = arrows.get(at).into_iter().flatten().find_map(|next| go(next, arrows, way, done));
        way.pop();
        found
    }
    let mut done = BTreeSet::new();
    arrows.keys().find_map(|start| go(start, arrows, &mut Vec::new(), &mut done))
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

/// Rooms of a folder: its files and the folders in it. What its own `mod.rs` gives away under its name belongs to the room
/// that it comes from.
#[test]
fn no_circle_runs_inside_a_folder() {
    let root = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut files = Vec::new();
    sources(&root, &mut files);
    let all: Vec<(Name, Vec<Name>)> = files
        .iter()
        .map(|file| {
            let at = module(file.strip_prefix(&root).unwrap());
            let folder = file.ends_with("mod.rs");
            let text = code(&std::fs::read_to_string(file).unwrap());
            // From a folder's own file `super` is the folder above; from any other, the folder that it lies in.
            let mut found = paths(&text, &at);
            if folder {
                // What it gives away: named from here.
                for (i, start) in
                    text.match_indices("pub use ").filter(|(i, _)| !text[*i..].starts_with("pub use crate"))
                {
                    let mut names = Vec::new();
                    tree(&text[i + start.len()..], &at, &mut names);
                    found.extend(names);
                }
            }
            (at, found)
        })
        .collect();
    let modules: BTreeSet<&Name> = all.iter().map(|(at, _)| at).collect();
    let mut given: BTreeMap<Name, Name> = BTreeMap::new();
    for (at, found) in &all {
        for name in found.iter().filter(|n| n.len() == at.len() + 2 && n.starts_with(at)) {
            let short = [at.as_slice(), &name[name.len() - 1..]].concat();
            given.insert(short, name.clone());
        }
    }
    let folders: BTreeSet<&[String]> =
        modules.iter().filter_map(|m| m.split_last()).map(|(_, f)| f).collect();
    let (mut faults, mut counted) = (Vec::new(), 0);
    for folder in folders.into_iter().filter(|f| !f.is_empty()) {
        let mut arrows: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (at, found) in all.iter().filter(|(at, _)| at.starts_with(folder) && at.len() > folder.len()) {
            let own = &at[folder.len()];
            for name in found.iter().map(|n| given.get(n.get(..=folder.len()).unwrap_or(n)).unwrap_or(n)) {
                let Some(other) = name.get(folder.len()).filter(|_| name.starts_with(folder)) else {
                    continue;
                };
                let is_room = modules.contains(&[folder, std::slice::from_ref(other)].concat());
                if is_room && other != own {
                    counted += 1;
                    arrows.entry(own.clone()).or_default().insert(other.clone());
                }
            }
        }
        while let Some(way) = circle(&arrows) {
            faults.push(format!("{}: {}", folder.join("/"), way.join(" uses ")));
            // Without its last arrow, so that others are found too.
            arrows.get_mut(&way[way.len() - 2]).unwrap().remove(&way[way.len() - 1]);
        }
    }
    assert!(counted > 100, "arrows are found: {counted}");
    assert!(faults.is_empty(), "circles:\n{}", faults.join("\n"));
}

#[test]
fn paths_are_found_wherever_they_stand() {
    let code = "use crate::{a::B, c::{D, e::F}, g};\nlet x = crate::h::f();\nuse lantern::i;";
    let found: Vec<String> = used(code).into_iter().collect();
    assert_eq!(found, ["a", "c", "g", "h"]);
}
