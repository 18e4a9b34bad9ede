//! Long intake: clips frame by frame, and files of an allowed folder.

use super::{Ended, Job, Jobs, Lane};
use crate::error::{ApiError, ApiResult};
use crate::media::clip::{self, Clip, Frames};
use crate::media::intake;
use crate::preview::Studio;
use crate::store::ids::{SceneId, ShotId};
use crate::store::productions::{Media, MediaKind};
use crate::store::shots::{COMING, Frame, Shot, ShotPatch};
use actix_web::web;
use diesel::SqliteConnection;
use lantern_formats::facts::Facts;
use std::path::{Path, PathBuf};

/// Puts what brings a shot's files in into line, under the shot's id. How it ends is said at the shot.
pub fn queue(
    studio: web::Data<Studio>,
    jobs: &Jobs,
    shot: &ShotId,
    work: impl FnOnce(&Studio, &Job) -> ApiResult<()> + Send + 'static,
) {
    let (id, ends) = (shot.clone(), jobs.ends());
    jobs.queue(Lane::Intake, shot.as_str(), move |job| {
        // What was stopped before its turn is not begun.
        let work = || if job.cancelled() { Ok(()) } else { work(&studio, job) };
        let ended = std::panic::catch_unwind(std::panic::AssertUnwindSafe(work))
            .unwrap_or_else(|_| Err(ApiError::internal("the intake broke down")));
        let failure = ended.inspect_err(|e| tracing::warn!("shot {id}: {e:?}")).err();
        let store = studio.store.clone();
        // One that was stopped has come in as far as it did.
        let how = Ended::without(failure.as_ref());
        ends.end(id.clone().as_str(), how, move |how| {
            let patch = ShotPatch { arrival: Some(how.why.clone()), ..Default::default() };
            store.change_when_full(|c| Shot::patch(c, &id, &patch))
        });
    });
}

/// Saves the row of a shot whose frames will be a clip's.
pub fn clip_row(
    c: &mut SqliteConnection,
    scene: &SceneId,
    called: &str,
    clip: &Clip,
    hash: &str,
    length: u64,
) -> ApiResult<Shot> {
    Media::of(MediaKind::Clip, hash.into(), length).insert(c)?;
    let called = Shot::free_name(c, scene, called)?;
    let shot = Shot {
        encoding: clip.encoding.unwrap_or_default().into(),
        encoding_reason: clip.reason.clone(),
        proposed: clip.proposed.unwrap_or_default().into(),
        rate: clip.rate,
        expected: clip.frames.max(1) as i32,
        arrival: COMING.into(),
        ..Shot::new(c, scene, &called)?
    };
    shot.insert(c)?;
    Ok(shot)
}

/// Decodes a clip's frames into the media folder, one at a time.
pub fn decode_clip(
    studio: &Studio,
    job: &Job,
    shot: &Shot,
    clip: &Clip,
    hash: &str,
    name: &str,
) -> ApiResult<()> {
    let mut frames = Frames::open(&studio.media.path(hash)?, clip)?;
    let mut number = 0;
    while let Some(samples) = frames.next(name)? {
        if job.cancelled() {
            return Ok(());
        }
        let file = lantern_formats::png::write_rgb48(clip.width, clip.height, samples)?;
        let media = studio.media.keep_as(MediaKind::Picture, &file)?;
        let frame = Frame {
            shot_id: shot.id.clone(),
            number,
            name: format!("{name} {number}"),
            media_hash: media.hash.clone(),
            width: clip.width as i32,
            height: clip.height as i32,
            bytes: media.bytes,
            healed: 0,
        };
        studio.store.change(|c| {
            media.insert(c)?;
            frame.put(c)
        })?;
        number += 1;
        job.progress(f64::from(number) / f64::from(shot.expected.max(number)));
    }
    if number == 0 {
        return Err(ApiError::Invalid(format!("“{name}” has no frames")));
    }
    // Containers that do not say how many frames they hold are known by now.
    let patch = ShotPatch { expected: Some(number), ..Default::default() };
    studio.store.with(|c| Shot::patch(c, &shot.id, &patch))
}

/// A shot, whether it is a clip, and its files with their names and numbers.
pub type Todo = (Shot, bool, Vec<(PathBuf, String, i32)>);

/// Brings files in, each shot in its turn.
pub fn from_folder(studio: &web::Data<Studio>, jobs: &Jobs, todo: Vec<Todo>) {
    for (shot, is_clip, files) in todo {
        let id = shot.id.clone();
        queue(studio.clone(), jobs, &id, move |studio, job| {
            if is_clip {
                files.first().map_or(Ok(()), |(path, name, _)| one_clip(studio, job, &shot, path, name))
            } else {
                pictures(studio, job, &shot, &files)
            }
        });
    }
}

fn one_clip(studio: &Studio, job: &Job, shot: &Shot, path: &Path, name: &str) -> ApiResult<()> {
    let found = clip::probe(path, name)?;
    let mut receiver = studio.media.receive()?;
    receiver.copy(path)?;
    let length = receiver.length();
    let hash = receiver.keep(&studio.media)?;
    let expected = found.frames.max(1) as i32;
    let media = Media::of(MediaKind::Clip, hash.clone(), length);
    let patch = ShotPatch {
        encoding: Some(found.encoding.unwrap_or_default().into()),
        encoding_reason: Some(found.reason.clone()),
        proposed: Some(found.proposed.unwrap_or_default().into()),
        rate: Some(found.rate),
        expected: Some(expected),
        ..Default::default()
    };
    studio.store.change(|c| {
        media.insert(c)?;
        Shot::patch(c, &shot.id, &patch)
    })?;
    decode_clip(studio, job, &Shot { expected, ..shot.clone() }, &found, &hash, name)
}

fn pictures(studio: &Studio, job: &Job, shot: &Shot, files: &[(PathBuf, String, i32)]) -> ApiResult<()> {
    for (i, (path, name, number)) in files.iter().enumerate() {
        if job.cancelled() {
            return Ok(());
        }
        // The first frame is looked at next; the others only when somebody steps to them.
        let see = |facts: &Facts| -> ApiResult<_> {
            let look = || studio.store.with(|c| studio.proxies.looking(c, &shot.scene_id, facts));
            (i == 0).then(look).transpose()
        };
        let taken = intake::file(&studio.media, name, *number, path, see)?;
        let guess = &taken.facts.guess;
        let likely = taken.seen.and_then(|seen| {
            let kept = studio.proxies.keep_seen(&studio.media, &taken.frame.media_hash, seen, taken.whole);
            kept.inspect_err(|e| tracing::warn!("{name}: {e}")).ok().flatten()
        });
        // What the code values speak against is not proposed.
        let proposed = guess.proposed.filter(|_| likely.is_none()).unwrap_or_default();
        let patch = ShotPatch {
            encoding: Some(guess.encoding.unwrap_or_default().into()),
            encoding_reason: Some(guess.reason.clone()),
            proposed: Some(proposed.into()),
            ..Default::default()
        };
        studio.store.change(|c| {
            if i == 0 {
                Shot::patch(c, &shot.id, &patch)?;
            }
            intake::put(&taken.frame, c, &shot.id)
        })?;
        job.progress((i + 1) as f64 / files.len() as f64);
    }
    Ok(())
}
