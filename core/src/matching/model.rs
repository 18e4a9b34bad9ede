//! Ordinary steps as a model with parameters, to be fitted to colours.

use crate::colour::Zone;
use crate::colour::axis::Axis;
use crate::look::Step;
use crate::numeric::least_squares::Parameter;
use crate::step::{ChannelMix, Curves, HueCurves, PlainRendering, Saturation, Values};

/// Knots of curves over the hue circle.
pub const HUES: usize = 12;

/// One step of a model.
#[derive(Clone, Debug, PartialEq)]
pub enum Part {
    /// A matrix on linear light that keeps neutrals.
    Mix {
        /// What it is called.
        name: &'static str,
        /// Where the shares of the other channels start: green and blue in red, red and blue in green, red and green in blue.
        start: [f64; 6],
        /// Width of the prior of a channel's share in another.
        width: f64,
    },
    /// Hue curves: turns, factors and brightness by hue, and saturation by brightness and by saturation.
    Hues {
        /// How wide the priors are; 1 for free work, less for careful work.
        width: f64,
        /// Places on the tonal axis of saturation by brightness.
        by_brightness: Vec<f64>,
        /// Places of saturation by saturation, 0..1.
        by_saturation: Vec<f64>,
    },
    /// Free curves for red, green and blue: places across, and where they start up.
    Curves {
        /// Places on the tonal axis.
        across: Vec<f64>,
        /// Where each channel starts, at those places.
        up: [Vec<f64>; 3],
        /// Lowest and highest slope between two places.
        slopes: [f64; 2],
        /// Width of the prior of a slope.
        width: f64,
    },
    /// The plain rendering's softening of colours, its hue and its way to white.
    Rendering,
    /// Overall saturation.
    Saturation {
        /// Width of its prior.
        width: f64,
    },
}

/// Steps whose values are parameters.
#[derive(Clone, Debug, PartialEq)]
pub struct Model {
    parts: Vec<(Zone, Part)>,
    /// The parameters of all parts, one after the other.
    pub parameters: Vec<Parameter>,
}

/// Ends of a curve, on the tonal axis.
const SPAN: f64 = 8.0;

impl Part {
    fn parameters(&self) -> Vec<Parameter> {
        match self {
            Self::Mix { start, width, .. } => start.map(|s| Parameter::new(s, [-1.5, 1.5], *width)).to_vec(),
            Self::Hues { width, by_brightness, by_saturation } => {
                let ring = |start: f64, bounds: [f64; 2], w: f64| {
                    vec![Parameter::new(start, bounds, w * width); HUES]
                };
                let factor =
                    |count: usize, high: f64| vec![Parameter::new(1.0, [0.0, high], 0.5 * width); count];
                let mut all = ring(0.0, [-75.0, 75.0], 25.0);
                all.extend(ring(1.0, [0.0, 3.0], 0.5));
                all.extend(ring(0.0, [-3.0, 3.0], 0.7));
                all.extend(factor(by_brightness.len(), 2.0));
                all.extend(factor(by_saturation.len(), 3.0));
                all
            }
            Self::Curves { across, up, slopes, width } => up
                .iter()
                .flat_map(|up| {
                    let start = Parameter::new(up[0], [-SPAN, SPAN], 0.5).stepped(2e-3);
                    let mine = up.windows(2).zip(across.windows(2)).map(|(y, x)| {
                        let slope = ((y[1] - y[0]) / (x[1] - x[0])).clamp(slopes[0], slopes[1]);
                        Parameter::new(slope, *slopes, *width).stepped(2e-3)
                    });
                    std::iter::once(start).chain(mine).collect::<Vec<_>>()
                })
                .collect(),
            Self::Rendering => {
                let d = PlainRendering::default();
                vec![
                    Parameter::new(d.calm, [0.0, 0.4], 0.2),
                    Parameter::new(d.keep_hue, [0.0, 1.0], 0.5),
                    Parameter::new(d.to_white, [0.0, 0.9], 0.5),
                ]
            }
            Self::Saturation { width } => vec![Parameter::new(1.0, [0.0, 3.0], *width)],
        }
    }

    /// The step with these parameters. Values are rounded to what a person would type.
    fn step(&self, v: &[f64]) -> (&str, Values) {
        match self {
            Self::Mix { name, .. } => {
                let v: Vec<f64> = v.iter().map(|v| rounded(*v)).collect();
                let mix = ChannelMix {
                    red_red: rounded(1.0 - v[0] - v[1]),
                    red_green: v[0],
                    red_blue: v[1],
                    green_red: v[2],
                    green_green: rounded(1.0 - v[2] - v[3]),
                    green_blue: v[3],
                    blue_red: v[4],
                    blue_green: v[5],
                    blue_blue: rounded(1.0 - v[4] - v[5]),
                    ..Default::default()
                };
                (name, Values::ChannelMix(clamped(mix)))
            }
            Self::Hues { by_brightness, by_saturation, .. } => {
                let ring = |from: usize| -> Vec<[f64; 2]> {
                    (0..HUES).map(|i| [i as f64 * 360.0 / HUES as f64, rounded(v[from + i])]).collect()
                };
                let places = |at: &[f64], from: usize| -> Vec<[f64; 2]> {
                    at.iter().enumerate().map(|(i, x)| [*x, rounded(v[from + i])]).collect()
                };
                let first = 3 * HUES;
                let hues = HueCurves {
                    hue: ring(0),
                    saturation: ring(HUES),
                    brightness: ring(2 * HUES),
                    by_brightness: places(by_brightness, first),
                    by_saturation: places(by_saturation, first + by_brightness.len()),
                    ..Default::default()
                };
                ("Hues", Values::HueCurves(hues))
            }
            Self::Curves { across, .. } => {
                let channel = |c: usize| -> Vec<[f64; 2]> {
                    let v = &v[c * across.len()..];
                    let mut y = v[0];
                    let mut points = vec![[across[0], rounded(y.clamp(-SPAN, SPAN))]];
                    for (i, x) in across.windows(2).enumerate() {
                        y += v[i + 1] * (x[1] - x[0]);
                        points.push([x[1], rounded(y.clamp(-SPAN, SPAN))]);
                    }
                    points
                };
                let curves =
                    Curves { red: channel(0), green: channel(1), blue: channel(2), ..Default::default() };
                ("Curves", Values::Curves(curves))
            }
            Self::Rendering => {
                let [calm, keep_hue, to_white] = [0, 1, 2].map(|i| rounded(v[i]));
                let rendering = PlainRendering { calm, keep_hue, to_white, ..Default::default() };
                ("Plain rendering", Values::PlainRendering(rendering))
            }
            Self::Saturation { .. } => {
                ("Saturation", Values::Saturation(Saturation { amount: rounded(v[0]), ..Default::default() }))
            }
        }
    }
}

/// A matrix' own shares follow from the others and may leave their range a little.
fn clamped(mut mix: ChannelMix) -> ChannelMix {
    for v in [&mut mix.red_red, &mut mix.green_green, &mut mix.blue_blue] {
        *v = v.clamp(-2.0, 2.0);
    }
    mix
}

fn rounded(v: f64) -> f64 {
    // Adding zero takes the sign from a zero.
    (v * 1e4).round() / 1e4 + 0.0
}

impl Model {
    /// Steps in this order, each in its zone.
    pub fn new(parts: Vec<(Zone, Part)>) -> Self {
        let parameters = parts.iter().flat_map(|(_, p)| p.parameters()).collect();
        Self { parts, parameters }
    }

    /// The steps with these parameters, under ids that begin with `id`.
    pub fn steps(&self, id: &str, values: &[f64]) -> Vec<Step> {
        let mut rest = values;
        let mut steps = Vec::new();
        for (i, (zone, part)) in self.parts.iter().enumerate() {
            let (mine, others) = rest.split_at(part.parameters().len());
            rest = others;
            let (name, values) = part.step(mine);
            steps.push(Step { name: name.into(), ..Step::new(&format!("{id}-{}", i + 1), *zone, values) });
        }
        steps
    }

    /// The parameters' starts.
    pub fn start(&self) -> Vec<f64> {
        self.parameters.iter().map(|p| p.start).collect()
    }

    /// How many parameters the first `parts` parts have.
    pub fn first(&self, parts: usize) -> usize {
        self.parts[..parts].iter().map(|(_, p)| p.parameters().len()).sum()
    }
}

/// Places on a zone's tonal axis of a grey's code values.
pub fn place(zone: Zone, code: f32) -> f64 {
    f64::from(Axis::of(zone).place(code))
}
