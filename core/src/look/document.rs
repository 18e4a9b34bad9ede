//! The look document: JSON.

use super::bounded;
use super::matched::Matched;
use crate::region::Region;
use crate::step::{ValueError, Values, Zone};
use crate::table::{KeptTable, Table};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;
use thiserror::Error;

/// The version this code writes. Version 1 had no groups, regions and tables, version 2 no film and no texture, version 3
/// no lights above white, version 4 neither families with borders nor a fade that lifts evenly, version 5 no remainders,
/// version 6 did not keep what a group was matched to, version 7 no tables of more than a 1D and a 3D part; all are read as
/// they are.
pub const LOOK_VERSION: u32 = 8;

/// The most steps a path may have.
pub const MAX_STEPS: usize = 200;
/// The most groups a path may have.
pub const MAX_GROUPS: usize = 60;

/// A named path of steps.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Look {
    /// Version of this document's form.
    pub version: u32,
    /// What people call the look.
    pub name: String,
    /// Notes of the designer.
    #[serde(default)]
    pub notes: String,
    /// Words to find it by.
    #[serde(default)]
    pub tags: Vec<String>,
    /// Its steps.
    pub path: Path,
    /// The tables that its steps use, by the hash of their contents: a look file has everything inside.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub tables: BTreeMap<String, KeptTable>,
}

/// The ordered steps of a look or trim. Zones never mix: all Scene steps come first, then Film, then Screen.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Path {
    /// The steps in the order the light meets them.
    #[serde(deserialize_with = "bounded::at_most::<_, _, MAX_STEPS>")]
    pub steps: Vec<Step>,
    /// The groups that steps name; the steps of one stand next to each other.
    #[serde(
        default,
        skip_serializing_if = "Vec::is_empty",
        deserialize_with = "bounded::at_most::<_, _, MAX_GROUPS>"
    )]
    pub groups: Vec<Group>,
}

/// What steps next to each other share.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Group {
    /// Unique among the groups of its path.
    pub id: String,
    /// The designer's own name for it.
    pub name: String,
    /// Whether its steps work at all.
    pub on: bool,
    /// Share of the effect of all its steps together, 0..1.
    pub strength: f64,
    /// Where it works; everywhere where none is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub region: Option<Region>,
    /// What it was matched to, where it is a match.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub matched: Option<Matched>,
}

/// One adjustment.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Step {
    /// Unique inside its path.
    pub id: String,
    /// The designer's own name for it.
    pub name: String,
    /// The zone it stands in.
    pub zone: Zone,
    /// Whether it works at all.
    pub on: bool,
    /// Share of its effect, 0..1.
    pub strength: f64,
    /// The group it belongs to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
    /// Where it works; everywhere where none is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub region: Option<Region>,
    /// Kind and parameters.
    #[serde(flatten)]
    pub values: Values,
}

/// Why a document cannot be used.
#[derive(Debug, Error)]
pub enum DocumentError {
    /// Not JSON of the right shape.
    #[error("this is not a look file: {0}")]
    Shape(String),
    /// Written by a later version.
    #[error(
        "this look file has version {found}; this program reads up to version {LOOK_VERSION}: open it with a newer one"
    )]
    Later {
        /// The version in the file.
        found: u64,
    },
    /// A step's value is wrong.
    #[error("step “{step}”: {why}")]
    Value {
        /// The step's name.
        step: String,
        /// What is wrong.
        why: ValueError,
    },
    /// The path as a whole is wrong.
    #[error("{0}")]
    Path(String),
    /// A table inside the file is none.
    #[error("a table inside this look file: {0}")]
    Table(#[from] crate::table::KeptError),
}

impl Group {
    /// Whether its steps do anything: switched on and not at strength 0.
    pub fn active(&self) -> bool {
        self.on && self.strength > 0.0
    }
}

impl Step {
    /// A step of a kind at full strength, under an id that is also its name.
    pub fn new(id: &str, zone: Zone, values: Values) -> Self {
        Self {
            id: id.into(),
            name: id.into(),
            zone,
            on: true,
            strength: 1.0,
            group: None,
            region: None,
            values,
        }
    }

    /// Whether the step does anything: switched on and not at strength 0.
    pub fn active(&self) -> bool {
        self.on && self.strength > 0.0
    }

    /// Whether it brings scene light to the display, alone or with others, in place of adding texture.
    pub fn renders(&self) -> bool {
        self.zone == Zone::Film && self.values.info().picture_only.is_empty()
    }
}

/// Active steps next to each other, with the group that they share.
pub type Run<'a> = (Option<&'a Group>, Vec<&'a Step>);

impl Path {
    /// A path of these steps.
    pub fn of(steps: Vec<Step>) -> Self {
        Self { steps, groups: Vec::new() }
    }

    /// The group with this id.
    pub fn group(&self, id: &str) -> Option<&Group> {
        self.groups.iter().find(|g| g.id == id)
    }

    /// The group that a step belongs to.
    pub fn group_of(&self, step: &Step) -> Option<&Group> {
        step.group.as_deref().and_then(|id| self.group(id))
    }

    /// Whether a step does anything: it is active, and so is its group.
    pub fn works(&self, step: &Step) -> bool {
        step.active() && self.group_of(step).is_none_or(Group::active)
    }

    /// The working steps of a zone, those of a group together.
    pub fn runs(&self, zone: Zone) -> Vec<Run<'_>> {
        let mut runs: Vec<Run<'_>> = Vec::new();
        for step in self.steps.iter().filter(|s| s.zone == zone && self.works(s)) {
            let group = self.group_of(step);
            match runs.last_mut() {
                Some((Some(g), steps)) if group.is_some_and(|own| own.id == g.id) => steps.push(step),
                _ => runs.push((group, vec![step])),
            }
        }
        runs
    }

    /// Whether a step is one of a trim that lies beneath: see [`Self::over`].
    pub fn is_trim(&self, step: &Step) -> bool {
        step.id.starts_with(BENEATH)
    }

    /// The steps before the step or group with this id, as a path; all where there is none.
    pub fn before(&self, id: &str) -> Self {
        let first = self.steps.iter().position(|s| s.id == id || s.group.as_deref() == Some(id));
        Self { steps: self.steps[..first.unwrap_or(self.steps.len())].to_vec(), groups: self.groups.clone() }
    }

    /// Zone and region of the step or group with this id.
    pub fn place_of(&self, id: &str) -> Option<(Zone, Option<&Region>)> {
        if let Some(step) = self.steps.iter().find(|s| s.id == id) {
            return Some((step.zone, step.region.as_ref()));
        }
        let group = self.group(id)?;
        let first = self.steps.iter().find(|s| s.group.as_deref() == Some(id))?;
        Some((first.zone, group.region.as_ref()))
    }

    /// Hashes of the tables that its steps use.
    pub fn tables(&self) -> impl Iterator<Item = &str> {
        self.steps
            .iter()
            .flat_map(|s| match &s.values {
                Values::Table(v) => v.tables.as_slice(),
                _ => &[],
            })
            .map(|t| t.table.as_str())
    }

    /// Puts the numbers of tables in place, as `find` has them by hash.
    pub fn attach(&mut self, find: &mut dyn FnMut(&str) -> Option<Arc<Table>>) {
        for step in &mut self.steps {
            let Values::Table(v) = &mut step.values else { continue };
            for t in &mut v.tables {
                t.data = find(&t.table);
            }
        }
    }

    /// A trim with this path over it, as one path: the trim's Scene steps come first, under ids of their own.
    pub fn over(&self, trim: &Self) -> Self {
        let under = |id: &String| format!("{BENEATH}{id}");
        let beneath = trim.steps.iter().filter(|s| s.zone == Zone::Scene);
        let beneath =
            beneath.map(|s| Step { id: under(&s.id), group: s.group.as_ref().map(under), ..s.clone() });
        let groups = trim.groups.iter().map(|g| Group { id: under(&g.id), ..g.clone() });
        Self {
            steps: beneath.chain(self.steps.iter().cloned()).collect(),
            groups: groups.chain(self.groups.iter().cloned()).collect(),
        }
    }
}

/// What the ids of a trim's steps begin with where a look lies over it: with a control character, so that no id that
/// a page makes is the same.
const BENEATH: &str = "trim\u{1}";

impl Look {
    /// A new look: the plain rendering and nothing else.
    pub fn new(name: &str) -> Self {
        let rendering = Step {
            name: "Plain rendering".into(),
            ..Step::new("rendering", Zone::Film, Values::PlainRendering(Default::default()))
        };
        Self {
            version: LOOK_VERSION,
            name: name.into(),
            notes: String::new(),
            tags: Vec::new(),
            path: Path::of(vec![rendering]),
            tables: BTreeMap::new(),
        }
    }

    /// The document as JSON for people and programs: indented, keys in the order of the types.
    pub fn to_json(&self) -> String {
        serde_json::to_string_pretty(self).unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What the newest documents say of their version.
    fn newest_version() -> String {
        format!("\"version\": {LOOK_VERSION}")
    }

    #[test]
    fn a_kept_file_of_version_1_opens_and_is_written_back_as_it_was_but_for_its_version() {
        let text = include_str!("../../tests/looks/version-1.json");
        let look = Look::from_json(text).unwrap();
        assert_eq!(look.path.steps.len(), 6);
        // Version 5 gives Tone a fade that lifts evenly beside the earlier one.
        let newest = text.trim_end().replace("\"version\": 1", &newest_version());
        let newest = newest.replace("\"keep_colour\": 0.3", "\"keep_colour\": 0.3,\n          \"lift\": 0.0");
        assert_eq!(look.to_json(), newest);
    }

    #[test]
    fn a_kept_file_of_version_2_opens_with_its_groups_regions_and_tables() {
        let text = include_str!("../../tests/looks/version-2.json");
        let look = Look::from_json(text).unwrap();
        assert_eq!(look.path.groups.len(), 1);
        assert!(look.path.steps.iter().any(|s| s.region.is_some()));
        let Some(Values::Table(v)) =
            look.path.steps.iter().map(|s| &s.values).find(|v| matches!(v, Values::Table(_)))
        else {
            panic!("no table");
        };
        assert_eq!(v.tables[0].data.as_ref().unwrap().cube().unwrap().size(), 2);
        // Version 6 says of a table whether it is a remainder.
        let newest = text.trim_end().replace("\"version\": 2", &newest_version());
        let tables = "              \"strength\": 1.0\n            }\n          ]";
        assert_eq!(newest.matches(tables).count(), 1);
        let newest = newest.replace(tables, &format!("{tables},\n          \"remainder\": false"));
        assert_eq!(look.to_json(), newest);
    }

    #[test]
    fn a_kept_file_of_version_3_opens_with_its_film_stocks_and_texture() {
        let text = include_str!("../../tests/looks/version-3.json");
        let look = Look::from_json(text).unwrap();
        let kinds: Vec<&str> = look.path.steps.iter().map(|s| s.values.info().kind).collect();
        assert_eq!(kinds, ["vignette", "halation", "negative", "softness", "grain", "print", "gate-weave"]);
        let Values::Negative(v) = &look.path.steps[2].values else { panic!("no negative") };
        assert_eq!((v.stock.name.as_str(), v.stock.layers[0].gamma), ("Meadowlight, own", 0.61));
        // Version 4 gives prints lights above white on HDR displays, which version 3 had none of.
        let lit = text.replace("\"version\": 3", "\"version\": 4");
        let lit = lit.replace("\"adapted\": 1.0,", "\"adapted\": 1.0,\n          \"lights\": 1.0,");
        let newest = lit.replace("\"version\": 4", &newest_version());
        assert_eq!(look.to_json(), newest.trim_end());
        let kept = include_str!("../../tests/looks/version-4.json");
        assert_eq!(kept, lit);
    }

    #[test]
    fn a_kept_file_of_version_5_opens_with_its_families_and_its_fade() {
        let text = include_str!("../../tests/looks/version-5.json");
        let look = Look::from_json(text).unwrap();
        let Values::ColourFamilies(v) = &look.path.steps[1].values else { panic!("no families") };
        assert_eq!((v.families.len(), v.families[2].border, v.families[2].hue), (3, 256.0, -12.0));
        assert_eq!(look.to_json(), text.trim_end().replace("\"version\": 5", &newest_version()));
    }

    #[test]
    fn a_film_has_one_step_of_a_kind_in_the_order_of_light_and_no_plain_rendering() {
        let wrong = |change: &dyn Fn(&mut Vec<Step>)| {
            let mut look = Look::from_json(include_str!("../../tests/looks/version-3.json")).unwrap();
            change(&mut look.path.steps);
            look.check().unwrap_err().to_string()
        };
        assert!(wrong(&|s| s.swap(2, 4)).contains("the other way round"));
        assert!(wrong(&|s| s.insert(5, Step { id: "again".into(), ..s[4].clone() })).contains("two"));
        let plain = || Step::new("plain", Zone::Film, Values::PlainRendering(Default::default()));
        assert!(wrong(&|s| s.insert(6, plain())).contains("a film or the plain rendering"));
    }

    #[test]
    fn groups_of_steps_that_stand_apart_or_that_do_not_exist_are_refused() {
        let mut look = Look::from_json(include_str!("../../tests/looks/version-2.json")).unwrap();
        let group = look.path.groups[0].id.clone();
        let outside =
            look.path.steps.iter().position(|s| s.group.is_none() && s.zone == Zone::Screen).unwrap();
        look.path.steps[outside].group = Some(group);
        assert!(look.check().unwrap_err().to_string().contains("all in one"));
        look.path.steps[outside].group = Some("nobody".into());
        assert!(look.check().unwrap_err().to_string().contains("does not exist"));
    }

    #[test]
    fn a_file_of_a_later_version_says_so() {
        let error = Look::from_json(&format!(r#"{{"version": {}, "future": true}}"#, LOOK_VERSION + 1))
            .unwrap_err()
            .to_string();
        assert!(
            error.contains(&format!("version {}", LOOK_VERSION + 1)) && error.contains("newer"),
            "{error}"
        );
    }

    #[test]
    fn wrong_documents_are_refused_with_the_reason() {
        let broken = |change: &dyn Fn(&mut Look)| {
            let mut look = Look::from_json(include_str!("../../tests/looks/version-1.json")).unwrap();
            change(&mut look);
            look.check().unwrap_err().to_string()
        };
        assert!(broken(&|l| l.path.steps.reverse()).contains("out of order"));
        assert!(broken(&|l| l.path.steps[1].id = l.path.steps[0].id.clone()).contains("share the id"));
        assert!(broken(&|l| l.path.steps[0].zone = Zone::Screen).contains("no place"));
        assert!(broken(&|l| l.path.steps[0].strength = f64::NAN).contains("not a finite number"));
        assert!(broken(&|l| l.name.clear()).contains("name"));
        assert!(Look::from_json("{").unwrap_err().to_string().contains("not a look file"));
        assert!(Look::from_json("[]").unwrap_err().to_string().contains("version"));
    }
}
