//! Productions with their scenes and shots.

use crate::error::ApiResult;
use crate::store::{
    Store,
    productions::{Production, Shot},
};
use actix_web::web;
use lantern_core::colour::CameraProfile;
use schemars::JsonSchema;
use serde::Serialize;

/// A production in the list.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProductionLine {
    /// Its id.
    pub id: String,
    /// Its name.
    pub name: String,
}

/// A production with everything in order.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProductionDetail {
    /// Its id.
    pub id: String,
    /// Its name.
    pub name: String,
    /// Its camera, where one is known.
    pub camera: Option<CameraProfile>,
    /// Its scenes in order.
    pub scenes: Vec<SceneDetail>,
}

/// A scene with its shots.
#[derive(Debug, Serialize, JsonSchema)]
pub struct SceneDetail {
    /// Its id.
    pub id: String,
    /// Its name.
    pub name: String,
    /// Its shots in order.
    pub shots: Vec<ShotDetail>,
}

/// A shot.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ShotDetail {
    /// Its id.
    pub id: String,
    /// Its name.
    pub name: String,
    /// Its encoding's id; empty where nobody has said it yet.
    pub encoding: String,
    /// Why it has its encoding, or why none is known.
    pub encoding_reason: String,
    /// Pixels in a row.
    pub width: i32,
    /// Rows.
    pub height: i32,
}

impl From<Shot> for ShotDetail {
    fn from(s: Shot) -> Self {
        Self {
            id: s.id,
            name: s.name,
            encoding: s.encoding,
            encoding_reason: s.encoding_reason,
            width: s.width,
            height: s.height,
        }
    }
}

/// All productions.
pub async fn list(store: web::Data<Store>) -> ApiResult<web::Json<Vec<ProductionLine>>> {
    let rows = store.run(|c| Production::all(c)).await?;
    Ok(web::Json(rows.into_iter().map(|p| ProductionLine { id: p.id, name: p.name }).collect()))
}

/// One production.
pub async fn show(store: web::Data<Store>, id: web::Path<String>) -> ApiResult<web::Json<ProductionDetail>> {
    let detail = store.run(move |c| {
        let production = Production::find(c, &id)?;
        let scenes = production.scenes(c)?.into_iter().map(|(scene, shots)| SceneDetail {
            id: scene.id,
            name: scene.name,
            shots: shots.into_iter().map(ShotDetail::from).collect(),
        });
        let scenes = scenes.collect();
        Ok(ProductionDetail {
            camera: production.camera()?,
            id: production.id,
            name: production.name,
            scenes,
        })
    });
    Ok(web::Json(detail.await?))
}
