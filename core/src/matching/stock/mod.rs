//! A film stock from what it gives: patches of a chart on a print, or a print table.
//!
//! Negative and print are fitted together from starting stocks, which say what the data do not. Pairs alone cannot tell the
//! negative from the print: with a wedge of one, or a print that is known, they can; without, the two are valid together.

mod knobs;
pub mod patches;
pub mod print_table;

pub use knobs::Known;

use crate::field::ValueError;
use crate::film::measured::{Determined, FilmFit, Measured, Says};
use crate::film::settings::{Negative, Print};
use crate::film::stock::DyeSet;
use crate::film::{Chain, MIDDLE_LIGHT, NegativeKind, NegativeStock, PrintStock};
use crate::graph::CompileError;
use crate::numeric::least_squares::{Loss, Problem, Solution, solve};
use knobs::{Knob, Part, Side, knobs, made};
use std::sync::atomic::AtomicBool;
use thiserror::Error;

/// Why no film is made.
#[derive(Debug, Error, PartialEq)]
pub enum FilmError {
    /// A stock without colours.
    #[error("“{0}” is black and white: patches and print tables have colours; give it a wedge")]
    BlackAndWhite(String),
    /// A reversal with a print.
    #[error("“{0}” is a reversal, which is not printed: begin with a negative")]
    Reversal(String),
    /// Too few or too many patches.
    #[error("{found} patches: {} or more are needed, and {} at most are taken", patches::PATCHES.start(), patches::PATCHES.end())]
    Count {
        /// How many there are.
        found: usize,
    },
    /// A patch that cannot be.
    #[error("the patch “{name}”: {what}")]
    Patch {
        /// Its name.
        name: String,
        /// What is wrong.
        what: &'static str,
    },
    /// All patches are alike.
    #[error("the patches are all alike: a chart has greys and colours")]
    Alike,
    /// A table that has no film in it.
    #[error("{0}")]
    Table(String),
    /// It was stopped, or nothing was found.
    #[error("no film was found: it was stopped, or the starting stocks give no picture")]
    Nothing,
    /// What comes out is no stock.
    #[error("what was measured makes no stock: {0}")]
    Stock(#[from] ValueError),
    /// The way to the display cannot be gone.
    #[error(transparent)]
    Compile(#[from] CompileError),
}

/// A negative and a print with how they are printed; a reversal has no print.
#[derive(Clone, Debug, PartialEq)]
pub struct Film {
    /// The negative or reversal.
    pub negative: NegativeStock,
    /// The print.
    pub print: Option<PrintStock>,
    /// Printer points.
    pub points: [f64; 3],
    /// Screen black, 0..1.
    pub black: f64,
}

impl Film {
    /// A film as its stocks have it. Black-and-white stocks, and reversals with a print, are refused.
    pub fn new(negative: NegativeStock, print: Option<PrintStock>) -> Result<Self, FilmError> {
        match negative.kind {
            NegativeKind::BlackAndWhite => Err(FilmError::BlackAndWhite(negative.name)),
            NegativeKind::Reversal if print.is_some() => Err(FilmError::Reversal(negative.name)),
            NegativeKind::Negative if print.is_none() => Ok(Self {
                negative,
                print: Some(PrintStock::default()),
                points: [MIDDLE_LIGHT; 3],
                black: 0.0,
            }),
            _ => Ok(Self { negative, print, points: [MIDDLE_LIGHT; 3], black: 0.0 }),
        }
    }

    /// Whether nothing tells its two sides apart, so that they are valid only together.
    fn tied(&self, known: Known) -> bool {
        self.print.is_some() && known == Known::default()
    }

    /// The settings of its two steps.
    pub fn steps(&self) -> (Negative, Print) {
        let [red, green, blue] = self.points;
        let stock = self.print.clone().unwrap_or_default();
        let negative = Negative { stock: self.negative.clone(), ..Default::default() };
        (negative, Print { stock, red, green, blue, black: self.black, ..Default::default() })
    }

    /// From scene light to the screen.
    pub fn chain(&self) -> Chain {
        let (negative, print) = self.steps();
        Chain::new(Some(&negative), Some(&print))
    }

    fn dyes(&self) -> &DyeSet {
        static NONE: std::sync::OnceLock<PrintStock> = std::sync::OnceLock::new();
        let own = self.print.as_ref().map(|p| &p.dyes);
        let own = own.or(self.negative.projected.as_ref().map(|p| &p.dyes));
        own.unwrap_or_else(|| &NONE.get_or_init(PrintStock::default).dyes)
    }

    fn dyes_mut(&mut self) -> Option<&mut DyeSet> {
        match (&mut self.print, &mut self.negative.projected) {
            (Some(p), _) => Some(&mut p.dyes),
            (None, Some(p)) => Some(&mut p.dyes),
            _ => None,
        }
    }

    fn aim(&self) -> f64 {
        self.print.as_ref().map_or_else(|| self.negative.projected.as_ref().map_or(1.0, |p| p.aim), |p| p.aim)
    }

    fn set_aim(&mut self, aim: f64) {
        match (&mut self.print, &mut self.negative.projected) {
            (Some(p), _) => p.aim = aim,
            (None, Some(p)) => p.aim = aim,
            _ => {}
        }
    }

    /// Whether its curves reach middle grey: what does not makes no picture.
    fn works(&self) -> bool {
        let layers = self.print.as_ref().map_or(&self.negative.layers, |p| &p.layers);
        let reach = layers.iter().all(|l| l.curve().most() > self.aim() + 0.2);
        reach && self.negative.layers.iter().all(|l| l.shoulder - l.toe >= 0.3)
    }
}

/// A film that was found.
#[derive(Clone, Debug, PartialEq)]
pub struct Fitted {
    /// The film, its stocks with what they were measured from.
    pub film: Film,
    /// How it meets that, the same as in the stocks.
    pub fit: FilmFit,
}

/// The most sets of derivatives.
const ROUNDS: usize = 25;

/// A search over a film's parameters.
struct Search<'a> {
    start: &'a Film,
    knobs: Vec<Knob>,
    ridge: f64,
    loss: Loss,
    misses: &'a (dyn Fn(&Film) -> Vec<f64> + Sync),
    watch: &'a (dyn Fn(usize) + Sync),
    stop: &'a AtomicBool,
}

/// What a search found.
struct Found {
    film: Film,
    determined: Vec<Determined>,
    left_out: Vec<f64>,
    cost: f64,
}

impl Search<'_> {
    /// Printer points first, then everything; `blocks` of rows are what is left out together.
    fn run(&self, blocks: &[Vec<usize>]) -> Option<Found> {
        let points: Vec<usize> = (0..self.knobs.len())
            .filter(|&i| matches!(self.knobs[i].part, Part::Point(_) | Part::Aim | Part::Black))
            .collect();
        let parameters: Vec<_> = self.knobs.iter().map(|k| k.parameter(self.ridge)).collect();
        let start: Vec<f64> = parameters.iter().map(|p| p.start).collect();
        let few: Vec<_> = points.iter().map(|&i| parameters[i]).collect();
        let residuals = |values: &[f64]| {
            let film = made(self.start, &self.knobs, values);
            if film.works() { (self.misses)(&film) } else { vec![f64::NAN] }
        };
        let of_few = |values: &[f64]| {
            let mut all = start.clone();
            points.iter().zip(values).for_each(|(&i, v)| all[i] = *v);
            residuals(&all)
        };
        let mut begun = start.clone();
        if !few.is_empty() {
            let found = solve(&self.problem(&few, &of_few, 8), self.stop)?;
            points.iter().zip(&found.values).for_each(|(&i, v)| begun[i] = *v);
        }
        let problem = self.problem(&parameters, &residuals, ROUNDS);
        let found = crate::numeric::least_squares::solve_from(&problem, begun, self.stop)?;
        let left_out = problem.left_out(&found, blocks);
        Some(Found {
            film: made(self.start, &self.knobs, &found.values),
            determined: self.determined(&problem, &found),
            left_out,
            cost: found.cost,
        })
    }

    fn problem<'a>(
        &'a self,
        parameters: &'a [crate::numeric::least_squares::Parameter],
        residuals: &'a (dyn Fn(&[f64]) -> Vec<f64> + Sync),
        rounds: usize,
    ) -> Problem<'a> {
        Problem {
            parameters,
            residuals,
            group: 3,
            loss: self.loss,
            rounds,
            watch: self.watch,
            tolerance: 1e-4,
        }
    }

    /// How well each parameter is known: by what is left of the width that it began with.
    fn determined(&self, problem: &Problem<'_>, found: &Solution) -> Vec<Determined> {
        let left = problem.deviations(found);
        let each = self.knobs.iter().zip(&found.values).zip(left);
        each.map(|((knob, &value), left)| {
            let share = left / (knob.width / self.ridge.sqrt());
            let at_bound = knob.at_bound(value);
            let says = match share {
                s if at_bound || s > 0.8 => Says::Start,
                s if s > 0.4 => Says::Partly,
                _ => Says::Measured,
            };
            Determined { name: knob.part.words(), says, at_bound }
        })
        .collect()
    }
}

impl Fitted {
    /// Puts what was measured into both stocks, and gives them names of their own.
    fn kept(mut self, start: &Film, known: Known, sides: &[Option<Side>]) -> Result<Self, FilmError> {
        let named = |name: &str| -> String {
            let name = name.strip_suffix(", measured").unwrap_or(name);
            format!("{name}, measured").chars().take(100).collect()
        };
        let words = |side: Side, all: bool| -> Vec<String> {
            let own = self.fit.parameters.iter().zip(sides).filter(|(_, s)| all || **s == Some(side));
            own.filter(|(p, _)| p.says == Says::Start).map(|(p, _)| p.name.clone()).collect()
        };
        let record = |of: Option<&Measured>,
                      start: &str,
                      base: [f64; 3],
                      undetermined: Vec<String>,
                      film: FilmFit,
                      curves: [f64; 3]| {
            let before = of.cloned();
            Measured {
                start: start.into(),
                wedges: before.as_ref().map(|m| m.wedges.clone()).unwrap_or_default(),
                residuals: before.as_ref().map(|m| m.residuals.clone()).unwrap_or_default(),
                base,
                mean_gradient: curves,
                undetermined,
                film: Some(film),
            }
        };
        let gradient = |curves: [crate::film::curve::CharacteristicCurve; 3]| {
            curves.map(|c| crate::film::wedge::mean_gradient(&c))
        };
        let print_name =
            self.film.print.as_ref().map(|p| if known.print { p.name.clone() } else { named(&p.name) });
        let alone = self.film.print.is_none();
        let negative_name =
            if known.negative { self.film.negative.name.clone() } else { named(&self.film.negative.name) };
        let negative_words = words(Side::Negative, alone);
        let print_words = words(Side::Print, false);
        if !known.negative {
            let n = &mut self.film.negative;
            n.name = negative_name.clone();
            let from = &start.negative;
            let fit = FilmFit { with: print_name.clone(), ..self.fit.clone() };
            n.measured = Some(record(
                from.measured.as_ref(),
                &from.name,
                n.base,
                negative_words,
                fit,
                gradient(n.curves()),
            ));
            n.check()?;
        }
        if let Some(p) = self.film.print.as_mut().filter(|_| !known.print) {
            p.name = print_name.unwrap_or_default();
            let from = start.print.as_ref();
            let fit = FilmFit { with: Some(negative_name), ..self.fit.clone() };
            let curves = gradient(p.curves());
            p.measured = Some(record(
                from.and_then(|s| s.measured.as_ref()),
                from.map_or("", |s| s.name.as_str()),
                [0.0; 3],
                print_words,
                fit,
                curves,
            ));
            p.check()?;
        }
        Ok(self)
    }
}
