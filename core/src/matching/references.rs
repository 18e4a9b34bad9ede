//! Matching a shot to references: ordinary Screen steps in a group, at a strength that can be stood for, with a report.
//!
//! The shot is worked on after its trim and the plain rendering. What is known says what is fitted: the same frame graded and
//! ungraded gives colours to colours; the same scene gives the straight map between both pictures' colours; with nothing in
//! common the look is inferred from the references alone ([`super::trained`]), for the shot's own colours say nothing of it.
//! Pairs of areas count with all of them.

use super::MatchError;
use super::aim::Aim;
use super::features::{probe_weights, probes, unseen_hues};
use super::model::{Model, Part};
use super::small::{Area, Small, plane};
use super::trained;
use super::training::Random;
use super::transport::Straight;
use crate::bake::judge::Measure;
use crate::bake::{Bake, bake, judge};
use crate::colour::difference::ciede2000;
use crate::colour::{Encoding, Zone};
use crate::graph::Program;
use crate::look::{Group, Path, Step};
use crate::numeric::least_squares::{Loss, Problem, cholesky, solve, solve_factored, unwatched};
use crate::numeric::percentile::percentile;
use crate::step::{ChannelMix, Values};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::atomic::AtomicBool;

/// What a shot and its references have in common.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Common {
    /// Nothing but that they are to feel alike.
    Nothing,
    /// The same scene in the same light.
    Scene,
    /// The same frame, graded and ungraded.
    Aligned,
}

/// An area of the shot that is to feel like one of a reference.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Pair {
    /// The area of the shot.
    pub shot: Area,
    /// The area of the reference.
    pub reference: Area,
    /// Which reference, from 0.
    #[serde(default)]
    pub of: usize,
}

/// What is matched.
pub struct Request<'a> {
    /// The shot, after its trim and the plain rendering.
    pub shot: &'a Small,
    /// References of one look.
    pub references: &'a [Small],
    /// What they have in common; `None` to find out.
    pub common: Option<Common>,
    /// Areas that belong together.
    pub pairs: &'a [Pair],
    /// The group's strength, 0..1; `None` for what can be stood for.
    pub strength: Option<f64>,
    /// What the references are called.
    pub name: &'a str,
}

/// How sure a match is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Confidence {
    /// The look is recovered.
    High,
    /// It leans the right way, and pairs or more references would say more.
    Fair,
    /// It is a guess.
    Low,
}

/// How near a pair has come, in CIEDE2000.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct PairReport {
    /// Before.
    pub before: f64,
    /// After, at the group's strength.
    pub after: f64,
}

/// What a match says of itself.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Report {
    /// What it took shot and references to have in common.
    pub common: Common,
    /// Whether that was found and not said.
    pub found: bool,
    /// The group's strength.
    pub strength: f64,
    /// How sure it is.
    pub confidence: Confidence,
    /// The same as a sentence.
    pub says: String,
    /// How near each pair has come.
    pub pairs: Vec<PairReport>,
    /// Hues, in degrees on the plane, that no reference has: nothing was inferred for them.
    pub unseen_hues: Vec<f64>,
    /// What else could not be reached, in sentences.
    pub notes: Vec<String>,
    /// Whether the references are monochrome with a tint; the group then begins with a monochrome mix.
    pub monochrome: bool,
}

/// A match.
#[derive(Clone, Debug, PartialEq)]
pub struct Matched {
    /// The group.
    pub group: Group,
    /// Its steps, in the Screen zone.
    pub steps: Vec<Step>,
    /// What it says of itself.
    pub report: Report,
}

impl Matched {
    /// Puts the group at the end of a path.
    pub fn put(&self, path: &mut Path) {
        path.steps.extend(self.steps.iter().cloned());
        path.groups.push(self.group.clone());
    }
}

/// The group's id, and what the ids of its steps begin with.
const ID: &str = "match";
/// The most pairs.
const MOST_PAIRS: usize = 40;
/// Pixels that an aligned match, or one of the same scene, is fitted to.
const MOST_PIXELS: usize = 1500;
/// Deviations of what is fitted, in CIEDE2000: a pixel of the same frame, a colour of the same scene, a probe of an inferred
/// look, a pair.
const SIGMAS: [f64; 4] = [0.6, 3.0, 4.0, 0.8];
/// Pictures whose gradients run alike by more than this are the same frame (same frames under strong looks have over 0.6,
/// others stay under 0.15).
const ALIKE: f64 = 0.35;
/// Colour that a tint by brightness does not explain, in the plane: less of it is monochrome.
const MONOCHROME: f64 = 0.006;

/// How wide the priors are, tried in this order: the next where the look's shape falls short as a table, since colours that no
/// picture has are then thrown about.
const CALMER: [f64; 3] = [1.0, 0.5, 0.25];
/// Points on a side of the table that a match is judged as.
const JUDGED_POINTS: usize = 33;

/// What is held against a match: that it throws colours about, or turns them inside out.
const SHAPE: [&str; 4] = ["noise", "loose-nodes", "colour-kink", "folded"];

/// Whether a path has a sound shape as a table of the display's.
fn is_sound(path: &Path, stop: &AtomicBool) -> bool {
    let Some(display) = Encoding::find("rec709") else { return true };
    let Ok(program) = Program::compile(path, &display, &display) else { return true };
    let table = bake(&program, &Bake::plan(&display, JUDGED_POINTS), "", stop).ok().flatten();
    let judged = table.and_then(|t| judge(&t, &display, &display));
    // Where black and white lie, and how the greys run, is what the reference asks for.
    let of_shape = |m: &&Measure| SHAPE.contains(&m.id.as_str());
    judged.is_none_or(|j| !j.measures.iter().filter(of_shape).any(|m| m.falls_short))
}

/// Matches a shot to references. `None` where it was stopped.
pub fn match_shot(request: &Request<'_>, stop: &AtomicBool) -> Result<Option<Matched>, MatchError> {
    let Request { shot, references, pairs, .. } = request;
    let first = references.first().ok_or(MatchError::Nothing)?;
    if pairs.len() > MOST_PAIRS {
        return Err(MatchError::TooManyPairs(pairs.len(), MOST_PAIRS));
    }
    if shot.is_flat() {
        return Err(MatchError::Flat("the shot".into()));
    }
    if let Some(i) = references.iter().position(Small::is_flat) {
        return Err(MatchError::Flat(if references.len() == 1 {
            "the reference".into()
        } else {
            format!("reference {}", i + 1)
        }));
    }
    let alike = references.len() == 1 && alignment(shot, first) > ALIKE;
    let common = match request.common {
        Some(Common::Aligned) if shape(shot) != shape(first) => return Err(MatchError::NotAligned),
        Some(said) => said,
        None if alike => Common::Aligned,
        None => Common::Nothing,
    };
    let patches = pairs.iter().map(|p| patch(request, p)).collect::<Result<Vec<_>, _>>()?;
    let monochrome = common != Common::Aligned && references.iter().all(is_monochrome);
    let mut steps = Vec::new();
    if monochrome {
        let mix = ChannelMix { monochrome: true, ..Default::default() };
        let step = Step::new(&format!("{ID}-grey"), Zone::Screen, Values::ChannelMix(mix));
        steps.push(Step { name: "Monochrome".into(), ..step });
    }
    let aims = aims(request, common, &patches)?;
    let free = if patches.len() >= 4 { 1.8 } else { 1.0 };
    let mut fitted = Vec::new();
    for calm in CALMER {
        let model = model(common, monochrome, free * calm);
        let path_of = |v: &[f64]| Path::of(steps.iter().cloned().chain(model.steps(ID, v)).collect());
        let residuals = |v: &[f64]| -> Vec<f64> {
            let path = path_of(v);
            aims.iter()
                .flat_map(|(aim, sigma)| aim.residuals(&path).into_iter().map(move |r| r / sigma))
                .collect()
        };
        let problem = Problem {
            parameters: &model.parameters,
            residuals: &residuals,
            group: 3,
            loss: if common == Common::Aligned { Loss::Student(12.0) } else { Loss::Huber(25.0) },
            rounds: 24,
            tolerance: 2e-3,
            watch: &unwatched,
        };
        let Some(found) = solve(&problem, stop) else { return Ok(None) };
        fitted = model.steps(ID, &found.values);
        if is_sound(&path_of(&found.values), stop) {
            break;
        }
    }
    steps.extend(fitted);
    steps.iter_mut().for_each(|s| s.group = Some(ID.into()));
    let (usual, confidence) = default_strength(common, patches.len(), references.len());
    let strength = request.strength.unwrap_or(usual).clamp(0.0, 1.0);
    let name = format!("Match: {}", request.name).chars().take(crate::look::MAX_NAME).collect();
    let group = Group { id: ID.into(), name, on: true, strength, region: None, matched: None };
    let seen: Vec<&Small> = references.iter().collect();
    let mut report = Report {
        common,
        found: request.common.is_none() && alike,
        strength,
        confidence,
        says: sentence(common, patches.len(), references.len(), monochrome),
        pairs: Vec::new(),
        unseen_hues: if common == Common::Aligned || monochrome { Vec::new() } else { unseen_hues(&seen) },
        notes: Vec::new(),
        monochrome,
    };
    let matched = Matched { group, steps, report: report.clone() };
    report.pairs = pair_reports(&matched, &patches)?;
    report.notes = notes(request, &report);
    Ok(Some(Matched { report, ..matched }))
}

/// A pair's colours on shot and reference.
type Patch = [[f32; 3]; 2];

fn patch(request: &Request<'_>, pair: &Pair) -> Result<Patch, MatchError> {
    let count = request.references.len();
    let reference = request.references.get(pair.of).ok_or(MatchError::NoReference(pair.of, count))?;
    Ok([request.shot.mean(&pair.shot)?, reference.mean(&pair.reference)?])
}

fn shape(of: &Small) -> i64 {
    // Shapes within two per cent are one.
    ((of.width as f64 / of.height as f64).ln() * 50.0).round() as i64
}

/// How alike the gradients of two pictures run, -1..1: looks change how steep they are and not where they point.
pub fn alignment(a: &Small, b: &Small) -> f64 {
    const W: usize = 64;
    const H: usize = 48;
    let aspect = |s: &Small| (s.width as f64 / s.height as f64).ln();
    if (aspect(a) - aspect(b)).abs() > 0.02 {
        return 0.0;
    }
    let grid = |s: &Small| -> Vec<f64> {
        let split = s.split();
        let at = |i: usize, n: usize, of: usize| (i * of / n, ((i + 1) * of / n).max(i * of / n + 1));
        (0..W * H)
            .map(|i| {
                let ((x0, x1), (y0, y1)) = (at(i % W, W, s.width), at(i / W, H, s.height));
                let cells = (y0..y1.min(s.height)).flat_map(|y| (x0..x1.min(s.width)).map(move |x| (x, y)));
                let (sum, n) =
                    cells.fold((0.0, 0.0), |(t, n), (x, y)| (t + split[y * s.width + x][0], n + 1.0));
                sum / f64::max(n, 1.0)
            })
            .collect()
    };
    let (p, q) = (grid(a), grid(b));
    let gradient = |g: &[f64], x: usize, y: usize| {
        [g[y * W + x + 1] - g[y * W + x - 1], g[(y + 1) * W + x] - g[(y - 1) * W + x]]
    };
    let mut sums = [0.0; 3];
    for y in 1..H - 1 {
        for x in 1..W - 1 {
            let (u, v) = (gradient(&p, x, y), gradient(&q, x, y));
            let (m, n) = (u[0].hypot(u[1]), v[0].hypot(v[1]));
            // Flat parts say nothing; steep ones say no more than others.
            let (m, n) = (m.sqrt() * (m + 0.01).sqrt(), n.sqrt() * (n + 0.01).sqrt());
            if m < 1e-6 || n < 1e-6 {
                continue;
            }
            let (u, v) = (u.map(|c| c / (m + 0.005)), v.map(|c| c / (n + 0.005)));
            sums[0] += u[0] * v[0] + u[1] * v[1];
            sums[1] += u[0] * u[0] + u[1] * u[1];
            sums[2] += v[0] * v[0] + v[1] * v[1];
        }
    }
    if sums[1] * sums[2] <= 0.0 { 0.0 } else { sums[0] / (sums[1] * sums[2]).sqrt() }
}

/// Whether brightness alone explains a picture's colour: a cubic through the plane leaves hardly any.
fn is_monochrome(picture: &Small) -> bool {
    let split = picture.split();
    let terms = |y: f64| [1.0, y, y * y, y * y * y];
    let mut matrix = vec![vec![0.0; 4]; 4];
    let mut against = [[0.0; 4]; 2];
    for p in &split {
        let t = terms(p[0]);
        for i in 0..4 {
            (0..=i).for_each(|j| matrix[i][j] += t[i] * t[j]);
            (0..2).for_each(|c| against[c][i] += t[i] * p[c + 1]);
        }
    }
    (0..4).for_each(|i| matrix[i][i] += 1e-6 * split.len() as f64);
    let lower = matrix.iter().enumerate().map(|(i, row)| row[..=i].to_vec()).collect();
    let Some(factor) = cholesky(lower) else { return false };
    let fit = against.map(|a| solve_factored(&factor, a.to_vec()));
    let left = split.iter().map(|p| {
        let t = terms(p[0]);
        let off = [0, 1].map(|c| p[c + 1] - (0..4).map(|i| fit[c][i] * t[i]).sum::<f64>());
        off[0].powi(2) + off[1].powi(2)
    });
    (left.sum::<f64>() / split.len() as f64).sqrt() < MONOCHROME
}

/// The steps: for the same frame as free as its colours allow, else few and careful.
///
/// `free`: how much wider the priors are where pairs say more.
fn model(common: Common, monochrome: bool, free: f64) -> Model {
    let zone = Zone::Screen;
    let across = |codes: &[f64]| {
        codes.iter().map(|c| 10.0 * c - 3.831).map(|v| (v * 1e3).round() / 1e3).collect::<Vec<f64>>()
    };
    let curves = |codes: &[f64], width: f64, slopes: [f64; 2]| {
        let across = across(codes);
        (zone, Part::Curves { up: [across.clone(), across.clone(), across.clone()], across, slopes, width })
    };
    let hues = |width: f64, brightness: &[f64], saturation: &[f64]| {
        let (by_brightness, by_saturation) = (across(brightness), saturation.to_vec());
        (zone, Part::Hues { width, by_brightness, by_saturation })
    };
    let few = [0.0, 0.1, 0.25, 0.45, 0.65, 0.85, 1.0];
    if monochrome {
        return Model::new(vec![curves(&few, 0.4, [0.05, 3.3])]);
    }
    match common {
        Common::Aligned => {
            let hues = |width: f64, b: &[f64], s: &[f64]| hues(width * free, b, s);
            let many = [0.0, 0.04, 0.09, 0.16, 0.25, 0.35, 0.45, 0.55, 0.65, 0.75, 0.85, 0.93, 1.0];
            Model::new(vec![
                (zone, Part::Mix { name: "Channel mix", start: [0.0; 6], width: 0.2 }),
                hues(0.7, &[0.05, 0.2, 0.35, 0.5, 0.7, 0.9], &[0.0, 0.2, 0.45, 0.8]),
                curves(&many, 0.6, [0.0, 8.0]),
                hues(0.5, &[0.05, 0.2, 0.35, 0.5, 0.7, 0.9], &[0.0, 0.2, 0.45, 0.8]),
            ])
        }
        _ => Model::new(vec![
            // What works on colour comes first: it leaves greys as they are, and curves that rise keep their order.
            (zone, Part::Saturation { width: 0.4 * free }),
            hues(0.4 * free, &[0.1, 0.3, 0.5, 0.75], &[]),
            curves(&few, 0.35 * free, [0.05, 3.3]),
        ]),
    }
}

/// What the steps are fitted to, each with its deviation.
fn aims(request: &Request<'_>, common: Common, patches: &[Patch]) -> Result<Vec<(Aim, f64)>, MatchError> {
    let mut aims = Vec::new();
    let references = request.references;
    match common {
        Common::Aligned => {
            let (a, b) = aligned_pixels(request.shot, &references[0]);
            let weights = vec![1.0; a.len()];
            aims.push((Aim::on_screen(a, b, &weights)?, SIGMAS[0]));
        }
        Common::Scene => {
            let all: Vec<[f64; 3]> = references.iter().flat_map(Small::split).collect();
            let own = request.shot.split();
            let map = Straight::between(&own, &all, 0.01);
            let inputs = spread(&request.shot.pixels);
            let plane = plane();
            let outputs = inputs.iter().map(|p| {
                let (y, cb, cr) = plane.split([p[0], p[1], p[2]]);
                join(map.at([y, cb, cr].map(f64::from)))
            });
            let outputs = outputs.collect();
            let weights = vec![0.1; inputs.len()];
            aims.push((Aim::on_screen(inputs, outputs, &weights)?, SIGMAS[1] / 3.0));
        }
        Common::Nothing => {
            let moves = trained::infer(references);
            let inputs = probes();
            let plane = plane();
            let outputs: Vec<[f32; 4]> = inputs
                .iter()
                .zip(&moves)
                .map(|(p, by)| {
                    let (y, cb, cr) = plane.split([p[0], p[1], p[2]]);
                    let own = [y, cb, cr].map(f64::from);
                    join([0, 1, 2].map(|c| own[c] + by[c]))
                })
                .collect();
            let sigma = if patches.len() >= 4 { 2.0 } else { 1.0 } * SIGMAS[2];
            aims.push((Aim::on_screen(inputs, outputs, &probe_weights())?, sigma));
        }
    }
    if !patches.is_empty() {
        let four = |c: [f32; 3]| [c[0], c[1], c[2], 1.0];
        let inputs = patches.iter().map(|p| four(p[0])).collect();
        let outputs = patches.iter().map(|p| four(p[1])).collect();
        aims.push((Aim::on_screen(inputs, outputs, &vec![1.0; patches.len()])?, SIGMAS[3]));
    }
    Ok(aims)
}

fn join([y, cb, cr]: [f64; 3]) -> [f32; 4] {
    let [r, g, b] = plane().join(y as f32, cb as f32, cr as f32);
    [r.clamp(0.0, 1.0), g.clamp(0.0, 1.0), b.clamp(0.0, 1.0), 1.0]
}

/// Pixels of the same places of two pictures, spread over the colours that are there.
fn aligned_pixels(a: &Small, b: &Small) -> (Vec<[f32; 4]>, Vec<[f32; 4]>) {
    let same = |x: usize, y: usize| {
        let (u, v) = (x * b.width / a.width, y * b.height / a.height);
        b.pixels[v.min(b.height - 1) * b.width + u.min(b.width - 1)]
    };
    let places = spread_places(&a.pixels);
    places.iter().map(|i| (a.pixels[*i], same(i % a.width, i / a.width))).unzip()
}

/// Some of the pixels, rare colours as well as common ones.
fn spread(pixels: &[[f32; 4]]) -> Vec<[f32; 4]> {
    spread_places(pixels).into_iter().map(|i| pixels[i]).collect()
}

/// The places of up to [`MOST_PIXELS`] pixels: first a few of each colour cell, then any.
fn spread_places(pixels: &[[f32; 4]]) -> Vec<usize> {
    const CELLS: f32 = 12.0;
    const OF_EACH: usize = 4;
    let mut order: Vec<usize> = (0..pixels.len()).collect();
    let mut random = Random(11);
    for i in (1..order.len()).rev() {
        order.swap(i, (random.unit() * (i + 1) as f64) as usize % (i + 1));
    }
    let mut cells = std::collections::BTreeMap::<[u8; 3], usize>::new();
    let (first, rest): (Vec<usize>, Vec<usize>) = order.into_iter().partition(|i| {
        let p = pixels[*i];
        let cell = [0, 1, 2].map(|c| (p[c].clamp(0.0, 1.0) * CELLS) as u8);
        let count = cells.entry(cell).or_default();
        *count += 1;
        *count <= OF_EACH
    });
    let mut places: Vec<usize> = first.into_iter().chain(rest).take(MOST_PIXELS).collect();
    places.sort_unstable();
    places
}

/// The strength that can be stood for, and how sure it is.
fn default_strength(common: Common, pairs: usize, references: usize) -> (f64, Confidence) {
    match (common, pairs, references) {
        (Common::Aligned, ..) => (1.0, Confidence::High),
        (_, 4.., _) => (1.0, Confidence::High),
        (Common::Scene, ..) => (0.8, Confidence::Fair),
        (_, 2.., _) => (0.8, Confidence::Fair),
        (_, _, 3..) => (0.75, Confidence::Fair),
        (_, 1, _) => (0.6, Confidence::Low),
        _ => (0.5, Confidence::Low),
    }
}

fn sentence(common: Common, pairs: usize, references: usize, monochrome: bool) -> String {
    let mut says = match (common, pairs, references) {
        (Common::Aligned, ..) => "The reference is this frame, graded: the look is recovered from its pixels.".to_owned(),
        (_, 4.., _) => format!("{pairs} pairs say where colours go: they are met as closely as the steps allow."),
        (Common::Scene, 0, _) => "The same scene: its colours are moved to the reference's as a whole; pairs would say more.".into(),
        (_, 1.., _) => format!("{pairs} {} say where some colours go, the rest is inferred; four or more say it all.", if pairs == 1 { "pair" } else { "pairs" }),
        (_, _, 3..) => format!("The look is inferred from {references} references: it leans the right way."),
        _ => "The look is inferred from one reference of other content: a guess, at half strength. Pairs, or more references of the same look, say more.".into(),
    };
    if monochrome {
        says.push_str(" The reference is monochrome with a tint, so the match is.");
    }
    says
}

/// The differences of all pairs, before and after.
fn pair_reports(matched: &Matched, patches: &[Patch]) -> Result<Vec<PairReport>, MatchError> {
    if patches.is_empty() {
        return Ok(Vec::new());
    }
    let four = |c: [f32; 3]| [c[0], c[1], c[2], 1.0];
    let aim = Aim::on_screen(
        patches.iter().map(|p| four(p[0])).collect(),
        patches.iter().map(|p| four(p[1])).collect(),
        &vec![1.0; patches.len()],
    )?;
    let mut path = Path::default();
    matched.put(&mut path);
    let (before, after) = (aim.differences(&Path::default())?, aim.differences(&path)?);
    Ok(before.into_iter().zip(after).map(|(before, after)| PairReport { before, after }).collect())
}

/// What could not be reached, in sentences.
fn notes(request: &Request<'_>, report: &Report) -> Vec<String> {
    let mut notes = Vec::new();
    let dark = |s: &Small| percentile(&mut s.split().iter().map(|p| p[0]).collect::<Vec<f64>>(), 0.01);
    let deepest = request.references.iter().map(dark).fold(f64::INFINITY, f64::min);
    if report.common != Common::Aligned && deepest > dark(request.shot) + 0.05 {
        notes.push("The references have nothing as dark as this shot: its deepest tones are continued from lighter ones.".into());
    }
    if report.unseen_hues.len() > 4 {
        notes.push(format!(
            "{} of eight hues are in no reference: nothing was inferred for them.",
            report.unseen_hues.len()
        ));
    }
    let far = report.pairs.iter().filter(|p| p.after > 3.0).count();
    if far > 0 {
        notes.push(format!(
            "{far} of {} pairs stay more than 3 apart: they contradict others, or lie where no step reaches.",
            report.pairs.len()
        ));
    }
    notes
}

/// The mean CIEDE2000 of two small pictures of one shape.
pub fn difference(a: &Small, b: &Small) -> f64 {
    let lab = crate::colour::difference::LabOf::new(&crate::colour::primaries::P3_D65);
    let of = |p: &[f32; 4]| lab.lab([p[0], p[1], p[2]].map(|v| f64::from(v.max(0.0)).powf(2.4)));
    let all = a.pixels.iter().zip(&b.pixels).map(|(a, b)| ciede2000(of(a), of(b)));
    all.sum::<f64>() / a.pixels.len().max(1) as f64
}
