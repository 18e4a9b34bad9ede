//! Fidelity: how far a written table is from the exact path, and where it is farthest.

use super::Meter;
use super::judge::Judgement;
use crate::colour::{Encoding, chart};
use crate::graph::{LeftOut, Program};
use crate::look::Path;
use crate::numeric::percentile::{Spread, percentile};
use crate::table::Table;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Colours to compare on, in the table's input encoding.
#[derive(Clone, Debug)]
pub struct Probe {
    /// What people call it: a shot's name, the chart, the cube.
    pub name: String,
    /// Whether it is one of the production's pictures.
    pub picture: bool,
    /// Input code values, rows of `width`.
    pub pixels: Vec<[f32; 4]>,
    /// Pixels in a row; for a list of colours, as many as there are.
    pub width: usize,
}

/// The worst place of a probe.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Worst {
    /// Its difference.
    pub difference: f64,
    /// Column and row from the top left, as shares of width and height.
    pub at: [f64; 2],
    /// Input code values there.
    pub input: [f32; 3],
    /// Output of the exact path, code values.
    pub exact: [f32; 3],
    /// Output of the table, code values.
    pub table: [f32; 3],
}

/// The comparison on one probe.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Comparison {
    /// What was compared on.
    pub name: String,
    /// Whether it is one of the production's pictures.
    pub picture: bool,
    /// Colours compared.
    pub count: usize,
    /// Mean difference.
    pub mean: f64,
    /// 99th percentile.
    pub p99: f64,
    /// The worst colour.
    pub worst: Worst,
    /// Largest difference in each cell of a coarse grid over a picture, row by row; empty for lists.
    pub map: Vec<f32>,
    /// Cells in a row of `map`.
    pub map_width: usize,
}

/// The whole report that travels with a table.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Fidelity {
    /// Encoding that the table expects.
    pub from: String,
    /// Encoding that the table gives.
    pub to: String,
    /// Points on a side.
    pub size: usize,
    /// Whether a 1D part comes first.
    pub shaped: bool,
    /// The measure: `CIEDE2000` or `delta-E-ITP`.
    pub measure: String,
    /// All pictures together.
    pub pictures: Option<Summary>,
    /// Each probe.
    pub comparisons: Vec<Comparison>,
    /// What the table's own shape says; none for scene-referred output.
    pub judgement: Option<Judgement>,
    /// Active steps of the path that the table does not hold.
    pub left_out: Vec<LeftOut>,
}

/// Mean, 99th percentile and worst over several probes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Summary {
    /// Colours compared.
    pub count: usize,
    /// Mean difference.
    pub mean: f64,
    /// 99th percentile.
    pub p99: f64,
    /// Worst difference.
    pub worst: f64,
    /// Name of the probe with the worst.
    pub worst_in: String,
}

/// Columns of the coarse map of a picture.
const MAP_WIDTH: usize = 64;

/// What the exact path makes of a probe: every table of the same path between the same encodings is compared with it.
pub struct Exact {
    codes: Vec<[f32; 4]>,
    places: Vec<[f64; 3]>,
}

/// Compares the table with the exact program on one probe; the single differences come along.
pub fn compare(program: &Program, table: &Table, meter: &Meter, probe: &Probe) -> (Comparison, Vec<f64>) {
    let mut exact = probe.pixels.clone();
    program.run_parallel(&mut exact);
    compared(table, probe, &exact, |read| meter.differences(&exact, read))
}

/// The same where what the exact path makes is known, by how far a list is from it.
fn compared(
    table: &Table,
    probe: &Probe,
    exact: &[[f32; 4]],
    apart: impl FnOnce(&[[f32; 4]]) -> Vec<f64>,
) -> (Comparison, Vec<f64>) {
    let mut read = probe.pixels.clone();
    table.apply_parallel(&mut read);
    let mut differences = apart(&read);
    let worst_at =
        (0..differences.len()).max_by(|a, b| differences[*a].total_cmp(&differences[*b])).unwrap_or(0);
    let width = probe.width.max(1);
    let height = probe.pixels.len().div_ceil(width).max(1);
    let rgb = |list: &[[f32; 4]]| list.get(worst_at).map_or([0.0; 3], |p| [p[0], p[1], p[2]]);
    let worst = Worst {
        difference: differences.get(worst_at).copied().unwrap_or(0.0),
        at: [(worst_at % width) as f64 / width as f64, (worst_at / width) as f64 / height as f64],
        input: rgb(&probe.pixels),
        exact: rgb(exact),
        table: rgb(&read),
    };
    let (map, map_width) = if probe.picture { coarse(&differences, width, height) } else { (Vec::new(), 0) };
    let comparison = Comparison {
        name: probe.name.clone(),
        picture: probe.picture,
        count: differences.len(),
        mean: mean(&differences),
        p99: percentile(&mut differences, 0.99),
        worst,
        map,
        map_width,
    };
    (comparison, differences)
}

fn mean(values: &[f64]) -> f64 {
    values.iter().sum::<f64>() / values.len().max(1) as f64
}

/// The largest difference in each cell of a grid of [`MAP_WIDTH`] columns with square cells.
fn coarse(differences: &[f64], width: usize, height: usize) -> (Vec<f32>, usize) {
    let columns = MAP_WIDTH.min(width);
    let rows = (height * columns / width).max(1);
    let mut map = vec![0.0_f32; columns * rows];
    for (i, d) in differences.iter().enumerate() {
        let (x, y) = (i % width * columns / width, i / width * rows / height);
        let cell = &mut map[y * columns + x];
        *cell = cell.max(*d as f32);
    }
    (map, columns)
}

/// A table being proven: pictures are added one by one, so that memory does not grow with their number, and one picture can
/// prove several tables.
pub struct Proving<'a> {
    program: &'a Program,
    table: &'a Table,
    from: &'a Encoding,
    to: &'a Encoding,
    meter: Meter,
    comparisons: Vec<Comparison>,
    on_pictures: Spread,
}

impl<'a> Proving<'a> {
    /// Begins with nothing compared.
    pub fn new(program: &'a Program, table: &'a Table, from: &'a Encoding, to: &'a Encoding) -> Self {
        let (meter, comparisons, on_pictures) = (Meter::new(to), Vec::new(), Spread::default());
        Self { program, table, from, to, meter, comparisons, on_pictures }
    }

    /// Compares on a probe.
    pub fn add(&mut self, probe: &Probe) {
        let compared = compare(self.program, self.table, &self.meter, probe);
        self.take(probe, compared);
    }

    /// What the exact path makes of a probe. It holds 40 bytes for each of its colours.
    pub fn exact(&self, probe: &Probe) -> Exact {
        let mut codes = probe.pixels.clone();
        self.program.run_parallel(&mut codes);
        Exact { places: self.meter.places(&codes), codes }
    }

    /// Compares on a probe of which it is known what the exact path makes: with [`Proving::exact`], here or of another table of
    /// the same path between the same encodings.
    pub fn add_with(&mut self, probe: &Probe, exact: &Exact) {
        let apart = |read: &[[f32; 4]]| self.meter.differences_from(&exact.places, read);
        let compared = compared(self.table, probe, &exact.codes, apart);
        self.take(probe, compared);
    }

    fn take(&mut self, probe: &Probe, (comparison, differences): (Comparison, Vec<f64>)) {
        if probe.picture {
            self.on_pictures.add(&differences);
        }
        self.comparisons.push(comparison);
    }

    /// Compares on the 24 chart patches over +-3 stops, on the neutral scale and on a low-discrepancy cover of the cube, and
    /// gives the report.
    pub fn finish(mut self) -> Fidelity {
        for probe in self.built_in() {
            self.add(&probe);
        }
        self.done()
    }

    fn built_in(&self) -> [Probe; 3] {
        [chart_probe(self.from), neutral_probe(self.table), cube_probe(self.table)]
    }

    fn done(self) -> Fidelity {
        Fidelity {
            from: self.from.id.clone(),
            to: self.to.id.clone(),
            size: self.table.points(),
            shaped: self.table.is_shaped(),
            measure: self.meter.name().into(),
            pictures: summary(&self.comparisons, &self.on_pictures),
            comparisons: self.comparisons,
            judgement: super::judge::judge(self.table, self.from, self.to),
            left_out: self.program.left_out.clone(),
        }
    }
}

/// The whole report on a table that was written and read back, on pictures and on what [`Proving::finish`] names. Probes are made
/// one by one as they are needed. The first that cannot be made ends it.
pub fn report<E>(
    program: &Program,
    table: &Table,
    from: &Encoding,
    to: &Encoding,
    probes: impl IntoIterator<Item = Result<Probe, E>>,
    mut progress: impl FnMut(usize),
) -> Result<Fidelity, E> {
    let mut proving = Proving::new(program, table, from, to);
    let built_in = proving.built_in();
    for probe in probes.into_iter().chain(built_in.map(Ok)) {
        proving.add(&probe?);
        progress(proving.comparisons.len());
    }
    Ok(proving.done())
}

/// All pictures as one population.
fn summary(comparisons: &[Comparison], differences: &Spread) -> Option<Summary> {
    let pictures = comparisons.iter().filter(|c| c.picture);
    let worst = pictures.max_by(|a, b| a.worst.difference.total_cmp(&b.worst.difference))?;
    Some(Summary {
        count: differences.count(),
        mean: differences.mean(),
        // Never above what is known exactly.
        p99: differences.percentile(0.99).min(worst.worst.difference),
        worst: worst.worst.difference,
        worst_in: worst.name.clone(),
    })
}

/// Scene-linear AP1 colours as code values of `from`; a display encoding gets them through the rendering.
fn encoded(from: &Encoding, colours: Vec<[f64; 3]>) -> Vec<[f32; 4]> {
    let mut pixels: Vec<[f32; 4]> =
        colours.iter().map(|c| [c[0] as f32, c[1] as f32, c[2] as f32, 1.0]).collect();
    let linear = Encoding::find("acescg").unwrap_or_else(|| from.clone());
    if let Ok(program) = Program::compile(&Path::default(), &linear, from) {
        program.run(&mut pixels);
    }
    pixels
}

fn list(name: &str, pixels: Vec<[f32; 4]>) -> Probe {
    Probe { name: name.into(), picture: false, width: pixels.len(), pixels }
}

fn chart_probe(from: &Encoding) -> Probe {
    let stops = (-6..=6).map(|i| f64::from(i) / 2.0);
    let colours = stops.flat_map(|s| chart::patches_ap1().map(|c| c.map(|v| v * s.exp2()))).collect();
    list("24 patches, ±3 stops", encoded(from, colours))
}

fn neutral_probe(table: &Table) -> Probe {
    let d = table.domain();
    let at = |i: usize, c: usize| d.min[c] + (d.max[c] - d.min[c]) * i as f32 / 1023.0;
    list("Neutral scale", (0..1024).map(|i| [at(i, 0), at(i, 1), at(i, 2), 1.0]).collect())
}

/// The R3 sequence (additive recurrence with the plastic constant's powers): 8192 colours that cover the
/// table's domain evenly.
fn cube_probe(table: &Table) -> Probe {
    const PLASTIC: f64 = 1.220_744_084_605_759_5;
    let d = table.domain();
    let at = |i: usize, c: usize| {
        let v = (0.5 + (i + 1) as f64 / PLASTIC.powi(c as i32 + 1)).fract() as f32;
        d.min[c] + (d.max[c] - d.min[c]) * v
    };
    list("Whole cube", (0..8192).map(|i| [at(i, 0), at(i, 1), at(i, 2), 1.0]).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bake::{Bake, bake};
    use std::sync::atomic::AtomicBool;

    fn baked(size: usize) -> (Program, Table, Encoding, Encoding) {
        let (from, to) = (Encoding::find("acescct").unwrap(), Encoding::find("rec709").unwrap());
        let look = crate::look::Look::from_json(include_str!("../../tests/looks/version-1.json")).unwrap();
        let program = Program::compile(&look.path, &from, &to).unwrap();
        let table = bake(&program, &Bake::plan(&from, size), "t", &AtomicBool::new(false)).unwrap().unwrap();
        (program, table, from, to)
    }

    #[test]
    fn more_points_come_closer_and_the_worst_is_where_it_says() {
        let report_of = |size| {
            let (program, table, from, to) = baked(size);
            let none = std::iter::empty::<Result<Probe, std::convert::Infallible>>();
            let Ok(r) = report(&program, &table, &from, &to, none, |_| {});
            let cube = r.comparisons.iter().find(|c| c.name == "Whole cube").unwrap();
            let w = &cube.worst;
            // The worst, measured again from what the report says of it.
            let meter = Meter::new(&to);
            let px = |c: [f32; 3]| [[c[0], c[1], c[2], 1.0]];
            let again = meter.differences(&px(program.on_colour(w.input)), &px(w.table));
            assert!((again[0] - w.difference).abs() < 1e-6);
            (cube.mean, cube.worst.difference)
        };
        let (coarse, fine) = (report_of(17), report_of(65));
        assert!(fine.0 < coarse.0 / 4.0 && fine.1 < coarse.1, "{coarse:?} {fine:?}");
    }

    #[test]
    fn the_map_shows_the_place_of_a_difference() {
        let mut d = vec![0.0; 640 * 360];
        d[200 * 640 + 320] = 3.0;
        let (map, width) = coarse(&d, 640, 360);
        let at = map.iter().position(|v| *v == 3.0).unwrap();
        assert_eq!((width, at % width, at / width), (64, 32, 20));
    }
}
