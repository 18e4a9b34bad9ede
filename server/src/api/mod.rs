//! The JSON API. One file a resource; the whole URL map is [`routes`].

pub mod boards;
pub mod catalogue;
pub mod constants;
pub mod handoffs;
pub mod incoming;
pub mod json;
pub mod looks;
pub mod openapi;
pub mod page;
pub mod paths;
pub mod productions;
pub mod profiles;
pub mod references;
pub mod routes;
pub mod scenes;
pub mod sequences;
pub mod shelf;
pub mod shots;
pub mod stocks;
pub mod tables;
mod waited;

use crate::error::ApiError;
use actix_web::web::{self, ServiceConfig};

/// The header that says what a file is downloaded as: nothing in the name ends it early.
fn attachment(name: &str) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | '_') { c } else { '-' };
    format!("attachment; filename=\"{}\"", name.chars().map(plain).collect::<String>())
}

/// Every route of the server.
pub fn routes(config: &mut ServiceConfig) {
    let path = web::PathConfig::default().error_handler(|_, _| ApiError::NotFound("thing").into());
    let query = web::QueryConfig::default()
        .error_handler(|e, _| ApiError::Invalid(format!("the request's query cannot be read: {e}")).into());
    config.app_data(path).app_data(query);
    routes::calls().into_iter().for_each(|call| call.register(config));
    config
        .route("/api/health", web::get().to(catalogue::health))
        .route("/api/openapi.json", web::get().to(openapi::document))
        .route("/api/preview", web::get().to(crate::preview::socket::open))
        .route("/api/{rest:.*}", web::to(page::no_such_call))
        .default_service(web::to(page::file));
}
