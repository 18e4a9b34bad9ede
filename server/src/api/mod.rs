//! The JSON API. One file a resource; the whole URL map is [`routes`].

pub mod arrived;
pub mod boards;
pub mod body;
pub mod catalogue;
pub mod constants;
pub mod deleted;
pub mod encodings;
pub mod handoffs;
pub mod incoming;
pub mod json;
pub mod looks;
pub mod openapi;
pub mod packages;
pub mod page;
pub mod paths;
pub mod plans;
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

use crate::error::{ApiError, ApiResult};
use actix_web::http::header::{self, HeaderValue};
use actix_web::web::{self, ServiceConfig};
use actix_web::{HttpRequest, HttpResponse};

/// The header that says what a file is downloaded as: nothing in the name ends it early.
fn attachment(name: &str) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | '_') { c } else { '-' };
    format!("attachment; filename=\"{}\"", name.chars().map(plain).collect::<String>())
}

/// An archive as a download.
fn archive(file: std::fs::File, name: &str, request: &HttpRequest) -> ApiResult<HttpResponse> {
    let named = actix_files::NamedFile::from_file(file, "archive.zip")?;
    let mut response = named.disable_content_disposition().into_response(request);
    let disposition = HeaderValue::from_str(&attachment(name)).map_err(ApiError::internal)?;
    response.headers_mut().insert(header::CONTENT_DISPOSITION, disposition);
    // Pictures are packed already.
    response.headers_mut().insert(header::CONTENT_ENCODING, HeaderValue::from_static("identity"));
    Ok(response)
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
