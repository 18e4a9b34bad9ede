//! Matching a shot to references: finished stills of the production.

use super::json::Body;
use super::waited::Waited;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use crate::store::ids::ShotId;
use actix_web::web;
use lantern_core::look::{Group, Path, Step};
use lantern_core::matching::patch::{self, PatchPair};
use lantern_core::matching::proposals::{self, Proposal};
use lantern_core::matching::reading::{self, PictureReading};
use lantern_core::matching::references::{Common, Pair, Report, Request, match_shot};
use lantern_core::matching::small::Small;
use lantern_core::matching::taken::{self, Part};
use lantern_core::scope::Area;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

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

/// Matches a shot to references. Stops where nobody waits for it any more.
pub async fn matched(
    studio: web::Data<Studio>,
    body: Body<MatchReferences>,
) -> ApiResult<web::Json<MatchDetail>> {
    let body = body.into_inner();
    if body.references.len() > MOST_REFERENCES {
        return Err(ApiError::Invalid(format!("a match takes up to {MOST_REFERENCES} references")));
    }
    let waited = Waited::default();
    let stop = waited.0.clone();
    let made = blocking(move || -> ApiResult<MatchDetail> {
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
        let found = match_shot(&request, &stop).map_err(|e| ApiError::Invalid(e.to_string()))?;
        let found = found.ok_or_else(|| ApiError::internal("the match was stopped"))?;
        Ok(MatchDetail { group: found.group, steps: found.steps, report: found.report })
    });
    let made = made.await?;
    drop(waited);
    Ok(web::Json(made))
}

/// A shot as it is seen under a path.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct Seen {
    /// The shot.
    pub shot: ShotId,
    /// Its frame by its place in the order; the poster where none is said.
    #[serde(default)]
    pub frame: Option<u32>,
    /// The path, over the shot's own trim.
    #[serde(default)]
    pub path: Path,
}

/// What a shot is by its tones and colours under a path.
pub async fn read_seen(studio: web::Data<Studio>, body: Body<Seen>) -> ApiResult<web::Json<PictureReading>> {
    let read = blocking(move || {
        studio.reduced(&body.shot, body.frame, &body.path).map(|small| reading::of_picture(&small))
    });
    Ok(web::Json(read.await?))
}

/// A part of a reference's reading to take over.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct TakePart {
    /// What the step is made for, as it is seen without it.
    #[serde(flatten)]
    pub seen: Seen,
    /// The reference.
    pub reference: ShotId,
    /// The part.
    pub part: Part,
    /// What the reference is called.
    pub name: String,
    /// The id that the step has.
    pub id: String,
}

/// A step that takes a part of a reference over.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TakenPart {
    /// The step; none where both are alike in it.
    pub step: Option<Step>,
}

/// A part of a reference's reading as a step.
pub async fn taken(studio: web::Data<Studio>, body: Body<TakePart>) -> ApiResult<web::Json<TakenPart>> {
    let made = blocking(move || -> ApiResult<TakenPart> {
        let own = studio.reduced(&body.seen.shot, body.seen.frame, &body.seen.path)?;
        let its = studio.reduced(&body.reference, None, &Path::default())?;
        let [own, its] = [own, its].map(|small| reading::of_picture(&small));
        let id: String = body.id.chars().take(100).collect();
        Ok(TakenPart { step: taken::taken(body.part, &its, &own, &id, &body.name) })
    });
    Ok(web::Json(made.await?))
}

/// Pairs to propose.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct ProposePairs {
    /// The shot as it is seen.
    #[serde(flatten)]
    pub seen: Seen,
    /// The references, one or several.
    pub references: Vec<ShotId>,
}

/// Pairs that the program proposes, of each reference.
pub async fn propose(
    studio: web::Data<Studio>,
    body: Body<ProposePairs>,
) -> ApiResult<web::Json<Vec<Proposal>>> {
    let body = body.into_inner();
    if body.references.len() > MOST_REFERENCES {
        return Err(ApiError::Invalid(format!("a match takes up to {MOST_REFERENCES} references")));
    }
    let found = blocking(move || -> ApiResult<Vec<Proposal>> {
        let own = studio.reduced(&body.seen.shot, body.seen.frame, &body.seen.path)?;
        let mut all = Vec::new();
        for (i, reference) in body.references.iter().enumerate() {
            let its = studio.reduced(reference, None, &Path::default())?;
            all.extend(proposals::propose(&own, &its, i));
        }
        Ok(all)
    });
    Ok(web::Json(found.await?))
}

/// Areas of two pictures to compare.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct ComparePatches {
    /// The shot as it is seen.
    #[serde(flatten)]
    pub seen: Seen,
    /// An area of it.
    pub area: Area,
    /// The other picture: a reference.
    pub reference: ShotId,
    /// An area of that.
    pub reference_area: Area,
}

/// Areas of two pictures compared: every pixel in them, as light on the display.
pub async fn patches(
    studio: web::Data<Studio>,
    body: Body<ComparePatches>,
) -> ApiResult<web::Json<PatchPair>> {
    let made = blocking(move || -> ApiResult<PatchPair> {
        let own = studio.reduced(&body.seen.shot, body.seen.frame, &body.seen.path)?;
        let its = studio.reduced(&body.reference, None, &Path::default())?;
        let empty = || ApiError::Invalid("an area holds no pixel: draw it larger".into());
        let [a, b] = [(&own, &body.area), (&its, &body.reference_area)]
            .map(|(small, area)| patch::of_patch(small, area).ok_or_else(empty));
        Ok(PatchPair::of(a?, b?))
    });
    Ok(web::Json(made.await?))
}

/// What a shot is by its tones and colours.
pub async fn read(
    studio: web::Data<Studio>,
    shot: web::Path<ShotId>,
) -> ApiResult<web::Json<PictureReading>> {
    let read = blocking(move || {
        studio.reduced(&shot, None, &Path::default()).map(|small| reading::of_picture(&small))
    });
    Ok(web::Json(read.await?))
}
