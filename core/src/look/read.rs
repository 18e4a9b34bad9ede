//! Look documents read within bounds: what a document costs in memory follows from its length, whatever stands in it.
//!
//! A document is taken apart before anything of it is built: unknown fields end the reading where they stand, lists are
//! counted as they come, and what is no table may be up to [`MOST_BYTES`] long. Tables are text of known length (Base64), and
//! there are as many as a path can use.

use super::document::{DocumentError, LOOK_VERSION, Look, MAX_STEPS};
use super::names::{clean_name, is_unseen};
use crate::step::MAX_TABLES;
use crate::table::KeptTable;
use serde::de::{Deserializer, IgnoredAny, MapAccess, Visitor};
use serde::{Deserialize, de};
use serde_json::value::RawValue;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

/// The longest document without the tables inside it, in bytes. A path of 200 steps with full curves and stocks of its own
/// has less than one million.
pub const MOST_BYTES: usize = 8 << 20;
/// The longest document with its tables: four of 129 points, each 34 MB as Base64.
pub const MOST_BYTES_WITH_TABLES: usize = 150 << 20;
/// As many tables as a path can use.
const MOST_TABLES: usize = MAX_STEPS * MAX_TABLES;

/// What a document says of its version, and nothing else.
#[derive(Deserialize)]
struct Versioned {
    #[serde(default)]
    version: Option<u64>,
}

/// The parts of a document as they stand in its text.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Outline<'a> {
    #[serde(rename = "version")]
    _version: IgnoredAny,
    #[serde(borrow)]
    name: &'a RawValue,
    #[serde(borrow, default)]
    notes: Option<&'a RawValue>,
    #[serde(borrow, default)]
    tags: Option<&'a RawValue>,
    #[serde(borrow)]
    path: &'a RawValue,
    #[serde(borrow, default, deserialize_with = "at_most_tables")]
    tables: BTreeMap<String, &'a RawValue>,
}

/// The version that a document says it has; `None` where it says none.
fn version(text: &str) -> Result<Option<u64>, DocumentError> {
    if text.len() > MOST_BYTES_WITH_TABLES {
        return Err(too_long(MOST_BYTES_WITH_TABLES));
    }
    let said: Versioned = serde_json::from_str(text).map_err(shape)?;
    Ok(said.version)
}

fn too_long(most: usize) -> DocumentError {
    DocumentError::Shape(format!("it is longer than {} MB, the most that a look has", most >> 20))
}

fn shape(e: serde_json::Error) -> DocumentError {
    DocumentError::Shape(e.to_string())
}

/// A part of a document, built; errors name the part.
fn part<'a, T: Deserialize<'a>>(name: &str, raw: &'a RawValue) -> Result<T, DocumentError> {
    serde_json::from_str(raw.get()).map_err(|e| DocumentError::Shape(format!("its {name}: {e}")))
}

impl<'a> Outline<'a> {
    /// Takes a document apart. Errors where it is longer than a look may be, or says something that no look says.
    fn of(text: &'a str) -> Result<Self, DocumentError> {
        let outline: Self = serde_json::from_str(text).map_err(shape)?;
        let tables: usize = outline.tables.values().map(|t| t.get().len()).sum();
        if text.len() - tables > MOST_BYTES {
            return Err(too_long(MOST_BYTES));
        }
        Ok(outline)
    }

    /// Builds what it holds.
    fn build(self) -> Result<Look, DocumentError> {
        let tables = self.tables.into_iter().map(|(hash, raw)| {
            let kept: KeptTable = part("tables", raw)?;
            Ok((hash, kept))
        });
        Ok(Look {
            version: LOOK_VERSION,
            name: part("name", self.name)?,
            notes: self.notes.map_or(Ok(String::new()), |raw| part("notes", raw))?,
            tags: self.tags.map_or(Ok(Vec::new()), |raw| part("tags", raw))?,
            path: part("path", self.path)?,
            tables: tables.collect::<Result<_, DocumentError>>()?,
        })
    }
}

impl Look {
    /// Reads and checks a document of this or an earlier version, and puts the tables inside it in place. Errors also where it
    /// is longer than looks are.
    pub fn from_json(text: &str) -> Result<Self, DocumentError> {
        match version(text)? {
            None => return Err(DocumentError::Shape("it says no version".into())),
            Some(found) if found > u64::from(LOOK_VERSION) => return Err(DocumentError::Later { found }),
            Some(0) => return Err(DocumentError::Shape("there is no version 0".into())),
            Some(_) => {}
        }
        let mut look = Outline::of(text)?.build()?;
        let steps = look.path.steps.iter_mut().map(|s| &mut s.name);
        let groups = look.path.groups.iter_mut().map(|g| &mut g.name);
        for name in steps.chain(groups).chain([&mut look.name]) {
            // A name that is too long is refused, not cut.
            if name.chars().any(is_unseen) {
                *name = clean_name(name);
            }
        }
        look.check()?;
        let mut tables = BTreeMap::new();
        for (hash, kept) in &look.tables {
            tables.insert(hash.clone(), Arc::new(kept.table()?));
        }
        look.path.attach(&mut |hash| tables.get(hash).cloned());
        Ok(look)
    }
}

/// Reads the tables of a document, as they stand there.
fn at_most_tables<'de, D: Deserializer<'de>>(
    deserializer: D,
) -> Result<BTreeMap<String, &'de RawValue>, D::Error> {
    struct Few;
    impl<'de> Visitor<'de> for Few {
        type Value = BTreeMap<String, &'de RawValue>;

        fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            f.write_str("tables by the hashes of their contents")
        }

        fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
            let mut all = BTreeMap::new();
            while let Some((hash, table)) = map.next_entry::<String, &'de RawValue>()? {
                if all.len() == MOST_TABLES {
                    return Err(de::Error::custom(format_args!("more than {MOST_TABLES} tables")));
                }
                all.insert(hash, table);
            }
            Ok(all)
        }
    }
    deserializer.deserialize_map(Few)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn refused(text: &str) -> String {
        Look::from_json(text).err().map(|e| e.to_string()).unwrap_or_default()
    }

    #[test]
    fn documents_are_as_long_as_looks_are_and_their_lists_as_paths_have() {
        let many = |n: usize| "[],".repeat(n);
        for (text, why) in [
            (format!(r#"{{"version":1,"junk":[{}1]}}"#, many(1000)), "unknown field `junk`"),
            (format!(r#"{{"version":1,"name":"a","path":[{}1]}}"#, many(3 << 20)), "longer than 8 MB"),
            (
                format!(r#"{{"version":1,"name":"{}","path":{{"steps":[]}}}}"#, "a".repeat(9 << 20)),
                "longer than 8 MB",
            ),
            (
                format!(r#"{{"version":1,"name":"a","path":{{"steps":[],"groups":[{}1]}}}}"#, many(90)),
                "its path",
            ),
            (
                format!(
                    r#"{{"version":1,"name":"a","path":{{"steps":[]}},"tables":{{{}"z":1}}}}"#,
                    (0..2000).map(|i| format!("\"{i}\":0,")).collect::<String>()
                ),
                "more than 1600 tables",
            ),
            (r#"{"version":1,"name":"a","path":{"steps":[],"depth":1}}"#.into(), "unknown field `depth`"),
        ] {
            let error = refused(&text);
            assert!(error.contains(why), "{why}: {error}");
        }
        let group = r#"{"id":"g","name":"g","on":true,"strength":1.0},"#;
        let groups = |n: usize| {
            let all = group.repeat(n);
            refused(&format!(
                r#"{{"version":1,"name":"a","path":{{"steps":[],"groups":[{}]}}}}"#,
                all.trim_end_matches(',')
            ))
        };
        assert!(groups(61).contains("a list of more than 60"), "{}", groups(61));
    }

    #[test]
    fn what_lies_beyond_the_longest_is_not_even_looked_at() {
        let text = " ".repeat(MOST_BYTES_WITH_TABLES + 1);
        assert!(refused(&text).contains("longer than 150 MB"));
    }
}
