//! Parts of a reference's reading taken over as steps: what lies between it and the shot's own reading.

use super::model::place;
use super::reading::PictureReading;
use crate::colour::Zone;
use crate::look::Step;
use crate::step::{Curves, Saturation, ToneTint, Values};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A part of a reading.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Part {
    /// Where its tones lie, from black to white.
    Tones,
    /// Its black alone.
    Black,
    /// The tints of its darks, middles and lights.
    Tints,
    /// Its saturation over brightness.
    Saturation,
}

/// What is taken over counts half at first: one picture says little of another.
pub const STRENGTH: f64 = 0.5;
/// The steepest that tones are drawn apart, in either direction.
const SLOPE: f64 = 3.3;
/// Tones that lie closer than this on the axis are one.
const CLOSE: f64 = 0.25;
/// The most that saturation is raised or lowered.
const FACTORS: [f64; 2] = [0.2, 2.0];
/// Chroma under which a factor would be made of noise.
const GREY: f64 = 0.004;

fn rounded(v: f64) -> f64 {
    (v * 1000.0).round() / 1000.0
}

fn axis(code: f64) -> f64 {
    place(Zone::Screen, code as f32)
}

/// Points of a curve that rises everywhere, no steeper and no flatter than [`SLOPE`] lets it.
fn rising(wanted: &[[f64; 2]]) -> Vec<[f64; 2]> {
    let mut points: Vec<[f64; 2]> = Vec::new();
    for &[x, y] in wanted {
        match points.last() {
            Some(last) if x - last[0] < CLOSE => {}
            Some(last) => {
                let by = (x - last[0]) * ((y - last[1]) / (x - last[0])).clamp(1.0 / SLOPE, SLOPE);
                points.push([x, last[1] + by]);
            }
            None => points.push([x, y]),
        }
    }
    points.iter().map(|p| p.map(|v| rounded(v.clamp(-8.0, 8.0)))).collect()
}

/// The step that takes a part of a reference's reading over to a shot with a reading of its own. `None` where both are alike in it.
pub fn taken(
    part: Part,
    reference: &PictureReading,
    shot: &PictureReading,
    id: &str,
    name: &str,
) -> Option<Step> {
    let (says, values) = match part {
        Part::Tones => {
            let points: Vec<[f64; 2]> =
                shot.tones.iter().zip(&reference.tones).map(|(s, r)| [axis(*s), axis(*r)]).collect();
            ("Tones", Values::Curves(Curves { brightness: rising(&points), ..Default::default() }))
        }
        Part::Black => {
            let (own, its) = (axis(shot.tones[0]), axis(reference.tones[0]));
            let middle = axis(shot.tones[3]).max(own + 1.0);
            let lights = axis(1.0).max(middle + 1.0);
            // The lowest point gives way where the middle stays.
            let low = middle - own;
            let its = its.clamp(middle - low * SLOPE, middle - low / SLOPE);
            let points = [[own, its], [middle, middle], [lights, lights]].map(|p| p.map(rounded)).to_vec();
            ("Black", Values::Curves(Curves { brightness: points, ..Default::default() }))
        }
        Part::Tints => {
            let push = |i: usize| {
                let (r, s) = (&reference.ranges[i], &shot.ranges[i]);
                // A range that hardly anything lies in has no tint to speak of.
                let there = r.share >= 0.01;
                let d = [0, 1].map(|c| if there { r.tint[c] - s.tint[c] } else { 0.0 });
                let hue = d[1].atan2(d[0]).to_degrees().rem_euclid(360.0);
                (rounded(hue), rounded(d[0].hypot(d[1]).min(0.5)))
            };
            let [darks, middles, lights] = [push(0), push(1), push(2)];
            let step = ToneTint {
                darks_hue: darks.0,
                darks_amount: darks.1,
                middles_hue: middles.0,
                middles_amount: middles.1,
                lights_hue: lights.0,
                lights_amount: lights.1,
                // Where the readings' thirds meet.
                low: rounded(axis(1.0 / 3.0)),
                high: rounded(axis(2.0 / 3.0)),
                ..Default::default()
            };
            ("Tints", Values::ToneTint(step))
        }
        Part::Saturation => {
            let points: Vec<[f64; 2]> = (0..8)
                .filter_map(|i| {
                    let (r, s) = (reference.saturation[i]?, shot.saturation[i]?);
                    let factor = ((r + GREY) / (s + GREY)).max(FACTORS[0]).min(FACTORS[1]);
                    Some([rounded(axis((i as f64 + 0.5) / 8.0)), rounded(factor)])
                })
                .collect();
            ("Saturation", Values::Saturation(Saturation { by_brightness: points, ..Default::default() }))
        }
    };
    let nothing = match &values {
        Values::Curves(c) => c.brightness.iter().all(|p| (p[0] - p[1]).abs() < 0.02),
        Values::ToneTint(t) => t.darks_amount.max(t.middles_amount).max(t.lights_amount) < 0.002,
        Values::Saturation(s) => s.by_brightness.iter().all(|p| (p[1] - 1.0).abs() < 0.02),
        _ => true,
    };
    (!nothing && values.check().is_ok()).then(|| Step {
        id: id.into(),
        name: format!("{says} of {name}").chars().take(crate::look::MAX_NAME).collect(),
        zone: Zone::Screen,
        on: true,
        strength: STRENGTH,
        group: None,
        region: None,
        values,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::plane::polar;
    use crate::graph::Program;
    use crate::look::Path;
    use crate::matching::reading::of_picture;
    use crate::matching::small::{Small, plane, screen};
    use crate::matching::training::Random;
    use proptest::prelude::*;

    /// A picture with tones from `low` to `high`, a tint and a chroma.
    fn picture(seed: u64, low: f64, high: f64, tint: [f64; 2], chroma: f64) -> Small {
        let (mut random, plane) = (Random(seed), plane());
        let pixels = (0..2400).map(|_| {
            let y = low + (high - low) * random.unit();
            let (cb, cr) = polar(360.0 * random.unit(), chroma * random.unit());
            let (tb, tr) = polar(tint[0], tint[1]);
            let [r, g, b] = plane.join(y as f32, (cb + tb) as f32, (cr + tr) as f32);
            [r, g, b, 1.0]
        });
        Small { width: 60, height: 40, pixels: pixels.collect() }
    }

    fn seen(mut of: Small, step: Step) -> PictureReading {
        let path = Path { steps: vec![Step { strength: 1.0, ..step }], ..Default::default() };
        Program::compile(&path, &screen(), &screen()).unwrap().run_parallel(&mut of.pixels);
        of_picture(&of)
    }

    #[test]
    fn each_part_at_full_strength_gives_the_shot_what_the_reference_has() {
        let shot = picture(1, 0.05, 0.85, [0.0, 0.0], 0.08);
        let wanted = of_picture(&picture(2, 0.18, 0.75, [30.0, 0.04], 0.04));
        let own = of_picture(&shot);
        let step = |part| taken(part, &wanted, &own, "x", "harbour").unwrap();
        let tones = seen(shot.clone(), step(Part::Tones)).tones;
        assert!(tones.iter().zip(wanted.tones).all(|(a, b)| (a - b).abs() < 0.02), "{tones:?}");
        let black = seen(shot.clone(), step(Part::Black)).tones;
        assert!(
            (black[0] - wanted.tones[0]).abs() < 0.02 && (black[3] - own.tones[3]).abs() < 0.01,
            "{black:?}"
        );
        let tinted = seen(shot.clone(), step(Part::Tints)).ranges;
        for (a, b) in tinted.iter().zip(&wanted.ranges) {
            assert!((a.tint[0] - b.tint[0]).hypot(a.tint[1] - b.tint[1]) < 0.012, "{a:?} {b:?}");
        }
        let saturation = seen(shot.clone(), step(Part::Saturation)).saturation;
        let pairs = saturation.iter().zip(wanted.saturation).filter_map(|(a, b)| Some([(*a)?, b?]));
        for [a, b] in pairs {
            assert!((a - b).abs() < 0.015, "{a} {b}");
        }
        assert_eq!(step(Part::Tints).strength, 0.5);
    }

    #[test]
    fn a_picture_takes_nothing_from_itself() {
        let own = of_picture(&picture(1, 0.05, 0.85, [0.0, 0.0], 0.08));
        for part in [Part::Tones, Part::Black, Part::Tints, Part::Saturation] {
            assert_eq!(taken(part, &own, &own, "x", "itself"), None, "{part:?}");
        }
    }

    proptest! {
        #[test]
        fn whatever_two_pictures_are_the_step_is_one_and_its_tones_rise(
            seeds in [0_u64..1000, 0..1000],
            ends in [[0.0..0.5_f64, 0.0..0.6], [0.0..0.5, 0.0..0.6]],
            chroma in [0.0..0.3_f64, 0.0..0.3],
        ) {
            let of = |i: usize| {
                of_picture(&picture(seeds[i], ends[i][0], ends[i][0] + ends[i][1], [90.0, 0.1], chroma[i]))
            };
            let (own, wanted) = (of(0), of(1));
            for part in [Part::Tones, Part::Black, Part::Tints, Part::Saturation] {
                let Some(step) = taken(part, &wanted, &own, "x", "it") else { continue };
                step.values.check().unwrap();
                if let Values::Curves(c) = &step.values {
                    for w in c.brightness.windows(2) {
                        prop_assert!(w[1][0] > w[0][0] && w[1][1] > w[0][1], "{:?}", c.brightness);
                    }
                }
            }
        }
    }
}
