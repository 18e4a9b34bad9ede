//! Boards of references: tables beside finished stills, and frames of shots kept as stills.

use super::json::Body;
use super::productions::ShotDetail;
use super::scenes::clean;
use super::shots::words;
use crate::error::{ApiError, ApiResult};
use crate::store::Store;
use crate::store::boards::{BoardTable, BoardTablePatch};
use crate::store::ids::{BoardTableId, SceneId, ShotId};
use crate::store::productions::Media;
use crate::store::scenes::Scene;
use crate::store::shots::{Frame, Shot};
use actix_web::{HttpResponse, web};
use lantern_core::step::TableEncoding;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A table on a board.
#[derive(Debug, Serialize, JsonSchema)]
pub struct BoardTableDetail {
    /// Its id.
    pub id: BoardTableId,
    /// Its name.
    pub name: String,
    /// What somebody notes of it.
    pub note: String,
    /// Words that it is found by.
    pub tags: String,
    /// The hash of its contents.
    pub table: String,
    /// The encoding that it expects.
    pub from: TableEncoding,
    /// The encoding that it gives.
    pub to: TableEncoding,
}

impl BoardTableDetail {
    /// What people see of it.
    pub fn of(row: BoardTable) -> ApiResult<Self> {
        let read = |text: &str| serde_json::from_str(text).map_err(ApiError::internal);
        let (from, to) = (read(&row.from_encoding)?, read(&row.to_encoding)?);
        let BoardTable { id, name, note, tags, table_hash: table, .. } = row;
        Ok(Self { id, name, note, tags, table, from, to })
    }
}

/// A table to put on a board.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct PutOnBoard {
    /// The hash of its contents, which were brought in before.
    pub table: String,
    /// Its name.
    pub name: String,
    /// The encoding that it expects.
    pub from: TableEncoding,
    /// The encoding that it gives.
    pub to: TableEncoding,
}

/// What to change of a table on a board; what is left out stays.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(default)]
pub struct EditBoardTable {
    /// Its name.
    pub name: Option<String>,
    /// What somebody notes of it.
    pub note: Option<String>,
    /// Words that it is found by.
    pub tags: Option<String>,
    /// The encoding that it expects.
    pub from: Option<TableEncoding>,
    /// The encoding that it gives.
    pub to: Option<TableEncoding>,
}

/// A frame to keep.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct KeepFrame {
    /// The frame, by its place in the order; the shot's poster where none is said.
    #[serde(default)]
    pub frame: Option<u32>,
    /// The board that it goes to: a scene of finished stills.
    pub board: SceneId,
}

fn board(c: &mut diesel::SqliteConnection, id: &SceneId) -> ApiResult<Scene> {
    let scene = Scene::find(c, id)?;
    if scene.finished {
        Ok(scene)
    } else {
        Err(ApiError::Invalid("a board is a scene of finished stills".into()))
    }
}

/// An encoding as it is kept, if there is one.
fn kept(encoding: &TableEncoding) -> ApiResult<String> {
    if encoding.encoding().is_none() {
        return Err(ApiError::Invalid("there is no such encoding; /api/encodings lists them".into()));
    }
    serde_json::to_string(encoding).map_err(ApiError::internal)
}

/// Puts a table on a board.
pub async fn put(
    store: web::Data<Store>,
    id: web::Path<SceneId>,
    body: Body<PutOnBoard>,
) -> ApiResult<web::Json<BoardTableDetail>> {
    let body = body.into_inner();
    let name = clean(&body.name)?;
    let (from_encoding, to_encoding) = (kept(&body.from)?, kept(&body.to)?);
    let made = store.run_change(move |c| {
        board(c, &id)?;
        if !Media::is_there(c, &body.table)? {
            return Err(ApiError::NotFound("table"));
        }
        let row = BoardTable {
            id: BoardTableId::fresh(),
            position: BoardTable::end(c, &id)?,
            scene_id: id.into_inner(),
            name,
            note: String::new(),
            tags: String::new(),
            table_hash: body.table,
            from_encoding,
            to_encoding,
        };
        row.insert(c)?;
        BoardTableDetail::of(row)
    });
    Ok(web::Json(made.await?))
}

/// Changes a table on a board.
pub async fn edit(
    store: web::Data<Store>,
    id: web::Path<BoardTableId>,
    body: Body<EditBoardTable>,
) -> ApiResult<HttpResponse> {
    let patch = BoardTablePatch {
        name: body.name.as_deref().map(clean).transpose()?,
        note: body.note.as_deref().map(words),
        tags: body.tags.as_deref().map(words),
        from_encoding: body.from.as_ref().map(kept).transpose()?,
        to_encoding: body.to.as_ref().map(kept).transpose()?,
    };
    if patch != BoardTablePatch::default() {
        store.run_change(move |c| BoardTable::patch(c, &id, &patch)).await?;
    }
    Ok(HttpResponse::NoContent().finish())
}

/// Takes a table from its board. It can be put back.
pub async fn delete(store: web::Data<Store>, id: web::Path<BoardTableId>) -> ApiResult<HttpResponse> {
    store.run_when_full(move |c| BoardTable::set_deleted(c, &id, true)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Puts a table back on its board.
pub async fn restore(store: web::Data<Store>, id: web::Path<BoardTableId>) -> ApiResult<HttpResponse> {
    store.run_change(move |c| BoardTable::set_deleted(c, &id, false)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Keeps a frame of a shot as a still of a board, encoded as the shot is.
pub async fn keep_frame(
    store: web::Data<Store>,
    id: web::Path<ShotId>,
    body: Body<KeepFrame>,
) -> ApiResult<web::Json<ShotDetail>> {
    let kept = store.run_change(move |c| {
        let (shot, production) = Shot::find(c, &id)?;
        let board = board(c, &body.board)?;
        if board.production_id != production.id {
            return Err(ApiError::Invalid("the board belongs to another production".into()));
        }
        let place = body.frame.map_or(i64::from(shot.poster), i64::from);
        let frame = Frame::at(c, &id, place)?;
        let name = if shot.expected > 1 || frame.number > 0 {
            format!("{} {}", shot.name, frame.number)
        } else {
            shot.name.clone()
        };
        let still = Shot {
            encoding: shot.encoding.clone(),
            encoding_reason: shot.encoding_reason.clone(),
            trim: shot.trim.clone(),
            ..Shot::new(c, &board.id, &clean(&name)?)?
        };
        still.insert(c)?;
        Frame { shot_id: still.id.clone(), ..frame }.put(c)?;
        ShotDetail::of(c, still, None)
    });
    Ok(web::Json(kept.await?))
}
