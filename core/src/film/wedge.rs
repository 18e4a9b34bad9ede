//! A stock's curves from wedges: densities measured over log exposure.
//!
//! Each layer's curve is fitted by robust least squares from the starting stock's, which also says what the data do not. Several
//! developments are fitted one after the other, the normal one first; what push does is the mean change for each stop.

use super::curve::CharacteristicCurve;
use super::measured::{Measured, Wedge};
use super::stock::{Layer, NegativeKind, NegativeStock, PrintStock};
use crate::field::ValueError;
use crate::numeric::least_squares::{Loss, Parameter, Problem, Solution, solve, unwatched};
use std::sync::atomic::AtomicBool;
use thiserror::Error;

/// The fewest and the most steps of a wedge.
pub const STEPS: std::ops::RangeInclusive<usize> = 4..=400;

/// Why wedges make no stock.
#[derive(Debug, Error, PartialEq)]
pub enum WedgeError {
    /// No wedge at all.
    #[error("there is no wedge: give one or more")]
    None,
    /// Too few or too many steps.
    #[error("the wedge “{name}” has {found} steps; a curve needs {} or more, and {} at most are taken", STEPS.start(), STEPS.end())]
    Steps {
        /// Its name.
        name: String,
        /// Steps that are there.
        found: usize,
    },
    /// A number that is none, or none that a density can be.
    #[error("the wedge “{name}”, step {step}: {what}")]
    Number {
        /// Its name.
        name: String,
        /// The step, from 1.
        step: usize,
        /// What is wrong.
        what: &'static str,
    },
    /// Densities that fall as exposure rises.
    #[error(
        "the wedge “{name}” falls: more light makes less density. A negative's rises; begin with a reversal for a reversal's"
    )]
    Falls {
        /// Its name.
        name: String,
    },
    /// Densities that rise, begun with a reversal.
    #[error("the wedge “{name}” rises, and a reversal's falls: begin with a negative or a print")]
    Rises {
        /// Its name.
        name: String,
    },
    /// Densities that hardly change.
    #[error("the wedge “{name}” is flat: its densities span {span:.2}, too little for a curve")]
    Flat {
        /// Its name.
        name: String,
        /// Largest less smallest density.
        span: f64,
    },
    /// No wedge of normal development.
    #[error("no wedge is of normal development: give one without push, beside those with")]
    NoNormal,
    /// The search was stopped, or found nothing.
    #[error("no curve goes through the wedge “{0}”")]
    NoCurve(String),
    /// The stock that it makes is none.
    #[error("what was measured makes no stock: {0}")]
    Stock(#[from] ValueError),
}

/// One layer's curve with the base beneath it.
#[derive(Clone, Debug, PartialEq)]
pub struct Fitted {
    /// Density of base and fog.
    pub base: f64,
    /// The curve.
    pub layer: Layer,
    /// Measured less fitted densities.
    pub residuals: Vec<f64>,
    /// Parameters that the data do not say.
    pub undetermined: Vec<&'static str>,
}

/// Noise of a density that is read with care (common practice: a densitometer reads to 0.01).
const NOISE: f64 = 0.01;
/// Widths of the priors: base, gamma, toe, ln toe softness, ln (shoulder - toe), ln shoulder softness; by trial on 120 curves of
/// five formulas.
const WIDTHS: [f64; 6] = [1.0, 0.3, 0.6, 0.5, 0.35, 0.5];
const NAMES: [&str; 6] = ["base", "gamma", "toe", "toe softness", "shoulder", "shoulder softness"];
/// Weight of the priors: they hold what the data do not say, and hardly anything else.
const RIDGE: f64 = 0.15;
/// Densities over base between which the mean gradient is taken.
const GRADIENT: [f64; 2] = [0.3, 1.2];

fn layer_of(v: &[f64]) -> Layer {
    let toe = v[2];
    Layer { gamma: v[1], toe, toe_soft: v[3].exp(), shoulder: toe + v[4].exp(), shoulder_soft: v[5].exp() }
}

/// Fits one layer to points of log exposure and density. `None` where it was stopped.
pub fn fit_layer(points: &[[f64; 2]], start: &Layer, stop: &AtomicBool) -> Option<Fitted> {
    let low = points.iter().map(|p| p[1]).fold(f64::INFINITY, f64::min);
    let ln = |v: f64| v.max(0.02).ln();
    // The stock's curve, moved to where the densities lie: half of their span is reached at the same exposure.
    let span = points.iter().map(|p| p[1]).fold(f64::NEG_INFINITY, f64::max) - low;
    let crossed = points.windows(2).find(|w| w[1][1] - low >= 0.5 * span);
    let middle = crossed.map_or(0.0, |w| 0.5 * (w[0][0] + w[1][0]));
    let curve = start.curve();
    let toe = start.toe + middle - curve.inverse((0.5 * span).min(0.9 * curve.most()));
    let begun =
        [low, start.gamma, toe, ln(start.toe_soft), ln(start.shoulder - start.toe), ln(start.shoulder_soft)];
    let bounds = [
        [-0.5, 3.0],
        [0.1, 8.0],
        [-3.0, 1.0],
        [0.02_f64.ln(), 0.8_f64.ln()],
        [0.3_f64.ln(), 5.0_f64.ln()],
        [0.02_f64.ln(), 0.8_f64.ln()],
    ];
    let gamma_width = WIDTHS[1] * (start.gamma / 0.6).max(1.0);
    let parameters: Vec<Parameter> = (0..6)
        .map(|i| {
            let width = if i == 1 { gamma_width } else { WIDTHS[i] };
            let [low, high] = bounds[i];
            Parameter::new(begun[i].clamp(low, high), bounds[i], width / RIDGE).stepped(1e-5)
        })
        .collect();
    let run = |sigma: f64, loss: Loss| -> Option<(Solution, Vec<f64>)> {
        let residuals = |v: &[f64]| -> Vec<f64> {
            let curve = layer_of(v).curve();
            points.iter().map(|p| (v[0] + curve.at(p[0]) - p[1]) / sigma).collect()
        };
        let problem = Problem {
            parameters: &parameters,
            residuals: &residuals,
            group: 1,
            loss,
            rounds: 200,
            tolerance: 1e-9,
            watch: &unwatched,
        };
        let found = solve(&problem, stop)?;
        let left = problem.deviations(&found);
        Some((found, left))
    };
    // A first pass says how noisy the densities are.
    let (first, _) = run(NOISE, Loss::Huber(1.0))?;
    let mut off: Vec<f64> = first.residuals.iter().map(|r| (r * NOISE).abs()).collect();
    let spread = 1.48 * crate::numeric::percentile::percentile(&mut off, 0.5);
    let (found, left) = run(spread.max(0.7 * NOISE), Loss::Student(8.0))?;
    let layer = layer_of(&found.values);
    let curve = layer.curve();
    let residuals = points.iter().map(|p| p[1] - found.values[0] - curve.at(p[0])).collect();
    let loose = |i: &usize| left[*i] > 0.5 * parameters[*i].width * RIDGE;
    let undetermined = (0..6).filter(loose).map(|i| NAMES[i]).collect();
    Some(Fitted { base: found.values[0], layer, residuals, undetermined })
}

/// Mean slope between 0.3 and 1.2 over base; of a curve that does not get there, as far as it gets.
pub fn mean_gradient(curve: &CharacteristicCurve) -> f64 {
    let top = GRADIENT[1].min(0.9 * curve.most());
    let low = GRADIENT[0].min(0.5 * top);
    let [a, b] = [low, top].map(|d| curve.inverse(d));
    (top - low) / (b - a).max(1e-6)
}

impl Wedge {
    /// Refuses what makes no curve. `falls`: of a reversal.
    fn check(&self, falls: bool) -> Result<(), WedgeError> {
        let name = || self.name.clone();
        if !STEPS.contains(&self.steps.len()) {
            return Err(WedgeError::Steps { name: name(), found: self.steps.len() });
        }
        for (i, step) in self.steps.iter().enumerate() {
            let wrong = |what| Err(WedgeError::Number { name: name(), step: i + 1, what });
            if step.iter().any(|v| !v.is_finite()) {
                return wrong("a value is no finite number");
            }
            if step[0].abs() > 20.0 {
                return wrong("log exposures go from -20 to 20");
            }
            if step[1..].iter().any(|d| !(-0.5..=8.0).contains(d)) {
                return wrong("densities go from -0.5 to 8");
            }
        }
        let mut sorted = self.steps.clone();
        sorted.sort_by(|a, b| a[0].total_cmp(&b[0]));
        let (first, last) = (sorted[0], sorted[sorted.len() - 1]);
        for c in 1..4 {
            let densities = sorted.iter().map(|s| s[c]);
            let span =
                densities.clone().fold(f64::NEG_INFINITY, f64::max) - densities.fold(f64::INFINITY, f64::min);
            if span < 0.1 {
                return Err(WedgeError::Flat { name: name(), span });
            }
            match (last[c] < first[c], falls) {
                (true, false) => return Err(WedgeError::Falls { name: name() }),
                (false, true) => return Err(WedgeError::Rises { name: name() }),
                _ => {}
            }
        }
        Ok(())
    }

    fn layers(&self, start: &[Layer; 3], falls: bool, stop: &AtomicBool) -> Result<[Fitted; 3], WedgeError> {
        self.check(falls)?;
        let layer = |c: usize| {
            let sign = if falls { -1.0 } else { 1.0 };
            let mut points: Vec<[f64; 2]> = self.steps.iter().map(|s| [sign * s[0], s[c + 1]]).collect();
            points.sort_by(|a, b| a[0].total_cmp(&b[0]));
            fit_layer(&points, &start[c], stop).ok_or_else(|| WedgeError::NoCurve(self.name.clone()))
        };
        let mut fitted = [layer(0)?, layer(1)?, layer(2)?];
        if falls {
            fitted.iter_mut().for_each(|f| f.residuals.reverse());
        }
        Ok(fitted)
    }
}

/// The normal development among wedges, and the others.
fn normal(wedges: &[Wedge]) -> Result<(&Wedge, Vec<&Wedge>), WedgeError> {
    let at = wedges.iter().position(|w| w.push == 0.0);
    let at = at.ok_or(if wedges.is_empty() { WedgeError::None } else { WedgeError::NoNormal })?;
    Ok((&wedges[at], wedges.iter().enumerate().filter(|(i, _)| *i != at).map(|(_, w)| w).collect()))
}

fn measured(start: &str, all: &[(&Wedge, &[Fitted; 3])]) -> Measured {
    let first = all[0].1;
    let words = ["red", "green", "blue"];
    let undetermined = first.iter().zip(words).flat_map(|(f, of)| {
        f.undetermined.iter().map(move |what| format!("{what} of the {of}-sensitive layer"))
    });
    let residuals = |f: &[Fitted; 3]| -> Vec<[f64; 3]> {
        (0..f[0].residuals.len()).map(|i| [0, 1, 2].map(|c| f[c].residuals[i])).collect()
    };
    Measured {
        start: start.into(),
        wedges: all.iter().map(|(w, _)| (*w).clone()).collect(),
        residuals: all.iter().map(|(_, f)| residuals(f)).collect(),
        base: [0, 1, 2].map(|c| first[c].base),
        mean_gradient: [0, 1, 2].map(|c| mean_gradient(&first[c].layer.curve())),
        undetermined: undetermined.collect(),
        film: None,
    }
}

/// A negative or reversal stock from wedges.
pub fn negative(
    start: &NegativeStock,
    wedges: &[Wedge],
    stop: &AtomicBool,
) -> Result<NegativeStock, WedgeError> {
    let falls = start.kind == NegativeKind::Reversal;
    let (first, others) = normal(wedges)?;
    let fitted = first.layers(&start.layers, falls, stop)?;
    let mut stock = start.clone();
    stock.name = format!("{}, measured", start.name).chars().take(100).collect();
    stock.layers = [0, 1, 2].map(|c| fitted[c].layer.clone());
    stock.base = [0, 1, 2].map(|c| fitted[c].base.clamp(0.0, 2.0));
    let mut all = vec![(first, fitted.clone())];
    for wedge in others {
        all.push((wedge, wedge.layers(&stock.layers, falls, stop)?));
    }
    if all.len() > 1 {
        pushed(&mut stock, &all);
    }
    let all: Vec<(&Wedge, &[Fitted; 3])> = all.iter().map(|(w, f)| (*w, f)).collect();
    stock.measured = Some(measured(&start.name, &all));
    stock.check()?;
    Ok(stock)
}

/// What push does, as the mean over the developments for each stop.
fn pushed(stock: &mut NegativeStock, all: &[(&Wedge, [Fitted; 3])]) {
    let base = &all[0].1;
    let mean = |f: &dyn Fn(&Fitted, &Fitted, f64) -> f64, c: usize| {
        let each = all[1..].iter().map(|(w, fitted)| f(&fitted[c], &base[c], w.push));
        each.sum::<f64>() / (all.len() - 1) as f64
    };
    let contrast = [0, 1, 2].map(|c| {
        mean(
            &|f, b, push| (mean_gradient(&f.layer.curve()) / mean_gradient(&b.layer.curve()) - 1.0) / push,
            c,
        )
    });
    let fog = [0, 1, 2].map(|c| mean(&|f, b, push| (f.base - b.base) / push, c));
    // How far the exposure of a density 0.3 over base moves, in shares of a stop.
    let speed = [0, 1, 2].map(|c| {
        mean(
            &|f, b, push| {
                let at = |f: &Fitted| f.layer.curve().inverse(0.3);
                (at(b) - at(f)) / (push * super::develop::STOP)
            },
            c,
        )
    });
    let average = |v: [f64; 3]| v.iter().sum::<f64>() / 3.0;
    let share =
        |v: [f64; 3], of: f64| v.map(|x| if of.abs() < 1e-6 { 1.0 } else { (x / of).clamp(0.0, 3.0) });
    let p = &mut stock.push;
    p.contrast = average(contrast).clamp(0.0, 1.0);
    p.fog = average(fog).clamp(0.0, 1.0);
    p.speed = average(speed).clamp(0.0, 1.0);
    p.contrast_layers = share(contrast, p.contrast);
    p.fog_layers = share(fog, p.fog);
}

/// A print stock from wedges of one development.
pub fn print(start: &PrintStock, wedges: &[Wedge], stop: &AtomicBool) -> Result<PrintStock, WedgeError> {
    let (first, _) = normal(wedges)?;
    let fitted = first.layers(&start.layers, false, stop)?;
    let mut stock = start.clone();
    stock.name = format!("{}, measured", start.name).chars().take(100).collect();
    stock.layers = [0, 1, 2].map(|c| fitted[c].layer.clone());
    stock.measured = Some(measured(&start.name, &[(first, &fitted)]));
    stock.check()?;
    Ok(stock)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::film::stock::{negatives, prints};

    static GO_ON: AtomicBool = AtomicBool::new(false);

    /// Numbers from -1 to 1, roughly normal with a deviation of 0.41.
    fn noise(seed: &mut u64) -> f64 {
        let mut next = || {
            *seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (*seed >> 33) as f64 / (1_u64 << 31) as f64
        };
        (0..6).map(|_| next()).sum::<f64>() / 3.0 - 1.0
    }

    /// Curves by other formulas than the stock's: a logistic, an error function by Abramowitz and Stegun 7.1.26, an arctangent,
    /// and two layers on each other.
    fn hidden(kind: usize, x: f64, v: [f64; 3]) -> f64 {
        let [base, gamma, middle] = v;
        let top = 2.0 + 0.4 * gamma;
        let logistic = |x: f64, g: f64, top: f64| top / (1.0 + (-4.0 * g / top * x).exp());
        match kind {
            0 => base + logistic(x - middle, gamma, top),
            1 => {
                let z = (x - middle) * gamma / top * std::f64::consts::PI.sqrt();
                let t = 1.0 / (1.0 + 0.327_591_1 * z.abs());
                let p = t
                    * (0.254_829_592
                        + t * (-0.284_496_736
                            + t * (1.421_413_741 + t * (-1.453_152_027 + t * 1.061_405_429))));
                base + top * 0.5 * (1.0 + z.signum() * (1.0 - p * (-z * z).exp()))
            }
            2 => {
                base + top
                    * (0.5
                        + ((x - middle) * gamma / top * std::f64::consts::PI).atan() / std::f64::consts::PI)
            }
            _ => {
                base + logistic(x - middle + 0.35, 0.45 * gamma, 0.5 * top)
                    + logistic(x - middle - 0.35, 0.55 * gamma, 0.5 * top)
            }
        }
    }

    /// 21 steps of 0.15, common practice, with reading noise of 0.01.
    fn wedge(curve: impl Fn(f64) -> f64, seed: &mut u64) -> Vec<[f64; 2]> {
        (0..21).map(|i| -1.8 + 0.15 * f64::from(i)).map(|x| [x, curve(x) + 0.024 * noise(seed)]).collect()
    }

    fn worst_of(curves: impl Iterator<Item = ([f64; 3], usize)>) -> (Vec<f64>, Vec<f64>) {
        let mut seed = 9;
        let (mut worst, mut gradients) = (Vec::new(), Vec::new());
        for (v, kind) in curves {
            let truth = |x: f64| hidden(kind, x, v);
            let fitted = fit_layer(&wedge(truth, &mut seed), &negatives()[0].layers[1], &GO_ON).unwrap();
            let curve = fitted.layer.curve();
            let off = (0..=60)
                .map(|i| -1.8 + 0.05 * f64::from(i))
                .map(|x| (fitted.base + curve.at(x) - truth(x)).abs());
            worst.push(off.fold(0.0, f64::max));
            // The hidden curve's own mean gradient, by bisection.
            let place = |d: f64| {
                let (mut a, mut b) = (-4.0, 4.0);
                for _ in 0..60 {
                    let m = 0.5 * (a + b);
                    if truth(m) - fitted.base < d { a = m } else { b = m }
                }
                0.5 * (a + b)
            };
            let gradient = 0.9 / (place(1.2) - place(0.3));
            gradients.push((mean_gradient(&curve) / gradient - 1.0).abs());
        }
        worst.sort_by(f64::total_cmp);
        gradients.sort_by(f64::total_cmp);
        (worst, gradients)
    }

    #[test]
    fn hidden_curves_are_met_through_noise() {
        let mut seed = 4;
        let mut one =
            || [0.15 + 0.1 * noise(&mut seed), 0.62 + 0.1 * noise(&mut seed), 0.2 * noise(&mut seed)];
        let single: Vec<_> = (0..36).map(|i| (one(), i % 3)).collect();
        let (worst, gradients) = worst_of(single.into_iter());
        println!("single: median {:.4}, 90th {:.4}; gradients {:.4}", worst[18], worst[32], gradients[18]);
        assert!(
            worst[18] <= 0.015 && worst[32] <= 0.02 && gradients[18] <= 0.01 && gradients[32] <= 0.035,
            "{worst:?}"
        );
        let layered: Vec<_> = (0..12).map(|_| (one(), 3)).collect();
        let (worst, _) = worst_of(layered.into_iter());
        println!("layered: median {:.4}, 90th {:.4}", worst[6], worst[10]);
        assert!(worst[6] <= 0.025 && worst[10] <= 0.035, "{worst:?}");
    }

    #[test]
    fn a_curve_of_the_stocks_own_make_comes_back() {
        let (mut seed, mut worst) = (1, Vec::new());
        for stock in negatives().iter().filter(|s| s.kind != NegativeKind::Reversal) {
            let truth = stock.layers[0].curve();
            let points = wedge(|x| stock.base[0] + truth.at(x), &mut seed);
            let fitted = fit_layer(&points, &negatives()[1].layers[2], &GO_ON).unwrap();
            let off = (0..=60).map(|i| -1.8 + 0.05 * f64::from(i));
            let off =
                off.map(|x| (fitted.base + fitted.layer.curve().at(x) - stock.base[0] - truth.at(x)).abs());
            worst.push(off.fold(0.0, f64::max));
        }
        worst.sort_by(f64::total_cmp);
        println!("{worst:?}");
        assert!(worst[worst.len() / 2] <= 0.015 && worst[worst.len() - 1] <= 0.02, "{worst:?}");
    }

    fn of(name: &str, push: f64, f: impl Fn(f64) -> f64) -> Wedge {
        let steps = (0..21).map(|i| -1.8 + 0.15 * f64::from(i)).map(|x| [x, f(x), f(x) + 0.1, f(x) + 0.2]);
        Wedge { name: name.into(), push, steps: steps.collect() }
    }

    #[test]
    fn push_is_read_from_two_developments() {
        let start = &negatives()[0];
        let curve = CharacteristicCurve { gamma: 0.6, toe: [-1.2, 0.2], shoulder: [2.0, 0.3] };
        let pushed = CharacteristicCurve { gamma: 0.66, toe: [-1.3, 0.2], shoulder: [1.9, 0.3] };
        let wedges = [of("n", 0.0, |x| 0.2 + curve.at(x)), of("+1", 1.0, |x| 0.23 + pushed.at(x))];
        let stock = negative(start, &wedges, &GO_ON).unwrap();
        assert!(
            (stock.push.contrast - 0.1).abs() < 0.02 && (stock.push.fog - 0.03).abs() < 0.01,
            "{:?}",
            stock.push
        );
        assert!(stock.push.speed > 0.2, "{:?}", stock.push);
        assert!((stock.base[2] - 0.4).abs() < 0.01 && (stock.layers[0].gamma - 0.6).abs() < 0.02);
        // Kept inside, and read again.
        let kept = stock.measured.clone().unwrap();
        assert_eq!((kept.wedges.len(), kept.residuals[0].len(), kept.start.as_str()), (2, 21, "Meadowlight"));
        let again: NegativeStock = serde_json::from_str(&serde_json::to_string(&stock).unwrap()).unwrap();
        assert_eq!(again, stock);
        // The straight part alone says nothing of the shoulder's softness.
        assert!(kept.undetermined.iter().any(|u| u.contains("shoulder softness")), "{:?}", kept.undetermined);
    }

    #[test]
    fn a_reversal_falls_and_a_print_rises() {
        let reversal = negatives().iter().find(|s| s.kind == NegativeKind::Reversal).unwrap();
        let curve = reversal.layers[0].curve();
        let falling = of("r", 0.0, |x| curve.at(-x));
        let stock = negative(reversal, std::slice::from_ref(&falling), &GO_ON).unwrap();
        assert!((stock.layers[0].gamma / reversal.layers[0].gamma - 1.0).abs() < 0.05);
        assert!(matches!(negative(&negatives()[0], &[falling], &GO_ON), Err(WedgeError::Falls { .. })));
        let steep = prints()[1].layers[1].curve();
        let stock = print(&prints()[0], &[of("p", 0.0, |x| steep.at(x))], &GO_ON).unwrap();
        assert!((stock.layers[1].gamma / steep.gamma - 1.0).abs() < 0.05, "{:?}", stock.layers[1]);
    }

    #[test]
    fn wedges_that_make_no_curve_say_so() {
        let start = &negatives()[0];
        let says = |wedges: &[Wedge]| negative(start, wedges, &GO_ON).unwrap_err().to_string();
        let fine = of("w", 0.0, |x| 1.0 + 0.5 * x);
        assert!(says(&[]).contains("no wedge"));
        assert!(says(&[Wedge { steps: fine.steps[..3].to_vec(), ..fine.clone() }]).contains("3 steps"));
        assert!(says(&[Wedge { push: 1.0, ..fine.clone() }]).contains("normal"));
        assert!(says(&[of("w", 0.0, |_| 0.5)]).contains("flat"));
        let mut broken = fine.clone();
        broken.steps[4][2] = f64::NAN;
        assert!(says(&[broken]).contains("step 5"));
        let mut far = fine;
        far.steps[0][0] = 1e9;
        assert!(says(&[far]).contains("step 1"));
    }
}
