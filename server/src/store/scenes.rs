//! Scenes of a production.

use super::ids::{ProductionId, SceneId, ShotId};
use super::schema::{scenes, shots};
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use std::collections::BTreeSet;

/// A scene of a production.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = scenes)]
pub struct Scene {
    /// Its id.
    pub id: SceneId,
    /// The production it belongs to.
    pub production_id: ProductionId,
    /// Its place in the production's order.
    pub position: i32,
    /// Its name.
    pub name: String,
    /// Whether it holds finished stills, which wear no look.
    pub finished: bool,
}

impl Scene {
    /// A new scene at the end of a production: after all that it has or had, so that one that is put back finds its place.
    pub fn at_end(
        c: &mut SqliteConnection,
        production: &ProductionId,
        name: String,
        finished: bool,
    ) -> ApiResult<Self> {
        let own = scenes::table.filter(scenes::production_id.eq(production));
        let last: Option<i32> = own.select(diesel::dsl::max(scenes::position)).first(c)?;
        let position = last.map_or(0, |p| p + 1);
        Ok(Self { id: SceneId::fresh(), production_id: production.clone(), position, name, finished })
    }

    /// Saves a new scene.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(scenes::table).values(self).execute(c)?;
        Ok(())
    }

    /// One scene.
    pub fn find(c: &mut SqliteConnection, id: &SceneId) -> ApiResult<Self> {
        let there = scenes::table.find(id).filter(scenes::deleted_at.is_null());
        let row = there.select(Self::as_select()).first(c).optional()?;
        row.ok_or(ApiError::NotFound("scene"))
    }

    /// Gives a scene another name.
    pub fn rename(c: &mut SqliteConnection, id: &SceneId, name: &str) -> ApiResult<()> {
        let changed = diesel::update(scenes::table.find(id)).set(scenes::name.eq(name)).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("scene")) } else { Ok(()) }
    }

    /// Says whether a scene holds finished stills.
    pub fn set_finished(c: &mut SqliteConnection, id: &SceneId, finished: bool) -> ApiResult<()> {
        let changed = diesel::update(scenes::table.find(id)).set(scenes::finished.eq(finished)).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("scene")) } else { Ok(()) }
    }

    /// The position after a scene's last shot.
    pub fn end(c: &mut SqliteConnection, id: &SceneId) -> ApiResult<i32> {
        let last: Option<i32> =
            shots::table.filter(shots::scene_id.eq(id)).select(diesel::dsl::max(shots::position)).first(c)?;
        Ok(last.map_or(0, |p| p + 1))
    }

    /// Deletes a scene with its shots, or puts it back with them.
    pub fn set_deleted(c: &mut SqliteConnection, id: &SceneId, deleted: bool) -> ApiResult<()> {
        let own = scenes::table.find(id).filter(scenes::deleted_at.is_null().eq(deleted));
        let at = scenes::deleted_at.eq(deleted.then(super::now));
        let changed = diesel::update(own).set(at).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("scene")) } else { Ok(()) }
    }

    /// Puts a production's scenes and shots in an order: every scene with its shots, each named exactly once.
    pub fn arrange(
        c: &mut SqliteConnection,
        production: &ProductionId,
        order: &[(SceneId, Vec<ShotId>)],
    ) -> ApiResult<()> {
        c.immediate_transaction(|c| {
            let own: Vec<SceneId> = scenes::table
                .filter(scenes::production_id.eq(production).and(scenes::deleted_at.is_null()))
                .select(scenes::id)
                .load(c)?;
            let held: Vec<ShotId> = shots::table
                .filter(shots::scene_id.eq_any(&own).and(shots::deleted_at.is_null()))
                .select(shots::id)
                .load(c)?;
            let scenes: Vec<&SceneId> = order.iter().map(|o| &o.0).collect();
            let shots: Vec<&ShotId> = order.iter().flat_map(|o| &o.1).collect();
            const EACH_ONCE: &str = "the order does not name every scene and shot once";
            if twice(&scenes) || twice(&shots) {
                return Err(ApiError::Invalid(EACH_ONCE.into()));
            }
            if !same(&scenes, &own) || !same(&shots, &held) {
                return Err(ApiError::Changed(format!("{EACH_ONCE}; somebody else changed them")));
            }
            for (place, (scene, inside)) in (0_i32..).zip(order) {
                diesel::update(scenes::table.find(scene)).set(scenes::position.eq(place)).execute(c)?;
                for (place, shot) in (0_i32..).zip(inside) {
                    diesel::update(shots::table.find(shot))
                        .set((shots::position.eq(place), shots::scene_id.eq(scene)))
                        .execute(c)?;
                }
            }
            Ok(())
        })
    }
}

/// Whether any of them stands twice.
fn twice<T: Ord>(ids: &[&T]) -> bool {
    ids.iter().collect::<BTreeSet<_>>().len() < ids.len()
}

/// Whether they are the same ones, in any order.
fn same<T: Ord>(named: &[&T], there: &[T]) -> bool {
    named.len() == there.len()
        && named.iter().copied().collect::<BTreeSet<_>>() == there.iter().collect::<BTreeSet<_>>()
}
