//! The tables and configurations of a package, each made once.

use super::{Order, PackageError};
use crate::configuration;
use crate::plan::{Delivery, Receiver, plain_name};
use crate::table_file::{self, Format, Range, TableFile, Wanted};
use lantern_core::colour::{Encoding, Reference};
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::step::Zone;
use lantern_core::table::Table;
use std::sync::atomic::AtomicBool;

/// What of the look a table holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Part {
    /// All of it.
    Whole,
    /// Its Scene steps.
    Scene,
    /// All but its Scene steps.
    Output,
}

impl Part {
    fn of(self, path: &Path) -> Path {
        let holds = |zone: Zone| match self {
            Self::Whole => true,
            Self::Scene => zone == Zone::Scene,
            Self::Output => zone != Zone::Scene,
        };
        Path {
            steps: path.steps.iter().filter(|s| holds(s.zone)).cloned().collect(),
            groups: path.groups.clone(),
        }
    }

    /// Tells it from the others.
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::Whole => "whole",
            Self::Scene => "scene",
            Self::Output => "output",
        }
    }

    /// What the look is called where this is of it.
    fn name(self, look: &str) -> String {
        match self {
            Self::Whole => look.into(),
            Self::Scene => format!("{look} scene"),
            Self::Output => format!("{look} output"),
        }
    }
}

/// A table that is wanted, by what makes it.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Key {
    pub(super) format: Format,
    pub(super) from: String,
    pub(super) to: String,
    pub(super) size: usize,
    pub(super) range: Range,
    pub(super) part: Part,
}

/// A table that was made, with its way.
pub(super) struct Made {
    pub(super) key: Key,
    pub(super) way: [Encoding; 2],
    pub(super) program: Program,
    /// What its file is called.
    pub(super) name: String,
    pub(super) file: TableFile,
    pub(super) full: Table,
}

/// What makes the tables of a delivery, and the folder that they stand in.
pub(super) fn keys(delivery: &Delivery, look: &Path) -> (Vec<Key>, &'static str) {
    match delivery {
        Delivery::Table { format, from, to, size, range } => {
            let (format, from, to, size, range) = (*format, from.clone(), to.clone(), *size, *range);
            (vec![Key { format, from, to, size, range, part: Part::Whole }], "")
        }
        Delivery::Metadata { to, size } => {
            let key = |to: &str, part| Key {
                format: Format::Clf,
                from: ACES.into(),
                to: to.into(),
                size: *size,
                range: Range::Full,
                part,
            };
            let scene =
                look.steps.iter().any(|s| s.zone == Zone::Scene && s.on).then(|| key(ACES, Part::Scene));
            (scene.into_iter().chain([key(to, Part::Output)]).collect(), "amf/")
        }
        _ => (Vec::new(), ""),
    }
}

/// The encoding that ACES metadata goes by.
pub(super) const ACES: &str = "aces2065-1";

/// A table of the plan before it is made.
struct Wish<'a> {
    receiver: &'a Receiver,
    key: Key,
    way: [Encoding; 2],
    program: Program,
}

impl Wish<'_> {
    /// What its file will be.
    fn wanted<'a>(&'a self, look: &'a str) -> Wanted<'a> {
        let [from, to] = &self.way;
        let Key { format, size, range, .. } = self.key;
        Wanted { look, from, to, format, size, range }
    }

    fn fail(&self, why: impl std::fmt::Display) -> PackageError {
        PackageError::Delivery { receiver: self.receiver.name.clone(), why: why.to_string() }
    }
}

/// Every table of the plan, each once.
fn wishes<'a>(order: &'a Order<'_>) -> Result<Vec<Wish<'a>>, PackageError> {
    let mut all: Vec<Wish<'a>> = Vec::new();
    for receiver in &order.plan.receivers {
        for key in receiver.deliveries.iter().flat_map(|d| keys(d, &order.look.path).0) {
            if all.iter().any(|w| w.key == key) {
                continue;
            }
            let fail = |why: String| PackageError::Delivery { receiver: receiver.name.clone(), why };
            let way = [(order.encoding)(&key.from).map_err(fail)?, (order.encoding)(&key.to).map_err(fail)?];
            let path = key.part.of(&order.look.path);
            let program = Program::compile(&path, &way[0], &way[1]).map_err(|e| fail(e.to_string()))?;
            all.push(Wish { receiver, key, way, program });
        }
    }
    Ok(all)
}

/// Refuses a plan whose tables or configurations cannot be made of the look.
pub(super) fn check(order: &Order<'_>) -> Result<(), PackageError> {
    for wish in wishes(order)? {
        let name = wish.key.part.name(&order.look.name);
        table_file::check(&wish.program, &wish.wanted(&name)).map_err(|e| wish.fail(e))?;
    }
    for receiver in &order.plan.receivers {
        for delivery in &receiver.deliveries {
            match delivery {
                Delivery::Configuration { displays: names, .. } => drop(displays(order, receiver, names)?),
                Delivery::Metadata { to, .. } => drop(displays(order, receiver, std::slice::from_ref(to))?),
                _ => {}
            }
        }
    }
    Ok(())
}

/// Every table of the plan, each made once. What cannot be made ends it before anything is written. `None` when it was
/// cancelled.
pub(super) fn tables(
    order: &Order<'_>,
    progress: &(dyn Fn(f64) + Sync),
    cancel: &AtomicBool,
) -> Result<Option<Vec<Made>>, PackageError> {
    let mut all: Vec<Made> = Vec::new();
    let wishes = wishes(order)?;
    let count = wishes.len();
    for (i, wish) in wishes.into_iter().enumerate() {
        let look = wish.key.part.name(&order.look.name);
        let wanted = wish.wanted(&look);
        let made = table_file::make(&wish.program, &wanted, cancel).map_err(|e| wish.fail(e))?;
        let Some(file) = made else { return Ok(None) };
        let full = file.in_full_range(wanted.range).map_err(|e| wish.fail(e))?;
        let mut name = wanted.file_name(order.version, [&wish.key.from, &wish.key.to]);
        // Profiles of one name in two folders give two tables.
        while all.iter().any(|t| t.name == name) {
            name = format!("other-{name}");
        }
        let Wish { key, way, program, .. } = wish;
        all.push(Made { key, way, program, name, file, full });
        progress((i + 1) as f64 / count as f64);
    }
    Ok(Some(all))
}

/// The displays of a configuration.
fn displays(order: &Order<'_>, receiver: &Receiver, names: &[String]) -> Result<Vec<Encoding>, PackageError> {
    let found = names.iter().map(|name| match (order.encoding)(name)? {
        found if found.reference == Reference::Display => Ok(found),
        found => Err(format!("{} is no display", found.name)),
    });
    let found: Result<_, String> = found.collect();
    found.map_err(|why| PackageError::Delivery { receiver: receiver.name.clone(), why })
}

/// A text file of a package: receiver, path, text.
pub(super) type TextFile = (String, String, String);

/// Files of every configuration of the plan.
pub(super) fn configurations(
    order: &Order<'_>,
    cancel: &AtomicBool,
) -> Result<Option<Vec<TextFile>>, PackageError> {
    let mut all = Vec::new();
    let mut cameras = order.cameras.to_vec();
    for shot in order.shots.iter().filter(|s| s.encoding.reference == Reference::Scene) {
        let known = |e: &Encoding| e.same_codes(&shot.encoding);
        if !cameras.iter().any(|(_, e)| known(e)) && !Encoding::shipped().any(|e| known(&e)) {
            cameras.push((shot.encoding.name.clone(), shot.encoding.clone()));
        }
    }
    for r in &order.plan.receivers {
        for d in &r.deliveries {
            let Delivery::Configuration { displays: names, size } = d else { continue };
            let fail = |why: String| PackageError::Delivery { receiver: r.name.clone(), why };
            let displays = displays(order, r, names)?;
            let (look, path) = (order.look.name.as_str(), &order.look.path);
            let wanted =
                configuration::Wanted { look, path, cameras: &cameras, displays: &displays, size: *size };
            let made = configuration::make(&wanted, cancel).map_err(|e| fail(e.to_string()))?;
            let Some(files) = made else { return Ok(None) };
            let folder = format!("{}/configuration", plain_name(&r.name, "receiver"));
            all.extend(
                files.into_iter().map(|(path, text)| (r.name.clone(), format!("{folder}/{path}"), text)),
            );
        }
    }
    Ok(Some(all))
}
