//! read: what a picture, a table or a look is, as a person reads it.

use super::encoding;
use super::table::Range;
use crate::files::{self, Failure, Outcome};
use clap::Args;
use lantern_core::colour::Encoding;
use lantern_core::look::Path as Steps;
use lantern_core::matching::{reading, small::Small};
use serde_json::{Value, json};
use std::path::PathBuf;
use std::sync::atomic::AtomicBool;

#[derive(Args)]
pub struct Read {
    /// A picture, a table or a look.
    file: PathBuf,
    /// The encoding of a picture, or the one that a table or look expects; by its tags or its name where it is not said.
    #[arg(long)]
    from: Option<String>,
    /// The encoding that a table gives, or that a look is seen in.
    #[arg(long)]
    to: Option<String>,
    /// The range of code values that a table takes and gives.
    #[arg(long, value_enum, default_value_t = Range::Full)]
    range: Range,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

impl Read {
    pub fn run(&self) -> Outcome<()> {
        let found = self.look_at()?;
        if self.json {
            println!("{found:#}");
        } else {
            println!("{}", found["is"].as_str().unwrap_or_default());
            let says = found["reading"]["says"].as_array().into_iter().flatten();
            says.filter_map(Value::as_str).for_each(|s| println!("{s}"));
        }
        Ok(())
    }

    fn fail(&self, e: &dyn std::fmt::Display) -> Failure {
        Failure(format!("{}: {e}", self.file.display()))
    }

    fn look_at(&self) -> Outcome<Value> {
        let has = |ending: &str| self.file.extension().is_some_and(|e| e.eq_ignore_ascii_case(ending));
        let said = |given: &Option<String>, usual: &str| encoding(given.as_deref().unwrap_or(usual));
        if has("json") {
            let look = files::look(&self.file)?;
            let (from, to) = (said(&self.from, "acescct")?, said(&self.to, "rec709")?);
            let reading = reading::of_look(&look.path, &from, &to, &AtomicBool::new(false));
            let reading = reading.map_err(|e| self.fail(&e))?.ok_or_else(|| self.fail(&"it was stopped"))?;
            return self.found(&format!("a look, from {} to {}", from.id, to.id), &reading);
        }
        if ["cube", "clf", "spi1d", "spi3d", "cc"].into_iter().any(has) || self.to.is_some() {
            let table = files::table(&self.file)?;
            let named = super::inspect::named(&table.title);
            let table = self.range.in_full(table)?;
            let pick = |given: &Option<String>, by_title: Option<Encoding>| match (given, by_title) {
                (Some(id), _) => encoding(id),
                (None, Some(found)) => Ok(found),
                (None, None) => {
                    Err(self.fail(&"say its input and output, with --from and --to: nothing in it does"))
                }
            };
            let [from, to] = named.map_or([None, None], |[a, b]| [Some(a), Some(b)]);
            let (from, to) = (pick(&self.from, from)?, pick(&self.to, to)?);
            let reading = reading::of_table(&table, &from, &to).map_err(|e| self.fail(&e))?;
            return self.found(&format!("a table, from {} to {}", from.id, to.id), &reading);
        }
        let facts = lantern_formats::facts::read(&files::bytes(&self.file)?).map_err(|e| self.fail(&e))?;
        let tagged = facts.guess.encoding.map(str::to_owned);
        let by = self.from.clone().or(tagged);
        let by = by.ok_or_else(|| self.fail(&"its tags say no encoding: say it with --from"))?;
        let encoding = encoding(&by)?;
        let small = Small::of(&files::picture(&self.file)?, &encoding, &Steps::default())
            .map_err(|e| self.fail(&e))?;
        self.found(&format!("a picture in {by}"), &reading::of_picture(&small))
    }

    fn found(&self, is: &str, reading: &impl serde::Serialize) -> Outcome<Value> {
        let reading = serde_json::to_value(reading).map_err(|e| self.fail(&e))?;
        Ok(json!({ "is": is, "reading": reading }))
    }
}
