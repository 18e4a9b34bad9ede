//! Putting a whole production into an empty data folder.

use crate::Data;
use crate::error::{ApiError, ApiResult};
use crate::store::ids::{ProductionId, ProfileId, SceneId, ShotId};
use crate::store::looks::{LookRow, Version};
use crate::store::productions::{Media, MediaKind, Production};
use crate::store::profiles::{Profile, ProfileBody};
use crate::store::scenes::Scene;
use crate::store::shots::{Frame, Shot, ShotPatch};
use lantern_core::colour::CameraProfile;
use lantern_core::look::Look;
use rayon::prelude::*;

/// A production to put in.
pub struct Seed<'a> {
    /// Its name.
    pub name: &'a str,
    /// Its camera.
    pub camera: &'a CameraProfile,
    /// Scenes in order.
    pub scenes: &'a [SeedScene<'a>],
    /// Looks, each kept as a first version too.
    pub looks: &'a [Look],
}

/// A scene to put in.
pub struct SeedScene<'a> {
    /// Its name.
    pub name: &'a str,
    /// Whether it holds finished stills.
    pub finished: bool,
    /// Its shots in order.
    pub shots: Vec<SeedShot<'a>>,
}

/// A shot to put in.
pub struct SeedShot<'a> {
    /// Its name.
    pub name: &'a str,
    /// Its encoding's id.
    pub encoding: &'a str,
    /// Why it has its encoding.
    pub reason: &'a str,
    /// Its picture files: names and bytes. More than one are a sequence.
    pub pictures: Vec<(String, std::borrow::Cow<'a, [u8]>)>,
    /// Frames a second, for a sequence.
    pub rate: f64,
    /// The name of the still that is its contrast frame.
    pub contrast: Option<&'a str>,
}

/// Puts a production in, unless there is any already. Says whether it did.
pub fn seed(data: &Data, seed: &Seed<'_>) -> ApiResult<bool> {
    let c = &mut *data.store.connect()?;
    if !Production::all(c)?.is_empty() {
        return Ok(false);
    }
    // Reaching the disk takes most of the time: several at once.
    let pictures: Vec<_> = seed.scenes.iter().flat_map(|s| &s.shots).flat_map(|s| &s.pictures).collect();
    let kept = pictures.par_iter().map(|(_, bytes)| data.media.keep_as(MediaKind::Picture, bytes));
    let mut kept = kept.collect::<ApiResult<Vec<_>>>()?.into_iter();
    let production = c.immediate_transaction(|c| -> ApiResult<Option<ProductionId>> {
        // Somebody else may have been asked for the same meanwhile.
        if !Production::all(c)?.is_empty() {
            return Ok(None);
        }
        let mut production =
            Production { id: ProductionId::fresh(), name: seed.name.into(), camera: String::new() };
        production.insert(c)?;
        let body = ProfileBody::Constants(seed.camera.clone());
        let profile = Profile {
            id: ProfileId::fresh(),
            production_id: production.id.clone(),
            name: seed.camera.name.clone(),
            body: serde_json::to_string(&body).map_err(ApiError::internal)?,
            table_hash: None,
            revision: 1,
        };
        profile.insert(c)?;
        production.camera = profile.id.to_string();
        Production::set_camera(c, &production.id, Some(&profile.id))?;
        let mut shots = Vec::new();
        for (position, s) in (0..).zip(seed.scenes) {
            let (id, production_id) = (SceneId::fresh(), production.id.clone());
            let scene = Scene { id, production_id, position, name: s.name.into(), finished: s.finished };
            scene.insert(c)?;
            for shot in &s.shots {
                shots.push((put(c, &mut kept, &scene.id, shot)?, shot));
            }
        }
        for (id, shot) in &shots {
            let Some(name) = shot.contrast else { continue };
            let Some((still, _)) = shots.iter().find(|(_, s)| s.name == name) else {
                return Err(ApiError::internal(format!("no still {name} for {}", shot.name)));
            };
            Shot::patch(c, id, &ShotPatch { contrast: Some(Some(still.clone())), ..Default::default() })?;
        }
        Ok(Some(production.id))
    })?;
    let Some(production) = production else { return Ok(false) };
    for look in seed.looks {
        let row = LookRow::create(c, &production, look)?;
        Version::keep(c, &row.id, "first")?;
    }
    Ok(true)
}

/// Puts a shot in; the rows of its files come in the order of its pictures.
fn put(
    c: &mut diesel::SqliteConnection,
    kept: &mut impl Iterator<Item = Media>,
    scene: &SceneId,
    shot: &SeedShot<'_>,
) -> ApiResult<ShotId> {
    let row = Shot {
        encoding: shot.encoding.into(),
        encoding_reason: shot.reason.into(),
        expected: shot.pictures.len() as i32,
        rate: shot.rate,
        ..Shot::new(c, scene, shot.name)?
    };
    row.insert(c)?;
    for ((i, (name, bytes)), media) in (0..).zip(&shot.pictures).zip(kept) {
        let facts = lantern_formats::facts::read(bytes)?;
        media.insert(c)?;
        let frame = Frame {
            shot_id: row.id.clone(),
            number: crate::media::intake::split_number(name).map_or(i, |(_, n)| n),
            name: name.clone(),
            media_hash: media.hash,
            width: facts.width as i32,
            height: facts.height as i32,
            bytes: media.bytes,
            healed: 0,
        };
        frame.put(c)?;
    }
    Ok(row.id)
}
