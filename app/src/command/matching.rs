//! match: a shot to references.

use super::encoding;
use crate::files::{self, Failure, Outcome};
use clap::{Args, ValueEnum};
use lantern_core::look::{Look, Path as Steps};
use lantern_core::matching::references::{Common, Pair, Request, match_shot};
use lantern_core::matching::small::Small;
use serde::Deserialize;
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;

#[derive(Args)]
pub struct Match {
    /// The shot.
    #[arg(long)]
    shot: PathBuf,
    /// Its encoding: an id, or a camera profile file.
    #[arg(long)]
    shot_encoding: String,
    /// A reference; several of one look may be given.
    #[arg(long, required = true)]
    reference: Vec<PathBuf>,
    /// The references' encoding; given as often as they are, each has its own.
    #[arg(long, required = true)]
    reference_encoding: Vec<String>,
    /// What they have in common; found out where it is not said.
    #[arg(long, value_enum)]
    common: Option<CommonArgument>,
    /// Areas that belong together, as JSON: {"pairs": [{"shot": {"x", "y", "width", "height"}, "reference": {...}, "of": 0}]}, in
    /// shares of the picture's sides.
    #[arg(long)]
    pairs: Option<PathBuf>,
    /// Strength of the group in per cent; what can be stood for where it is not said.
    #[arg(long, value_parser = clap::value_parser!(u32).range(0..=100))]
    strength: Option<u32>,
    /// Where to write the report, as JSON.
    #[arg(long)]
    report: Option<PathBuf>,
    /// The look's file.
    #[arg(short, long)]
    out: PathBuf,
}

#[derive(Clone, Copy, ValueEnum)]
enum CommonArgument {
    /// Nothing: they are to feel alike.
    Nothing,
    /// The same scene in the same light.
    Scene,
    /// The same frame, graded and ungraded.
    Aligned,
}

/// A file of pairs.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Pairs {
    pairs: Vec<Pair>,
}

fn small(path: &Path, of: &str) -> Outcome<Small> {
    let about = |e: &dyn std::fmt::Display| Failure(format!("{}: {e}", path.display()));
    let encoding = encoding(of)?;
    Small::of(&files::picture(path)?, &encoding, &Steps::default()).map_err(|e| about(&e))
}

impl Match {
    pub fn run(&self) -> Outcome<()> {
        let many = self.reference_encoding.len();
        if many != 1 && many != self.reference.len() {
            return Err(Failure(format!(
                "{many} encodings are given for {} references: give one for all, or one for each",
                self.reference.len()
            )));
        }
        let shot = small(&self.shot, &self.shot_encoding)?;
        let encodings = self.reference_encoding.iter().cycle();
        let references =
            self.reference.iter().zip(encodings).map(|(r, e)| small(r, e)).collect::<Outcome<Vec<_>>>()?;
        let pairs = match &self.pairs {
            None => Vec::new(),
            Some(path) => {
                let read: Pairs = serde_json::from_slice(&files::bytes(path)?)
                    .map_err(|e| Failure(format!("{}: these are no pairs: {e}", path.display())))?;
                read.pairs
            }
        };
        let name =
            self.reference[0].file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
        let common = self.common.map(|c| match c {
            CommonArgument::Nothing => Common::Nothing,
            CommonArgument::Scene => Common::Scene,
            CommonArgument::Aligned => Common::Aligned,
        });
        let strength = self.strength.map(|s| f64::from(s) / 100.0);
        let request =
            Request { shot: &shot, references: &references, common, pairs: &pairs, strength, name: &name };
        let found = match_shot(&request, &AtomicBool::new(false)).map_err(|e| Failure(e.to_string()))?;
        let found = found.ok_or_else(|| Failure("the match was stopped".into()))?;
        let mut look = Look::new(&found.group.name);
        found.put(&mut look.path);
        files::write(&self.out, look.to_json().as_bytes())?;
        let report = &found.report;
        if let Some(out) = &self.report {
            let json = serde_json::to_string_pretty(report).map_err(|e| Failure(e.to_string()))?;
            files::write(out, json.as_bytes())?;
        }
        println!("{}", report.says);
        println!("strength {:.0} %, confidence {:?}", report.strength * 100.0, report.confidence);
        for (i, p) in report.pairs.iter().enumerate() {
            println!("pair {}: {:.1} before, {:.1} after", i + 1, p.before, p.after);
        }
        report.notes.iter().for_each(|n| println!("{n}"));
        Ok(())
    }
}
