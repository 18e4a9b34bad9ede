//! Making a package: every delivery of a plan, of one version of a look.

use super::handoff::proven_on;
use super::{Ended, Ends, Job, Jobs, Lane};
use crate::error::{ApiError, ApiResult};
use crate::preview::{FrameSource, Studio};
use crate::store::looks::{LookRow, Version};
use crate::store::packages::PackageRow;
use crate::store::productions::{MediaKind, PROFILE, Production};
use crate::store::profiles::{Profile, ProfileBody};
use crate::store::shots::{Frame, Shot};
use actix_web::web;
use lantern_core::colour::Encoding;
use lantern_core::look::Look;
use lantern_handoff::package::{self, Order};
use lantern_handoff::plan::Plan;
use lantern_handoff::sink::Archive;
use lantern_handoff::verify;

/// What the archive is called while it is made.
const ARCHIVE: &str = "package.zip";

/// Puts a package in line.
pub fn queue(studio: web::Data<Studio>, jobs: &Jobs, package: PackageRow) {
    let (id, ends) = (package.id.clone(), jobs.ends());
    jobs.queue(Lane::Handoffs, id.as_str(), move |job| run(&studio, job, &ends, &package));
}

/// Puts all packages in line that the last server of this data folder did not get to the end of. Pictures that were made go
/// into them as they are.
pub fn resume(studio: &web::Data<Studio>, jobs: &Jobs) -> ApiResult<()> {
    let again = match studio.store.change_when_full(PackageRow::queue_again) {
        // They are made all the same, or say why not.
        Err(ApiError::Full) => studio.store.with(|c| PackageRow::going(c))?,
        found => found?,
    };
    again.into_iter().for_each(|package| queue(studio.clone(), jobs, package));
    Ok(())
}

/// Runs a package to its end and saves how it ended.
fn run(studio: &Studio, job: &Job, ends: &Ends, package: &PackageRow) {
    let (id, store) = (package.id.clone(), studio.store.clone());
    let begin = || {
        // What its end needs is there before it starts.
        store.set_room_aside()?;
        store.with(|c| PackageRow::begin(c, &id))
    };
    let made = match begin() {
        Ok(false) => return,
        Ok(true) => super::worked("package", || make(studio, job, package)),
        Err(e) => Err(e),
    };
    let failure = match made {
        Ok(true) => return,
        Ok(false) => None,
        Err(e) => Some(e),
    };
    if let Some(e) = &failure {
        tracing::warn!("package {id}: {e:?}");
    }
    ends.end(package.id.as_str(), Ended::without(failure.as_ref()), move |how| {
        store.change_when_full(|c| PackageRow::ended(c, &id, how.state, &how.why))
    });
}

/// Makes the archive and keeps it; `false` when it was cancelled.
fn make(studio: &Studio, job: &Job, package: &PackageRow) -> ApiResult<bool> {
    let plan = Plan::from_json(&package.plan).map_err(|e| ApiError::Invalid(e.to_string()))?;
    let gathered = Gathered::of(studio, package)?;
    let folder = studio.media.workshop(&package.id);
    std::fs::create_dir_all(&folder)?;
    let archive = folder.join(ARCHIVE);
    let sink = Box::new(Archive::new(&archive)?);
    let told = |share: f64| job.progress(share);
    let whole = gathered.with(studio, &plan, package.version, &folder, |order| {
        package::make(order, sink, &told, &job.cancel).map_err(failed)
    })?;
    if !whole {
        return Ok(false);
    }
    let manifest = verify::manifest(&archive).map_err(ApiError::internal)?;
    let manifest = serde_json::to_string(&manifest).map_err(ApiError::internal)?;
    let media = studio.media.keep_file(MediaKind::Package, &archive)?;
    studio.store.change_when_full(|c| {
        media.insert(c)?;
        PackageRow::done(c, &package.id, &manifest, &media.hash)
    })?;
    if let Err(e) = std::fs::remove_dir_all(&folder) {
        tracing::warn!("{}: {e}", folder.display());
    }
    Ok(true)
}

fn failed(e: package::PackageError) -> ApiError {
    match e {
        package::PackageError::Write(e) => e.into(),
        e => ApiError::Invalid(e.to_string()),
    }
}

/// Says, before anything is made, what of a plan cannot be made of a version.
pub fn check(studio: &Studio, plan: &Plan, package: &PackageRow) -> ApiResult<()> {
    let gathered = Gathered::of(studio, package)?;
    let folder = studio.media.workshop(&package.id);
    gathered.with(studio, plan, package.version, &folder, |order| package::check(order).map_err(failed))
}

/// All that a package is made of, from the database.
struct Gathered {
    look: Look,
    production: Production,
    saved_at: i64,
    shots: Vec<package::Shot<'static>>,
    /// Shots that cannot be in it, with the reason.
    without: Vec<(String, String)>,
    cameras: Vec<(String, Encoding)>,
}

impl Gathered {
    fn of(studio: &Studio, package: &PackageRow) -> ApiResult<Self> {
        let (version, production, profiles) = studio.store.with(|c| {
            let row = LookRow::find(c, &package.look_id)?;
            let version = Version::find(c, &package.look_id, package.version)?;
            let production = Production::find(c, &row.production_id)?;
            let profiles = Profile::of_production(c, &production.id)?;
            Ok((version, production, profiles))
        })?;
        let mut look = Look::from_json(&version.document)?;
        studio.media.attach(&mut look.path);
        let mut cameras = Vec::new();
        for profile in profiles {
            // What a technical table gives is an encoding that ships.
            if let body @ ProfileBody::Constants(_) = profile.body()? {
                cameras.push((body.name().to_owned(), body.encoding()?));
            }
        }
        let (mut shots, mut without) = (Vec::new(), Vec::new());
        for shot in proven_on(studio, &production)? {
            match taken(studio, &production, &shot)? {
                Ok(taken) => shots.push(taken),
                Err(why) => without.push((shot.name, why)),
            }
        }
        Ok(Self { look, production, saved_at: version.saved_at, shots, without, cameras })
    }

    fn with<T>(
        &self,
        studio: &Studio,
        plan: &Plan,
        version: i32,
        folder: &std::path::Path,
        work: impl FnOnce(&Order<'_>) -> T,
    ) -> T {
        let encoding = |id: &str| {
            let found = studio.store.with(|c| self.production.encoding(c, id)).map_err(|e| e.to_string())?;
            // Every profile is called `camera` by itself.
            let own = id.strip_prefix(PROFILE).map(|_| id.to_owned());
            Ok(Encoding { id: own.unwrap_or(found.id), ..found })
        };
        work(&Order {
            plan,
            look: &self.look,
            version: Some(version),
            saved_at: self.saved_at,
            shots: &self.shots,
            without: &self.without,
            cameras: &self.cameras,
            encoding: &encoding,
            folder,
        })
    }
}

/// A shot of a package; in words why it cannot be in it.
fn taken(
    studio: &Studio,
    production: &Production,
    shot: &Shot,
) -> ApiResult<Result<package::Shot<'static>, String>> {
    let found = studio.store.with(|c| {
        let frames = Frame::of_shot(c, &shot.id)?;
        let first = frames.first().map(|f| f.media_hash.clone());
        let source = first.map(|f| FrameSource::of_file(c, f, production, &shot.encoding)).transpose()?;
        Ok(source.map(|source| (frames, source)))
    })?;
    let Some((mut frames, source)) = found else { return Ok(Err("no frame of it is here".into())) };
    let last = frames.len() - 1;
    let place = |at: i32| (at.max(0) as usize).min(last);
    let (first, end) = (place(shot.in_frame), shot.out_frame.map_or(last, place));
    let poster = place(shot.poster).clamp(first, end.max(first)) - first;
    frames.truncate(end.max(first) + 1);
    frames.drain(..first);
    let mut trim = shot.trim()?;
    studio.media.attach(&mut trim);
    let (media, hashes) = (studio.media.clone(), frames.iter().map(|f| f.media_hash.clone()));
    let sources: Vec<FrameSource> = hashes.map(|hash| source.of_frame(hash)).collect();
    let keys: Vec<String> = sources.iter().map(FrameSource::key).collect();
    Ok(Ok(package::Shot {
        name: shot.name.clone(),
        encoding: source.encoding()?,
        trim,
        file: frames.first().map(|f| f.name.clone()).unwrap_or_default(),
        frames: frames.iter().map(|f| f.number.max(0) as u32).collect(),
        poster,
        rate: shot.rate,
        read: Box::new(move |at| {
            let source = sources.get(at).ok_or("there is no such frame")?;
            source.whole(&media).map_err(|e| e.to_string())
        }),
        made_of: Box::new(move |at| keys.get(at).cloned()),
    }))
}
