//! Shots: named, told their encoding, cut, balanced, deleted.

use super::json::{Answer, Body, answer};
use super::productions::ShotDetail;
use super::scenes::clean;
use crate::blocking::blocking;
use crate::error::{ApiError, ApiResult};
use crate::jobs::Jobs;
use crate::preview::Studio;
use crate::preview::light::{Dropped, DropperRequest, MatchRequest};
use crate::preview::proxy::{FrameSource, Haste};
use crate::store::Store;
use crate::store::ids::ShotId;
use crate::store::productions::Production;
use crate::store::shots::{Frame, RATES, Shot, ShotPatch};
use actix_web::{HttpResponse, web};
use lantern_core::colour::Encoding;
use lantern_core::colour::likely::{Likely, likely};
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::matching::shot::Brought;
use lantern_formats::Depth;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The reason kept where a person said the encoding.
pub const SAID: &str = "set by hand";

/// What to change of a shot; what is left out stays.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(default)]
pub struct EditShot {
    /// What people call it.
    pub name: Option<String>,
    /// Its encoding's id; an empty one for not known.
    pub encoding: Option<String>,
    /// Frames a second.
    pub rate: Option<f64>,
    /// The frame shown for it, by its place in the order.
    pub poster: Option<i32>,
    /// The first frame that counts.
    pub in_frame: Option<i32>,
    /// The last frame that counts; -1 for the last there is.
    pub out_frame: Option<i32>,
    /// What somebody notes of it.
    pub note: Option<String>,
    /// Words that it is found by.
    pub tags: Option<String>,
    /// The still that is its contrast frame; an empty id for none.
    pub contrast: Option<ShotId>,
    /// The revision of the shot that the change was made to; without one it wins over any.
    pub revision: Option<i32>,
}

/// A note or words as they are kept: without control characters but the ends of lines.
pub(super) fn words(text: &str) -> String {
    text.trim().chars().filter(|c| !c.is_control() || *c == '\n').take(MOST_WORDS).collect()
}

/// The longest note, in characters.
pub const MOST_WORDS: usize = 2000;

/// A shot's trim.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TrimDetail {
    /// Rises with every accepted change.
    pub revision: i32,
    /// The path.
    pub path: Path,
}

/// Saves a trim.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct SaveTrim {
    /// The revision that the change was made to; without one it wins over any.
    #[serde(default)]
    pub revision: Option<i32>,
    /// The changed path.
    pub path: serde_json::Value,
}

/// Copies steps of a trim to other shots.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct CopyTrim {
    /// The steps, by id; all where none are named, in place of what is there.
    #[serde(default)]
    pub steps: Option<Vec<String>>,
    /// The shots that they go to.
    pub to: Vec<ShotId>,
}

/// What a shot's trim was before it was changed from elsewhere.
#[derive(Debug, Serialize, JsonSchema)]
pub struct TrimBefore {
    /// The shot.
    pub shot: ShotId,
    /// Its trim before.
    pub path: Path,
}

/// How a shot would look in an encoding.
#[derive(Debug, Deserialize)]
pub struct AsEncoding {
    encoding: String,
    #[serde(default)]
    width: Option<usize>,
}

/// Changes a shot.
pub async fn edit(
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<ShotId>,
    body: Body<EditShot>,
) -> ApiResult<web::Json<ShotDetail>> {
    let arriving = jobs.going(id.as_str()).map(|j| j.share());
    let row = store.run_change(move |c| {
        let (row, production) = Shot::find(c, &id)?;
        if body.revision.is_some_and(|r| r != row.revision) {
            return Err(ApiError::Conflict { what: "shot", current: row.revision });
        }
        let mut patch = ShotPatch { rate: body.rate, ..Default::default() };
        patch.name = body.name.as_deref().map(clean).transpose()?;
        if let Some(encoding) = &body.encoding {
            if !encoding.is_empty() {
                production.encoding(c, encoding)?;
            }
            patch.encoding = Some(encoding.clone());
            let reason = if encoding.is_empty() { "set to unknown by hand" } else { SAID };
            patch.encoding_reason = Some(reason.into());
        }
        if let Some(rate) = body.rate.filter(|rate| !RATES.contains(rate)) {
            return Err(ApiError::Invalid(format!("{rate} frames a second is no rate: 0.1 to 1000 are")));
        }
        patch.note = body.note.as_deref().map(words);
        patch.tags = body.tags.as_deref().map(words);
        patch.contrast = contrast(c, &id, &production, body.contrast.as_ref())?;
        cut(&mut patch, &row, &body, Frame::of_shot(c, &id)?.len() as i32)?;
        Shot::patch(c, &id, &patch)?;
        let (changed, _) = Shot::find(c, &id)?;
        ShotDetail::of(c, changed, arriving)
    });
    Ok(web::Json(row.await?))
}

/// The still that becomes a shot's contrast frame: one of the same production, and not the shot itself.
fn contrast(
    c: &mut diesel::SqliteConnection,
    shot: &ShotId,
    production: &Production,
    still: Option<&ShotId>,
) -> ApiResult<Option<Option<ShotId>>> {
    let Some(still) = still else { return Ok(None) };
    if still.as_str().is_empty() {
        return Ok(Some(None));
    }
    let (_, its) = Shot::find(c, still)?;
    if still == shot || its.id != production.id {
        return Err(ApiError::Invalid("a contrast frame is another still of the same production".into()));
    }
    Ok(Some(Some(still.clone())))
}

/// Sets in, out and poster, all inside the shot and in before out.
fn cut(patch: &mut ShotPatch, row: &Shot, body: &EditShot, frames: i32) -> ApiResult<()> {
    let inside = |what: &str, v: i32| {
        if (0..frames.max(1)).contains(&v) {
            Ok(v)
        } else {
            Err(ApiError::Invalid(format!("{what} {v} lies outside the shot's {frames} frames")))
        }
    };
    patch.poster = body.poster.map(|v| inside("poster frame", v)).transpose()?;
    patch.in_frame = body.in_frame.map(|v| inside("in", v)).transpose()?;
    let out = |v| if v == -1 { Ok(None) } else { inside("out", v).map(Some) };
    patch.out_frame = body.out_frame.map(out).transpose()?;
    let (first, last) = (patch.in_frame.unwrap_or(row.in_frame), patch.out_frame.unwrap_or(row.out_frame));
    if first > last.unwrap_or(frames) {
        return Err(ApiError::Invalid("in lies after out".into()));
    }
    Ok(())
}

/// Deletes a shot. It can be put back; its files stay in the media folder.
pub async fn delete(
    store: web::Data<Store>,
    jobs: web::Data<Jobs>,
    id: web::Path<ShotId>,
) -> ApiResult<HttpResponse> {
    jobs.stop(id.as_str());
    store.run_when_full(move |c| Shot::set_deleted(c, &id, true)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Puts a deleted shot back where it was.
pub async fn restore(store: web::Data<Store>, id: web::Path<ShotId>) -> ApiResult<HttpResponse> {
    store.run(move |c| Shot::set_deleted(c, &id, false)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// What a shot's code values speak for, where nobody knows its encoding.
#[derive(Debug, Serialize, JsonSchema)]
pub struct CodeValues {
    /// `log`, `linear`, or nothing in particular.
    pub likely: Option<&'static str>,
    /// The same in a sentence.
    pub says: String,
}

/// Width that code values are read at.
const READ_AT: usize = 320;

/// What the code values of a shot speak for.
pub async fn code_values(
    studio: web::Data<Studio>,
    id: web::Path<ShotId>,
) -> ApiResult<web::Json<CodeValues>> {
    let found = blocking(move || {
        let source = studio.store.with(|c| {
            let (shot, _) = Shot::find(c, &id)?;
            FrameSource::raw(c, &shot, i64::from(shot.poster))
        })?;
        let proxy = studio.proxies.of(&studio.media, &source, READ_AT, Haste::InHand)?;
        Ok::<_, ApiError>(match likely(&proxy.picture.pixels) {
            Some(Likely::Log { from, to }) => CodeValues {
                likely: Some("log"),
                says: format!(
                    "Its code values go from {:.0} % to {:.0} % with little colour: that speaks for a camera's log encoding.",
                    from * 100.0,
                    to * 100.0
                ),
            },
            Some(Likely::Linear) => CodeValues {
                likely: Some("linear"),
                says: "Its code values are dark but for a few high ones: that speaks for linear light."
                    .into(),
            },
            None => CodeValues { likely: None, says: String::new() },
        })
    });
    Ok(web::Json(found.await?))
}

/// A shot's trim.
pub async fn trim(store: web::Data<Store>, id: web::Path<ShotId>) -> ApiResult<Answer<TrimDetail>> {
    answer(move || {
        let (row, _) = store.with(|c| Shot::find(c, &id))?;
        Ok(TrimDetail { revision: row.trim_revision, path: row.trim()? })
    })
    .await
}

/// Reads a path as a file is read: wrong values come back by name.
fn path_of(value: serde_json::Value) -> ApiResult<Path> {
    let path: Path =
        serde_json::from_value(value).map_err(|e| ApiError::Invalid(format!("this is no trim: {e}")))?;
    path.check_trim()?;
    Ok(path)
}

/// Saves a shot's trim.
pub async fn save_trim(
    store: web::Data<Store>,
    id: web::Path<ShotId>,
    body: Body<SaveTrim>,
) -> ApiResult<Answer<TrimDetail>> {
    answer(move || {
        let body = body.into_inner();
        let path = path_of(body.path)?;
        let revision = store.with(|c| Shot::save_trim(c, &id, body.revision, &path))?;
        Ok(TrimDetail { revision, path })
    })
    .await
}

/// Copies a trim, or chosen steps of it, to other shots. A copied step takes the place of one of the same kind and
/// name, else it goes to the end. Gives what the trims were before.
pub async fn copy_trim(
    store: web::Data<Store>,
    id: web::Path<ShotId>,
    body: Body<CopyTrim>,
) -> ApiResult<web::Json<Vec<TrimBefore>>> {
    let body = body.into_inner();
    let done = store.run_change(move |c| {
        let source = Shot::find(c, &id)?.0.trim()?;
        let mut before = Vec::new();
        for shot in body.to.iter().filter(|s| **s != *id) {
            let own = Shot::find(c, shot)?.0.trim()?;
            let after = match &body.steps {
                None => source.clone(),
                Some(chosen) => merged(&own, source.steps.iter().filter(|s| chosen.contains(&s.id))),
            };
            Shot::put_trim(c, shot, None, &after)?;
            before.push(TrimBefore { shot: shot.clone(), path: own });
        }
        Ok(before)
    });
    Ok(web::Json(done.await?))
}

fn merged<'a>(own: &Path, steps: impl Iterator<Item = &'a lantern_core::look::Step>) -> Path {
    let mut merged = own.clone();
    for step in steps {
        let same = |s: &&mut lantern_core::look::Step| {
            s.name == step.name && s.values.info().kind == step.values.info().kind
        };
        match merged.steps.iter_mut().find(same) {
            Some(there) => *there = lantern_core::look::Step { id: there.id.clone(), ..step.clone() },
            None => {
                let id = ShotId::fresh().as_str()[..8].to_owned();
                merged.steps.push(lantern_core::look::Step { id, ..step.clone() });
            }
        }
    }
    merged
}

/// How a shot would look if it were encoded some way, through the plain rendering: a PNG, for choosing by eye.
pub async fn as_encoding(
    studio: web::Data<Studio>,
    id: web::Path<ShotId>,
    wanted: web::Query<AsEncoding>,
) -> ApiResult<HttpResponse> {
    let made = blocking(move || {
        let width = wanted.width.unwrap_or(400).clamp(16, 1920);
        let (source, meant) = studio.store.with(|c| {
            let (shot, production) = Shot::find(c, &id)?;
            let place = i64::from(shot.poster);
            let meant = FrameSource::of(c, &shot, &production, place, &wanted.encoding)?;
            Ok((FrameSource::raw(c, &shot, place)?, meant))
        })?;
        // One decoding for all encodings that are tried.
        let mut picture = studio.proxies.of(&studio.media, &source, width, Haste::InHand)?.picture.clone();
        let encoding = meant.interpret(&studio.media, &mut picture)?;
        let display = Encoding::find("srgb").ok_or_else(|| ApiError::internal("no sRGB"))?;
        Program::compile(&Path::default(), &encoding, &display)?.run_parallel(&mut picture.pixels);
        Ok::<_, ApiError>(lantern_formats::png::write(&picture, Depth::Eight)?)
    });
    Ok(HttpResponse::Ok()
        .content_type("image/png")
        .insert_header(("cache-control", "no-store"))
        .body(made.await?))
}

/// The balance that makes a place of a shot neutral, or gives it an exposure.
pub async fn dropper(studio: web::Data<Studio>, body: Body<DropperRequest>) -> ApiResult<web::Json<Dropped>> {
    Ok(web::Json(blocking(move || studio.dropper(&body)).await?))
}

/// What brings one shot to another.
pub async fn bring(studio: web::Data<Studio>, body: Body<MatchRequest>) -> ApiResult<web::Json<Brought>> {
    Ok(web::Json(blocking(move || studio.bring(&body)).await?))
}
