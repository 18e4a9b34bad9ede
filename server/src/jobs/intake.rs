//! Long intake: clips frame by frame, and files of an allowed folder.

use super::{Job, Jobs};
use crate::error::{ApiError, ApiResult};
use crate::media::clip::{self, Clip, Frames};
use crate::media::intake;
use crate::preview::Studio;
use crate::store::productions::Media;
use crate::store::shots::{Frame, Shot};
use actix_web::web;
use diesel::SqliteConnection;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// Runs a job of a shot on a thread that may block, registered under the shot's id.
pub fn spawn(
    studio: web::Data<Studio>,
    jobs: web::Data<Jobs>,
    shot: String,
    work: impl FnOnce(&Studio, &Job) -> ApiResult<()> + Send + 'static,
) {
    let job = jobs.start(&shot);
    std::thread::spawn(move || run(&studio, &jobs, &job, &shot, work));
}

fn run(
    studio: &Studio,
    jobs: &Jobs,
    job: &Arc<Job>,
    shot: &str,
    work: impl FnOnce(&Studio, &Job) -> ApiResult<()>,
) {
    if let Err(e) = work(studio, job) {
        tracing::warn!("shot {shot}: {e:?}");
        let said = studio.store.connect().and_then(|mut c| {
            let (mut row, _) = Shot::find(&mut c, shot)?;
            row.encoding_reason = e.to_string();
            row.update(&mut c)
        });
        if let Err(e) = said {
            tracing::warn!("shot {shot}: {e:?}");
        }
    }
    jobs.end(shot);
    studio.proxies.forget(shot);
}

/// Saves the row of a shot whose frames will be a clip's.
pub fn clip_row(
    c: &mut SqliteConnection,
    scene: &str,
    called: &str,
    clip: &Clip,
    hash: &str,
    length: u64,
) -> ApiResult<Shot> {
    Media { hash: hash.into(), kind: "clip".into(), bytes: length as i64 }.insert(c)?;
    let shot = Shot {
        encoding: clip.encoding.unwrap_or_default().into(),
        encoding_reason: clip.reason.clone(),
        rate: clip.rate,
        expected: clip.frames.max(1) as i32,
        ..Shot::new(c, scene, called)?
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
    let c = &mut *studio.store.connect()?;
    let mut frames = Frames::open(&studio.media.path(hash)?, clip)?;
    let mut number = 0;
    while let Some(samples) = frames.next(name)? {
        if job.cancelled() {
            return Ok(());
        }
        let file = lantern_formats::png::write_rgb48(clip.width, clip.height, samples)?;
        let media_hash = studio.media.keep(&file)?;
        let bytes = file.len() as i64;
        c.immediate_transaction(|c| -> ApiResult<()> {
            Media { hash: media_hash.clone(), kind: "picture".into(), bytes }.insert(c)?;
            let frame = Frame {
                shot_id: shot.id.clone(),
                number,
                name: format!("{name} {number}"),
                media_hash,
                width: clip.width as i32,
                height: clip.height as i32,
                bytes,
                healed: 0,
            };
            frame.put(c)
        })?;
        number += 1;
        job.progress(f64::from(number) / f64::from(shot.expected.max(number)));
    }
    if number == 0 {
        return Err(ApiError::Invalid(format!("“{name}” has no frames")));
    }
    // Containers that do not say how many frames they hold are known by now.
    let (row, _) = Shot::find(c, &shot.id)?;
    Shot { expected: number, ..row }.update(c)
}

/// A shot, whether it is a clip, and its files with their names and numbers.
pub type Todo = (Shot, bool, Vec<(PathBuf, String, i32)>);

/// Brings files in, one shot after the other.
pub fn from_folder(studio: web::Data<Studio>, jobs: web::Data<Jobs>, todo: Vec<Todo>) {
    let started: Vec<_> = todo.into_iter().map(|t| (jobs.start(&t.0.id), t)).collect();
    std::thread::spawn(move || {
        for (job, (shot, is_clip, files)) in started {
            let id = shot.id.clone();
            run(&studio, &jobs, &job, &id, |studio, job| {
                if is_clip {
                    files.first().map_or(Ok(()), |(path, name, _)| one_clip(studio, job, &shot, path, name))
                } else {
                    pictures(studio, job, &shot, &files)
                }
            });
        }
    });
}

fn one_clip(studio: &Studio, job: &Job, shot: &Shot, path: &Path, name: &str) -> ApiResult<()> {
    let found = clip::probe(path, name)?;
    let mut receiver = studio.media.receive()?;
    receiver.copy(path)?;
    let length = receiver.length();
    let hash = receiver.keep(&studio.media)?;
    let c = &mut *studio.store.connect()?;
    Media { hash: hash.clone(), kind: "clip".into(), bytes: length as i64 }.insert(c)?;
    let (row, _) = Shot::find(c, &shot.id)?;
    let row = Shot {
        encoding: found.encoding.unwrap_or_default().into(),
        encoding_reason: found.reason.clone(),
        rate: found.rate,
        expected: found.frames.max(1) as i32,
        ..row
    };
    row.update(c)?;
    decode_clip(studio, job, &row, &found, &hash, name)
}

fn pictures(studio: &Studio, job: &Job, shot: &Shot, files: &[(PathBuf, String, i32)]) -> ApiResult<()> {
    for (i, (path, name, number)) in files.iter().enumerate() {
        if job.cancelled() {
            return Ok(());
        }
        let taken = intake::file(&studio.media, name, *number, path)?;
        let c = &mut *studio.store.connect()?;
        c.immediate_transaction(|c| -> ApiResult<()> {
            if i == 0 {
                let (row, _) = Shot::find(c, &shot.id)?;
                let guess = &taken.facts.guess;
                let encoding = guess.encoding.unwrap_or_default().into();
                Shot { encoding, encoding_reason: guess.reason.clone(), ..row }.update(c)?;
            }
            taken.put(c, &shot.id).map(drop)
        })?;
        job.progress((i + 1) as f64 / files.len() as f64);
    }
    Ok(())
}
