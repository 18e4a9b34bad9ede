//! Camera profiles of a production.

use super::ids::{ProductionId, ProfileId};
use super::schema::profiles;
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use lantern_core::colour::{CameraProfile, Encoding};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A profile's row.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = profiles)]
pub struct Profile {
    /// Its id.
    pub id: ProfileId,
    /// The production it belongs to.
    pub production_id: ProductionId,
    /// Its name.
    pub name: String,
    /// A [`ProfileBody`] as JSON.
    pub body: String,
    /// The technical table's file, where one stands for constants.
    pub table_hash: Option<String>,
    /// Rises with every accepted change.
    pub revision: i32,
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
    pub fn find(c: &mut SqliteConnection, id: &ProfileId) -> ApiResult<Self> {
        let row = profiles::table.find(id).select(Self::as_select()).first(c).optional()?;
        row.ok_or(ApiError::NotFound("profile"))
    }

    /// A production's profiles by name.
    pub fn of_production(c: &mut SqliteConnection, production: &ProductionId) -> ApiResult<Vec<Self>> {
        let own = profiles::table.filter(profiles::production_id.eq(production)).order(profiles::name);
        Ok(own.select(Self::as_select()).load(c)?)
    }

    /// Saves a new profile.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(profiles::table).values(self).execute(c)?;
        Ok(())
    }

    /// Saves a changed profile.
    pub fn update(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        let changed = diesel::update(profiles::table.find(&self.id))
            .set((
                profiles::name.eq(&self.name),
                profiles::body.eq(&self.body),
                profiles::table_hash.eq(&self.table_hash),
                profiles::revision.eq(self.revision),
            ))
            .execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("profile")) } else { Ok(()) }
    }

    /// What tells its meaning from that of any other profile, or of its own before a change: it goes into the ids of
    /// encodings that caches are keyed by.
    pub fn fingerprint(&self) -> String {
        let mut hasher = blake3::Hasher::new();
        hasher.update(self.body.as_bytes());
        hasher.update(self.table_hash.as_deref().unwrap_or("").as_bytes());
        format!("profile:{}:{}", self.id, &hasher.finalize().to_hex()[..16])
    }

    /// Deletes a profile.
    pub fn delete(c: &mut SqliteConnection, id: &ProfileId) -> ApiResult<()> {
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
