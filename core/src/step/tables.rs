//! Table: one or several imported tables, each with the encodings it expects and gives, mixed.
//!
//! A step names its tables by the hash of their contents; the numbers lie once in the look's own file. Whoever has a
//! path in hand puts them in place ([`crate::look::Path::attach`]) before it is compiled.

use super::kind::{Domain, Kind, KindInfo, Nothing, SCENE_AND_SCREEN};
use crate::colour::{CameraProfile, Encoding};
use crate::field::{FieldKind, ValueError, parameters};
use crate::table::Table;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// The most tables in one step.
pub const MAX_TABLES: usize = 8;

parameters! {
    /// Imported tables, mixed by their strengths.
    Tables {
        /// The tables; strengths that add up to more than one are scaled down to one.
        tables: "Tables", Plain, holds(Vec<TableUse>, FieldKind::Tables { most: MAX_TABLES });
        /// The one table is what steps leave of a table that they were taken from: it is added to what they give at its points.
        remainder: "Remainder", Plain, switch(false);
    }
}

/// The encoding that a table expects or gives: one that ships, by its id, or a camera's constants.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum TableEncoding {
    /// The id of an encoding that ships.
    Shipped(String),
    /// The constants of a camera.
    Camera(Box<CameraProfile>),
}

impl TableEncoding {
    /// The encoding; `None` for an id that does not exist or constants that make no curve.
    pub fn encoding(&self) -> Option<Encoding> {
        match self {
            Self::Shipped(id) => Encoding::find(id),
            Self::Camera(profile) => profile.encoding().ok(),
        }
    }
}

/// A table as a step uses it.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TableUse {
    /// The hash of its contents.
    pub table: String,
    /// What it is called.
    pub name: String,
    /// The encoding that it expects.
    pub from: TableEncoding,
    /// The encoding that it gives.
    pub to: TableEncoding,
    /// Its share in the mix, 0..1.
    pub strength: f64,
    /// The numbers, where they have been put in place.
    #[serde(skip)]
    pub data: Option<Arc<Table>>,
}

/// Equal contents have equal hashes: the numbers themselves need no look.
impl PartialEq for TableUse {
    fn eq(&self, other: &Self) -> bool {
        (&self.table, &self.name, &self.from, &self.to, self.data.is_some())
            == (&other.table, &other.name, &other.from, &other.to, other.data.is_some())
            && self.strength == other.strength
    }
}

impl TableUse {
    /// What is wrong with it, in words.
    pub fn fault(&self) -> Option<String> {
        if self.table.is_empty()
            || self.table.len() > 128
            || !self.table.bytes().all(|b| b.is_ascii_alphanumeric())
        {
            return Some("a table is named by the letters and digits of its hash".into());
        }
        if self.name.chars().count() > 200 {
            return Some("a table's name has at most 200 characters".into());
        }
        if !(0.0..=1.0).contains(&self.strength) {
            return Some(format!(
                "the strength of “{}” is {}; it goes from 0 to 1",
                self.name, self.strength
            ));
        }
        let unknown = [&self.from, &self.to].into_iter().find(|e| e.encoding().is_none());
        unknown.map(|e| match e {
            TableEncoding::Shipped(id) => format!("“{}”: there is no encoding “{id}”", self.name),
            TableEncoding::Camera(p) => {
                format!("“{}”: the constants of “{}” make no curve", self.name, p.name)
            }
        })
    }
}

impl Kind for Tables {
    const INFO: KindInfo = KindInfo {
        kind: "table",
        title: "Table",
        purpose: "Imported tables, each with its encodings, mixed",
        zones: SCENE_AND_SCREEN,
        domain: Domain::Encoded,
        picture_only: "",
        fields: Self::FIELDS,
    };

    type Kernel = Nothing;

    fn check(&self) -> Result<(), ValueError> {
        if self.remainder && self.tables.len() != 1 {
            return Err(ValueError::Table(format!("a remainder is one table, not {}", self.tables.len())));
        }
        self.tables.iter().find_map(TableUse::fault).map_or(Ok(()), |why| Err(ValueError::Table(why)))
    }
}
