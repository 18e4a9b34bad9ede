//! Packages: make one, watch it, stop it, take it up again, take it away, read its report.

use super::json::{Answer, Body, answer};
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::jobs::{Jobs, package, stands};
use crate::preview::Studio;
use crate::store::Store;
use crate::store::ids::{LookId, PackageId, PlanId};
use crate::store::looks::LookRow;
use crate::store::now;
use crate::store::packages::PackageRow;
use crate::store::plans::PlanRow;
use actix_web::{HttpRequest, HttpResponse, web};
use lantern_handoff::manifest::Manifest;
use lantern_handoff::plan::plain_name;
use lantern_handoff::verify;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Asks for a package.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct CreatePackage {
    /// The version's number.
    pub version: i32,
    /// The plan; the package is of it as it is now.
    pub plan: PlanId,
}

/// A package.
#[derive(Debug, Serialize, JsonSchema)]
pub struct PackageDetail {
    /// Its id.
    pub id: PackageId,
    /// The version's number.
    pub version: i32,
    /// The name of its plan.
    pub plan: String,
    /// `queued`, `running`, `done`, `failed` or `cancelled`.
    pub state: String,
    /// How much is done, 0..1.
    pub progress: f64,
    /// About how many seconds it will take yet, while it is made and that is known.
    pub left: Option<f64>,
    /// Why it failed.
    pub failure: String,
    /// The name of the archive.
    pub file_name: String,
    /// BLAKE3 of the archive, once done.
    pub checksum: Option<String>,
    /// Seconds since 1970.
    pub made_at: i64,
    /// What is in it, once done; not in lists.
    pub manifest: Option<Manifest>,
}

fn detail(row: PackageRow, jobs: &Jobs) -> PackageDetail {
    let job = jobs.find(row.id.as_str()).filter(|_| row.state != "done");
    let plan: serde_json::Value = serde_json::from_str(&row.plan).unwrap_or_default();
    let manifest = row.manifest();
    let (state, failure) = stands(job.as_deref(), row.state, row.failure);
    PackageDetail {
        manifest,
        plan: plan["name"].as_str().unwrap_or_default().into(),
        progress: if state == "done" { 1.0 } else { job.as_ref().map_or(0.0, |j| j.share()) },
        left: job.and_then(|j| j.left()),
        id: row.id,
        version: row.version,
        state,
        failure,
        file_name: row.file_name,
        checksum: row.archive_hash,
        made_at: row.made_at,
    }
}

/// A look's packages, newest first.
pub async fn list(
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<LookId>,
) -> ApiResult<Answer<Vec<PackageDetail>>> {
    answer(move || {
        let rows = store.with(|c| PackageRow::of_look(c, &id))?;
        let line = |row| PackageDetail { manifest: None, ..detail(row, &jobs) };
        Ok(rows.into_iter().map(line).collect::<Vec<_>>())
    })
    .await
}

/// Begins a package. What of it cannot be made is said now, not by a failed job later.
pub async fn create(
    studio: web::Data<Studio>,
    jobs: web::Data<Jobs>,
    id: web::Path<LookId>,
    body: Body<CreatePackage>,
) -> ApiResult<Answer<PackageDetail>> {
    answer(move || {
        let (plan, row) = studio.store.with(|c| {
            let look = LookRow::find(c, &id)?;
            let kept = PlanRow::find(c, &body.plan)?;
            if kept.production_id != look.production_id {
                return Err(ApiError::NotFound("plan"));
            }
            let plan = kept.plan()?;
            let names = [plain_name(&look.name, "look"), plain_name(&plan.name, "package")];
            let row = PackageRow {
                id: PackageId::fresh(),
                look_id: look.id,
                version: body.version,
                plan: kept.document,
                state: "queued".into(),
                failure: String::new(),
                manifest: String::new(),
                archive_hash: None,
                file_name: format!("{}_v{}_{}.zip", names[0], body.version, names[1]),
                made_at: now(),
            };
            Ok((plan, row))
        })?;
        package::check(&studio, &plan, &row)?;
        studio.store.with(|c| row.insert(c))?;
        package::queue(studio.clone(), &jobs, row.clone());
        Ok(detail(row, &jobs))
    })
    .await
}

/// One package.
pub async fn show(
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<PackageId>,
) -> ApiResult<Answer<PackageDetail>> {
    answer(move || Ok(detail(store.with(|c| PackageRow::find(c, &id))?, &jobs))).await
}

/// Stops a package that waits or runs; one that ended already stays as it is. Pictures that were made for it are kept, for
/// when it is taken up again.
pub async fn cancel(
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<PackageId>,
) -> ApiResult<Answer<PackageDetail>> {
    jobs.stop(id.as_str());
    let (waiting, alone) = (id.clone(), jobs.find(id.as_str()).is_none());
    store.run_when_full(move |c| PackageRow::cancel(c, &waiting, alone)).await?;
    show(store, jobs, id).await
}

/// Takes a package up again that failed or was cancelled.
pub async fn resume(
    studio: web::Data<Studio>,
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<PackageId>,
) -> ApiResult<Answer<PackageDetail>> {
    if jobs.going(id.as_str()).is_some_and(|job| job.begun()) {
        return Err(ApiError::Invalid("it is still being stopped: try again in a moment".into()));
    }
    let again = id.clone();
    let row = store.run_change(move |c| {
        let row = PackageRow::find(c, &again)?;
        if !PackageRow::take_up(c, &again)? {
            return Err(ApiError::Invalid(format!(
                "this package is {}: there is nothing to take up",
                row.state
            )));
        }
        Ok(row)
    });
    let row = row.await?;
    match jobs.going(id.as_str()) {
        // It was stopped before its turn, which it still waits for.
        Some(job) if !job.begun() => job.cancel.store(false, std::sync::atomic::Ordering::Relaxed),
        _ => package::queue(studio, &jobs, row),
    }
    show(store, jobs, id).await
}

/// Deletes a package, and stops it first where it is being made. It can be put back.
pub async fn delete(
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<PackageId>,
) -> ApiResult<HttpResponse> {
    jobs.stop(id.as_str());
    store
        .run_when_full(move |c| {
            PackageRow::cancel(c, &id, false)?;
            PackageRow::set_deleted(c, &id, true)
        })
        .await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Puts a deleted package back.
pub async fn restore(store: web::Data<Store>, id: web::Path<PackageId>) -> ApiResult<HttpResponse> {
    store.run(move |c| PackageRow::set_deleted(c, &id, false)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// The archive of a package in the media folder, and what it is downloaded as.
async fn archive(studio: &Studio, id: PackageId) -> ApiResult<(std::path::PathBuf, String)> {
    let row = studio.store.run(move |c| PackageRow::find(c, &id)).await?;
    let hash = row.archive_hash.ok_or_else(|| ApiError::Invalid("this package is not done".into()))?;
    Ok((studio.media.path(&hash)?, row.file_name))
}

/// The archive.
pub async fn zip(
    studio: web::Data<Studio>,
    id: web::Path<PackageId>,
    request: HttpRequest,
) -> ApiResult<HttpResponse> {
    let (path, name) = archive(&studio, id.into_inner()).await?;
    let file = blocking(move || Ok(std::fs::File::open(path)?)).await?;
    super::archive(file, &name, &request)
}

/// Which file of a package.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct Within {
    /// Its path in the package.
    pub path: String,
}

/// One file of a package.
pub async fn file(
    studio: web::Data<Studio>,
    id: web::Path<PackageId>,
    query: web::Query<Within>,
) -> ApiResult<HttpResponse> {
    let (zip, _) = archive(&studio, id.into_inner()).await?;
    let path = query.into_inner().path;
    let name = path.rsplit('/').next().unwrap_or_default().to_owned();
    let bytes = blocking(move || verify::file(&zip, &path).map_err(ApiError::Invalid)).await?;
    Ok(HttpResponse::Ok()
        .content_type("application/octet-stream")
        .insert_header(("content-disposition", super::attachment(&name)))
        .body(bytes))
}

/// What a report may do in a browser: nothing but to be read.
const REPORT_POLICY: &str =
    "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox; frame-ancestors 'none'";

/// The report, as a page.
pub async fn report(studio: web::Data<Studio>, id: web::Path<PackageId>) -> ApiResult<HttpResponse> {
    let (zip, _) = archive(&studio, id.into_inner()).await?;
    let bytes = blocking(move || verify::file(&zip, "report.html").map_err(ApiError::Invalid)).await?;
    Ok(HttpResponse::Ok()
        .content_type("text/html; charset=utf-8")
        .insert_header(("content-security-policy", REPORT_POLICY))
        .body(bytes))
}
