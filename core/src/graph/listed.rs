//! A path as a list of operators: what files can hold as formulas stays one, and only the rest becomes a 3D table.

use super::fill::{Bake, Before, ROOT, bake};
use super::program::{Op, Program};
use super::tables::TableKernel;
use crate::colour::transfer::Transfer;
use crate::colour::{Encoding, chart};
use crate::numeric::percentile::percentile;
use crate::step::{InFiles, Kernel};
use crate::table::operator::{Affine, Exponent, Gamma, HalfDomain, Log, LogSide, Range, Style};
use crate::table::{Domain, Operator, Table, TableError};
use std::sync::atomic::AtomicBool;

/// How a 3D table in the middle of a list is made.
struct Middle<'a> {
    from: &'a Encoding,
    size: usize,
    legal: bool,
    cancel: &'a AtomicBool,
}

impl Middle<'_> {
    /// A 3D table of `ops` between what comes before and after it.
    fn between(
        &self,
        before: Vec<Operator>,
        ops: Vec<Op>,
        after: &[Part],
    ) -> Result<Vec<Operator>, TableError> {
        let domain = domain(&before, self.from, self.legal)?;
        let plan = Bake { domain, before: Before::Nothing, ..Bake::plan(self.from, self.size) };
        let middle = Program { ops, left_out: Vec::new() };
        let Some(table) = bake(&middle, &plan, "", self.cancel)? else { return Ok(before) };
        let all = before.into_iter().chain(table.operators().iter().cloned());
        Ok(all.chain(exact(after)?).collect())
    }
}

/// What one part of a program is.
#[derive(Clone, Debug)]
enum Part {
    /// Operators that do exactly the same.
    Exact(Vec<Operator>),
    /// Each channel goes its own way, by this.
    ByChannel(Program),
    /// Only a 3D table holds it.
    Other,
}

/// Code values beyond 0..1 that a 3D table in the middle of a list is made for, at most: further out light is rarer than a
/// denser table is worth.
const BEYOND: [f32; 2] = [-0.25, 1.5];

impl Program {
    /// The program from `from` to `to` as a table of operators, in full or legal range. A program of matrices, logarithms,
    /// corrections and curves is nothing else, exact to float; all else becomes one 3D table with `size` points on a side, with
    /// what comes before and after it as formulas where that is nearer to the program. `None` when `cancel` was set meanwhile.
    pub fn listed(
        &self,
        [from, to]: [&Encoding; 2],
        size: usize,
        legal: bool,
        title: &str,
        cancel: &AtomicBool,
    ) -> Result<Option<Table>, TableError> {
        let parts: Vec<Part> = self.ops.iter().map(part).collect();
        let coded = coded(&self.ops, from);
        let first = parts.iter().position(|p| matches!(p, Part::Other));
        let mut lists = Vec::new();
        match first {
            None => lists.push(exact(&parts)?),
            Some(first) => {
                let last = parts.iter().rposition(|p| matches!(p, Part::Other)).unwrap_or(first);
                let mut starts: Vec<usize> = (0..=first).filter(|i| coded[*i]).collect();
                starts = [starts.first().copied(), starts.last().copied()].into_iter().flatten().collect();
                starts.dedup();
                let end = (last + 1..=parts.len()).find(|i| coded[*i] && !to.is_linear() && *i < parts.len());
                let cut = |range: std::ops::Range<usize>| self.ops[range].to_vec();
                let end = end.unwrap_or(parts.len());
                let middle = Middle { from, size, legal, cancel };
                for start in starts {
                    let before = exact(&parts[..start])?;
                    lists.push(middle.between(before, cut(start..end), &parts[end..])?);
                }
                // From an SDR display to an HDR one: by a root of its light.
                if let (Before::Root(_), Some(Op::Decode(_))) =
                    (Bake::between(from, to, size).before, self.ops.first())
                {
                    let root = Exponent {
                        style: Style::Mirror,
                        inverse: true,
                        channels: [Gamma { exponent: f64::from(ROOT), offset: 0.0 }; 3],
                    };
                    let before = exact(&parts[..1])?.into_iter().chain([Operator::Exponent(root)]).collect();
                    let ops = std::iter::once(Op::Decode(Transfer::Power(ROOT))).chain(cut(1..end));
                    lists.push(middle.between(before, ops.collect(), &parts[end..])?);
                }
                // From light, evenly in stops: what leads there are formulas, too.
                if !coded[first] {
                    let log = log_of(&Transfer::AcesCct, false);
                    let before = exact(&parts[..first])?.into_iter().chain([log]).collect();
                    let ops = std::iter::once(Op::Decode(Transfer::AcesCct)).chain(cut(first..end));
                    lists.push(middle.between(before, ops.collect(), &parts[end..])?);
                }
            }
        }
        if cancel.load(std::sync::atomic::Ordering::Relaxed) {
            return Ok(None);
        }
        let full = lists.into_iter().map(|l| Table::of(title.into(), or_nothing(l)));
        let full = full.collect::<Result<Vec<_>, _>>()?;
        let nearest = if full.len() > 1 {
            let far: Vec<f64> = full.iter().map(|t| self.far(t, from)).collect();
            (0..far.len()).min_by(|a, b| far[*a].total_cmp(&far[*b])).unwrap_or(0)
        } else {
            0
        };
        let Some(table) = full.into_iter().nth(nearest) else { return Ok(None) };
        let ranged = |o: Range| legal.then_some(Operator::Range(o));
        let all = ranged(Range::from_legal()).into_iter().chain(table.operators().iter().cloned());
        Table::of(title.into(), all.chain(ranged(Range::to_legal())).collect()).map(Some)
    }

    /// How far a table is from the program: the 99th percentile of the largest difference of a channel on 24 patches over
    /// +-3 stops and on colours that cover the input.
    fn far(&self, table: &Table, from: &Encoding) -> f64 {
        let stops = (-6..=6).map(|i| f64::from(i) / 2.0);
        let mut pixels: Vec<[f32; 4]> = stops
            .flat_map(|s| chart::patches_ap1().map(|c| c.map(|v| (v * s.exp2()) as f32)))
            .map(|[r, g, b]| [r, g, b, 1.0])
            .collect();
        let linear = Encoding::find("acescg").unwrap_or_else(|| from.clone());
        if let Ok(program) = Self::compile(&crate::look::Path::default(), &linear, from) {
            program.run(&mut pixels);
        }
        let n = 9;
        pixels.extend((0..n * n * n).map(|i| {
            let at = |k: usize| (k as f32 + 0.37) / n as f32;
            [at(i % n), at(i / n % n), at(i / n / n), 1.0]
        }));
        let (mut exact, mut read) = (pixels.clone(), pixels);
        self.run(&mut exact);
        table.apply(&mut read);
        let apart = |(a, b): (&[f32; 4], &[f32; 4])| {
            (0..3).map(|c| f64::from((a[c] - b[c]).abs())).fold(0.0, f64::max)
        };
        percentile(&mut exact.iter().zip(&read).map(apart).collect::<Vec<_>>(), 0.99)
    }
}

/// Whether values are code values before each operation, and after the last.
fn coded(ops: &[Op], from: &Encoding) -> Vec<bool> {
    let mut now = !from.is_linear();
    let mut all = vec![now];
    for op in ops {
        match op {
            Op::Encode(t) => now = *t != Transfer::Linear,
            Op::Decode(_) | Op::Ways(_) | Op::Unrender(_) | Op::UnrenderPair(_) => now = false,
            _ => {}
        }
        all.push(now);
    }
    all
}

/// A list that does nothing at all is a matrix that does nothing: files hold one operator at least.
fn or_nothing(list: Vec<Operator>) -> Vec<Operator> {
    if list.is_empty() {
        return vec![Operator::Matrix(Affine::of([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]))];
    }
    list
}

/// The code values that come out of what stands before a 3D table: 0..1, and as far beyond as the input reaches.
fn domain(before: &[Operator], from: &Encoding, legal: bool) -> Result<Domain, TableError> {
    let own = Bake::plan(from, 2).domain;
    let [low, high] =
        [own.min[0], own.max[0]].map(|v| if legal { Range::from_legal().at(f64::from(v)) as f32 } else { v });
    if before.is_empty() {
        return Ok(Domain { min: [low; 3], max: [high; 3] });
    }
    if from.is_linear() {
        // What the shaper of a table holds.
        let [a, b] = super::fill::SHAPER_RANGE.map(crate::colour::transfer::linear_to_acescct);
        return Ok(Domain { min: [a; 3], max: [b; 3] });
    }
    let n = 9;
    let at = |k: usize| low + (high - low) * k as f32 / (n - 1) as f32;
    let mut pixels: Vec<[f32; 4]> =
        (0..n * n * n).map(|i| [at(i % n), at(i / n % n), at(i / n / n), 0.0]).collect();
    Table::of(String::new(), before.to_vec())?.apply(&mut pixels);
    let all = || pixels.iter().flat_map(|p| &p[..3]).copied();
    let (least, most) = (all().fold(0.0, f32::min), all().fold(1.0, f32::max));
    Ok(Domain { min: [least.max(BEYOND[0]); 3], max: [most.min(BEYOND[1]); 3] })
}

/// Parts that all have operators; neighbours of which each channel goes its own way become one 1D table.
fn exact(parts: &[Part]) -> Result<Vec<Operator>, TableError> {
    let mut out = Vec::new();
    let mut run: Option<Program> = None;
    let flush = |run: &mut Option<Program>, out: &mut Vec<Operator>| -> Result<(), TableError> {
        if let Some(program) = run.take() {
            out.push(Operator::HalfDomain(by_halves(&program)?));
        }
        Ok(())
    };
    for part in parts {
        match part {
            Part::ByChannel(program) => {
                let ops = run.take().map_or(Vec::new(), |p: Program| p.ops);
                let ops = ops.into_iter().chain(program.ops.iter().cloned()).collect();
                run = Some(Program { ops, left_out: Vec::new() });
            }
            Part::Exact(operators) => {
                flush(&mut run, &mut out)?;
                out.extend(operators.iter().cloned());
            }
            Part::Other => flush(&mut run, &mut out)?,
        }
    }
    flush(&mut run, &mut out)?;
    Ok(out)
}

/// A 1D table for halves of a program of which each channel goes its own way.
fn by_halves(program: &Program) -> Result<HalfDomain, TableError> {
    let plain = HalfDomain::of(|v| [v; 3])?;
    let mut pixels: Vec<[f32; 4]> = plain.entries().iter().map(|e| [e[0], e[1], e[2], 0.0]).collect();
    program.run_parallel(&mut pixels);
    // Beyond what floats hold there is nothing to read.
    let held = |v: f32| if v.is_finite() { v } else { f32::MAX.copysign(v) };
    HalfDomain::new(pixels.iter().map(|p| [held(p[0]), held(p[1]), held(p[2])]).collect())
}

/// Whether a step is a matrix on light.
pub(super) fn is_matrix(kernel: &Kernel) -> bool {
    matches!(kernel.in_files(), Some(InFiles::Operator(o)) if matches!(*o, Operator::Matrix(_)))
}

/// Whether files hold a step at a strength as a formula or by channel.
pub(super) fn in_files_at(kernel: &Kernel, strength: f32) -> bool {
    let op = Op::Step { kernel: kernel.clone(), strength };
    !matches!(part(&op), Part::Other)
}

fn part(op: &Op) -> Part {
    let by_channel = || Part::ByChannel(Program { ops: vec![op.clone()], left_out: Vec::new() });
    match op {
        Op::Matrix(m) => Part::Exact(vec![Operator::Matrix(Affine::of(m.0.map(|row| row.map(f64::from))))]),
        Op::Decode(t) => transfer(t, true)
            .map_or_else(|| if *t == Transfer::Hlg { Part::Other } else { by_channel() }, Part::Exact),
        Op::Encode(t) => transfer(t, false)
            .map_or_else(|| if *t == Transfer::Hlg { Part::Other } else { by_channel() }, Part::Exact),
        Op::Held => Part::Exact(vec![Operator::Range(Range {
            low: Some([0.0; 2]),
            high: Some([1.0; 2]),
            clips: true,
        })]),
        Op::Step { kernel, strength } => match (kernel.in_files(), *strength) {
            (Some(InFiles::Operator(operator)), 1.0..) => Part::Exact(vec![*operator]),
            (Some(InFiles::Operator(operator)), s) => match *operator {
                Operator::Matrix(m) => Part::Exact(vec![Operator::Matrix(blended(&m, f64::from(s)))]),
                other if other.is_by_channel() => by_channel(),
                _ => Part::Other,
            },
            (Some(InFiles::ByChannel), _) => by_channel(),
            _ => Part::Other,
        },
        Op::Tables { kernel, strength: 1.0.. } => of_table(kernel).map_or(Part::Other, Part::Exact),
        _ => Part::Other,
    }
}

/// A matrix at a strength.
fn blended(m: &Affine, strength: f64) -> Affine {
    let mut out = m.clone();
    for (i, row) in out.rows.iter_mut().enumerate() {
        for (j, v) in row.iter_mut().enumerate() {
            let own = if i == j { 1.0 } else { 0.0 };
            *v = own + strength * (*v - own);
        }
        out.offset[i] *= strength;
    }
    out
}

/// A step of one table in full, with the way to what it expects and back.
fn of_table(kernel: &TableKernel) -> Option<Vec<Operator>> {
    let (before, table, after) = kernel.alone()?;
    let way = |p: &Program| -> Option<Vec<Operator>> {
        let parts: Vec<Part> = p.ops.iter().map(part).collect();
        let all = parts.iter().all(|p| !matches!(p, Part::Other));
        all.then(|| exact(&parts).ok()).flatten()
    };
    let (before, after) = (way(before)?, way(after)?);
    Some(before.into_iter().chain(table.operators().iter().cloned()).chain(after).collect())
}

/// A transfer as operators, where a formula says it.
fn transfer(t: &Transfer, to_linear: bool) -> Option<Vec<Operator>> {
    let power = |style, exponent: f64, offset: f64| {
        let channels = [Gamma { exponent, offset }; 3];
        Some(vec![Operator::Exponent(Exponent { style, inverse: !to_linear, channels })])
    };
    match t {
        Transfer::Linear => Some(Vec::new()),
        Transfer::AcesCct | Transfer::Log(_) => Some(vec![log_of(t, to_linear)]),
        Transfer::Power(g) => power(Style::Mirror, f64::from(*g), 0.0),
        Transfer::Srgb => power(Style::MonCurveMirror, 2.4, 0.055),
        Transfer::AcesCc | Transfer::Cineon | Transfer::Pq | Transfer::Hlg => None,
    }
}

/// The logarithm of ACEScct (AMPAS S-2016-001, 4.4) or of a camera.
fn log_of(t: &Transfer, to_linear: bool) -> Operator {
    let side = match t {
        Transfer::Log(curve) => LogSide::from(&curve.constants()),
        _ => LogSide {
            log_side_slope: 1.0 / 17.52,
            log_side_offset: 9.72 / 17.52,
            lin_side_break: Some(0.007_812_5),
            linear_slope: Some(10.540_237_741_654_5),
            ..LogSide::plain(2.0)
        },
    };
    Operator::Log(Log { to_linear, channels: [side; 3] })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::look::{Path, Step};
    use crate::step::{ChannelMix, Curves, HueCurves, Levels, SlopeOffsetPower, Values, Zone};

    fn step(values: Values, strength: f64) -> Step {
        Step { strength, ..Step::new("s", Zone::Scene, values) }
    }

    fn table(path: &Path, from: &str, to: &str) -> (Program, Table) {
        let [from, to] = [from, to].map(|id| Encoding::find(id).unwrap());
        let program = Program::compile(path, &from, &to).unwrap();
        let table = program.listed([&from, &to], 33, false, "t", &AtomicBool::new(false)).unwrap().unwrap();
        (program, table)
    }

    fn apart(program: &Program, table: &Table, input: [f32; 3]) -> f32 {
        let mut p = [[input[0], input[1], input[2], 1.0]];
        table.apply(&mut p);
        program.on_colour(input).iter().zip(p[0]).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max)
    }

    fn has_cube(table: &Table) -> bool {
        table.operators().iter().any(|o| matches!(o, Operator::Cube(..)))
    }

    #[test]
    fn what_formulas_and_curves_say_needs_no_3d_table_and_is_exact_to_float() {
        let mut path = Path::default();
        let sop = SlopeOffsetPower {
            red_slope: 1.2,
            blue_offset: -0.02,
            green_power: 1.1,
            saturation: 0.8,
            ..Default::default()
        };
        path.steps.push(step(Values::SlopeOffsetPower(sop), 1.0));
        path.steps.push(step(Values::ChannelMix(ChannelMix { red_green: 0.3, ..Default::default() }), 0.5));
        path.steps.push(step(
            Values::Curves(Curves { red: vec![[-4.0, -3.0], [0.0, 0.5], [4.0, 4.0]], ..Default::default() }),
            0.7,
        ));
        path.steps.push(step(Values::Levels(Levels { middle: 0.4, ..Default::default() }), 1.0));
        for (from, to) in
            [("acescct", "acescct"), ("acescg", "acescct"), ("aces2065-1", "acescg"), ("acescc", "acescct")]
        {
            let (program, table) = table(&path, from, to);
            assert!(!has_cube(&table), "{from} to {to}: {}", table.summary());
            for input in [[0.2, 0.45, 0.7], [0.9, 0.1, 0.4], [0.413, 0.413, 0.413], [0.05, 0.3, 0.02]] {
                let off = apart(&program, &table, input);
                assert!(off < 1e-5, "{from} to {to} {input:?}: {off}");
            }
        }
    }

    #[test]
    fn what_mixes_colours_goes_into_one_3d_table_between_formulas() {
        let mut path = Path::default();
        let hue = HueCurves {
            bumps: vec![crate::step::Bump { centre: 30.0, saturation: 0.4, ..Default::default() }],
            ..Default::default()
        };
        path.steps.push(step(
            Values::SlopeOffsetPower(SlopeOffsetPower { red_slope: 1.1, ..Default::default() }),
            1.0,
        ));
        path.steps.push(step(Values::HueCurves(hue), 1.0));
        path.steps.push(step(
            Values::SlopeOffsetPower(SlopeOffsetPower { blue_slope: 1.1, ..Default::default() }),
            1.0,
        ));
        for from in ["acescct", "acescg"] {
            let (program, table) = table(&path, from, "acescct");
            let cubes = table.operators().iter().filter(|o| matches!(o, Operator::Cube(..))).count();
            assert_eq!(cubes, 1, "{}", table.summary());
            assert!(matches!(table.operators().last(), Some(Operator::Correction(_))), "{}", table.summary());
            for input in [[0.2, 0.45, 0.5], [0.5, 0.3, 0.4], [0.18, 0.18, 0.18]] {
                let off = apart(&program, &table, input);
                assert!(off < 2e-3, "{from} {input:?}: {off}");
            }
        }
    }

    #[test]
    fn legal_range_goes_around_all_of_it() {
        let [from, to] = ["acescct", "rec709"].map(|id| Encoding::find(id).unwrap());
        let program = Program::compile(&Path::default(), &from, &to).unwrap();
        let never = AtomicBool::new(false);
        let [full, legal] =
            [false, true].map(|l| program.listed([&from, &to], 33, l, "t", &never).unwrap().unwrap());
        let (there, back) = (Range::to_legal(), Range::from_legal());
        for v in [0.1_f32, 0.3, 0.41, 0.6] {
            let mut a = [[v, v, v, 1.0]];
            full.apply(&mut a);
            let coded = there.at(f64::from(v)) as f32;
            let mut b = [[coded, coded, coded, 1.0]];
            legal.apply(&mut b);
            let read = back.at(f64::from(b[0][1])) as f32;
            assert!((a[0][1] - read).abs() < 2e-3, "{v}: {} {read}", a[0][1]);
        }
    }
}
