//! Shots with their trims, and their frames.

use super::ids::{SceneId, ShotId};
use super::productions::Production;
use super::scenes::Scene;
use super::schema::{frames, scenes, shots};
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use lantern_core::look::{MAX_NAME, Path};
use std::collections::HashSet;

/// The most frames of a shot.
pub const MOST_FRAMES: i32 = 200_000;
/// Frames a second that a shot may have.
pub const RATES: std::ops::RangeInclusive<f64> = 0.1..=1000.0;

/// A shot of a scene.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = shots)]
pub struct Shot {
    /// Its id.
    pub id: ShotId,
    /// The scene it belongs to.
    pub scene_id: SceneId,
    /// Its place in the scene's order.
    pub position: i32,
    /// Its name.
    pub name: String,
    /// Its encoding's id, `camera`, or `profile:` and a profile's id; empty where nobody has said it yet.
    pub encoding: String,
    /// Why it has its encoding, or why none is known.
    pub encoding_reason: String,
    /// Frames a second.
    pub rate: f64,
    /// The frame shown for the shot, by its place in the order.
    pub poster: i32,
    /// The first frame that counts.
    pub in_frame: i32,
    /// The last frame that counts; none for the last there is.
    pub out_frame: Option<i32>,
    /// How many frames were announced.
    pub expected: i32,
    /// The path that balances it, as JSON.
    pub trim: String,
    /// Rises with every accepted change of the trim.
    pub trim_revision: i32,
    /// How its files came in: empty where they did, [`COMING`] while they do, else what went wrong, in words.
    pub arrival: String,
    /// Rises with every accepted change of anything else.
    pub revision: i32,
    /// What somebody notes of it.
    pub note: String,
    /// Words that it is found by.
    pub tags: String,
    /// The still that shows the same set-up in the camera's plain display profile.
    pub contrast: Option<ShotId>,
    /// The encoding that nearly all files have that say as little as its own do, by its id; to be confirmed. Empty where there is
    /// none, or its code values speak against it.
    pub proposed: String,
}

/// What [`Shot::arrival`] says while files come in.
pub const COMING: &str = "coming";

/// What changes of a shot. Each change writes its own columns only, so that two of them made at once both stay.
#[derive(Clone, Debug, Default, AsChangeset)]
#[diesel(table_name = shots)]
pub struct ShotPatch {
    /// Its name.
    pub name: Option<String>,
    /// Its encoding's id.
    pub encoding: Option<String>,
    /// Why it has its encoding.
    pub encoding_reason: Option<String>,
    /// The encoding that is proposed for it.
    pub proposed: Option<String>,
    /// Frames a second.
    pub rate: Option<f64>,
    /// The frame shown for it.
    pub poster: Option<i32>,
    /// The first frame that counts.
    pub in_frame: Option<i32>,
    /// The last frame that counts, and none for the last there is.
    pub out_frame: Option<Option<i32>>,
    /// How many frames are announced.
    pub expected: Option<i32>,
    /// How its files came in.
    pub arrival: Option<String>,
    /// What somebody notes of it.
    pub note: Option<String>,
    /// Words that it is found by.
    pub tags: Option<String>,
    /// Its contrast frame, or none.
    pub contrast: Option<Option<ShotId>>,
}

/// A frame of a shot; a still has one.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = frames)]
pub struct Frame {
    /// The shot.
    pub shot_id: ShotId,
    /// The number in its file's name; 0 for a still.
    pub number: i32,
    /// Its file's name.
    pub name: String,
    /// The hash of its file.
    pub media_hash: String,
    /// Pixels in a row.
    pub width: i32,
    /// Rows.
    pub height: i32,
    /// The file's length.
    pub bytes: i64,
    /// Values that were no finite numbers.
    pub healed: i64,
}

impl Shot {
    /// A new shot without frames, at the end of a scene.
    pub fn new(c: &mut SqliteConnection, scene: &SceneId, name: &str) -> ApiResult<Self> {
        Ok(Self {
            id: ShotId::fresh(),
            scene_id: scene.clone(),
            position: Scene::end(c, scene)?,
            name: name.into(),
            encoding: String::new(),
            encoding_reason: String::new(),
            rate: 24.0,
            poster: 0,
            in_frame: 0,
            out_frame: None,
            expected: 1,
            trim: r#"{"steps":[]}"#.into(),
            trim_revision: 1,
            arrival: String::new(),
            revision: 1,
            note: String::new(),
            tags: String::new(),
            contrast: None,
            proposed: String::new(),
        })
    }

    /// A name that no other shot of a scene's production has: the one that is asked for, or that one with a number.
    pub fn free_name(c: &mut SqliteConnection, scene: &SceneId, name: &str) -> ApiResult<String> {
        let production = Scene::find(c, scene)?.production_id;
        let taken: HashSet<String> = shots::table
            .inner_join(scenes::table)
            .filter(scenes::production_id.eq(production).and(scenes::deleted_at.is_null()))
            .filter(shots::deleted_at.is_null())
            .select(shots::name)
            .load(c)?
            .into_iter()
            .collect();
        if !taken.contains(name) {
            return Ok(name.into());
        }
        // A number takes up to seven characters of the most that a name has.
        let stem: String = name.chars().take(MAX_NAME - 7).collect();
        let numbered = (2..).map(|n| format!("{stem} ({n})")).find(|n| !taken.contains(n));
        Ok(numbered.unwrap_or(stem))
    }

    /// The shots of a scene in order.
    pub fn of_scene(c: &mut SqliteConnection, scene: &SceneId) -> ApiResult<Vec<Self>> {
        let there = shots::table.filter(shots::scene_id.eq(scene).and(shots::deleted_at.is_null()));
        let own = there.order(shots::position);
        Ok(own.select(Self::as_select()).load(c)?)
    }

    /// One shot with the production it belongs to.
    pub fn find(c: &mut SqliteConnection, id: &ShotId) -> ApiResult<(Self, Production)> {
        let row: Option<(Self, Scene)> = shots::table
            .inner_join(scenes::table)
            .filter(shots::id.eq(id).and(shots::deleted_at.is_null()).and(scenes::deleted_at.is_null()))
            .select((Self::as_select(), Scene::as_select()))
            .first(c)
            .optional()?;
        let (shot, scene) = row.ok_or(ApiError::NotFound("shot"))?;
        Ok((shot, Production::find(c, &scene.production_id)?))
    }

    /// Saves a new shot.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(shots::table).values(self).execute(c)?;
        Ok(())
    }

    /// Saves what changes of a shot, and that it changed.
    pub fn patch(c: &mut SqliteConnection, id: &ShotId, patch: &ShotPatch) -> ApiResult<()> {
        let changed = diesel::update(shots::table.find(id).filter(shots::deleted_at.is_null()))
            .set((patch, shots::revision.eq(shots::revision + 1)))
            .execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("shot")) } else { Ok(()) }
    }

    /// Says of shots whose files were coming in when the server stopped that they broke off.
    pub fn break_off_arrivals(c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::update(shots::table.filter(shots::arrival.eq(COMING)))
            .set(
                shots::arrival.eq(
                    "It broke off: the server stopped while its files came in. Bring it in again to go on",
                ),
            )
            .execute(c)?;
        Ok(())
    }

    /// Deletes a shot, or puts it back where it was.
    pub fn set_deleted(c: &mut SqliteConnection, id: &ShotId, deleted: bool) -> ApiResult<()> {
        let own = shots::table.find(id).filter(shots::deleted_at.is_null().eq(deleted));
        let changed = diesel::update(own).set(shots::deleted_at.eq(deleted.then(super::now))).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("shot")) } else { Ok(()) }
    }

    /// Ids and positions of all shots that a scene has and had, in order.
    pub fn places(c: &mut SqliteConnection, scene: &SceneId) -> ApiResult<Vec<(ShotId, i32)>> {
        let all = shots::table.filter(shots::scene_id.eq(scene)).order(shots::position);
        Ok(all.select((shots::id, shots::position)).load(c)?)
    }

    /// Gives it a place in its scene's order.
    pub fn set_position(c: &mut SqliteConnection, id: &ShotId, position: i32) -> ApiResult<()> {
        diesel::update(shots::table.find(id)).set(shots::position.eq(position)).execute(c)?;
        Ok(())
    }

    /// The path that balances it.
    pub fn trim(&self) -> ApiResult<Path> {
        serde_json::from_str(&self.trim).map_err(ApiError::internal)
    }

    /// Saves a trim that was made from `revision`; gives the new revision.
    pub fn save_trim(
        c: &mut SqliteConnection,
        id: &ShotId,
        revision: Option<i32>,
        trim: &Path,
    ) -> ApiResult<i32> {
        c.immediate_transaction(|c| Self::put_trim(c, id, revision, trim))
    }

    /// The same inside a transaction. Without a revision it wins over any.
    pub fn put_trim(
        c: &mut SqliteConnection,
        id: &ShotId,
        revision: Option<i32>,
        trim: &Path,
    ) -> ApiResult<i32> {
        trim.check_trim()?;
        let text = serde_json::to_string(trim).map_err(ApiError::internal)?;
        let there = shots::table.find(id).filter(shots::deleted_at.is_null());
        let have: Option<i32> = there.select(shots::trim_revision).first(c).optional()?;
        let current = have.ok_or(ApiError::NotFound("shot"))?;
        if revision.is_some_and(|r| r != current) {
            return Err(ApiError::Conflict { what: "trim", current });
        }
        diesel::update(shots::table.find(id))
            .set((shots::trim.eq(&text), shots::trim_revision.eq(current + 1)))
            .execute(c)?;
        Ok(current + 1)
    }
}

impl Frame {
    /// The frames of a shot in order.
    pub fn of_shot(c: &mut SqliteConnection, shot: &ShotId) -> ApiResult<Vec<Self>> {
        let own = frames::table.filter(frames::shot_id.eq(shot)).order(frames::number);
        Ok(own.select(Self::as_select()).load(c)?)
    }

    /// The frame at a place of the order, from 0.
    pub fn at(c: &mut SqliteConnection, shot: &ShotId, place: i64) -> ApiResult<Self> {
        let own = frames::table.filter(frames::shot_id.eq(shot)).order(frames::number).offset(place);
        own.select(Self::as_select()).first(c).optional()?.ok_or(ApiError::NotFound("frame"))
    }

    /// How many frames of a shot are here.
    pub fn count(c: &mut SqliteConnection, shot: &ShotId) -> ApiResult<i64> {
        Ok(frames::table.filter(frames::shot_id.eq(shot)).count().get_result(c)?)
    }

    /// Saves a frame; one with the same number is replaced.
    pub fn put(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::replace_into(frames::table).values(self).execute(c)?;
        Ok(())
    }
}
