//! How many shots at once are encoded.

use super::json::Body;
use super::shots::SAID;
use crate::error::{ApiError, ApiResult};
use crate::store::Store;
use crate::store::ids::{ProductionId, ShotId};
use crate::store::productions::Production;
use crate::store::shots::{Shot, ShotPatch};
use actix_web::web;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// The most shots that are set in one request.
const MOST: usize = 20_000;

/// A shot and its encoding.
#[derive(Clone, Debug, Serialize, Deserialize, JsonSchema)]
pub struct ShotEncoding {
    /// The shot.
    pub shot: ShotId,
    /// The encoding's id; empty where nobody knows.
    pub encoding: String,
}

/// Says how shots are encoded: all of it or nothing.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct SetEncodings {
    /// The shots, each of the production, with their encodings.
    pub set: Vec<ShotEncoding>,
    /// Leaves those as they are whose encoding is known.
    #[serde(default)]
    pub only_unset: bool,
}

/// Says how shots are encoded; gives those that changed, with the encodings that they had before.
pub async fn set(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
    body: Body<SetEncodings>,
) -> ApiResult<web::Json<Vec<ShotEncoding>>> {
    if body.set.len() > MOST {
        return Err(ApiError::Invalid(format!("up to {MOST} shots are set at once")));
    }
    let before = store.run_change(move |c| {
        let production = Production::find(c, &id)?;
        let own: HashMap<ShotId, String> = production
            .scenes(c)?
            .into_iter()
            .flat_map(|(_, shots)| shots)
            .map(|s| (s.id, s.encoding))
            .collect();
        let mut before = Vec::new();
        for ShotEncoding { shot, encoding } in &body.set {
            let had = own.get(shot).ok_or(ApiError::NotFound("shot"))?;
            if had == encoding || (body.only_unset && !had.is_empty()) {
                continue;
            }
            let reason = if encoding.is_empty() {
                "set to unknown by hand"
            } else {
                production.encoding(c, encoding)?;
                SAID
            };
            let patch = ShotPatch {
                encoding: Some(encoding.clone()),
                encoding_reason: Some(reason.into()),
                ..Default::default()
            };
            Shot::patch(c, shot, &patch)?;
            before.push(ShotEncoding { shot: shot.clone(), encoding: had.clone() });
        }
        Ok(before)
    });
    Ok(web::Json(before.await?))
}
