//! What is said on stderr of a whole run: each thing once, however many pictures it is about.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

/// Words about pictures, gathered while they are made.
#[derive(Debug, Default)]
pub struct Words(Mutex<Said>);

#[derive(Debug, Default)]
struct Said {
    /// What is said, of how many pictures, and of which first.
    lines: BTreeMap<String, (usize, PathBuf)>,
    /// Values that were held at the ends, pictures that had some, and the first of these.
    held: Option<(usize, usize, PathBuf)>,
}

impl Words {
    fn said<T>(&self, of: impl FnOnce(&mut Said) -> T) -> T {
        of(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// Something about a picture.
    pub fn say(&self, what: String, about: &Path) {
        self.said(|s| s.lines.entry(what).or_insert_with(|| (0, about.into())).0 += 1);
    }

    /// Values of a picture that were held at the ends of what whole numbers hold.
    pub fn held(&self, values: usize, about: &Path) {
        if values > 0 {
            self.said(|s| {
                let held = s.held.get_or_insert_with(|| (0, 0, about.into()));
                (held.0, held.1) = (held.0 + values, held.1 + 1);
            });
        }
    }

    /// All of it, in lines.
    fn lines(&self) -> Vec<String> {
        let others = |count: usize| match count {
            0 | 1 => String::new(),
            2 => " (and another picture)".into(),
            n => format!(" (and {} others)", n - 1),
        };
        self.said(|s| {
            let line = |(what, (count, first)): (&String, &(usize, PathBuf))| {
                format!("{}: {what}{}", first.display(), others(*count))
            };
            let mut lines: Vec<String> = s.lines.iter().map(line).collect();
            lines.extend(s.held.as_ref().map(|(values, pictures, first)| {
                format!(
                    "{}: {values} values lie beyond 0 to 1 and were held there{}; floats keep them (--depth float)",
                    first.display(),
                    others(*pictures)
                )
            }));
            lines
        })
    }

    /// Says it.
    pub fn end(&self) {
        self.lines().iter().for_each(|l| eprintln!("dusky-lantern: {l}"));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_thing_is_said_once_with_the_first_picture_that_it_is_about() {
        let words = Words::default();
        for name in ["a.dpx", "b.dpx", "c.dpx"] {
            words.say("half become 16 bit".into(), Path::new(name));
            words.held(usize::from(name != "a.dpx") * 7, Path::new(name));
        }
        let lines = words.lines();
        assert_eq!(lines[0], "a.dpx: half become 16 bit (and 2 others)");
        assert!(lines[1].starts_with("b.dpx: 14 values lie beyond 0 to 1"), "{lines:?}");
    }
}
