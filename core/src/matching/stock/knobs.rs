//! The parameters of a film that are fitted: which there are, how far each may go from the starting stock's, and how a film is
//! put together from them.

use super::Film;
use crate::film::stock::{Band, DyeSet, Layer};
use crate::numeric::least_squares::Parameter;

/// Which side of a film.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Side {
    Negative,
    Print,
}

impl Side {
    fn words(self) -> &'static str {
        match self {
            Self::Negative => "negative",
            Self::Print => "print",
        }
    }
}

/// One parameter of a film.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Part {
    /// What layer i sees of light j.
    Capture(usize, usize),
    /// What layer i gains from being ahead of layer j.
    Restraint(usize, usize),
    /// Gamma, toe, its softness, shoulder less toe, its softness of a layer; all but the toe as logarithms.
    Curve(Side, usize, usize),
    /// What the print's layer i sees of dye j.
    Sees(usize, usize),
    /// Light that strays.
    Stray,
    /// Of a dye: nanometres that its bands move, logarithm of their widths, logarithm of the heights of all but its highest.
    Dye(usize, usize),
    /// A printer point.
    Point(usize),
    /// Density of middle grey.
    Aim,
    /// Screen black.
    Black,
}

/// What of a film is known from elsewhere.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Known {
    /// The negative's curves come from a wedge: they are held at a fifth of their width.
    pub negative_curves: bool,
    /// The same of the print's.
    pub print_curves: bool,
    /// The print is known and held as it is.
    pub print: bool,
    /// The negative is.
    pub negative: bool,
}

/// A part with its prior and bounds.
#[derive(Clone, Copy, Debug)]
pub(super) struct Knob {
    pub part: Part,
    start: f64,
    bounds: [f64; 2],
    pub width: f64,
}

/// A curve that was measured moves by this share of its width.
const HELD: f64 = 0.2;
const COLOURS: [&str; 3] = ["red", "green", "blue"];
const DYES: [&str; 3] = ["cyan", "magenta", "yellow"];
const CURVE: [&str; 5] = ["gamma", "toe", "toe softness", "shoulder", "shoulder softness"];
const SOFT: [f64; 2] = [-3.9, -0.2232];

impl Part {
    /// What it is called.
    pub fn words(self) -> String {
        let layer = |i: usize| format!("the {}-sensitive layer", COLOURS[i]);
        match self {
            Self::Capture(i, j) => format!("{} that {} sees", COLOURS[j], layer(i)),
            Self::Restraint(i, j) => format!("what {} gains over the {} one", layer(i), COLOURS[j]),
            Self::Curve(side, i, k) => format!("{} of {} of the {}", CURVE[k], layer(i), side.words()),
            Self::Sees(i, j) => format!("{} dye that the print's {} layer sees", DYES[j], COLOURS[i]),
            Self::Stray => "light that strays".into(),
            Self::Dye(k, what) => {
                format!("{} of the {} dye", ["place", "width", "side absorptions"][what], DYES[k])
            }
            Self::Point(i) => format!("{} printer light", COLOURS[i]),
            Self::Aim => "density of middle grey".into(),
            Self::Black => "screen black".into(),
        }
    }

    /// The side whose stock it belongs to; of a reversal, all is the negative's.
    pub fn side(self) -> Option<Side> {
        match self {
            Self::Capture(..) | Self::Restraint(..) | Self::Sees(..) | Self::Stray => Some(Side::Negative),
            Self::Curve(side, ..) => Some(side),
            Self::Dye(..) | Self::Aim => Some(Side::Print),
            Self::Point(_) | Self::Black => None,
        }
    }
}

fn layer_values(l: &Layer) -> [f64; 5] {
    [l.gamma.ln(), l.toe, l.toe_soft.ln(), (l.shoulder - l.toe).ln(), l.shoulder_soft.ln()]
}

fn layer_of(v: [f64; 5]) -> Layer {
    Layer {
        gamma: v[0].exp(),
        toe: v[1],
        toe_soft: v[2].exp(),
        shoulder: (v[1] + v[3].exp()).clamp(0.2, 4.0),
        shoulder_soft: v[4].exp(),
    }
}

/// The parameters of a film that are searched, printer points first.
pub(super) fn knobs(film: &Film, known: Known, table: bool) -> Vec<Knob> {
    let mut all: Vec<Knob> = Vec::new();
    let mut add = |part: Part, start: f64, bounds: [f64; 2], width: f64| {
        all.push(Knob { part, start: start.clamp(bounds[0], bounds[1]), bounds, width });
    };
    let n = &film.negative;
    let others = || (0..3).flat_map(|i| (0..3).map(move |j| (i, j))).filter(|(i, j)| i != j);
    if film.print.is_some() {
        (0..3).for_each(|i| add(Part::Point(i), film.points[i], [0.0, 50.0], 3.0));
    }
    let curves =
        |add: &mut dyn FnMut(Part, f64, [f64; 2], f64), side: Side, layers: &[Layer; 3], held: bool| {
            let places = if side == Side::Print { 0.5 } else { 1.0 };
            let widths = [0.12, 0.25 * places, 0.35, 0.25 * places, 0.35];
            let bounds = [[-2.3, 2.079], [-3.0, 1.0], SOFT, [-1.2, 1.9], SOFT];
            for (i, layer) in layers.iter().enumerate() {
                for (k, v) in layer_values(layer).into_iter().enumerate() {
                    add(Part::Curve(side, i, k), v, bounds[k], widths[k] * if held { HELD } else { 1.0 });
                }
            }
        };
    if !known.negative {
        others().for_each(|(i, j)| add(Part::Capture(i, j), n.capture[i][j], [-0.5, 0.5], 0.15));
        others().for_each(|(i, j)| add(Part::Restraint(i, j), n.restraint[i][j], [0.0, 1.0], 0.3));
        curves(&mut add, Side::Negative, &n.layers, known.negative_curves);
        if film.print.is_some() {
            others().for_each(|(i, j)| add(Part::Sees(i, j), n.printing[i][j], [-0.3, 0.5], 0.05));
        }
        add(Part::Stray, n.stray, [0.0, 0.3], 0.015);
    }
    if !known.print {
        for k in 0..3 {
            add(Part::Dye(k, 0), 0.0, [-25.0, 25.0], 8.0);
            add(Part::Dye(k, 1), 0.0, [-0.4, 0.4], 0.12);
            add(Part::Dye(k, 2), 0.0, [-1.5, 1.5], 0.4);
        }
        if let Some(print) = &film.print {
            curves(&mut add, Side::Print, &print.layers, known.print_curves);
        }
        if table || film.print.is_none() {
            add(Part::Aim, film.aim(), [0.4, 1.8], 0.15);
        }
    }
    if table {
        add(Part::Black, film.black, [0.0, 1.0], 0.5);
    }
    all
}

impl Knob {
    /// For the search; `ridge` is the weight of the priors.
    pub fn parameter(&self, ridge: f64) -> Parameter {
        let width = self.width / ridge.sqrt();
        Parameter::new(self.start, self.bounds, width).stepped(2e-3 * self.width)
    }

    /// Whether a value lies at an end of its range.
    pub fn at_bound(&self, value: f64) -> bool {
        let [low, high] = self.bounds;
        let near = 1e-6 * (high - low);
        value <= low + near || value >= high - near
    }
}

fn moved(bands: &mut [Band], start: &[Band], by: [f64; 3]) {
    let highest = (0..start.len()).max_by(|a, b| start[*a].height.total_cmp(&start[*b].height));
    for (i, (band, from)) in bands.iter_mut().zip(start).enumerate() {
        band.centre = (from.centre + by[0]).clamp(360.0, 760.0);
        band.width = (from.width * by[1].exp()).clamp(8.0, 120.0);
        if Some(i) != highest {
            band.height = (from.height * by[2].exp()).clamp(0.0, 2.0);
        }
    }
}

/// The film that values of the parts make of a starting one.
pub(super) fn made(start: &Film, knobs: &[Knob], values: &[f64]) -> Film {
    let mut film = start.clone();
    let mut dyes = [[0.0; 3]; 3];
    let mut curves =
        [&start.negative.layers, start.print.as_ref().map_or(&start.negative.layers, |p| &p.layers)]
            .map(|layers| [0, 1, 2].map(|i| layer_values(&layers[i])));
    for (knob, &v) in knobs.iter().zip(values) {
        match knob.part {
            Part::Capture(i, j) => film.negative.capture[i][j] = v,
            Part::Restraint(i, j) => film.negative.restraint[i][j] = v,
            Part::Curve(side, i, k) => curves[usize::from(side == Side::Print)][i][k] = v,
            Part::Sees(i, j) => film.negative.printing[i][j] = v,
            Part::Stray => film.negative.stray = v,
            Part::Dye(k, what) => dyes[k][what] = v,
            Part::Point(i) => film.points[i] = v,
            Part::Aim => film.set_aim(v),
            Part::Black => film.black = v,
        }
    }
    // What is held stays as it is, to the bit.
    let searched = |part: fn(&Part) -> bool| knobs.iter().any(|k| part(&k.part));
    if searched(|p| matches!(p, Part::Capture(..))) {
        for matrix in [&mut film.negative.capture, &mut film.negative.printing] {
            for i in 0..3 {
                matrix[i][i] = 1.0 - matrix[i][(i + 1) % 3] - matrix[i][(i + 2) % 3];
            }
        }
    }
    if searched(|p| matches!(p, Part::Curve(Side::Negative, ..))) {
        film.negative.layers = curves[0].map(layer_of);
    }
    if let Some(print) =
        film.print.as_mut().filter(|_| searched(|p| matches!(p, Part::Curve(Side::Print, ..))))
    {
        print.layers = curves[1].map(layer_of);
    }
    if !searched(|p| matches!(p, Part::Dye(..))) {
        return film;
    }
    let from = start.dyes().clone();
    if let Some(set) = film.dyes_mut() {
        let DyeSet { cyan, magenta, yellow, .. } = set;
        moved(cyan, &from.cyan, dyes[0]);
        moved(magenta, &from.magenta, dyes[1]);
        moved(yellow, &from.yellow, dyes[2]);
    }
    film
}
