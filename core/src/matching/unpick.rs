//! Taking a table apart: ordinary steps that do what it does, and what they leave of it as an exact remainder.
//!
//! Where the neutrals go gives the curves a start; then all steps are fitted together: a matrix, hue curves before the curves,
//! the curves, and hue curves after them, for what was coloured after it was toned.

use super::aim::Aim;
use super::model::{Model, Part, place};
use crate::colour::chart::patches_ap1;
use crate::colour::primaries::{AP1, P3_D65};
use crate::colour::{Encoding, Mat3, Reference, Zone};
use crate::graph::{CompileError, Program, plain, remainder};
use crate::look::{Group, Look, Path, Step};
use crate::numeric::least_squares::{Loss, Problem, solve_from};
use crate::numeric::percentile::percentile;
use crate::step::{TableEncoding, TableUse, Tables, Values};
use crate::table::{KeptTable, Table, TableError};
use schemars::JsonSchema;
use serde::Serialize;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use thiserror::Error;

/// What is taken apart.
pub struct Unpick<'a> {
    /// The table.
    pub table: &'a Table,
    /// The name of its contents, by which steps know it.
    pub name: &'a str,
    /// The encodings that it expects and gives.
    pub way: &'a [TableEncoding; 2],
    /// Whether what the steps leave of it is kept.
    pub remainder: bool,
}

/// Why a table is not taken apart.
#[derive(Debug, Error, PartialEq)]
pub enum UnpickError {
    /// From a display to scene light.
    #[error(
        "this table makes scene light of a display's ({from} to {to}): it is a technical one, and there is no look in it to take apart"
    )]
    Technical {
        /// Its input encoding.
        from: String,
        /// Its output encoding.
        to: String,
    },
    /// Two points on a side and nothing else.
    #[error(
        "a table of {0} points on a side holds no more than a slope for each channel: there is nothing to take apart"
    )]
    TooSmall(usize),
    /// An encoding that does not exist.
    #[error("there is no such encoding: `dusky-lantern encodings` lists them")]
    Encoding,
    /// One colour everywhere.
    #[error("this table gives one colour whatever it is given: there is nothing to take apart")]
    OneColour,
    /// The way between its encodings cannot be gone.
    #[error(transparent)]
    Compile(#[from] CompileError),
    /// Its remainder is no table.
    #[error(transparent)]
    Table(#[from] TableError),
}

/// How far the steps alone are from the table, in CIEDE2000.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Distance {
    /// Mean over a cover of its colours; where it takes scene light, of those that scenes have.
    pub mean: f64,
    /// 95th percentile.
    pub p95: f64,
    /// Largest.
    pub max: f64,
    /// Mean over its greys.
    pub neutrals: f64,
    /// Mean over colours that surfaces have, in light of seven exposures.
    pub natural: f64,
}

/// A table taken apart.
#[derive(Clone, Debug)]
pub struct Unpicked {
    /// The look: the steps in a group, with the remainder beneath them where it was wanted.
    pub look: Look,
    /// How far the steps alone are from the table.
    pub distance: Distance,
}

/// The group's id, and what the ids of its steps begin with.
const ID: &str = "unpicked";
/// Points on a side of the cover, of which every other one is taken.
const COVER: usize = 13;
/// The most colours of the cover.
const MOST: usize = 1600;
/// Greys of the neutral scale.
const GREYS: usize = 65;
/// The most knots of a curve.
const KNOTS: usize = 16;
/// Standard deviation of a colour, in CIEDE2000.
const SIGMA: f64 = 0.5;

/// Takes a table apart. `progress` is told shares from 0 to 1. `None` where it was stopped.
pub fn unpick(
    asked: &Unpick<'_>,
    progress: &(dyn Fn(f64) + Sync),
    stop: &AtomicBool,
) -> Result<Option<Unpicked>, UnpickError> {
    let [Some(from), Some(to)] = asked.way.each_ref().map(TableEncoding::encoding) else {
        return Err(UnpickError::Encoding);
    };
    let (from, to) = (&from, &to);
    // The zone of the curves, and that of the last steps.
    let zones = match (from.reference, to.reference) {
        (Reference::Display, Reference::Scene) => {
            return Err(UnpickError::Technical { from: from.id.clone(), to: to.id.clone() });
        }
        (Reference::Scene, Reference::Scene) => [Zone::Scene; 2],
        (Reference::Scene, Reference::Display) => [Zone::Scene, Zone::Screen],
        (Reference::Display, Reference::Display) => [Zone::Screen; 2],
    };
    // Its points are what a remainder stands at.
    let plain = plain(asked.table, from)?;
    let table = plain.as_ref();
    let asked = &Unpick { table, ..*asked };
    if table.shaper().is_none() && table.cube().is_some_and(|c| c.size() < 3) {
        return Err(UnpickError::TooSmall(2));
    }
    let colours = Colours::of(table, from)?;
    let first = colours.outputs.first().copied().unwrap_or_default();
    if colours.outputs.iter().all(|p| p.iter().zip(&first).all(|(a, b)| (a - b).abs() < 1e-4)) {
        return Err(UnpickError::OneColour);
    }
    let aim = Aim::new(from, to, colours.inputs.clone(), colours.outputs.clone(), &colours.weights)?;
    let greys = Greys::of(table, from, to, zones[0])?;
    let models = if table.cube().is_none() {
        vec![Model::new(on_channels(greys.curves(1.0), zones[0], to))]
    } else if zones[0] == zones[1] {
        vec![model(zones, greys.curves(1.0), None, to)]
    } else {
        let gentle = greys.through_a_gentle_scene(to)?;
        vec![model(zones, greys.curves(1.0), None, to), model(zones, gentle.0, Some(gentle.1), to)]
    };
    let Some((model, values)) = fitted(models, |m| starts(m, zones, to), &aim, progress, stop) else {
        return Ok(None);
    };
    let mut look = Look::new(&format!("Unpicked: {}", asked.name));
    let steps = model.steps(ID, &values);
    put(&mut look.path, steps, asked.name);
    let distance = colours.distance(&aim.differences(&look.path)?);
    let Distance { mean, natural, .. } = distance;
    look.notes = format!(
        "Taken apart from the table “{}”. CIEDE2000 of the steps alone from it: {mean:.2} on average, {natural:.2} on colours of surfaces.",
        asked.name
    );
    if asked.remainder {
        add_remainder(&mut look, asked, [from, to], zones[1])?;
    }
    progress(1.0);
    Ok(Some(Unpicked { look, distance }))
}

/// Colours to fit, in the table's encodings.
struct Colours {
    inputs: Vec<[f32; 4]>,
    outputs: Vec<[f32; 4]>,
    weights: Vec<f64>,
    /// How many of them are a cover and greys; then come natural ones, and last lights beyond what scenes have.
    cover: usize,
    natural: usize,
}

/// Share of the largest channel of scene light below which another one is that of no surface ([`crate::colour::bound`]), and the
/// stops over grey beyond which hardly a lamp lies.
const WILD: (f32, f32) = (0.0125, 10.0);

impl Colours {
    fn of(table: &Table, from: &Encoding) -> Result<Self, CompileError> {
        let log = Encoding::find("acescct").unwrap_or_else(|| from.clone());
        let light = Encoding::find("acescg").unwrap_or_else(|| from.clone());
        // Linear light is covered evenly in stops.
        let coded = if from.is_linear() { &log } else { from };
        let at = |i: usize, n: usize| i as f32 / (n - 1) as f32;
        let mut inputs: Vec<[f32; 4]> = (0..COVER.pow(3))
            .filter(|i| i % 2 == 0)
            .map(|i| [at(i % COVER, COVER), at(i / COVER % COVER, COVER), at(i / COVER / COVER, COVER), 1.0])
            .collect();
        let scattered = (1..=2500).map(|i| [halton(i, 2), halton(i, 3), halton(i, 5), 1.0]);
        inputs.extend(scattered);
        let mut wild = Vec::new();
        if from.reference == Reference::Scene {
            let mut lights = inputs.clone();
            Program::compile(&Path::default(), coded, &light)?.run_parallel(&mut lights);
            let is_wild = |p: &[f32; 4]| {
                let [low, high] = [p[0].min(p[1]).min(p[2]), p[0].max(p[1]).max(p[2])];
                low < WILD.0 * high || high > 0.18 * WILD.1.exp2()
            };
            let mut each = lights.iter();
            let (far, near) = inputs.into_iter().partition(|_| each.next().is_some_and(is_wild));
            (wild, inputs) = (far, near);
            wild.truncate(150);
        }
        inputs.truncate(MOST);
        let cover = inputs.len();
        inputs.extend((0..GREYS).map(|i| [at(i, GREYS), at(i, GREYS), at(i, GREYS), 1.0]));
        if !std::ptr::eq(coded, from) {
            Program::compile(&Path::default(), coded, from)?.run_parallel(&mut inputs);
            Program::compile(&Path::default(), coded, from)?.run_parallel(&mut wild);
        }
        let mut natural: Vec<[f32; 4]> = (-3..=3)
            .flat_map(|stop| {
                let gain = f64::from(stop).exp2();
                patches_ap1().map(|p| {
                    let [r, g, b] = p.map(|v| (v * gain).max(0.0) as f32);
                    [r, g, b, 1.0]
                })
            })
            .collect();
        Program::compile(&Path::default(), &light, from)?.run_parallel(&mut natural);
        let mut weights = vec![1.0; cover];
        weights.extend([4.0; GREYS]);
        weights.extend(vec![3.0; natural.len()]);
        weights.extend(vec![0.05; wild.len()]);
        let count = natural.len();
        inputs.append(&mut natural);
        inputs.append(&mut wild);
        let mut outputs = inputs.clone();
        table.apply_parallel(&mut outputs);
        Ok(Self { inputs, outputs, weights, cover, natural: count })
    }

    fn distance(&self, differences: &[f64]) -> Distance {
        let (cover, rest) = differences.split_at(self.cover);
        let (greys, rest) = rest.split_at(GREYS);
        let natural = &rest[..self.natural];
        let mean = |v: &[f64]| v.iter().sum::<f64>() / v.len().max(1) as f64;
        let mut all = cover.to_vec();
        Distance {
            mean: mean(cover),
            p95: percentile(&mut all, 0.95),
            max: all.iter().fold(0.0, |m, v| v.max(m)),
            neutrals: mean(greys),
            natural: mean(natural),
        }
    }
}

/// The `i`th number of van der Corput's sequence in a base.
fn halton(mut i: usize, base: usize) -> f32 {
    let (mut f, mut v) = (1.0_f32, 0.0);
    while i > 0 {
        f /= base as f32;
        v += f * (i % base) as f32;
        i /= base;
    }
    v
}

/// The zone's encoding of greys.
fn zone_codes(zone: Zone, to: &Encoding) -> Encoding {
    match zone {
        Zone::Screen => Encoding::screen(to.peak),
        _ => Encoding::find("acescct").unwrap_or_else(|| to.clone()),
    }
}

/// Where greys go, as places on the zone's axis: knots across and each channel up.
struct Greys {
    across: Vec<f64>,
    up: [Vec<f64>; 3],
}

/// The share of their stops that scene light keeps on the way through the rendering, where it is to squeeze no colour: channels
/// then lie within the 2.3 stops below which the rendering begins to squeeze.
const GENTLE: f64 = 0.16;

impl Greys {
    /// The curves, all places up as far from grey as `share` says.
    fn curves(&self, share: f64) -> Part {
        let up = self.up.each_ref().map(|u| u.iter().map(|v| v * share).collect());
        curves(self.across.clone(), up)
    }

    /// The same in two: in the scene with few stops, and on the screen to where they belong.
    fn through_a_gentle_scene(&self, to: &Encoding) -> Result<(Part, Part), CompileError> {
        let (log, own) = (zone_codes(Zone::Scene, to), zone_codes(Zone::Screen, to));
        let axis = crate::colour::axis::Axis::of(Zone::Scene);
        let shown = |stops: &mut dyn Iterator<Item = f64>| -> Result<Vec<f64>, CompileError> {
            let mut greys: Vec<[f32; 4]> =
                stops.map(|s| axis.code(s as f32)).map(|v| [v, v, v, 1.0]).collect();
            Program::compile(&Path::default(), &log, &own)?.run_parallel(&mut greys);
            Ok(greys.iter().map(|p| place(Zone::Screen, p[1])).collect())
        };
        // Evenly over the stops that are left.
        let ends = self.up.iter().flatten().fold([f64::MAX, f64::MIN], |[a, b], v| [a.min(*v), b.max(*v)]);
        let places: Vec<f64> =
            (0..KNOTS).map(|i| ends[0] + (ends[1] - ends[0]) * i as f64 / (KNOTS - 1) as f64).collect();
        let mut across = shown(&mut places.iter().map(|v| v * GENTLE))?;
        across.iter_mut().for_each(|v| *v = (*v * 1e3).round() / 1e3);
        let up = shown(&mut places.iter().copied())?;
        Ok((self.curves(GENTLE), curves(across, [up.clone(), up.clone(), up])))
    }

    fn of(table: &Table, from: &Encoding, to: &Encoding, zone: Zone) -> Result<Self, CompileError> {
        let (across, up) = neutral_curves(table, from, to, zone)?;
        Ok(Self { across, up })
    }
}

/// Curves that start like this.
fn curves(across: Vec<f64>, up: [Vec<f64>; 3]) -> Part {
    // A picture's negative falls; all others rise.
    let falls = up.iter().all(|u| u.first() > u.last());
    let slopes = if falls { [-14.0, 0.0] } else { [0.0, 14.0] };
    Part::Curves { across, up, slopes, width: 0.5 }
}

fn neutral_curves(
    table: &Table,
    from: &Encoding,
    to: &Encoding,
    zone: Zone,
) -> Result<(Vec<f64>, [Vec<f64>; 3]), CompileError> {
    const FINE: usize = 257;
    let own = zone_codes(zone, to);
    let log = Encoding::find("acescct").unwrap_or_else(|| from.clone());
    let at = |i: usize| i as f32 / (FINE - 1) as f32;
    let mut greys: Vec<[f32; 4]> = (0..FINE).map(|i| [at(i), at(i), at(i), 1.0]).collect();
    if from.is_linear() {
        Program::compile(&Path::default(), &log, from)?.run_parallel(&mut greys);
    }
    let mut given = greys.clone();
    Program::compile(&Path::default(), from, &own)?.run_parallel(&mut given);
    table.apply_parallel(&mut greys);
    // Each channel by itself, as a grey: which light the rendering makes this of.
    let back = Program::between(to, &own, Reference::Scene);
    let channels = [0, 1, 2].map(|c| {
        let mut alone: Vec<[f32; 4]> = greys.iter().map(|p| [p[c], p[c], p[c], 1.0]).collect();
        back.run_parallel(&mut alone);
        alone
    });
    let mut points: Vec<(f64, [f64; 3])> = given
        .iter()
        .enumerate()
        .map(|(i, x)| (place(zone, x[1]), [0, 1, 2].map(|c| place(zone, channels[c][i][1]).clamp(-8.0, 8.0))))
        .filter(|(x, _)| (-8.0..=8.0).contains(x))
        .collect();
    points.sort_by(|a, b| a.0.total_cmp(&b.0));
    points.dedup_by(|b, a| b.0 - a.0 < 1e-3);
    if points.len() < 2 {
        return Ok((vec![-1.0, 1.0], [vec![-1.0, 1.0], vec![-1.0, 1.0], vec![-1.0, 1.0]]));
    }
    // The knot that the curve through those before misses most comes next.
    let last = points.len() - 1;
    let mut knots = vec![0, last];
    while knots.len() < KNOTS {
        let mut worst = (0.01, 0);
        for pair in knots.windows(2) {
            let (a, b) = (&points[pair[0]], &points[pair[1]]);
            for (i, p) in points.iter().enumerate().take(pair[1]).skip(pair[0] + 1) {
                if p.0 - a.0 < 0.12 || b.0 - p.0 < 0.12 {
                    continue;
                }
                let share = (p.0 - a.0) / (b.0 - a.0);
                let off = [0, 1, 2].map(|c| (a.1[c] + share * (b.1[c] - a.1[c]) - p.1[c]).abs());
                let off = off.iter().fold(0.0_f64, |m, v| m.max(*v));
                if off > worst.0 {
                    worst = (off, i);
                }
            }
        }
        if worst.1 == 0 {
            break;
        }
        knots.push(worst.1);
        knots.sort_unstable();
    }
    // A few more in wide gaps, so that colours have something to bend.
    while knots.len() < 7 {
        let widest = knots.windows(2).max_by(|a, b| {
            let gap = |w: &[usize]| points[w[1]].0 - points[w[0]].0;
            gap(a).total_cmp(&gap(b))
        });
        let Some(pair) = widest else { break };
        let middle = (points[pair[0]].0 + points[pair[1]].0) / 2.0;
        let near = (pair[0] + 1..pair[1])
            .min_by(|a, b| (points[*a].0 - middle).abs().total_cmp(&(points[*b].0 - middle).abs()));
        let Some(near) = near else { break };
        knots.push(near);
        knots.sort_unstable();
    }
    let across = knots.iter().map(|i| (points[*i].0 * 1e3).round() / 1e3).collect();
    let up = [0, 1, 2].map(|c| knots.iter().map(|i| points[*i].1[c]).collect());
    Ok((across, up))
}

/// Curves on the channels of a display, in the Screen zone, which has other primaries.
fn on_channels(curves: Part, zone: Zone, to: &Encoding) -> Vec<(Zone, Part)> {
    if zone == Zone::Scene || to.primaries == P3_D65 {
        return vec![(zone, curves)];
    }
    let mix = |name, m: Mat3| (zone, Part::Mix { name, start: shares(m), width: 0.15 });
    let [there, back] =
        [to.primaries.back_from(&P3_D65, Default::default()), to.primaries.to(&P3_D65, Default::default())];
    vec![mix("To its channels", there), (zone, curves), mix("Back from its channels", back)]
}

fn model(zones: [Zone; 2], curves: Part, on_screen: Option<Part>, to: &Encoding) -> Model {
    let hues = |zone: Zone, width: f64| {
        let screen = [-3.6, -2.5, -1.2, 0.3, 2.0, 3.8, 6.0];
        let scene = [-6.0, -4.0, -2.0, 0.0, 2.0, 4.0, 6.0];
        let by_brightness = if zone == Zone::Screen { screen } else { scene }.to_vec();
        (zone, Part::Hues { width, by_brightness, by_saturation: vec![0.0, 0.15, 0.35, 0.6, 1.0] })
    };
    let mix = (zones[0], Part::Mix { name: "Channel mix", start: [0.0; 6], width: 0.25 });
    let mut parts = vec![mix.clone(), hues(zones[0], 1.0)];
    parts.extend(on_channels(curves, zones[0], to));
    if zones[0] != zones[1] {
        // What the table takes for its display's primaries may be other ones.
        parts.push(mix);
        parts.push((Zone::Film, Part::Rendering));
    }
    if let Some(curves) = on_screen {
        parts.extend(on_channels(curves, zones[1], to));
    }
    parts.push(hues(zones[1], 0.7));
    Model::new(parts)
}

/// The best parameters from a few starts.
fn fitted(
    models: Vec<Model>,
    starts: impl Fn(&Model) -> Vec<Vec<f64>>,
    aim: &Aim,
    progress: &(dyn Fn(f64) + Sync),
    stop: &AtomicBool,
) -> Option<(Model, Vec<f64>)> {
    const ROUNDS: [usize; 2] = [4, 22];
    let search = |model: &Model, rounds: usize, start: Vec<f64>, watch: &(dyn Fn(usize) + Sync)| {
        let residuals = |v: &[f64]| -> Vec<f64> {
            let mut path = Look::new("fit").path;
            put(&mut path, model.steps(ID, v), "fit");
            aim.residuals(&path).into_iter().map(|r| r / SIGMA).collect()
        };
        let problem = Problem {
            parameters: &model.parameters,
            residuals: &residuals,
            group: 3,
            loss: Loss::Huber(6.0),
            rounds,
            tolerance: 2e-3,
            watch,
        };
        solve_from(&problem, start, stop)
    };
    let begun: Vec<(Model, Vec<f64>)> =
        models.into_iter().flat_map(|m| starts(&m).into_iter().map(move |s| (m.clone(), s))).collect();
    let count = (begun.len() * ROUNDS[0]) as f64;
    let mut best: Option<(f64, Model, Vec<f64>)> = None;
    for (i, (model, start)) in begun.into_iter().enumerate() {
        let watch = |round: usize| progress(0.4 * (i * ROUNDS[0] + round) as f64 / count);
        let found = search(&model, ROUNDS[0], start, &watch)?;
        if best.as_ref().is_none_or(|(cost, ..)| found.cost < *cost) {
            best = Some((found.cost, model, found.values));
        }
    }
    let (_, model, values) = best?;
    let watch = |round: usize| progress(0.4 + 0.55 * round as f64 / ROUNDS[1] as f64);
    let values = search(&model, ROUNDS[1], values, &watch)?.values;
    Some((model, values))
}

/// The shares of other channels in each channel of a matrix that keeps neutrals.
fn shares(Mat3(m): Mat3) -> [f64; 6] {
    [m[0][1], m[0][2], m[1][0], m[1][2], m[2][0], m[2][1]]
}

/// Where the search may begin: coloured, without colour, and, through the film, with the scene's channels taken for those of the
/// display.
fn starts(model: &Model, zones: [Zone; 2], to: &Encoding) -> Vec<Vec<f64>> {
    let coloured = model.start();
    let before = model.first(1);
    if coloured.len() <= before + 3 * super::model::HUES {
        return vec![coloured];
    }
    // All saturation away by saturation.
    let mut grey = coloured.clone();
    let first = before + 3 * super::model::HUES + 7;
    grey[first..first + 5].fill(0.02);
    if zones[0] == zones[1] {
        return vec![coloured, grey];
    }
    let mut channels = coloured.clone();
    let own = shares(to.matrix_to(&AP1));
    let second = model.first(3);
    channels[second..second + 6].copy_from_slice(&own);
    channels[second + 6..second + 9].fill(0.0);
    vec![coloured, grey, channels]
}

/// The group's id in a zone.
fn group_in(zone: Zone) -> &'static str {
    if zone == Zone::Scene { "unpicked-scene" } else { ID }
}

/// Puts steps into a path, in their zone, in a group.
fn put(path: &mut Path, steps: Vec<Step>, name: &str) {
    for step in steps {
        if step.zone == Zone::Film {
            path.steps.retain(|s| s.zone != Zone::Film);
        }
        let at = path.steps.iter().position(|s| s.zone > step.zone).unwrap_or(path.steps.len());
        if step.zone == Zone::Film {
            path.steps.insert(at, step);
            continue;
        }
        let id = group_in(step.zone);
        if path.group(id).is_none() {
            let name = name.chars().take(crate::look::MAX_NAME).collect();
            path.groups.push(Group {
                id: id.into(),
                name,
                on: true,
                strength: 1.0,
                region: None,
                matched: None,
            });
        }
        path.steps.insert(at, Step { group: Some(id.into()), ..step });
    }
}

/// Puts what the steps leave of the table beneath them.
fn add_remainder(
    look: &mut Look,
    asked: &Unpick<'_>,
    [from, to]: [&Encoding; 2],
    zone: Zone,
) -> Result<(), UnpickError> {
    let use_of = |data: Table, hash: String| TableUse {
        table: hash,
        name: format!("remainder of {}", asked.name).chars().take(200).collect(),
        from: asked.way[0].clone(),
        to: asked.way[1].clone(),
        strength: 1.0,
        data: Some(Arc::new(data)),
    };
    let step = |used: TableUse| Step {
        name: "Remainder".into(),
        group: Some(group_in(zone).into()),
        ..Step::new(
            &format!("{ID}-rest"),
            zone,
            Values::Table(Tables { tables: vec![used], remainder: true }),
        )
    };
    let at =
        look.path.steps.iter().rposition(|s| s.group.as_deref() == Some(group_in(zone))).map_or(0, |i| i + 1);
    // It covers what stands before it; the steps are run as they will be.
    let blank = step(use_of(asked.table.clone(), "none".into()));
    look.path.steps.insert(at, blank.clone());
    let covered = remainder::covered(&look.path, &blank);
    let steps = Program::compile(&covered, from, to)?;
    let rest = remainder::rest(asked.table, &steps)?;
    let kept = KeptTable::of(&rest);
    let hash = kept.hash();
    look.path.steps[at] = step(use_of(rest, hash.clone()));
    look.tables.insert(hash, kept);
    Ok(())
}
