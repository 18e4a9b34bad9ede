//! "Is this our table?": a file that came back, held against what was handed off.

use lantern_core::bake::Meter;
use lantern_core::colour::{Encoding, Reference};
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::numeric::percentile::percentile;
use lantern_core::table::operator::Range;
use lantern_core::table::{Operator, Table};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A table that was handed off.
#[derive(Clone, Debug)]
pub struct Known {
    /// What it is called: the look, its version, its receiver.
    pub name: String,
    /// The hash of its file (BLAKE3, in hexadecimal).
    pub hash: String,
    /// The table.
    pub table: Table,
    /// The encoding that it takes, where it is known.
    pub from: Option<Encoding>,
    /// The encoding that it gives, where it is known.
    pub to: Option<Encoding>,
}

/// How a file relates to a table that was handed off.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Kinship {
    /// The same file, bit for bit.
    SameFile,
    /// The same numbers in another file: another title, another format, fewer digits.
    SameTable,
    /// The same function with another number of points, or with formulas in place of points.
    Resampled,
    /// The same table with ranges changed, or mixed up.
    Range,
    /// The same table for other encodings.
    Encoding,
    /// The same table with red and blue changed places.
    Channels,
    /// Near to it: another version, or edited.
    Near,
    /// None of those that were handed off.
    Foreign,
}

/// Where a file differs most from what it is nearest to.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Place {
    /// Code values that go in.
    pub input: [f32; 3],
    /// What the table gave that was handed off.
    pub known: [f32; 3],
    /// What the file gives.
    pub found: [f32; 3],
}

/// What a file is.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Identified {
    /// How it relates to the nearest.
    pub kinship: Kinship,
    /// The name of the nearest; none where there is nothing to compare with.
    pub name: Option<String>,
    /// The same in a sentence.
    pub says: String,
    /// The measure of the differences: CIEDE2000 or delta-E-ITP; of code values where no encoding is known.
    pub measure: String,
    /// Mean difference from the nearest as it was handed off.
    pub mean: f64,
    /// 99th percentile.
    pub p99: f64,
    /// Where they differ most.
    pub worst: Option<Place>,
    /// The greys of both at 65 places: what goes in, what was handed off, what the file gives. For drawing.
    pub greys: Vec<Place>,
}

/// Mean difference of code values, of all colours and of greys, below which tables of unlike points are the same function: what
/// lies between points differs most in colours that no scene has (33 against 65 points of the starting looks: up to 0.004).
const SAME: [f64; 2] = [6e-3, 1.5e-3];
/// The same of numbers themselves: files hold six decimals or more, pictures 16 bit.
const SAME_NUMBERS: f32 = 1.6e-5;
/// Mean difference of code values beyond which a table is another one.
const FOREIGN: f64 = 0.08;

/// Points on a side of the colours that tables are compared on.
const SIDE: usize = 13;

/// Greys among them, which come last.
const GREYS: usize = 200;
/// The largest difference of channels of colours that encodings of any gamut hold.
const HELD: f32 = 0.26;

fn colourfulness(p: &[f32; 4]) -> f32 {
    p[0].max(p[1]).max(p[2]) - p[0].min(p[1]).min(p[2])
}

/// Colours of the whole range and greys, in code values.
fn colours() -> Vec<[f32; 4]> {
    let at = |i: usize| i as f32 / (SIDE - 1) as f32;
    let mut all: Vec<[f32; 4]> =
        (0..SIDE.pow(3)).map(|i| [at(i % SIDE), at(i / SIDE % SIDE), at(i / SIDE / SIDE), 1.0]).collect();
    // Between points of most tables, so that what is resampled is told.
    all.extend((0..GREYS).map(|i| (i as f32 + 0.37) / GREYS as f32).map(|v| [v, v, v, 1.0]));
    all
}

fn run(table: &Table, mut pixels: Vec<[f32; 4]>) -> Vec<[f32; 4]> {
    table.apply_parallel(&mut pixels);
    pixels
}

fn apart(a: &[f32; 4], b: &[f32; 4]) -> f64 {
    (0..3).map(|c| f64::from((a[c] - b[c]).abs())).fold(0.0, f64::max)
}

fn mean(a: &[[f32; 4]], b: &[[f32; 4]]) -> f64 {
    a.iter().zip(b).map(|(a, b)| apart(a, b).min(1.0)).sum::<f64>() / a.len().max(1) as f64
}

/// Numbers of two plain tables of the same size, or operators, that are alike but for rounding.
fn same_numbers(a: &Table, b: &Table) -> bool {
    let near = |a: f32, b: f32| (a - b).abs() <= SAME_NUMBERS * a.abs().max(1.0);
    match (a.parts(), b.parts()) {
        (Some((s, c)), Some((t, d))) => {
            let curves = match (s, t) {
                (None, None) => true,
                (Some(s), Some(t)) => {
                    s.domain() == t.domain()
                        && s.entries().len() == t.entries().len()
                        && s.entries()
                            .as_flattened()
                            .iter()
                            .zip(t.entries().as_flattened())
                            .all(|(a, b)| near(*a, *b))
                }
                _ => false,
            };
            let cubes = match (c, d) {
                (None, None) => true,
                (Some(c), Some(d)) => {
                    c.domain() == d.domain()
                        && c.size() == d.size()
                        && c.nodes()
                            .as_flattened()
                            .iter()
                            .zip(d.nodes().as_flattened())
                            .all(|(a, b)| near(*a, *b))
                }
                _ => false,
            };
            curves && cubes
        }
        _ => a.operators() == b.operators(),
    }
}

/// A way in which a table may have been changed: what is put before and after it, and what that is in words.
struct Change {
    kinship: Kinship,
    before: Vec<Step>,
    after: Step,
    says: String,
}

#[derive(Clone)]
enum Step {
    Nothing,
    Range(Range),
    Program(Box<Program>),
    Swapped,
}

impl Step {
    fn run(&self, pixels: &mut [[f32; 4]]) {
        match self {
            Self::Nothing => {}
            Self::Range(r) => Operator::Range(r.clone()).on_pixels(pixels),
            Self::Program(p) => p.run_parallel(pixels),
            Self::Swapped => pixels.iter_mut().for_each(|p| p.swap(0, 2)),
        }
    }
}

/// The first of [`ranges`]: those that change both sides.
const BOTH_SIDES: usize = 2;

fn ranges() -> Vec<Change> {
    let legal = || Step::Range(Range::to_legal());
    let full = || Step::Range(Range::from_legal());
    let change = |before, after, says: &str| Change {
        kinship: Kinship::Range,
        before: vec![before],
        after,
        says: says.into(),
    };
    vec![
        change(full(), legal(), "it takes and gives legal range, where full range was handed off"),
        change(legal(), full(), "it takes and gives full range, where legal range was handed off"),
        change(
            full(),
            Step::Nothing,
            "what goes in is taken for legal range, where full range was handed off",
        ),
        change(Step::Nothing, legal(), "it gives legal range, where full range was handed off"),
        change(
            legal(),
            Step::Nothing,
            "what goes in is taken for full range, where legal range was handed off",
        ),
        change(Step::Nothing, full(), "it gives full range, where legal range was handed off"),
        change(full(), full(), "what goes in and comes out is taken for legal range twice"),
    ]
}

/// Other encodings that a table may have been made for. What goes in is led to what the known one takes.
fn encodings(known: &Known) -> Vec<Change> {
    let way = |a: &Encoding, b: &Encoding| {
        Program::compile(&Path::default(), a, b).ok().map(|p| Step::Program(Box::new(p)))
    };
    let kinship = Kinship::Encoding;
    let others = || Encoding::shipped().filter(|e| !e.is_linear());
    let mut all = Vec::new();
    if let Some(from) = &known.from {
        for other in others().filter(|e| e.reference == from.reference && !e.same_codes(from)) {
            let Some(step) = way(&other, from) else { continue };
            let says = format!("it is for {} going in, where {} was handed off", other.name, from.name);
            // The range may have changed with it.
            for mut both in ranges().into_iter().take(BOTH_SIDES) {
                both.before.insert(0, step.clone());
                all.push(Change { kinship, says: format!("{says}, and {}", both.says), ..both });
            }
            all.push(Change { kinship, before: vec![step], after: Step::Nothing, says });
        }
    }
    if let Some(to) = known.to.as_ref().filter(|e| e.reference == Reference::Display) {
        for other in others().filter(|e| e.reference == to.reference && !e.same_codes(to)) {
            let Some(after) = way(to, &other) else { continue };
            let says = format!("it is for {} coming out, where {} was handed off", other.name, to.name);
            all.push(Change { kinship, before: Vec::new(), after, says });
        }
    }
    all
}

fn channels() -> Vec<Change> {
    let change = |before, after, says: &str| Change {
        kinship: Kinship::Channels,
        before: vec![before],
        after,
        says: says.into(),
    };
    vec![
        change(
            Step::Swapped,
            Step::Swapped,
            "its points are in the other order: red and blue have changed places on both sides",
        ),
        change(Step::Swapped, Step::Nothing, "red and blue have changed places going in"),
        change(Step::Nothing, Step::Swapped, "red and blue have changed places coming out"),
    ]
}

/// What points the numbers of a table stand at, in words.
fn points(table: &Table) -> String {
    match table.points() {
        0 => table.summary(),
        n => format!("{n} points"),
    }
}

/// Says what a file is of all that was handed off. `hash` is the BLAKE3 of its bytes.
pub fn identify(found: &Table, hash: &str, known: &[Known]) -> Identified {
    if let Some(k) = known.iter().find(|k| k.hash == hash) {
        return said(found, Some(k), Kinship::SameFile, format!("bit for bit “{}”", k.name));
    }
    // Of several with the same numbers, the one that says the same of itself.
    let same = || known.iter().filter(|k| same_numbers(&k.table, found));
    if let Some(k) = same().find(|k| k.table.title == found.title).or_else(|| same().next()) {
        return said(
            found,
            Some(k),
            Kinship::SameTable,
            format!("the table of “{}”, written anew: the numbers are the same", k.name),
        );
    }
    let inputs = colours();
    let theirs = run(found, inputs.clone());
    let ours: Vec<Vec<[f32; 4]>> = known.iter().map(|k| run(&k.table, inputs.clone())).collect();
    let far: Vec<f64> = ours.iter().map(|o| mean(o, &theirs)).collect();
    let Some(nearest) = (0..known.len()).min_by(|a, b| far[*a].total_cmp(&far[*b])) else {
        return said(found, None, Kinship::Foreign, "nothing has been handed off that it could be".into());
    };
    let greys = SIDE.pow(3)..;
    // A table of half the points errs four times as much.
    let loose = |i: usize| {
        let fewer = found.points().min(known[i].table.points());
        if fewer == 0 { 1.0 } else { (33.0 / fewer as f64).powi(2).max(1.0) }
    };
    let limits = SAME.map(|v| v * loose(nearest));
    let alike = |a: &[[f32; 4]]| {
        mean(a, &theirs) <= limits[0] && mean(&a[greys.clone()], &theirs[greys.clone()]) <= limits[1]
    };
    let k = &known[nearest];
    if points(found) != points(&k.table) && alike(&ours[nearest]) {
        let says = format!("“{}”, resampled: {} in place of {}", k.name, points(found), points(&k.table));
        return said(found, Some(k), Kinship::Resampled, says);
    }
    // A change that explains it all but for what lies between points, on colours that any encoding holds.
    let held: Vec<usize> = (0..inputs.len()).filter(|i| colourfulness(&inputs[*i]) <= HELD).collect();
    let of_held = |all: &[[f32; 4]]| held.iter().map(|i| all[*i]).collect::<Vec<_>>();
    let (inputs, theirs, greys) = (of_held(&inputs), of_held(&theirs), held.len() - GREYS..);
    let far_held: Vec<f64> = ours.iter().map(|o| mean(&of_held(o), &theirs)).collect();
    let least = far_held.iter().copied().fold(f64::INFINITY, f64::min);
    let mut best: Option<(f64, f64, usize, Change)> = None;
    for (i, k) in known.iter().enumerate() {
        for change in ranges().into_iter().chain(channels()).chain(encodings(k)) {
            let mut pixels = inputs.clone();
            change.before.iter().for_each(|s| s.run(&mut pixels));
            k.table.apply_parallel(&mut pixels);
            change.after.run(&mut pixels);
            let off = mean(&pixels, &theirs);
            if best.as_ref().is_none_or(|(least, ..)| off < *least) {
                let of_greys = mean(&pixels[greys.clone()], &theirs[greys.clone()]);
                best = Some((off, of_greys, i, change));
            }
        }
    }
    if let Some((off, of_greys, i, change)) = best
        && off <= (least / 2.0).min(loose(i) * SAME[0])
        && of_greys <= 2.0 * loose(i) * SAME[1]
    {
        let k = &known[i];
        return said(found, Some(k), change.kinship, format!("“{}”, but {}", k.name, change.says));
    }
    let k = &known[nearest];
    if far[nearest] > FOREIGN {
        let says = format!("none of the {} that were handed off; the nearest is “{}”", known.len(), k.name);
        return said(found, Some(k), Kinship::Foreign, says);
    }
    said(found, Some(k), Kinship::Near, format!("near to “{}”, but edited, or of another version", k.name))
}

fn said(found: &Table, nearest: Option<&Known>, kinship: Kinship, says: String) -> Identified {
    let Some(k) = nearest else {
        let measure = "code values".into();
        return Identified {
            kinship,
            name: None,
            says,
            measure,
            mean: 0.0,
            p99: 0.0,
            worst: None,
            greys: Vec::new(),
        };
    };
    let inputs = colours();
    let (ours, theirs) = (run(&k.table, inputs.clone()), run(found, inputs.clone()));
    let meter = k.to.as_ref().map(Meter::new);
    let mut differences = match &meter {
        Some(meter) => meter.differences(&ours, &theirs),
        None => ours.iter().zip(&theirs).map(|(a, b)| apart(a, b)).collect(),
    };
    let rgb = |p: &[f32; 4]| [p[0], p[1], p[2]];
    let worst = (0..differences.len()).max_by(|a, b| differences[*a].total_cmp(&differences[*b]));
    let worst = worst.map(|i| Place { input: rgb(&inputs[i]), known: rgb(&ours[i]), found: rgb(&theirs[i]) });
    let mean = differences.iter().sum::<f64>() / differences.len().max(1) as f64;
    let greys: Vec<[f32; 4]> = (0..65).map(|i| i as f32 / 64.0).map(|v| [v, v, v, 1.0]).collect();
    let (a, b) = (run(&k.table, greys.clone()), run(found, greys.clone()));
    let greys = greys.iter().zip(a.iter().zip(&b));
    Identified {
        kinship,
        name: Some(k.name.clone()),
        says,
        measure: meter.as_ref().map_or("code values", Meter::name).into(),
        mean,
        p99: percentile(&mut differences, 0.99),
        worst,
        greys: greys.map(|(i, (a, b))| Place { input: rgb(i), known: rgb(a), found: rgb(b) }).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table_file::{Format, Range as Signal, Wanted, make};
    use lantern_core::look::Look;
    use std::sync::atomic::AtomicBool;

    fn look(name: &str) -> Look {
        let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR"))
            .join(format!("../core/starting-looks/{name}.json"));
        Look::from_json(&std::fs::read_to_string(path).unwrap()).unwrap()
    }

    fn file(
        name: &str,
        ids: [&str; 2],
        format: Format,
        size: usize,
        range: Signal,
    ) -> (Vec<u8>, Table, [Encoding; 2]) {
        let way = ids.map(|id| Encoding::find(id).unwrap());
        let program = Program::compile(&look(name).path, &way[0], &way[1]).unwrap();
        let wanted = Wanted { look: name, from: &way[0], to: &way[1], format, size, range };
        let made = make(&program, &wanted, &AtomicBool::new(false)).unwrap().unwrap();
        (made.bytes, made.table, way)
    }

    fn known() -> Vec<Known> {
        ["amber-reel", "deep-kelp", "half-silver"]
            .map(|name| {
                let (bytes, table, way) = file(name, ["acescct", "rec709"], Format::Cube, 33, Signal::Full);
                {
                    let [from, to] = way.map(Some);
                    Known { name: name.into(), hash: hash(&bytes), table, from, to }
                }
            })
            .into()
    }

    fn hash(bytes: &[u8]) -> String {
        blake3::hash(bytes).to_hex().to_string()
    }

    fn asked(bytes: &[u8], table: &Table) -> Identified {
        identify(table, &hash(bytes), &known())
    }

    #[test]
    fn what_comes_back_is_told_by_what_happened_to_it() {
        let way = ["acescct", "rec709"];
        let of = |format, size, range| file("deep-kelp", way, format, size, range);
        let (bytes, table, _) = of(Format::Cube, 33, Signal::Full);
        let is = |(bytes, table, _): (Vec<u8>, Table, _)| {
            let found = asked(&bytes, &table);
            assert!(found.name.as_deref() == Some("deep-kelp"), "{found:?}");
            found.kinship
        };
        assert_eq!(is((bytes.clone(), table.clone(), 0)), Kinship::SameFile);
        let text = String::from_utf8(bytes).unwrap();
        let again = text.replace("TITLE \"deep-kelp", "TITLE \"from the set");
        let read = lantern_formats::cube::read(again.as_bytes()).unwrap();
        assert_eq!(is((again.into_bytes(), read, 0)), Kinship::SameTable);
        let is = |(bytes, table, _): (Vec<u8>, Table, [Encoding; 2])| {
            let found = asked(&bytes, &table);
            assert!(found.name.as_deref() == Some("deep-kelp"), "{found:?}");
            found.kinship
        };
        assert_eq!(is(of(Format::Spi3d, 33, Signal::Full)), Kinship::SameTable);
        assert_eq!(is(of(Format::Cube, 65, Signal::Full)), Kinship::Resampled);
        assert_eq!(is(of(Format::Hald, 33, Signal::Full)), Kinship::Resampled);
        assert_eq!(is(of(Format::Cube, 33, Signal::Legal)), Kinship::Range);
        assert_eq!(
            is(file("deep-kelp", ["acescct", "srgb"], Format::Cube, 33, Signal::Full)),
            Kinship::Encoding
        );
        assert_eq!(
            is(file("deep-kelp", ["cineon", "rec709"], Format::Cube, 65, Signal::Full)),
            Kinship::Encoding
        );
    }

    #[test]
    fn an_edited_table_is_near_and_says_where_and_another_one_is_foreign() {
        let (_, table, _) = file("deep-kelp", ["acescct", "rec709"], Format::Cube, 33, Signal::Full);
        let mut edited = table.operators().to_vec();
        edited.push(Operator::Range(Range { low: Some([0.0, 0.0]), high: Some([1.0, 0.95]), clips: false }));
        let found = asked(b"other", &Table::of("e".into(), edited).unwrap());
        assert_eq!(found.kinship, Kinship::Near, "{found:?}");
        assert!(found.mean > 0.5 && found.worst.is_some() && found.greys.len() == 65);
        let upside_down =
            Operator::Range(Range { low: Some([0.0, 1.0]), high: Some([1.0, 0.0]), clips: false });
        let found = asked(b"other", &Table::of("n".into(), vec![upside_down]).unwrap());
        assert_eq!(found.kinship, Kinship::Foreign, "{found:?}");
        assert_eq!(identify(&table, "x", &[]).name, None);
    }
}
