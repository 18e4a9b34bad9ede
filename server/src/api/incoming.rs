//! Files on their way in: sent under a key in as many pieces as it takes, then taken in as shots and frames.

use super::json::Body;
use super::productions::ShotDetail;
use super::scenes::clean;
use crate::error::{ApiError, ApiResult};
use crate::jobs::{Jobs, intake as job};
use crate::media::clip;
use crate::media::folders::{Folders, Listing};
use crate::media::intake::{self, Group, TakenIn};
use crate::preview::{Looking, Studio};
use crate::store::Store;
use crate::store::ids::{SceneId, ShotId};
use crate::store::scenes::Scene;
use crate::store::shots::{COMING, Frame, MOST_FRAMES, Shot};
use actix_web::{HttpResponse, web};
use lantern_formats::facts::Facts;
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

/// A file that arrived, to be taken in.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct Arrived {
    /// The key that it was sent under.
    pub key: String,
    /// Its name.
    pub name: String,
    /// Its frame number.
    #[serde(default)]
    pub number: i32,
    /// What to call the shot; the file's name where nothing is said.
    #[serde(default)]
    pub shot: Option<String>,
    /// How many frames the shot will have.
    #[serde(default)]
    pub expected: Option<i32>,
}

/// A frame in the list.
#[derive(Debug, Serialize, JsonSchema)]
pub struct FrameLine {
    /// Its number.
    pub number: i32,
    /// Its file's name.
    pub name: String,
    /// The file's length.
    pub bytes: i64,
    /// Pixels in a row.
    pub width: i32,
    /// Rows.
    pub height: i32,
    /// Values that were no finite numbers.
    pub healed: i64,
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
    Ok(web::Json(Have { have: web::block(move || studio.media.have(&key)).await?? }))
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
    web::block(move || studio.media.drop_part(&key)).await??;
    Ok(HttpResponse::NoContent().finish())
}

/// Makes a shot from a file that arrived: a still, the first frame of a sequence, or a clip, whose frames then come
/// one after the other.
pub async fn create_shot(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    jobs: web::Data<Jobs>,
    scene: web::Path<SceneId>,
    body: Body<Arrived>,
) -> ApiResult<web::Json<ShotDetail>> {
    let body = body.into_inner();
    let name = clean(&body.name)?;
    let called = clean(body.shot.as_deref().unwrap_or(&intake::group(std::slice::from_ref(&name))[0].name))?;
    let expected = body.expected.unwrap_or(1);
    if !(1..=MOST_FRAMES).contains(&expected) {
        return Err(ApiError::Invalid(format!("a shot has 1 to {MOST_FRAMES} frames")));
    }
    if clip::is_clip_name(&name) {
        return clip_shot(store, studio, jobs, &scene, &body.key, &name, &called).await;
    }
    // Reaching the disk takes as long as decoding does, and needs nothing that the next one waits for.
    let (media, key, label) = (studio.clone(), body.key.clone(), name.clone());
    let (within, finder) = (scene.clone(), store.clone());
    let arrived = web::block(move || {
        finder.with(|c| Scene::find(c, &within))?;
        intake::Arrived::keep(&media.media, &key, &label)
    });
    let arrived = arrived.await??;
    let turn = studio.turn().await?;
    let made = web::block(move || {
        let see = |facts: &Facts| store.with(|c| Looking::into_scene(c, &scene, facts));
        let TakenIn { frame, facts, seen, whole } =
            arrived.take_in(&studio.media, &name, body.number, see)?;
        // It is looked at next: what was read for taking it in need not be read again. A failure here costs one more reading
        // and nothing else.
        if let Err(e) = studio.proxies.keep_seen(&studio.media, &frame.media_hash, seen, whole) {
            tracing::warn!("{name}: {e}");
        }
        let encoding = facts.guess.encoding.unwrap_or_default();
        // Held until the picture is let go, also where nobody waits for it any more.
        drop(turn);
        store.change(|c| {
            let mut shot = Shot::new(c, &scene, &called)?;
            shot.encoding = encoding.into();
            shot.encoding_reason.clone_from(&facts.guess.reason);
            shot.expected = expected;
            shot.insert(c)?;
            intake::put(&frame, c, &shot.id)?;
            ShotDetail::of(c, shot, None)
        })
    });
    Ok(web::Json(made.await??))
}

async fn clip_shot(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    jobs: web::Data<Jobs>,
    scene: &SceneId,
    key: &str,
    name: &str,
    called: &str,
) -> ApiResult<web::Json<ShotDetail>> {
    let (scene, key, name, called) = (scene.clone(), key.to_owned(), name.to_owned(), called.to_owned());
    let turn = studio.turn().await?;
    let detail = web::block(move || {
        // Held until it is done, also where nobody waits for it any more.
        let _turn = turn;
        let media = &studio.media;
        store.with(|c| Scene::find(c, &scene))?;
        let found = clip::probe(&media.part(&key)?, &name).inspect_err(|_| drop(media.drop_part(&key)))?;
        let (hash, length, _) = media.keep_part(&key)?;
        let (shot, detail) = store.change(|c| {
            let shot = job::clip_row(c, &scene, &called, &found, &hash, length)?;
            Ok((shot.clone(), ShotDetail::of(c, shot, Some(0.0))?))
        })?;
        let id = shot.id.clone();
        job::queue(studio, &jobs, &id, move |studio, job| {
            job::decode_clip(studio, job, &shot, &found, &hash, &name)
        });
        Ok::<_, ApiError>(detail)
    });
    Ok(web::Json(detail.await??))
}

/// Takes a file that arrived in as a frame of a sequence. The same number again replaces what was there.
pub async fn add_frame(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    shot: web::Path<ShotId>,
    body: Body<Arrived>,
) -> ApiResult<HttpResponse> {
    let name = clean(&body.name)?;
    let (media, key, label, finder, into) =
        (studio.clone(), body.key.clone(), name.clone(), store.clone(), shot.clone());
    let arrived = web::block(move || {
        finder.with(|c| Shot::find(c, &into).map(drop))?;
        intake::Arrived::keep(&media.media, &key, &label)
    });
    let arrived = arrived.await??;
    let turn = studio.turn().await?;
    let added = web::block(move || {
        let frame = arrived.take_in(&studio.media, &name, body.number, |_| Ok(None::<Looking>))?.frame;
        // Held until the picture is let go, also where nobody waits for it any more.
        drop(turn);
        store.change(|c| intake::put(&frame, c, &shot))
    });
    added.await??;
    Ok(HttpResponse::NoContent().finish())
}

/// The frames of a shot.
pub async fn frames(
    store: web::Data<Store>,
    shot: web::Path<ShotId>,
) -> ApiResult<web::Json<Vec<FrameLine>>> {
    let rows = store.run(move |c| {
        Shot::find(c, &shot)?;
        Frame::of_shot(c, &shot)
    });
    let line = |f: Frame| FrameLine {
        number: f.number,
        name: f.name,
        bytes: f.bytes,
        width: f.width,
        height: f.height,
        healed: f.healed,
    };
    Ok(web::Json(rows.await?.into_iter().map(line).collect()))
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
    Ok(web::Json(web::block(move || folders.list(body.root, &body.parts)).await??))
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
    let made = web::block(move || {
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
    Ok(web::Json(made.await??))
}
