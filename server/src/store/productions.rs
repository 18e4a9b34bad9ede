//! Productions, and the rows of media files.

use super::ids::{ProductionId, ProfileId};
use super::profiles::Profile;
use super::scenes::Scene;
use super::schema::{media, productions, scenes};
use super::shots::Shot;
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use lantern_core::colour::Encoding;
use std::collections::HashSet;

/// A production.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = productions)]
pub struct Production {
    /// Its id.
    pub id: ProductionId,
    /// Its name.
    pub name: String,
    /// The id of the profile of its usual camera, or empty.
    pub camera: String,
}

/// What a media file is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MediaKind {
    /// A picture, or a frame of a clip.
    Picture,
    /// A clip, whose frames are pictures of their own.
    Clip,
    /// A lookup table.
    Table,
    /// A package that was handed off.
    Package,
}

/// A media file.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = media)]
pub struct Media {
    /// BLAKE3 of its bytes, in hexadecimal.
    pub hash: String,
    /// A [`MediaKind`], in lower case.
    pub kind: String,
    /// Its length.
    pub bytes: i64,
}

impl Media {
    /// Whether a file of this hash is known.
    pub fn is_there(c: &mut SqliteConnection, hash: &str) -> ApiResult<bool> {
        Ok(diesel::select(diesel::dsl::exists(media::table.find(hash))).get_result(c)?)
    }

    /// The row of a file that lies in the media folder under its hash.
    pub fn of(kind: MediaKind, hash: String, length: u64) -> Self {
        let kind = match kind {
            MediaKind::Picture => "picture",
            MediaKind::Clip => "clip",
            MediaKind::Table => "table",
            MediaKind::Package => "package",
        };
        Self { hash, kind: kind.into(), bytes: length as i64 }
    }
}

/// What the encodings of a production's own profiles begin with.
pub const PROFILE: &str = "profile:";

impl Production {
    /// All productions by name.
    pub fn all(c: &mut SqliteConnection) -> ApiResult<Vec<Self>> {
        Ok(productions::table
            .filter(productions::deleted_at.is_null())
            .order(productions::name)
            .select(Self::as_select())
            .load(c)?)
    }

    /// One production.
    pub fn find(c: &mut SqliteConnection, id: &ProductionId) -> ApiResult<Self> {
        let there = productions::table.find(id).filter(productions::deleted_at.is_null());
        let row = there.select(Self::as_select()).first(c).optional()?;
        row.ok_or(ApiError::NotFound("production"))
    }

    /// Saves a new production.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(productions::table).values(self).execute(c)?;
        Ok(())
    }

    /// Gives it another name.
    pub fn rename(c: &mut SqliteConnection, id: &ProductionId, name: &str) -> ApiResult<()> {
        let changed =
            diesel::update(productions::table.find(id)).set(productions::name.eq(name)).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("production")) } else { Ok(()) }
    }

    /// Says which profile its usual camera has.
    pub fn set_camera(
        c: &mut SqliteConnection,
        id: &ProductionId,
        profile: Option<&ProfileId>,
    ) -> ApiResult<()> {
        diesel::update(productions::table.find(id))
            .set(productions::camera.eq(profile.map_or("", ProfileId::as_str)))
            .execute(c)?;
        Ok(())
    }

    /// Deletes a production with everything in it, or puts it back. The files stay in the media folder.
    pub fn set_deleted(c: &mut SqliteConnection, id: &ProductionId, deleted: bool) -> ApiResult<()> {
        let own = productions::table.find(id).filter(productions::deleted_at.is_null().eq(deleted));
        let at = productions::deleted_at.eq(deleted.then(super::now));
        let changed = diesel::update(own).set(at).execute(c)?;
        if changed == 0 { Err(ApiError::NotFound("production")) } else { Ok(()) }
    }

    /// The profile of its usual camera, where it has one.
    pub fn usual(&self, c: &mut SqliteConnection) -> ApiResult<Option<Profile>> {
        if self.camera.is_empty() {
            return Ok(None);
        }
        Profile::find(c, &self.camera.as_str().into()).map(Some)
    }

    /// The profile that an encoding's id names: `camera` is the usual one. `None` for a shipped encoding.
    pub fn profile(&self, c: &mut SqliteConnection, id: &str) -> ApiResult<Option<Profile>> {
        if id == "camera" {
            let none = || ApiError::Invalid(format!("“{}” has no camera profile", self.name));
            return self.usual(c)?.ok_or_else(none).map(Some);
        }
        let Some(profile) = id.strip_prefix(PROFILE) else { return Ok(None) };
        let found = Profile::find(c, &profile.into())?;
        if found.production_id == self.id { Ok(Some(found)) } else { Err(ApiError::NotFound("profile")) }
    }

    /// What an encoding's id means in this production, where no table stands before it.
    pub fn encoding(&self, c: &mut SqliteConnection, id: &str) -> ApiResult<Encoding> {
        if let Some(profile) = self.profile(c, id)? {
            return profile.encoding();
        }
        if id.is_empty() {
            return Err(ApiError::Invalid("encoding unknown: set it first, in Footage".into()));
        }
        let unknown = || ApiError::Invalid(format!("there is no encoding “{id}”; /api/encodings lists them"));
        Encoding::find(id).ok_or_else(unknown)
    }

    /// Its scenes with their shots, in order.
    pub fn scenes(&self, c: &mut SqliteConnection) -> ApiResult<Vec<(Scene, Vec<Shot>)>> {
        let own: Vec<Scene> = scenes::table
            .filter(scenes::production_id.eq(&self.id).and(scenes::deleted_at.is_null()))
            .order((scenes::position, scenes::id))
            .select(Scene::as_select())
            .load(c)?;
        own.into_iter().map(|scene| Shot::of_scene(c, &scene.id).map(|shots| (scene, shots))).collect()
    }
}

impl Media {
    /// Forgets pictures that no frame names any more and packages that were deleted for good. Clips stay, whose frames do not
    /// name them; so do tables: a page's undo, or a change that is not saved yet, may bring a step back that names one.
    pub fn forget_unused(c: &mut SqliteConnection) -> ApiResult<()> {
        const FORGET: &str =
            "DELETE FROM media WHERE kind IN ('picture', 'package') AND hash NOT IN (SELECT media_hash FROM frames)
            AND hash NOT IN (SELECT table_hash FROM profiles WHERE table_hash IS NOT NULL)
            AND hash NOT IN (SELECT table_hash FROM handoffs WHERE table_hash IS NOT NULL)
            AND hash NOT IN (SELECT archive_hash FROM packages WHERE archive_hash IS NOT NULL)";
        diesel::sql_query(FORGET).execute(c)?;
        Ok(())
    }

    /// The hashes of all files that are known.
    pub fn known(c: &mut SqliteConnection) -> ApiResult<HashSet<String>> {
        Ok(media::table.select(media::hash).load::<String>(c)?.into_iter().collect())
    }

    /// Saves a row for a file; one that is there already stays as it is.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_or_ignore_into(media::table).values(self).execute(c)?;
        Ok(())
    }
}
