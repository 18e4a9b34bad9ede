//! Matching a shot to references: finished stills of the production.

use super::json::Body;
use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use crate::store::ids::ShotId;
use actix_web::web;
use lantern_core::look::{Group, Path, Step};
use lantern_core::matching::reading::{self, PictureReading};
use lantern_core::matching::references::{Common, Pair, Report, Request, match_shot};
use lantern_core::matching::small::Small;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::atomic::AtomicBool;

/// The most references of one match.
const MOST_REFERENCES: usize = 12;
/// The width that pictures are read at.
const WIDTH: u32 = 480;

/// A match to make.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct MatchReferences {
    /// The shot.
    pub shot: ShotId,
    /// Its frame by its place in the order; the poster where none is said.
    #[serde(default)]
    pub frame: Option<u32>,
    /// The path that the match stands at the end of: the shot is matched as it is seen under it, over its trim.
    #[serde(default)]
    pub path: Path,
    /// The references: shots, one or several of one look.
    pub references: Vec<ShotId>,
    /// What they have in common; found out where it is not said.
    #[serde(default)]
    pub common: Option<Common>,
    /// Areas that belong together.
    #[serde(default)]
    pub pairs: Vec<Pair>,
    /// Strength of the group, 0..1; what can be stood for where it is not said.
    #[serde(default)]
    pub strength: Option<f64>,
    /// What the references are called.
    pub name: String,
}

/// A match: a group of ordinary steps with its report.
#[derive(Debug, Serialize, JsonSchema)]
pub struct MatchDetail {
    /// The group.
    pub group: Group,
    /// Its steps.
    pub steps: Vec<Step>,
    /// What it says of itself.
    pub report: Report,
}

impl Studio {
    /// A shot made small as it is seen under a path over its trim, without texture.
    fn reduced(&self, shot: &ShotId, frame: Option<u32>, path: &Path) -> ApiResult<Small> {
        let proxy = self.proxy(shot, frame, WIDTH)?;
        if proxy.raw {
            return Err(ApiError::Invalid("its encoding is unknown: set it first, in Footage".into()));
        }
        path.check()?;
        let mut whole = path.over(&self.trim(shot)?);
        self.media.attach(&mut whole);
        Small::of(&proxy.picture, &proxy.encoding, &whole).map_err(|e| ApiError::Invalid(e.to_string()))
    }
}

/// Matches a shot to references.
pub async fn matched(
    studio: web::Data<Studio>,
    body: Body<MatchReferences>,
) -> ApiResult<web::Json<MatchDetail>> {
    let body = body.into_inner();
    if body.references.len() > MOST_REFERENCES {
        return Err(ApiError::Invalid(format!("a match takes up to {MOST_REFERENCES} references")));
    }
    let made = web::block(move || -> ApiResult<MatchDetail> {
        let shot = studio.reduced(&body.shot, body.frame, &body.path)?;
        let references = body.references.iter().map(|r| studio.reduced(r, None, &Path::default()));
        let references = references.collect::<ApiResult<Vec<_>>>()?;
        let request = Request {
            shot: &shot,
            references: &references,
            common: body.common,
            pairs: &body.pairs,
            strength: body.strength,
            name: &body.name,
        };
        let go_on = AtomicBool::new(false);
        let found = match_shot(&request, &go_on).map_err(|e| ApiError::Invalid(e.to_string()))?;
        let found = found.ok_or_else(|| ApiError::internal("the match was stopped"))?;
        Ok(MatchDetail { group: found.group, steps: found.steps, report: found.report })
    });
    Ok(web::Json(made.await??))
}

/// What a shot is by its tones and colours.
pub async fn read(
    studio: web::Data<Studio>,
    shot: web::Path<ShotId>,
) -> ApiResult<web::Json<PictureReading>> {
    let read = web::block(move || {
        studio.reduced(&shot, None, &Path::default()).map(|small| reading::of_picture(&small))
    });
    Ok(web::Json(read.await??))
}
