//! The OpenAPI 3.1 document, from the same types that the handlers use. The page's types come from it.

use super::routes::{Call, calls, shape};
use crate::preview::{reading, request};
use actix_web::HttpResponse;
use lantern_core::look::Look;
use lantern_core::scope::sample::Sample;
use schemars::generate::SchemaSettings;
use serde_json::{Map, Value, json};

/// The document.
pub fn build() -> Value {
    let mut settings = SchemaSettings::draft2020_12();
    settings.definitions_path = "/components/schemas".into();
    let mut g = settings.into_generator();
    let mut paths = Map::new();
    for Call { method, path, does, asks, takes, gives, most, .. } in calls() {
        let mut call = json!({ "summary": does, "responses": {} });
        let names = path.split('/').filter_map(|part| part.strip_prefix('{')?.strip_suffix('}'));
        let query = asks.iter().map(|n| json!({ "name": n, "in": "query", "schema": { "type": "string" } }));
        let parameters: Vec<Value> = names
            .map(|n| {
                let kind = if n == "number" { "integer" } else { "string" };
                json!({ "name": n, "in": "path", "required": true, "schema": { "type": kind } })
            })
            .chain(query)
            .collect();
        if !parameters.is_empty() {
            call["parameters"] = parameters.into();
        }
        if let Some(takes) = takes {
            call["requestBody"] =
                json!({ "required": true, "content": { "application/json": { "schema": takes(&mut g) } } });
        }
        if most.is_some() {
            let file = json!({ "schema": { "type": "string", "format": "binary" } });
            call["requestBody"] =
                json!({ "required": true, "content": { "application/octet-stream": file } });
        }
        call["responses"]["200"] = match gives {
            Some(gives) => {
                json!({ "description": "done", "content": { "application/json": { "schema": gives(&mut g) } } })
            }
            None => json!({ "description": "done" }),
        };
        call["responses"]["default"] = json!({
            "description": "what went wrong (RFC 9457)",
            "content": { "application/problem+json": { "schema": { "$ref": "#/components/schemas/Problem" } } },
        });
        paths.entry(path).or_insert_with(|| json!({}))[method] = call;
    }
    // What goes over the preview socket, and the document that looks are.
    for extra in [
        shape::<request::PictureRequest>,
        shape::<request::RowRequest>,
        shape::<request::CardsRequest>,
        shape::<request::SampleRequest>,
        shape::<Sample>,
        shape::<reading::ReadingRequest>,
        shape::<reading::Reading>,
        shape::<Look>,
    ] {
        extra(&mut g);
    }
    let mut schemas = g.take_definitions(true);
    schemas.insert(
        "Problem".into(),
        json!({
            "type": "object",
            "required": ["type", "title", "status", "detail"],
            "properties": {
                "type": { "type": "string" },
                "title": { "type": "string" },
                "status": { "type": "integer" },
                "detail": { "type": "string", "description": "What is wrong and what to do" },
                "revision": { "type": "integer", "description": "With a conflict: the revision that won" },
            },
        }),
    );
    json!({
        "openapi": "3.1.0",
        "info": { "title": "Dusky Lantern", "version": env!("CARGO_PKG_VERSION") },
        "paths": paths,
        "components": { "schemas": schemas },
    })
}

/// Serves the document.
pub async fn document() -> HttpResponse {
    HttpResponse::Ok().json(build())
}

#[cfg(test)]
mod tests {
    #[test]
    fn the_pages_copy_of_the_document_is_today_s() {
        let kept: serde_json::Value =
            serde_json::from_str(include_str!("../../../web/openapi.json")).unwrap();
        assert!(kept == super::build(), "run `cargo xtask types`");
    }
}
