//! Scenes of a production.

use super::schema::{scenes, shots};
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;

/// A scene of a production.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = scenes)]
pub struct Scene {
    /// Its id.
    pub id: String,
    /// The production it belongs to.
    pub production_id: String,
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
        production: &str,
        name: String,
        finished: bool,
    ) -> ApiResult<Self> {
        let own = scenes::table.filter(scenes::production_id.eq(production));
        let last: Option<i32> = own.select(diesel::dsl::max(scenes::position)).first(c)?;
        let position = last.map_or(0, |p| p + 1);
        Ok(Self { id: super::new_id(), production_id: production.into(), position, name, finished })
    }

    /// Saves a new scene.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(scenes::table).values(self).execute(c)?;
        Ok(())
    }

    /// One scene.
    pub fn find(c: &mut SqliteConnection, id: &str) -> ApiResult<Self> {
        let there = scenes::table.find(id).filter(scenes::deleted_at.is_null());
        let row = there.select(Self::as_select()).first(c).optional()?;
        row.ok_or(ApiError::NotFound("scene"))
    }

    /// Gives a scene another name.
    pub fn rename(c: &mut SqliteConnection, id: &str, name: &str) -> ApiResult<()> {
        let changed = diesel::update(scenes::table.find(id)).set(scenes::name.eq(name)).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("scene")) } else { Ok(()) }
    }

    /// Says whether a scene holds finished stills.
    pub fn set_finished(c: &mut SqliteConnection, id: &str, finished: bool) -> ApiResult<()> {
        let changed = diesel::update(scenes::table.find(id)).set(scenes::finished.eq(finished)).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("scene")) } else { Ok(()) }
    }

    /// The position after a scene's last shot.
    pub fn end(c: &mut SqliteConnection, id: &str) -> ApiResult<i32> {
        let last: Option<i32> =
            shots::table.filter(shots::scene_id.eq(id)).select(diesel::dsl::max(shots::position)).first(c)?;
        Ok(last.map_or(0, |p| p + 1))
    }

    /// Deletes a scene with its shots, or puts it back with them.
    pub fn set_deleted(c: &mut SqliteConnection, id: &str, deleted: bool) -> ApiResult<()> {
        let own = scenes::table.find(id).filter(scenes::deleted_at.is_null().eq(deleted));
        let at = scenes::deleted_at.eq(deleted.then(super::now));
        let changed = diesel::update(own).set(at).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("scene")) } else { Ok(()) }
    }

    /// Puts a production's scenes and shots in an order: every scene with its shots, each named exactly once.
    pub fn arrange(
        c: &mut SqliteConnection,
        production: &str,
        order: &[(String, Vec<String>)],
    ) -> ApiResult<()> {
        c.immediate_transaction(|c| {
            let own: Vec<String> = scenes::table
                .filter(scenes::production_id.eq(production).and(scenes::deleted_at.is_null()))
                .select(scenes::id)
                .load(c)?;
            let held: Vec<String> = shots::table
                .filter(shots::scene_id.eq_any(&own).and(shots::deleted_at.is_null()))
                .select(shots::id)
                .load(c)?;
            let sorted = |mut v: Vec<&String>| {
                v.sort();
                v.into_iter().cloned().collect::<Vec<_>>()
            };
            let same = |a: Vec<&String>, b: &[String]| sorted(a) == sorted(b.iter().collect());
            if !same(order.iter().map(|o| &o.0).collect(), &own)
                || !same(order.iter().flat_map(|o| &o.1).collect(), &held)
            {
                let twice = |mut ids: Vec<&String>| {
                    ids.sort();
                    ids.windows(2).any(|w| w[0] == w[1])
                };
                if twice(order.iter().map(|o| &o.0).collect())
                    || twice(order.iter().flat_map(|o| &o.1).collect())
                {
                    return Err(ApiError::Invalid(
                        "the order does not name every scene and shot once".into(),
                    ));
                }
                return Err(ApiError::Changed(
                    "the order does not name every scene and shot once; somebody else changed them".into(),
                ));
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
