//! Pictures on the command line: which come in, and what each becomes. All of it is settled before the first is written.

use super::clips::{self, Unpacked};
use super::gaps::{self, Gaps, Missing};
use super::kept::Kept;
use crate::files::{self, Failure, Outcome};
use crate::words::Words;
use clap::Args;
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use lantern_core::colour::Encoding;
use lantern_core::graph::Program;
use lantern_core::look::Path as LookPath;
use lantern_core::texture::buffer::BufferPool;
use lantern_formats::depth::SampleDepth;
use lantern_formats::registry;
use lantern_handoff::graded::Carried;
use lantern_handoff::pipeline::pipeline;
use std::collections::HashMap;
use std::io::{IsTerminal, Write};
use std::ops::RangeInclusive;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Names of the formats that are written: what their files usually end with.
fn written() -> PossibleValuesParser {
    let written = registry::PICTURES.iter().filter(|f| f.write.is_some());
    PossibleValuesParser::new(written.filter_map(|f| f.endings.first().copied()))
}

/// The pictures that come in and where they go.
#[derive(Args)]
pub struct Frames {
    /// Pictures; a folder of pictures; or the frames of a sequence, as sea.%04d.exr, sea.####.exr, sea.@@@@.exr or sea.$F4.exr;
    /// or a clip, whose frames are counted from 0.
    #[arg(required = true)]
    pictures: Vec<PathBuf>,
    /// The result's file; for several pictures a folder, a name with the frame's number, as graded.%04d.dpx, or (`render`) one
    /// movie, as review.mp4, .mov or .mkv.
    #[arg(short, long)]
    out: PathBuf,
    /// The format of the results in a folder; each keeps its own where none is said.
    #[arg(long = "as", value_name = "FORMAT", value_parser = written())]
    ending: Option<String>,
    /// Only frames with these numbers, as 1001-1240 or 7.
    #[arg(long = "frames", value_name = "A-B", value_parser = parse_frames)]
    numbers: Option<RangeInclusive<u32>>,
    /// One part of all, so that several machines share the work: 3/20 is the third of twenty. What a part made before
    /// and is still right is kept, as with --resume.
    #[arg(long, value_name = "I/N", value_parser = parse_part)]
    part: Option<Part>,
    /// What becomes of frames that are missing inside of a sequence. Without it they are said, the others are made, and the
    /// status at the end is 1; a movie is not begun.
    #[arg(long, value_enum)]
    gaps: Option<Gaps>,
    /// Write over results that are there already.
    #[arg(long)]
    overwrite: bool,
    /// Depth of the results' samples. Without it each keeps what its source has, as nearly as its format can.
    #[arg(long, value_name = "DEPTH", value_parser = depths())]
    depth: Option<SampleDepth>,
    /// Keep what was made before and is still right. Notes of what results were made of lie in a hidden folder beside them.
    #[arg(long)]
    resume: bool,
    /// Make all anew, in a part too.
    #[arg(long, conflicts_with = "resume")]
    anew: bool,
    /// Clips as they were unpacked; they go when the work is done.
    #[arg(skip)]
    unpacked: Mutex<Vec<Unpacked>>,
}

/// The depths by their words.
fn depths() -> impl TypedValueParser<Value = SampleDepth> {
    PossibleValuesParser::new(SampleDepth::ALL.map(|d| PossibleValue::new(d.id()).help(d.title())))
        .map(|word| SampleDepth::ALL.into_iter().find(|d| d.id() == word).unwrap_or(SampleDepth::Sixteen))
}

/// One part of several.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Part {
    /// From 1 on.
    number: usize,
    /// How many there are.
    of: usize,
}

fn parse_frames(text: &str) -> Result<RangeInclusive<u32>, String> {
    let why = || format!("“{text}” are no frames: give the first and the last, as 1001-1240");
    let (a, b) = text.split_once('-').unwrap_or((text, text));
    let (a, b): (u32, u32) = (a.parse().map_err(|_| why())?, b.parse().map_err(|_| why())?);
    if a <= b { Ok(a..=b) } else { Err(why()) }
}

fn parse_part(text: &str) -> Result<Part, String> {
    let why = || format!("“{text}” is no part: give 3/20 for the third of twenty");
    let (number, of) = text.split_once('/').ok_or_else(why)?;
    let (number, of): (usize, usize) = (number.parse().map_err(|_| why())?, of.parse().map_err(|_| why())?);
    if (1..=of).contains(&number) { Ok(Part { number, of }) } else { Err(why()) }
}

impl Part {
    /// The part of a list: neighbours, as equal in number as can be.
    fn of<T>(self, mut all: Vec<T>) -> Vec<T> {
        let at = |k: usize| all.len() * k / self.of;
        let (start, end) = (at(self.number - 1), at(self.number));
        all.drain(start..end).collect()
    }
}

/// A picture and what it becomes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Way {
    /// The picture's file.
    pub from: PathBuf,
    /// The result's.
    pub to: PathBuf,
    /// The number of its frame.
    pub number: u32,
    /// Whether it stands for a missing frame that becomes black; the picture says its size.
    pub black: bool,
}

impl Way {
    /// Of a picture with its own number.
    pub fn of(from: PathBuf, to: PathBuf) -> Self {
        Self { number: number(&from), from, to, black: false }
    }
}

impl Frames {
    /// Where results go.
    pub fn out(&self) -> &Path {
        &self.out
    }

    /// Every picture that comes in, in order.
    fn sources(&self) -> Outcome<Vec<PathBuf>> {
        let mut all = Vec::new();
        for given in &self.pictures {
            if !clips::is_clip(given) {
                all.extend(expanded(given)?);
                continue;
            }
            let beside = self.out.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
            let unpacked = Unpacked::of(given, beside)?;
            all.extend(unpacked.frames.iter().cloned());
            self.unpacked.lock().unwrap_or_else(PoisonError::into_inner).push(unpacked);
        }
        Ok(all)
    }

    /// Frames a second of the first clip, once the ways are known.
    pub fn rate_of_clip(&self) -> Option<f64> {
        self.unpacked.lock().unwrap_or_else(PoisonError::into_inner).first().map(|u| u.rate)
    }

    /// Frames that are missing.
    fn missing(&self, sources: &[PathBuf]) -> Vec<Missing> {
        let named = self.pictures.iter().any(|given| is_pattern(given));
        gaps::missing(sources, named, self.numbers.as_ref())
    }

    /// Says what is missing and what becomes of it. `true` where nobody said what should.
    fn say_missing(&self, missing: &[Missing]) -> bool {
        if missing.is_empty() {
            return false;
        }
        let which = gaps::listed(missing);
        let count =
            if missing.len() == 1 { "1 frame is".into() } else { format!("{} frames are", missing.len()) };
        let becomes = match self.gaps {
            None => "--gaps skip, hold or black says what becomes of them",
            Some(Gaps::Skip) => "they are left out",
            Some(Gaps::Hold) => "the frame before stands in for each",
            Some(Gaps::Black) => "they become black",
        };
        eprintln!("dusky-lantern: {count} missing ({which}): {becomes}");
        self.gaps.is_none()
    }

    /// Refuses results that are there already, unless they are to be written over or are looked at first.
    fn check_free<'a>(&self, results: impl Iterator<Item = &'a Path>) -> Outcome<()> {
        if self.overwrite || self.resume || self.anew || self.part.is_some() {
            return Ok(());
        }
        let there: Vec<&Path> = results.filter(|p| p.exists()).collect();
        let Some(first) = there.first() else { return Ok(()) };
        let more = if there.len() > 1 { format!(", as are {} more", there.len() - 1) } else { String::new() };
        Err(Failure(format!(
            "{} is there already{more}: --overwrite writes over what is there, --resume keeps what is still right; nothing was written",
            first.display()
        )))
    }

    /// The pictures that go into one movie, in order.
    pub fn of_movie(&self) -> Outcome<Vec<Way>> {
        if self.part.is_some() || self.ending.is_some() {
            return Err(Failure("a movie is made in one part, and its name says its format".into()));
        }
        // A movie is never taken up again: before a clip is unpacked for nothing.
        files::check_free(std::iter::once(self.out.as_path()), self.overwrite)?;
        let mut sources = self.sources()?;
        let missing = self.missing(&sources);
        if let Some(range) = &self.numbers {
            sources.retain(|s| range.contains(&number(s)));
        }
        if sources.is_empty() {
            return Err(Failure("there is no frame with such a number among the pictures".into()));
        }
        if self.say_missing(&missing) {
            return Err(Failure("a movie without them would be shorter: nothing was written".into()));
        }
        let mut ways: Vec<Way> = sources.into_iter().map(|s| Way::of(s, self.out.clone())).collect();
        gaps::fill(&mut ways, &missing, self.gaps.unwrap_or(Gaps::Skip), |_| self.out.clone());
        Ok(ways)
    }

    /// Every picture with the file that it becomes. Errors where a source would be written over, where two results would
    /// have one name, and where a result has no format that is written.
    /// Beside them, whether frames are missing of which nobody said what becomes of them.
    pub fn ways(&self) -> Outcome<(Vec<Way>, bool)> {
        let sources = self.sources()?;
        let pattern = Pattern::of(&self.out);
        let folder = pattern.is_none() && (sources.len() > 1 || self.out.is_dir());
        if self.ending.is_some() && !folder {
            return Err(Failure("--as is for results in a folder: a file's name says its own format".into()));
        }
        if folder && !self.out.is_dir() {
            let out = self.out.display();
            return Err(Failure(format!(
                "{out}: for several pictures this has to be a folder, or a name with the frame's number in it"
            )));
        }
        let named = |from: &Path, number: u32| match &pattern {
            Some(pattern) => pattern.with(number),
            None if folder => {
                let own = self.out.join(from.file_name().unwrap_or_default());
                self.ending.as_ref().map_or(own.clone(), |ending| own.with_extension(ending))
            }
            None => self.out.clone(),
        };
        let missing = self.missing(&sources);
        let mut ways = Vec::with_capacity(sources.len());
        for from in sources {
            let to = named(&from, number(&from));
            files::check_written(&to)?;
            ways.push(Way::of(from, to));
        }
        check(&ways)?;
        if let Some(how) = self.gaps {
            gaps::fill(&mut ways, &missing, how, |m| named(&m.file, m.number));
        }
        if let Some(range) = &self.numbers {
            ways.retain(|w| range.contains(&w.number));
            if ways.is_empty() {
                let (a, b) = range.clone().into_inner();
                return Err(Failure(format!("there is no frame from {a} to {b} among the pictures")));
            }
        }
        // More parts than frames: some have nothing to do.
        let ways = self.part.map_or(ways.clone(), |p| p.of(ways));
        self.check_free(ways.iter().map(|w| w.to.as_path()))?;
        // One part says it for all.
        let first = self.part.is_none_or(|p| p.number == 1);
        Ok((ways, first && self.say_missing(&missing)))
    }

    /// Reads each picture, works on it, writes it: the next is read and the last written meanwhile. `to` is the encoding of the
    /// results, where it is known; `key` says all that they are made of beside the pictures, so that what was made before and
    /// is still right is kept. A picture that fails is said, and the others are made.
    pub fn each(
        &self,
        to: Option<&Encoding>,
        key: &str,
        work: impl Fn(Carried, &Way, Option<SampleDepth>, &mut BufferPool) -> Outcome<Carried> + Sync,
    ) -> Outcome<()> {
        let (ways, missing) = self.ways()?;
        let words = Words::default();
        let black = to.map_or([0.0; 3], black_in);
        let work = |frame: Carried, way: &Way, source: Option<SampleDepth>, pool: &mut BufferPool| {
            if !way.black {
                return work(frame, way, files::depth_of(&way.to, self.depth.or(source)), pool);
            }
            let mut frame = frame.into_frame();
            frame.picture.pixels.iter_mut().for_each(|p| p[..3].copy_from_slice(&black));
            Ok(frame.into())
        };
        let encode = |way: &Way, frame: &Carried, source: Option<SampleDepth>| {
            files::encode(&way.to, frame, to, self.depth.or(source), source, &words)
        };
        let kept = Kept { key, noted: self.resume || self.part.is_some(), anew: self.anew };
        if let ([way], false, false) = (ways.as_slice(), kept.noted, missing) {
            let bytes = files::bytes(&way.from)?;
            let source = SampleDepth::of_file(&bytes).ok().flatten();
            let frame = work(files::carried_of(&way.from, &bytes)?, way, source, &mut BufferPool::default())?;
            let made = encode(way, &frame, source)?;
            words.end();
            return files::write(&way.to, &made);
        }
        let progress = Mutex::new(Progress::new(ways.len()));
        let failed = AtomicUsize::new(0);
        let fail = |e: &Failure| {
            failed.fetch_add(1, Ordering::Relaxed);
            eprintln!("dusky-lantern: {e}");
        };
        let one_more = || progress.lock().unwrap_or_else(PoisonError::into_inner).one_more();
        let read = |way| match kept
            .needed(way)
            .and_then(|n| n.map(|(key, source, frame)| Ok((key, source, frame?))).transpose())
        {
            Err(e) => {
                fail(&e);
                None
            }
            Ok(None) => {
                one_more();
                None
            }
            Ok(Some((key, source, frame))) => Some((way, key, source, frame)),
        };
        let write = |(way, key, source, frame): (&Way, String, Option<SampleDepth>, Outcome<Carried>)| {
            // The frame goes before its file is written.
            let bytes = frame.and_then(|frame| encode(way, &frame, source));
            match bytes.and_then(|b| kept.write(way, &key, &b)) {
                Err(e) => fail(&e),
                Ok(()) => one_more(),
            }
        };
        // Two of the large ones would take more memory than the processors' waiting is worth.
        let large = Mutex::new(BufferPool::default());
        let work = |pool: &mut BufferPool, (way, key, source, frame): (_, _, _, Carried)| {
            if frame.size().iter().product::<usize>() <= TWO_AT_ONCE {
                return (way, key, source, work(frame, way, source, pool));
            }
            let mut pool = large.lock().unwrap_or_else(PoisonError::into_inner);
            (way, key, source, work(frame, way, source, &mut pool))
        };
        pipeline(ways.iter(), read, &mut [BufferPool::default(), BufferPool::default()], work, write);
        progress.lock().unwrap_or_else(PoisonError::into_inner).end();
        words.end();
        match failed.into_inner() {
            0 if missing => Err(Failure("frames were missing; the others were made".into())),
            0 => Ok(()),
            n => Err(Failure(format!("{n} of {} pictures could not be made", ways.len()))),
        }
    }
}

/// Code values of black in an encoding.
pub fn black_in(to: &Encoding) -> [f32; 3] {
    let linear = Encoding::find("acescg").unwrap_or_else(|| to.clone());
    let made = Program::compile(&LookPath::default(), &linear, to);
    made.map_or([0.0; 3], |program| program.on_colour([0.0; 3]))
}

/// The most pixels of a frame that is worked on beside another: 4096 x 2304.
const TWO_AT_ONCE: usize = 4096 * 2304;

/// Refuses what would lose a picture.
fn check(ways: &[Way]) -> Outcome<()> {
    let real = |path: &Path| -> PathBuf {
        // What is not there yet lies in its folder.
        path.canonicalize().unwrap_or_else(|_| {
            let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
            folder.canonicalize().unwrap_or_else(|_| folder.into()).join(path.file_name().unwrap_or_default())
        })
    };
    let sources: HashMap<PathBuf, &Way> = ways.iter().map(|w| (real(&w.from), w)).collect();
    let mut results: HashMap<PathBuf, &Way> = HashMap::new();
    for way in ways {
        let target = real(&way.to);
        if let Some(source) = sources.get(&target) {
            return Err(Failure(format!(
                "{} would be written over: it is one of the pictures that come in. Give another folder or name; nothing was \
                 written",
                source.from.display()
            )));
        }
        if let Some(other) = results.insert(target, way) {
            return Err(Failure(format!(
                "{} and {} would both become {}: nothing was written",
                other.from.display(),
                way.from.display(),
                way.to.display()
            )));
        }
    }
    Ok(())
}

/// Whether a name stands for the frames of a sequence.
pub fn is_pattern(given: &Path) -> bool {
    Pattern::of(given).is_some_and(|_| !given.exists())
}

/// What is given as a picture: itself, the pictures of a folder in order, or the frames of a sequence in order.
pub fn expanded(given: &Path) -> Outcome<Vec<PathBuf>> {
    let about = |e: &dyn std::fmt::Display| Failure(format!("{}: {e}", given.display()));
    let listed = |folder: &Path| -> Outcome<Vec<PathBuf>> {
        let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
        let all = std::fs::read_dir(folder).map_err(|e| about(&e))?;
        all.map(|entry| Ok(entry.map_err(|e| about(&e))?.path())).collect()
    };
    if given.is_dir() {
        let is_picture = |p: &PathBuf| {
            let ending = p.extension().and_then(|e| e.to_str()).unwrap_or("");
            registry::of_ending(ending).is_some() && p.is_file()
        };
        let mut found: Vec<PathBuf> = listed(given)?.into_iter().filter(is_picture).collect();
        found.sort();
        return if found.is_empty() { Err(about(&"there is no picture in this folder")) } else { Ok(found) };
    }
    let Some(pattern) = Pattern::of(given).filter(|_| !given.exists()) else { return Ok(vec![given.into()]) };
    let all = listed(given.parent().unwrap_or(Path::new("")))?;
    let mut found: Vec<(u32, PathBuf)> =
        all.into_iter().filter_map(|p| pattern.number_of(&p).map(|n| (n, p))).collect();
    found.sort();
    if found.is_empty() {
        return Err(about(&"there is no frame with such a name"));
    }
    Ok(found.into_iter().map(|(_, p)| p).collect())
}

/// A file's name with the place of a frame's number in it: `%d`, or for at least four digits `%04d`, `####`, `@@@@` or `$F4`
/// (common practice of several programs).
#[derive(Clone, Debug, PartialEq, Eq)]
struct Pattern {
    folder: PathBuf,
    before: String,
    digits: usize,
    after: String,
}

impl Pattern {
    fn of(path: &Path) -> Option<Self> {
        let name = path.file_name()?.to_str()?;
        let (before, digits, after) = Self::by_percent(name)
            .or_else(|| Self::by_letter_f(name))
            .or_else(|| Self::by_run(name, '#'))
            .or_else(|| Self::by_run(name, '@'))?;
        let folder = path.parent().unwrap_or(Path::new("")).to_owned();
        // "100%done.png" is a name.
        let word = after.starts_with(|c: char| c.is_alphanumeric());
        (digits <= 9 && !word).then(|| Self { folder, before: before.into(), digits, after: after.into() })
    }

    fn by_percent(name: &str) -> Option<(&str, usize, &str)> {
        let (before, rest) = name.split_once('%')?;
        let (digits, after) = rest.split_once('d')?;
        let digits = if digits.is_empty() { 1 } else { digits.strip_prefix('0')?.parse().ok()? };
        Some((before, digits, after))
    }

    fn by_letter_f(name: &str) -> Option<(&str, usize, &str)> {
        let (before, rest) = name.split_once("$F")?;
        let after = rest.trim_start_matches(|c: char| c.is_ascii_digit());
        let digits = &rest[..rest.len() - after.len()];
        Some((before, if digits.is_empty() { 1 } else { digits.parse().ok()? }, after))
    }

    /// As many of a sign as the number has digits at least; two at least, since one alone is a part of many names.
    fn by_run(name: &str, sign: char) -> Option<(&str, usize, &str)> {
        let begins = name.find(&sign.to_string().repeat(2))?;
        let after = name[begins..].trim_start_matches(sign);
        let digits = name.len() - begins - after.len();
        (!after.contains(&sign.to_string().repeat(2))).then_some((&name[..begins], digits, after))
    }

    fn with(&self, number: u32) -> PathBuf {
        self.folder.join(format!("{}{number:0width$}{}", self.before, self.after, width = self.digits))
    }

    /// The number of a file that has such a name.
    fn number_of(&self, path: &Path) -> Option<u32> {
        let name = path.file_name()?.to_str()?;
        let digits = name.strip_prefix(&self.before)?.strip_suffix(&self.after)?;
        let plain = !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit());
        let number = plain.then(|| digits.parse().ok())??;
        (self.with(number).file_name() == path.file_name()).then_some(number)
    }
}

/// The number of a frame: the last digits of its file's name, 0 where there are none. Grain, weave and flicker go by it.
pub fn number(file: &Path) -> u32 {
    let stem = file.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    let digits = stem.rsplit(|c: char| !c.is_ascii_digit()).find(|d| !d.is_empty()).unwrap_or("0");
    // More digits than a number holds: the last nine tell frames apart.
    digits[digits.len().saturating_sub(9)..].parse().unwrap_or(0)
}

/// How often the state of a sequence is said.
const EVERY: Duration = Duration::from_millis(500);

/// Says on a terminal how far a sequence is, and how long it will take.
pub struct Progress {
    all: usize,
    done: usize,
    begun: Instant,
    said: Option<Instant>,
    shown: bool,
}

impl Progress {
    /// Begins with nothing done.
    pub fn new(all: usize) -> Self {
        let shown = all > 1 && std::io::stderr().is_terminal();
        Self { all, done: 0, begun: Instant::now(), said: None, shown }
    }

    /// One more is done.
    pub fn one_more(&mut self) {
        self.done += 1;
        if self.shown && self.said.is_none_or(|t| t.elapsed() > EVERY) {
            self.said = Some(Instant::now());
            eprint!("\r{}\x1b[K", said(self.done, self.all, self.begun.elapsed()));
            let _ = std::io::stderr().flush();
        }
    }

    /// All are done.
    pub fn end(&self) {
        if self.shown {
            eprintln!("\r{} pictures in {}\x1b[K", self.all, time(self.begun.elapsed()));
        }
    }
}

/// `12 of 240, 3 min 20 s left`.
fn said(done: usize, all: usize, took: Duration) -> String {
    let left = took.mul_f64((all - done) as f64 / done.max(1) as f64);
    format!("{done} of {all}, {} left", time(left))
}

fn time(t: Duration) -> String {
    match t.as_secs() {
        s @ 0..60 => format!("{s} s"),
        s @ 60..3600 => format!("{} min {} s", s / 60, s % 60),
        s => format!("{} h {} min", s / 3600, s / 60 % 60),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_number_of_a_frame_is_put_in_and_read_with_its_digits() {
        let p = Pattern::of(Path::new("in/sea.%04d.exr")).unwrap();
        assert_eq!(p.with(7), Path::new("in/sea.0007.exr"));
        assert_eq!(p.with(123_456), Path::new("in/sea.123456.exr"));
        assert_eq!(p.number_of(Path::new("in/sea.0042.exr")), Some(42));
        for other in
            ["in/sea.42.exr", "in/sea.0042.dpx", "in/lake.0042.exr", "in/sea..exr", "in/sea.00x2.exr"]
        {
            assert_eq!(p.number_of(Path::new(other)), None, "{other}");
        }
        let plain = Pattern::of(Path::new("%d.png")).unwrap();
        assert_eq!((plain.with(7), plain.number_of(Path::new("0007.png"))), ("7.png".into(), None));
        for same in ["in/sea.####.exr", "in/sea.@@@@.exr", "in/sea.$F4.exr"] {
            assert_eq!(Pattern::of(Path::new(same)), Some(p.clone()), "{same}");
        }
        for name in ["100%.png", "100%done.png", "%s.png", "%4d.png", "take#2.png", "a@home.png", "$Fast.png"]
        {
            assert_eq!(Pattern::of(Path::new(name)), None, "{name}");
        }
    }

    #[test]
    fn parts_are_all_of_it_once_however_many_there_are() {
        for (count, of) in [(24, 4), (7, 3), (2, 5), (0, 2), (240, 20)] {
            let parts = (1..=of).map(|number| Part { number, of }.of((0..count).collect::<Vec<usize>>()));
            assert_eq!(parts.flatten().collect::<Vec<_>>(), (0..count).collect::<Vec<_>>());
        }
        assert_eq!(parse_part("3/20"), Ok(Part { number: 3, of: 20 }));
        for wrong in ["0/4", "5/4", "1", "a/b", "1/0", "-1/4"] {
            assert!(parse_part(wrong).is_err(), "{wrong}");
        }
        assert_eq!((parse_frames("1001-1240"), parse_frames("7")), (Ok(1001..=1240), Ok(7..=7)));
        for wrong in ["9-3", "", "-", "a-b", "1-"] {
            assert!(parse_frames(wrong).is_err(), "{wrong}");
        }
    }

    #[test]
    fn time_left_is_by_the_pace_so_far() {
        assert_eq!(said(12, 240, Duration::from_secs(12)), "12 of 240, 3 min 48 s left");
        assert_eq!(time(Duration::from_secs(7380)), "2 h 3 min");
    }
}
