//! The look document: JSON, version 1.

use crate::step::{ValueError, Values, Zone};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// The version this code writes.
pub const LOOK_VERSION: u32 = 1;

/// The most steps a path may have.
pub const MAX_STEPS: usize = 200;

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
}

/// The ordered steps of a look or trim. Zones never mix: all Scene steps come first, then Film, then Screen.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Path {
    /// The steps in the order the light meets them.
    pub steps: Vec<Step>,
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
}

impl Step {
    /// Whether the step does anything: switched on and not at strength 0.
    pub fn active(&self) -> bool {
        self.on && self.strength > 0.0
    }
}

impl Path {
    /// Checks ids, zones, order, strengths and every value.
    pub fn check(&self) -> Result<(), DocumentError> {
        let fail = |why: String| Err(DocumentError::Path(why));
        if self.steps.len() > MAX_STEPS {
            return fail(format!("a path of {} steps is too long: up to {MAX_STEPS}", self.steps.len()));
        }
        let mut seen = std::collections::HashSet::new();
        for step in &self.steps {
            let value = |why| DocumentError::Value { step: step.name.clone(), why };
            if !seen.insert(&step.id) {
                return fail(format!("two steps share the id “{}”", step.id));
            }
            if step.id.is_empty() || step.id.len() > 64 || step.name.chars().count() > 200 {
                return fail("a step's id has 1 to 64 characters and its name at most 200".into());
            }
            if !step.values.info().zones.contains(&step.zone) {
                return fail(format!(
                    "{} has no place in the {:?} zone",
                    step.values.info().title,
                    step.zone
                ));
            }
            if !step.strength.is_finite() {
                return Err(value(ValueError::NotFinite("Strength")));
            }
            if !(0.0..=1.0).contains(&step.strength) {
                let why = ValueError::Range { field: "Strength", value: step.strength, min: 0.0, max: 1.0 };
                return Err(value(why));
            }
            step.values.check().map_err(value)?;
        }
        if !self.steps.is_sorted_by_key(|s| s.zone) {
            return fail("the zones of a path go Scene, Film, Screen; a step stands out of order".into());
        }
        let renderings = self.steps.iter().filter(|s| matches!(s.values, Values::PlainRendering(_))).count();
        if renderings > 1 {
            return fail(format!("a path has one rendering; this one has {renderings}"));
        }
        Ok(())
    }
}

impl Path {
    /// A trim with this path over it, as one path: the trim's Scene steps come first, under ids of their own.
    pub fn over(&self, trim: &Self) -> Self {
        let beneath = trim.steps.iter().filter(|s| s.zone == Zone::Scene);
        let beneath = beneath.map(|s| Step { id: format!("{BENEATH}{}", s.id), ..s.clone() });
        Self { steps: beneath.chain(self.steps.iter().cloned()).collect() }
    }

    /// Checks a trim: what [`Path::check`] checks, and that all of it stands in the Scene zone.
    pub fn check_trim(&self) -> Result<(), DocumentError> {
        self.check()?;
        match self.steps.iter().find(|s| s.zone != Zone::Scene) {
            None => Ok(()),
            Some(s) => Err(DocumentError::Path(format!(
                "“{}” stands in the {:?} zone; a trim has Scene steps only",
                s.name, s.zone
            ))),
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
            id: "rendering".into(),
            name: "Plain rendering".into(),
            zone: Zone::Film,
            on: true,
            strength: 1.0,
            values: Values::PlainRendering(Default::default()),
        };
        Self {
            version: LOOK_VERSION,
            name: name.into(),
            notes: String::new(),
            tags: Vec::new(),
            path: Path { steps: vec![rendering] },
        }
    }

    /// Reads and checks a document of this or an earlier version.
    pub fn from_json(text: &str) -> Result<Self, DocumentError> {
        let shape = |e: serde_json::Error| DocumentError::Shape(e.to_string());
        let value: serde_json::Value = serde_json::from_str(text).map_err(shape)?;
        match value.get("version").and_then(serde_json::Value::as_u64) {
            None => return Err(DocumentError::Shape("it says no version".into())),
            Some(found) if found > u64::from(LOOK_VERSION) => return Err(DocumentError::Later { found }),
            Some(0) => return Err(DocumentError::Shape("there is no version 0".into())),
            Some(_) => {}
        }
        let look: Self = serde_json::from_value(value).map_err(shape)?;
        look.check()?;
        Ok(look)
    }

    /// The document as JSON for people and programs: indented, keys in the order of the types.
    pub fn to_json(&self) -> String {
        serde_json::to_string_pretty(self).unwrap_or_default()
    }

    /// Checks everything that a document promises.
    pub fn check(&self) -> Result<(), DocumentError> {
        if self.name.trim().is_empty() || self.name.chars().count() > 200 {
            return Err(DocumentError::Path("a look has a name of 1 to 200 characters".into()));
        }
        if self.notes.len() > 100_000 || self.tags.len() > 100 || self.tags.iter().any(|t| t.len() > 200) {
            return Err(DocumentError::Path("notes or tags of this look are too long".into()));
        }
        self.path.check()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_kept_file_of_version_1_opens_and_is_written_back_as_it_was() {
        let text = include_str!("../../tests/looks/version-1.json");
        let look = Look::from_json(text).unwrap();
        assert_eq!(look.path.steps.len(), 6);
        assert_eq!(look.to_json(), text.trim_end());
    }

    #[test]
    fn a_file_of_a_later_version_says_so() {
        let error = Look::from_json(r#"{"version": 7, "future": true}"#).unwrap_err().to_string();
        assert!(error.contains("version 7") && error.contains("newer"), "{error}");
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
