//! The exact remainder of a table that was taken apart into steps.
//!
//! A remainder is a table of the taken-apart table's own make: at each of its points it holds what the steps do not give there.
//! The steps it covers are run at those points, the remainder is added, and the sum is read as the table itself would be: so it
//! is that table everywhere, and not at its points alone, until a step is changed; then it moves as the steps do.
//!
//! A remainder between encodings of one kind covers the steps before it in its group. One from scene light in the Screen zone
//! covers everything from the scene on, the film with it, but not the shot's trim.

use super::program::Program;
use crate::colour::{Encoding, Reference, Zone};
use crate::look::{Path, Step};
use crate::step::{Tables, Values};
use crate::table::{Domain, Table, Table1, Table3, TableError};

/// The encodings of a step that is a working remainder. `None` for any other step.
pub fn encodings(step: &Step) -> Option<[Encoding; 2]> {
    let Values::Table(Tables { tables, remainder: true }) = &step.values else { return None };
    let [only] = tables.as_slice() else { return None };
    Some([only.from.encoding()?, only.to.encoding()?])
}

/// Whether a remainder spans the film: from scene light to a display.
pub fn spans_film(step: &Step) -> bool {
    step.zone == Zone::Screen && encodings(step).is_some_and(|[from, _]| from.reference == Reference::Scene)
}

/// The steps that a remainder covers, as a path of their own.
pub fn covered(path: &Path, step: &Step) -> Path {
    let whole = spans_film(step);
    let before = path.before(&step.id);
    let mine = |s: &Step| match whole {
        true => !path.is_trim(s),
        false => s.zone == step.zone && s.group.is_some() && s.group == step.group,
    };
    let mut covered = Path { steps: before.steps.into_iter().filter(mine).collect(), groups: before.groups };
    if !whole {
        // The group's own strength and region hold for all of it together.
        covered.steps.iter_mut().for_each(|s| s.group = None);
    } else if let Some(group) = &step.group {
        covered.steps.iter_mut().filter(|s| s.group.as_ref() == Some(group)).for_each(|s| s.group = None);
    }
    covered.groups.retain(|g| covered.steps.iter().any(|s| s.group.as_ref() == Some(&g.id)));
    covered
}

/// What the steps of a path leave of a table between two encodings.
pub fn rest(table: &Table, steps: &Program) -> Result<Table, TableError> {
    combined(table, steps, "remainder", |whole, given| whole - given)
}

/// The table that steps and a share of a remainder make together.
pub fn whole(rest: &Table, steps: &Program, share: f32) -> Result<Table, TableError> {
    combined(rest, steps, &rest.title, |rest, given| given + share * rest)
}

fn combined(
    table: &Table,
    steps: &Program,
    title: &str,
    f: impl Fn(f32, f32) -> f32,
) -> Result<Table, TableError> {
    let mut given = inputs(table);
    steps.run_parallel(&mut given);
    let both = |held: [f32; 3], given: &[f32; 4]| [0, 1, 2].map(|c| f(held[c], given[c]));
    if let Some(cube) = table.cube() {
        let nodes = cube.nodes().iter().zip(&given).map(|(n, g)| both([n[0], n[1], n[2]], g));
        let cube = Table3::new(cube.size(), cube.domain(), &nodes.collect::<Vec<_>>())?;
        return Table::new(title.into(), table.shaper().cloned(), Some(cube));
    }
    let shaper = table.shaper().ok_or(TableError::Empty)?;
    let entries = shaper.entries().iter().zip(&given).map(|(e, g)| both(*e, g)).collect();
    Table::new(title.into(), Some(Table1::new(shaper.domain(), entries)?), None)
}

/// The colours that lie at a table's points, in its input encoding: of a table for each channel its greys.
pub fn inputs(table: &Table) -> Vec<[f32; 4]> {
    match (table.cube(), table.shaper()) {
        (Some(cube), shaper) => {
            let n = cube.size();
            let axes = places(cube.domain(), n).map(|axis| axis.collect::<Vec<f32>>());
            let axes = match shaper {
                Some(shaper) => [0, 1, 2].map(|c| axes[c].iter().map(|v| undone(shaper, c, *v)).collect()),
                None => axes,
            };
            (0..n.pow(3)).map(|i| [axes[0][i % n], axes[1][i / n % n], axes[2][i / n / n], 1.0]).collect()
        }
        (None, Some(shaper)) => {
            let [r, g, b] = places(shaper.domain(), shaper.entries().len());
            r.zip(g).zip(b).map(|((r, g), b)| [r, g, b, 1.0]).collect()
        }
        (None, None) => Vec::new(),
    }
}

fn places(domain: Domain, points: usize) -> [impl Iterator<Item = f32>; 3] {
    let last = (points - 1) as f64;
    [0, 1, 2].map(|c| {
        let (low, high) = (f64::from(domain.min[c]), f64::from(domain.max[c]));
        (0..points).map(move |i| (low + (high - low) * i as f64 / last) as f32)
    })
}

/// What a channel of a 1D part makes a value of: the first place where it does; its nearer end where it nowhere does.
fn undone(shaper: &Table1, channel: usize, value: f32) -> f32 {
    let entries = shaper.entries();
    let at = |i: usize| entries[i][channel];
    let last = entries.len() - 1;
    let (low, high) = (shaper.domain().min[channel], shaper.domain().max[channel]);
    let place = (0..last).find_map(|i| {
        let (a, b) = (at(i), at(i + 1));
        let inside = (a <= value && value <= b) || (b <= value && value <= a);
        let share = if a == b { 0.0 } else { (value - a) / (b - a) };
        inside.then_some(i as f32 + share)
    });
    let place =
        place.unwrap_or(if (at(0) - value).abs() < (at(last) - value).abs() { 0.0 } else { last as f32 });
    low + (high - low) * place / last as f32
}
