//! Handoffs: what was asked, how it went, and the file that came of it.

use super::ids::{HandoffId, LookId};
use super::schema::handoffs;
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;

/// Points on a side of tables that are handed off.
pub const SIZES: [i32; 3] = [17, 33, 65];

/// A format or a range by its word in a row; the usual one for a word that is none.
pub fn word<T: serde::de::DeserializeOwned + Default>(text: &str) -> T {
    serde_json::from_value(text.into()).unwrap_or_default()
}

/// A handoff.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = handoffs)]
pub struct Handoff {
    /// Its id.
    pub id: HandoffId,
    /// The look it was made from.
    pub look_id: LookId,
    /// The version's number.
    pub version: i32,
    /// Encoding that the table expects.
    pub from_encoding: String,
    /// Encoding that the table gives.
    pub to_encoding: String,
    /// Points on a side.
    pub size: i32,
    /// `queued`, `running`, `done`, `failed` or `cancelled`.
    pub state: String,
    /// Why it failed.
    pub failure: String,
    /// The fidelity report as JSON, once done.
    pub report: String,
    /// The table's hash in the media folder, once done.
    pub table_hash: Option<String>,
    /// The name that the file is downloaded under.
    pub file_name: String,
    /// Seconds since 1970.
    pub made_at: i64,
    /// The word of its format.
    pub format: String,
    /// The range of its code values: `full` or `legal`.
    pub code_range: String,
    /// What its receiver has to know, in lines, once done.
    pub says: String,
}

impl Handoff {
    /// A look's handoffs, newest first.
    pub fn of_look(c: &mut SqliteConnection, look: &LookId) -> ApiResult<Vec<Self>> {
        let own = handoffs::table.filter(handoffs::look_id.eq(look));
        Ok(own.order((handoffs::made_at.desc(), handoffs::id)).select(Self::as_select()).load(c)?)
    }

    /// One handoff.
    pub fn find(c: &mut SqliteConnection, id: &HandoffId) -> ApiResult<Self> {
        let row = handoffs::table.find(id).select(Self::as_select()).first(c).optional()?;
        row.ok_or(ApiError::NotFound("handoff"))
    }

    /// Saves a new one.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(handoffs::table).values(self).execute(c)?;
        Ok(())
    }

    /// Saves how it ended.
    pub fn finish(
        c: &mut SqliteConnection,
        id: &HandoffId,
        state: &str,
        failure: &str,
        made: Option<[&str; 3]>,
    ) -> ApiResult<()> {
        let [report, hash, says] = made.unwrap_or_default();
        let hash = (!hash.is_empty()).then_some(hash);
        diesel::update(handoffs::table.find(id))
            .set((
                handoffs::state.eq(state),
                handoffs::failure.eq(failure),
                handoffs::report.eq(report),
                handoffs::table_hash.eq(hash),
                handoffs::says.eq(says),
            ))
            .execute(c)?;
        Ok(())
    }

    /// Says that it is being made. `false` where it has ended already.
    pub fn begin(c: &mut SqliteConnection, id: &HandoffId) -> ApiResult<bool> {
        let waiting = handoffs::table.find(id).filter(handoffs::state.eq_any(["queued", "running"]));
        Ok(diesel::update(waiting).set(handoffs::state.eq("running")).execute(c)? > 0)
    }

    /// Ends one that still waits for its turn; with `alone` also one that says that it is being made, where nobody makes it.
    pub fn cancel(c: &mut SqliteConnection, id: &HandoffId, alone: bool) -> ApiResult<()> {
        let states = if alone { ["queued", "running"].as_slice() } else { &["queued"] };
        let waiting = handoffs::table.find(id).filter(handoffs::state.eq_any(states));
        diesel::update(waiting).set(handoffs::state.eq("cancelled")).execute(c)?;
        Ok(())
    }

    /// Those that have not ended, as they are.
    pub fn undone(c: &mut SqliteConnection) -> ApiResult<Vec<Self>> {
        let undone = handoffs::table.filter(handoffs::state.eq_any(["queued", "running"]));
        Ok(undone.order(handoffs::made_at).select(Self::as_select()).load(c)?)
    }

    /// Those that have not ended, in the order that they were asked for; all of them wait anew. For one change.
    pub fn queue_again(c: &mut SqliteConnection) -> ApiResult<Vec<Self>> {
        diesel::update(handoffs::table.filter(handoffs::state.eq("running")))
            .set(handoffs::state.eq("queued"))
            .execute(c)?;
        Self::undone(c)
    }
}
