//! bake, render and apply.

use super::encoding;
use super::frames::{Frames, Progress};
use crate::files::{self, Failure, Outcome};
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use clap::{Args, ValueEnum};
use lantern_core::bake::{self, Probe, fidelity};
use lantern_core::colour::{Encoding, Reference};
use lantern_core::graph::{Graph, Program};
use lantern_core::look::Path as LookPath;
use lantern_core::table::operator::Range as RangeOf;
use lantern_core::table::{KeptTable, Table};
use lantern_core::texture::FrameGeometry;
use lantern_core::texture::buffer::BufferPool;
use lantern_formats::registry::PictureFormat;
use lantern_handoff::graded::Carried;
use lantern_handoff::movie::{self, Movie};
use lantern_handoff::rate::Rate;
use lantern_handoff::table_file::{self, Format, Wanted};
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;

/// The formats by their words, with what each is.
fn formats() -> impl TypedValueParser<Value = Format> {
    let words = Format::ALL.map(|f| PossibleValue::new(f.id()).help(f.says()));
    PossibleValuesParser::new(words)
        .map(|word| Format::ALL.into_iter().find(|f| f.id() == word).unwrap_or_default())
}

/// The range of code values.
#[derive(Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
pub enum Range {
    /// 0 to 1.
    #[default]
    Full,
    /// 64 to 940 of 10 bit.
    Legal,
}

impl Range {
    fn of(self) -> table_file::Range {
        if self == Self::Legal { table_file::Range::Legal } else { table_file::Range::Full }
    }

    /// A table of this range as one for full range.
    pub fn in_full(self, table: Table) -> Outcome<Table> {
        match self {
            Self::Full => Ok(table),
            Self::Legal => table.of_legal().map_err(|e| Failure(e.to_string())),
        }
    }
}

#[derive(Args)]
pub struct Bake {
    /// The look file.
    #[arg(long)]
    look: PathBuf,
    /// Input encoding of the table: an id, or a camera profile file.
    #[arg(long)]
    from: String,
    /// Output encoding of the table.
    #[arg(long)]
    to: String,
    /// Points on a side.
    #[arg(long, default_value_t = 33, value_parser = parse_size)]
    size: usize,
    /// File format; what the file's name ends with says it where none is given.
    #[arg(long, value_parser = formats())]
    format: Option<Format>,
    /// Range of the code values that go in and come out.
    #[arg(long, value_enum, default_value_t = Range::Full)]
    range: Range,
    /// The table's file.
    #[arg(short, long)]
    out: PathBuf,
    /// Write over files that are there already.
    #[arg(long)]
    overwrite: bool,
    /// Where to write the fidelity report, as JSON.
    #[arg(long)]
    report: Option<PathBuf>,
    /// Pictures to prove the table on, in code values of the input encoding.
    #[arg(long, num_args = 1..)]
    proof: Vec<PathBuf>,
}

fn parse_size(text: &str) -> Result<usize, String> {
    match text {
        "17" | "33" | "65" => text.parse().map_err(|e| format!("{e}")),
        _ => Err("17, 33 or 65".into()),
    }
}

impl Bake {
    /// The format that was asked for or that the file's name ends with. Where both are said they have to agree.
    fn format(&self) -> Outcome<Format> {
        let ending = self.out.extension().unwrap_or_default().to_string_lossy().to_ascii_lowercase();
        let says = Format::ALL.into_iter().find(|f| f.entry().endings.contains(&ending.as_str()));
        match (self.format, says) {
            (Some(format), Some(says)) if format != says => Err(Failure(format!(
                "{}: the name ends as that of a {} file, and --format says {}: give one of them",
                self.out.display(),
                says.id(),
                format.id()
            ))),
            (Some(format), _) | (None, Some(format)) => Ok(format),
            (None, None) => Err(Failure(format!(
                "{}: no table is called so; name it {} or say --format",
                self.out.display(),
                Format::ALL.map(|f| format!(".{}", f.entry().endings[0])).join(", ")
            ))),
        }
    }

    pub fn run(&self) -> Outcome<()> {
        self.format()?;
        let results = [Some(&self.out), self.report.as_ref()].into_iter().flatten();
        files::check_free(results.map(PathBuf::as_path), self.overwrite)?;
        let look = files::look(&self.look)?;
        let (from, to) = (encoding(&self.from)?, encoding(&self.to)?);
        let fail = |e: &dyn std::fmt::Display| Failure(format!("{}: {e}", self.look.display()));
        let program = Program::compile(&look.path, &from, &to).map_err(|e| fail(&e))?;
        // What cannot be read is said before anything is written.
        for path in &self.proof {
            lantern_formats::facts::read(&files::bytes(path)?)
                .map_err(|e| Failure(format!("{}: {e}", path.display())))?;
        }
        let wanted = Wanted {
            look: &look.name,
            from: &from,
            to: &to,
            format: self.format()?,
            size: self.size,
            range: self.range.of(),
        };
        let file = table_file::make(&program, &wanted, &AtomicBool::new(false)).map_err(|e| fail(&e))?;
        let file = file.ok_or_else(|| fail(&"the bake was cancelled"))?;
        files::write(&self.out, &file.bytes)?;
        file.says.iter().for_each(|line| eprintln!("dusky-lantern: {line}"));
        for left in &program.left_out {
            eprintln!("dusky-lantern: left out: {} ({})", left.step, left.why);
        }
        // The file as it stands on disk is what is judged and proven.
        let written = self.range.in_full(files::table(&self.out)?)?;
        if let Some(judgement) = bake::judge(&written, &from, &to) {
            super::inspect::lines(&judgement).iter().for_each(|l| eprintln!("dusky-lantern: judgement: {l}"));
        }
        let Some(out) = &self.report else { return Ok(()) };
        let probes = self.proof.iter().map(|p| probe(p));
        let report = fidelity::report(&program, &written, &from, &to, probes, |_| {})?;
        let json = serde_json::to_string_pretty(&report).map_err(|e| fail(&e))?;
        files::write(out, json.as_bytes())
    }
}

fn probe(path: &Path) -> Outcome<Probe> {
    let picture = files::picture(path)?;
    let name = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    Ok(Probe { name, picture: true, width: picture.width(), pixels: picture.pixels })
}

#[derive(Args)]
pub struct Render {
    /// The look file; without one the pictures are only converted.
    #[arg(long)]
    look: Option<PathBuf>,
    /// Encoding of the pictures: an id, or a camera profile file.
    #[arg(long)]
    from: String,
    /// Encoding of the result.
    #[arg(long)]
    to: String,
    /// Leave picture-only steps out, as a table does.
    #[arg(long)]
    colour_only: bool,
    /// Frames a second, for a movie: 24, 23.976 or 24000/1001. Without it that of the clip, or 24.
    #[arg(long, value_parser = parse_rate)]
    rate: Option<Rate>,
    /// Range of the pictures' code values, those that come in and the results.
    #[arg(long, value_enum, default_value_t = Range::Full)]
    range: Range,
    #[command(flatten)]
    frames: Frames,
}

fn parse_rate(text: &str) -> Result<Rate, String> {
    Rate::parse(text).ok_or_else(|| {
        format!("“{text}” is no rate: it goes from 1 to 1000 frames a second, as 24, 23.976 or 24000/1001")
    })
}

impl Render {
    pub fn run(&self) -> Outcome<()> {
        let path = match &self.look {
            Some(look) => files::look(look)?.path,
            None => LookPath::default(),
        };
        let (from, to) = (encoding(&self.from)?, encoding(&self.to)?);
        let fail = |e: lantern_core::graph::CompileError| Failure(e.to_string());
        if movie::is_movie(self.frames.out()) {
            return self.movie(&path, [&from, &to]);
        }
        let legal = self.legal([&from, &to])?;
        if self.colour_only {
            let program = Program::compile(&path, &from, &to).map_err(fail)?;
            say_left_out(&program);
            return self.frames.each(Some(&to), &self.key(&path, [&from, &to])?, |frame, _, _, _| {
                let mut frame = frame.into_frame();
                frame.work(|pixels| ranged(pixels, legal, |pixels| program.run_parallel(pixels)));
                Ok(frame.into())
            });
        }
        let graph = Graph::compile(&path, &from, &to).map_err(fail)?;
        say_left_out(&graph.last);
        let never = AtomicBool::new(false);
        self.frames.each(Some(&to), &self.key(&path, [&from, &to])?, |frame, way, depth, pool| {
            let stopped = || Failure("stopped".into());
            if legal {
                let mut frame = frame.into_frame();
                recode(&mut frame.picture.pixels, RangeOf::from_legal());
                let made = Carried::from(frame).graded(&graph, way.number, None, pool, &never);
                let mut frame = made.ok_or_else(stopped)?.into_frame();
                recode(&mut frame.picture.pixels, RangeOf::to_legal());
                return Ok(frame.into());
            }
            // What no display has fitted may lie beyond whole numbers, which is counted.
            let fitted = to.reference == Reference::Display;
            let whole = |f: &&PictureFormat| {
                f.codes.as_ref().is_some_and(|c| depth.and_then(|d| d.most()) == Some(u32::from(c.most)))
            };
            let format = files::written(&way.to).filter(|f| fitted && whole(f));
            frame.graded(&graph, way.number, format, pool, &never).ok_or_else(stopped)
        })
    }
}

/// Runs work on code values of legal range, or of full range as they are.
fn ranged(pixels: &mut Vec<[f32; 4]>, legal: bool, work: impl FnOnce(&mut Vec<[f32; 4]>)) {
    if !legal {
        return work(pixels);
    }
    recode(pixels, RangeOf::from_legal());
    work(pixels);
    recode(pixels, RangeOf::to_legal());
}

/// Code values from one range to another.
fn recode(pixels: &mut [[f32; 4]], range: RangeOf) {
    let coded = pixels.iter_mut().flat_map(|p| &mut p[..3]);
    coded.for_each(|v| *v = range.at(f64::from(*v)) as f32);
}

impl Render {
    /// Whether pictures are in legal range. Linear light has none.
    fn legal(&self, [from, to]: [&Encoding; 2]) -> Outcome<bool> {
        let legal = self.range == Range::Legal;
        match [from, to].into_iter().find(|e| legal && e.is_linear()) {
            Some(light) => Err(Failure(format!("{} is linear light, which has no legal range", light.id))),
            None => Ok(legal),
        }
    }

    /// The pictures as one movie.
    fn movie(&self, path: &LookPath, [from, to]: [&Encoding; 2]) -> Outcome<()> {
        let fail = |e: lantern_core::graph::CompileError| Failure(e.to_string());
        if self.range == Range::Legal {
            return Err(Failure(
                "a movie is always in the range that its players expect: leave --range out".into(),
            ));
        }
        let sources = self.frames.of_movie()?;
        let black = super::frames::black_in(to);
        let rate = self.rate.unwrap_or_else(|| Rate::of(self.frames.rate_of_clip().unwrap_or(24.0)));
        let program = Program::compile(path, from, to).map_err(fail)?;
        let graph = Graph::compile(path, from, to).map_err(fail)?;
        say_left_out(if self.colour_only { &program } else { &graph.last });
        let mut progress = Progress::new(sources.len());
        let (mut movie, mut pool): (Option<Movie>, _) = (None, BufferPool::default());
        let out = self.frames.out();
        let about = |why: String| Failure(format!("{}: {why}", out.display()));
        for source in &sources {
            let mut frame = files::frame(&source.from)?;
            frame.lights_cover();
            let mut picture = frame.picture;
            let size = [picture.width(), picture.height()];
            if source.black {
                picture.pixels.fill([black[0], black[1], black[2], 1.0]);
            } else if self.colour_only {
                program.run_parallel(&mut picture.pixels);
            } else {
                let geometry = FrameGeometry::whole(size[0], size[1], graph.gauge, source.number);
                graph.run_in(&mut picture.pixels, &geometry, &mut pool, &AtomicBool::new(false));
            }
            let movie = match &mut movie {
                Some(movie) => movie,
                None => movie.insert(Movie::begin(out, to, size, rate).map_err(about)?),
            };
            movie.add(&source.from.display().to_string(), &picture).map_err(Failure)?;
            progress.one_more();
        }
        movie.map_or(Ok(()), Movie::finish).map_err(about)?;
        progress.end();
        Ok(())
    }

    /// All that results are made of beside the pictures.
    fn key(&self, path: &LookPath, [from, to]: [&Encoding; 2]) -> Outcome<String> {
        let path = serde_json::to_string(path).map_err(|e| Failure(e.to_string()))?;
        // A camera's encoding has no name that says all of it.
        let legal = self.range == Range::Legal;
        Ok(format!("render {path} {from:?} {to:?} {} {legal}", self.colour_only))
    }
}

/// Says on stderr what the result does not hold.
fn say_left_out(program: &Program) {
    for l in &program.left_out {
        eprintln!("dusky-lantern: “{}” is not in it: {}", l.step, l.why);
    }
}

#[derive(Args)]
pub struct Apply {
    /// The table's file: .cube, .clf, .spi1d, .spi3d, a HaldCLUT picture, or an ASC CDL of one correction.
    #[arg(long)]
    table: PathBuf,
    /// The range of code values that the table takes and gives; pictures are in full range.
    #[arg(long, value_enum, default_value_t = Range::Full)]
    range: Range,
    #[command(flatten)]
    frames: Frames,
}

impl Apply {
    pub fn run(&self) -> Outcome<()> {
        let table = self.range.in_full(files::table(&self.table)?)?;
        let key = format!("apply {}", KeptTable::of(&table).hash());
        self.frames.each(None, &key, |frame, _, _, _| {
            let mut frame = frame.into_frame();
            frame.work(|pixels| table.apply_parallel(pixels));
            Ok(frame.into())
        })
    }
}
