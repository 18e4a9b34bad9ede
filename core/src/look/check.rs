//! What every path and look has to hold.

use super::document::{MAX_GROUPS, MAX_STEPS};
use super::names::MAX_NAME;
use super::{DocumentError, Look, Path, Step};
use crate::region::Region;
use crate::step::{KINDS, ValueError, Values, Zone, check_fields};

impl Path {
    /// Checks ids, zones, order, groups, strengths, regions and every value.
    pub fn check(&self) -> Result<(), DocumentError> {
        let fail = |why: String| Err(DocumentError::Path(why));
        if self.steps.len() > MAX_STEPS || self.groups.len() > MAX_GROUPS {
            return fail(format!("a path has up to {MAX_STEPS} steps in up to {MAX_GROUPS} groups"));
        }
        self.check_groups()?;
        let mut seen = std::collections::HashSet::new();
        for step in &self.steps {
            let value = |why| DocumentError::Value { step: step.name.clone(), why };
            if !seen.insert(&step.id) {
                return fail(format!("two steps share the id “{}”", step.id));
            }
            check_names("step", &step.id, &step.name)?;
            if !step.values.info().zones.contains(&step.zone) {
                return fail(format!(
                    "{} has no place in the {:?} zone",
                    step.values.info().title,
                    step.zone
                ));
            }
            check_shared(step.strength, step.region.as_ref()).map_err(value)?;
            if step.region.is_some() && step.zone == Zone::Film {
                return fail(format!("“{}” renders the whole picture: it has no region", step.name));
            }
            step.values.check().map_err(value)?;
            if step.region.is_some() && matches!(&step.values, Values::Table(t) if t.remainder) {
                return fail(format!("“{}” is a remainder: it counts wherever its group does", step.name));
            }
        }
        if !self.steps.is_sorted_by_key(|s| s.zone) {
            return fail("the zones of a path go Scene, Film, Screen; a step stands out of order".into());
        }
        self.check_film()
    }

    /// One of each kind in the Film zone, in the order of the light; a film and the plain rendering exclude each other.
    fn check_film(&self) -> Result<(), DocumentError> {
        let fail = |why: String| Err(DocumentError::Path(why));
        let film: Vec<&Step> = self.steps.iter().filter(|s| s.zone == Zone::Film).collect();
        let place = |s: &Step| KINDS.iter().position(|k| k.kind == s.values.info().kind);
        for pair in film.windows(2) {
            let (a, b) = (place(pair[0]), place(pair[1]));
            if a == b {
                return fail(format!("a film has one {}; this one has two", pair[0].values.info().title));
            }
            if a > b {
                return fail(format!(
                    "light meets “{}” before “{}”: they stand the other way round",
                    pair[1].name, pair[0].name
                ));
            }
        }
        let plain = film.iter().find(|s| matches!(s.values, Values::PlainRendering(_)));
        let own = film.iter().find(|s| matches!(s.values, Values::Negative(_) | Values::Print(_)));
        match (plain, own) {
            (Some(plain), Some(own)) => fail(format!(
                "“{}” and “{}” both bring the scene to the screen: a path has a film or the plain rendering",
                own.name, plain.name
            )),
            _ => Ok(()),
        }
    }

    fn check_groups(&self) -> Result<(), DocumentError> {
        let fail = |why: String| Err(DocumentError::Path(why));
        let mut seen = std::collections::HashSet::new();
        for group in &self.groups {
            check_names("group", &group.id, &group.name)?;
            if !seen.insert(&group.id) || self.steps.iter().any(|s| s.id == group.id) {
                return fail(format!("the group “{}” shares its id with another group or step", group.name));
            }
            let value = |why| DocumentError::Value { step: group.name.clone(), why };
            check_shared(group.strength, group.region.as_ref()).map_err(value)?;
            group.matched.iter().try_for_each(|m| m.check(&group.name)).map_err(DocumentError::Path)?;
            let own = |s: &&Step| s.group.as_ref() == Some(&group.id);
            let mut members = self.steps.iter().filter(own);
            let Some(first) = members.next() else { continue };
            if first.zone == Zone::Film || members.any(|s| s.zone != first.zone) {
                return fail(format!(
                    "the steps of the group “{}” stand in the Scene or the Screen zone, all in one",
                    group.name
                ));
            }
        }
        // Seen along the path, every group begins once.
        let mut begun = std::collections::HashSet::new();
        let mut last = None;
        for step in &self.steps {
            if let Some(id) = &step.group {
                if self.group(id).is_none() {
                    return fail(format!("“{}” names a group that does not exist", step.name));
                }
                if last != Some(id) && !begun.insert(id) {
                    return fail(format!(
                        "the steps of a group stand next to each other; “{}” does not",
                        step.name
                    ));
                }
            }
            last = step.group.as_ref();
        }
        Ok(())
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

impl Look {
    /// Checks everything that a document promises.
    pub fn check(&self) -> Result<(), DocumentError> {
        if self.name.trim().is_empty() || self.name.chars().count() > MAX_NAME {
            return Err(DocumentError::Path("a look has a name of 1 to 200 characters".into()));
        }
        if self.notes.len() > 100_000 || self.tags.len() > 100 || self.tags.iter().any(|t| t.len() > 200) {
            return Err(DocumentError::Path("notes or tags of this look are too long".into()));
        }
        self.path.check()
    }
}

fn check_names(what: &str, id: &str, name: &str) -> Result<(), DocumentError> {
    if id.is_empty() || id.len() > 64 || name.chars().count() > MAX_NAME {
        return Err(DocumentError::Path(format!(
            "a {what}'s id has 1 to 64 characters and its name at most 200"
        )));
    }
    Ok(())
}

/// Checks what steps and groups have alike.
fn check_shared(strength: f64, region: Option<&Region>) -> Result<(), ValueError> {
    if !strength.is_finite() {
        return Err(ValueError::NotFinite("Strength"));
    }
    if !(0.0..=1.0).contains(&strength) {
        return Err(ValueError::Range { field: "Strength", value: strength, min: 0.0, max: 1.0 });
    }
    let Some(region) = region else { return Ok(()) };
    let json = serde_json::to_value(&region.colours).unwrap_or_default();
    check_fields(crate::region::ColourRange::FIELDS, &json)
}
