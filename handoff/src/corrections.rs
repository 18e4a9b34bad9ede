//! A trim as an ASC CDL on ACEScct: the nearest one, with how near it comes.

use lantern_core::bake::Meter;
use lantern_core::colour::{Encoding, chart};
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::numeric::least_squares::{Loss, Parameter, Problem, solve, unwatched};
use lantern_core::numeric::percentile::percentile;
use lantern_core::step::SlopeOffsetPower;
use std::sync::atomic::AtomicBool;

/// A trim as a correction.
#[derive(Clone, Debug, PartialEq)]
pub struct Fitted {
    /// The correction.
    pub step: SlopeOffsetPower,
    /// Mean CIEDE2000 of it from the trim on 24 patches over ±3 stops, through the plain rendering.
    pub mean: f64,
    /// 95th percentile.
    pub p95: f64,
}

/// Mean difference beyond which a correction does not stand for a trim.
const MOST: f64 = 1.0;

/// Ranges of slope, offset, power and saturation: those that decision lists are read with, but for powers near zero.
const SLOPES: [f64; 2] = [0.05, 4.0];
const OFFSETS: [f64; 2] = [-1.0, 1.0];
const POWERS: [f64; 2] = [0.2, 4.0];
const SATURATIONS: [f64; 2] = [0.0, 4.0];

fn step_of(v: &[f64]) -> SlopeOffsetPower {
    SlopeOffsetPower::from_sop([v[0], v[1], v[2]], [v[3], v[4], v[5]], [v[6], v[7], v[8]], v[9])
}

/// The correction on ACEScct that comes nearest to a trim. Refused in words where none comes near enough, or where the trim
/// does what no correction of colours does.
pub fn fit(trim: &Path) -> Result<Fitted, String> {
    let cct = Encoding::find("acescct").ok_or("there is no ACEScct")?;
    let program = Program::compile(trim, &cct, &cct).map_err(|e| e.to_string())?;
    if let Some(left) = program.left_out.first() {
        return Err(format!("“{}” has no place in a correction: {}", left.step, left.why));
    }
    let linear = Encoding::find("acescg").ok_or("there is no ACEScg")?;
    let stops = (-6..=6).map(|i| f64::from(i) / 2.0);
    let mut inputs: Vec<[f32; 4]> = stops
        .flat_map(|s| chart::patches_ap1().map(|c| c.map(|v| (v * s.exp2()) as f32)))
        .map(|[r, g, b]| [r, g, b, 1.0])
        .collect();
    Program::compile(&Path::default(), &linear, &cct).map_err(|e| e.to_string())?.run(&mut inputs);
    let mut wanted = inputs.clone();
    program.run(&mut wanted);
    let given = |v: &[f64]| {
        let mut out = inputs.clone();
        step_of(v).on_pixels(&mut out);
        out
    };
    let residuals = |v: &[f64]| -> Vec<f64> {
        let out = given(v);
        // A hundredth of a code value is about what an eye tells.
        let apart = |(a, b): (&[f32; 4], &[f32; 4])| [0, 1, 2].map(|c| f64::from(a[c] - b[c]) / 0.01);
        out.iter().zip(&wanted).flat_map(apart).collect()
    };
    // Wide priors: they only keep what the colours do not say where it is.
    let parameters: Vec<Parameter> = std::iter::repeat_n(Parameter::new(1.0, SLOPES, 10.0), 3)
        .chain(std::iter::repeat_n(Parameter::new(0.0, OFFSETS, 5.0), 3))
        .chain(std::iter::repeat_n(Parameter::new(1.0, POWERS, 10.0), 3))
        .chain([Parameter::new(1.0, SATURATIONS, 10.0)])
        .collect();
    let problem = Problem {
        parameters: &parameters,
        residuals: &residuals,
        group: 3,
        loss: Loss::Square,
        rounds: 60,
        watch: &unwatched,
        tolerance: 1e-9,
    };
    let found = solve(&problem, &AtomicBool::new(false)).ok_or("no correction was found")?;
    let rounded: Vec<f64> = found.values.iter().map(|v| (v * 1e6).round() / 1e6).collect();
    let mut differences = Meter::new(&cct).differences(&given(&rounded), &wanted);
    let mean = differences.iter().sum::<f64>() / differences.len() as f64;
    let p95 = percentile(&mut differences, 0.95);
    if mean > MOST {
        let names: Vec<&str> = trim.steps.iter().filter(|s| trim.works(s)).map(|s| s.name.as_str()).collect();
        return Err(format!(
            "slope, offset, power and saturation come no nearer than CIEDE2000 {mean:.1} to what {} do",
            names.join(", ")
        ));
    }
    Ok(Fitted { step: step_of(&rounded), mean, p95 })
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::look::Step;
    use lantern_core::step::{Balance, Bump, HueCurves, Values, Zone};

    fn trim(values: Values) -> Path {
        Path { steps: vec![Step::new("s", Zone::Scene, values)], groups: Vec::new() }
    }

    #[test]
    fn a_correction_comes_back_as_it_was() {
        let own = SlopeOffsetPower::from_sop([1.1, 1.0, 0.95], [0.01, 0.0, -0.02], [1.05, 1.0, 0.97], 0.9);
        let found = fit(&trim(Values::SlopeOffsetPower(own.clone()))).unwrap();
        let pairs = found.step.slope().into_iter().zip(own.slope());
        let pairs = pairs.chain(found.step.offset().into_iter().zip(own.offset()));
        let pairs = pairs.chain(found.step.power().into_iter().zip(own.power()));
        assert!(pairs.into_iter().all(|(a, b)| (a - b).abs() < 2e-3), "{found:?}");
        assert!(found.mean < 0.02 && (found.step.saturation - 0.9).abs() < 2e-3);
    }

    #[test]
    fn exposure_is_an_offset_on_a_logarithm() {
        // A stop is 1 / 17.52 of ACEScct (AMPAS S-2016-001).
        let found = fit(&trim(Values::Balance(Balance { exposure: 1.0, ..Default::default() }))).unwrap();
        assert!(found.mean < 0.3, "{found:?}");
        let grey = 0.413_588_4;
        let out = (grey * found.step.slope()[1] + found.step.offset()[1]).powf(found.step.power()[1]);
        assert!((out - grey - 1.0 / 17.52).abs() < 2e-3, "{found:?}");
    }

    #[test]
    fn what_no_correction_does_is_refused_with_the_steps_that_do_it() {
        let bump = Bump { centre: 110.0, saturation: 2.5, hue: 100.0, ..Default::default() };
        let strong = Values::HueCurves(HueCurves { bumps: vec![bump], ..Default::default() });
        let why = fit(&trim(strong)).unwrap_err();
        assert!(why.contains("come no nearer"), "{why}");
        assert_eq!(fit(&Path::default()).unwrap().mean, 0.0);
    }
}
