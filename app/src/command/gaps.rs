//! Frames that are missing inside of a sequence, and what stands in for them.

use super::frames::Way;
use clap::ValueEnum;
use std::collections::BTreeMap;
use std::ops::RangeInclusive;
use std::path::{Path, PathBuf};

/// What becomes of frames that are missing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Gaps {
    /// They are left out.
    Skip,
    /// The frame before each stands in for it; the one after where there is none before.
    Hold,
    /// They become black.
    Black,
}

/// A file's name apart from the number of its frame: the last digits in it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Numbered {
    folder: PathBuf,
    before: String,
    after: String,
}

fn numbered(file: &Path) -> Option<(Numbered, usize, u32)> {
    let name = file.file_name()?.to_str()?;
    let end = file.file_stem()?.to_str()?.rfind(|c: char| c.is_ascii_digit())? + 1;
    let begin = name[..end].rfind(|c: char| !c.is_ascii_digit()).map_or(0, |i| i + 1);
    let digits = &name[begin..end];
    let number = digits.parse().ok()?;
    let folder = file.parent().unwrap_or(Path::new("")).into();
    let own = Numbered { folder, before: name[..begin].into(), after: name[end..].into() };
    Some((own, digits.len(), number))
}

/// Frames of one name, by their numbers.
struct Run {
    name: Numbered,
    digits: usize,
    frames: BTreeMap<u32, PathBuf>,
}

/// A frame that is missing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Missing {
    /// Its number.
    pub number: u32,
    /// The name that its file would have.
    pub file: PathBuf,
    /// The frame that is nearest: the one before where there is one.
    pub nearest: PathBuf,
}

/// More missing frames than these are no gap.
const MOST: u64 = 100_000;

/// What is missing among pictures. Of a sequence that was asked for by name (`named`), everything between its first and last
/// frame, or in the range that was asked for; of pictures of a folder or a list, what is missing where they are so many that they
/// are a sequence: three with three digits or more, and two thirds of what lies between their ends.
pub fn missing(pictures: &[PathBuf], named: bool, asked: Option<&RangeInclusive<u32>>) -> Vec<Missing> {
    let mut runs: Vec<Run> = Vec::new();
    for file in pictures {
        let Some((name, digits, number)) = numbered(file) else { continue };
        match runs.iter_mut().find(|r| r.name == name) {
            Some(run) => drop(run.frames.insert(number, file.clone())),
            None => runs.push(Run { name, digits, frames: BTreeMap::from([(number, file.clone())]) }),
        }
    }
    let single = runs.len() == 1;
    runs.iter().flat_map(|run| run.missing(named, asked.filter(|_| named && single), asked)).collect()
}

impl Run {
    fn missing(
        &self,
        named: bool,
        whole: Option<&RangeInclusive<u32>>,
        asked: Option<&RangeInclusive<u32>>,
    ) -> Vec<Missing> {
        let (Some(first), Some(last)) = (self.frames.keys().next(), self.frames.keys().next_back()) else {
            return Vec::new();
        };
        let span = u64::from(last - first) + 1;
        let count = self.frames.len() as u64;
        let is_sequence = self.digits >= 3 && count >= 3 && count * 3 >= span * 2;
        if !named && !is_sequence {
            return Vec::new();
        }
        let range = match (whole, asked) {
            (Some(range), _) => range.clone(),
            (None, Some(range)) => *first.max(range.start())..=*last.min(range.end()),
            (None, None) => *first..=*last,
        };
        if range.is_empty() || u64::from(range.end() - range.start()) > MOST {
            return Vec::new();
        }
        let gone = range.filter(|n| !self.frames.contains_key(n));
        gone.filter_map(|number| {
            let before = self.frames.range(..number).next_back();
            let nearest = before.or_else(|| self.frames.range(number..).next())?.1.clone();
            let Numbered { folder, before, after } = &self.name;
            let file = folder.join(format!("{before}{number:0width$}{after}", width = self.digits));
            Some(Missing { number, file, nearest })
        })
        .collect()
    }
}

/// Numbers in order as people write them: `1003, 1007-1009`.
pub fn listed(missing: &[Missing]) -> String {
    let mut runs: Vec<[u32; 2]> = Vec::new();
    for m in missing {
        match runs.last_mut() {
            Some([_, end]) if *end + 1 == m.number => *end = m.number,
            _ => runs.push([m.number; 2]),
        }
    }
    let more = runs.len().saturating_sub(20);
    let one = |[a, b]: &[u32; 2]| if a == b { a.to_string() } else { format!("{a}-{b}") };
    let said: Vec<String> = runs.iter().take(20).map(one).collect();
    let rest = if more > 0 { format!(" and {more} more") } else { String::new() };
    said.join(", ") + &rest
}

/// Puts what stands in for missing frames among the ways, in their order; `to` names the result of a file.
pub fn fill(ways: &mut Vec<Way>, missing: &[Missing], how: Gaps, to: impl Fn(&Missing) -> PathBuf) {
    if how == Gaps::Skip {
        return;
    }
    for m in missing {
        let way = Way { from: m.nearest.clone(), to: to(m), number: m.number, black: how == Gaps::Black };
        let folder = m.file.parent();
        let at = ways.iter().position(|w| w.from.parent() == folder && w.number > m.number);
        ways.insert(at.unwrap_or(ways.len()), way);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn files(names: &[&str]) -> Vec<PathBuf> {
        names.iter().map(PathBuf::from).collect()
    }

    fn numbers(names: &[&str], named: bool, asked: Option<RangeInclusive<u32>>) -> Vec<u32> {
        missing(&files(names), named, asked.as_ref()).iter().map(|m| m.number).collect()
    }

    #[test]
    fn what_is_missing_lies_between_the_ends_or_in_what_was_asked_for() {
        let sea = ["a/sea.1001.exr", "a/sea.1002.exr", "a/sea.1005.exr"];
        assert_eq!(numbers(&sea, true, None), [1003, 1004]);
        assert_eq!(numbers(&sea, true, Some(1000..=1006)), [1000, 1003, 1004, 1006]);
        assert_eq!(numbers(&sea, true, Some(1001..=1002)), Vec::<u32>::new());
        // Of a list it is a sequence only where most of it is there.
        assert_eq!(numbers(&sea, false, None), Vec::<u32>::new());
        assert_eq!(numbers(&[sea[0], sea[1], "a/sea.1003.exr", sea[2]], false, None), [1004]);
        assert_eq!(numbers(&["still-1.png", "still-9.png", "b.png"], false, None), Vec::<u32>::new());
        let far = ["x.0.dpx", "x.4294967295.dpx"];
        assert_eq!(numbers(&far, true, None), Vec::<u32>::new());
    }

    #[test]
    fn the_frame_before_stands_in_and_the_one_after_where_there_is_none() {
        let sea = files(&["a/sea.0002.exr", "a/sea.0004.exr"]);
        let found = missing(&sea, true, Some(&(1..=4)));
        assert_eq!(listed(&found), "1, 3");
        assert_eq!(found[0].nearest, sea[0]);
        assert_eq!((&found[1].file, &found[1].nearest), (&PathBuf::from("a/sea.0003.exr"), &sea[0]));
        let mut ways: Vec<Way> = sea.iter().map(|f| Way::of(f.clone(), f.clone())).collect();
        fill(&mut ways, &found, Gaps::Hold, |m| m.file.clone());
        assert_eq!(ways.iter().map(|w| w.number).collect::<Vec<_>>(), [1, 2, 3, 4]);
        assert!(ways.iter().all(|w| !w.black));
    }
}
