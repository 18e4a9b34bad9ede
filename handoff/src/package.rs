//! A package: every delivery of a plan, proven, with its report and manifest.

use crate::manifest::{FileOf, LeftOutOf, LookOf, MANIFEST_VERSION, Manifest, NAME, NotMade, TableOf};
use crate::plan::{Delivery, Plan, Receiver, plain_name, written};
use crate::report::{self, Proof, Report, Thumb};
use crate::sink::Sink;
use crate::table_file::{self, Format, Range, TableFile, Wanted};
use crate::{configuration, corrections};
use lantern_core::bake::{Probe, Proving};
use lantern_core::colour::{Encoding, Reference};
use lantern_core::graph::{Graph, Program};
use lantern_core::look::{Look, Path};
use lantern_core::picture::Picture;
use lantern_core::table::Table;
use lantern_core::texture::FrameGeometry;
use lantern_formats::cdl::{self, Correction, Form};
use lantern_formats::frame::Frame;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use thiserror::Error;

/// A shot of the production.
pub struct Shot<'a> {
    /// Its name.
    pub name: String,
    /// What its code values mean.
    pub encoding: Encoding,
    /// Its trim.
    pub trim: Path,
    /// The number of the frame that is shown, which grain goes by.
    pub frame: u32,
    /// Reads that frame.
    pub read: Box<dyn Fn() -> Result<Frame, String> + 'a>,
}

/// What a package is made of.
pub struct Order<'a> {
    /// Who receives what.
    pub plan: &'a Plan,
    /// The look, with its tables in place.
    pub look: &'a Look,
    /// The number of its version, where it comes from a production.
    pub version: Option<i32>,
    /// The shots that tables are proven on and stills are made of.
    pub shots: &'a [Shot<'a>],
    /// Encodings of pictures that go into configurations beside those of ACES and of the shots.
    pub cameras: &'a [(String, Encoding)],
    /// An encoding by the name that a plan has for it.
    pub encoding: &'a dyn Fn(&str) -> Result<Encoding, String>,
}

/// Why a package was not made.
#[derive(Debug, Error)]
pub enum PackageError {
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

/// The widest picture that tables are proven on; larger ones are thinned out, not blurred.
const PROOF_WIDTH: usize = 960;
/// Width of the small pictures of a report.
const THUMB_WIDTH: usize = 240;

/// A table that is wanted, by what makes it.
type Key = (Format, String, String, usize, bool);

/// A table that was made, with its way.
struct Made {
    key: Key,
    way: [Encoding; 2],
    program: Program,
    /// What its file is called.
    name: String,
    file: TableFile,
    full: Table,
}

/// Makes a package. `progress` is told shares from 0 to 1. `false` when `cancel` was set meanwhile: then the package is not
/// whole, and the sink leaves nothing of it.
pub fn make(
    order: &Order<'_>,
    mut sink: Box<dyn Sink>,
    progress: &(dyn Fn(f64) + Sync),
    cancel: &AtomicBool,
) -> Result<bool, PackageError> {
    let Some(tables) = tables(order, progress, cancel)? else { return Ok(false) };
    let mut proofs: Vec<Proving<'_>> =
        tables.iter().map(|t| Proving::new(&t.program, &t.full, &t.way[0], &t.way[1])).collect();
    let stills = stills(order)?;
    let Some(configurations) = configurations(order, cancel)? else { return Ok(false) };
    let mut files: Vec<FileOf> = Vec::new();
    let mut thumbs = Vec::new();
    let count = order.shots.len().max(1) as f64;
    for (i, shot) in order.shots.iter().enumerate() {
        if cancel.load(Ordering::Relaxed) {
            return Ok(false);
        }
        let fail = |why: String| PackageError::Shot { name: shot.name.clone(), why };
        let frame = (shot.read)().map_err(fail)?;
        let thin = thinned(&frame.picture, PROOF_WIDTH);
        let mut by_input: BTreeMap<String, Probe> = BTreeMap::new();
        for (proof, table) in proofs.iter_mut().zip(&tables) {
            let from = &table.way[0];
            let probe = match by_input.get(&table.key.1) {
                Some(probe) => probe,
                None => {
                    let probe = probe(shot, &thin, from).map_err(fail)?;
                    by_input.entry(table.key.1.clone()).or_insert(probe)
                }
            };
            proof.add(probe);
        }
        thumbs.push(thumb(order, shot, &frame.picture).map_err(fail)?);
        for still in &stills {
            let (path, bytes) = still.of(order, shot, frame.clone(), i, cancel).map_err(fail)?;
            if cancel.load(Ordering::Relaxed) {
                return Ok(false);
            }
            sink.put(&path, &bytes)?;
            files.push(FileOf::new(&path, &still.receiver, &format!("still of {}", shot.name), &bytes));
        }
        progress(0.2 + 0.75 * (i + 1) as f64 / count);
    }
    let reports: Vec<_> = proofs.into_iter().map(Proving::finish).collect();
    let mut not_made = Vec::new();
    let mut proven = Vec::new();
    for receiver in &order.plan.receivers {
        let folder = plain_name(&receiver.name, "receiver");
        let mut put =
            |path: String, is: &str, bytes: &[u8], table: Option<TableOf>| -> Result<(), PackageError> {
                if files.iter().any(|f| f.path == path) {
                    return Ok(());
                }
                sink.put(&path, bytes)?;
                files.push(FileOf { table, ..FileOf::new(&path, &receiver.name, is, bytes) });
                Ok(())
            };
        for delivery in &receiver.deliveries {
            match delivery {
                Delivery::Table { .. } => {
                    let key = key(delivery);
                    let Some(k) = tables.iter().position(|t| Some(&t.key) == key.as_ref()) else { continue };
                    let t = &tables[k];
                    let path = format!("{folder}/{}", t.name);
                    let of = TableOf {
                        from: t.way[0].id.clone(),
                        to: t.way[1].id.clone(),
                        range: if t.key.4 { Range::Legal } else { Range::Full },
                        points: t.file.table.points(),
                        made_of: t.file.table.operators().iter().map(|o| o.title()).collect(),
                    };
                    let is = format!("{} from {} to {}", t.key.0.entry().name, t.way[0].name, t.way[1].name);
                    put(path.clone(), &is, &t.file.bytes, Some(of))?;
                    if proven.iter().any(|p: &Proof| p.path == path) {
                        continue;
                    }
                    proven.push(Proof { path, says: t.file.says.clone(), fidelity: reports[k].clone() });
                }
                Delivery::Look => {
                    let path = format!("{folder}/{}.look.json", plain_name(&order.look.name, "look"));
                    put(path, "the look", order.look.to_json().as_bytes(), None)?;
                }
                // Made with the shots, and before them.
                Delivery::Stills { .. } | Delivery::Configuration { .. } => {}
                Delivery::Corrections { form } => {
                    for (path, is, bytes) in decisions(order, receiver, form, &mut not_made) {
                        put(format!("{folder}/{path}"), &is, bytes.as_bytes(), None)?;
                    }
                }
            }
        }
    }
    for (receiver, path, text) in &configurations {
        if files.iter().any(|f| f.path == *path) {
            continue;
        }
        sink.put(path, text.as_bytes())?;
        let of_all = path.ends_with(configuration::NAME);
        let is = if of_all { "colour configuration" } else { "table of the colour configuration" };
        files.push(FileOf::new(path, receiver, is, text.as_bytes()));
    }
    let mut left_out: Vec<LeftOutOf> = Vec::new();
    for l in tables.iter().flat_map(|t| &t.program.left_out) {
        let l = LeftOutOf { step: l.step.clone(), why: l.why.clone() };
        if !left_out.contains(&l) {
            left_out.push(l);
        }
    }
    let look = LookOf {
        name: order.look.name.clone(),
        version: order.version,
        blake3: blake3::hash(order.look.to_json().as_bytes()).to_hex().to_string(),
    };
    let manifest = Manifest {
        version: MANIFEST_VERSION,
        program: format!("Dusky Lantern {}", env!("CARGO_PKG_VERSION")),
        plan: order.plan.name.clone(),
        look,
        files,
        left_out,
        not_made,
    };
    let report = Report { manifest, proofs: proven, thumbs };
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

/// A text file of a package: receiver, path, text.
type TextFile = (String, String, String);

/// Files of every configuration of the plan.
fn configurations(order: &Order<'_>, cancel: &AtomicBool) -> Result<Option<Vec<TextFile>>, PackageError> {
    let mut all = Vec::new();
    let mut cameras = order.cameras.to_vec();
    for shot in order.shots.iter().filter(|s| s.encoding.reference == Reference::Scene) {
        let known = |e: &Encoding| e.same_codes(&shot.encoding);
        if !cameras.iter().any(|(_, e)| known(e)) && !Encoding::shipped().any(|e| known(&e)) {
            cameras.push((shot.encoding.name.clone(), shot.encoding.clone()));
        }
    }
    for r in &order.plan.receivers {
        for d in &r.deliveries {
            let Delivery::Configuration { displays, size } = d else { continue };
            let fail = |why: String| PackageError::Delivery { receiver: r.name.clone(), why };
            let displays = displays.iter().map(|d| {
                let found = (order.encoding)(d)?;
                if found.reference == Reference::Display {
                    Ok(found)
                } else {
                    Err(format!("{} is no display", found.name))
                }
            });
            let displays = displays.collect::<Result<Vec<_>, String>>().map_err(fail)?;
            let (look, path) = (order.look.name.as_str(), &order.look.path);
            let wanted =
                configuration::Wanted { look, path, cameras: &cameras, displays: &displays, size: *size };
            let made = configuration::make(&wanted, cancel).map_err(|e| fail(e.to_string()))?;
            let Some(files) = made else { return Ok(None) };
            let folder = format!("{}/configuration", plain_name(&r.name, "receiver"));
            all.extend(
                files.into_iter().map(|(path, text)| (r.name.clone(), format!("{folder}/{path}"), text)),
            );
        }
    }
    Ok(Some(all))
}

fn key(delivery: &Delivery) -> Option<Key> {
    match delivery {
        Delivery::Table { format, from, to, size, range } => {
            Some((*format, from.clone(), to.clone(), *size, *range == Range::Legal))
        }
        _ => None,
    }
}

/// Every table of the plan, each made once. What cannot be made ends it before anything is written.
fn tables(
    order: &Order<'_>,
    progress: &(dyn Fn(f64) + Sync),
    cancel: &AtomicBool,
) -> Result<Option<Vec<Made>>, PackageError> {
    let mut all: Vec<Made> = Vec::new();
    let wanted: Vec<(&Receiver, Key)> = order
        .plan
        .receivers
        .iter()
        .flat_map(|r| r.deliveries.iter().filter_map(move |d| key(d).map(|k| (r, k))))
        .collect();
    for (i, (receiver, key)) in wanted.iter().enumerate() {
        if all.iter().any(|t| t.key == *key) {
            continue;
        }
        let fail = |why: String| PackageError::Delivery { receiver: receiver.name.clone(), why };
        let way = [(order.encoding)(&key.1).map_err(fail)?, (order.encoding)(&key.2).map_err(fail)?];
        let program =
            Program::compile(&order.look.path, &way[0], &way[1]).map_err(|e| fail(e.to_string()))?;
        let range = if key.4 { Range::Legal } else { Range::Full };
        let wanted_file =
            Wanted { look: &order.look.name, from: &way[0], to: &way[1], format: key.0, size: key.3, range };
        let made = table_file::make(&program, &wanted_file, cancel).map_err(|e| fail(e.to_string()))?;
        let Some(file) = made else { return Ok(None) };
        let full = file.in_full_range(range).map_err(|e| fail(e.to_string()))?;
        let mut name = wanted_file.file_name(order.version, [&key.1, &key.2]);
        // Profiles of one name in two folders give two tables.
        while all.iter().any(|t| t.name == name) {
            name = format!("other-{name}");
        }
        all.push(Made { key: key.clone(), way, program, name, file, full });
        progress(0.2 * (i + 1) as f64 / wanted.len() as f64);
    }
    Ok(Some(all))
}

/// Every n-th pixel of every n-th row, so that it is no wider than `most`: its colours are those of the picture.
fn thinned(picture: &Picture, most: usize) -> Picture {
    let every = picture.width().div_ceil(most).max(1);
    if every == 1 {
        return picture.clone();
    }
    let (w, h) = (picture.width().div_ceil(every), picture.height().div_ceil(every));
    let at = |i: usize| picture.pixels[i / w * every * picture.width() + i % w * every];
    let pixels = (0..w * h).map(at).collect();
    Picture::new(w, h, pixels).unwrap_or_else(|_| picture.clone())
}

/// A shot's colours in the input encoding of a table. One for a display is proven on what the shot looks like there.
fn probe(shot: &Shot<'_>, thin: &Picture, from: &Encoding) -> Result<Probe, String> {
    let mut pixels = thin.pixels.clone();
    if shot.encoding != *from {
        let way = Program::compile(&Path::default(), &shot.encoding, from).map_err(|e| e.to_string())?;
        way.run_parallel(&mut pixels);
    }
    Ok(Probe { name: shot.name.clone(), picture: true, width: thin.width(), pixels })
}

/// A small picture of a shot as it leaves, for the report.
fn thumb(order: &Order<'_>, shot: &Shot<'_>, picture: &Picture) -> Result<Thumb, String> {
    let mut small = thinned(picture, THUMB_WIDTH);
    let srgb = Encoding::find("srgb").ok_or("there is no sRGB")?;
    let path = order.look.path.over(&shot.trim);
    Program::compile(&path, &shot.encoding, &srgb)
        .map_err(|e| e.to_string())?
        .run_parallel(&mut small.pixels);
    let png =
        lantern_formats::png::write(&small, lantern_formats::Depth::Eight).map_err(|e| e.to_string())?;
    Ok(Thumb { name: shot.name.clone(), png })
}

/// Stills that a receiver wants of each shot.
struct Still {
    receiver: String,
    format: String,
    to: Encoding,
}

/// The stills of the plan, each once. What cannot be made of any shot is said before anything is written.
fn stills(order: &Order<'_>) -> Result<Vec<Still>, PackageError> {
    let mut all: Vec<Still> = Vec::new();
    for r in &order.plan.receivers {
        for d in &r.deliveries {
            let Delivery::Stills { format, to } = d else { continue };
            let fail = |why: String| PackageError::Delivery { receiver: r.name.clone(), why };
            let to = (order.encoding)(to).map_err(fail)?;
            for shot in order.shots {
                let path = order.look.path.over(&shot.trim);
                Graph::compile(&path, &shot.encoding, &to).map_err(|e| fail(e.to_string()))?;
            }
            let still = Still { receiver: r.name.clone(), format: format.to_ascii_lowercase(), to };
            let same = |s: &Still| {
                s.receiver == still.receiver && s.format == still.format && s.to.id == still.to.id
            };
            if !all.iter().any(same) {
                all.push(still);
            }
        }
    }
    Ok(all)
}

impl Still {
    /// Its path in the package, and its bytes.
    fn of(
        &self,
        order: &Order<'_>,
        shot: &Shot<'_>,
        mut frame: Frame,
        number: usize,
        cancel: &AtomicBool,
    ) -> Result<(String, Vec<u8>), String> {
        let path = order.look.path.over(&shot.trim);
        let graph = Graph::compile(&path, &shot.encoding, &self.to).map_err(|e| e.to_string())?;
        let picture = &mut frame.picture;
        let geometry = FrameGeometry::whole(picture.width(), picture.height(), graph.gauge, shot.frame);
        graph.run(&mut picture.pixels, &geometry, cancel);
        let format = written(&self.format).ok_or("this format is not written")?;
        let write = format.write.ok_or("this format is not written")?;
        let bytes = write(&frame, Some(&self.to)).map_err(|e| e.to_string())?;
        let name = format!("{:02}-{}", number + 1, plain_name(&shot.name, "shot"));
        let folder = plain_name(&self.receiver, "receiver");
        let to = plain_name(&self.to.id, "encoding");
        Ok((format!("{folder}/stills-{to}/{name}.{}", self.format), bytes))
    }
}

/// Trims as corrections: path, what it is, text.
fn decisions(
    order: &Order<'_>,
    receiver: &Receiver,
    form: &str,
    not_made: &mut Vec<NotMade>,
) -> Vec<(String, String, String)> {
    let Some(kind) = Form::of_extension(form) else { return Vec::new() };
    let mut found: Vec<(Correction, String)> = Vec::new();
    for (i, shot) in order.shots.iter().enumerate() {
        match corrections::fit(&shot.trim) {
            Ok(fitted) => {
                let id = format!("{:02}-{}", i + 1, plain_name(&shot.name, "shot"));
                let is = format!("trim of {}, CIEDE2000 {:.2} from it on average", shot.name, fitted.mean);
                found.push((Correction { id, step: fitted.step }, is));
            }
            Err(why) => not_made.push(NotMade {
                receiver: receiver.name.clone(),
                what: format!("the trim of {} as an ASC CDL", shot.name),
                why,
            }),
        }
    }
    if found.is_empty() {
        return Vec::new();
    }
    if kind == Form::Correction {
        let one = |(c, is): &(Correction, String)| {
            (format!("corrections/{}.cc", c.id), is.clone(), cdl::write(std::slice::from_ref(c), kind))
        };
        return found.iter().map(one).collect();
    }
    let all: Vec<Correction> = found.iter().map(|f| f.0.clone()).collect();
    let name = format!("corrections/{}.{form}", plain_name(&order.look.name, "look"));
    vec![(name, format!("trims of {} shots, on ACEScct", all.len()), cdl::write(&all, kind))]
}
