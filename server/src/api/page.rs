//! The page itself, built into the program.

use crate::error::ApiError;
use actix_web::{HttpRequest, HttpResponse, http::header};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../web/dist"]
#[allow_missing = true]
struct Dist;

/// A call that does not exist.
pub async fn no_such_call() -> Result<HttpResponse, ApiError> {
    Err(ApiError::NotFound("call"))
}

/// A file of the page; paths without a file are places of the page and get its index.
pub async fn file(request: HttpRequest) -> HttpResponse {
    let path = request.path().trim_start_matches('/');
    let (name, found) = match Dist::get(path) {
        Some(found) if !path.is_empty() => (path, Some(found)),
        _ => ("index.html", Dist::get("index.html")),
    };
    let Some(found) = found else {
        return HttpResponse::NotFound()
            .content_type("text/plain; charset=utf-8")
            .body("The page is not built into this program. Build it with `cargo xtask demo`.");
    };
    // Names under assets/ carry a hash of their contents.
    let cache = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    HttpResponse::Ok()
        .content_type(mime_guess::from_path(name).first_or_octet_stream().as_ref())
        .insert_header((header::CACHE_CONTROL, cache))
        .body(found.data.into_owned())
}
