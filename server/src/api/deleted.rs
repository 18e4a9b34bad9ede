//! What was deleted and can still be put back, and taking it away for good.

use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use crate::store::Store;
use crate::store::deleted::{self, DeletedRow, PATIENCE, Sort};
use crate::store::ids::{PackageId, ProductionId};
use crate::store::productions::{Media, Production};
use actix_web::{HttpResponse, web};
use schemars::JsonSchema;
use serde::Serialize;
use std::time::Duration;

/// Something that was deleted.
#[derive(Debug, Serialize, JsonSchema)]
pub struct DeletedDetail {
    /// What it is.
    pub sort: Sort,
    /// Its id.
    pub id: String,
    /// Its name.
    pub name: String,
    /// What it belongs to: a shot's scene, a package's look; else empty.
    pub within: String,
    /// How many shots of a production or scene, steps of a shot's trim, or versions of a look come back with it.
    pub holds: i64,
    /// Seconds since 1970.
    pub deleted_at: i64,
    /// When it is taken away for good, in seconds since 1970.
    pub until: i64,
}

fn details(rows: Vec<DeletedRow>) -> ApiResult<web::Json<Vec<DeletedDetail>>> {
    let detail = |r: DeletedRow| {
        Ok(DeletedDetail {
            sort: serde_json::from_value(r.sort.into()).map_err(ApiError::internal)?,
            id: r.id,
            name: r.name,
            within: r.within,
            holds: r.holds,
            deleted_at: r.deleted_at,
            until: r.deleted_at + PATIENCE,
        })
    };
    rows.into_iter().map(detail).collect::<ApiResult<_>>().map(web::Json)
}

/// Productions that were deleted, the newest first.
pub async fn productions(store: web::Data<Store>) -> ApiResult<web::Json<Vec<DeletedDetail>>> {
    details(store.run(|c| deleted::list(c, None)).await?)
}

/// What was deleted of a production, the newest first.
pub async fn of_production(
    store: web::Data<Store>,
    id: web::Path<ProductionId>,
) -> ApiResult<web::Json<Vec<DeletedDetail>>> {
    let rows = store.run(move |c| {
        let production = Production::find(c, &id)?;
        deleted::list(c, Some(production.id.as_str()))
    });
    details(rows.await?)
}

/// Files that came in within this time are let be: what comes in has no row yet.
const SETTLED: Duration = Duration::from_secs(600);

/// Takes something that was deleted away for good, and with it the files that nothing else names.
pub async fn forget(
    store: web::Data<Store>,
    studio: web::Data<Studio>,
    at: web::Path<(Sort, String)>,
) -> ApiResult<HttpResponse> {
    let (sort, id) = at.into_inner();
    let package = (sort == Sort::Packages).then(|| PackageId::from(id.as_str()));
    store.run_when_full(move |c| deleted::forget(c, sort, &id)).await?;
    blocking(move || {
        studio.store.change_when_full(Media::forget_unused)?;
        let used = studio.store.with(|c| Media::known(c))?;
        if let Some(package) = package {
            studio.media.close_workshop(&package)?;
        }
        studio.media.keep_only(&used, SETTLED)
    })
    .await?;
    Ok(HttpResponse::NoContent().finish())
}
