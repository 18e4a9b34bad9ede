//! Handoffs: make one, watch it, cancel it, take the file.

use super::body::File;
use super::json::{Answer, Body, answer};
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::jobs::{Jobs, handoff, stands};
use crate::left;
use crate::preview::Studio;
use crate::store::ids::{HandoffId, LookId, ProductionId};
use crate::store::{
    Store,
    handoffs::{Handoff, SIZES, word},
    looks::{LookRow, Version},
    now,
    productions::Production,
};
use actix_web::{HttpResponse, web};
use lantern_core::bake::Fidelity;
use lantern_core::graph::Program;
use lantern_core::look::Look;
use lantern_handoff::identify::{Identified, identify as told};
use lantern_handoff::table_file::{self, Format, Range, Wanted};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Asks for a handoff.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct CreateHandoff {
    /// The version's number.
    pub version: i32,
    /// Encoding that the table expects; `camera` is the production's camera.
    pub from: String,
    /// Encoding that the table gives.
    pub to: String,
    /// Points on a side: 17, 33 or 65.
    pub size: i32,
    /// The format.
    #[serde(default)]
    pub format: Format,
    /// The range of code values going in and coming out.
    #[serde(default)]
    pub range: Range,
}

/// A handoff.
#[derive(Debug, Serialize, JsonSchema)]
pub struct HandoffDetail {
    /// Its id.
    pub id: HandoffId,
    /// The version's number.
    pub version: i32,
    /// Encoding that the table expects.
    pub from: String,
    /// Encoding that the table gives.
    pub to: String,
    /// Points on a side.
    pub size: i32,
    /// `queued`, `running`, `done`, `failed` or `cancelled`.
    pub state: String,
    /// How much is done, 0..1.
    pub progress: f64,
    /// Why it failed.
    pub failure: String,
    /// The format.
    pub format: Format,
    /// The range of code values going in and coming out.
    pub range: Range,
    /// What its receiver has to know, once done.
    pub says: Vec<String>,
    /// The name of the file.
    pub file_name: String,
    /// BLAKE3 of the file, once done.
    pub checksum: Option<String>,
    /// Seconds since 1970.
    pub made_at: i64,
    /// The fidelity report, once done.
    #[schemars(with = "Option<Fidelity>")]
    pub report: Option<serde_json::Value>,
}

fn detail(h: Handoff, jobs: &Jobs) -> HandoffDetail {
    let job = jobs.find(h.id.as_str()).filter(|_| h.state != "done");
    let share = if h.state == "done" { 1.0 } else { job.as_ref().map_or(0.0, |j| j.share()) };
    let (state, failure) = stands(job.as_deref(), h.state, h.failure);
    HandoffDetail {
        progress: share,
        report: serde_json::from_str(&h.report).ok(),
        format: word(&h.format),
        range: word(&h.code_range),
        says: h.says.lines().map(Into::into).collect(),
        id: h.id,
        version: h.version,
        from: h.from_encoding,
        to: h.to_encoding,
        size: h.size,
        state,
        failure,
        file_name: h.file_name,
        checksum: h.table_hash,
        made_at: h.made_at,
    }
}

/// A look's handoffs, newest first.
pub async fn list(
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<LookId>,
) -> ApiResult<Answer<Vec<HandoffDetail>>> {
    answer(move || {
        let rows = store.with(|c| Handoff::of_look(c, &id))?;
        Ok(rows.into_iter().map(|h| detail(h, &jobs)).collect::<Vec<_>>())
    })
    .await
}

/// Begins a handoff.
pub async fn create(
    studio: web::Data<Studio>,
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<LookId>,
    body: Body<CreateHandoff>,
) -> ApiResult<web::Json<HandoffDetail>> {
    if !SIZES.contains(&body.size) {
        return Err(ApiError::Invalid(format!(
            "a table is written with 17, 33 or 65 points, not {}",
            body.size
        )));
    }
    let media = studio.media.clone();
    let row = store.run(move |c| {
        let look = LookRow::find(c, &id)?;
        let version = Version::find(c, &id, body.version)?;
        let production = Production::find(c, &look.production_id)?;
        let mut document = Look::from_json(&version.document)?;
        media.attach(&mut document.path);
        // What cannot be made is said now, not by a failed job later.
        let (from, to) = (production.encoding(c, &body.from)?, production.encoding(c, &body.to)?);
        let program = Program::compile(&document.path, &from, &to)?;
        let (format, range, size) = (body.format, body.range, body.size as usize);
        let wanted = Wanted { look: &document.name, from: &from, to: &to, format, size, range };
        table_file::check(&program, &wanted).map_err(|e| ApiError::Invalid(e.to_string()))?;
        let way = [body.from.as_str(), &body.to];
        let row = Handoff {
            id: HandoffId::fresh(),
            look_id: look.id,
            version: body.version,
            from_encoding: body.from.clone(),
            to_encoding: body.to.clone(),
            size: body.size,
            state: "queued".into(),
            failure: String::new(),
            report: String::new(),
            table_hash: None,
            file_name: wanted.file_name(Some(body.version), way),
            made_at: now(),
            format: format.id().into(),
            code_range: range.id().into(),
            says: String::new(),
        };
        row.insert(c)?;
        Ok(row)
    });
    let row = row.await?;
    handoff::queue(studio, &jobs, row.clone());
    Ok(web::Json(detail(row, &jobs)))
}

/// One handoff.
pub async fn show(
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<HandoffId>,
) -> ApiResult<Answer<HandoffDetail>> {
    answer(move || Ok(detail(store.with(|c| Handoff::find(c, &id))?, &jobs))).await
}

/// Stops a handoff that waits or runs; one that ended already stays as it is.
pub async fn cancel(
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<HandoffId>,
) -> ApiResult<Answer<HandoffDetail>> {
    jobs.stop(id.as_str());
    let (waiting, alone) = (id.clone(), jobs.find(id.as_str()).is_none());
    store.run_when_full(move |c| Handoff::cancel(c, &waiting, alone)).await?;
    show(store, jobs, id).await
}

/// The table's file.
pub async fn table(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    id: web::Path<HandoffId>,
) -> ApiResult<HttpResponse> {
    let h = store.run(move |c| Handoff::find(c, &id)).await?;
    let hash =
        h.table_hash.ok_or_else(|| ApiError::Invalid("this handoff has no table: it is not done".into()))?;
    let bytes = blocking(move || studio.media.read(&hash)).await?;
    Ok(HttpResponse::Ok()
        .content_type(if h.file_name.ends_with(".png") { "image/png" } else { "text/plain; charset=utf-8" })
        .insert_header(("content-disposition", super::attachment(&h.file_name)))
        .body(bytes))
}

/// The fidelity report, as a file.
pub async fn report(store: web::Data<Store>, id: web::Path<HandoffId>) -> ApiResult<HttpResponse> {
    let h = store.run(move |c| Handoff::find(c, &id)).await?;
    if h.report.is_empty() {
        return Err(ApiError::Invalid("this handoff has no report: it is not done".into()));
    }
    let report: serde_json::Value = serde_json::from_str(&h.report).map_err(ApiError::internal)?;
    let stem = h.file_name.rsplit_once('.').map_or(h.file_name.as_str(), |(stem, _)| stem);
    Ok(HttpResponse::Ok()
        .content_type("application/json")
        .insert_header(("content-disposition", super::attachment(&format!("{stem}.report.json"))))
        .body(format!("{report:#}\n")))
}

/// What a file that came back is called.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct CameBack {
    /// The file's name.
    #[serde(default)]
    pub name: String,
}

/// Says which handoff of the production a file is, or what became of it.
pub async fn identify(
    studio: web::Data<Studio>,
    id: web::Path<ProductionId>,
    query: web::Query<CameBack>,
    body: File,
) -> ApiResult<web::Json<Identified>> {
    let found = blocking(move || -> ApiResult<Identified> {
        let name: String = query.name.chars().take(200).collect();
        let table = lantern_formats::registry::read_table(&body, &name)?;
        let hash = blake3::hash(&body).to_hex().to_string();
        Ok(told(&table, &hash, &left::known(&studio.store, &studio.media, &id)?))
    });
    Ok(web::Json(found.await?))
}
