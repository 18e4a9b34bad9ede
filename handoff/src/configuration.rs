//! A colour configuration for programs that read OpenColorIO's (version 2 of the format): the production's encodings, its
//! displays, and the look as a view of each.

use crate::plan::plain_name;
use crate::table_file::TableFileError;
use lantern_core::colour::Encoding;
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::table::{Operator, Table};
use lantern_formats::clf;
use std::collections::HashSet;
use std::fmt::Write as _;
use std::sync::atomic::AtomicBool;

/// Points on a side of the tables of a configuration where none are said.
pub const SIZE: usize = 65;

/// The name of its file.
pub const NAME: &str = "config.ocio";
/// The folder of its tables, beside it.
const TABLES: &str = "tables";
/// From what stands between all spaces to what the tables of views are given.
const CCT_FILE: &str = "aces2065-1_to_acescct.clf";

/// What a configuration is made of.
pub struct Wanted<'a> {
    /// What the look is called.
    pub look: &'a str,
    /// Its path.
    pub path: &'a Path,
    /// Encodings of pictures, beside those of ACES: names and what they are.
    pub cameras: &'a [(String, Encoding)],
    /// The displays.
    pub displays: &'a [Encoding],
    /// Points on a side of its tables.
    pub size: usize,
}

/// A file of a configuration: its path, and its text.
pub type File = (String, String);

/// Names that were given: none is given twice, whatever the case of its letters, which neither the format nor every file system
/// tells apart.
struct Names(HashSet<String>);

impl Names {
    /// With names that are taken from the start.
    fn new(taken: &[&str]) -> Self {
        Self(taken.iter().map(|n| n.to_lowercase()).collect())
    }

    /// The first of a name and what `counted` makes of 2, 3, ... that was not given yet.
    fn take(&mut self, name: String, counted: impl Fn(usize) -> String) -> String {
        let mut found = name;
        let mut n = 2;
        while !self.0.insert(found.to_lowercase()) {
            found = counted(n);
            n += 1;
        }
        found
    }

    /// A name for people.
    fn name(&mut self, name: &str) -> String {
        self.take(name.into(), |n| format!("{name} ({n})"))
    }

    /// A CLF file's name.
    fn file(&mut self, stem: &str) -> String {
        self.take(format!("{stem}.clf"), |n| format!("{stem}_{n}.clf"))
    }
}

/// Names that no other colour space may have: the configuration's roles, and [`RAW`].
const TAKEN: [&str; 8] = [
    "aces_interchange",
    "color_timing",
    "compositing_log",
    "data",
    "default",
    "reference",
    "scene_linear",
    RAW,
];

/// The space of numbers that are no colours.
const RAW: &str = "Raw";

/// A text in the quotes of YAML.
fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            c if c.is_control() => out.push(' '),
            c => out.push(c),
        }
    }
    out + "\""
}

/// An encoding's way to linear light of ACES2065-1, where formulas alone say it.
pub(crate) fn to_aces(
    name: &str,
    encoding: &Encoding,
    aces: &Encoding,
    cancel: &AtomicBool,
) -> Result<Option<Table>, TableFileError> {
    let program = Program::compile(&Path::default(), encoding, aces)
        .map_err(|e| TableFileError::Path(e.to_string()))?;
    let title = format!("{name} to {}", aces.name);
    let table = program.listed([encoding, aces], 2, false, &title, cancel)?;
    Ok(table.filter(|t| !t.operators().iter().any(|o| matches!(o, Operator::Cube(..)))))
}

/// Makes the files of a configuration. `None` when `cancel` was set meanwhile.
pub fn make(wanted: &Wanted<'_>, cancel: &AtomicBool) -> Result<Option<Vec<File>>, TableFileError> {
    let shipped = |id: &str| Encoding::find(id);
    let (Some(aces), Some(cct)) = (shipped("aces2065-1"), shipped("acescct")) else {
        return Ok(Some(Vec::new()));
    };
    let mut files: Vec<File> = Vec::new();
    let mut spaces = String::new();
    let (mut called, mut filed) = (Names::new(&TAKEN), Names::new(&[CCT_FILE]));
    called.name(&aces.name);
    space(&mut spaces, &aces.name, "scene-linear", &aces.title, None);
    let own = ["acescg", "acescct"].into_iter().filter_map(shipped).map(|e| (e.name.clone(), e));
    for (name, encoding) in own.chain(wanted.cameras.iter().cloned()) {
        if encoding.same_codes(&aces) {
            continue;
        }
        // What leads back is found from formulas alone.
        let Some(table) = to_aces(&name, &encoding, &aces, cancel)? else { continue };
        let name = called.name(&name);
        let file = filed.file(&format!("{}_to_aces2065-1", plain_name(&name, "camera")));
        let kind = if encoding.is_linear() { "scene-linear" } else { "log" };
        space(&mut spaces, &name, kind, &encoding.title, Some(("to_scene_reference", &[&file])));
        files.push((format!("{TABLES}/{file}"), clf::write(&table, &[])));
    }
    let mut displays = String::new();
    let mut names = Vec::new();
    let look = Names::new(&["Plain", RAW]).name(wanted.look);
    let views = [(look.as_str(), wanted.path), ("Plain", &Path::default())];
    let to_cct =
        Program::compile(&Path::default(), &aces, &cct).map_err(|e| TableFileError::Path(e.to_string()))?;
    let Some(to_cct) = to_cct.listed([&aces, &cct], 2, false, "ACES2065-1 to ACEScct", cancel)? else {
        return Ok(None);
    };
    files.push((format!("{TABLES}/{CCT_FILE}"), clf::write(&to_cct, &[])));
    for display in wanted.displays {
        let _ = writeln!(displays, "  {}:", quoted(&display.name));
        names.push(quoted(&display.name));
        for (name, path) in views {
            let program =
                Program::compile(path, &cct, display).map_err(|e| TableFileError::Path(e.to_string()))?;
            let title = format!("{name}: acescct to {}", display.id);
            let Some(table) = program.listed([&cct, display], wanted.size, false, &title, cancel)? else {
                return Ok(None);
            };
            let file = filed.file(&format!(
                "{}_acescct_to_{}",
                plain_name(name, "look"),
                plain_name(&display.id, "display")
            ));
            let shown = called.name(&format!("{} - {name}", display.name));
            let way = ("from_scene_reference", &[CCT_FILE, file.as_str()][..]);
            let is = format!("{name} on {}", display.name);
            space(
                &mut spaces,
                &shown,
                if display.is_hdr() { "hdr-video" } else { "sdr-video" },
                &is,
                Some(way),
            );
            let _ = writeln!(
                displays,
                "    - !<View> {{name: {}, colorspace: {}}}",
                quoted(name),
                quoted(&shown)
            );
            files.push((format!("{TABLES}/{file}"), clf::write(&table, &[])));
        }
        displays.push_str("    - !<View> {name: Raw, colorspace: Raw}\n");
    }
    let views: Vec<String> = [&look, "Plain", RAW].iter().map(|v| quoted(v)).collect();
    let description = format!("{}, with its displays. Made by Dusky Lantern.", wanted.look);
    let text = format!(
        "ocio_profile_version: 2\n\nname: {}\ndescription: {}\nenvironment: {{}}\nsearch_path: {TABLES}\nstrictparsing: true\n\
         luma: [0.2126, 0.7152, 0.0722]\n\nroles:\n  aces_interchange: {aces}\n  color_timing: ACEScct\n  compositing_log: ACEScct\n  \
         data: Raw\n  default: {aces}\n  reference: {aces}\n  scene_linear: {cg}\n\nfile_rules:\n  \
         - !<Rule> {{name: Default, colorspace: default}}\n\ndisplays:\n{displays}\nactive_displays: [{}]\nactive_views: [{}]\n\n\
         colorspaces:\n{spaces}  - !<ColorSpace>\n    name: Raw\n    description: Numbers that are no colours.\n    isdata: true\n    bitdepth: 32f\n",
        quoted(&plain_name(wanted.look, "look")),
        quoted(&description),
        names.join(", "),
        views.join(", "),
        aces = quoted(&aces.name),
        cg = quoted(&shipped("acescg").map_or(aces.name.clone(), |e| e.name)),
    );
    files.insert(0, (NAME.into(), text));
    Ok(Some(files))
}

/// A colour space, with the tables between it and ACES2065-1.
fn space(out: &mut String, name: &str, kind: &str, description: &str, way: Option<(&str, &[&str])>) {
    let _ = write!(
        out,
        "  - !<ColorSpace>\n    name: {}\n    description: {}\n    encoding: {kind}\n    isdata: false\n    bitdepth: 32f\n",
        quoted(name),
        quoted(description)
    );
    let Some((word, files)) = way else { return };
    let one = |f: &&str| format!("!<FileTransform> {{src: {}, interpolation: best}}", quoted(f));
    match files {
        [file] => {
            let _ = writeln!(out, "    {word}: {}", one(file));
        }
        _ => {
            let _ = writeln!(out, "    {word}: !<GroupTransform>\n      children:");
            for f in files {
                let _ = writeln!(out, "        - {}", one(f));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_called_alike_keeps_names_and_files_of_its_own() {
        let find = |id: &str| Encoding::find(id).unwrap();
        // Two cameras whose names differ in signs and case only, one called as a role, and a look called as a view is.
        let (a, b) = (find("acescct"), find("acescg"));
        let cameras = ["Cam A", "cam a", "Cam/A", "default"]
            .map(|n| (n.to_owned(), if n == "cam a" { b.clone() } else { a.clone() }));
        let path = Path::default();
        let displays = [find("rec709")];
        let wanted = Wanted { look: "plain", path: &path, cameras: &cameras, displays: &displays, size: 5 };
        let files = make(&wanted, &AtomicBool::new(false)).unwrap().unwrap();
        let mut paths: Vec<String> = files.iter().map(|f| f.0.to_lowercase()).collect();
        let all = paths.len();
        paths.sort();
        paths.dedup();
        assert_eq!(paths.len(), all, "{paths:?}");
        let text = &files[0].1;
        let view = format!("{} - plain (2)", displays[0].name);
        for name in ["Cam A", "cam a (2)", "Cam/A", "default (2)", &view] {
            assert!(text.contains(&format!("    name: \"{name}\"\n")), "{name}: {text}");
        }
        // Each leads to a file that is there.
        for line in text.lines().filter(|l| l.contains("src: ")) {
            let file = line.split("src: \"").nth(1).and_then(|l| l.split('"').next()).unwrap();
            assert!(files.iter().any(|f| f.0 == format!("{TABLES}/{file}")), "{file}");
        }
    }
}
