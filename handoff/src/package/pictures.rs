//! Graded pictures of a package: stills, frames and review movies.

use super::{Making, Order, PackageError, Shot};
use crate::graded::Carried;
use crate::movie::{self, Movie};
use crate::pipeline::pipeline;
use crate::plan::{Delivery, plain_name, written};
use crate::rate::Rate;
use lantern_core::colour::Encoding;
use lantern_core::graph::Graph;
use lantern_core::picture::Picture;
use lantern_core::texture::FrameGeometry;
use lantern_core::texture::buffer::BufferPool;
use lantern_formats::frame::Frame;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, PoisonError};

/// What is made of a shot.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Stills,
    Frames,
    Movies,
}

/// Pictures that a receiver wants of each shot.
pub(super) struct Pictures {
    pub(super) receiver: String,
    kind: Kind,
    format: String,
    to: Encoding,
}

/// The pictures of the plan, each once. What cannot be made of any shot is said before anything is written.
pub(super) fn pictures(order: &Order<'_>) -> Result<Vec<Pictures>, PackageError> {
    let mut all: Vec<Pictures> = Vec::new();
    for r in &order.plan.receivers {
        for d in &r.deliveries {
            let (kind, format, to) = match d {
                Delivery::Stills { format, to } => (Kind::Stills, format, to),
                Delivery::Frames { format, to } => (Kind::Frames, format, to),
                Delivery::Movies { format, to } => (Kind::Movies, format, to),
                _ => continue,
            };
            let fail = |why: String| PackageError::Delivery { receiver: r.name.clone(), why };
            let to = (order.encoding)(to).map_err(fail)?;
            if kind == Kind::Movies {
                movie::check(&to).map_err(fail)?;
            }
            for shot in order.shots {
                graph(order, shot, &to).map_err(fail)?;
            }
            let made = Pictures { receiver: r.name.clone(), kind, format: format.to_ascii_lowercase(), to };
            if !all.iter().any(|p| p.is_same(&made)) {
                all.push(made);
            }
        }
    }
    Ok(all)
}

fn graph(order: &Order<'_>, shot: &Shot<'_>, to: &Encoding) -> Result<Graph, String> {
    let path = order.look.path.over(&shot.trim);
    Graph::compile(&path, &shot.encoding, to).map_err(|e| e.to_string())
}

/// A shot of the package that pictures are made of.
struct Taken<'a> {
    shot: &'a Shot<'a>,
    /// What its files are called.
    name: String,
    graph: Graph,
}

impl Taken<'_> {
    /// The number of a frame.
    fn number(&self, place: usize) -> u32 {
        self.shot.frames.get(place).copied().unwrap_or(0)
    }

    /// Grades a picture, which is that of a frame.
    fn grade(&self, picture: &mut Picture, place: usize, pool: &mut BufferPool, cancel: &AtomicBool) {
        let number = self.number(place);
        let geometry = FrameGeometry::whole(picture.width(), picture.height(), self.graph.gauge, number);
        self.graph.run_in(&mut picture.pixels, &geometry, pool, cancel);
    }
}

/// A frame on its way through a package: as it was read, or kept from an earlier try.
enum OnItsWay {
    Read(Box<Carried>),
    Kept(PathBuf),
}

impl Pictures {
    fn is_same(&self, other: &Self) -> bool {
        let of = |p: &Self| (p.receiver.clone(), p.kind, p.format.clone(), p.to.id.clone());
        of(self) == of(other)
    }

    /// How many pictures are made of a shot.
    pub(super) fn count(&self, shot: &Shot<'_>) -> usize {
        match (self.kind, shot.frames.len()) {
            (Kind::Stills, _) => 1,
            (_, 0 | 1) => 0,
            (_, frames) => frames,
        }
    }

    /// What it is, in words, where nothing can be made of any shot.
    pub(super) fn words(&self) -> (&'static str, &'static str) {
        match self.kind {
            Kind::Stills => ("stills", "there is no shot whose encoding is known"),
            Kind::Frames => ("graded frames", "no shot has more than one frame"),
            Kind::Movies => ("review movies", "no shot has more than one frame"),
        }
    }

    /// Makes those of a shot. `frame` is the one that is shown for it. `false` when it was cancelled.
    pub(super) fn make(
        &self,
        making: &mut Making<'_>,
        index: usize,
        shot: &Shot<'_>,
        frame: &Frame,
    ) -> Result<bool, PackageError> {
        let fail = |why: String| PackageError::Shot { name: shot.name.clone(), why };
        let name = format!("{:02}-{}", index + 1, plain_name(&shot.name, "shot"));
        let taken = Taken { shot, name, graph: graph(making.order, shot, &self.to).map_err(fail)? };
        match self.kind {
            Kind::Stills => self.still(making, &taken, frame)?,
            _ if self.count(shot) == 0 => {}
            Kind::Frames => self.frames(making, &taken)?,
            Kind::Movies => self.movie(making, &taken)?,
        }
        Ok(!making.cancelled())
    }

    /// The folder of a kind of pictures in the package.
    fn folder(&self, kind: &str) -> String {
        let (receiver, to) = (plain_name(&self.receiver, "receiver"), plain_name(&self.to.id, "encoding"));
        format!("{receiver}/{kind}-{to}")
    }

    fn encode(&self, frame: &Carried) -> Result<Vec<u8>, String> {
        let format = written(&self.format).ok_or("this format is not written")?;
        frame.encoded(format, Some(&self.to)).map_err(|e| e.to_string())
    }

    /// What tells a picture from all others: where it has it, it can be kept until the package is whole.
    fn recipe(&self, taken: &Taken<'_>, order: &Order<'_>, places: &[usize]) -> Option<String> {
        let mut hasher = blake3::Hasher::new();
        let mut say = |text: &str| {
            hasher.update(&(text.len() as u64).to_le_bytes());
            hasher.update(text.as_bytes());
        };
        say(env!("CARGO_PKG_VERSION"));
        say(&serde_json::to_string(&order.look.path.over(&taken.shot.trim)).ok()?);
        say(&format!("{:?} {:?} {} {}", taken.shot.encoding, self.to, self.format, taken.shot.rate));
        for place in places {
            say(&format!("{} {}", taken.shot.frames.get(*place)?, (taken.shot.made_of)(*place)?));
        }
        Some(hasher.finalize().to_hex().to_string())
    }

    fn still(&self, making: &mut Making<'_>, taken: &Taken<'_>, frame: &Frame) -> Result<(), PackageError> {
        let fail = |why: String| PackageError::Shot { name: taken.shot.name.clone(), why };
        let (number, format) = (taken.number(taken.shot.poster), written(&self.format));
        let (frame, mut pool) = (Carried::from(frame.clone()), BufferPool::default());
        let Some(frame) = frame.graded(&taken.graph, number, format, &mut pool, making.cancel) else {
            return Ok(());
        };
        let bytes = self.encode(&frame).map_err(fail)?;
        let path = format!("{}/{}.{}", self.folder("stills"), taken.name, self.format);
        making.put(&self.receiver, &path, &format!("still of {}", taken.shot.name), &bytes)?;
        making.one_more();
        Ok(())
    }

    /// Every frame; one that an earlier try made is not made again.
    fn frames(&self, making: &mut Making<'_>, taken: &Taken<'_>) -> Result<(), PackageError> {
        let (order, cancel, shot) = (making.order, making.cancel, taken.shot);
        let folder = self.folder("frames");
        let stopped = Stopped::default();
        let fail = |why: String| PackageError::Shot { name: shot.name.clone(), why };
        let kept = |place| {
            let recipe = self.recipe(taken, order, &[place])?;
            Some(order.folder.join(format!("{recipe}.{}", self.format)))
        };
        let read = |place: usize| {
            if stopped.is_set() || cancel.load(Ordering::Relaxed) {
                return None;
            }
            if let Some(path) = kept(place).filter(|p| p.is_file()) {
                return Some((place, OnItsWay::Kept(path)));
            }
            match (shot.read)(place) {
                Ok(frame) => Some((place, OnItsWay::Read(Box::new(frame.into())))),
                Err(why) => stopped.by(fail(why)),
            }
        };
        let format = written(&self.format);
        let work = |pool: &mut BufferPool, (place, found): (usize, OnItsWay)| match found {
            OnItsWay::Kept(_) => (place, Some(found)),
            OnItsWay::Read(frame) => {
                let made = frame.graded(&taken.graph, taken.number(place), format, pool, cancel);
                (place, made.map(|frame| OnItsWay::Read(Box::new(frame))))
            }
        };
        let write = |(place, found): (usize, Option<OnItsWay>)| {
            // Stopped in the middle of it, a picture is not whole.
            let Some(found) = found.filter(|_| !stopped.is_set() && !cancel.load(Ordering::Relaxed)) else {
                return;
            };
            let number = taken.number(place);
            let path = format!("{folder}/{0}/{0}.{number:04}.{1}", taken.name, self.format);
            let is = format!("frame {number} of {}", shot.name);
            let mut put = || match &found {
                OnItsWay::Kept(from) => Ok(making.put_file(&self.receiver, &path, &is, from)?),
                OnItsWay::Read(frame) => {
                    let bytes = self.encode(frame).map_err(fail)?;
                    if let Some(at) = kept(place) {
                        write_whole(&at, &bytes)?;
                    }
                    Ok(making.put(&self.receiver, &path, &is, &bytes)?)
                }
            };
            match put() {
                Ok(()) => making.one_more(),
                Err(e) => stopped.by(e).unwrap_or_default(),
            }
        };
        pipeline(0..shot.frames.len(), read, &mut at_once(), work, write);
        stopped.result()
    }

    /// All frames as one movie; one that an earlier try made is not made again.
    fn movie(&self, making: &mut Making<'_>, taken: &Taken<'_>) -> Result<(), PackageError> {
        let (order, shot) = (making.order, taken.shot);
        let all: Vec<usize> = (0..shot.frames.len()).collect();
        let recipe = self.recipe(taken, order, &all);
        let at = match &recipe {
            Some(recipe) => order.folder.join(format!("{recipe}.{}", self.format)),
            None => order.folder.join(format!(".{}.{}.{}", std::process::id(), taken.name, self.format)),
        };
        let path = format!("{}/{}.{}", self.folder("movies"), taken.name, self.format);
        let is = format!("review movie of {}", shot.name);
        if recipe.is_none() || !at.is_file() {
            match self.movie_at(&at, making, taken)? {
                Ok(()) => {}
                // What ffmpeg does not take is no reason to make nothing at all.
                Err(why) => {
                    making.not_made(&self.receiver, &is, &why);
                    return Ok(());
                }
            }
            if making.cancelled() {
                return Ok(());
            }
        }
        let done = making.put_file(&self.receiver, &path, &is, &at);
        if recipe.is_none() {
            let _ = std::fs::remove_file(&at);
        }
        Ok(done?)
    }

    /// Makes a movie under a path, unless it is cancelled; gives why where that fails.
    fn movie_at(
        &self,
        at: &Path,
        making: &mut Making<'_>,
        taken: &Taken<'_>,
    ) -> Result<Result<(), String>, PackageError> {
        let (cancel, shot) = (making.cancel, taken.shot);
        let stopped = Stopped::default();
        let refused: Mutex<Option<String>> = Mutex::new(None);
        let is_over = || {
            let refused = refused.lock().unwrap_or_else(PoisonError::into_inner).is_some();
            refused || stopped.is_set() || cancel.load(Ordering::Relaxed)
        };
        let mut movie: Option<Movie> = None;
        let read = |place: usize| {
            if is_over() {
                return None;
            }
            match (shot.read)(place) {
                Ok(mut frame) => {
                    // A movie lies on black.
                    frame.lights_cover();
                    Some((place, frame.picture.upright(frame.beside.orientation)))
                }
                Err(why) => stopped.by(PackageError::Shot { name: shot.name.clone(), why }),
            }
        };
        let work = |pool: &mut BufferPool, (place, mut picture): (usize, Picture)| {
            taken.grade(&mut picture, place, pool, cancel);
            (place, picture)
        };
        let add = |(place, picture): (usize, Picture)| {
            if is_over() {
                return;
            }
            let size = [picture.width(), picture.height()];
            let mut add = || {
                let movie = match &mut movie {
                    Some(movie) => movie,
                    None => movie.insert(Movie::begin(at, &self.to, size, Rate::of(shot.rate))?),
                };
                let number = shot.frames.get(place).copied().unwrap_or(0);
                movie.add(&format!("frame {number}"), &picture)
            };
            match add() {
                Ok(()) => making.one_more(),
                Err(why) => *refused.lock().unwrap_or_else(PoisonError::into_inner) = Some(why),
            }
        };
        pipeline(0..shot.frames.len(), read, &mut at_once(), work, add);
        stopped.result()?;
        if let Some(why) = refused.into_inner().unwrap_or_else(PoisonError::into_inner) {
            return Ok(Err(why));
        }
        if making.cancelled() {
            return Ok(Ok(()));
        }
        Ok(movie.map_or(Ok(()), Movie::finish))
    }
}

/// Rooms for the pictures that are worked on at once.
fn at_once() -> [BufferPool; 1] {
    [BufferPool::default()]
}

/// Writes a file that is there whole or not at all.
fn write_whole(at: &Path, bytes: &[u8]) -> std::io::Result<()> {
    let part = at.with_extension("part");
    std::fs::write(&part, bytes).and_then(|()| std::fs::rename(&part, at))
}

/// The first thing that went wrong, which stops all that runs at once.
#[derive(Default)]
struct Stopped {
    why: Mutex<Option<PackageError>>,
    set: AtomicBool,
}

impl Stopped {
    fn by<T>(&self, why: PackageError) -> Option<T> {
        self.why.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(why);
        self.set.store(true, Ordering::Relaxed);
        None
    }

    fn is_set(&self) -> bool {
        self.set.load(Ordering::Relaxed)
    }

    fn result(self) -> Result<(), PackageError> {
        match self.why.into_inner().unwrap_or_else(PoisonError::into_inner) {
            Some(why) => Err(why),
            None => Ok(()),
        }
    }
}
