//! What the page draws of a step beside the picture: fingerprints, response curves, weights.

use crate::error::ApiResult;
use crate::media::MediaFolder;
use lantern_core::bake::steep::steepness;
use lantern_core::colour::Encoding;
use lantern_core::film;
use lantern_core::graph::filmed::Rendering;
use lantern_core::graph::{Filmed, Fingerprint, Program, fingerprint};
use lantern_core::look::{Path, Step};
use lantern_core::step::{Axis, Values, curve::Curve, field::CurveRest};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Points of a drawn curve.
const POINTS: usize = 161;

/// Asks for fingerprints of a path, and what the step in hand draws.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct ReadingRequest {
    /// Comes back with the reading.
    pub seq: u32,
    /// The whole path.
    pub path: Path,
    /// The step in hand.
    #[serde(default)]
    pub step: Option<String>,
}

/// Fingerprints of a path, and the curves of the step in hand.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Reading {
    /// The request's number.
    pub seq: u32,
    /// One for each step, in order.
    pub fingerprints: Vec<Fingerprint>,
    /// Curves to draw for the step in hand, each sampled evenly over `span`.
    pub curves: Vec<DrawnCurve>,
    /// Ends of the curves on the tonal axis.
    pub span: [f32; 2],
    /// The film, where the step in hand is a part of it.
    pub film: Option<film::reading::Reading>,
    /// What a display shows of black under the whole path, as a share of its signal (BT.1886), where the step in hand moves it.
    pub black: Option<f32>,
    /// Where the step in hand makes the path steeper than a table of 33 points holds.
    pub steep: Option<Steep>,
}

/// What a table of the path needs because of the selected step.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Steep {
    /// Points on a side that hold it; none where not even 65 do.
    pub points: Option<u32>,
}

/// The difference that a table is held to at its 99th percentile (CIEDE2000).
const HELD_TO: f64 = 1.0;
/// A step is named for what it adds to the rest of the path.
const OF_THE_REST: f64 = 1.4;

/// The same on a path whose tables are put in place.
fn steep_of(path: &Path, media: &MediaFolder, step: &Step) -> Option<Steep> {
    let mut path = path.clone();
    media.attach(&mut path);
    steep(&path, step)
}

/// Whether the selected step makes the path steeper than a table of 33 points holds.
fn steep(path: &Path, step: &Step) -> Option<Steep> {
    let (from, to) = (Encoding::find("acescct")?, Encoding::find("rec709")?);
    let of = |path: &Path, points: usize| steepness(path, &from, &to, points);
    let own = of(path, 33)?;
    let mut rest = path.clone();
    rest.steps.retain(|s| s.id != step.id);
    if own <= HELD_TO || own <= OF_THE_REST * of(&rest, 33)? {
        return None;
    }
    Some(Steep { points: (of(path, 65)? <= HELD_TO).then_some(65) })
}

/// What a display shows of black under a path.
fn black(path: &Path, media: &MediaFolder) -> Option<f32> {
    let mut path = path.clone();
    media.attach(&mut path);
    let (from, to) = (Encoding::find("acescg")?, Encoding::find("rec709")?);
    let shown = Program::compile(&path, &from, &to).ok()?.on_colour([0.0; 3]);
    Some(shown.iter().sum::<f32>() / 3.0)
}

/// A curve on the tonal axis.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct DrawnCurve {
    /// What it is: `response`, `darks`, `middles`, `lights`, or the id of a curve field.
    pub id: String,
    /// Its values, evenly spaced.
    pub values: Vec<f32>,
}

/// Reads a path.
pub fn read(r: &ReadingRequest, media: &MediaFolder) -> ApiResult<Reading> {
    r.path.check()?;
    let mut path = r.path.clone();
    media.attach(&mut path);
    let span = super::layout::TONE_SPAN;
    let fingerprints = path.steps.iter().map(fingerprint).collect();
    // The step that is selected is drawn in full, also while it is off or at strength 0.
    for step in path.steps.iter_mut().filter(|s| Some(&s.id) == r.step.as_ref()) {
        (step.on, step.strength) = (true, 1.0);
    }
    let step = path.steps.iter().find(|s| Some(&s.id) == r.step.as_ref());
    let curves = step.map_or_else(Vec::new, |s| curves(s, span));
    let film = step.filter(|s| matches!(s.values, Values::Negative(_) | Values::Print(_))).and_then(|_| {
        match Filmed::of(&path).rendering {
            Rendering::Through(films) => Some(film::reading::Reading::of(&films.chain)),
            Rendering::Plain(_) => None,
        }
    });
    let black = step.filter(|s| matches!(s.values, Values::Tone(_))).and_then(|_| black(&r.path, media));
    let steep = r.path.steps.iter().find(|s| Some(&s.id) == r.step.as_ref() && s.active());
    let steep = steep.and_then(|s| steep_of(&r.path, media, s));
    Ok(Reading { seq: r.seq, steep, black, fingerprints, curves, span, film })
}

/// What a step makes of the neutral scale, by channel.
fn responses(step: &Step, places: impl Iterator<Item = f32>) -> Vec<DrawnCurve> {
    let whole = Step { on: true, strength: 1.0, region: None, ..step.clone() };
    let axis = Axis::of(step.zone);
    let mut pixels: Vec<[f32; 4]> = places.map(|p| axis.code(p)).map(|v| [v, v, v, 1.0]).collect();
    Program::of_step(&whole).run(&mut pixels);
    let names = ["red", "green", "blue"];
    let curve = |(c, id): (usize, &&str)| DrawnCurve {
        id: (*id).into(),
        values: pixels.iter().map(|p| axis.place(p[c])).collect(),
    };
    names.iter().enumerate().map(curve).collect()
}

fn curves(step: &Step, span: [f32; 2]) -> Vec<DrawnCurve> {
    let zone = step.zone;
    let place = |i: usize| span[0] + (span[1] - span[0]) * i as f32 / (POINTS - 1) as f32;
    let draw = |id: &str, f: &dyn Fn(f32) -> f32| DrawnCurve {
        id: id.into(),
        values: (0..POINTS).map(|i| f(place(i))).collect(),
    };
    let free = |id: &str, points: &[[f64; 2]], rest: CurveRest| {
        let curve = Curve::new(points, rest);
        let idle = |x: f32| if rest == CurveRest::Same { x } else { 1.0 };
        draw(id, &|x| curve.as_ref().map_or(idle(x), |c| c.at(x)))
    };
    match &step.values {
        Values::Tone(v) => {
            let kernel = v.kernel(zone);
            vec![draw("response", &|x| kernel.response(x))]
        }
        Values::ToneTint(v) => {
            let kernel = v.kernel(zone);
            let names = ["darks", "middles", "lights"];
            names.iter().enumerate().map(|(k, id)| draw(id, &|x| kernel.weights(x)[k])).collect()
        }
        Values::Curves(v) => vec![
            free("brightness", &v.brightness, CurveRest::Same),
            free("red", &v.red, CurveRest::Same),
            free("green", &v.green, CurveRest::Same),
            free("blue", &v.blue, CurveRest::Same),
        ],
        Values::Saturation(v) => vec![free("by_brightness", &v.by_brightness, CurveRest::One)],
        Values::HueCurves(v) => {
            let kernel = v.kernel(zone);
            // Over the hue circle: degrees, factor, tonal axis.
            let degrees = |i: usize| 360.0 * i as f32 / (POINTS - 1) as f32;
            let ring = |id: &str, what: usize| DrawnCurve {
                id: id.into(),
                values: (0..POINTS).map(|i| kernel.drawn(degrees(i))[what]).collect(),
            };
            let by_saturation = Curve::new(&v.by_saturation, CurveRest::One);
            let share = |i: usize| i as f32 / (POINTS - 1) as f32;
            let strength = |i: usize| by_saturation.as_ref().map_or(1.0, |c| c.at(share(i)));
            vec![
                ring("hue", 0),
                ring("saturation", 1),
                ring("brightness", 2),
                free("by_brightness", &v.by_brightness, CurveRest::One),
                DrawnCurve { id: "by_saturation".into(), values: (0..POINTS).map(strength).collect() },
            ]
        }
        Values::Levels(_) | Values::SlopeOffsetPower(_) | Values::Table(_) => {
            responses(step, (0..POINTS).map(place))
        }
        _ => Vec::new(),
    }
}
