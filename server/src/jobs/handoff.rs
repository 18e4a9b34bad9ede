//! Making a handoff: bake, write, read back, compare, keep.

use super::{Ended, Ends, Job, Jobs, Lane};
use crate::error::{ApiError, ApiResult};
use crate::preview::Studio;
use crate::store::handoffs::{Handoff, word};
use crate::store::looks::{LookRow, Version};
use crate::store::productions::{MediaKind, Production};
use crate::store::shots::Shot;
use actix_web::web;
use lantern_core::bake::{Fidelity, Probe, fidelity};
use lantern_core::colour::Encoding;
use lantern_core::graph::Program;
use lantern_core::look::{Look, Path};
use lantern_handoff::plan;
use lantern_handoff::table_file::{self, Wanted};

/// The widest picture that a table is proven on.
const PROOF_WIDTH: u32 = 960;

/// Puts a handoff in line.
pub fn queue(studio: web::Data<Studio>, jobs: &Jobs, handoff: Handoff) {
    let (id, ends) = (handoff.id.clone(), jobs.ends());
    jobs.queue(Lane::Handoffs, id.as_str(), move |job| run(&studio, job, &ends, &handoff));
}

/// Puts all handoffs in line that the last server of this data folder did not get to the end of: a handoff is made from
/// a version, which never changes, so that nothing is lost by making it anew.
pub fn resume(studio: &web::Data<Studio>, jobs: &Jobs) -> ApiResult<()> {
    let again = match studio.store.change_when_full(Handoff::queue_again) {
        // They are made all the same, or say why not.
        Err(ApiError::Full) => studio.store.with(|c| Handoff::undone(c))?,
        found => found?,
    };
    again.into_iter().for_each(|handoff| queue(studio.clone(), jobs, handoff));
    Ok(())
}

/// Runs a handoff to its end and saves how it ended.
fn run(studio: &Studio, job: &Job, ends: &Ends, handoff: &Handoff) {
    let (id, store) = (handoff.id.clone(), studio.store.clone());
    let begin = || {
        // What its end needs is there before it starts.
        store.set_room_aside()?;
        store.with(|c| Handoff::begin(c, &id))
    };
    let made = match begin() {
        Ok(false) => return,
        Ok(true) => super::worked("handoff", || make(studio, job, handoff)),
        Err(e) => Err(e),
    };
    let saved = made.and_then(|made| match made {
        None => Ok(None),
        Some(Made { report, hash, says }) => {
            let report = serde_json::to_string(&report).map_err(ApiError::internal)?;
            let says = says.join("\n");
            let made = Some([report.as_str(), &hash, &says]);
            store.change_when_full(|c| Handoff::finish(c, &id, "done", "", made)).map(Some)
        }
    });
    let failure = match saved {
        Ok(Some(())) => return,
        Ok(None) => None,
        Err(e) => Some(e),
    };
    if let Some(e) = &failure {
        tracing::warn!("handoff {id}: {e:?}");
    }
    ends.end(handoff.id.as_str(), Ended::without(failure.as_ref()), move |how| {
        store.change_when_full(|c| Handoff::finish(c, &id, how.state, &how.why, None))
    });
}

/// What a handoff came to.
struct Made {
    report: Fidelity,
    /// Of the kept file.
    hash: String,
    /// What its receiver has to know.
    says: Vec<String>,
}

/// Makes the file and proves it; `None` when it was cancelled.
fn make(studio: &Studio, job: &Job, handoff: &Handoff) -> ApiResult<Option<Made>> {
    let (version, production, from, to) = studio.store.with(|c| {
        let row = LookRow::find(c, &handoff.look_id)?;
        let version = Version::find(c, &handoff.look_id, handoff.version)?;
        let production = Production::find(c, &row.production_id)?;
        let from = production.encoding(c, &handoff.from_encoding)?;
        let to = production.encoding(c, &handoff.to_encoding)?;
        Ok((version, production, from, to))
    })?;
    let mut look = Look::from_json(&version.document)?;
    studio.media.attach(&mut look.path);
    let program = Program::compile(&look.path, &from, &to)?;

    let range = word(&handoff.code_range);
    let (format, size) = (word(&handoff.format), handoff.size as usize);
    let wanted = Wanted { look: &look.name, from: &from, to: &to, format, size, range };
    let made = table_file::make(&program, &wanted, &job.cancel);
    // From here on it is the file that is proven, not the table in memory.
    let Some(file) = made.map_err(|e| ApiError::Invalid(e.to_string()))? else { return Ok(None) };
    let written = file.in_full_range(range).map_err(ApiError::internal)?;
    job.progress(0.25);
    let shots = proven_on(studio, &production)?;
    // One picture at a time: memory does not grow with the production.
    let probes = shots.iter().take_while(|_| !job.cancelled()).map(|shot| probe(studio, shot, &from));
    let report = fidelity::report(&program, &written, &from, &to, probes, |done| {
        job.progress(0.25 + 0.75 * (done as f64 / (shots.len() + 3) as f64).min(1.0));
    })?;
    if job.cancelled() {
        return Ok(None);
    }
    let media = studio.media.keep_as(MediaKind::Table, &file.bytes)?;
    studio.store.with(|c| media.insert(c))?;
    Ok(Some(Made { report, hash: media.hash, says: file.says }))
}

/// The shots that a table is proven on. One whose encoding nobody has said yet proves nothing.
pub fn proven_on(studio: &Studio, production: &Production) -> ApiResult<Vec<Shot>> {
    let scenes = studio.store.with(|c| production.scenes(c))?;
    let worn = scenes.into_iter().filter(|(scene, _)| !scene.finished);
    Ok(worn.flat_map(|(_, shots)| shots).filter(|shot| !shot.encoding.is_empty()).collect())
}

/// A shot's picture in the table's input encoding.
fn probe(studio: &Studio, shot: &Shot, from: &Encoding) -> ApiResult<Probe> {
    let proxy = studio.proxy(&shot.id, None, PROOF_WIDTH)?;
    let mut pixels = proxy.picture.pixels.clone();
    // A display-referred table is proven on what the shot looks like on that display.
    if proxy.encoding != *from {
        Program::compile(&Path::default(), &proxy.encoding, from)?.run_parallel(&mut pixels);
    }
    Ok(Probe { name: shot.name.clone(), picture: true, pixels, width: proxy.picture.width() })
}

/// A name's letters and digits, with hyphens between its words.
pub fn plain_name(look: &str) -> String {
    plan::plain_name(look, "look")
}
