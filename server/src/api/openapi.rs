//! The OpenAPI 3.1 document, from the same types that the handlers use. The page's types come from it.

use super::{
    catalogue, handoffs, incoming, looks, paths, productions, profiles, scenes, sequences, shelf, shots,
    stocks, tables,
};
use crate::media::{folders::Listing, intake::Group};
use crate::preview::{light, pick, reading, request};
use actix_web::HttpResponse;
use lantern_core::colour::profile::ProfileReading;
use lantern_core::matching::shot::Brought;
use lantern_core::scope::sample::Sample;
use lantern_core::step::field::Field;
use lantern_core::{
    look::{Difference, Look},
    step::KindInfo,
};
use schemars::{JsonSchema, SchemaGenerator, generate::SchemaSettings};
use serde_json::{Map, Value, json};

/// A shape of JSON, made by the generator.
type Shape = fn(&mut SchemaGenerator) -> Value;

fn shape<T: JsonSchema>(g: &mut SchemaGenerator) -> Value {
    g.subschema_for::<T>().to_value()
}

/// Method, path, what it does, what it takes, what it gives.
type Call = (&'static str, &'static str, &'static str, Option<Shape>, Option<Shape>);

/// Every call of the API.
const CALLS: &[Call] = &[
    ("get", "/api/catalogue", "Every kind of step with its parameters", None, Some(shape::<Vec<KindInfo>>)),
    ("get", "/api/encodings", "Every encoding", None, Some(shape::<Vec<catalogue::EncodingInfo>>)),
    (
        "get",
        "/api/productions/{id}/stocks",
        "Film stocks to choose from",
        None,
        Some(shape::<stocks::Stocks>),
    ),
    ("get", "/api/stock-fields", "Parameters of a stock's parts", None, Some(shape::<stocks::StockFields>)),
    ("get", "/api/scopes", "What stands still in the scopes", None, Some(shape::<catalogue::ScopeInfo>)),
    ("get", "/api/look-schema", "JSON Schema of look files", None, Some(shape::<Value>)),
    ("get", "/api/productions", "All productions", None, Some(shape::<Vec<productions::ProductionLine>>)),
    ("get", "/api/productions/{id}", "One production", None, Some(shape::<productions::ProductionDetail>)),
    (
        "post",
        "/api/productions",
        "Makes a production with a first look",
        Some(shape::<productions::NameProduction>),
        Some(shape::<productions::ProductionLine>),
    ),
    ("put", "/api/productions/{id}", "Renames it", Some(shape::<productions::NameProduction>), None),
    ("delete", "/api/productions/{id}", "Deletes it with everything in it", None, None),
    ("post", "/api/productions/{id}/restore", "Puts a deleted production back", None, None),
    (
        "post",
        "/api/productions/demo",
        "Puts the demo production in where there is none",
        None,
        Some(shape::<productions::ProductionLine>),
    ),
    (
        "post",
        "/api/productions/{id}/duplicate",
        "Copies it under a new name",
        Some(shape::<productions::NameProduction>),
        Some(shape::<productions::ProductionLine>),
    ),
    ("get", "/api/productions/{id}/export", "All of it as one file", None, None),
    (
        "post",
        "/api/productions/import",
        "Makes a production from a file that arrived under a key",
        Some(shape::<productions::ImportProduction>),
        Some(shape::<productions::ProductionLine>),
    ),
    (
        "put",
        "/api/productions/{id}/order",
        "Puts its scenes and shots in an order",
        Some(shape::<scenes::Arrange>),
        None,
    ),
    (
        "post",
        "/api/productions/{id}/scenes",
        "Makes a scene",
        Some(shape::<scenes::CreateScene>),
        Some(shape::<productions::SceneDetail>),
    ),
    ("put", "/api/scenes/{id}", "Changes a scene", Some(shape::<scenes::EditScene>), None),
    ("delete", "/api/scenes/{id}", "Deletes a scene with its shots", None, None),
    ("post", "/api/scenes/{id}/restore", "Puts a deleted scene back", None, None),
    (
        "post",
        "/api/scenes/{id}/join",
        "Joins stills to a sequence",
        Some(shape::<sequences::JoinStills>),
        Some(shape::<sequences::Replaced>),
    ),
    ("post", "/api/shots/{id}/restore", "Puts a deleted shot back", None, None),
    (
        "post",
        "/api/shots/{id}/apart",
        "Takes a sequence apart into stills",
        None,
        Some(shape::<sequences::Replaced>),
    ),
    (
        "get",
        "/api/shots/{id}/code-values",
        "What its code values speak for",
        None,
        Some(shape::<shots::CodeValues>),
    ),
    (
        "post",
        "/api/productions/{id}/profiles",
        "Makes a camera profile",
        Some(shape::<profiles::SaveProfile>),
        Some(shape::<profiles::ProfileDetail>),
    ),
    (
        "put",
        "/api/profiles/{id}",
        "Changes a camera profile",
        Some(shape::<profiles::SaveProfile>),
        Some(shape::<profiles::ProfileDetail>),
    ),
    ("delete", "/api/profiles/{id}", "Deletes a camera profile that no shot has", None, None),
    (
        "post",
        "/api/profile-reading",
        "Where light lands on the curve of a profile that is being made",
        Some(shape::<Value>),
        Some(shape::<ProfileReading>),
    ),
    (
        "post",
        "/api/group",
        "Says which files are one shot",
        Some(shape::<incoming::Names>),
        Some(shape::<Vec<Group>>),
    ),
    ("get", "/api/incoming/{key}", "How much of a file is here", None, Some(shape::<incoming::Have>)),
    (
        "put",
        "/api/incoming/{key}",
        "Takes a file's bytes from byte ?from= on; ?name= is its name",
        None,
        Some(shape::<incoming::Have>),
    ),
    ("delete", "/api/incoming/{key}", "Gives a file up", None, None),
    (
        "post",
        "/api/scenes/{id}/shots",
        "Makes a shot from a file that arrived under a key",
        Some(shape::<incoming::Arrived>),
        Some(shape::<productions::ShotDetail>),
    ),
    ("get", "/api/shots/{id}/frames", "The frames of a shot", None, Some(shape::<Vec<incoming::FrameLine>>)),
    (
        "post",
        "/api/shots/{id}/frames",
        "Takes a file that arrived in as a frame",
        Some(shape::<incoming::Arrived>),
        None,
    ),
    ("post", "/api/shots/{id}/stop", "Stops what comes in for a shot", None, None),
    (
        "get",
        "/api/folders",
        "Folders on this machine that the operator allowed",
        None,
        Some(shape::<Vec<String>>),
    ),
    (
        "post",
        "/api/folders/list",
        "What lies in one of them",
        Some(shape::<incoming::FolderPlace>),
        Some(shape::<Listing>),
    ),
    (
        "post",
        "/api/scenes/{id}/bring",
        "Brings files of an allowed folder in",
        Some(shape::<incoming::BringIn>),
        Some(shape::<Vec<productions::ShotDetail>>),
    ),
    (
        "patch",
        "/api/shots/{id}",
        "Changes a shot",
        Some(shape::<shots::EditShot>),
        Some(shape::<productions::ShotDetail>),
    ),
    ("delete", "/api/shots/{id}", "Takes a shot out", None, None),
    ("get", "/api/shots/{id}/trim", "A shot's trim", None, Some(shape::<shots::TrimDetail>)),
    (
        "put",
        "/api/shots/{id}/trim",
        "Saves a shot's trim",
        Some(shape::<shots::SaveTrim>),
        Some(shape::<shots::TrimDetail>),
    ),
    (
        "post",
        "/api/shots/{id}/trim/copy",
        "Copies a trim, or steps of it, to other shots",
        Some(shape::<shots::CopyTrim>),
        Some(shape::<Vec<shots::TrimBefore>>),
    ),
    ("get", "/api/shots/{id}/as", "A PNG of how a shot would look in ?encoding=", None, None),
    (
        "post",
        "/api/match",
        "What brings one shot to another",
        Some(shape::<light::MatchRequest>),
        Some(shape::<Brought>),
    ),
    ("get", "/api/productions/{id}/looks", "Its looks", None, Some(shape::<Vec<looks::LookLine>>)),
    (
        "post",
        "/api/productions/{id}/looks",
        "Makes a look",
        Some(shape::<looks::CreateLook>),
        Some(shape::<looks::LookDetail>),
    ),
    ("get", "/api/looks/{id}", "One look", None, Some(shape::<looks::LookDetail>)),
    (
        "put",
        "/api/looks/{id}",
        "Saves a change",
        Some(shape::<looks::SaveLook>),
        Some(shape::<looks::LookDetail>),
    ),
    ("delete", "/api/looks/{id}", "Deletes a look", None, None),
    ("post", "/api/looks/{id}/restore", "Puts a deleted look back", None, None),
    ("get", "/api/looks/{id}/versions", "Its versions", None, Some(shape::<Vec<looks::VersionLine>>)),
    (
        "post",
        "/api/looks/{id}/versions",
        "Keeps a version",
        Some(shape::<looks::KeepVersion>),
        Some(shape::<looks::VersionLine>),
    ),
    ("get", "/api/looks/{id}/versions/{number}", "One version", None, Some(shape::<looks::VersionDetail>)),
    ("get", "/api/looks/{id}/handoffs", "Its handoffs", None, Some(shape::<Vec<handoffs::HandoffDetail>>)),
    (
        "post",
        "/api/looks/{id}/handoffs",
        "Begins a handoff",
        Some(shape::<handoffs::CreateHandoff>),
        Some(shape::<handoffs::HandoffDetail>),
    ),
    ("get", "/api/handoffs/{id}", "One handoff", None, Some(shape::<handoffs::HandoffDetail>)),
    ("post", "/api/handoffs/{id}/cancel", "Stops a handoff", None, Some(shape::<handoffs::HandoffDetail>)),
    ("get", "/api/handoffs/{id}/table", "The table's file", None, None),
    (
        "post",
        "/api/productions/{id}/looks/import",
        "Makes a look from a look file",
        None,
        Some(shape::<looks::LookDetail>),
    ),
    ("get", "/api/looks/{id}/file", "A look as one file, its tables inside", None, None),
    (
        "post",
        "/api/tables",
        "Brings in a .cube or a HaldCLUT PNG; ?name= is its name",
        None,
        Some(shape::<tables::TableLine>),
    ),
    (
        "post",
        "/api/corrections/read",
        "Reads a colour decision list",
        None,
        Some(shape::<Vec<tables::CorrectionLine>>),
    ),
    (
        "post",
        "/api/corrections/write",
        "Writes a colour decision list",
        Some(shape::<tables::WriteCorrections>),
        None,
    ),
    ("get", "/api/shelf", "Everything on the Shelf", None, Some(shape::<Vec<shelf::ShelfItem>>)),
    (
        "post",
        "/api/shelf",
        "Keeps a look or steps on the Shelf",
        Some(shape::<shelf::KeepOnShelf>),
        Some(shape::<shelf::ShelfItem>),
    ),
    ("delete", "/api/shelf/{id}", "Takes something from the Shelf", None, None),
    (
        "post",
        "/api/compare",
        "What two paths differ in",
        Some(shape::<paths::ComparePaths>),
        Some(shape::<Vec<Difference>>),
    ),
    ("get", "/api/range-fields", "The parameters of a colour range", None, Some(shape::<Vec<Field>>)),
    (
        "post",
        "/api/pick",
        "A bump or a colour range from a place of the picture",
        Some(shape::<pick::PickRequest>),
        Some(shape::<pick::Picked>),
    ),
    (
        "post",
        "/api/dropper",
        "Balance that makes a place neutral, or gives it an exposure",
        Some(shape::<light::DropperRequest>),
        Some(shape::<light::Dropped>),
    ),
];

/// The document.
pub fn build() -> Value {
    let mut settings = SchemaSettings::draft2020_12();
    settings.definitions_path = "/components/schemas".into();
    let mut g = settings.into_generator();
    let mut paths = Map::new();
    for (method, path, summary, takes, gives) in CALLS {
        let mut call = json!({ "summary": summary, "responses": {} });
        let names = path.split('/').filter_map(|part| part.strip_prefix('{')?.strip_suffix('}'));
        let parameters: Vec<Value> = names
            .map(|n| {
                let kind = if n == "number" { "integer" } else { "string" };
                json!({ "name": n, "in": "path", "required": true, "schema": { "type": kind } })
            })
            .collect();
        if !parameters.is_empty() {
            call["parameters"] = parameters.into();
        }
        if let Some(takes) = takes {
            call["requestBody"] =
                json!({ "required": true, "content": { "application/json": { "schema": takes(&mut g) } } });
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
        paths.entry(*path).or_insert_with(|| json!({}))[*method] = call;
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
