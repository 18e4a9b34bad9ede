//! A production file checked row by row before anything of it is saved: each value is one that the program itself could
//! have written.

use super::handoffs::SIZES;
use super::manifest::{
    Manifest, ManifestFrame, ManifestHandoff, ManifestLook, ManifestPackage, ManifestShot, wrong,
};
use super::plans::MOST_PLANS;
use super::productions::PROFILE;
use super::shots::{MOST_FRAMES, RATES};
use crate::error::ApiResult;
use lantern_core::colour::Encoding;
use lantern_core::look::Look;
use lantern_core::look::{MAX_NAME, is_unseen};
use lantern_core::picture::check_size;
use std::collections::BTreeSet;

/// The longest note, in characters.
const MOST_WORDS: usize = 2000;
/// The longest name of a file, in bytes, as file systems have it.
const MOST_FILE_NAME: usize = 255;
/// The longest word on why a shot has its encoding.
const MOST_REASON: usize = 2000;
/// A name that can be shown on one line.
fn name(what: &str, text: &str) -> ApiResult<()> {
    let fine = !text.trim().is_empty() && text.chars().count() <= MAX_NAME && !text.chars().any(is_unseen);
    if fine { Ok(()) } else { Err(wrong(format!("{what} has no name of 1 to {MAX_NAME} characters"))) }
}

/// Notes and tags.
fn noted(what: &str, texts: [&String; 2]) -> ApiResult<()> {
    let fine =
        |t: &String| t.chars().count() <= MOST_WORDS && !t.chars().any(|c| c.is_control() && c != '\n');
    if texts.into_iter().all(fine) { Ok(()) } else { Err(wrong(format!("{what} has a note that is none"))) }
}

/// A name of a file alone: no folders, nothing that a header or a shell would read otherwise.
fn file_name(text: &str) -> ApiResult<()> {
    let fine = !text.is_empty()
        && text.len() <= MOST_FILE_NAME
        && text != "."
        && text != ".."
        && !text.chars().any(|c| is_unseen(c) || matches!(c, '/' | '\\' | '"'));
    let shown: String = text.chars().filter(|c| !c.is_control()).take(80).collect();
    if fine { Ok(()) } else { Err(wrong(format!("“{shown}” is no name of a file"))) }
}

fn unique<T: Ord>(what: &str, of: impl Iterator<Item = T>) -> ApiResult<()> {
    let mut seen = BTreeSet::new();
    for one in of {
        if !seen.insert(one) {
            return Err(wrong(format!("{what} is there twice")));
        }
    }
    Ok(())
}

fn positive(what: &str, v: i64) -> ApiResult<()> {
    if v >= 0 { Ok(()) } else { Err(wrong(format!("{what} is {v}"))) }
}

impl Manifest {
    /// Refuses what no production holds, with the first thing that is wrong.
    pub(super) fn check(&self) -> ApiResult<()> {
        name("the production", &self.name)?;
        for p in &self.profiles {
            p.body.encoding()?;
        }
        unique("a profile", self.profiles.iter().map(|p| &p.id))?;
        let profiles: BTreeSet<&str> = self.profiles.iter().map(|p| p.id.as_str()).collect();
        if !self.camera.is_empty() && !profiles.contains(self.camera.as_str()) {
            return Err(wrong("its usual camera has a profile that it does not hold"));
        }
        let known = |id: &str| match id.strip_prefix(PROFILE) {
            Some(profile) => profiles.contains(profile),
            None if id == "camera" => !self.camera.is_empty(),
            None => Encoding::find(id).is_some(),
        };
        for scene in &self.scenes {
            name("a scene", &scene.name)?;
            scene.shots.iter().try_for_each(|shot| shot.check(&known))?;
            for table in &scene.tables {
                name("a table of a board", &table.name)?;
                noted("a table of a board", [&table.note, &table.tags])?;
                if table.from.encoding().is_none() || table.to.encoding().is_none() {
                    return Err(wrong(format!(
                        "the table “{}” goes between encodings that are not known",
                        table.name
                    )));
                }
            }
            let there = |[i, j]: [usize; 2]| self.scenes.get(i).is_some_and(|s| j < s.shots.len());
            if scene.shots.iter().filter_map(|s| s.contrast).any(|at| !there(at)) {
                return Err(wrong("a shot has a contrast frame that is not there"));
            }
        }
        if self.plans.len() > MOST_PLANS {
            return Err(wrong(format!("it has more than {MOST_PLANS} plans")));
        }
        self.plans.iter().try_for_each(|plan| plan.check_draft().map_err(wrong))?;
        self.looks.iter().try_for_each(|look| look.check(&known))
    }
}

impl ManifestShot {
    fn check(&self, known: &dyn Fn(&str) -> bool) -> ApiResult<()> {
        name("a shot", &self.name)?;
        noted("a shot", [&self.note, &self.tags])?;
        let wrong = |why: String| Err(wrong(format!("“{}” {why}", self.name)));
        self.trim.check_trim()?;
        if !self.encoding.is_empty() && !known(&self.encoding) {
            return wrong(format!(
                "is encoded in “{}”, which is neither known nor in the file",
                self.encoding
            ));
        }
        if self.encoding_reason.chars().count() > MOST_REASON {
            return wrong("says too much of its encoding".into());
        }
        if !RATES.contains(&self.rate) {
            return wrong(format!("has {} frames a second", self.rate));
        }
        if !(1..=MOST_FRAMES).contains(&self.expected) || self.frames.len() > MOST_FRAMES as usize {
            return wrong(format!("has {} frames of {} announced", self.frames.len(), self.expected));
        }
        let inside = |v: i32| (0..self.frames.len().max(1) as i32).contains(&v);
        let out = self.out_frame.unwrap_or(self.in_frame);
        if !inside(self.poster) || !inside(self.in_frame) || !inside(out) || self.in_frame > out {
            return wrong(format!(
                "has its poster at {}, in at {} and out at {out}, of {} frames",
                self.poster,
                self.in_frame,
                self.frames.len()
            ));
        }
        unique("a frame's number", self.frames.iter().map(|f| f.number))?;
        self.frames.iter().try_for_each(ManifestFrame::check)
    }
}

impl ManifestFrame {
    fn check(&self) -> ApiResult<()> {
        // Names of frames may hold what a clip was called, and where files lay in a dropped folder.
        if self.name.len() > 1024 || self.name.chars().any(char::is_control) {
            return Err(wrong("a frame has a name that is none"));
        }
        positive("a frame's number", self.number.into())?;
        check_size(self.width.max(0) as usize, self.height.max(0) as usize).map_err(wrong)?;
        positive("the length of a frame's file", self.bytes)?;
        positive("a frame's count of values that were no numbers", self.healed)
    }
}

impl ManifestLook {
    fn check(&self, known: &dyn Fn(&str) -> bool) -> ApiResult<()> {
        Look::from_json(&self.document.to_string())?;
        for v in &self.versions {
            Look::from_json(&v.document.to_string())?;
            positive("a version's number", i64::from(v.number) - 1)?;
            if v.name.chars().count() > MAX_NAME {
                return Err(wrong(format!("version {} has a name that is none", v.number)));
            }
        }
        unique("a version's number", self.versions.iter().map(|v| v.number))?;
        self.handoffs.iter().try_for_each(|h| h.check(self, known))?;
        self.packages.iter().try_for_each(|p| p.check(self))
    }
}

impl ManifestPackage {
    fn check(&self, look: &ManifestLook) -> ApiResult<()> {
        file_name(&self.file_name)?;
        let wrong = |why: String| Err(wrong(format!("the package “{}” {why}", self.file_name)));
        if !look.versions.iter().any(|v| v.number == self.version) {
            return wrong(format!("is of version {}, which is not there", self.version));
        }
        if let Err(why) = self.plan.check_draft() {
            return wrong(why.to_string());
        }
        positive("when a package was made", self.made_at)
    }
}

/// The longest text that a handoff says to its receiver.
const MOST_SAID: usize = 4000;

impl ManifestHandoff {
    fn check(&self, look: &ManifestLook, known: &dyn Fn(&str) -> bool) -> ApiResult<()> {
        file_name(&self.file_name)?;
        let wrong = |why: String| Err(wrong(format!("the handoff “{}” {why}", self.file_name)));
        if !look.versions.iter().any(|v| v.number == self.version) {
            return wrong(format!("is of version {}, which is not there", self.version));
        }
        if !SIZES.contains(&self.size) {
            return wrong(format!("has {} points on a side", self.size));
        }
        if !known(&self.from) || !known(&self.to) {
            return wrong(format!("goes from “{}” to “{}”", self.from, self.to));
        }
        if !self.report.is_object() {
            return wrong("has no report".into());
        }
        if self.says.chars().count() > MOST_SAID {
            return wrong("says more than one has to know".into());
        }
        positive("when a handoff was made", self.made_at)
    }
}
