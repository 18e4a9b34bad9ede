//! Files on their way in: sent under a key in as many pieces as it takes, or named in an allowed folder.

use super::json::Body;
use super::productions::ShotDetail;
use super::scenes::clean;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::jobs::{Jobs, intake as job};
use crate::media::folders::{Folders, Listing};
use crate::media::intake::{self, Group};
use crate::preview::Studio;
use crate::store::Store;
use crate::store::ids::{SceneId, ShotId};
use crate::store::scenes::Scene;
use crate::store::shots::{COMING, Shot};
use actix_web::{HttpResponse, web};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The most names that are put together at once.
const MOST_NAMES: usize = 200_000;

/// Names of files that come together.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct Names {
    /// The names.
    pub names: Vec<String>,
}

/// How much of a file is here.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Have {
    /// Bytes.
    pub have: u64,
}

/// Where a piece of a file goes.
#[derive(Debug, Deserialize)]
pub struct Piece {
    from: u64,
    name: String,
}

/// A place in an allowed folder.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct FolderPlace {
    /// The allowed folder, by number.
    pub root: usize,
    /// The folders on the way, from there.
    #[serde(default)]
    pub parts: Vec<String>,
}

/// Files of an allowed folder to bring in.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct BringIn {
    /// Where they lie.
    pub place: FolderPlace,
    /// Their names.
    pub names: Vec<String>,
}

/// Says which files are one shot.
pub async fn group(body: Body<Names>) -> ApiResult<web::Json<Vec<Group>>> {
    if body.names.len() > MOST_NAMES {
        return Err(ApiError::Invalid(format!("up to {MOST_NAMES} files come in at once")));
    }
    Ok(web::Json(intake::group(&body.names)))
}

/// How much of a file is here already.
pub async fn have(studio: web::Data<Studio>, key: web::Path<String>) -> ApiResult<web::Json<Have>> {
    Ok(web::Json(Have { have: blocking(move || studio.media.have(&key)).await? }))
}

/// Takes a piece of a file, written as it comes.
pub async fn take(
    studio: web::Data<Studio>,
    key: web::Path<String>,
    piece: web::Query<Piece>,
    body: web::Payload,
) -> ApiResult<web::Json<Have>> {
    let name = clean(&piece.name)?;
    Ok(web::Json(Have { have: studio.media.take(&key, piece.from, &name, body).await? }))
}

/// Gives up a file that was not taken in.
pub async fn give_up(studio: web::Data<Studio>, key: web::Path<String>) -> ApiResult<HttpResponse> {
    blocking(move || studio.media.drop_part(&key)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Stops what comes in for a shot; frames that are here stay.
pub async fn stop(jobs: web::Data<Jobs>, shot: web::Path<ShotId>) -> HttpResponse {
    jobs.stop(shot.as_str());
    HttpResponse::NoContent().finish()
}

/// The folders on this machine that the operator allowed.
pub async fn folders(folders: web::Data<Folders>) -> web::Json<Vec<String>> {
    web::Json(folders.names())
}

/// What lies in one of them.
pub async fn list_folder(
    folders: web::Data<Folders>,
    body: Body<FolderPlace>,
) -> ApiResult<web::Json<Listing>> {
    let body = body.into_inner();
    Ok(web::Json(blocking(move || folders.list(body.root, &body.parts)).await?))
}

/// Brings files of an allowed folder into a scene. Gives the shots that they will be; their frames come one after the
/// other.
pub async fn bring_in(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    jobs: web::Data<Jobs>,
    folders: web::Data<Folders>,
    scene: web::Path<SceneId>,
    body: Body<BringIn>,
) -> ApiResult<web::Json<Vec<ShotDetail>>> {
    let body = body.into_inner();
    if body.names.is_empty() || body.names.len() > MOST_NAMES {
        return Err(ApiError::Invalid(format!("1 to {MOST_NAMES} files come in at once")));
    }
    let made = blocking(move || {
        let mut groups = Vec::new();
        for group in intake::group(&body.names) {
            let paths = group
                .files
                .iter()
                .map(|(name, number)| {
                    let path = folders.file(body.place.root, &body.place.parts, name)?;
                    Ok((path, name.clone(), *number))
                })
                .collect::<ApiResult<Vec<_>>>()?;
            groups.push((clean(&group.name)?, group.clip, paths));
        }
        let (details, todo) = store.change(|c| {
            Scene::find(c, &scene)?;
            let (mut details, mut todo) = (Vec::new(), Vec::new());
            for (name, is_clip, paths) in groups {
                let name = Shot::free_name(c, &scene, &name)?;
                let new = Shot::new(c, &scene, &name)?;
                let mut shot = Shot { expected: paths.len() as i32, arrival: COMING.into(), ..new };
                shot.insert(c)?;
                shot.encoding_reason = "its files are still coming".into();
                details.push(ShotDetail::of(c, shot.clone(), Some(0.0))?);
                todo.push((shot, is_clip, paths));
            }
            Ok((details, todo))
        })?;
        job::from_folder(&studio, &jobs, todo);
        Ok::<_, ApiError>(details)
    });
    Ok(web::Json(made.await?))
}
