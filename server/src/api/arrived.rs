//! Files that arrived become shots and frames: under their key, in pieces, or at once where they are short.

use super::json::Body;
use super::productions::ShotDetail;
use super::scenes::clean;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::jobs::{Jobs, intake as job};
use crate::media::clip;
use crate::media::intake::{self, TakenIn};
use crate::preview::{Looking, Studio};
use crate::store::Store;
use crate::store::ids::{SceneId, ShotId};
use crate::store::scenes::Scene;
use crate::store::shots::{Frame, MOST_FRAMES, Shot};
use actix_web::http::header::CONTENT_LENGTH;
use actix_web::{HttpRequest, HttpResponse, web};
use lantern_formats::facts::Facts;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

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

impl Arrived {
    /// Its name, what to call its shot, and how many frames that will have.
    fn words(&self) -> ApiResult<(String, String, i32)> {
        let name = clean(&self.name)?;
        let called =
            clean(self.shot.as_deref().unwrap_or(&intake::group(std::slice::from_ref(&name))[0].name))?;
        let expected = self.expected.unwrap_or(1);
        if !(1..=MOST_FRAMES).contains(&expected) {
            return Err(ApiError::Invalid(format!("a shot has 1 to {MOST_FRAMES} frames")));
        }
        Ok((name, called, expected))
    }
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
    let (name, called, _) = body.words()?;
    if clip::is_clip_name(&name) {
        return clip_shot(store, studio, jobs, &scene, &body.key, &name, &called).await;
    }
    // Reaching the disk takes as long as decoding does, and needs nothing that the next one waits for.
    let (media, key, within, finder) = (studio.clone(), body.key.clone(), scene.clone(), store.clone());
    let kept = blocking(move || {
        finder.with(|c| Scene::find(c, &within))?;
        intake::Arrived::keep(&media.media, &key, &name)
    });
    let kept = kept.await?;
    picture_shot(store, studio, scene.into_inner(), body, kept).await
}

/// Makes a shot from a picture that comes as a whole. One that breaks off is here in part: then it goes on in pieces.
pub async fn create_shot_of(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    scene: web::Path<SceneId>,
    query: web::Query<Arrived>,
    request: HttpRequest,
    body: web::Payload,
) -> ApiResult<web::Json<ShotDetail>> {
    let (finder, within) = (store.clone(), scene.clone());
    finder.run(move |c| Scene::find(c, &within)).await?;
    let arrived = whole(&studio, &query, &request, body).await?;
    picture_shot(store, studio, scene.into_inner(), query.into_inner(), arrived).await
}

/// A picture while all of it comes, held in memory as long as there is room for it.
async fn whole(
    studio: &Studio,
    arrived: &Arrived,
    request: &HttpRequest,
    body: web::Payload,
) -> ApiResult<intake::Arrived> {
    let (name, ..) = arrived.words()?;
    let length = request.headers().get(CONTENT_LENGTH).and_then(|length| length.to_str().ok()?.parse().ok());
    let length = length.ok_or_else(|| {
        ApiError::Invalid(format!("it is not said how long “{name}” is: send it in pieces"))
    })?;
    if clip::is_clip_name(&name) {
        return Err(ApiError::Invalid(format!("“{name}” is a clip: send it in pieces")));
    }
    let room = studio.room(length).await?;
    Ok(intake::Arrived::Whole(studio.media.take_whole(&arrived.key, &name, length, body).await?, room))
}

async fn picture_shot(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    scene: SceneId,
    said: Arrived,
    arrived: intake::Arrived,
) -> ApiResult<web::Json<ShotDetail>> {
    let (name, called, expected) = said.words()?;
    let turn = studio.turn().await?;
    let made = blocking(move || {
        let see = |facts: &Facts| store.with(|c| studio.proxies.looking(c, &scene, facts));
        let TakenIn { frame, facts, seen, whole } =
            arrived.take_in(&studio.media, &name, said.number, see)?;
        // It is looked at next: what was read for taking it in need not be read again. A failure here costs one more reading
        // and nothing else.
        let kept = studio.proxies.keep_seen(&studio.media, &frame.media_hash, seen, whole);
        let likely = kept.inspect_err(|e| tracing::warn!("{name}: {e}")).ok().flatten();
        // What the code values speak against is not proposed.
        let proposed = facts.guess.proposed.filter(|_| likely.is_none()).unwrap_or_default();
        let encoding = facts.guess.encoding.unwrap_or_default();
        // Held until the picture is let go, also where nobody waits for it any more.
        drop(turn);
        store.change(|c| {
            let called = Shot::free_name(c, &scene, &called)?;
            let mut shot = Shot::new(c, &scene, &called)?;
            shot.encoding = encoding.into();
            shot.proposed = proposed.into();
            shot.encoding_reason.clone_from(&facts.guess.reason);
            shot.expected = expected;
            shot.insert(c)?;
            intake::put(&frame, c, &shot.id)?;
            let share = (expected > 1).then(|| 1.0 / f64::from(expected));
            if share.is_some() {
                studio.coming.came(shot.id.as_str());
            }
            ShotDetail::of(c, shot, share)
        })
    });
    Ok(web::Json(made.await?))
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
    let detail = blocking(move || {
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
    Ok(web::Json(detail.await?))
}

/// Takes a file that arrived in as a frame of a sequence. The same number again replaces what was there.
pub async fn add_frame(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    shot: web::Path<ShotId>,
    body: Body<Arrived>,
) -> ApiResult<HttpResponse> {
    let body = body.into_inner();
    let (name, ..) = body.words()?;
    let (media, key, finder, into) = (studio.clone(), body.key.clone(), store.clone(), shot.clone());
    let kept = blocking(move || {
        finder.with(|c| Shot::find(c, &into).map(drop))?;
        intake::Arrived::keep(&media.media, &key, &name)
    });
    let kept = kept.await?;
    picture_frame(store, studio, shot.into_inner(), body, kept).await
}

/// Takes a picture that comes as a whole in as a frame of a sequence; see [`create_shot_of`].
pub async fn add_frame_of(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    shot: web::Path<ShotId>,
    query: web::Query<Arrived>,
    request: HttpRequest,
    body: web::Payload,
) -> ApiResult<HttpResponse> {
    let (finder, into) = (store.clone(), shot.clone());
    finder.run(move |c| Shot::find(c, &into).map(drop)).await?;
    let arrived = whole(&studio, &query, &request, body).await?;
    picture_frame(store, studio, shot.into_inner(), query.into_inner(), arrived).await
}

async fn picture_frame(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    shot: ShotId,
    said: Arrived,
    arrived: intake::Arrived,
) -> ApiResult<HttpResponse> {
    let (name, ..) = said.words()?;
    let turn = studio.turn().await?;
    let added = blocking(move || {
        let frame = arrived.take_in(&studio.media, &name, said.number, |_| Ok(None::<Looking>))?.frame;
        // Held until the picture is let go, also where nobody waits for it any more.
        drop(turn);
        studio.coming.came(shot.as_str());
        store.change(|c| intake::put(&frame, c, &shot))
    });
    added.await?;
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
