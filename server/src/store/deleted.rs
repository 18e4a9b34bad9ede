//! What was deleted: listed, and taken away for good. Putting something back is the business of its own table.

use super::now;
use super::schema::{board_tables, looks, packages, plans, productions, scenes, shots};
use crate::error::{ApiError, ApiResult};
use diesel::prelude::*;
use diesel::sql_types::{BigInt, Nullable, Text};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How long what was deleted can be put back, in seconds.
pub const PATIENCE: i64 = 30 * 24 * 3600;

/// What can be deleted and put back.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Sort {
    /// A production with everything in it.
    Productions,
    /// A scene with its shots and tables.
    Scenes,
    /// A shot with its trim.
    Shots,
    /// A look with its versions and handoffs.
    Looks,
    /// A delivery plan.
    Plans,
    /// A package that was made.
    Packages,
    /// A table on a board.
    BoardTables,
}

/// Something that was deleted.
#[derive(Debug, QueryableByName)]
pub struct DeletedRow {
    /// A [`Sort`]'s word.
    #[diesel(sql_type = Text)]
    pub sort: String,
    /// Its id.
    #[diesel(sql_type = Text)]
    pub id: String,
    /// Its name.
    #[diesel(sql_type = Text)]
    pub name: String,
    /// What it belongs to: a shot's scene, a package's look.
    #[diesel(sql_type = Text)]
    pub within: String,
    /// How many shots, versions or steps come back with it.
    #[diesel(sql_type = BigInt)]
    pub holds: i64,
    /// Seconds since 1970.
    #[diesel(sql_type = BigInt)]
    pub deleted_at: i64,
}

/// Productions, where none is named; else what was deleted of the one that is. What lies in something that was deleted itself
/// comes back with that.
const LIST: &str = "
SELECT 'productions' AS sort, id, name, '' AS within, deleted_at,
       (SELECT count(*) FROM shots s JOIN scenes c ON c.id = s.scene_id
         WHERE c.production_id = p.id AND s.deleted_at IS NULL AND c.deleted_at IS NULL) AS holds
  FROM productions p WHERE deleted_at IS NOT NULL AND ?1 IS NULL
UNION ALL
SELECT 'scenes', id, name, '', deleted_at,
       (SELECT count(*) FROM shots WHERE scene_id = c.id AND shots.deleted_at IS NULL)
  FROM scenes c WHERE deleted_at IS NOT NULL AND production_id = ?1
UNION ALL
SELECT 'shots', s.id, s.name, c.name, s.deleted_at, json_array_length(s.trim, '$.steps')
  FROM shots s JOIN scenes c ON c.id = s.scene_id
 WHERE s.deleted_at IS NOT NULL AND c.deleted_at IS NULL AND c.production_id = ?1
UNION ALL
SELECT 'board-tables', t.id, t.name, c.name, t.deleted_at, 0
  FROM board_tables t JOIN scenes c ON c.id = t.scene_id
 WHERE t.deleted_at IS NOT NULL AND c.deleted_at IS NULL AND c.production_id = ?1
UNION ALL
SELECT 'looks', l.id, l.name, '', l.deleted_at, (SELECT count(*) FROM look_versions WHERE look_id = l.id)
  FROM looks l WHERE l.deleted_at IS NOT NULL AND l.production_id = ?1
UNION ALL
SELECT 'plans', id, coalesce(json_extract(document, '$.name'), ''), '', deleted_at, 0
  FROM plans WHERE deleted_at IS NOT NULL AND production_id = ?1
UNION ALL
SELECT 'packages', p.id, p.file_name, l.name, p.deleted_at, 0
  FROM packages p JOIN looks l ON l.id = p.look_id
 WHERE p.deleted_at IS NOT NULL AND l.deleted_at IS NULL AND l.production_id = ?1
ORDER BY deleted_at DESC, id";

/// What was deleted of a production, or which productions were; the newest first.
pub fn list(c: &mut SqliteConnection, production: Option<&str>) -> ApiResult<Vec<DeletedRow>> {
    Ok(diesel::sql_query(LIST).bind::<Nullable<Text>, _>(production).load(c)?)
}

/// Takes one away for good, with everything in it. Errors where it is not there, or not deleted. Its files go when the data
/// folder is opened next.
pub fn forget(c: &mut SqliteConnection, sort: Sort, id: &str) -> ApiResult<()> {
    let gone = match sort {
        Sort::Productions => {
            let own = productions::table.find(id).filter(productions::deleted_at.is_not_null());
            let scenes: Vec<String> =
                scenes::table.filter(scenes::production_id.eq(id)).select(scenes::id).load(c)?;
            match own.select(productions::id).first::<String>(c).optional()? {
                Some(_) => {
                    diesel::delete(board_tables::table.filter(board_tables::scene_id.eq_any(&scenes)))
                        .execute(c)?;
                    diesel::delete(own).execute(c)?
                }
                None => 0,
            }
        }
        Sort::Scenes => {
            let own = scenes::table.find(id).filter(scenes::deleted_at.is_not_null());
            match own.select(scenes::id).first::<String>(c).optional()? {
                Some(_) => {
                    diesel::delete(board_tables::table.filter(board_tables::scene_id.eq(id))).execute(c)?;
                    diesel::delete(own).execute(c)?
                }
                None => 0,
            }
        }
        Sort::Shots => {
            diesel::delete(shots::table.find(id).filter(shots::deleted_at.is_not_null())).execute(c)?
        }
        Sort::Looks => {
            diesel::delete(looks::table.find(id).filter(looks::deleted_at.is_not_null())).execute(c)?
        }
        Sort::Plans => {
            diesel::delete(plans::table.find(id).filter(plans::deleted_at.is_not_null())).execute(c)?
        }
        Sort::Packages => {
            diesel::delete(packages::table.find(id).filter(packages::deleted_at.is_not_null())).execute(c)?
        }
        Sort::BoardTables => {
            let own = board_tables::table.find(id).filter(board_tables::deleted_at.is_not_null());
            diesel::delete(own).execute(c)?
        }
    };
    if gone == 0 { Err(ApiError::NotFound("deleted thing")) } else { Ok(()) }
}

/// Tables of boards that were deleted before a time, or whose scene or production was.
const OLD_BOARD_TABLES: &str = "
DELETE FROM board_tables WHERE deleted_at < ?1 OR scene_id IN
    (SELECT c.id FROM scenes c JOIN productions p ON p.id = c.production_id
      WHERE c.deleted_at < ?1 OR p.deleted_at < ?1)";

/// Takes away for good what was deleted longer ago than anybody may put it back. Files stay in the media folder.
pub fn forget_old(c: &mut SqliteConnection) -> ApiResult<()> {
    let before = now() - PATIENCE;
    // Tables of boards do not go with their scene by themselves.
    diesel::sql_query(OLD_BOARD_TABLES).bind::<BigInt, _>(before).execute(c)?;
    diesel::delete(productions::table.filter(productions::deleted_at.lt(before))).execute(c)?;
    diesel::delete(scenes::table.filter(scenes::deleted_at.lt(before))).execute(c)?;
    diesel::delete(shots::table.filter(shots::deleted_at.lt(before))).execute(c)?;
    diesel::delete(looks::table.filter(looks::deleted_at.lt(before))).execute(c)?;
    diesel::delete(plans::table.filter(plans::deleted_at.lt(before))).execute(c)?;
    diesel::delete(packages::table.filter(packages::deleted_at.lt(before))).execute(c)?;
    Ok(())
}
