//! Looks and their versions.

use super::ids::{LookId, ProductionId};
use super::now;
use super::schema::{look_versions, looks};
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use lantern_core::look::Look;

/// A look as it is being worked on.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = looks)]
pub struct LookRow {
    /// Its id.
    pub id: LookId,
    /// The production it belongs to.
    pub production_id: ProductionId,
    /// Its name, as in the document.
    pub name: String,
    /// The document as JSON.
    pub document: String,
    /// Rises with every accepted change.
    pub revision: i32,
}

/// A numbered version of a look; never altered.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = look_versions)]
pub struct Version {
    /// The look it belongs to.
    pub look_id: LookId,
    /// Its number from 1.
    pub number: i32,
    /// What the designer calls it.
    pub name: String,
    /// The document as JSON.
    pub document: String,
    /// Seconds since 1970.
    pub saved_at: i64,
}

impl LookRow {
    /// A production's looks by name.
    pub fn of_production(c: &mut SqliteConnection, production: &ProductionId) -> ApiResult<Vec<Self>> {
        let there = looks::table.filter(looks::production_id.eq(production).and(looks::deleted_at.is_null()));
        let own = there.order(looks::name);
        Ok(own.select(Self::as_select()).load(c)?)
    }

    /// One look.
    pub fn find(c: &mut SqliteConnection, id: &LookId) -> ApiResult<Self> {
        let there = looks::table.find(id).filter(looks::deleted_at.is_null());
        there.select(Self::as_select()).first(c).optional()?.ok_or(ApiError::NotFound("look"))
    }

    /// Saves a new look.
    pub fn create(c: &mut SqliteConnection, production: &ProductionId, look: &Look) -> ApiResult<Self> {
        let row = Self {
            id: LookId::fresh(),
            production_id: production.clone(),
            name: look.name.clone(),
            document: look.to_json(),
            revision: 1,
        };
        diesel::insert_into(looks::table).values(&row).execute(c)?;
        Ok(row)
    }

    /// Saves a change made to `revision`; refused when somebody saved since.
    pub fn update(c: &mut SqliteConnection, id: &LookId, revision: i32, look: &Look) -> ApiResult<Self> {
        c.immediate_transaction(|c| {
            let row = Self::find(c, id)?;
            if row.revision != revision {
                return Err(ApiError::Conflict { what: "look", current: row.revision });
            }
            let row =
                Self { name: look.name.clone(), document: look.to_json(), revision: revision + 1, ..row };
            diesel::update(looks::table.find(id))
                .set((
                    looks::name.eq(&row.name),
                    looks::document.eq(&row.document),
                    looks::revision.eq(row.revision),
                ))
                .execute(c)?;
            Ok(row)
        })
    }

    /// Deletes a look with its versions and handoffs, or puts it back with them.
    pub fn set_deleted(c: &mut SqliteConnection, id: &LookId, deleted: bool) -> ApiResult<()> {
        let own = looks::table.find(id).filter(looks::deleted_at.is_null().eq(deleted));
        let changed = diesel::update(own).set(looks::deleted_at.eq(deleted.then(now))).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("look")) } else { Ok(()) }
    }

    /// The document as types.
    pub fn look(&self) -> ApiResult<Look> {
        Look::from_json(&self.document).map_err(ApiError::internal)
    }
}

impl Version {
    /// A look's versions, newest first.
    pub fn of_look(c: &mut SqliteConnection, look: &LookId) -> ApiResult<Vec<Self>> {
        let own =
            look_versions::table.filter(look_versions::look_id.eq(look)).order(look_versions::number.desc());
        Ok(own.select(Self::as_select()).load(c)?)
    }

    /// One version.
    pub fn find(c: &mut SqliteConnection, look: &LookId, number: i32) -> ApiResult<Self> {
        let row = look_versions::table.find((look, number)).select(Self::as_select()).first(c).optional()?;
        row.ok_or(ApiError::NotFound("version"))
    }

    /// Saves a version that comes from elsewhere.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(look_versions::table).values(self).execute(c)?;
        Ok(())
    }

    /// Keeps the look as it stands under the next number.
    pub fn keep(c: &mut SqliteConnection, look: &LookId, name: &str) -> ApiResult<Self> {
        c.immediate_transaction(|c| {
            let row = LookRow::find(c, look)?;
            let last: Option<i32> = look_versions::table
                .filter(look_versions::look_id.eq(look))
                .select(diesel::dsl::max(look_versions::number))
                .first(c)?;
            let number = last.unwrap_or(0) + 1;
            let name =
                if name.trim().is_empty() { format!("version {number}") } else { name.trim().to_owned() };
            let version =
                Self { look_id: look.clone(), number, name, document: row.document, saved_at: now() };
            diesel::insert_into(look_versions::table).values(&version).execute(c)?;
            Ok(version)
        })
    }
}
