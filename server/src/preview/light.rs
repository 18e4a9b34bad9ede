//! Reading the light of a shot: the droppers, and bringing one shot to another.

use super::request::Seat;
use super::studio::Studio;
use crate::error::{ApiError, ApiResult};
use crate::store::ids::ShotId;
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::matching::shot::{Brought, bring, bring_whole, measure};
use lantern_core::scope::Area;
use lantern_core::scope::stops::stops_of;
use lantern_core::step::{Balance, Values};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::atomic::AtomicBool;

/// Asks what balance makes a place of a shot neutral, or gives it an exposure.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct DropperRequest {
    /// What is looked at.
    #[serde(flatten)]
    pub seat: Seat,
    /// The Balance step to solve for.
    pub step: String,
    /// Column and row of the place as shares of width and height, 0..1.
    #[serde(default)]
    pub at: Option<[f64; 2]>,
    /// The area that was dragged over, in place of a place.
    #[serde(default)]
    pub area: Option<Area>,
    /// The stops from middle grey that the place should have; white is solved for where none are said.
    #[serde(default)]
    pub stops: Option<f64>,
}

/// What the dropper found.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct Dropped {
    /// Exposure in stops.
    pub exposure: f64,
    /// Temperature in kelvin.
    pub temperature: f64,
    /// Tint in thousandths of Duv.
    pub tint: f64,
    /// Brightness of the place before the step, in stops from middle grey.
    pub stops: f64,
}

/// One side of a match.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct Side {
    /// The shot.
    pub shot: ShotId,
    /// The frame, by its place in the order.
    #[serde(default)]
    pub frame: Option<u32>,
    /// The area that counts; the whole frame where none is drawn.
    #[serde(default)]
    pub area: Option<Area>,
    /// Its trim; the one saved last where none is said.
    #[serde(default)]
    pub trim: Option<Path>,
}

/// Asks what brings a shot to another one.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
pub struct MatchRequest {
    /// The shot that changes.
    pub shot: Side,
    /// Its Balance step that is solved for; what stands before it counts.
    pub step: String,
    /// The shot that it is brought to, as its whole trim leaves it.
    pub to: Side,
    /// Contrast and saturation are fitted too, all together.
    #[serde(default)]
    pub whole: bool,
}

/// Width of the proxy that light is read from, and the radius of a clicked patch in pixels there.
pub const WIDTH: u32 = 960;
const RADIUS: usize = 5;

/// The source pixels of an area, or of a small patch around a place.
pub fn patch(
    studio: &Studio,
    shot: &ShotId,
    frame: Option<u32>,
    at: Option<[f64; 2]>,
    area: Option<&Area>,
) -> ApiResult<Vec<[f32; 4]>> {
    let proxy = studio.proxy(shot, frame, WIDTH)?;
    let (w, h) = (proxy.picture.width(), proxy.picture.height());
    match (area, at) {
        (Some(area), _) => {
            let mask = area.mask(w, h).map_err(|e| ApiError::Invalid(e.to_string()))?;
            Ok(mask.gather(&proxy.picture.pixels))
        }
        (None, Some(at)) if at.iter().all(|v| (0.0..=1.0).contains(v)) => {
            let (x, y) = ((at[0] * w as f64) as usize, (at[1] * h as f64) as usize);
            let range = |c: usize, n: usize| c.saturating_sub(RADIUS)..(c + RADIUS + 1).min(n);
            let places = range(y, h).flat_map(|y| range(x, w).map(move |x| y * w + x));
            Ok(places.map(|i| proxy.picture.pixels[i]).collect())
        }
        _ => Err(ApiError::Invalid("the place lies outside the picture".into())),
    }
}

impl Studio {
    /// Solves a Balance step for a place that should be neutral, or should have an exposure.
    pub fn dropper(&self, r: &DropperRequest) -> ApiResult<Dropped> {
        let path = self.whole(&r.seat)?;
        let step = path.steps.iter().find(|s| s.id == r.step);
        let Some(Values::Balance(balance)) = step.map(|s| s.values.clone()) else {
            return Err(ApiError::Invalid("the dropper works on a Balance step of the path".into()));
        };
        let proxy = self.proxy(&r.seat.shot, r.seat.frame, WIDTH)?;
        let mut patch = patch(self, &r.seat.shot, r.seat.frame, r.at, r.area.as_ref())?;
        Program::up_to(&path, &r.step, &proxy.encoding).run(&mut patch);
        let mean =
            [0, 1, 2].map(|c| patch.iter().map(|p| f64::from(p[c])).sum::<f64>() / patch.len().max(1) as f64);
        let stops = |rgb: [f64; 3]| f64::from(stops_of(&[rgb[0] as f32, rgb[1] as f32, rgb[2] as f32, 1.0]));
        let Some(wanted) = r.stops else {
            let found = balance.neutralising(mean).ok_or_else(|| {
                ApiError::Invalid(
                    "this place is too dark or too colourful to be something neutral; try a grey or white one"
                        .into(),
                )
            })?;
            return Ok(Dropped {
                exposure: found.exposure,
                temperature: found.temperature,
                tint: found.tint,
                stops: stops(mean),
            });
        };
        // Exposure is read through the step's own white.
        let white = Balance { exposure: 0.0, ..balance.clone() };
        let seen = stops(white.kernel().apply(mean.map(|v| v as f32)).map(f64::from));
        let exposure = wanted - seen;
        if !exposure.is_finite() || exposure.abs() > 8.0 {
            return Err(ApiError::Invalid(format!(
                "this place lies {seen:+.1} stops from middle grey; exposure moves by up to 8"
            )));
        }
        Ok(Dropped { exposure, temperature: balance.temperature, tint: balance.tint, stops: stops(mean) })
    }

    /// What brings one shot to another, from areas or whole frames.
    pub fn bring(&self, r: &MatchRequest) -> ApiResult<Brought> {
        let own = self.side(&r.shot, Some(&r.step))?;
        let to = self.side(&r.to, None)?;
        let dark = || ApiError::Invalid("there is no light to go by in this picture".into());
        let found = if r.whole {
            bring_whole(&own, &to, &AtomicBool::new(false))
        } else {
            bring(&measure(&own).ok_or_else(dark)?, &measure(&to).ok_or_else(dark)?)
        };
        found
            .ok_or_else(|| ApiError::Invalid("no match on whole frames: draw the same object in both".into()))
    }

    fn side(&self, side: &Side, before: Option<&str>) -> ApiResult<Vec<[f32; 4]>> {
        let trim = match &side.trim {
            Some(trim) => trim.clone(),
            None => self.trim(&side.shot)?,
        };
        trim.check_trim()?;
        let mut trim = trim;
        self.media.attach(&mut trim);
        let proxy = self.proxy(&side.shot, side.frame, WIDTH)?;
        let (w, h) = (proxy.picture.width(), proxy.picture.height());
        let mut pixels = match &side.area {
            None => proxy.picture.pixels.clone(),
            Some(area) => {
                let mask = area.mask(w, h).map_err(|e| ApiError::Invalid(e.to_string()))?;
                mask.gather(&proxy.picture.pixels)
            }
        };
        let program = match before {
            Some(step) => Program::up_to(&trim, step, &proxy.encoding),
            None => Program::scene(&trim, &proxy.encoding),
        };
        program.run_parallel(&mut pixels);
        Ok(pixels)
    }
}
