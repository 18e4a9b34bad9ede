//! A film from a table that holds one: what a negative and a print together make of scene light, on a display.

use super::{Film, FilmError, Fitted, Found, Known, Search, knobs};
use crate::colour::{Encoding, Reference, chart, primaries::AP1};
use crate::film::measured::{FilmFit, TableFit};
use crate::film::{NegativeKind, NegativeStock, PrintStock, stock};
use crate::graph::Program;
use crate::look::{Path, Step};
use crate::matching::aim::Aim;
use crate::matching::training::Random;
use crate::numeric::least_squares::Loss;
use crate::step::{Values, Zone};
use crate::table::Table;
use std::sync::atomic::{AtomicBool, Ordering};

/// Where a difference begins to count less, in CIEDE2000.
const HUBER: f64 = 3.0;
/// Weight of the priors, for each hundred samples.
const RIDGE: f64 = 0.05;
/// Neutrals, which count double.
const NEUTRALS: usize = 40;
/// Exposures of the chart's patches, as factors.
const EXPOSURES: [f64; 5] = [0.25, 0.5, 1.0, 2.0, 4.0];
/// Mixes of patches, and saturated lights.
const MIXES: usize = 240;
const LIGHTS: usize = 200;
const SEED: u64 = 20;
/// A table whose channels span no more code than this has no film in it.
const FLAT: f32 = 0.05;
/// Starts that are searched from: the nearest ones.
const TRIED: usize = 3;

/// What it is fitted to: scene light in linear AP1. Neutrals first, then natural colours, then saturated lights.
fn samples() -> (Vec<[f64; 3]>, Vec<f64>, usize) {
    let mut random = Random(SEED);
    let mut light: Vec<[f64; 3]> =
        (0..NEUTRALS).map(|i| [0.18 * (-7.0 + 13.0 * i as f64 / (NEUTRALS - 1) as f64).exp2(); 3]).collect();
    let chart = chart::patches_ap1();
    for factor in EXPOSURES {
        light.extend(chart.iter().map(|rgb| rgb.map(|v| v.max(1e-3) * factor)));
    }
    for _ in 0..MIXES {
        let pick = |random: &mut Random| chart[(random.unit() * 23.999) as usize].map(|v| v.max(1e-3));
        let (a, b) = (pick(&mut random), pick(&mut random));
        let (t, factor) = (random.unit(), random.between(-2.5, 2.5).exp2());
        light.push([0, 1, 2].map(|i| (a[i] + t * (b[i] - a[i])) * factor));
    }
    let natural = light.len();
    for _ in 0..LIGHTS {
        let level = 0.18 * random.between(-3.0, 4.0).exp2();
        let pure = random.between(0.3, 0.9);
        let own = [0; 3].map(|_| random.unit());
        let most = own.iter().copied().fold(1e-3, f64::max);
        light.push(own.map(|v| level * (1.0 - pure * (1.0 - v / most))));
    }
    let weights = (0..light.len()).map(|i| if i < NEUTRALS { 2.0 } else { 1.0 }).collect();
    (light, weights, natural)
}

/// A film as a path.
pub fn path(film: &Film) -> Path {
    let (negative, print) = film.steps();
    let step = |id: &str, values: Values| Step {
        id: id.into(),
        name: String::new(),
        zone: Zone::Film,
        on: true,
        strength: 1.0,
        group: None,
        region: None,
        values,
    };
    Path {
        steps: vec![step("negative", Values::Negative(negative)), step("print", Values::Print(print))],
        ..Default::default()
    }
}

/// What a table is of: a name, what it takes and what it gives.
#[derive(Clone, Copy, Debug)]
pub struct Held<'a> {
    /// Its name.
    pub name: &'a str,
    /// The table.
    pub table: &'a Table,
    /// The encoding that it takes: of scene light.
    pub from: &'a Encoding,
    /// The encoding that it gives: of a display.
    pub to: &'a Encoding,
}

/// The stocks that a search is begun with: the given ones, and all that ship of a side that is not given.
pub fn starts(negative: Option<&NegativeStock>, print: Option<&PrintStock>) -> Result<Vec<Film>, FilmError> {
    if let Some(n) = negative.filter(|n| n.kind == NegativeKind::Reversal) {
        return Ok(vec![Film::new(n.clone(), None)?]);
    }
    let negatives: Vec<&NegativeStock> = match negative {
        Some(n) => vec![n],
        None => stock::negatives().iter().filter(|n| n.kind == NegativeKind::Negative).collect(),
    };
    let prints: Vec<&PrintStock> = print.map_or_else(|| stock::prints().iter().collect(), |p| vec![p]);
    negatives
        .iter()
        .flat_map(|n| prints.iter().map(move |p| Film::new((*n).clone(), Some((*p).clone()))))
        .collect()
}

/// Fits a film to a table, from the best of some.
pub fn fit(
    starts: &[Film],
    held: Held<'_>,
    known: Known,
    watch: &(dyn Fn(usize) + Sync),
    stop: &AtomicBool,
) -> Result<Fitted, FilmError> {
    if held.from.reference == Reference::Display {
        return Err(FilmError::Table(format!(
            "a print table takes scene light, and {} is a display's: say the log encoding that it takes",
            held.from.title
        )));
    }
    if held.to.reference != Reference::Display {
        return Err(FilmError::Table(format!(
            "a print table gives a display's picture, and {} is of scene light: say the display that it gives",
            held.to.title
        )));
    }
    let (light, weights, natural) = samples();
    let linear = Encoding { primaries: AP1, ..Encoding::find("acescg").unwrap_or_else(|| held.from.clone()) };
    let mut inputs: Vec<[f32; 4]> =
        light.iter().map(|l| [l[0] as f32, l[1] as f32, l[2] as f32, 1.0]).collect();
    Program::compile(&Path::default(), &linear, held.from)?.run(&mut inputs);
    let mut outputs = inputs.clone();
    held.table.apply(&mut outputs);
    let spread = |c: usize| {
        let all = outputs.iter().map(|p| p[c]);
        all.clone().fold(f32::NEG_INFINITY, f32::max) - all.fold(f32::INFINITY, f32::min)
    };
    if (0..3).map(spread).any(|s| s.is_nan() || s <= FLAT) {
        return Err(FilmError::Table(format!(
            "“{}” gives one colour for all: there is no film in it",
            held.name
        )));
    }
    let aim = Aim::new(held.from, held.to, inputs, outputs, &weights)?;
    let misses = |film: &Film| aim.residuals(&path(film));
    let cost = |film: &Film| misses(film).iter().map(|r| r.abs().min(20.0)).sum::<f64>();
    let mut ranked: Vec<(f64, &Film)> =
        starts.iter().map(|s| (cost(s), s)).filter(|(c, _)| c.is_finite()).collect();
    ranked.sort_by(|a, b| a.0.total_cmp(&b.0));
    let ridge = RIDGE * light.len() as f64 / 100.0;
    let wide = |start: &Film| {
        let mut knobs = knobs(start, known, true);
        knobs.iter_mut().for_each(|k| k.width *= 2.0);
        knobs
    };
    // The nearest start can lead into a valley of its own: the next ones are tried too.
    let mut best: Option<(f64, Found, &Film)> = None;
    for (_, start) in ranked.into_iter().take(TRIED) {
        let loss = Loss::Huber(HUBER);
        let search = Search { start, knobs: wide(start), ridge, loss, misses: &misses, watch, stop };
        let Some(found) = search.run(&[]) else { continue };
        if best.as_ref().is_none_or(|(cost, ..)| found.cost < *cost) {
            best = Some((found.cost, found, start));
        }
    }
    if stop.load(Ordering::Relaxed) {
        return Err(FilmError::Nothing);
    }
    let (_, found, start) = best.ok_or(FilmError::Nothing)?;
    let off = aim.differences(&path(&found.film))?;
    let mean = |of: &[f64]| of.iter().sum::<f64>() / of.len().max(1) as f64;
    let film = found.film;
    let fit = FilmFit {
        with: None,
        tied: film.tied(known),
        points: film.points,
        black: film.black,
        patches: Vec::new(),
        off: Vec::new(),
        left_out: Vec::new(),
        table: Some(TableFit {
            name: held.name.into(),
            natural: mean(&off[NEUTRALS..natural]),
            worst: off[NEUTRALS..natural].iter().copied().fold(0.0, f64::max),
            neutrals: mean(&off[..NEUTRALS]),
        }),
        parameters: found.determined,
    };
    let sides: Vec<_> = wide(start).iter().map(|k| k.part.side()).collect();
    Fitted { film, fit }.kept(start, known, &sides)
}
