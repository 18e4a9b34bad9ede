//! The JSON API. One file a resource; the whole URL map is here.

pub mod catalogue;
pub mod handoffs;
pub mod incoming;
pub mod json;
pub mod looks;
pub mod openapi;
pub mod page;
pub mod paths;
pub mod productions;
pub mod profiles;
pub mod scenes;
pub mod sequences;
pub mod shelf;
pub mod shots;
pub mod stocks;
pub mod tables;

use crate::error::ApiError;
use actix_web::web::{self, ServiceConfig};

/// The header that says what a file is downloaded as: nothing in the name ends it early.
fn attachment(name: &str) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | '_') { c } else { '-' };
    format!("attachment; filename=\"{}\"", name.chars().map(plain).collect::<String>())
}

/// A resource that takes a whole file as its body.
fn large(path: &str, most: usize) -> actix_web::Resource {
    web::resource(path).app_data(web::PayloadConfig::new(most))
}

/// Every route of the server.
pub fn routes(config: &mut ServiceConfig) {
    let path = web::PathConfig::default().error_handler(|_, _| ApiError::NotFound("thing").into());
    let query = web::QueryConfig::default()
        .error_handler(|e, _| ApiError::Invalid(format!("the request's query cannot be read: {e}")).into());
    config.app_data(path).app_data(query);
    config
        .route("/api/health", web::get().to(catalogue::health))
        .route("/api/openapi.json", web::get().to(openapi::document))
        .route("/api/catalogue", web::get().to(catalogue::steps))
        .route("/api/encodings", web::get().to(catalogue::encodings))
        .route("/api/look-schema", web::get().to(catalogue::look_schema))
        .route("/api/scopes", web::get().to(catalogue::scopes))
        .route("/api/productions", web::get().to(productions::list))
        .route("/api/productions", web::post().to(productions::create))
        .route("/api/productions/demo", web::post().to(productions::demo))
        .route("/api/productions/import", web::post().to(productions::import))
        .route("/api/productions/{id}", web::get().to(productions::show))
        .route("/api/productions/{id}", web::put().to(productions::rename))
        .route("/api/productions/{id}", web::delete().to(productions::delete))
        .route("/api/productions/{id}/restore", web::post().to(productions::restore))
        .route("/api/productions/{id}/duplicate", web::post().to(productions::duplicate))
        .route("/api/productions/{id}/export", web::get().to(productions::export))
        .route("/api/productions/{id}/order", web::put().to(scenes::arrange))
        .route("/api/productions/{id}/scenes", web::post().to(scenes::create))
        .route("/api/productions/{id}/profiles", web::post().to(profiles::create))
        .route("/api/productions/{id}/looks", web::get().to(looks::list))
        .route("/api/productions/{id}/looks", web::post().to(looks::create))
        .route("/api/profile-reading", web::post().to(profiles::reading))
        .route("/api/profiles/{id}", web::put().to(profiles::edit))
        .route("/api/profiles/{id}", web::delete().to(profiles::delete))
        .route("/api/scenes/{id}", web::put().to(scenes::edit))
        .route("/api/scenes/{id}", web::delete().to(scenes::delete))
        .route("/api/scenes/{id}/restore", web::post().to(scenes::restore))
        .route("/api/scenes/{id}/join", web::post().to(sequences::join))
        .route("/api/scenes/{id}/shots", web::post().to(incoming::create_shot))
        .route("/api/scenes/{id}/bring", web::post().to(incoming::bring_in))
        .route("/api/group", web::post().to(incoming::group))
        .route("/api/incoming/{key}", web::get().to(incoming::have))
        .route("/api/incoming/{key}", web::put().to(incoming::take))
        .route("/api/incoming/{key}", web::delete().to(incoming::give_up))
        .route("/api/folders", web::get().to(incoming::folders))
        .route("/api/folders/list", web::post().to(incoming::list_folder))
        .route("/api/shots/{id}", web::patch().to(shots::edit))
        .route("/api/shots/{id}", web::delete().to(shots::delete))
        .route("/api/shots/{id}/restore", web::post().to(shots::restore))
        .route("/api/shots/{id}/apart", web::post().to(sequences::apart))
        .route("/api/shots/{id}/code-values", web::get().to(shots::code_values))
        .route("/api/shots/{id}/frames", web::get().to(incoming::frames))
        .route("/api/shots/{id}/frames", web::post().to(incoming::add_frame))
        .route("/api/shots/{id}/stop", web::post().to(incoming::stop))
        .route("/api/shots/{id}/trim", web::get().to(shots::trim))
        .route("/api/shots/{id}/trim", web::put().to(shots::save_trim))
        .route("/api/shots/{id}/trim/copy", web::post().to(shots::copy_trim))
        .route("/api/shots/{id}/as", web::get().to(shots::as_encoding))
        .route("/api/productions/{id}/stocks", web::get().to(stocks::of_production))
        .route("/api/stock-fields", web::get().to(stocks::fields))
        .route("/api/looks/{id}", web::get().to(looks::show))
        .route("/api/looks/{id}", web::put().to(looks::save))
        .route("/api/looks/{id}", web::delete().to(looks::delete))
        .route("/api/looks/{id}/restore", web::post().to(looks::restore))
        .route("/api/looks/{id}/versions", web::get().to(looks::versions))
        .route("/api/looks/{id}/versions", web::post().to(looks::keep_version))
        .route("/api/looks/{id}/versions/{number}", web::get().to(looks::version))
        .route("/api/looks/{id}/handoffs", web::get().to(handoffs::list))
        .route("/api/looks/{id}/handoffs", web::post().to(handoffs::create))
        .route("/api/handoffs/{id}", web::get().to(handoffs::show))
        .route("/api/handoffs/{id}/cancel", web::post().to(handoffs::cancel))
        .route("/api/handoffs/{id}/table", web::get().to(handoffs::table))
        .service(
            large("/api/productions/{id}/looks/import", looks::MOST_FILE)
                .route(web::post().to(looks::import)),
        )
        .route("/api/looks/{id}/file", web::get().to(looks::export))
        .service(large("/api/tables", tables::MOST_BYTES).route(web::post().to(tables::create)))
        .service(
            large("/api/corrections/read", lantern_formats::cdl::MAX_BYTES)
                .route(web::post().to(tables::read_corrections)),
        )
        .route("/api/corrections/write", web::post().to(tables::write_corrections))
        .route("/api/shelf", web::get().to(shelf::list))
        .route("/api/shelf", web::post().to(shelf::keep))
        .route("/api/shelf/{id}", web::delete().to(shelf::remove))
        .route("/api/compare", web::post().to(paths::differences))
        .route("/api/range-fields", web::get().to(paths::range_fields))
        .route("/api/pick", web::post().to(paths::pick))
        .route("/api/dropper", web::post().to(shots::dropper))
        .route("/api/match", web::post().to(shots::bring))
        .route("/api/preview", web::get().to(crate::preview::socket::open))
        .route("/api/{rest:.*}", web::to(page::no_such_call))
        .default_service(web::to(page::file));
}
