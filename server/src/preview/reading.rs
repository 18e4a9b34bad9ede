//! What the page draws of a step beside the picture: fingerprints, response curves, weights, the dropper.

use super::frame::Studio;
use crate::error::{ApiError, ApiResult};
use lantern_core::look::{Fingerprint, Path, Program, fingerprint};
use lantern_core::step::{Balance, Values, curve::Curve, field::CurveRest};
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
pub fn read(r: &ReadingRequest) -> ApiResult<Reading> {
    r.path.check()?;
    let span = super::frame::TONE_SPAN;
    let step = r.path.steps.iter().find(|s| Some(&s.id) == r.step.as_ref());
    let curves = step.map_or_else(Vec::new, |s| curves(&s.values, s.zone, span));
    Ok(Reading { seq: r.seq, fingerprints: r.path.steps.iter().map(fingerprint).collect(), curves, span })
}

fn curves(values: &Values, zone: lantern_core::step::Zone, span: [f32; 2]) -> Vec<DrawnCurve> {
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
    match values {
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
        Values::Balance(_) | Values::PlainRendering(_) => Vec::new(),
    }
}

/// Asks what white balance makes a place of a shot neutral.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct DropperRequest {
    /// The shot.
    pub shot: String,
    /// The whole path.
    pub path: Path,
    /// The Balance step to solve for.
    pub step: String,
    /// Column and row of the place as shares of width and height, 0..1.
    pub at: [f64; 2],
}

/// What the dropper found.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Dropped {
    /// Temperature in kelvin.
    pub temperature: f64,
    /// Tint in thousandths of Duv.
    pub tint: f64,
    /// Brightness of the place before the step, in stops from middle grey.
    pub stops: f64,
}

/// Width of the proxy that the dropper reads, and the radius of its patch in pixels there.
const DROPPER_WIDTH: u32 = 960;
const DROPPER_RADIUS: usize = 5;

impl Studio {
    /// Solves a Balance step for a place that should be neutral.
    pub fn dropper(&self, r: &DropperRequest) -> ApiResult<Dropped> {
        r.path.check()?;
        let step = r.path.steps.iter().find(|s| s.id == r.step);
        let Some(Values::Balance(balance)) = step.map(|s| &s.values) else {
            return Err(ApiError::Invalid("the dropper works on a Balance step of the path".into()));
        };
        if r.at.iter().any(|v| !(0.0..=1.0).contains(v)) {
            return Err(ApiError::Invalid("the place lies outside the picture".into()));
        }
        let proxy = self.proxies.get(&self.store, &self.media, &r.shot, DROPPER_WIDTH as usize)?;
        let (w, h) = (proxy.picture.width(), proxy.picture.height());
        let (x, y) = ((r.at[0] * w as f64) as usize, (r.at[1] * h as f64) as usize);
        let range = |c: usize, n: usize| c.saturating_sub(DROPPER_RADIUS)..(c + DROPPER_RADIUS + 1).min(n);
        let mut patch: Vec<[f32; 4]> = range(y, h)
            .flat_map(|y| range(x, w).map(move |x| y * w + x))
            .map(|i| proxy.picture.pixels[i])
            .collect();
        Program::up_to(&r.path, &r.step, &proxy.encoding).run(&mut patch);
        let mean =
            [0, 1, 2].map(|c| patch.iter().map(|p| f64::from(p[c])).sum::<f64>() / patch.len().max(1) as f64);
        let found: Balance = balance.neutralising(mean).ok_or_else(|| {
            ApiError::Invalid(
                "this place is too dark or too colourful to be something neutral; try a grey or white one"
                    .into(),
            )
        })?;
        let luminance = 0.272_228_7 * mean[0] + 0.674_081_8 * mean[1] + 0.053_689_5 * mean[2];
        Ok(Dropped { temperature: found.temperature, tint: found.tint, stops: (luminance / 0.18).log2() })
    }
}
