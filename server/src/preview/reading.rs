//! What the page draws of a step beside the picture: fingerprints, response curves, weights.

use crate::error::ApiResult;
use lantern_core::look::{Fingerprint, Path, fingerprint};
use lantern_core::step::{Values, curve::Curve, field::CurveRest};
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
    let span = super::request::TONE_SPAN;
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
