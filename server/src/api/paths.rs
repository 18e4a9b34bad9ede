//! Paths as such: what two of them differ in, and colours picked for a step from the picture.

use super::json::{Answer, Body, answer};
use crate::blocking::blocking;
use crate::error::ApiResult;
use crate::preview::Studio;
use crate::preview::pick::{PickRequest, Picked};
use actix_web::web;
use lantern_core::look::{Difference, Path, compare};
use lantern_core::region::ColourRange;
use lantern_core::step::field::Field;
use schemars::JsonSchema;
use serde::Deserialize;

/// Two paths to compare.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct ComparePaths {
    /// The one that is gone from.
    pub before: Path,
    /// The one that is gone to.
    pub after: Path,
}

/// What two paths differ in, step by step.
pub async fn differences(body: Body<ComparePaths>) -> ApiResult<Answer<Vec<Difference>>> {
    answer(move || {
        body.before.check()?;
        body.after.check()?;
        Ok(compare(&body.before, &body.after))
    })
    .await
}

/// The parameters of a colour range.
pub async fn range_fields() -> web::Json<Vec<Field>> {
    web::Json(ColourRange::FIELDS.to_vec())
}

/// A bump or a colour range from what a place of the picture holds.
pub async fn pick(studio: web::Data<Studio>, body: Body<PickRequest>) -> ApiResult<web::Json<Picked>> {
    Ok(web::Json(blocking(move || studio.pick(&body)).await?))
}
