//! Footage: scenes are made and named, pictures come in, shots are named, moved and told their encoding.

use super::productions::{SceneDetail, ShotDetail};
use crate::error::{ApiError, ApiResult};
use crate::media::MediaFolder;
use crate::preview::frame::Studio;
use crate::store::{
    Store, new_id,
    productions::{Media, Production, Scene, Shot},
};
use actix_web::{HttpResponse, web};
use futures_util::StreamExt;
use schemars::JsonSchema;
use serde::Deserialize;

/// The largest picture file that is taken in.
const MOST_BYTES: u64 = 1 << 29;
/// The longest name of a scene or shot.
const MOST_NAME: usize = 200;
/// The reason kept where a person said the encoding.
pub const SAID: &str = "said by hand";

/// A scene's name.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct NameScene {
    /// What people call it.
    pub name: String,
}

/// What to change of a shot; what is left out stays.
#[derive(Debug, Default, Deserialize, JsonSchema)]
pub struct EditShot {
    /// What people call it.
    #[serde(default)]
    pub name: Option<String>,
    /// Its encoding's id.
    #[serde(default)]
    pub encoding: Option<String>,
    /// The scene to move it to the end of.
    #[serde(default)]
    pub scene: Option<String>,
}

/// The name of a file that comes in.
#[derive(Debug, Deserialize)]
pub struct Incoming {
    name: String,
}

/// A name as it is kept: without ends of space or control characters. Empty ones are refused.
fn clean(name: &str) -> ApiResult<String> {
    let name: String = name.trim().chars().filter(|c| !c.is_control()).take(MOST_NAME).collect();
    if name.is_empty() { Err(ApiError::Invalid("a name needs at least one letter".into())) } else { Ok(name) }
}

/// Makes a scene at the end of a production.
pub async fn create_scene(
    store: web::Data<Store>,
    id: web::Path<String>,
    body: web::Json<NameScene>,
) -> ApiResult<web::Json<SceneDetail>> {
    let name = clean(&body.name)?;
    let made = store.run(move |c| {
        let production = Production::find(c, &id)?;
        let position = production.scenes(c)?.last().map_or(0, |(last, _)| last.position + 1);
        let scene = Scene { id: new_id(), production_id: production.id, position, name };
        scene.insert(c)?;
        Ok(SceneDetail { id: scene.id, name: scene.name, shots: Vec::new() })
    });
    Ok(web::Json(made.await?))
}

/// Renames a scene.
pub async fn rename_scene(
    store: web::Data<Store>,
    id: web::Path<String>,
    body: web::Json<NameScene>,
) -> ApiResult<HttpResponse> {
    let name = clean(&body.name)?;
    store.run(move |c| Scene::rename(c, &id, &name)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Deletes a scene that has no shots.
pub async fn delete_scene(store: web::Data<Store>, id: web::Path<String>) -> ApiResult<HttpResponse> {
    store.run(move |c| Scene::delete_empty(c, &id)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Takes a picture file in as a new shot at the end of a scene. The body is the file's bytes; they are written to
/// the media folder as they come and never held whole in memory before they are on disk.
pub async fn add_shot(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    scene: web::Path<String>,
    file: web::Query<Incoming>,
    mut body: web::Payload,
) -> ApiResult<web::Json<ShotDetail>> {
    let name = clean(&file.name)?;
    let known = scene.clone();
    store.run(move |c| Scene::find(c, &known).map(drop)).await?;
    let mut receiver = studio.media.receive()?;
    while let Some(chunk) = body.next().await {
        let broken = |e| ApiError::Invalid(format!("“{name}” did not arrive whole: {e}; send it again"));
        receiver.write(&chunk.map_err(broken)?)?;
        if receiver.length() > MOST_BYTES {
            let most = MOST_BYTES >> 20;
            return Err(ApiError::Invalid(format!(
                "“{name}” is larger than {most} MB, the most that is taken in"
            )));
        }
    }
    let media = studio.media.clone();
    let made = store.run(move |c| {
        let shot = take_in(&media, receiver, &scene, &name)?;
        c.immediate_transaction(|c| -> ApiResult<Shot> {
            Media { hash: shot.media_hash.clone(), kind: "picture".into(), bytes: shot.bytes }.insert(c)?;
            let position = Scene::end(c, &scene)?;
            let row = Shot { position, ..shot.row };
            row.insert(c)?;
            Ok(row)
        })
    });
    Ok(web::Json(made.await?.into()))
}

/// A received file made ready to be a shot.
struct TakenIn {
    row: Shot,
    media_hash: String,
    bytes: i64,
}

fn take_in(
    media: &MediaFolder,
    receiver: crate::media::Receiver,
    scene: &str,
    name: &str,
) -> ApiResult<TakenIn> {
    let wrong = |e: lantern_formats::FormatError| ApiError::Invalid(format!("“{name}”: {e}"));
    let bytes = receiver.length() as i64;
    let content = receiver.read()?;
    let facts = lantern_formats::facts::read(&content).map_err(wrong)?;
    // Decoded once to the end: what is taken in can be shown.
    lantern_formats::picture::read(&content).map_err(wrong)?;
    let media_hash = receiver.keep(media)?;
    // “.png” alone has nothing before its ending to be called by.
    let stem = name.rsplit_once('.').map_or(name, |(stem, _)| if stem.is_empty() { name } else { stem });
    let row = Shot {
        id: new_id(),
        scene_id: scene.into(),
        position: 0,
        name: stem.into(),
        encoding: facts.guess.encoding.unwrap_or_default().into(),
        media_hash: media_hash.clone(),
        width: facts.width as i32,
        height: facts.height as i32,
        encoding_reason: facts.guess.reason,
    };
    Ok(TakenIn { row, media_hash, bytes })
}

/// Changes a shot.
pub async fn edit_shot(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    id: web::Path<String>,
    body: web::Json<EditShot>,
) -> ApiResult<web::Json<ShotDetail>> {
    let (shot, body) = (id.clone(), body.into_inner());
    let row = store.run(move |c| {
        let (mut row, production) = Shot::find(c, &shot)?;
        if let Some(name) = &body.name {
            row.name = clean(name)?;
        }
        if let Some(encoding) = &body.encoding {
            production.encoding(encoding)?;
            row.encoding.clone_from(encoding);
            row.encoding_reason = SAID.into();
        }
        if let Some(scene) = &body.scene {
            let found = Scene::find(c, scene)?;
            if found.production_id != production.id {
                return Err(ApiError::Invalid("a shot moves inside its own production only".into()));
            }
            row.position = Scene::end(c, scene)?;
            row.scene_id.clone_from(scene);
        }
        row.update(c)?;
        Ok(row)
    });
    let row = row.await?;
    studio.proxies.forget(&id);
    Ok(web::Json(row.into()))
}

/// Takes a shot out of its production. Its file stays in the media folder.
pub async fn delete_shot(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    id: web::Path<String>,
) -> ApiResult<HttpResponse> {
    let shot = id.clone();
    store.run(move |c| Shot::delete(c, &shot)).await?;
    studio.proxies.forget(&id);
    Ok(HttpResponse::NoContent().finish())
}
