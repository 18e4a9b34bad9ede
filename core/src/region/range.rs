//! A colour range: the colours between edges of hue, saturation and brightness, each soft.

use crate::colour::hues::{Shape, coloured, hues, spread};
use crate::colour::plane::{Plane, SKIN_DEGREES, hue_of};
use crate::colour::{Axis, Zone, plane_of, saturation_reach};
use crate::field::parameters;
use crate::numeric::lane::{Channel, N, Planes, select, smoothstep};

/// The ends of the tonal axis, which count as no edge.
const DARKEST: f64 = -8.0;
const BRIGHTEST: f64 = 8.0;
/// The highest saturation, which counts as no edge.
const STRONGEST: f64 = 1.5;
/// The widest reach, which counts as all hues.
const ALL_HUES: f64 = 180.0;

parameters! {
    /// Colours within edges of hue, saturation and brightness, as the step is given them.
    ColourRange {
        /// The hue in the middle.
        hue: "Hue", Degrees, number(0.0, 360.0, SKIN_DEGREES, 1.0);
        /// How far the range reaches on both sides of it; 180 is all hues.
        hue_reach: "Hue reach", Degrees, number(3.0, ALL_HUES, ALL_HUES, 1.0);
        /// How gradually it ends.
        hue_softness: "Hue softness", Degrees, number(2.0, 90.0, 20.0, 1.0);
        /// The least saturation; 1 is as strong as a display's primary, 0 is no edge.
        saturation_low: "Saturation from", Percent, number(0.0, STRONGEST, 0.0, 0.01);
        /// The highest saturation; 150 % is no edge.
        saturation_high: "Saturation to", Percent, number(0.0, STRONGEST, STRONGEST, 0.01);
        /// How gradually it ends.
        saturation_softness: "Saturation softness", Percent, number(0.01, 0.6, 0.1, 0.01);
        /// The least brightness; the axis' end is no edge.
        brightness_low: "Brightness from", Tones, number(DARKEST, BRIGHTEST, DARKEST, 0.05);
        /// The highest brightness; the axis' end is no edge.
        brightness_high: "Brightness to", Tones, number(DARKEST, BRIGHTEST, BRIGHTEST, 0.05);
        /// How gradually it ends.
        brightness_softness: "Brightness softness", Tones, number(0.1, 4.0, 1.0, 0.05);
        /// Works on all other colours instead.
        inverted: "Outside", Plain, switch(false);
    }
}

/// The range ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct RangeKernel {
    axis: Axis,
    plane: Plane,
    reach: f32,
    hue: Option<Shape>,
    saturation: [Option<[f32; 2]>; 2],
    brightness: [Option<[f32; 2]>; 2],
    inverted: bool,
}

impl ColourRange {
    /// The range in a zone.
    pub fn kernel(&self, zone: Zone) -> RangeKernel {
        let edge = |at: f64, softness: f64, open: bool| {
            (!open).then_some([(at - softness / 2.0) as f32, (at + softness / 2.0) as f32])
        };
        let reach = saturation_reach(zone);
        let (s, soft) = (f64::from(reach), self.saturation_softness * f64::from(reach));
        // The lower edge of saturation keeps off zero, where its ramp would have a cone.
        let low = (self.saturation_low * s).max(soft / 2.0);
        RangeKernel {
            axis: Axis::of(zone),
            plane: plane_of(zone),
            reach,
            hue: (self.hue_reach < ALL_HUES)
                .then(|| Shape::new(self.hue, self.hue_reach, self.hue_reach, self.hue_softness)),
            saturation: [
                edge(low, soft, self.saturation_low <= 0.0),
                edge(self.saturation_high * s, soft, self.saturation_high >= STRONGEST),
            ],
            brightness: [
                edge(self.brightness_low, self.brightness_softness, self.brightness_low <= DARKEST),
                edge(self.brightness_high, self.brightness_softness, self.brightness_high >= BRIGHTEST),
            ],
            inverted: self.inverted,
        }
    }

    /// The range over some code values of a zone, open where they say nothing: edges at their 3rd and 97th percentile.
    /// `None` for no pixels.
    pub fn over(pixels: &[[f32; 4]], zone: Zone) -> Option<Self> {
        let seen = Seen::of(pixels, zone)?;
        let [low, high] = seen.saturation;
        let range = Self {
            saturation_low: if seen.hue.is_some() { round((low * 0.7).max(0.01), 0.01) } else { 0.0 },
            saturation_high: if seen.hue.is_some() { STRONGEST } else { round(high * 1.3 + 0.06, 0.01) },
            saturation_softness: if seen.hue.is_some() {
                round((low * 0.6).clamp(0.02, 0.08), 0.01)
            } else {
                0.08
            },
            brightness_low: round((seen.brightness[0] - 0.6).clamp(DARKEST, BRIGHTEST), 0.05),
            brightness_high: round((seen.brightness[1] + 0.6).clamp(DARKEST, BRIGHTEST), 0.05),
            ..Default::default()
        };
        let Some((hue, reach)) = seen.hue else { return Some(range) };
        let reach = (reach + 5.0).clamp(8.0, ALL_HUES).round();
        Some(Self {
            hue: hue.round() % 360.0,
            hue_reach: reach,
            hue_softness: (reach * 0.8).clamp(8.0, 40.0).round(),
            ..range
        })
    }

    /// This range widened just so far that it holds these code values too.
    pub fn with(&self, pixels: &[[f32; 4]], zone: Zone) -> Option<Self> {
        let add = Self::over(pixels, zone)?;
        let mut wide = self.clone();
        if self.hue_reach < ALL_HUES {
            (wide.hue, wide.hue_reach) = hull((self.hue, self.hue_reach), (add.hue, add.hue_reach));
        }
        wide.saturation_low = self.saturation_low.min(add.saturation_low);
        wide.saturation_high = self.saturation_high.max(add.saturation_high);
        wide.brightness_low = self.brightness_low.min(add.brightness_low);
        wide.brightness_high = self.brightness_high.max(add.brightness_high);
        Some(wide)
    }

    /// This range cut so that it no longer holds the middle of these code values: on the one edge where that costs the
    /// least of it.
    pub fn without(&self, pixels: &[[f32; 4]], zone: Zone) -> Option<Self> {
        let seen = Seen::of(pixels, zone)?;
        let mut cuts: Vec<(f64, Self)> = Vec::new();
        let mut cut = |cost: f64, range: Self| {
            if cost > 0.0 {
                cuts.push((cost, range));
            }
        };
        let (soft, middle) = (self.brightness_softness / 2.0, seen.middle);
        let (low, high) = (self.brightness_low, self.brightness_high);
        let tones = high - low;
        let (up, down) = (round(middle[2] + soft, 0.05), round(middle[2] - soft, 0.05));
        cut((up - low) / tones, Self { brightness_low: up.min(high - 0.1), ..self.clone() });
        cut((high - down) / tones, Self { brightness_high: down.max(low + 0.1), ..self.clone() });
        let soft = self.saturation_softness / 2.0;
        let (low, high) = (self.saturation_low, self.saturation_high);
        let width = high.min(1.0) - low;
        let (up, down) = (round(middle[1] + soft, 0.01), round(middle[1] - soft, 0.01));
        cut((up - low) / width, Self { saturation_low: up.min(high - 0.01), ..self.clone() });
        if down > low {
            cut((high.min(1.0) - down) / width, Self { saturation_high: down, ..self.clone() });
        }
        if let Some((hue, _)) = seen.hue {
            let away = turn(hue - self.hue);
            let reach = away.abs() - self.hue_softness / 2.0;
            // Cutting one side of the hues moves the middle to the other.
            if reach > -self.hue_reach && away.abs() > 1.0 {
                let edge = reach.min(self.hue_reach);
                let kept = ((self.hue_reach.min(170.0) + edge) / 2.0).max(3.0);
                let shift = (self.hue_reach.min(170.0) - kept) * -away.signum();
                let centre = (self.hue + shift).rem_euclid(360.0);
                let range =
                    Self { hue: centre.round() % 360.0, hue_reach: kept.round().max(3.0), ..self.clone() };
                cut(1.0 - kept / self.hue_reach, range);
            }
        }
        cuts.into_iter().min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, range)| range)
    }
}

fn round(v: f64, step: f64) -> f64 {
    (v / step).round() * step
}

/// An angle's equal between -180 and 180 degrees.
fn turn(degrees: f64) -> f64 {
    (degrees + 540.0).rem_euclid(360.0) - 180.0
}

/// The smallest arc around two arcs of (centre, reach).
fn hull(a: (f64, f64), b: (f64, f64)) -> (f64, f64) {
    let away = turn(b.0 - a.0);
    let low = (-a.1).min(away - b.1);
    let high = a.1.max(away + b.1);
    let reach = ((high - low) / 2.0).min(ALL_HUES);
    ((a.0 + (low + high) / 2.0).rem_euclid(360.0).round() % 360.0, reach.round())
}

/// What some pixels are.
struct Seen {
    /// Middle and reach of their hues, where they have any.
    hue: Option<(f64, f64)>,
    saturation: [f64; 2],
    brightness: [f64; 2],
    /// The hue of the mean; the medians of saturation and brightness.
    middle: [f64; 3],
}

impl Seen {
    fn of(pixels: &[[f32; 4]], zone: Zone) -> Option<Self> {
        if pixels.is_empty() {
            return None;
        }
        let (plane, axis, reach) = (plane_of(zone), Axis::of(zone), f64::from(saturation_reach(zone)));
        let split: Vec<[f64; 3]> = pixels
            .iter()
            .map(|p| plane.split([p[0], p[1], p[2]]))
            .map(|(y, b, r)| [y, b, r].map(f64::from))
            .collect();
        let sorted = |f: &dyn Fn(&[f64; 3]) -> f64| {
            let mut v: Vec<f64> = split.iter().map(f).collect();
            v.sort_by(f64::total_cmp);
            v
        };
        let at = |v: &[f64], share: f64| v[((v.len() - 1) as f64 * share).round() as usize];
        let saturation = sorted(&|[_, b, r]| b.hypot(*r) / reach);
        let brightness = sorted(&|[y, _, _]| f64::from(axis.place(*y as f32)));
        let chroma: Vec<(f64, f64)> = split.iter().map(|[_, b, r]| (*b, *r)).collect();
        let (x, y) = chroma.iter().fold((0.0, 0.0), |(x, y), (b, r)| (x + b, y + r));
        let found = spread(&chroma, 0.06);
        let centre = hue_of(x, y);
        // A mean that is short against the colours it comes from, or hardly a colour, has no hue of its own.
        let mean = x.hypot(y) / split.len() as f64 / reach;
        let has = mean > 0.02 && mean > 0.3 * at(&saturation, 0.5);
        Some(Self {
            hue: found.filter(|_| has).map(|(centre, low, high)| (centre, high.max(-low))),
            saturation: [at(&saturation, 0.03), at(&saturation, 0.97)],
            brightness: [at(&brightness, 0.03), at(&brightness, 0.97)],
            middle: [centre, at(&saturation, 0.5), at(&brightness, 0.5)],
        })
    }
}

/// The share of the radius at which a hue's own brightness counts half, of which a matte by hue takes this much: it lets go
/// of colours near neutral sooner than a change of brightness does.
const HUE_FROM: f32 = 0.12;

impl RangeKernel {
    /// The matte of a block of the zone's code values: 1 inside, 0 outside.
    #[inline(always)]
    pub fn matte(&self, planes: &Planes) -> Channel {
        let mut matte = Channel::of(1.0);
        let (hue, square) = hues(&self.plane, planes);
        if let Some(shape) = &self.hue {
            for i in 0..N {
                // A hue counts for as much as there is of a colour.
                matte[i] = shape.at(hue[i]) * coloured(square[i], self.reach * HUE_FROM);
            }
        }
        let sides = [(0, &self.saturation[0]), (1, &self.saturation[1])];
        for (high, edge) in sides {
            if let Some([a, b]) = edge {
                for i in 0..N {
                    let inside = smoothstep(*a, *b, square[i].sqrt());
                    matte[i] *= select(high == 1, 1.0 - inside, inside);
                }
            }
        }
        let luma = self.plane.luma_plane(planes);
        for (high, edge) in [(0, &self.brightness[0]), (1, &self.brightness[1])] {
            if let Some([a, b]) = edge {
                for i in 0..N {
                    let inside = smoothstep(*a, *b, self.axis.place(luma[i]));
                    matte[i] *= select(high == 1, 1.0 - inside, inside);
                }
            }
        }
        if self.inverted {
            for v in &mut matte {
                *v = 1.0 - *v;
            }
        }
        matte
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::plane::polar;

    fn pixel(zone: Zone, place: f32, hue: f64, share: f64) -> [f32; 4] {
        let (cb, cr) = polar(hue, share * f64::from(saturation_reach(zone)));
        let [r, g, b] = plane_of(zone).join(Axis::of(zone).code(place), cb as f32, cr as f32);
        [r, g, b, 1.0]
    }

    fn matte(range: &ColourRange, p: [f32; 4]) -> f32 {
        range.kernel(Zone::Scene).matte(&[p[0], p[1], p[2]].map(Channel::of))[0]
    }

    /// A face: skin hues, from a stop under grey to a stop and a half above it.
    fn face() -> Vec<[f32; 4]> {
        (0..200)
            .map(|i| {
                pixel(Zone::Scene, -1.0 + 2.5 * (i % 20) as f32 / 19.0, 118.0 + f64::from(i) * 0.05, 0.3)
            })
            .collect()
    }

    #[test]
    fn an_open_range_holds_everything_and_its_inverse_nothing() {
        let open = ColourRange::default();
        for p in [pixel(Zone::Scene, 0.0, 0.0, 0.0), pixel(Zone::Scene, -7.0, 200.0, 1.2)] {
            assert_eq!(matte(&open, p), 1.0);
            assert_eq!(matte(&ColourRange { inverted: true, ..open.clone() }, p), 0.0);
        }
    }

    #[test]
    fn a_range_over_a_face_holds_the_face_and_not_sky_leaves_or_a_grey_wall() {
        let range = ColourRange::over(&face(), Zone::Scene).unwrap();
        assert!(face().iter().all(|p| matte(&range, *p) > 0.8), "{range:?}");
        for other in [
            pixel(Zone::Scene, 0.5, 330.0, 0.3),
            pixel(Zone::Scene, -0.5, 190.0, 0.3),
            pixel(Zone::Scene, 0.0, 0.0, 0.0),
            pixel(Zone::Scene, -5.0, 120.0, 0.3),
        ] {
            assert!(matte(&range, other) < 0.05, "{range:?} {other:?}");
        }
    }

    #[test]
    fn adding_holds_both_and_taking_away_lets_one_go_and_keeps_the_other() {
        let range = ColourRange::over(&face(), Zone::Scene).unwrap();
        let hat = [pixel(Zone::Scene, 0.2, 80.0, 0.35)];
        let both = range.with(&hat, Zone::Scene).unwrap();
        assert!(matte(&both, hat[0]) > 0.5, "{both:?}");
        let without = both.without(&hat, Zone::Scene).unwrap();
        assert!(matte(&without, hat[0]) < 0.2, "{without:?}");
        let kept = face().iter().map(|p| matte(&without, *p)).sum::<f32>() / 200.0;
        assert!(kept > 0.8, "{kept} {without:?}");
    }

    #[test]
    fn greys_make_a_range_of_brightness_and_little_saturation() {
        let greys: Vec<[f32; 4]> =
            (0..20).map(|i| pixel(Zone::Scene, -3.0 + i as f32 * 0.05, 0.0, 0.0)).collect();
        let range = ColourRange::over(&greys, Zone::Scene).unwrap();
        assert_eq!(range.hue_reach, ALL_HUES);
        assert!(matte(&range, greys[9]) > 0.9);
        assert!(matte(&range, pixel(Zone::Scene, -2.5, 40.0, 0.5)) < 0.05, "{range:?}");
        assert!(matte(&range, pixel(Zone::Scene, 2.0, 0.0, 0.0)) < 0.05);
        assert_eq!(ColourRange::over(&[], Zone::Scene), None);
    }

    #[test]
    fn the_arc_around_two_arcs_goes_the_short_way_across_the_wrap() {
        assert_eq!(hull((350.0, 10.0), (20.0, 10.0)), (5.0, 25.0));
    }
}
