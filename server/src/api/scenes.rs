//! Scenes: made, named, put in order.

use super::json::Body;
use super::productions::SceneDetail;
use crate::error::{ApiError, ApiResult};
use crate::store::ids::{ProductionId, SceneId, ShotId};
use crate::store::{Store, productions::Production, scenes::Scene};
use actix_web::{HttpResponse, web};
use lantern_core::look::clean_name;
use schemars::JsonSchema;
use serde::Deserialize;

/// A scene to make.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct CreateScene {
    /// What people call it.
    pub name: String,
    /// Whether it holds finished stills.
    #[serde(default)]
    pub finished: bool,
}

/// What to change of a scene; what is left out stays.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct EditScene {
    /// What people call it.
    #[serde(default)]
    pub name: Option<String>,
    /// Whether it holds finished stills.
    #[serde(default)]
    pub finished: Option<bool>,
}

/// An order of a production's scenes and shots.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct Arrange {
    /// Every scene in order.
    pub scenes: Vec<ArrangedScene>,
}

/// A scene in its place.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct ArrangedScene {
    /// Its id.
    pub id: SceneId,
    /// The ids of its shots in order.
    pub shots: Vec<ShotId>,
}

/// A name as it is kept: without ends of space or control characters. Empty ones are refused.
pub(super) fn clean(name: &str) -> ApiResult<String> {
    let name = clean_name(name);
    if name.is_empty() { Err(ApiError::Invalid("a name needs at least one letter".into())) } else { Ok(name) }
}

/// Makes a scene at the end of a production.
pub async fn create(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
    body: Body<CreateScene>,
) -> ApiResult<web::Json<SceneDetail>> {
    let name = clean(&body.name)?;
    let made = store.run_change(move |c| {
        let production = Production::find(c, &id)?;
        let scene = Scene::at_end(c, &production.id, name, body.finished)?;
        scene.insert(c)?;
        Ok(SceneDetail {
            id: scene.id,
            name: scene.name,
            finished: scene.finished,
            shots: Vec::new(),
            tables: Vec::new(),
        })
    });
    Ok(web::Json(made.await?))
}

/// Changes a scene.
pub async fn edit(
    store: web::Data<Store>,
    id: web::Path<SceneId>,
    body: Body<EditScene>,
) -> ApiResult<HttpResponse> {
    let name = body.name.as_deref().map(clean).transpose()?;
    let edited = store.run_change(move |c| {
        Scene::find(c, &id)?;
        if let Some(name) = name {
            Scene::rename(c, &id, &name)?;
        }
        if let Some(finished) = body.finished {
            Scene::set_finished(c, &id, finished)?;
        }
        Ok(())
    });
    edited.await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Deletes a scene with its shots. It can be put back.
pub async fn delete(store: web::Data<Store>, id: web::Path<SceneId>) -> ApiResult<HttpResponse> {
    store.run_when_full(move |c| Scene::set_deleted(c, &id, true)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Puts a deleted scene back, with the shots that it had.
pub async fn restore(store: web::Data<Store>, id: web::Path<SceneId>) -> ApiResult<HttpResponse> {
    store.run(move |c| Scene::set_deleted(c, &id, false)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Puts all scenes and shots of a production in an order.
pub async fn arrange(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
    body: Body<Arrange>,
) -> ApiResult<HttpResponse> {
    let order: Vec<_> = body.into_inner().scenes.into_iter().map(|s| (s.id, s.shots)).collect();
    store.run(move |c| Scene::arrange(c, &id, &order)).await?;
    Ok(HttpResponse::NoContent().finish())
}
