//! A package: every delivery of a plan, proven, with its report and manifest.
//!
//! * [`tables`] — tables and configurations, each made once.
//! * [`proof`] — what they are proven on.
//! * [`pictures`] — stills, frames, review movies.
//! * [`trims`] — trims as ASC CDL.
//! * [`amf`] — ACES metadata.

mod amf;
mod pictures;
mod proof;
mod tables;
mod trims;

use crate::configuration;
use crate::manifest::{FileOf, LeftOutOf, LookOf, MANIFEST_VERSION, Manifest, NAME, NotMade, TableOf};
use crate::plan::{Delivery, Plan, PlanError, plain_name};
use crate::report::{self, Proof, Report, Thumb};
use crate::sink::Sink;
use lantern_core::bake::{Exact, Fidelity, Probe, Proving};
use lantern_core::colour::Encoding;
use lantern_core::look::{Look, Path};
use lantern_formats::frame::Frame;
use pictures::Pictures;
use rayon::prelude::*;
use std::collections::{BTreeMap, HashSet};
use std::sync::atomic::{AtomicBool, Ordering};
use tables::Made;
use thiserror::Error;

/// A shot of the production.
pub struct Shot<'a> {
    /// Its name.
    pub name: String,
    /// What its code values mean.
    pub encoding: Encoding,
    /// Its trim.
    pub trim: Path,
    /// The name of its first frame's file.
    pub file: String,
    /// The numbers of its frames in order, which grain goes by; at least one.
    pub frames: Vec<u32>,
    /// The place, among them, of the frame that is shown for it.
    pub poster: usize,
    /// Frames a second.
    pub rate: f64,
    /// Reads the frame at a place.
    pub read: Box<dyn Fn(usize) -> Result<Frame, String> + Send + Sync + 'a>,
    /// What tells the frame at a place from all others, where that is known: then what was made of it can be kept.
    pub made_of: Box<dyn Fn(usize) -> Option<String> + Send + Sync + 'a>,
}

/// What a package is made of.
pub struct Order<'a> {
    /// Who receives what.
    pub plan: &'a Plan,
    /// The look, with its tables in place.
    pub look: &'a Look,
    /// The number of its version, where it comes from a production.
    pub version: Option<i32>,
    /// When the look was saved, in seconds since 1970; 0 where that is not known. Files that have to say a time say this one.
    pub saved_at: i64,
    /// The shots that tables are proven on and pictures are made of.
    pub shots: &'a [Shot<'a>],
    /// Names of shots that cannot be in it, with the reason.
    pub without: &'a [(String, String)],
    /// Encodings of pictures that go into configurations beside those of ACES and of the shots.
    pub cameras: &'a [(String, Encoding)],
    /// An encoding by the name that a plan has for it.
    pub encoding: &'a (dyn Fn(&str) -> Result<Encoding, String> + Sync),
    /// A folder for pictures while the package is made. Those whose frames are told from all others stay there, so that
    /// another try does not make them again.
    pub folder: &'a std::path::Path,
}

/// Why a package was not made.
#[derive(Debug, Error)]
pub enum PackageError {
    /// The plan is not whole.
    #[error("{0}")]
    Plan(PlanError),
    /// A delivery that cannot be made, before anything was written.
    #[error("{receiver}: {why}")]
    Delivery {
        /// Who should have got it.
        receiver: String,
        /// What is wrong.
        why: String,
    },
    /// A shot that cannot be read.
    #[error("the shot “{name}” cannot be read: {why}")]
    Shot {
        /// Its name.
        name: String,
        /// What is wrong.
        why: String,
    },
    /// A file could not be written.
    #[error("it could not be written: {0}")]
    Write(#[from] std::io::Error),
}

/// A package while it is made.
struct Making<'a> {
    order: &'a Order<'a>,
    sink: Box<dyn Sink>,
    files: Vec<FileOf>,
    /// Their paths.
    paths: HashSet<String>,
    not_made: Vec<NotMade>,
    cancel: &'a AtomicBool,
    progress: &'a (dyn Fn(f64) + Sync),
    /// Shots that were proven on and pictures that were made, and how many there will be.
    done: [usize; 2],
}

/// The share of the progress that tables take.
const TABLES_SHARE: f64 = 0.2;

impl Making<'_> {
    fn cancelled(&self) -> bool {
        self.cancel.load(Ordering::Relaxed)
    }

    fn has(&self, path: &str) -> bool {
        self.paths.contains(path)
    }

    fn took(&mut self, file: FileOf) {
        self.paths.insert(file.path.clone());
        self.files.push(file);
    }

    /// One more shot or picture is done.
    fn one_more(&mut self) {
        self.done[0] += 1;
        let share = self.done[0] as f64 / self.done[1].max(1) as f64;
        (self.progress)(TABLES_SHARE + (0.98 - TABLES_SHARE) * share.min(1.0));
    }

    /// Adds a file, unless it is there already.
    fn put(&mut self, receiver: &str, path: &str, is: &str, bytes: &[u8]) -> std::io::Result<()> {
        if !self.has(path) {
            self.sink.put(path, bytes)?;
            self.took(FileOf::new(path, receiver, is, bytes));
        }
        Ok(())
    }

    /// The same of what a file on disk holds.
    fn put_file(
        &mut self,
        receiver: &str,
        path: &str,
        is: &str,
        from: &std::path::Path,
    ) -> std::io::Result<()> {
        if !self.has(path) {
            let of = FileOf::of_file(path, receiver, is, from)?;
            self.sink.put_file(path, from)?;
            self.took(of);
        }
        Ok(())
    }

    fn not_made(&mut self, receiver: &str, what: &str, why: &str) {
        let [receiver, what, why] = [receiver, what, why].map(String::from);
        self.not_made.push(NotMade { receiver, what, why });
    }
}

/// Refuses what cannot be made, before anything is.
pub fn check(order: &Order<'_>) -> Result<(), PackageError> {
    order.plan.check().map_err(PackageError::Plan)?;
    tables::check(order)?;
    pictures::pictures(order).map(|_| ())
}

/// Makes a package. `progress` is told shares from 0 to 1. `false` when `cancel` was set meanwhile: then the package is not
/// whole, and the sink leaves nothing of it.
pub fn make(
    order: &Order<'_>,
    sink: Box<dyn Sink>,
    progress: &(dyn Fn(f64) + Sync),
    cancel: &AtomicBool,
) -> Result<bool, PackageError> {
    check(order)?;
    let pictures = pictures::pictures(order)?;
    let told = |share: f64| progress(TABLES_SHARE * share);
    let Some(tables) = tables::tables(order, &told, cancel)? else { return Ok(false) };
    let Some(configurations) = tables::configurations(order, cancel)? else { return Ok(false) };
    let all = order.shots.iter().map(|s| 1 + pictures.iter().map(|p| p.count(s)).sum::<usize>()).sum();
    let (files, paths, not_made) = (Vec::new(), HashSet::new(), Vec::new());
    let mut making = Making { order, sink, files, paths, not_made, cancel, progress, done: [0, all] };
    for (name, why) in order.without {
        making.not_made("", &format!("anything of the shot {name}"), why);
    }
    for shot in order.shots {
        if let Some(gone) = missing(&shot.frames) {
            making.not_made(
                "",
                &format!("frames {gone} of {}", shot.name),
                "they are missing in its sequence",
            );
        }
    }
    let Some(Proven { reports, thumbs }) = shots(&mut making, &tables, &pictures)? else { return Ok(false) };
    let proofs = receivers(&mut making, &tables, &reports)?;
    for (receiver, path, text) in &configurations {
        let of_all = path.ends_with(configuration::NAME);
        let is = if of_all { "colour configuration" } else { "table of the colour configuration" };
        making.put(receiver, path, is, text.as_bytes())?;
    }
    // What was stopped in the middle is not what somebody wanted.
    if making.cancelled() {
        return Ok(false);
    }
    let Making { mut sink, files, not_made, .. } = making;
    let look = LookOf {
        name: order.look.name.clone(),
        version: order.version,
        blake3: blake3::hash(order.look.to_json().as_bytes()).to_hex().to_string(),
    };
    // Two deliveries of a receiver that ask for the same thing miss it once.
    let not_made = not_made.into_iter().fold(Vec::new(), |mut all: Vec<NotMade>, one| {
        if !all.contains(&one) {
            all.push(one);
        }
        all
    });
    let manifest = Manifest {
        version: MANIFEST_VERSION,
        program: format!("Dusky Lantern {}", env!("CARGO_PKG_VERSION")),
        plan: order.plan.name.clone(),
        look,
        files,
        left_out: left_out(&tables),
        not_made,
    };
    let report = Report { manifest, proofs, thumbs };
    let json = serde_json::to_vec_pretty(&report.without_pictures()).unwrap_or_default();
    let html = report::html(&report);
    let mut manifest = report.manifest;
    for (path, is, bytes) in
        [("report.html", "the report", html.as_bytes()), ("report.json", "the report as JSON", &json)]
    {
        sink.put(path, bytes)?;
        manifest.files.push(FileOf::new(path, "", is, bytes));
    }
    manifest.files.sort_by(|a, b| a.path.cmp(&b.path));
    sink.put(NAME, &serde_json::to_vec_pretty(&manifest).unwrap_or_default())?;
    sink.finish()?;
    progress(1.0);
    Ok(true)
}

/// Numbers that are missing between those of a sequence, as `1003, 1007-1009`; `None` where none are, or where they are so many
/// that it is no sequence.
fn missing(frames: &[u32]) -> Option<String> {
    let mut sorted = frames.to_vec();
    sorted.sort_unstable();
    let gaps = sorted.windows(2).filter(|w| w[1] > w[0] + 1).map(|w| [w[0] + 1, w[1] - 1]);
    let gaps: Vec<[u32; 2]> = gaps.collect();
    let gone: u64 = gaps.iter().map(|[a, b]| u64::from(b - a) + 1).sum();
    if gaps.is_empty() || gone > 2 * frames.len() as u64 {
        return None;
    }
    let one = |[a, b]: &[u32; 2]| if a == b { a.to_string() } else { format!("{a}-{b}") };
    Some(gaps.iter().take(20).map(one).collect::<Vec<_>>().join(", "))
}

/// What comes of the shots: the report of every table, and small pictures.
struct Proven {
    reports: Vec<Fidelity>,
    thumbs: Vec<Thumb>,
}

/// What a table goes between, and what of the look it holds: tables of one way are compared with one exact path.
type Way<'a> = [&'a str; 3];

fn way_of(table: &Made) -> Way<'_> {
    [&table.key.from, &table.key.to, table.key.part.word()]
}

/// Proves the tables on every shot, and makes its pictures. `None` when it was cancelled.
fn shots(
    making: &mut Making<'_>,
    tables: &[Made],
    pictures: &[Pictures],
) -> Result<Option<Proven>, PackageError> {
    let order = making.order;
    let mut proofs: Vec<Proving<'_>> =
        tables.iter().map(|t| Proving::new(&t.program, &t.full, &t.way[0], &t.way[1])).collect();
    let mut thumbs = Vec::new();
    for (i, shot) in order.shots.iter().enumerate() {
        if making.cancelled() {
            return Ok(None);
        }
        let fail = |why: String| PackageError::Shot { name: shot.name.clone(), why };
        let frame = (shot.read)(shot.poster).map_err(fail)?;
        let thin = proof::thinned(&frame.picture, proof::PROOF_WIDTH);
        let mut by_input: BTreeMap<&str, Probe> = BTreeMap::new();
        let mut by_way: BTreeMap<Way<'_>, Exact> = BTreeMap::new();
        for (proof, table) in proofs.iter().zip(tables) {
            let from = table.key.from.as_str();
            if !by_input.contains_key(from) {
                by_input.insert(from, proof::probe(shot, &thin, &table.way[0]).map_err(fail)?);
            }
            by_way.entry(way_of(table)).or_insert_with(|| proof.exact(&by_input[from]));
        }
        proofs.par_iter_mut().zip(tables).for_each(|(proof, table)| {
            proof.add_with(&by_input[table.key.from.as_str()], &by_way[&way_of(table)]);
        });
        thumbs.push(proof::thumb(order, shot, &frame.picture).map_err(fail)?);
        making.one_more();
        for wanted in pictures {
            if !wanted.make(making, i, shot, &frame)? {
                return Ok(None);
            }
        }
    }
    for wanted in pictures {
        if order.shots.iter().all(|s| wanted.count(s) == 0) {
            let (what, why) = wanted.words();
            making.not_made(&wanted.receiver, what, why);
        }
    }
    Ok(Some(Proven { reports: proofs.into_iter().map(Proving::finish).collect(), thumbs }))
}

/// What each receiver gets beside pictures and configurations; gives the proof of every table.
fn receivers(
    making: &mut Making<'_>,
    tables: &[Made],
    reports: &[Fidelity],
) -> Result<Vec<Proof>, PackageError> {
    let order = making.order;
    let mut proofs: Vec<Proof> = Vec::new();
    for receiver in &order.plan.receivers {
        let folder = plain_name(&receiver.name, "receiver");
        for delivery in &receiver.deliveries {
            match delivery {
                Delivery::Table { .. } | Delivery::Metadata { .. } => {
                    let (keys, within) = tables::keys(delivery, &order.look.path);
                    let mut own = Vec::new();
                    for (t, fidelity) in tables.iter().zip(reports).filter(|(t, _)| keys.contains(&t.key)) {
                        let path = format!("{folder}/{within}{}", t.name);
                        own.push(t);
                        if table(making, &receiver.name, &path, t)? {
                            let says = t.file.says.clone();
                            proofs.push(Proof { path, says, fidelity: fidelity.clone() });
                        }
                    }
                    if let Delivery::Metadata { .. } = delivery {
                        amf::metadata(making, receiver, &format!("{folder}/{within}"), &own)?;
                    }
                }
                Delivery::Look => {
                    let path = format!("{folder}/{}.look.json", plain_name(&order.look.name, "look"));
                    making.put(&receiver.name, &path, "the look", order.look.to_json().as_bytes())?;
                }
                Delivery::Corrections { form } => {
                    if order.shots.is_empty() {
                        let why = "there is no shot whose encoding is known";
                        making.not_made(&receiver.name, "trims as ASC CDL", why);
                    }
                    for (path, is, text) in trims::decisions(order, receiver, form, &mut making.not_made) {
                        making.put(&receiver.name, &format!("{folder}/{path}"), &is, text.as_bytes())?;
                    }
                }
                // Made with the shots, or of the whole package.
                Delivery::Stills { .. }
                | Delivery::Frames { .. }
                | Delivery::Movies { .. }
                | Delivery::Configuration { .. } => {}
            }
        }
    }
    Ok(proofs)
}

/// Adds the file of a table; `false` where it is there already.
fn table(making: &mut Making<'_>, receiver: &str, path: &str, t: &Made) -> std::io::Result<bool> {
    if making.has(path) {
        return Ok(false);
    }
    let is = format!("{} from {} to {}", t.key.format.entry().name, t.way[0].name, t.way[1].name);
    making.put(receiver, path, &is, &t.file.bytes)?;
    if let Some(file) = making.files.last_mut() {
        file.table = Some(TableOf {
            from: t.way[0].id.clone(),
            to: t.way[1].id.clone(),
            range: t.key.range,
            points: t.file.table.points(),
            made_of: t.file.table.operators().iter().map(|o| o.title()).collect(),
        });
    }
    Ok(true)
}

/// Steps that no table holds, each once.
fn left_out(tables: &[Made]) -> Vec<LeftOutOf> {
    let mut all: Vec<LeftOutOf> = Vec::new();
    for l in tables.iter().flat_map(|t| &t.program.left_out) {
        let l = LeftOutOf { step: l.step.clone(), why: l.why.clone() };
        if !all.contains(&l) {
            all.push(l);
        }
    }
    all
}
