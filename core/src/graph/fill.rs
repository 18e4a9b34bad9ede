//! Baking a path to a table between two encodings.

use crate::colour::{
    Encoding, Reference,
    transfer::{Transfer, acescct_to_linear, linear_to_acescct},
};
use crate::graph::Program;
use crate::table::operator::Range;
use crate::table::{Domain, LENGTHS, Table, Table1, Table3, TableError};
use rayon::prelude::*;
use std::borrow::Cow;
use std::sync::atomic::{AtomicBool, Ordering};

/// Linear light at the first and last entry of a shaper: just below zero, and 8.5 stops over middle grey.
pub const SHAPER_RANGE: [f32; 2] = [-0.006_9, 64.0];

/// Entries of a shaper: the most that files hold. ACEScct is straight below 0.0078, so that even spacing over
/// the whole range costs nothing in the darks.
const SHAPER_LENGTH: usize = 65_536;

/// Entries of a root: its first one lies within the first code of 12 bits.
const ROOT_LENGTH: usize = 16_384;
/// The root of display light that [`Before::Root`] takes: the square root of what a 2.4 power is coded by. On sRGB the square root
/// of its own code leaves about as much (by trial on the looks that ship); this one is the same for all displays.
pub(super) const ROOT: f32 = 4.8;

/// What stands before a 3D table, so that its nodes lie where the function bends.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Before {
    /// Nothing: code values are even enough.
    Nothing,
    /// The logarithm of ACEScct, for linear light.
    Log,
    /// A root of display light, for SDR displays on the way to HDR displays: PQ and HLG hold the darks in many more codes than
    /// a 2.4 power does. Held by its transfer.
    Root(RootOf),
}

/// The transfers of SDR displays.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum RootOf {
    /// That of IEC 61966-2-1.
    Srgb,
    /// A power.
    Power(f32),
}

impl RootOf {
    /// That of an encoding, where it is one of them.
    fn of(transfer: &Transfer) -> Option<Self> {
        match transfer {
            Transfer::Srgb => Some(Self::Srgb),
            Transfer::Power(p) => Some(Self::Power(*p)),
            _ => None,
        }
    }

    fn transfer(self) -> Transfer {
        match self {
            Self::Srgb => Transfer::Srgb,
            Self::Power(p) => Transfer::Power(p),
        }
    }

    /// A code value to the root of its light.
    fn root(self, code: f32) -> f32 {
        Transfer::Power(ROOT).encoded(self.transfer().decoded([code.max(0.0); 3]))[0]
    }

    /// Back from it.
    fn code(self, root: f32) -> f32 {
        self.transfer().encoded(Transfer::Power(ROOT).decoded([root; 3]))[0]
    }
}

/// Where the nodes of a table lie in the input encoding, and the way there.
#[derive(Clone, Debug, PartialEq)]
pub struct Bake {
    /// Points on a side.
    pub size: usize,
    /// Input code values of the first and last node, after the shaper where there is one.
    pub domain: Domain,
    /// The 1D part before the 3D part.
    pub before: Before,
    /// Whether nodes are settled for the least error between them, or exact.
    pub settled: bool,
    /// Whether code values go in and come out in legal range: 64 to 940 of 10 bit for 0 to 1.
    pub legal: bool,
}

impl Bake {
    /// The plan for an input encoding: none of the log and display encodings needs a 1D part, linear ones do.
    pub fn plan(from: &Encoding, size: usize) -> Self {
        let domain = match from.transfer {
            // ACEScc puts black below zero (S-2014-003).
            Transfer::AcesCc => Domain { min: [-0.358_447_5; 3], max: [1.0; 3] },
            _ => Domain::UNIT,
        };
        let before = if from.is_linear() { Before::Log } else { Before::Nothing };
        Self { size, domain, before, settled: true, legal: false }
    }

    /// The plan for two encodings: as [`Bake::plan`], and [`Before::Root`] from an SDR display to an HDR one.
    pub fn between(from: &Encoding, to: &Encoding, size: usize) -> Self {
        let plan = Self::plan(from, size);
        let rises = from.reference == Reference::Display && !from.is_hdr() && to.is_hdr();
        match RootOf::of(&from.transfer).filter(|_| rises) {
            Some(of) => Self { before: Before::Root(of), ..plan },
            None => plan,
        }
    }

    /// The same with nodes exactly on the function: quicker, for live pictures.
    pub fn quick(from: &Encoding, size: usize) -> Self {
        Self { settled: false, ..Self::plan(from, size) }
    }

    /// A grid of `n` points on a side over the domain.
    pub fn grid(&self, n: usize) -> Grid {
        let axis = |c: usize| {
            let (min, max) = (self.domain.min[c], self.domain.max[c]);
            let at = |i: usize| min + (max - min) * i as f32 / (n - 1) as f32;
            let full = |v: f32| if self.legal { Range::from_legal().at(f64::from(v)) as f32 } else { v };
            let code = |v: f32| match self.before {
                Before::Nothing => full(v),
                Before::Log => unshape(v),
                // Black and white are those of full range: the 1D part goes there.
                Before::Root(of) => of.code(v),
            };
            (0..n).map(at).map(code).collect()
        };
        Grid([0, 1, 2].map(axis))
    }
}

/// The input code values of a grid's points, red fastest: those of each channel.
#[derive(Clone, Debug)]
pub struct Grid([Vec<f32>; 3]);

impl Grid {
    /// Points of the whole grid.
    pub fn len(&self) -> usize {
        self.0.iter().map(Vec::len).product()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Puts points from the one of this number on into a slab; the fourth value is 0, as in a table's nodes.
    pub fn put(&self, first: usize, slab: &mut [[f32; 4]]) {
        let [red, green, blue] = &self.0;
        let n = red.len();
        let (mut r, mut g, mut b) = (first % n, first / n % n, first / n / n);
        for p in slab {
            *p = [red[r], green[g], blue[b], 0.0];
            r += 1;
            if r == n {
                (r, g) = (0, g + 1);
            }
            if g == n {
                (g, b) = (0, b + 1);
            }
        }
    }
}

/// The title that a table's file carries: what it is, what it expects, what it gives, and its range.
pub fn title(look: &str, from: &Encoding, to: &Encoding, legal: bool) -> String {
    let source = |e: &Encoding| if e.id == "camera" { e.title.clone() } else { e.id.clone() };
    let range = if legal { "legal" } else { "full" };
    format!("{look}: {} to {}, {range} range", source(from), source(to))
}

/// ACEScct of the shaper's ends.
fn shaper_codes() -> [f32; 2] {
    SHAPER_RANGE.map(linear_to_acescct)
}

/// Linear light to the shaper's 0..1.
fn shape(v: f32) -> f32 {
    let [a, b] = shaper_codes();
    ((linear_to_acescct(v) - a) / (b - a)).clamp(0.0, 1.0)
}

fn unshape(v: f32) -> f32 {
    let [a, b] = shaper_codes();
    acescct_to_linear(a + v * (b - a))
}

fn shaper() -> Result<Table1, TableError> {
    let [a, b] = SHAPER_RANGE;
    let at = |i: usize| a + (b - a) * (i as f64 / (SHAPER_LENGTH - 1) as f64) as f32;
    let domain = Domain { min: [a; 3], max: [b; 3] };
    Table1::new(domain, (0..SHAPER_LENGTH).map(|i| [shape(at(i)); 3]).collect())
}

/// The root of light of code values, from black to white.
fn root(of: RootOf, legal: bool) -> Result<Table1, TableError> {
    let full = |v: f64| if legal { Range::from_legal().at(v) } else { v };
    let at = |i: usize| of.root(full(i as f64 / (ROOT_LENGTH - 1) as f64) as f32);
    Table1::new(Domain::UNIT, (0..ROOT_LENGTH).map(|i| [at(i); 3]).collect())
}

impl Bake {
    /// The 1D part before the 3D part.
    fn shaper(&self) -> Result<Option<Table1>, TableError> {
        match self.before {
            Before::Nothing => Ok(None),
            Before::Log => shaper().map(Some),
            Before::Root(of) => root(of, self.legal).map(Some),
        }
    }
}

/// Points that a thread takes at once.
const SLAB: usize = 1024;

/// Bakes a compiled program, on all threads of the current pool. `None` when `cancel` was set meanwhile.
pub fn bake(
    program: &Program,
    plan: &Bake,
    title: &str,
    cancel: &AtomicBool,
) -> Result<Option<Table>, TableError> {
    if !crate::table::SIZES.contains(&plan.size) {
        return Err(TableError::Size(plan.size));
    }
    let n = plan.size;
    let dense = if plan.settled { 2 * n - 1 } else { n };
    let inputs = plan.grid(dense);
    let mut grid = vec![[0.0; 4]; inputs.len()];
    grid.par_chunks_mut(SLAB).enumerate().for_each(|(k, slab)| {
        if !cancel.load(Ordering::Relaxed) {
            inputs.put(k * SLAB, slab);
            program.run(slab);
            if plan.legal {
                let legal = Range::to_legal();
                let coded = slab.iter_mut().flat_map(|p| &mut p[..3]);
                coded.for_each(|v| *v = legal.at(f64::from(*v)) as f32);
            }
        }
    });
    if cancel.load(Ordering::Relaxed) {
        return Ok(None);
    }
    let cube = if plan.settled {
        let at = |i: usize| 2 * (i % n + dense * (i / n % n + dense * (i / n / n)));
        let mut nodes: Vec<[f32; 3]> =
            (0..n * n * n).map(|i| grid[at(i)]).map(|p| [p[0], p[1], p[2]]).collect();
        super::settle::settle(&mut nodes, n, &grid);
        Table3::new(n, plan.domain, &nodes)?
    } else {
        Table3::of_padded(n, plan.domain, grid)?
    };
    Table::new(title.into(), plan.shaper()?, Some(cube)).map(Some)
}

/// Points on a side of the plain table that stands for one of other operators.
const SAMPLED: usize = 65;

/// A table as a plain one, for whoever looks at its points: itself where it is plain, else sampled over what its input encoding
/// holds; for channels that go their own ways at as many places as a 1D part has.
pub fn plain<'a>(table: &'a Table, from: &Encoding) -> Result<Cow<'a, Table>, TableError> {
    sampled(table, Bake::plan(from, SAMPLED))
}

/// The same of a table between two encodings, with what [`Bake::between`] puts before the 3D part.
pub fn plain_between<'a>(
    table: &'a Table,
    from: &Encoding,
    to: &Encoding,
) -> Result<Cow<'a, Table>, TableError> {
    sampled(table, Bake::between(from, to, SAMPLED))
}

fn sampled(table: &Table, plan: Bake) -> Result<Cow<'_, Table>, TableError> {
    if table.parts().is_some() {
        return Ok(Cow::Borrowed(table));
    }
    if table.is_by_channel() && plan.before == Before::Nothing {
        let (n, d) = (*LENGTHS.end(), plan.domain);
        let at = |i: usize, c: usize| d.min[c] + (d.max[c] - d.min[c]) * i as f32 / (n - 1) as f32;
        let mut entries: Vec<[f32; 4]> = (0..n).map(|i| [at(i, 0), at(i, 1), at(i, 2), 0.0]).collect();
        table.apply_parallel(&mut entries);
        let entries = entries.iter().map(|p| [p[0], p[1], p[2]]).collect();
        return Table::new(table.title.clone(), Some(Table1::new(d, entries)?), None).map(Cow::Owned);
    }
    let inputs = plan.grid(SAMPLED);
    let mut nodes = vec![[0.0; 4]; inputs.len()];
    inputs.put(0, &mut nodes);
    table.apply_parallel(&mut nodes);
    Table::new(table.title.clone(), plan.shaper()?, Some(Table3::of_padded(SAMPLED, plan.domain, nodes)?))
        .map(Cow::Owned)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::look::{Look, Path};

    fn baked(from: &str, to: &str, size: usize) -> (Program, Table) {
        let (from, to) = (Encoding::find(from).unwrap(), Encoding::find(to).unwrap());
        let look = Look::from_json(include_str!("../../tests/looks/version-1.json")).unwrap();
        let program = Program::compile(&look.path, &from, &to).unwrap();
        let table = bake(&program, &Bake::quick(&from, size), "t", &AtomicBool::new(false)).unwrap().unwrap();
        (program, table)
    }

    #[test]
    fn a_grid_goes_over_its_domain_with_red_fastest_in_one_go_or_in_slabs() {
        let plan = Bake {
            domain: Domain { min: [-0.5, 0.0, 1.0], max: [0.5, 2.0, 4.0] },
            ..Bake::plan(&Encoding::find("acescct").unwrap(), 5)
        };
        let grid = plan.grid(5);
        assert_eq!(grid.len(), 125);
        let mut all = vec![[9.0; 4]; 125];
        grid.put(0, &mut all);
        assert_eq!((all[0], all[124]), ([-0.5, 0.0, 1.0, 0.0], [0.5, 2.0, 4.0, 0.0]));
        assert_eq!(
            (all[1], all[5], all[25]),
            ([-0.25, 0.0, 1.0, 0.0], [-0.5, 0.5, 1.0, 0.0], [-0.5, 0.0, 1.75, 0.0])
        );
        for slab in [1, 7, 32, 125] {
            let mut parts = vec![[9.0; 4]; 125];
            parts.chunks_mut(slab).enumerate().for_each(|(k, part)| grid.put(k * slab, part));
            assert_eq!(parts, all, "slabs of {slab}");
        }
        // Linear light is spread as the shaper spreads it: evenly in ACEScct.
        let linear = Bake::plan(&Encoding::find("acescg").unwrap(), 5).grid(5);
        let mut all = vec![[0.0; 4]; 5];
        linear.put(0, &mut all);
        let codes: Vec<f32> = all.iter().map(|p| linear_to_acescct(p[0])).collect();
        assert!(codes.windows(3).all(|c| (c[2] - 2.0 * c[1] + c[0]).abs() < 1e-6), "{codes:?}");
        assert_eq!([all[0][0], all[4][0]].map(|v| (v * 1e3).round() / 1e3), [-0.007, 64.0]);
    }

    #[test]
    fn at_its_nodes_a_quick_table_is_the_program() {
        let (program, table) = baked("acescct", "rec709", 9);
        for input in [[0.0, 0.25, 0.5], [0.125, 1.0, 0.75], [0.5, 0.5, 0.5]] {
            let (want, got) = (program.on_colour(input), table.cube().unwrap().at(input));
            for (a, b) in want.iter().zip(got) {
                assert!((a - b).abs() < 1e-6);
            }
        }
    }

    #[test]
    fn linear_input_goes_through_a_shaper_that_holds_the_darks() {
        let (program, table) = baked("acescg", "rec709", 65);
        for stops in [-9.0_f32, -6.0, -3.0, 0.0, 3.0, 6.0, 8.0] {
            let v = 0.18 * stops.exp2();
            let mut p = [[v, v * 0.9, v * 0.8, 1.0]];
            let want = program.on_colour([v, v * 0.9, v * 0.8]);
            table.apply(&mut p);
            for (a, b) in want.iter().zip(p[0]) {
                assert!((a - b).abs() < 3e-3, "{stops}: {want:?} {:?}", p[0]);
            }
        }
    }

    #[test]
    fn a_cancelled_bake_gives_nothing() {
        let acescct = Encoding::find("acescct").unwrap();
        let program = Program::compile(&Path::default(), &acescct, &acescct).unwrap();
        assert_eq!(bake(&program, &Bake::plan(&acescct, 17), "t", &AtomicBool::new(true)), Ok(None));
    }
}
