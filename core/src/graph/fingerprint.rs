//! A tiny picture of what a step does: its response on the neutral scale and its moves on the hue circle.

use super::Program;
use crate::colour::plane::polar;
use crate::look::Step;
use crate::step::{Axis, Zone, plane_of};
use schemars::JsonSchema;
use serde::Serialize;

/// Points on the neutral scale.
pub const NEUTRALS: usize = 25;
/// Points on the hue circle.
pub const HUES: usize = 12;

/// What a step does to the neutral scale and to the hue circle, in its zone's encoded values.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Fingerprint {
    /// The step's id.
    pub step: String,
    /// R, G and B that the neutral scale becomes, on the tonal axis, for places evenly spaced over `span`.
    pub neutral: Vec<[f32; 3]>,
    /// First and last place of the scale on the tonal axis.
    pub span: [f32; 2],
    /// Where twelve hues at 30 degree steps end up in the colour-difference plane, as a share of the radius
    /// they started at.
    pub hues: Vec<[f32; 2]>,
}

/// The fingerprint of a step, its switch and strength left out of account when it is off, so that it can
/// still be read.
pub fn fingerprint(step: &Step) -> Fingerprint {
    let shown = Step { on: true, strength: if step.active() { step.strength } else { 1.0 }, ..step.clone() };
    let program = Program::of_step(&shown);
    let (from, to) = match step.zone {
        Zone::Scene => (Zone::Scene, Zone::Scene),
        Zone::Film if step.renders() => (Zone::Scene, Zone::Screen),
        // What is put onto pictures moves no colour of its own.
        Zone::Film => (Zone::Scene, Zone::Scene),
        Zone::Screen => (Zone::Screen, Zone::Screen),
    };
    let (axis, out) = (Axis::of(from), Axis::of(to));
    let span = if from == Zone::Scene { [-6.0, 6.0] } else { [-3.8, 6.1] };
    let mut pixels: Vec<[f32; 4]> = (0..NEUTRALS)
        .map(|i| span[0] + (span[1] - span[0]) * i as f32 / (NEUTRALS - 1) as f32)
        .map(|place| axis.code(place))
        .map(|c| [c, c, c, 1.0])
        .collect();
    // Middle grey with a colour of moderate strength.
    let radius = if from == Zone::Scene { 0.06 } else { 0.15 };
    let (plane, grey) = (plane_of(from), axis.code(0.0));
    pixels.extend((0..HUES).map(|i| {
        let (cb, cr) = polar(i as f64 * 30.0, radius);
        let [r, g, b] = plane.join(grey, cb as f32, cr as f32);
        [r, g, b, 1.0]
    }));
    program.run(&mut pixels);
    let plane = plane_of(to);
    let scale = if to == from { radius as f32 } else { 0.15 };
    Fingerprint {
        step: step.id.clone(),
        neutral: pixels[..NEUTRALS].iter().map(|p| [p[0], p[1], p[2]].map(|v| out.place(v))).collect(),
        span,
        hues: pixels[NEUTRALS..]
            .iter()
            .map(|p| plane.split([p[0], p[1], p[2]]))
            .map(|(_, cb, cr)| [cb / scale, cr / scale])
            .collect(),
    }
}
