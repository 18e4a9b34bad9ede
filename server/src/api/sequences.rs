//! Stills joined to a sequence, and sequences taken apart into stills.

use super::json::Body;
use super::productions::ShotDetail;
use super::scenes::clean;
use crate::error::{ApiError, ApiResult};
use crate::media::intake;
use crate::store::Store;
use crate::store::ids::{SceneId, ShotId};
use crate::store::scenes::Scene;
use crate::store::shots::{COMING, Frame, Shot};
use actix_web::web;
use diesel::SqliteConnection;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The most stills that a sequence is taken apart into: more are nobody's stills.
const MOST_STILLS: usize = 300;

/// Stills to join, in the order of the frames.
#[derive(Debug, Deserialize, JsonSchema)]
pub struct JoinStills {
    /// The shots; each a still of the scene's production.
    pub shots: Vec<ShotId>,
}

/// What took the place of what.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Replaced {
    /// The new shots.
    pub made: Vec<ShotDetail>,
    /// The shots that were deleted for them, which can be put back.
    pub gone: Vec<ShotId>,
}

/// Gives the shots of a scene an order in which `made` stand after position `at`. Deleted ones keep their places among the
/// others, so that they come back where they were.
fn place(c: &mut SqliteConnection, scene: &SceneId, at: i32, made: &[ShotId]) -> ApiResult<()> {
    let mut others = Shot::places(c, scene)?;
    others.retain(|(id, _)| !made.contains(id));
    let before = others.iter().take_while(|(_, position)| *position <= at).count();
    let ids = others.into_iter().map(|(id, _)| id).collect::<Vec<_>>();
    let order = ids[..before].iter().chain(made).chain(&ids[before..]);
    (0..).zip(order).try_for_each(|(position, id)| Shot::set_position(c, id, position))
}

/// Takes a sequence apart: each frame becomes a still with the sequence's encoding and trim.
pub async fn apart(store: web::Data<Store>, id: web::Path<ShotId>) -> ApiResult<web::Json<Replaced>> {
    let done = store.run_change(move |c| {
        let (shot, _) = Shot::find(c, &id)?;
        let frames = Frame::of_shot(c, &id)?;
        if shot.arrival == COMING {
            return Err(ApiError::Invalid(format!(
                "“{}” is still coming in: wait for it, or stop it",
                shot.name
            )));
        }
        if !(2..=MOST_STILLS).contains(&frames.len()) {
            return Err(ApiError::Invalid(format!(
                "“{}” has {} frames: sequences of 2 to {MOST_STILLS} are taken apart into stills",
                shot.name,
                frames.len()
            )));
        }
        let mut made = Vec::new();
        for frame in frames {
            let still = Shot {
                name: clean(&intake::still_name(&frame.name))?,
                poster: 0,
                in_frame: 0,
                out_frame: None,
                expected: 1,
                id: ShotId::fresh(),
                arrival: String::new(),
                revision: 1,
                ..shot.clone()
            };
            still.insert(c)?;
            Frame { shot_id: still.id.clone(), ..frame }.put(c)?;
            made.push(still.id);
        }
        place(c, &shot.scene_id, shot.position, &made)?;
        Shot::set_deleted(c, &id, true)?;
        replaced(c, &made, vec![shot.id])
    });
    Ok(web::Json(done.await?))
}

/// Joins stills to a sequence, which has the encoding and the trim of the first.
pub async fn join(
    store: web::Data<Store>,
    scene: web::Path<SceneId>,
    body: Body<JoinStills>,
) -> ApiResult<web::Json<Replaced>> {
    let done = store.run_change(move |c| {
        let scene = Scene::find(c, &scene)?;
        let mut stills = Vec::new();
        for id in &body.shots {
            let (shot, production) = Shot::find(c, id)?;
            let mut frames = Frame::of_shot(c, id)?;
            if production.id != scene.production_id || frames.len() != 1 {
                return Err(ApiError::Invalid(format!("“{}” is no still: stills are joined", shot.name)));
            }
            stills.push((shot, frames.remove(0)));
        }
        let twice = (1..stills.len()).any(|i| stills[..i].iter().any(|s| s.0.id == stills[i].0.id));
        if stills.len() < 2 || twice {
            return Err(ApiError::Invalid("two stills or more become a sequence, each once".into()));
        }
        // The numbers in their names where those tell them apart in this order, else from 1 on.
        let told = |s: &(Shot, Frame)| intake::split_number(&s.1.name).map(|(_, n)| n);
        let told: Option<Vec<i32>> = stills.iter().map(told).collect();
        let told = told.filter(|n| n.windows(2).all(|w| w[0] < w[1]));
        let numbers = told.unwrap_or_else(|| (1..=stills.len() as i32).collect());
        let names: Vec<&str> = stills.iter().map(|s| s.0.name.as_str()).collect();
        let first = &stills[0].0;
        let whole = Shot {
            id: ShotId::fresh(),
            scene_id: scene.id.clone(),
            name: clean(&intake::joined_name(&names))?,
            expected: stills.len() as i32,
            revision: 1,
            ..first.clone()
        };
        whole.insert(c)?;
        for ((_, frame), number) in stills.iter().zip(numbers) {
            Frame { shot_id: whole.id.clone(), number, ..frame.clone() }.put(c)?;
        }
        let own = stills.iter().filter(|s| s.0.scene_id == scene.id).map(|s| s.0.position);
        let at = own.min().map_or(i32::MAX, |p| p - 1);
        for (shot, _) in &stills {
            Shot::set_deleted(c, &shot.id, true)?;
        }
        place(c, &scene.id, at, std::slice::from_ref(&whole.id))?;
        replaced(c, &[whole.id], stills.into_iter().map(|s| s.0.id).collect())
    });
    Ok(web::Json(done.await?))
}

fn replaced(c: &mut SqliteConnection, made: &[ShotId], gone: Vec<ShotId>) -> ApiResult<Replaced> {
    let details = made.iter().map(|id| {
        let (shot, _) = Shot::find(c, id)?;
        ShotDetail::of(c, shot, None)
    });
    Ok(Replaced { made: details.collect::<ApiResult<_>>()?, gone })
}
