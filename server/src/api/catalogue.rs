//! What exists: step kinds, encodings, the schema of a look; and the dropper.

use crate::error::ApiResult;
use crate::preview::frame::Studio;
use crate::preview::reading::{Dropped, DropperRequest};
use actix_web::{HttpResponse, web};
use lantern_core::colour::{Encoding, Reference};
use lantern_core::step::KINDS;
use schemars::JsonSchema;
use serde::Serialize;
use serde_json::json;

/// An encoding as people choose it.
#[derive(Debug, Serialize, JsonSchema)]
pub struct EncodingInfo {
    /// Its id.
    pub id: String,
    /// A line for people.
    pub title: String,
    /// Whether it describes display light.
    pub display: bool,
}

/// All shipped encodings.
pub fn encoding_list() -> Vec<EncodingInfo> {
    Encoding::shipped()
        .map(|e| EncodingInfo { id: e.id, title: e.title, display: e.reference == Reference::Display })
        .collect()
}

/// Answers while the server lives.
pub async fn health() -> HttpResponse {
    HttpResponse::Ok().json(json!({ "status": "ok" }))
}

/// Every kind of step with its parameters.
pub async fn steps() -> HttpResponse {
    HttpResponse::Ok().json(KINDS)
}

/// Every encoding.
pub async fn encodings() -> HttpResponse {
    HttpResponse::Ok().json(encoding_list())
}

/// The JSON Schema of look files.
pub async fn look_schema() -> HttpResponse {
    HttpResponse::Ok().json(lantern_core::look::schema::look_schema())
}

/// Solves a Balance step for a place that should be neutral.
pub async fn dropper(
    studio: web::Data<Studio>,
    request: web::Json<DropperRequest>,
) -> ApiResult<web::Json<Dropped>> {
    Ok(web::Json(web::block(move || studio.dropper(&request)).await??))
}
