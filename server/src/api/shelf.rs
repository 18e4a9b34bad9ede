//! The Shelf: starting looks that ship, looks of one's own, favourite steps.

use super::json::{Answer, Body, answer};
use super::looks::read;
use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use crate::store::ids::ShelfId;
use crate::store::{Store, shelf::ShelfRow};
use actix_web::{HttpResponse, web};
use lantern_core::look::{Look, starting};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Something on the Shelf.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ShelfItem {
    /// Its id; a starting look's is its name.
    pub id: ShelfId,
    /// `starting`, `look` or `steps`.
    pub kind: String,
    /// The shelf that it stands on.
    pub shelf: String,
    /// The document: its name, a line on what it does, tags, path.
    pub document: Look,
}

/// Keeps something on the Shelf.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct KeepOnShelf {
    /// `look` or `steps`.
    pub kind: String,
    /// The document.
    pub document: serde_json::Value,
}

fn item(row: &ShelfRow) -> ApiResult<ShelfItem> {
    let shelf = if row.kind == "look" { "Own looks" } else { "Favourites" };
    Ok(ShelfItem { id: row.id.clone(), kind: row.kind.clone(), shelf: shelf.into(), document: row.look()? })
}

/// Everything on the Shelf: own things first.
pub async fn list(store: web::Data<Store>) -> ApiResult<Answer<Vec<ShelfItem>>> {
    answer(move || {
        let rows = store.with(|c| ShelfRow::all(c))?;
        let mut items = rows.iter().map(item).collect::<ApiResult<Vec<_>>>()?;
        items.extend(starting::looks().iter().map(|s| ShelfItem {
            id: s.look.name.as_str().into(),
            kind: "starting".into(),
            shelf: s.shelf.into(),
            document: s.look.clone(),
        }));
        Ok(items)
    })
    .await
}

/// Keeps a look or steps.
pub async fn keep(studio: web::Data<Studio>, body: Body<KeepOnShelf>) -> ApiResult<Answer<ShelfItem>> {
    if body.kind != "look" && body.kind != "steps" {
        return Err(ApiError::Invalid("the Shelf keeps looks and steps".into()));
    }
    answer(move || {
        let look = read(&studio, &body.document)?;
        item(&studio.store.with(|c| ShelfRow::create(c, &body.kind, &look))?)
    })
    .await
}

/// Takes something from the Shelf.
pub async fn remove(store: web::Data<Store>, id: web::Path<ShelfId>) -> ApiResult<HttpResponse> {
    store.run_when_full(move |c| ShelfRow::delete(c, &id)).await?;
    Ok(HttpResponse::NoContent().finish())
}
