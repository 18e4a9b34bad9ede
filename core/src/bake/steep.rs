//! How steep a path is for a table, without baking one: a quick estimate to say while a value is dragged.

use super::Meter;
use crate::colour::{Encoding, chart};
use crate::graph::Program;
use crate::look::Path;
use crate::numeric::percentile::percentile;

/// Directions between nodes along which tetrahedral interpolation takes the mean of two: edges, face diagonals, the
/// diagonal of the cube.
const WAYS: [[f32; 3]; 7] = [
    [1.0, 0.0, 0.0],
    [0.0, 1.0, 0.0],
    [0.0, 0.0, 1.0],
    [1.0, 1.0, 0.0],
    [0.0, 1.0, 1.0],
    [1.0, 0.0, 1.0],
    [1.0, 1.0, 1.0],
];
/// What settling the nodes leaves of the error halfway between exact ones (by trial on the looks that ship).
const SETTLED: f64 = 0.6;

/// The 99th percentile of the difference between a path and its table of `points` on a side, about: on 24 chart patches over
/// +-3 stops, from how far the path lies off the mean of its neighbours half a cell away. `None` where the path does not
/// compile between these encodings.
pub fn steepness(path: &Path, from: &Encoding, to: &Encoding, points: usize) -> Option<f64> {
    let program = Program::compile(path, from, to).ok()?;
    let linear = Encoding::find("acescg")?;
    let into = Program::compile(&Path::default(), &linear, from).ok()?;
    let stops = (-3..=3).map(f64::from);
    let light = stops.flat_map(|s| chart::patches_ap1().map(|c| c.map(|v| (v * s.exp2()) as f32)));
    let mut colours: Vec<[f32; 4]> = light.map(|[r, g, b]| [r, g, b, 1.0]).collect();
    into.run(&mut colours);
    let half = 0.5 / (points.max(2) - 1) as f32;
    let moved = |by: f32, way: [f32; 3]| -> Vec<[f32; 4]> {
        let mut all = colours.clone();
        all.iter_mut().for_each(|p| (0..3).for_each(|c| p[c] += by * way[c]));
        program.run(&mut all);
        all
    };
    let meter = Meter::new(to);
    let exact = moved(0.0, WAYS[0]);
    let mut worst = Vec::new();
    for way in WAYS {
        let (a, b) = (moved(half, way), moved(-half, way));
        let mean: Vec<[f32; 4]> =
            a.iter().zip(&b).map(|(a, b)| std::array::from_fn(|c| 0.5 * (a[c] + b[c]))).collect();
        worst.extend(meter.differences(&exact, &mean));
    }
    Some(SETTLED * percentile(&mut worst, 0.99))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::look::{Step, starting};
    use crate::step::{Bump, HueCurves, Values, Zone};

    #[test]
    fn what_ships_is_smooth_and_a_narrow_bump_is_steep() {
        let (from, to) = (Encoding::find("acescct").unwrap(), Encoding::find("rec709").unwrap());
        for look in starting::looks() {
            let found = steepness(&look.look.path, &from, &to, 33).unwrap();
            assert!(found < 1.3, "{}: {found}", look.look.name);
        }
        let bump = Bump { centre: 110.0, down: 6.0, up: 6.0, softness: 4.0, hue: 60.0, ..Default::default() };
        let narrow = HueCurves { bumps: vec![bump], others: 0.0, ..Default::default() };
        let path = Path::of(vec![Step::new("s", Zone::Scene, Values::HueCurves(narrow))]);
        let (coarse, fine) =
            (steepness(&path, &from, &to, 33).unwrap(), steepness(&path, &from, &to, 129).unwrap());
        assert!(coarse > 2.0 && fine < coarse, "{coarse} {fine}");
    }
}
