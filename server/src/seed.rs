//! Putting a whole production into an empty data folder.

use crate::Data;
use crate::error::ApiResult;
use crate::store::looks::{LookRow, Version};
use crate::store::new_id;
use crate::store::productions::{Media, Production, Scene, Shot};
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;

/// A production to put in.
pub struct Seed<'a> {
    /// Its name.
    pub name: &'a str,
    /// Its camera.
    pub camera: &'a CameraProfile,
    /// Scenes in order: a name, and shots as name, encoding and picture file.
    pub scenes: &'a [(&'a str, &'a [SeedShot<'a>])],
    /// Looks, each kept as a first version too.
    pub looks: &'a [Look],
}

/// A shot to put in.
pub struct SeedShot<'a> {
    /// Its name.
    pub name: &'a str,
    /// Its encoding's id.
    pub encoding: &'a str,
    /// The picture file's bytes.
    pub picture: &'a [u8],
}

/// Puts a production in, unless there is any already. Says whether it did.
pub fn seed(data: &Data, seed: &Seed<'_>) -> ApiResult<bool> {
    let c = &mut *data.store.connect()?;
    if !Production::all(c)?.is_empty() {
        return Ok(false);
    }
    let production = c.immediate_transaction(|c| -> ApiResult<String> {
        let camera = serde_json::to_string(seed.camera).map_err(crate::error::ApiError::internal)?;
        let production = Production { id: new_id(), name: seed.name.into(), camera };
        production.insert(c)?;
        for (position, (name, shots)) in (0..).zip(seed.scenes) {
            let scene =
                Scene { id: new_id(), production_id: production.id.clone(), position, name: (*name).into() };
            scene.insert(c)?;
            for (position, shot) in (0..).zip(*shots) {
                let picture = lantern_formats::picture::read(shot.picture)?;
                let hash = data.media.keep(shot.picture)?;
                Media { hash: hash.clone(), kind: "picture".into(), bytes: shot.picture.len() as i64 }
                    .insert(c)?;
                let row = Shot {
                    id: new_id(),
                    scene_id: scene.id.clone(),
                    position,
                    name: shot.name.into(),
                    encoding: shot.encoding.into(),
                    media_hash: hash,
                    width: picture.width() as i32,
                    height: picture.height() as i32,
                    encoding_reason: "shot on the production's camera".into(),
                };
                row.insert(c)?;
            }
        }
        Ok(production.id)
    })?;
    for look in seed.looks {
        let row = LookRow::create(c, &production, look)?;
        Version::keep(c, &row.id, "first")?;
    }
    Ok(true)
}
