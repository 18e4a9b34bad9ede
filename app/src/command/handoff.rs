//! deliver, verify and identify: packages, and files that come back.

use super::frames::{Way, expanded, is_pattern};
use super::gaps::{self, Gaps};
use crate::files::{self, Failure, Outcome};
use clap::Args;
use lantern_core::colour::{CameraProfile, Encoding};
use lantern_core::look::{Look, Path as Steps};
use lantern_formats::registry::TABLES;
use lantern_handoff::identify::{Identified, Kinship, Known, identify};
use lantern_handoff::package::{self, Order, Shot};
use lantern_handoff::plan::Plan;
use lantern_handoff::sink::{Archive, Folder, Sink};
use lantern_handoff::verify::{self, verify};
use serde::Deserialize;
use serde_json::Value;
use std::collections::HashMap;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;

#[derive(Args)]
pub struct Deliver {
    /// The delivery plan. Beside what the page writes it may name the look, the camera and the pictures that belong to it, by
    /// paths from where it lies.
    #[arg(long)]
    plan: PathBuf,
    /// The look file, in place of the one that the plan names.
    #[arg(long)]
    look: Option<PathBuf>,
    /// What “camera” stands for in the plan: an id, or a camera profile file.
    #[arg(long)]
    camera: Option<String>,
    /// Pictures to prove tables on and to make stills of, in place of those that the plan names.
    #[arg(long, num_args = 1..)]
    pictures: Vec<PathBuf>,
    /// The encoding of these pictures.
    #[arg(long, requires = "pictures")]
    encoding: Option<String>,
    /// The package: an empty or new folder, or the name of a .zip.
    #[arg(short, long)]
    out: PathBuf,
    /// Write over an archive that is there already.
    #[arg(long)]
    overwrite: bool,
    /// What becomes of frames that are missing inside of a sequence. Without it they are said, in the report and the manifest
    /// too, and the status at the end is 1.
    #[arg(long, value_enum)]
    gaps: Option<Gaps>,
}

/// What stands in a plan's file beside the plan.
#[derive(Default, Deserialize)]
#[serde(default)]
struct Beside {
    look: Option<PathBuf>,
    camera: Option<String>,
    pictures: Vec<PictureOf>,
    /// Profiles of cameras by the names that the plan has for them, as the page writes them.
    profiles: HashMap<String, CameraProfile>,
}

/// A shot that a plan's file names: a picture, the frames of a sequence as sea.%04d.exr, or a folder of them.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct PictureOf {
    path: PathBuf,
    encoding: String,
    /// A trim: a look file of Scene steps.
    #[serde(default)]
    trim: Option<PathBuf>,
    #[serde(default)]
    name: Option<String>,
    /// Frames a second, for a movie.
    #[serde(default)]
    rate: Option<f64>,
}

impl Deliver {
    pub fn run(&self) -> Outcome<()> {
        let fail = |e: &dyn std::fmt::Display| Failure(format!("{}: {e}", self.plan.display()));
        let mut value: Value = serde_json::from_slice(&files::bytes(&self.plan)?)
            .map_err(|e| fail(&format!("this is not JSON: {e}")))?;
        let mut beside = serde_json::Map::new();
        if let Some(object) = value.as_object_mut() {
            for name in ["look", "camera", "pictures", "profiles"] {
                beside.extend(object.remove(name).map(|v| (name.to_owned(), v)));
            }
        }
        let beside: Beside = serde_json::from_value(Value::Object(beside)).map_err(|e| fail(&e))?;
        let plan = Plan::from_value(value).map_err(|e| fail(&e))?;
        let folder = self.plan.parent().unwrap_or(Path::new(""));
        let look = match (&self.look, &beside.look) {
            (Some(path), _) => files::look(path)?,
            (None, Some(path)) => files::look(&folder.join(path))?,
            (None, None) => return Err(fail(&"it names no look: say which with --look")),
        };
        // An id, or a profile's file from here or from where the plan lies.
        let encoding_of = |name: &str| -> Outcome<Encoding> {
            let near = folder.join(name);
            if Encoding::find(name).is_none() && !Path::new(name).is_file() && near.is_file() {
                return files::encoding(&near.display().to_string());
            }
            files::encoding(name)
        };
        let camera = self.camera.as_ref().or(beside.camera.as_ref());
        let encoding = |name: &str| match (name, camera) {
            // What is said on the command line goes before what stands in the file.
            _ if !(name == "camera" && camera.is_some()) && beside.profiles.contains_key(name) => {
                let own = beside.profiles[name].encoding().map_err(|e| e.to_string())?;
                Ok(Encoding { id: name.into(), ..own })
            }
            ("camera", Some(camera)) => encoding_of(camera).map_err(|e| e.0),
            ("camera", None) => Err("the plan speaks of the camera: say which with --camera".into()),
            _ => encoding_of(name).map_err(|e| e.0),
        };
        if !self.out.is_dir() {
            files::check_free(std::iter::once(self.out.as_path()), self.overwrite)?;
        }
        let (shots, incomplete) = self.shots(&beside, folder, &encoding)?;
        let sink: Box<dyn Sink> = if self.out.extension().is_some_and(|e| e.eq_ignore_ascii_case("zip")) {
            Box::new(Archive::new(&self.out).map_err(|e| Failure(format!("{}: {e}", self.out.display())))?)
        } else {
            Box::new(Folder::new(&self.out).map_err(|e| Failure(format!("{}: {e}", self.out.display())))?)
        };
        let camera = camera.map(|c| encoding_of(c)).transpose()?;
        let mut cameras: Vec<(String, Encoding)> = camera.map(|e| (e.name.clone(), e)).into_iter().collect();
        for profile in beside.profiles.values() {
            let encoding = profile.encoding().map_err(|e| Failure(e.to_string()))?;
            if !cameras.iter().any(|(_, e)| e.same_codes(&encoding)) {
                cameras.push((profile.name.clone(), encoding));
            }
        }
        // In the same order however they are read.
        cameras.sort_by(|a, b| a.0.cmp(&b.0));
        let (plan, look, shots) = (&plan, &look, &shots[..]);
        let aside = self.out.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let order = Order {
            plan,
            look,
            version: None,
            saved_at: 0,
            shots,
            without: &[],
            cameras: &cameras,
            encoding: &encoding,
            folder: aside,
        };
        let shown = std::io::stderr().is_terminal();
        let progress = |share: f64| {
            if shown {
                eprint!("\r{:.0} %\x1b[K", 100.0 * share);
                let _ = std::io::stderr().flush();
            }
        };
        let made = package::make(&order, sink, &progress, &AtomicBool::new(false));
        if shown {
            eprint!("\r\x1b[K");
        }
        made.map_err(|e| fail(&e))?;
        let found = verify::manifest(&self.out).map_err(Failure)?;
        for l in &found.left_out {
            eprintln!("dusky-lantern: “{}” is in no table: {}", l.step, l.why);
        }
        for n in &found.not_made {
            eprintln!("dusky-lantern: {}, for {}, could not be made: {}", n.what, n.receiver, n.why);
        }
        println!("{} files in {}", found.files.len(), self.out.display());
        if incomplete {
            return Err(Failure("frames were missing; all else was made".into()));
        }
        Ok(())
    }

    fn shots<'a>(
        &'a self,
        beside: &Beside,
        folder: &Path,
        encoding: &dyn Fn(&str) -> Result<Encoding, String>,
    ) -> Outcome<(Vec<Shot<'a>>, bool)> {
        let incomplete = std::cell::Cell::new(false);
        let shot = |given: PathBuf,
                    name: Option<String>,
                    by: &str,
                    rate: f64,
                    trim: Steps|
         -> Outcome<Shot<'a>> {
            let stem = given.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
            let stem = stem
                .split(['%', '#', '@', '$'])
                .next()
                .unwrap_or(&stem)
                .trim_end_matches(['.', '_', '-'])
                .to_owned();
            let found = expanded(&given)?;
            let gone = gaps::missing(&found, is_pattern(&given), None);
            let mut paths: Vec<Way> = found.into_iter().map(|p| Way::of(p.clone(), p)).collect();
            if !gone.is_empty() {
                let which = gaps::listed(&gone);
                eprintln!("dusky-lantern: {}: {} frames are missing ({which})", given.display(), gone.len());
                gaps::fill(&mut paths, &gone, self.gaps.unwrap_or(Gaps::Skip), |m| m.file.clone());
                incomplete.set(incomplete.get() || self.gaps.is_none());
            }
            let encoding = encoding(by).map_err(Failure)?;
            let black = super::frames::black_in(&encoding);
            // What is no picture is said before anything is made.
            for path in paths.iter().take(1) {
                let facts = lantern_formats::facts::read(&files::bytes(&path.from)?);
                facts.map_err(|e| Failure(format!("{}: {e}", path.from.display())))?;
            }
            Ok(Shot {
                name: name.unwrap_or(stem),
                encoding,
                trim,
                file: paths
                    .first()
                    .and_then(|p| p.from.file_name())
                    .unwrap_or_default()
                    .to_string_lossy()
                    .into(),
                frames: paths.iter().map(|p| p.number).collect(),
                poster: 0,
                rate,
                read: Box::new(move |place| match paths.get(place) {
                    Some(way) => {
                        let mut frame = files::frame(&way.from).map_err(|e| e.0)?;
                        if way.black {
                            frame.picture.pixels.fill([black[0], black[1], black[2], 1.0]);
                        }
                        Ok(frame)
                    }
                    None => Err("there is no such frame".into()),
                }),
                made_of: Box::new(|_| None),
            })
        };
        if !self.pictures.is_empty() {
            let by = self.encoding.as_deref().unwrap_or("camera");
            let mut given = Vec::new();
            for p in &self.pictures {
                // The frames of a sequence are one shot, the pictures of a folder are one each.
                given.extend(if is_pattern(p) { vec![p.clone()] } else { expanded(p)? });
            }
            let all = given.into_iter().map(|p| shot(p, None, by, RATE, Steps::default()));
            let all = all.collect::<Outcome<Vec<_>>>()?;
            return Ok((all, incomplete.get()));
        }
        let all = beside.pictures.iter().map(|p| {
            let trim = p.trim.as_ref().map(|t| trim_of(&folder.join(t))).transpose()?.unwrap_or_default();
            let rate = p.rate.unwrap_or(RATE);
            if !(0.1..=1000.0).contains(&rate) {
                return Err(Failure(format!("{}: {rate} is no rate in frames a second", p.path.display())));
            }
            shot(folder.join(&p.path), p.name.clone(), &p.encoding, rate, trim)
        });
        let all = all.collect::<Outcome<Vec<_>>>()?;
        Ok((all, incomplete.get()))
    }
}

/// Frames a second where none are said.
const RATE: f64 = 24.0;

fn trim_of(path: &Path) -> Outcome<Steps> {
    let Look { path: steps, .. } = files::look(path)?;
    // What a new look has of itself is no part of a trim.
    let scene = steps.steps.into_iter().filter(|s| s.zone == lantern_core::step::Zone::Scene).collect();
    let trim = Steps { steps: scene, groups: steps.groups };
    trim.check_trim().map_err(|e| Failure(format!("{}: {e}", path.display())))?;
    Ok(trim)
}

#[derive(Args)]
pub struct Verify {
    /// A package: its folder or its .zip.
    package: PathBuf,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

impl Verify {
    pub fn run(&self) -> Outcome<()> {
        let found = verify(&self.package).map_err(|e| Failure(format!("{}: {e}", self.package.display())))?;
        if self.json {
            println!("{:#}", serde_json::to_value(&found).map_err(|e| Failure(e.to_string()))?);
        } else {
            println!("{}: {} files are as the manifest says", found.look, found.sound);
            found.faults.iter().for_each(|f| println!("{f}"));
        }
        let faults = found.faults.len();
        if found.is_sound() {
            Ok(())
        } else {
            Err(Failure(format!("{faults} of its files are not as they were handed off")))
        }
    }
}

/// Ends with status 0 where the file is one that was handed off, or what became of one is known; with 3 where it is only near to
/// one, and with 4 where it is none.
#[derive(Args)]
pub struct Identify {
    /// The table that came back, of any format that is read.
    file: PathBuf,
    /// What it may be: packages, tables, and folders of them; may be given several times. The folder that one is in, where neither
    /// this nor a data folder is given.
    #[arg(long, num_args = 1..)]
    among: Vec<PathBuf>,
    /// A data folder: every table that left its productions. It is only read, also while a server works with it.
    #[arg(long)]
    data: Option<PathBuf>,
    /// Only of the production of this name.
    #[arg(long, requires = "data")]
    production: Option<String>,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

/// The deepest folder that is looked into, and the most tables that one is compared with.
const MOST_DEPTH: usize = 4;
const MOST_KNOWN: usize = 400;

impl Identify {
    pub fn run(&self) -> Outcome<()> {
        let bytes = files::bytes(&self.file)?;
        let table = files::table(&self.file)?;
        let mut known = Vec::new();
        let here = [PathBuf::from(".")];
        let alone = self.among.is_empty() && self.data.is_none();
        let among = if alone { &here[..] } else { &self.among };
        let own = self.file.canonicalize().ok();
        for at in among {
            gather(at, 0, own.as_deref(), self.among.contains(at), &mut known)?;
        }
        if let Some(data) = &self.data {
            let own = lantern_server::left::of_folder(data, self.production.as_deref());
            known.extend(own.map_err(|e| Failure(e.to_string()))?);
        }
        let found = identify(&table, blake3::hash(&bytes).to_hex().as_str(), &known);
        if self.json {
            println!("{:#}", serde_json::to_value(&found).map_err(|e| Failure(e.to_string()))?);
        } else {
            say(&found);
        }
        // 1 is an error, as everywhere.
        match found.kinship {
            Kinship::Near => std::process::exit(3),
            Kinship::Foreign => std::process::exit(4),
            _ => Ok(()),
        }
    }
}

fn say(found: &Identified) {
    println!("{}", found.says);
    if found.name.is_none() || matches!(found.kinship, Kinship::SameFile | Kinship::SameTable) {
        return;
    }
    println!(
        "{} from what was handed off: mean {:.2}, 99th percentile {:.2}",
        found.measure, found.mean, found.p99
    );
    if let Some(w) = &found.worst {
        let three = |v: [f32; 3]| v.map(|v| format!("{v:.4}")).join(" ");
        println!(
            "most at {}: {} was handed off, this gives {}",
            three(w.input),
            three(w.known),
            three(w.found)
        );
    }
}

/// The tables of a package, a folder or a file. `said`: somebody named it, so that what is no table is an error.
fn gather(at: &Path, depth: usize, own: Option<&Path>, said: bool, into: &mut Vec<Known>) -> Outcome<()> {
    let has = |p: &Path, endings: &[&str]| {
        p.extension()
            .and_then(|e| e.to_str())
            .is_some_and(|e| endings.iter().any(|w| e.eq_ignore_ascii_case(w)))
    };
    if at.is_dir() && !at.join(lantern_handoff::manifest::NAME).is_file() {
        if depth >= MOST_DEPTH {
            return Ok(());
        }
        let entries = std::fs::read_dir(at).map_err(|e| Failure(format!("{}: {e}", at.display())))?;
        let mut all: Vec<PathBuf> = entries.filter_map(|e| e.ok().map(|e| e.path())).collect();
        all.sort();
        let hidden = |p: &PathBuf| p.file_name().is_some_and(|n| n.to_string_lossy().starts_with('.'));
        return all.iter().filter(|p| !hidden(p)).try_for_each(|p| gather(p, depth + 1, own, false, into));
    }
    if at.is_dir() || has(at, &["zip"]) {
        return match of_package(at) {
            Ok(found) => {
                into.extend(found);
                within(into)
            }
            Err(e) if said => Err(Failure(format!("{}: {e}", at.display()))),
            Err(_) => Ok(()),
        };
    }
    let endings: Vec<&str> =
        TABLES.iter().filter(|f| f.id != "cdl").flat_map(|f| f.endings).copied().collect();
    let itself = own.is_some() && at.canonicalize().ok().as_deref() == own;
    if !said && (itself || !has(at, &endings)) {
        return Ok(());
    }
    match files::table(at) {
        Ok(table) => {
            let name = at.display().to_string();
            let hash = blake3::hash(&files::bytes(at)?).to_hex().to_string();
            let [from, to] = super::inspect::named(&table.title).map_or([None, None], |w| w.map(Some));
            into.push(Known { name, hash, table, from, to });
            within(into)
        }
        Err(e) if said => Err(e),
        Err(_) => Ok(()),
    }
}

fn within(known: &[Known]) -> Outcome<()> {
    if known.len() <= MOST_KNOWN {
        return Ok(());
    }
    Err(Failure(format!("there are more than {MOST_KNOWN} tables to compare with: name fewer with --among")))
}

fn of_package(at: &Path) -> Result<Vec<Known>, String> {
    let manifest = verify::manifest(at)?;
    let mut found = Vec::new();
    let mut names = HashMap::new();
    let tables = manifest.files.iter().filter_map(|f| Some((f, f.table.as_ref()?)));
    for (file, of) in tables {
        let bytes = verify::file(at, &file.path)?;
        let table = lantern_formats::registry::read_table(&bytes, &file.path)
            .map_err(|e| format!("{}: {e}", file.path))?;
        let [from, to] = [&of.from, &of.to].map(|id| Encoding::find(id));
        let version = manifest.look.version.map_or(String::new(), |v| format!(" version {v}"));
        // The same table for several receivers is one.
        if let Some(first) = names.insert(file.blake3.clone(), found.len()) {
            names.insert(file.blake3.clone(), first);
            continue;
        }
        let name = format!("{}{version}: {} in {}", manifest.look.name, file.path, at.display());
        found.push(Known { name, hash: file.blake3.clone(), table, from, to });
    }
    Ok(found)
}
