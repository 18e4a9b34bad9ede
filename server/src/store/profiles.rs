//! Camera profiles of a production.

use super::schema::profiles;
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use lantern_core::colour::{CameraProfile, Encoding};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A profile's row.
#[derive(Clone, Debug, Queryable, Selectable, Insertable, AsChangeset)]
#[diesel(table_name = profiles)]
pub struct Profile {
    /// Its id.
    pub id: String,
    /// The production it belongs to.
    pub production_id: String,
    /// Its name.
    pub name: String,
    /// A [`ProfileBody`] as JSON.
    pub body: String,
    /// The technical table's file, where one stands for constants.
    pub table_hash: Option<String>,
}

/// What a profile says: the file that is exported and imported.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum ProfileBody {
    /// Constants of a log curve, and primaries.
    Constants(CameraProfile),
    /// A technical table: what it is called, and the encoding that it gives.
    Table(TableProfile),
}

/// A technical table as input conversion.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TableProfile {
    /// What people call it.
    pub name: String,
    /// Id of the encoding that the table gives.
    pub gives: String,
}

impl ProfileBody {
    /// What people call it.
    pub fn name(&self) -> &str {
        match self {
            Self::Constants(p) => &p.name,
            Self::Table(t) => &t.name,
        }
    }

    /// The encoding of its code values, or of what its table gives.
    pub fn encoding(&self) -> ApiResult<Encoding> {
        match self {
            Self::Constants(p) => Ok(p.encoding()?),
            Self::Table(t) => Encoding::find(&t.gives).ok_or_else(|| {
                ApiError::Invalid(format!("there is no encoding “{}” that a table could give", t.gives))
            }),
        }
    }
}

impl Profile {
    /// One profile.
    pub fn find(c: &mut SqliteConnection, id: &str) -> ApiResult<Self> {
        let row = profiles::table.find(id).select(Self::as_select()).first(c).optional()?;
        row.ok_or(ApiError::NotFound("profile"))
    }

    /// A production's profiles by name.
    pub fn of_production(c: &mut SqliteConnection, production: &str) -> ApiResult<Vec<Self>> {
        let own = profiles::table.filter(profiles::production_id.eq(production)).order(profiles::name);
        Ok(own.select(Self::as_select()).load(c)?)
    }

    /// Saves a profile, new or changed.
    pub fn put(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(profiles::table)
            .values(self)
            .on_conflict(profiles::id)
            .do_update()
            .set(self)
            .execute(c)?;
        Ok(())
    }

    /// Deletes a profile.
    pub fn delete(c: &mut SqliteConnection, id: &str) -> ApiResult<()> {
        diesel::delete(profiles::table.find(id)).execute(c)?;
        Ok(())
    }

    /// What it says.
    pub fn body(&self) -> ApiResult<ProfileBody> {
        serde_json::from_str(&self.body).map_err(ApiError::internal)
    }

    /// The encoding of its code values, or of what its table gives.
    pub fn encoding(&self) -> ApiResult<Encoding> {
        self.body()?.encoding()
    }
}
