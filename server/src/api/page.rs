//! The page itself, built into the program.

use super::routes::calls;
use crate::error::ApiError;
use actix_web::dev::ResourceDef;
use actix_web::{HttpRequest, HttpResponse, http::header};
use rust_embed::RustEmbed;
use std::collections::BTreeMap;
use std::sync::OnceLock;

#[derive(RustEmbed)]
#[folder = "../web/dist"]
#[allow_missing = true]
struct Dist;

/// The patterns of all calls, with the methods that each has.
fn known() -> &'static [(ResourceDef, String)] {
    static KNOWN: OnceLock<Vec<(ResourceDef, String)>> = OnceLock::new();
    KNOWN.get_or_init(|| {
        let mut methods = BTreeMap::<&str, Vec<String>>::new();
        for call in calls() {
            methods.entry(call.path).or_default().push(call.method.to_uppercase());
        }
        for path in ["/api/health", "/api/openapi.json", "/api/preview"] {
            methods.entry(path).or_default().push("GET".into());
        }
        methods.into_iter().map(|(path, of)| (ResourceDef::new(path), of.join(", "))).collect()
    })
}

/// A call that does not exist: of a path that does, it says which methods there are.
pub async fn no_such_call(request: HttpRequest) -> Result<HttpResponse, ApiError> {
    let path = request.path();
    // Of two patterns that both fit, the one without a name in that place is meant.
    let names = |of: &ResourceDef| of.pattern().map_or(0, |p| p.matches('{').count());
    let found = known().iter().filter(|(of, _)| of.is_match(path)).min_by_key(|(of, _)| names(of));
    Err(match found {
        Some((_, methods)) => ApiError::WrongMethod { method: request.method().to_string(), methods },
        None => ApiError::NoSuchCall(path.chars().take(LONGEST_PATH).collect()),
    })
}

/// How much of a path is said back.
const LONGEST_PATH: usize = 200;

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
