//! A film from patches: a chart that film and camera saw under the same light, measured on the print.

use super::{Film, FilmError, Fitted, Known, Search, knobs};
use crate::colour::difference::{LabOf, ciede2000};
use crate::colour::primaries::AP1;
use crate::film::measured::{FilmFit, Patch};
use crate::matching::aim::Wanted;
use crate::numeric::least_squares::Loss;
use std::collections::BTreeMap;
use std::sync::atomic::AtomicBool;

/// The fewest and the most patches, over all exposures.
pub const PATCHES: std::ops::RangeInclusive<usize> = 8..=600;
/// Noise of a measured colour (common practice: instruments agree to half a unit).
const NOISE: f64 = 0.5;
/// Weight of the priors.
const RIDGE: f64 = 0.5;
/// Of so large a squared residual, ten of the noise, the next counts half.
const STUDENT: f64 = 10.0;

fn check(patches: &[Patch]) -> Result<(), FilmError> {
    if !PATCHES.contains(&patches.len()) {
        return Err(FilmError::Count { found: patches.len() });
    }
    for patch in patches {
        let wrong = |what| Err(FilmError::Patch { name: patch.name.clone(), what });
        if patch.light.iter().chain(&patch.lab).any(|v| !v.is_finite()) {
            return wrong("a value is no finite number");
        }
        if patch.light.iter().any(|v| !(-10.0..=1000.0).contains(v)) {
            return wrong("scene light goes from -10 to 1000, with middle grey at 0.18");
        }
        if !(-5.0..=130.0).contains(&patch.lab[0]) || patch.lab[1..].iter().any(|v| v.abs() > 200.0) {
            return wrong("L* goes from 0 to 100 and a*, b* from -200 to 200");
        }
    }
    let spread = |of: &dyn Fn(&Patch) -> f64| {
        let all = patches.iter().map(of);
        all.clone().fold(f64::NEG_INFINITY, f64::max) - all.fold(f64::INFINITY, f64::min)
    };
    if spread(&|p| p.lab[0]) < 5.0 || spread(&|p| p.light[1]) <= 0.0 {
        return Err(FilmError::Alike);
    }
    Ok(())
}

/// CIELAB of scene light on a film's print, relative to its white.
pub fn seen(film: &Film, light: &[[f64; 3]]) -> Vec<[f64; 3]> {
    let lab = LabOf::new(&AP1);
    film.chain().projected(light).into_iter().map(|rgb| lab.lab(rgb)).collect()
}

/// Rows of residuals that are left out together: all exposures of the patch of a name.
fn together(patches: &[Patch]) -> Vec<Vec<usize>> {
    let mut blocks: BTreeMap<(&str, usize), Vec<usize>> = BTreeMap::new();
    for (i, patch) in patches.iter().enumerate() {
        let alone = if patch.name.is_empty() { i } else { 0 };
        blocks.entry((&patch.name, alone)).or_default().extend(3 * i..3 * i + 3);
    }
    blocks.into_values().collect()
}

/// Fits a film to patches.
pub fn fit(
    start: &Film,
    patches: &[Patch],
    known: Known,
    watch: &(dyn Fn(usize) + Sync),
    stop: &AtomicBool,
) -> Result<Fitted, FilmError> {
    check(patches)?;
    let light: Vec<[f64; 3]> = patches.iter().map(|p| p.light).collect();
    let wanted: Vec<Wanted> = patches.iter().map(|p| Wanted::new(p.lab, 1.0 / NOISE.powi(2))).collect();
    let misses = |film: &Film| -> Vec<f64> {
        seen(film, &light).into_iter().zip(&wanted).flat_map(|(lab, w)| w.off(lab)).collect()
    };
    let search = Search {
        start,
        knobs: knobs(start, known, false),
        ridge: RIDGE,
        loss: Loss::Student(STUDENT),
        misses: &misses,
        watch,
        stop,
    };
    let found = search.run(&together(patches)).ok_or(FilmError::Nothing)?;
    let film = found.film;
    let now = seen(&film, &light);
    let left_out: Vec<f64> =
        found.left_out.chunks(3).map(|e| NOISE * e.iter().map(|v| v * v).sum::<f64>().sqrt()).collect();
    let fit = FilmFit {
        with: None,
        tied: film.tied(known),
        points: film.points,
        black: film.black,
        patches: patches.to_vec(),
        off: patches.iter().zip(&now).map(|(p, l)| [0, 1, 2].map(|i| p.lab[i] - l[i])).collect(),
        left_out,
        table: None,
        parameters: found.determined,
    };
    let sides: Vec<_> = search.knobs.iter().map(|k| k.part.side()).collect();
    Fitted { film, fit }.kept(start, known, &sides)
}

/// Mean and largest CIEDE2000 between patches and a film.
pub fn distance(film: &Film, patches: &[Patch]) -> [f64; 2] {
    let light: Vec<[f64; 3]> = patches.iter().map(|p| p.light).collect();
    let off: Vec<f64> =
        seen(film, &light).into_iter().zip(patches).map(|(lab, p)| ciede2000(lab, p.lab)).collect();
    [off.iter().sum::<f64>() / off.len().max(1) as f64, off.iter().copied().fold(0.0, f64::max)]
}
