//! Looks and their versions.

use super::body::File;
use super::json::{Answer, Body, answer};
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::jobs::handoff::plain_name;
use crate::preview::Studio;
use crate::store::ids::{LookId, ProductionId};
use crate::store::{
    Store,
    looks::{LookRow, Version},
    productions::{Media, MediaKind, Production},
};
use actix_web::{HttpResponse, web};
use lantern_core::look::Look;
use lantern_core::look::MAX_NAME;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A look in the list.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LookLine {
    /// Its id.
    pub id: LookId,
    /// Its name.
    pub name: String,
    /// Its revision.
    pub revision: i32,
}

/// A look with its document.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LookDetail {
    /// Its id.
    pub id: LookId,
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

/// A document from outside, checked; the tables inside it are kept, and those that it names are here. Blocks.
pub fn read(studio: &Studio, document: &serde_json::Value) -> ApiResult<Look> {
    keep_tables(studio, Look::from_json(&document.to_string())?)
}

pub(super) fn keep_tables(studio: &Studio, look: Look) -> ApiResult<Look> {
    let (look, tables) = studio.media.take_tables(look)?;
    if !tables.is_empty() {
        studio.store.change(|c| {
            let mut rows = tables.into_iter();
            rows.try_for_each(|(hash, n)| Media::of(MediaKind::Table, hash, n).insert(c))
        })?;
    }
    Ok(look)
}

fn detail(row: LookRow) -> ApiResult<LookDetail> {
    let document = row.look()?;
    Ok(LookDetail { id: row.id, revision: row.revision, document })
}

fn line(v: Version) -> VersionLine {
    VersionLine { number: v.number, name: v.name, saved_at: v.saved_at }
}

/// A production's looks.
pub async fn list(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
) -> ApiResult<web::Json<Vec<LookLine>>> {
    let rows = store.run(move |c| LookRow::of_production(c, &id)).await?;
    Ok(web::Json(
        rows.into_iter().map(|r| LookLine { id: r.id, name: r.name, revision: r.revision }).collect(),
    ))
}

/// Makes a look.
pub async fn create(
    studio: web::Data<Studio>,
    id: web::Path<ProductionId>,
    body: Body<CreateLook>,
) -> ApiResult<Answer<LookDetail>> {
    answer(move || {
        let mut look = match &body.document {
            Some(document) => read(&studio, document)?,
            None => Look::new(&body.name),
        };
        look.name.clone_from(&body.name);
        look.check()?;
        detail(studio.store.with(|c| {
            let production = Production::find(c, &id)?;
            LookRow::create(c, &production.id, &look)
        })?)
    })
    .await
}

/// One look.
pub async fn show(store: web::Data<Store>, id: web::Path<LookId>) -> ApiResult<Answer<LookDetail>> {
    answer(move || detail(store.with(|c| LookRow::find(c, &id))?)).await
}

/// Saves a change.
pub async fn save(
    studio: web::Data<Studio>,
    id: web::Path<LookId>,
    body: Body<SaveLook>,
) -> ApiResult<Answer<LookDetail>> {
    answer(move || {
        let look = read(&studio, &body.document)?;
        detail(studio.store.with(|c| LookRow::update(c, &id, body.revision, &look))?)
    })
    .await
}

/// The largest look file that is taken.
pub const MOST_FILE: usize = lantern_core::look::MOST_BYTES_WITH_TABLES;

/// Makes a look from a look file, with everything inside it.
pub async fn import(
    studio: web::Data<Studio>,
    id: web::Path<ProductionId>,
    body: File,
) -> ApiResult<Answer<LookDetail>> {
    answer(move || {
        let text = std::str::from_utf8(&body)
            .map_err(|_| ApiError::Invalid("this is not a look file: it is no text".into()))?;
        let look = keep_tables(&studio, Look::from_json(text)?)?;
        detail(studio.store.change(|c| {
            let production = Production::find(c, &id)?;
            LookRow::create(c, &production.id, &look)
        })?)
    })
    .await
}

/// A look as one file, its tables inside.
pub async fn export(studio: web::Data<Studio>, id: web::Path<LookId>) -> ApiResult<HttpResponse> {
    let made = blocking(move || {
        let look = studio.media.with_tables(studio.store.with(|c| LookRow::find(c, &id))?.look()?)?;
        Ok::<_, ApiError>((look.name.clone(), look.to_json()))
    });
    let (name, text) = made.await?;
    let name = super::attachment(&format!("{}.look.json", plain_name(&name)));
    let file = HttpResponse::Ok()
        .content_type("application/json")
        .insert_header(("content-disposition", name))
        .body(text);
    Ok(file)
}

/// Deletes a look with its versions and handoffs. It can be put back.
pub async fn delete(store: web::Data<Store>, id: web::Path<LookId>) -> ApiResult<HttpResponse> {
    store.run_when_full(move |c| LookRow::set_deleted(c, &id, true)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Puts a deleted look back.
pub async fn restore(store: web::Data<Store>, id: web::Path<LookId>) -> ApiResult<HttpResponse> {
    store.run(move |c| LookRow::set_deleted(c, &id, false)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// A look's versions, newest first.
pub async fn versions(
    store: web::Data<Store>,
    id: web::Path<LookId>,
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
    id: web::Path<LookId>,
    body: Body<KeepVersion>,
) -> ApiResult<web::Json<VersionLine>> {
    if body.name.chars().count() > MAX_NAME {
        return Err(ApiError::Invalid(format!("a version's name has at most {MAX_NAME} characters")));
    }
    Ok(web::Json(line(store.run(move |c| Version::keep(c, &id, &body.name)).await?)))
}

/// One version.
pub async fn version(
    store: web::Data<Store>,
    at: web::Path<(LookId, i32)>,
) -> ApiResult<Answer<VersionDetail>> {
    answer(move || {
        let v = store.with(|c| {
            LookRow::find(c, &at.0)?;
            Version::find(c, &at.0, at.1)
        })?;
        let document = Look::from_json(&v.document).map_err(ApiError::internal)?;
        Ok(VersionDetail { number: v.number, name: v.name, document })
    })
    .await
}
