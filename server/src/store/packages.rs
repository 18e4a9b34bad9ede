//! Packages: what was asked, how it went, and the archive that came of it.

use super::ids::{LookId, PackageId};
use super::now;
use super::schema::packages;
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use lantern_handoff::manifest::Manifest;
use std::collections::HashSet;

/// A package.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = packages)]
pub struct PackageRow {
    /// Its id.
    pub id: PackageId,
    /// The look it is of.
    pub look_id: LookId,
    /// The version's number.
    pub version: i32,
    /// The plan as it was when the package was asked for, as JSON.
    pub plan: String,
    /// `queued`, `running`, `done`, `failed` or `cancelled`.
    pub state: String,
    /// Why it failed.
    pub failure: String,
    /// The manifest as JSON, once done.
    pub manifest: String,
    /// The hash of the archive in the media folder, once done.
    pub archive_hash: Option<String>,
    /// The name that the archive is downloaded under.
    pub file_name: String,
    /// Seconds since 1970.
    pub made_at: i64,
}

/// States of a package that has not been made to its end; one of the last two can be taken up again.
const UNDONE: [&str; 4] = ["queued", "running", "failed", "cancelled"];

impl PackageRow {
    /// A look's packages, newest first.
    pub fn of_look(c: &mut SqliteConnection, look: &LookId) -> ApiResult<Vec<Self>> {
        let own = packages::table.filter(packages::look_id.eq(look).and(packages::deleted_at.is_null()));
        Ok(own.order((packages::made_at.desc(), packages::id)).select(Self::as_select()).load(c)?)
    }

    /// One package.
    pub fn find(c: &mut SqliteConnection, id: &PackageId) -> ApiResult<Self> {
        let there = packages::table.find(id).filter(packages::deleted_at.is_null());
        there.select(Self::as_select()).first(c).optional()?.ok_or(ApiError::NotFound("package"))
    }

    /// Saves a new one.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(packages::table).values(self).execute(c)?;
        Ok(())
    }

    /// Saves that it is whole: its manifest, and the hash of its archive.
    pub fn done(c: &mut SqliteConnection, id: &PackageId, manifest: &str, hash: &str) -> ApiResult<()> {
        let whole = (
            packages::state.eq("done"),
            packages::failure.eq(""),
            packages::manifest.eq(manifest),
            packages::archive_hash.eq(Some(hash)),
        );
        diesel::update(packages::table.find(id)).set(whole).execute(c)?;
        Ok(())
    }

    /// Saves that it ended as `failed` or `cancelled`.
    pub fn ended(c: &mut SqliteConnection, id: &PackageId, state: &str, failure: &str) -> ApiResult<()> {
        let how = (packages::state.eq(state), packages::failure.eq(failure));
        diesel::update(packages::table.find(id)).set(how).execute(c)?;
        Ok(())
    }

    /// Says that it is being made. `false` where it has ended already, or was deleted.
    pub fn begin(c: &mut SqliteConnection, id: &PackageId) -> ApiResult<bool> {
        let waiting = packages::table.find(id).filter(packages::state.eq_any(["queued", "running"]));
        let waiting = waiting.filter(packages::deleted_at.is_null());
        Ok(diesel::update(waiting).set(packages::state.eq("running")).execute(c)? > 0)
    }

    /// Ends one that still waits for its turn; with `alone` also one that says that it is being made, where nobody makes it.
    pub fn cancel(c: &mut SqliteConnection, id: &PackageId, alone: bool) -> ApiResult<()> {
        let states = if alone { ["queued", "running"].as_slice() } else { &["queued"] };
        let waiting = packages::table.find(id).filter(packages::state.eq_any(states));
        diesel::update(waiting).set(packages::state.eq("cancelled")).execute(c)?;
        Ok(())
    }

    /// Puts one that failed or was cancelled in line again. `false` where it has not ended, or is done.
    pub fn take_up(c: &mut SqliteConnection, id: &PackageId) -> ApiResult<bool> {
        let ended = packages::table.find(id).filter(packages::state.eq_any(["failed", "cancelled"]));
        let again = (packages::state.eq("queued"), packages::failure.eq(""));
        Ok(diesel::update(ended.filter(packages::deleted_at.is_null())).set(again).execute(c)? > 0)
    }

    /// Those that have not ended, in the order that they were asked for; all of them wait anew. For one change.
    pub fn queue_again(c: &mut SqliteConnection) -> ApiResult<Vec<Self>> {
        // What was deleted meanwhile is not made, and can be taken up again where it is put back.
        let going = packages::table.filter(packages::state.eq_any(["queued", "running"]));
        diesel::update(going.filter(packages::deleted_at.is_not_null()))
            .set(packages::state.eq("cancelled"))
            .execute(c)?;
        diesel::update(packages::table.filter(packages::state.eq("running")))
            .set(packages::state.eq("queued"))
            .execute(c)?;
        Self::going(c)
    }

    /// Those that have not ended and are not deleted, as they are.
    pub fn going(c: &mut SqliteConnection) -> ApiResult<Vec<Self>> {
        let going = packages::table.filter(packages::state.eq_any(["queued", "running"]));
        let going = going.filter(packages::deleted_at.is_null());
        Ok(going.order(packages::made_at).select(Self::as_select()).load(c)?)
    }

    /// The ids of those that may be taken up again: what was made for them is kept.
    pub fn undone(c: &mut SqliteConnection) -> ApiResult<HashSet<String>> {
        let undone = packages::table.filter(packages::state.eq_any(UNDONE)).select(packages::id);
        Ok(undone.load::<String>(c)?.into_iter().collect())
    }

    /// Deletes one, or puts it back.
    pub fn set_deleted(c: &mut SqliteConnection, id: &PackageId, deleted: bool) -> ApiResult<()> {
        let own = packages::table.find(id).filter(packages::deleted_at.is_null().eq(deleted));
        let changed = diesel::update(own).set(packages::deleted_at.eq(deleted.then(now))).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("package")) } else { Ok(()) }
    }

    /// The manifest as types; `None` while it is not done.
    pub fn manifest(&self) -> Option<Manifest> {
        serde_json::from_str(&self.manifest).ok()
    }
}
