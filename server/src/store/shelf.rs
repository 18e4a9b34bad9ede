//! What a designer keeps on the Shelf: looks of their own, and favourite steps.

use super::ids::ShelfId;
use super::now;
use super::schema::kept;
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use lantern_core::look::Look;

/// A kept look, or kept steps.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = kept)]
pub struct ShelfRow {
    /// Its id.
    pub id: ShelfId,
    /// `look` or `steps`.
    pub kind: String,
    /// Its name, as in the document.
    pub name: String,
    /// The document as JSON.
    pub document: String,
    /// Seconds since 1970.
    pub kept_at: i64,
}

impl ShelfRow {
    /// Everything that was kept, newest first.
    pub fn all(c: &mut SqliteConnection) -> ApiResult<Vec<Self>> {
        Ok(kept::table.order((kept::kept_at.desc(), kept::id)).select(Self::as_select()).load(c)?)
    }

    /// Keeps a look or steps.
    pub fn create(c: &mut SqliteConnection, kind: &str, look: &Look) -> ApiResult<Self> {
        let row = Self {
            id: ShelfId::fresh(),
            kind: kind.into(),
            name: look.name.clone(),
            document: look.to_json(),
            kept_at: now(),
        };
        diesel::insert_into(kept::table).values(&row).execute(c)?;
        Ok(row)
    }

    /// Takes something from the Shelf.
    pub fn delete(c: &mut SqliteConnection, id: &ShelfId) -> ApiResult<()> {
        match diesel::delete(kept::table.find(id)).execute(c)? {
            0 => Err(ApiError::NotFound("thing on the Shelf")),
            _ => Ok(()),
        }
    }

    /// The document as types.
    pub fn look(&self) -> ApiResult<Look> {
        Look::from_json(&self.document).map_err(ApiError::internal)
    }
}
