//! Judging a table by its own shape: what broke in making it, carrying it or naming its encodings.
//!
//! Kinks and folds are held against what the two encodings alone would do: the same table baked from a path without any
//! step. A smooth look between a wide log encoding and a small display bends where colours meet the display's faces, and so
//! does the way without a look; a break is what a table has beyond that.

mod ends;
mod folds;
mod lines;
mod nodes;

use super::Meter;
use crate::colour::Encoding;
use crate::graph::Program;
use crate::look::Path;
use crate::table::{Domain, Table, Table1, Table3};
use schemars::JsonSchema;
use serde::Serialize;

/// One measure with the value above which a table falls short.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Measure {
    /// Its id.
    pub id: String,
    /// What it says, in words.
    pub title: String,
    /// What was measured.
    pub value: f64,
    /// Above this the table falls short.
    pub limit: f64,
    /// Whether it does.
    pub falls_short: bool,
    /// A warning only: does not count against the table.
    pub warning_only: bool,
}

/// All measures of a table.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Judgement {
    /// The measures, most telling first.
    pub measures: Vec<Measure>,
    /// Whether no measure but warnings falls short.
    pub sound: bool,
}

type Lab = [f64; 3];

/// A table's 3D part, with its output read as places in a space where distances are differences: CIELAB, or ITP times 720
/// for HDR displays.
struct Reader<'a> {
    cube: &'a Table3,
    /// The 1D part before it.
    shaper: Option<&'a Table1>,
    from: &'a Encoding,
    meter: Meter,
}

impl Reader<'_> {
    /// Output code values for input colours given in node places 0..1 of the cube.
    fn codes(&self, inputs: &[[f64; 3]]) -> Vec<[f32; 3]> {
        let d = self.cube.domain();
        let place = |c: usize, v: f64| f64::from(d.min[c]) + v * f64::from(d.max[c] - d.min[c]);
        inputs.iter().map(|p| self.cube.at([0, 1, 2].map(|c| place(c, p[c]) as f32))).collect()
    }

    /// The input code value of a node place 0..1 of a channel.
    fn input(&self, c: usize, place: f64) -> f32 {
        input(self.shaper, self.cube.domain(), c, place)
    }

    fn labs(&self, coded: &[[f32; 3]]) -> Vec<Lab> {
        let places = self.meter.places(&clamped(coded));
        if self.meter.is_hdr() { places.into_iter().map(|p| p.map(|v| 720.0 * v)).collect() } else { places }
    }

    fn differences(&self, a: &[[f32; 3]], b: &[[f32; 3]]) -> Vec<f64> {
        self.meter.differences(&clamped(a), &clamped(b))
    }

    fn size(&self) -> usize {
        self.cube.size()
    }

    fn pitch(&self) -> f64 {
        1.0 / (self.size() - 1) as f64
    }
}

fn clamped(coded: &[[f32; 3]]) -> Vec<[f32; 4]> {
    coded.iter().map(|p| [p[0], p[1], p[2], 1.0].map(|v| v.clamp(0.0, 1.0))).collect()
}

fn input(shaper: Option<&Table1>, d: Domain, c: usize, place: f64) -> f32 {
    let value = (f64::from(d.min[c]) + place * f64::from(d.max[c] - d.min[c])) as f32;
    shaper.map_or(value, |s| s.back(value, c))
}

/// The 3D part that the two encodings alone make, of the same size, over the same domain and behind the same 1D part.
fn plain(shaper: Option<&Table1>, cube: &Table3, from: &Encoding, to: &Encoding) -> Option<Table3> {
    let program = Program::compile(&Path::default(), from, to).ok()?;
    let (n, d) = (cube.size(), cube.domain());
    let axis =
        |c: usize| -> Vec<f32> { (0..n).map(|i| input(shaper, d, c, i as f64 / (n - 1) as f64)).collect() };
    let axes = [0, 1, 2].map(axis);
    let mut nodes: Vec<[f32; 4]> =
        (0..n * n * n).map(|i| [axes[0][i % n], axes[1][i / n % n], axes[2][i / n / n], 0.0]).collect();
    program.run_parallel(&mut nodes);
    let nodes: Vec<[f32; 3]> = nodes.iter().map(|p| [p[0], p[1], p[2]]).collect();
    Table3::new(n, d, &nodes).ok()
}

/// Judges a table between two encodings. `None` for a table without a 3D part or with a scene-referred output.
///
/// Limits were set on tables made by smooth formulas of several kinds and on the same tables broken in known ways (rounded,
/// noisy, clipped, posterised, with loose nodes, with ranges, transfers or channels mixed up), and hold on sets made with
/// other seeds and other mathematics: `core/tests/all/judge.rs`.
pub fn judge(table: &Table, from: &Encoding, to: &Encoding) -> Option<Judgement> {
    if to.reference != crate::colour::Reference::Display {
        return None;
    }
    let table = crate::graph::plain_between(table, from, to).ok()?;
    let table = table.as_ref();
    let (cube, shaper) = (table.cube()?, table.shaper());
    let without = plain(shaper, cube, from, to)?;
    let reader = |cube| Reader { cube, shaper, from, meter: Meter::new(to) };
    let (own, bare) = (reader(cube), reader(&without));
    let (lines, bare_lines) = (lines::measure(&own), lines::measure(&bare));
    let (folds, bare_folds) = (folds::measure(&own), folds::measure(&bare));
    let (ends, bare_ends) = (ends::measure(&own, to), ends::measure(&bare, to));
    let nodes = nodes::measure(&own);
    // What is measured against the bare table may be this much more than it.
    let beyond = |own: f64, bare: f64| (own - 1.25 * bare).max(0.0);
    // ITP counts the way from black to 1000 cd/m2 as 540, CIELAB that to white as 100.
    let unit = if own.meter.is_hdr() { 5.4 } else { 1.0 };
    let scale = (cube.size() - 1) as f64 / 32.0 / unit;
    let rows = [
        ("neutral-dip", "Neutral scale falls back, L*", lines.dip / unit, 0.1, false),
        ("neutral-flat", "Flat part of the grey ramp, share", lines.flat, 0.02, false),
        (
            "range",
            "Black and white lie where full and legal range mixed up put them",
            ends.range(&bare_ends),
            0.5,
            false,
        ),
        (
            "transfer",
            "Neutral scale as another transfer would leave it: slope beyond 0.7 to 2.8, or grey by 2.9 stops",
            ends.transfer(&bare_ends),
            0.0,
            false,
        ),
        ("channels", "Channel crosstalk", nodes.exchanged, 1.3, false),
        (
            "clipped-input",
            "Layers at the edges that repeat their neighbour",
            ends.dead_beyond(&bare_ends),
            0.5,
            false,
        ),
        ("rounded", "Steps that values are rounded to, 8-bit codes", nodes.rounded, 0.6, false),
        ("noise", "Noise between nodes, 8-bit codes", nodes.noise, 0.15, false),
        ("loose-nodes", "Nodes that stand out of their surroundings", nodes.loose, 0.0, false),
        (
            "neutral-kink",
            "Kink in the neutral scale",
            beyond(lines.neutral_kink, bare_lines.neutral_kink) * scale,
            2.7,
            false,
        ),
        (
            "colour-kink",
            "Kink along skin and hues",
            beyond(lines.colour_kink, bare_lines.colour_kink) * scale,
            12.0,
            false,
        ),
        ("folded", "Folded cells, share", beyond(folds.share, bare_folds.share), 0.1, false),
        ("deepest-fold", "Deepest fold", beyond(folds.deepest, bare_folds.deepest), 0.5, true),
        (
            "decimated",
            "Change at half the points, 95th percentile",
            beyond(lines.decimated, bare_lines.decimated) / unit,
            1.0,
            true,
        ),
        ("clipped", "Inner nodes with a channel at 0 or 1, share", nodes.clipped, 0.75, true),
    ];
    let measures: Vec<Measure> = rows
        .into_iter()
        .map(|(id, title, value, limit, warning_only)| Measure {
            id: id.into(),
            title: title.into(),
            value,
            limit,
            falls_short: value > limit,
            warning_only,
        })
        .collect();
    let sound = measures.iter().all(|m| !m.falls_short || m.warning_only);
    Some(Judgement { measures, sound })
}

impl Judgement {
    /// The measures that fall short and count.
    pub fn faults(&self) -> impl Iterator<Item = &Measure> {
        self.measures.iter().filter(|m| m.falls_short && !m.warning_only)
    }
}

fn median(values: &mut [f64]) -> f64 {
    crate::numeric::percentile::percentile(values, 0.5)
}
