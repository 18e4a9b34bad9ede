//! Tables for one picture while something is dragged: only the nodes that the picture reads are filled.
//!
//! A picture's colours lie close together: a demo picture reads a tenth of the nodes of a 33-point table, so that
//! a changed parameter costs a tenth of a whole bake. Which nodes it reads depends on the picture alone.

use super::{Bake, Before};
use crate::graph::Program;
use crate::table::{Domain, Table, Table3, TableError};
use rayon::prelude::*;

/// The nodes that a picture reads of a table, with the input code values that they stand for.
#[derive(Clone, Debug)]
pub struct Reach {
    size: usize,
    domain: Domain,
    nodes: Vec<u32>,
    inputs: Vec<[f32; 4]>,
}

impl Reach {
    /// The nodes of a table of `plan` that `pixels` read: all corners of the cells that they lie in.
    ///
    /// `None` for a plan with a shaper, whose nodes do not lie evenly over the pixels' values.
    pub fn of(pixels: &[[f32; 4]], plan: &Bake) -> Option<Self> {
        if plan.before != Before::Nothing {
            return None;
        }
        let n = plan.size;
        let (min, scale, last) = (plan.domain.min, plan.domain.scale(n), n - 2);
        let mut read = vec![false; n * n * n];
        let mut before = usize::MAX;
        for p in pixels {
            // The cell as the lookup finds it; in this order a NaN becomes 0.
            let at = |c: usize| {
                let t = ((p[c] - min[c]) * scale[c]).max(0.0).min((last + 1) as f32);
                (t as usize).min(last)
            };
            let cell = at(0) + n * (at(1) + n * at(2));
            if cell != before {
                before = cell;
                for corner in 0..8 {
                    read[cell + (corner & 1) + n * ((corner >> 1 & 1) + n * (corner >> 2))] = true;
                }
            }
        }
        let nodes: Vec<u32> = (0_u32..).zip(&read).filter(|(_, read)| **read).map(|(i, _)| i).collect();
        let mut all = vec![[0.0; 4]; read.len()];
        plan.grid(n).put(0, &mut all);
        let inputs = nodes.iter().map(|i| all[*i as usize]).collect();
        Some(Self { size: n, domain: plan.domain, nodes, inputs })
    }

    /// The share of the table's nodes that is read.
    pub fn share(&self) -> f64 {
        self.nodes.len() as f64 / self.size.pow(3) as f64
    }

    /// A table that is exact at these nodes and zero at all others, on all threads of the current pool. For the
    /// picture it was made for it gives what the whole table gives.
    pub fn fill(&self, program: &Program) -> Result<Table, TableError> {
        let mut values = self.inputs.clone();
        values.par_chunks_mut(512).for_each(|some| program.run(some));
        let mut nodes = vec![[0.0; 4]; self.size.pow(3)];
        for (i, v) in self.nodes.iter().zip(&values) {
            nodes[*i as usize] = *v;
        }
        Table::new(String::new(), None, Some(Table3::of_padded(self.size, self.domain, nodes)?))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bake::bake;
    use crate::colour::Encoding;
    use crate::look::Look;
    use std::sync::atomic::AtomicBool;

    #[test]
    fn for_its_own_picture_it_gives_the_bits_of_the_whole_table() {
        let (from, to) = (Encoding::find("acescct").unwrap(), Encoding::find("rec709").unwrap());
        let look = Look::from_json(include_str!("../../tests/looks/version-1.json")).unwrap();
        let program = Program::compile(&look.path, &from, &to).unwrap();
        let plan = Bake::quick(&from, 33);
        let whole = bake(&program, &plan, "", &AtomicBool::new(false)).unwrap().unwrap();
        let mut pixels: Vec<[f32; 4]> = (0..5000)
            .map(|i| {
                let t = i as f32 / 5000.0;
                [0.2 + 0.5 * t, 0.3 + 0.2 * (t * 9.0).sin(), 1.2 * t - 0.1, 1.0]
            })
            .collect();
        pixels.push([f32::NAN, 7.0, -3.0, 1.0]);
        let reach = Reach::of(&pixels, &plan).unwrap();
        assert!(reach.share() < 0.2, "{}", reach.share());
        let (mut want, mut got) = (pixels.clone(), pixels);
        whole.apply(&mut want);
        reach.fill(&program).unwrap().apply(&mut got);
        for (a, b) in want.iter().zip(&got) {
            assert_eq!(a.map(f32::to_bits), b.map(f32::to_bits));
        }
    }

    #[test]
    fn a_shaped_plan_has_no_reach() {
        let linear = Encoding::find("acescg").unwrap();
        assert!(Reach::of(&[[0.2; 4]], &Bake::quick(&linear, 33)).is_none());
    }
}
