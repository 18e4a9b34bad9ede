//! Table steps: each table between the zone's code values and the encodings that it expects and gives, mixed.

use super::Program; // A circle: a program holds table steps, and each table lies between two programs.
use crate::colour::display::SDR_PEAK;
use crate::colour::transfer::REFERENCE_WHITE;
use crate::colour::{Encoding, Site, Zone};
use crate::numeric::lane::{self, Channel, N, Planes};
use crate::step::{TableUse, Tables};
use crate::table::Table;
use std::sync::Arc;

/// One table ready to run: from the zone's code values to what it expects, through it, and back.
#[derive(Clone, Debug, PartialEq)]
struct Mixed {
    before: Program,
    table: Arc<Table>,
    after: Program,
    share: f32,
}

/// The step ready to run.
#[derive(Clone, Debug, PartialEq)]
pub struct TableKernel {
    tables: Vec<Mixed>,
    /// What is left of the picture as it came.
    rest: f32,
}

/// The encoding of a zone's code values.
fn zone_encoding(site: Site) -> Encoding {
    let peak = if site.headroom > 1.0 { site.headroom * f64::from(REFERENCE_WHITE) } else { SDR_PEAK };
    let log = || Encoding::find("acescct").unwrap_or_else(|| Encoding::screen(peak));
    if site.zone == Zone::Screen { Encoding::screen(peak) } else { log() }
}

impl TableKernel {
    /// The step at a site. Tables at strength 0 and those whose numbers are not in place are left out.
    pub fn new(step: &Tables, site: impl Into<Site>) -> Self {
        let site = site.into();
        let own = zone_encoding(site);
        let total: f64 = step.tables.iter().map(|t| t.strength).sum();
        let scale = if total > 1.0 { 1.0 / total } else { 1.0 };
        let way = |a: &Encoding, b: &Encoding| Program::between(a, b, site.source);
        let ready = |t: &TableUse| {
            let (from, to) = (t.from.encoding()?, t.to.encoding()?);
            Some(Mixed {
                before: way(&own, &from),
                table: t.data.clone()?,
                after: way(&to, &own),
                share: (t.strength * scale) as f32,
            })
        };
        let tables = step.tables.iter().filter(|t| t.strength > 0.0).filter_map(ready).collect::<Vec<_>>();
        let rest = 1.0 - tables.iter().map(|t| t.share).sum::<f32>();
        Self { tables, rest }
    }
}

impl TableKernel {
    /// The one table of a step that uses it in full, with the ways to and from it.
    pub(super) fn alone(&self) -> Option<(&Program, &Table, &Program)> {
        match self.tables.as_slice() {
            [one] if self.rest == 0.0 && one.share == 1.0 => Some((&one.before, &one.table, &one.after)),
            _ => None,
        }
    }

    /// A table that takes the place of steps, between its encodings and the code values of where they begin and end.
    pub(super) fn of_whole(table: Arc<Table>, way: &[Encoding; 2], [before, after]: [Site; 2]) -> Self {
        let before = Program::between(&zone_encoding(before), &way[0], before.source);
        let after = Program::between(&way[1], &zone_encoding(after), after.source);
        Self { tables: vec![Mixed { before, table, after, share: 1.0 }], rest: 0.0 }
    }

    /// The same for code values that are what its table expects already.
    pub(super) fn begin_in_codes(&mut self) {
        self.tables.iter_mut().for_each(|m| m.before = Program::nothing());
    }

    /// The same that gives its table's own code values.
    pub(super) fn end_in_codes(&mut self) {
        self.tables.iter_mut().for_each(|m| m.after = Program::nothing());
    }
}

impl TableKernel {
    /// The step on a block of code values.
    pub fn run(&self, planes: &mut Planes) {
        if self.tables.is_empty() {
            return;
        }
        let mut sum = [Channel::of(0.0); 3];
        for (plane, out) in planes.iter().zip(&mut sum) {
            for i in 0..N {
                out[i] = self.rest * plane[i];
            }
        }
        let mut pixels = [[0.0; 4]; N];
        let mut given = [Channel::of(0.0); 3];
        for mixed in &self.tables {
            lane::store(planes, &mut pixels);
            mixed.before.run(&mut pixels);
            mixed.table.apply(&mut pixels);
            mixed.after.run(&mut pixels);
            lane::load(&pixels, &mut given);
            for (out, plane) in sum.iter_mut().zip(&given) {
                for i in 0..N {
                    out[i] += mixed.share * plane[i];
                }
            }
        }
        *planes = sum;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::step::TableEncoding;
    use crate::table::{Domain, Table3};

    fn using(f: impl Fn([f32; 3]) -> [f32; 3], from: &str, to: &str, strength: f64) -> TableUse {
        let nodes: Vec<[f32; 3]> =
            (0..17 * 17 * 17).map(|i| f([i % 17, i / 17 % 17, i / 289].map(|v| v as f32 / 16.0))).collect();
        let cube = Table3::new(17, Domain::UNIT, &nodes).unwrap();
        TableUse {
            table: "abc".into(),
            name: "t".into(),
            from: TableEncoding::Shipped(from.into()),
            to: TableEncoding::Shipped(to.into()),
            strength,
            data: Some(Arc::new(Table::new(String::new(), None, Some(cube)).unwrap())),
        }
    }

    fn run(tables: Vec<TableUse>, zone: Zone, rgb: [f32; 3]) -> [f32; 3] {
        let mut p = rgb.map(Channel::of);
        TableKernel::new(&Tables { tables, remainder: false }, zone).run(&mut p);
        p.map(|plane| plane[0])
    }

    #[test]
    fn a_table_that_changes_nothing_changes_nothing_in_its_zones_own_encoding() {
        let out = run(vec![using(|v| v, "acescct", "acescct", 1.0)], Zone::Scene, [0.3, 0.45, 0.5]);
        for (v, want) in out.iter().zip([0.3, 0.45, 0.5]) {
            assert!((v - want).abs() < 1e-6, "{out:?}");
        }
    }

    #[test]
    fn two_tables_mix_by_their_strengths_and_never_to_more_than_one() {
        let (half, none) = (|v: [f32; 3]| v.map(|v| v * 0.5), |_: [f32; 3]| [0.0; 3]);
        let mixed = run(
            vec![using(half, "acescct", "acescct", 0.5), using(none, "acescct", "acescct", 0.25)],
            Zone::Scene,
            [0.4; 3],
        );
        // 0.25 of the picture, 0.5 of a half, 0.25 of nothing.
        assert!((mixed[0] - 0.2).abs() < 1e-6, "{mixed:?}");
        let full = run(
            vec![using(half, "acescct", "acescct", 1.0), using(none, "acescct", "acescct", 1.0)],
            Zone::Scene,
            [0.4; 3],
        );
        assert!((full[0] - 0.1).abs() < 1e-6, "{full:?}");
    }

    #[test]
    fn a_log_table_reads_the_screens_values_through_its_own_encoding() {
        // The way from the Screen's code values to a log encoding and back is the inverse rendering and its forward.
        let out = run(vec![using(|v| v, "cineon", "cineon", 1.0)], Zone::Screen, [0.4, 0.35, 0.3]);
        for (v, want) in out.iter().zip([0.4, 0.35, 0.3]) {
            assert!((v - want).abs() < 5e-3, "{out:?}");
        }
    }

    #[test]
    fn faults_are_said_in_words() {
        let fine = using(|v| v, "acescct", "rec709", 1.0);
        assert_eq!(fine.fault(), None);
        let far = TableUse { strength: 2.0, ..fine.clone() };
        assert!(far.fault().unwrap().contains("from 0 to 1"));
        let odd = TableUse { to: TableEncoding::Shipped("nothing".into()), ..fine.clone() };
        assert!(odd.fault().unwrap().contains("no encoding “nothing”"));
        assert!(TableUse { table: "../a".into(), ..fine }.fault().is_some());
    }
}
