//! Tables on boards of references; the stills of a board are the shots of a scene of finished stills.

use super::ids::{BoardTableId, SceneId};
use super::schema::board_tables;
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;

/// A table on a board.
#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = board_tables)]
pub struct BoardTable {
    /// Its id.
    pub id: BoardTableId,
    /// The board: a scene of finished stills.
    pub scene_id: SceneId,
    /// Its place among the tables of the board.
    pub position: i32,
    /// Its name.
    pub name: String,
    /// What somebody notes of it.
    pub note: String,
    /// Words that it is found by.
    pub tags: String,
    /// The hash of its contents.
    pub table_hash: String,
    /// The encoding that it expects, as JSON.
    pub from_encoding: String,
    /// The encoding that it gives, as JSON.
    pub to_encoding: String,
}

/// What changes of a table on a board.
#[derive(Clone, Debug, Default, PartialEq, AsChangeset)]
#[diesel(table_name = board_tables)]
pub struct BoardTablePatch {
    /// Its name.
    pub name: Option<String>,
    /// What somebody notes of it.
    pub note: Option<String>,
    /// Words that it is found by.
    pub tags: Option<String>,
    /// The encoding that it expects, as JSON.
    pub from_encoding: Option<String>,
    /// The encoding that it gives, as JSON.
    pub to_encoding: Option<String>,
}

impl BoardTable {
    /// The tables of a board in order.
    pub fn of_scene(c: &mut SqliteConnection, scene: &SceneId) -> ApiResult<Vec<Self>> {
        let own = board_tables::table
            .filter(board_tables::scene_id.eq(scene).and(board_tables::deleted_at.is_null()))
            .order((board_tables::position, board_tables::id));
        Ok(own.select(Self::as_select()).load(c)?)
    }

    /// The place after the last table that a board has or had.
    pub fn end(c: &mut SqliteConnection, scene: &SceneId) -> ApiResult<i32> {
        let own = board_tables::table.filter(board_tables::scene_id.eq(scene));
        let last: Option<i32> = own.select(diesel::dsl::max(board_tables::position)).first(c)?;
        Ok(last.map_or(0, |p| p + 1))
    }

    /// Saves a new one.
    pub fn insert(&self, c: &mut SqliteConnection) -> ApiResult<()> {
        diesel::insert_into(board_tables::table).values(self).execute(c)?;
        Ok(())
    }

    /// Saves what changes of one.
    pub fn patch(c: &mut SqliteConnection, id: &BoardTableId, patch: &BoardTablePatch) -> ApiResult<()> {
        let there = board_tables::table.find(id).filter(board_tables::deleted_at.is_null());
        match diesel::update(there).set(patch).execute(c)? {
            0 => Err(ApiError::NotFound("table of a board")),
            _ => Ok(()),
        }
    }

    /// Takes one from its board, or puts it back.
    pub fn set_deleted(c: &mut SqliteConnection, id: &BoardTableId, deleted: bool) -> ApiResult<()> {
        let own = board_tables::table.find(id).filter(board_tables::deleted_at.is_null().eq(deleted));
        let at = board_tables::deleted_at.eq(deleted.then(super::now));
        match diesel::update(own).set(at).execute(c)? {
            0 => Err(ApiError::NotFound("table of a board")),
            _ => Ok(()),
        }
    }
}
