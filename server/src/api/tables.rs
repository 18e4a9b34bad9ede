//! Tables and colour decision lists that are brought in for steps.

use super::body::File;
use super::json::{Answer, Body, answer};
use super::waited::Waited;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::jobs::Jobs;
use crate::jobs::unpick::{self, Ended};
use crate::preview::Studio;
use crate::store::productions::{Media, MediaKind};
use actix_web::{HttpResponse, web};
use lantern_core::colour::Encoding;
use lantern_core::look::{Look, Path};
use lantern_core::matching::reading::{self, TableReading};
use lantern_core::matching::unpick::Distance;
use lantern_core::step::{SlopeOffsetPower, TableEncoding, Values};
use lantern_core::table::Table;
use lantern_formats::cdl::{self, Correction, Form};
use lantern_formats::registry;
use lantern_handoff::table_file::Range;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// The name of a file that is brought in.
#[derive(Debug, Deserialize)]
pub struct Named {
    /// The name that it had.
    #[serde(default)]
    pub name: String,
    /// The range of the code values that it takes and gives. A table of legal range is kept as one for full range.
    #[serde(default)]
    pub range: Range,
}

/// A table that was brought in.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TableLine {
    /// The hash that steps name it by.
    pub table: String,
    /// What it is called: its title, else its file's name.
    pub name: String,
    /// What it is, for people: parts and sizes.
    pub says: String,
    /// The encoding that its name speaks of as what it expects; empty where it says nothing.
    pub from: String,
    /// The encoding that its name speaks of as what it gives; empty where it says nothing.
    pub to: String,
}

/// Ids of encodings in the order in which a name speaks of them.
fn encodings_in(name: &str) -> Vec<String> {
    let plain: String =
        name.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { ' ' }).collect();
    let mut found: Vec<(usize, String)> = Encoding::shipped()
        .filter_map(|e| {
            let words = format!(" {} ", e.id.replace('-', " "));
            format!(" {plain} ").find(&words).map(|at| (at, e.id))
        })
        .collect();
    found.sort();
    found.into_iter().map(|(_, id)| id).collect()
}

/// The longest file of a table that is taken.
pub const MOST_BYTES: usize = 130 << 20;

/// Brings in a table: its format is told by its first bytes.
pub async fn create(
    studio: web::Data<Studio>,
    query: web::Query<Named>,
    body: File,
) -> ApiResult<web::Json<TableLine>> {
    let line = blocking(move || -> ApiResult<TableLine> {
        let file: String = query.name.chars().take(200).collect();
        let stem = file.rsplit_once('.').map_or(file.as_str(), |(stem, _)| stem).to_owned();
        let mut table = registry::read_table(&body, &stem)?;
        if query.range == Range::Legal {
            table = table.of_legal().map_err(|e| ApiError::Invalid(e.to_string()))?;
        }
        let (hash, length) = studio.media.keep_table(&table)?;
        let media = Media::of(MediaKind::Table, hash.clone(), length);
        studio.store.with(|c| media.insert(c))?;
        let spoken = encodings_in(&format!("{stem} {}", table.title));
        let name = if table.title.trim().is_empty() { stem } else { table.title.clone() };
        Ok(TableLine {
            table: hash,
            name: if name.trim().is_empty() { "table".into() } else { name },
            says: table.summary(),
            from: spoken.first().cloned().unwrap_or_default(),
            to: spoken.get(1).cloned().unwrap_or_default(),
        })
    });
    Ok(web::Json(line.await?))
}

/// A table between its encodings.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct ReadTable {
    /// The hash of its contents.
    pub table: String,
    /// The encoding that it expects.
    pub from: TableEncoding,
    /// The encoding that it gives.
    pub to: TableEncoding,
}

fn there(studio: &Studio, hash: &str) -> ApiResult<Arc<Table>> {
    studio.media.table(hash).ok_or(ApiError::NotFound("table"))
}

/// What a table does, for drawings and in words.
pub async fn read(studio: web::Data<Studio>, body: Body<ReadTable>) -> ApiResult<web::Json<TableReading>> {
    let read = blocking(move || -> ApiResult<TableReading> {
        let table = there(&studio, &body.table)?;
        let unknown = || ApiError::Invalid("there is no such encoding; /api/encodings lists them".into());
        let from = body.from.encoding().ok_or_else(unknown)?;
        let to = body.to.encoding().ok_or_else(unknown)?;
        reading::of_table(&table, &from, &to).map_err(|e| ApiError::Invalid(e.to_string()))
    });
    Ok(web::Json(read.await?))
}

/// A path between encodings.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct ReadPath {
    /// The path.
    pub path: Path,
    /// The encoding that it is given.
    pub from: TableEncoding,
    /// The encoding that it gives.
    pub to: TableEncoding,
}

/// What a look does, as a table's reading: what of it goes into tables.
pub async fn read_path(
    studio: web::Data<Studio>,
    body: Body<ReadPath>,
) -> ApiResult<web::Json<TableReading>> {
    let waited = Waited::default();
    let stop = waited.0.clone();
    let read = blocking(move || -> ApiResult<TableReading> {
        let ReadPath { mut path, from, to } = body.into_inner();
        path.check()?;
        studio.media.attach(&mut path);
        let unknown = || ApiError::Invalid("there is no such encoding; /api/encodings lists them".into());
        let (from, to) = (from.encoding().ok_or_else(unknown)?, to.encoding().ok_or_else(unknown)?);
        let found = reading::of_look(&path, &from, &to, &stop);
        found
            .map_err(|e| ApiError::Invalid(e.to_string()))?
            .ok_or_else(|| ApiError::internal("the reading was stopped"))
    });
    let read = read.await?;
    drop(waited);
    Ok(web::Json(read))
}

/// A table to take apart.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct UnpickTable {
    /// The hash of its contents.
    pub table: String,
    /// What it is called.
    pub name: String,
    /// The encoding that it expects.
    pub from: TableEncoding,
    /// The encoding that it gives.
    pub to: TableEncoding,
}

/// How far a table that is taken apart has come.
#[derive(Debug, Serialize, JsonSchema)]
pub struct UnpickDetail {
    /// The job's id.
    pub id: String,
    /// `running`, `done`, `cancelled` or `failed`.
    pub state: &'static str,
    /// How much is done, 0..1.
    pub share: f64,
    /// Why it failed, in words; empty where it did not.
    pub failure: String,
    /// The look, where it is done: steps in groups, and what they leave of the table beneath them.
    pub document: Option<Look>,
    /// How far the steps alone are from the table, where it is done.
    pub distance: Option<Distance>,
}

impl UnpickDetail {
    fn of(id: String, share: f64, ended: Option<Ended>) -> Self {
        let running =
            Self { id, state: "running", share, failure: String::new(), document: None, distance: None };
        match ended {
            None => running,
            Some(Ended::Cancelled) => Self { state: "cancelled", ..running },
            Some(Ended::Failed(failure)) => Self { state: "failed", failure, ..running },
            Some(Ended::Done(look, distance)) => {
                Self { state: "done", share: 1.0, document: Some(*look), distance: Some(distance), ..running }
            }
        }
    }
}

/// Begins to take a table apart.
pub async fn begin_unpick(
    studio: web::Data<Studio>,
    jobs: web::Data<Jobs>,
    body: Body<UnpickTable>,
) -> ApiResult<web::Json<UnpickDetail>> {
    let body = body.into_inner();
    let (media, hash) = (studio.clone(), body.table);
    let table = blocking(move || there(&media, &hash)).await?;
    let name: String = body.name.chars().take(150).collect();
    let asked = unpick::Asked { table, name, way: [body.from, body.to], remainder: true };
    let id = unpick::queue(studio, &jobs, asked, super::looks::keep_tables);
    Ok(web::Json(UnpickDetail::of(id, 0.0, None)))
}

/// How far it has come.
pub async fn show_unpick(
    studio: web::Data<Studio>,
    jobs: web::Data<Jobs>,
    id: web::Path<String>,
) -> ApiResult<Answer<UnpickDetail>> {
    let id = id.into_inner();
    answer(move || {
        // The job is asked for first: it may end in between, and then its result is there.
        let share = jobs.find(&id).map(|j| j.share());
        let ended = studio.unpicked.find(&id);
        if share.is_none() && ended.is_none() {
            return Err(ApiError::NotFound("table that is taken apart"));
        }
        Ok(UnpickDetail::of(id, share.unwrap_or(1.0), ended))
    })
    .await
}

/// Stops it.
pub async fn stop_unpick(jobs: web::Data<Jobs>, id: web::Path<String>) -> ApiResult<HttpResponse> {
    jobs.stop(&id);
    Ok(HttpResponse::NoContent().finish())
}

/// A correction of a decision list.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct CorrectionLine {
    /// Its id, or empty.
    pub id: String,
    /// Its numbers.
    pub values: SlopeOffsetPower,
}

/// Reads a .cc, .ccc or .cdl.
pub async fn read_corrections(body: File) -> ApiResult<web::Json<Vec<CorrectionLine>>> {
    let found = blocking(move || Ok(cdl::read(&body)?)).await?;
    Ok(web::Json(found.into_iter().map(|c| CorrectionLine { id: c.id, values: c.step }).collect()))
}

/// Corrections to write.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct WriteCorrections {
    /// `cc`, `ccc` or `cdl`.
    pub form: String,
    /// The corrections in order.
    pub corrections: Vec<CorrectionLine>,
}

/// Writes a .cc, .ccc or .cdl.
pub async fn write_corrections(body: Body<WriteCorrections>) -> ApiResult<HttpResponse> {
    let form = Form::of_extension(&body.form)
        .ok_or_else(|| ApiError::Invalid(format!("“{}” is none of cc, ccc and cdl", body.form)))?;
    let mut corrections = Vec::new();
    for c in body.into_inner().corrections {
        Values::SlopeOffsetPower(c.values.clone()).check().map_err(|e| ApiError::Invalid(e.to_string()))?;
        corrections.push(Correction { id: c.id.chars().take(200).collect(), step: c.values });
    }
    if corrections.is_empty() || corrections.len() > cdl::MAX_CORRECTIONS {
        return Err(ApiError::Invalid("a decision list holds 1 to 5000 corrections".into()));
    }
    Ok(HttpResponse::Ok().content_type("application/xml").body(cdl::write(&corrections, form)))
}

#[cfg(test)]
mod tests {
    use super::encodings_in;

    #[test]
    fn a_name_speaks_of_its_encodings_in_order() {
        assert_eq!(encodings_in("harbour_v3_acescct_to_rec709_33"), ["acescct", "rec709"]);
        assert_eq!(encodings_in("Cineon to P3-D65"), ["cineon", "p3-d65"]);
        assert_eq!(encodings_in("old print"), Vec::<String>::new());
    }
}
