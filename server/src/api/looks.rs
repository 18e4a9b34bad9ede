//! Looks and their versions.

use crate::error::{ApiError, ApiResult};
use crate::store::{
    Store,
    looks::{LookRow, Version},
    productions::Production,
};
use actix_web::web;
use lantern_core::look::Look;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A look in the list.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LookLine {
    /// Its id.
    pub id: String,
    /// Its name.
    pub name: String,
    /// Its revision.
    pub revision: i32,
}

/// A look with its document.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LookDetail {
    /// Its id.
    pub id: String,
    /// Rises with every accepted change.
    pub revision: i32,
    /// The document.
    pub document: Look,
}

/// Saves a change.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct SaveLook {
    /// The revision that the change was made to.
    pub revision: i32,
    /// The changed document. Checked as a file is: wrong values come back by name.
    pub document: serde_json::Value,
}

/// Makes a look; without a document a new one with the plain rendering alone.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct CreateLook {
    /// Its name.
    pub name: String,
    /// The document to begin with.
    #[serde(default)]
    pub document: Option<serde_json::Value>,
}

/// A version in the list.
#[derive(Debug, Serialize, JsonSchema)]
pub struct VersionLine {
    /// Its number from 1.
    pub number: i32,
    /// What the designer calls it.
    pub name: String,
    /// Seconds since 1970.
    pub saved_at: i64,
}

/// A version with its document.
#[derive(Debug, Serialize, JsonSchema)]
pub struct VersionDetail {
    /// Its number from 1.
    pub number: i32,
    /// What the designer calls it.
    pub name: String,
    /// The document.
    pub document: Look,
}

/// Keeps the look as it stands.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct KeepVersion {
    /// What to call it; empty for its number.
    #[serde(default)]
    pub name: String,
}

fn read(document: &serde_json::Value) -> ApiResult<Look> {
    Ok(Look::from_json(&document.to_string())?)
}

fn detail(row: LookRow) -> ApiResult<web::Json<LookDetail>> {
    let document = row.look()?;
    Ok(web::Json(LookDetail { id: row.id, revision: row.revision, document }))
}

fn line(v: Version) -> VersionLine {
    VersionLine { number: v.number, name: v.name, saved_at: v.saved_at }
}

/// A production's looks.
pub async fn list(store: web::Data<Store>, id: web::Path<String>) -> ApiResult<web::Json<Vec<LookLine>>> {
    let rows = store.run(move |c| LookRow::of_production(c, &id)).await?;
    Ok(web::Json(
        rows.into_iter().map(|r| LookLine { id: r.id, name: r.name, revision: r.revision }).collect(),
    ))
}

/// Makes a look.
pub async fn create(
    store: web::Data<Store>,
    id: web::Path<String>,
    body: web::Json<CreateLook>,
) -> ApiResult<web::Json<LookDetail>> {
    let mut look = match &body.document {
        Some(document) => read(document)?,
        None => Look::new(&body.name),
    };
    look.name.clone_from(&body.name);
    look.check()?;
    let row = store.run(move |c| {
        let production = Production::find(c, &id)?;
        LookRow::create(c, &production.id, &look)
    });
    detail(row.await?)
}

/// One look.
pub async fn show(store: web::Data<Store>, id: web::Path<String>) -> ApiResult<web::Json<LookDetail>> {
    detail(store.run(move |c| LookRow::find(c, &id)).await?)
}

/// Saves a change.
pub async fn save(
    store: web::Data<Store>,
    id: web::Path<String>,
    body: web::Json<SaveLook>,
) -> ApiResult<web::Json<LookDetail>> {
    let look = read(&body.document)?;
    detail(store.run(move |c| LookRow::update(c, &id, body.revision, &look)).await?)
}

/// Deletes a look.
pub async fn delete(store: web::Data<Store>, id: web::Path<String>) -> ApiResult<actix_web::HttpResponse> {
    store.run(move |c| LookRow::delete(c, &id)).await?;
    Ok(actix_web::HttpResponse::NoContent().finish())
}

/// A look's versions, newest first.
pub async fn versions(
    store: web::Data<Store>,
    id: web::Path<String>,
) -> ApiResult<web::Json<Vec<VersionLine>>> {
    let rows = store.run(move |c| {
        LookRow::find(c, &id)?;
        Version::of_look(c, &id)
    });
    Ok(web::Json(rows.await?.into_iter().map(line).collect()))
}

/// Keeps a version.
pub async fn keep_version(
    store: web::Data<Store>,
    id: web::Path<String>,
    body: web::Json<KeepVersion>,
) -> ApiResult<web::Json<VersionLine>> {
    if body.name.chars().count() > 200 {
        return Err(ApiError::Invalid("a version's name has at most 200 characters".into()));
    }
    Ok(web::Json(line(store.run(move |c| Version::keep(c, &id, &body.name)).await?)))
}

/// One version.
pub async fn version(
    store: web::Data<Store>,
    at: web::Path<(String, i32)>,
) -> ApiResult<web::Json<VersionDetail>> {
    let v = store.run(move |c| Version::find(c, &at.0, at.1)).await?;
    let document = Look::from_json(&v.document).map_err(ApiError::internal)?;
    Ok(web::Json(VersionDetail { number: v.number, name: v.name, document }))
}
