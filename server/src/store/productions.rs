//! Productions, their scenes and shots, and the media they show.

use super::schema::{media, productions, scenes, shots};
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use lantern_core::colour::{CameraProfile, Encoding};

/// A production.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = productions)]
pub struct Production {
    /// Its id.
    pub id: String,
    /// Its name.
    pub name: String,
    /// Its camera profile as JSON, or empty.
    pub camera: String,
}

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
}

/// A shot of a scene.
#[derive(Clone, Debug, Queryable, Selectable, Insertable, AsChangeset)]
#[diesel(table_name = shots)]
pub struct Shot {
    /// Its id.
    pub id: String,
    /// The scene it belongs to.
    pub scene_id: String,
    /// Its place in the scene's order.
    pub position: i32,
    /// Its name.
    pub name: String,
    /// Its encoding's id; `camera` is the production's camera profile, empty where nobody has said it yet.
    pub encoding: String,
    /// The hash of its picture.
    pub media_hash: String,
    /// Pixels in a row.
    pub width: i32,
    /// Rows.
    pub height: i32,
    /// Why it has its encoding, or why none is known.
    pub encoding_reason: String,
}

/// A media file.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = media)]
pub struct Media {
    /// BLAKE3 of its bytes, in hexadecimal.
    pub hash: String,
    /// `picture` or `table`.
    pub kind: String,
    /// Its length.
    pub bytes: i64,
}

impl Production {
    /// All productions by name.
    pub fn all(c: &mut SqliteConnection) -> ApiResult<Vec<Self>> {
        Ok(productions::table.order(productions::name).select(Self::as_select()).load(c)?)
    }

    /// One production.
    pub fn find(c: &mut SqliteConnection, id: &str) -> ApiResult<Self> {
        let row = productions::table.find(id).select(Self::as_select()).first(c).optional()?;
        row.ok_or(ApiError::NotFound("production"))
    }

    /// Saves a new production.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(productions::table).values(self).execute(c)?;
        Ok(())
    }

    /// Its camera profile, where it has one.
    pub fn camera(&self) -> ApiResult<Option<CameraProfile>> {
        if self.camera.is_empty() {
            return Ok(None);
        }
        serde_json::from_str(&self.camera).map(Some).map_err(ApiError::internal)
    }

    /// An encoding by its id, as this production understands it: `camera` is its own.
    pub fn encoding(&self, id: &str) -> ApiResult<Encoding> {
        if id == "camera" {
            let none = || ApiError::Invalid(format!("“{}” has no camera profile", self.name));
            return Ok(self.camera()?.ok_or_else(none)?.encoding()?);
        }
        if id.is_empty() {
            return Err(ApiError::Invalid("say first how this shot is encoded, in Footage".into()));
        }
        let unknown = || ApiError::Invalid(format!("there is no encoding “{id}”; /api/encodings lists them"));
        Encoding::find(id).ok_or_else(unknown)
    }

    /// Its scenes with their shots, in order.
    pub fn scenes(&self, c: &mut SqliteConnection) -> ApiResult<Vec<(Scene, Vec<Shot>)>> {
        let own: Vec<Scene> = scenes::table
            .filter(scenes::production_id.eq(&self.id))
            .order(scenes::position)
            .select(Scene::as_select())
            .load(c)?;
        own.into_iter().map(|scene| Shot::of_scene(c, &scene.id).map(|shots| (scene, shots))).collect()
    }
}

impl Scene {
    /// Saves a new scene.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(scenes::table).values(self).execute(c)?;
        Ok(())
    }

    /// One scene.
    pub fn find(c: &mut SqliteConnection, id: &str) -> ApiResult<Self> {
        let row = scenes::table.find(id).select(Self::as_select()).first(c).optional()?;
        row.ok_or(ApiError::NotFound("scene"))
    }

    /// Gives a scene another name.
    pub fn rename(c: &mut SqliteConnection, id: &str, name: &str) -> ApiResult<()> {
        let changed = diesel::update(scenes::table.find(id)).set(scenes::name.eq(name)).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("scene")) } else { Ok(()) }
    }

    /// The position after a scene's last shot.
    pub fn end(c: &mut SqliteConnection, id: &str) -> ApiResult<i32> {
        let last: Option<i32> =
            shots::table.filter(shots::scene_id.eq(id)).select(diesel::dsl::max(shots::position)).first(c)?;
        Ok(last.map_or(0, |p| p + 1))
    }

    /// Deletes a scene; one that has shots is refused.
    pub fn delete_empty(c: &mut SqliteConnection, id: &str) -> ApiResult<()> {
        c.immediate_transaction(|c| {
            let scene = Self::find(c, id)?;
            if !Shot::of_scene(c, id)?.is_empty() {
                let name = scene.name;
                return Err(ApiError::Invalid(format!("“{name}” has shots: move or delete them first")));
            }
            diesel::delete(scenes::table.find(id)).execute(c)?;
            Ok(())
        })
    }
}

impl Shot {
    fn of_scene(c: &mut SqliteConnection, scene: &str) -> ApiResult<Vec<Self>> {
        let own = shots::table.filter(shots::scene_id.eq(scene)).order(shots::position);
        Ok(own.select(Self::as_select()).load(c)?)
    }

    /// One shot with the production it belongs to.
    pub fn find(c: &mut SqliteConnection, id: &str) -> ApiResult<(Self, Production)> {
        let row: Option<(Self, Scene)> = shots::table
            .inner_join(scenes::table)
            .filter(shots::id.eq(id))
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

    /// Saves a changed shot.
    pub fn update(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::update(shots::table.find(&self.id)).set(self).execute(c)?;
        Ok(())
    }

    /// Deletes a shot.
    pub fn delete(c: &mut SqliteConnection, id: &str) -> ApiResult<()> {
        let gone = diesel::delete(shots::table.find(id)).execute(c)?;
        if gone == 0 { Err(ApiError::NotFound("shot")) } else { Ok(()) }
    }
}

impl Media {
    /// Saves a row for a file; one that is there already stays as it is.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_or_ignore_into(media::table).values(self).execute(c)?;
        Ok(())
    }
}
