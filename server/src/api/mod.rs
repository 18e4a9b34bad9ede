//! The JSON API. One file a resource; the whole URL map is here.

pub mod catalogue;
pub mod footage;
pub mod handoffs;
pub mod looks;
pub mod openapi;
pub mod page;
pub mod productions;

use crate::error::ApiError;
use actix_web::web::{self, ServiceConfig};

/// The longest JSON body: a look with its path stays far below.
const MOST_BYTES: usize = 4 << 20;

/// Every route of the server.
pub fn routes(config: &mut ServiceConfig) {
    let json = web::JsonConfig::default()
        .limit(MOST_BYTES)
        .error_handler(|e, _| ApiError::Invalid(format!("the request's body cannot be read: {e}")).into());
    let path = web::PathConfig::default().error_handler(|_, _| ApiError::NotFound("thing").into());
    let query = web::QueryConfig::default()
        .error_handler(|e, _| ApiError::Invalid(format!("the request's query cannot be read: {e}")).into());
    config.app_data(json).app_data(path).app_data(query);
    config
        .route("/api/health", web::get().to(catalogue::health))
        .route("/api/openapi.json", web::get().to(openapi::document))
        .route("/api/catalogue", web::get().to(catalogue::steps))
        .route("/api/encodings", web::get().to(catalogue::encodings))
        .route("/api/look-schema", web::get().to(catalogue::look_schema))
        .route("/api/productions", web::get().to(productions::list))
        .route("/api/productions/{id}", web::get().to(productions::show))
        .route("/api/productions/{id}/looks", web::get().to(looks::list))
        .route("/api/productions/{id}/looks", web::post().to(looks::create))
        .route("/api/productions/{id}/scenes", web::post().to(footage::create_scene))
        .route("/api/scenes/{id}", web::put().to(footage::rename_scene))
        .route("/api/scenes/{id}", web::delete().to(footage::delete_scene))
        .route("/api/scenes/{id}/shots", web::post().to(footage::add_shot))
        .route("/api/shots/{id}", web::patch().to(footage::edit_shot))
        .route("/api/shots/{id}", web::delete().to(footage::delete_shot))
        .route("/api/looks/{id}", web::get().to(looks::show))
        .route("/api/looks/{id}", web::put().to(looks::save))
        .route("/api/looks/{id}", web::delete().to(looks::delete))
        .route("/api/looks/{id}/versions", web::get().to(looks::versions))
        .route("/api/looks/{id}/versions", web::post().to(looks::keep_version))
        .route("/api/looks/{id}/versions/{number}", web::get().to(looks::version))
        .route("/api/looks/{id}/handoffs", web::get().to(handoffs::list))
        .route("/api/looks/{id}/handoffs", web::post().to(handoffs::create))
        .route("/api/handoffs/{id}", web::get().to(handoffs::show))
        .route("/api/handoffs/{id}/cancel", web::post().to(handoffs::cancel))
        .route("/api/handoffs/{id}/table", web::get().to(handoffs::table))
        .route("/api/dropper", web::post().to(catalogue::dropper))
        .route("/api/preview", web::get().to(crate::preview::socket::open))
        .route("/api/{rest:.*}", web::to(page::no_such_call))
        .default_service(web::to(page::file));
}
