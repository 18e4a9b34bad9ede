//! Delivery plans: who receives what of a production's looks.

use super::ids::{PlanId, ProductionId};
use super::now;
use super::schema::plans;
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use lantern_handoff::plan::Plan;

/// The most plans of a production.
pub const MOST_PLANS: usize = 100;

/// A plan's row.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = plans)]
pub struct PlanRow {
    /// Its id.
    pub id: PlanId,
    /// The production it belongs to.
    pub production_id: ProductionId,
    /// The document as JSON.
    pub document: String,
    /// Rises with every accepted change.
    pub revision: i32,
    /// Seconds since 1970.
    pub made_at: i64,
}

impl PlanRow {
    /// A production's plans in the order that they were made.
    pub fn of_production(c: &mut SqliteConnection, production: &ProductionId) -> ApiResult<Vec<Self>> {
        let there = plans::table.filter(plans::production_id.eq(production).and(plans::deleted_at.is_null()));
        Ok(there.order((plans::made_at, plans::id)).select(Self::as_select()).load(c)?)
    }

    /// One plan.
    pub fn find(c: &mut SqliteConnection, id: &PlanId) -> ApiResult<Self> {
        let there = plans::table.find(id).filter(plans::deleted_at.is_null());
        there.select(Self::as_select()).first(c).optional()?.ok_or(ApiError::NotFound("plan"))
    }

    /// Saves a new one.
    pub fn create(c: &mut SqliteConnection, production: &ProductionId, plan: &Plan) -> ApiResult<Self> {
        let document = serde_json::to_string(plan).map_err(ApiError::internal)?;
        let (id, production_id) = (PlanId::fresh(), production.clone());
        let row = Self { id, production_id, document, revision: 1, made_at: now() };
        diesel::insert_into(plans::table).values(&row).execute(c)?;
        Ok(row)
    }

    /// Saves a change made to `revision`; refused when somebody saved since. For one change; see `Store::change`.
    pub fn update(c: &mut SqliteConnection, id: &PlanId, revision: i32, plan: &Plan) -> ApiResult<Self> {
        let row = Self::find(c, id)?;
        if row.revision != revision {
            return Err(ApiError::Conflict { what: "plan", current: row.revision });
        }
        let document = serde_json::to_string(plan).map_err(ApiError::internal)?;
        let row = Self { document, revision: revision + 1, ..row };
        diesel::update(plans::table.find(id))
            .set((plans::document.eq(&row.document), plans::revision.eq(row.revision)))
            .execute(c)?;
        Ok(row)
    }

    /// Deletes one, or puts it back.
    pub fn set_deleted(c: &mut SqliteConnection, id: &PlanId, deleted: bool) -> ApiResult<()> {
        let own = plans::table.find(id).filter(plans::deleted_at.is_null().eq(deleted));
        let changed = diesel::update(own).set(plans::deleted_at.eq(deleted.then(now))).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("plan")) } else { Ok(()) }
    }

    /// The document as types.
    pub fn plan(&self) -> ApiResult<Plan> {
        let value = serde_json::from_str(&self.document).map_err(ApiError::internal)?;
        Plan::draft(value).map_err(ApiError::internal)
    }
}
