//! inspect: what a file is.

use super::encoding;
use super::table::Range;
use crate::files::{self, Failure, Outcome};
use clap::Args;
use lantern_core::bake::Judgement;
use lantern_core::colour::Encoding;
use lantern_core::look::Look;
use lantern_core::table::Table;
use lantern_formats::registry::{TABLES, table_format};
use lantern_formats::{cdl, hald};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

#[derive(Args)]
pub struct Inspect {
    /// A table, look, camera profile or picture.
    file: PathBuf,
    /// For a table: its input encoding, an id or a camera profile file; with --to, its shape is judged.
    #[arg(long, requires = "to")]
    from: Option<String>,
    /// For a table: its output encoding.
    #[arg(long, requires = "from")]
    to: Option<String>,
    /// Print JSON.
    #[arg(long)]
    json: bool,
}

impl Inspect {
    pub fn run(&self) -> Outcome<()> {
        let found = self.look_at()?;
        if self.json {
            println!("{found:#}");
            return Ok(());
        }
        let Some(object) = found.as_object() else { return Ok(()) };
        for (key, value) in object {
            match value {
                Value::String(s) => println!("{key}: {s}"),
                Value::Array(list) if list.iter().all(Value::is_string) => {
                    println!("{key}:");
                    list.iter().filter_map(Value::as_str).for_each(|s| println!("  {s}"));
                }
                other => println!("{key}: {other}"),
            }
        }
        Ok(())
    }
}

impl Inspect {
    /// A table's encodings: those that are said, or those that a title of ours names.
    fn encodings(&self, table: &Table) -> Outcome<Option<[Encoding; 2]>> {
        if let (Some(from), Some(to)) = (&self.from, &self.to) {
            return Ok(Some([encoding(from)?, encoding(to)?]));
        }
        Ok(named(&table.title))
    }

    fn table(&self) -> Outcome<Value> {
        let table = files::table(&self.file)?;
        let format = table_format(&files::bytes(&self.file)?);
        let mut found = of_table(&table);
        found["format"] = json!(format.name);
        if let Some([from, to]) = self.encodings(&table)? {
            found["encodings"] = json!(format!("{} to {}", from.id, to.id));
            let legal = table.title.ends_with("legal range");
            let whole = if legal { Range::Legal } else { Range::Full }.in_full(table)?;
            if let Some(judgement) = lantern_core::bake::judge(&whole, &from, &to) {
                found["judgement"] = judged(&judgement, self.json)?;
            }
        }
        Ok(found)
    }

    fn look_at(&self) -> Outcome<Value> {
        let has = |ending: &str| self.file.extension().is_some_and(|e| e.eq_ignore_ascii_case(ending));
        // A picture that is said to go from one encoding to another is a HaldCLUT; what its name does not say, its bytes do.
        let of_tables = TABLES.iter().filter(|f| !["hald", "cdl"].contains(&f.id));
        let mut endings = of_tables.flat_map(|f| f.endings);
        let table = endings.any(|e| has(e)) || has("png") && self.from.is_some();
        if table { self.table() } else { look_at(&self.file) }
    }
}

/// The encodings that a title of ours names.
pub fn named(title: &str) -> Option<[Encoding; 2]> {
    let (_, way) = title.rsplit_once(": ")?;
    let (a, b) = way.split(',').next()?.split_once(" to ")?;
    Some([Encoding::find(a)?, Encoding::find(b)?])
}

/// A judgement as JSON, or in lines for people.
fn judged(judgement: &Judgement, json: bool) -> Outcome<Value> {
    if json {
        return serde_json::to_value(judgement).map_err(|e| Failure(e.to_string()));
    }
    Ok(json!(lines(judgement)))
}

/// What a judgement says, in lines: whether the table is sound, and each measure that it falls short of.
pub fn lines(judgement: &Judgement) -> Vec<String> {
    let faults = judgement.measures.iter().filter(|m| m.falls_short).map(|m| {
        let note = if m.warning_only { " (a warning)" } else { "" };
        format!("{}: {:.3}, limit {}{note}", m.title, m.value, m.limit)
    });
    let whole = if judgement.sound { "sound" } else { "falls short" };
    std::iter::once(whole.to_string()).chain(faults).collect()
}

fn look_at(path: &Path) -> Outcome<Value> {
    let ending = path.extension().and_then(|e| e.to_str()).unwrap_or("").to_ascii_lowercase();
    match ending.as_str() {
        "json" => of_json(path),
        ending if cdl::Form::of_extension(ending).is_some() => of_corrections(path),
        _ => {
            let facts = lantern_formats::facts::read(&files::bytes(path)?);
            let facts = facts.map_err(|e| Failure(format!("{}: {e}", path.display())))?;
            let frame = files::frame(path)?;
            let (p, beside) = (&frame.picture, &frame.beside);
            let low = p.pixels.iter().flat_map(|q| &q[..3]).copied().fold(f32::INFINITY, f32::min);
            let high = p.pixels.iter().flat_map(|q| &q[..3]).copied().fold(f32::NEG_INFINITY, f32::max);
            Ok(json!({
                "is": "a picture",
                "format": facts.format,
                "depth": facts.depth,
                "width": p.width(),
                "height": p.height(),
                "lowest": low,
                "highest": high,
                "encoding, by its tags": facts.guess.encoding,
                "because": facts.guess.reason,
                "alpha": beside.alpha,
                "width of a pixel over its height": beside.aspect,
                "orientation": beside.orientation,
                "windows": beside.windows.map(|w| json!({ "data": w.data, "shown": w.shown, "size": w.size })),
                "may be a HaldCLUT of points on a side": hald::level(p.width(), p.height()).map(|l| l * l),
            }))
        }
    }
}

fn of_corrections(path: &Path) -> Outcome<Value> {
    let all = cdl::read(&files::bytes(path)?).map_err(|e| Failure(format!("{}: {e}", path.display())))?;
    let three = |v: [f64; 3]| v.map(|v| v.to_string()).join(" ");
    let line = |c: &cdl::Correction| {
        let s = &c.step;
        let (slope, offset, power) = (three(s.slope()), three(s.offset()), three(s.power()));
        format!("{}: slope {slope}, offset {offset}, power {power}, saturation {}", c.id, s.saturation)
    };
    Ok(
        json!({ "is": "an ASC colour decision list", "corrections": all.iter().map(line).collect::<Vec<_>>() }),
    )
}

fn of_table(table: &Table) -> Value {
    json!({
        "is": "a table",
        "title": table.title,
        "entries in 1D": table.shaper().map(|s| s.entries().len()),
        "points on a side in 3D": table.cube().map(|c| c.size()),
        "made of": table.operators().iter().map(|o| o.title()).collect::<Vec<_>>(),
        "domain": json!({ "from": table.domain().min, "to": table.domain().max }),
    })
}

fn of_json(path: &Path) -> Outcome<Value> {
    let value: Value = serde_json::from_slice(&files::bytes(path)?)
        .map_err(|e| Failure(format!("{}: this is not JSON: {e}", path.display())))?;
    if value.get("log").is_some() {
        return of_profile(path);
    }
    let look: Look = files::look(path)?;
    let steps: Vec<String> = look
        .path
        .steps
        .iter()
        .map(|s| {
            let state = if s.on { format!("{:.0} %", s.strength * 100.0) } else { "off".into() };
            format!("{:?}: {} ({}), {state}", s.zone, s.name, s.values.info().title)
        })
        .collect();
    Ok(
        json!({ "is": "a look", "name": look.name, "version": look.version, "tags": look.tags, "notes": look.notes, "steps": steps }),
    )
}

/// Where grey and white land and how many stops lie above and below grey.
fn of_profile(path: &Path) -> Outcome<Value> {
    let profile = files::profile(path)?;
    let curve = profile.curve().map_err(|e| Failure(format!("{}: {e}", path.display())))?;
    let stops = |v: f32| (v / 0.18).log2();
    Ok(json!({
        "is": "a camera profile",
        "name": profile.name,
        "18 % grey at code": curve.to_code(0.18),
        "90 % white at code": curve.to_code(0.9),
        "black at code": curve.to_code(0.0),
        "stops over grey": stops(curve.to_linear(1.0)),
    }))
}
