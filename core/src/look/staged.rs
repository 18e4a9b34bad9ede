//! A compiled path with texture between its parts.

use super::Program;
use super::program::Op;
use crate::colour::{Encoding, Mat3, primaries::AP1, transfer::Transfer};
use crate::lane::N;
use crate::table::{Bake, Domain, Table, TableError, bake};
use crate::texture::{Plate, Texture};
use rayon::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// What the values between two parts are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Signal {
    /// Linear light.
    Light,
    /// Densities of film.
    Density,
}

/// Colour work, and the texture that is put on after it.
#[derive(Clone, Debug, PartialEq)]
pub struct Part {
    /// What happens to each pixel.
    pub program: Program,
    /// What the values are then.
    pub gives: Signal,
    /// Whether the picture as it is then is needed again at the end.
    pub keep: bool,
    /// What is put on.
    pub textures: Vec<Texture>,
}

/// A compiled path in parts.
#[derive(Clone, Debug, PartialEq)]
pub struct Staged {
    /// Parts with texture after them.
    pub parts: Vec<Part>,
    /// What happens to each pixel after all texture.
    pub last: Program,
    /// Width of the frame on the film in millimetres.
    pub gauge: f64,
}

/// Tables in place of the parts' programs, for a live picture.
#[derive(Clone, Debug)]
pub struct StagedTables {
    parts: Vec<Arc<Table>>,
    last: Option<Arc<Table>>,
}

/// Points on a side of the tables between textures.
const POINTS: usize = 33;

/// Densities that tables between textures span.
const DENSITIES: [f32; 2] = [-0.4, 4.4];

/// ACEScct of no light and of the most that half floats hold: what light lies between in the tables.
const LIGHT: [f32; 2] = [0.072_905_53, 1.467_996_4];

impl Staged {
    /// Whether any texture is put on.
    pub fn has_texture(&self) -> bool {
        !self.parts.is_empty()
    }

    /// How far texture reaches, in pixels.
    pub fn reach(&self, plate: &Plate) -> usize {
        let all = self.parts.iter().flat_map(|p| &p.textures);
        all.map(|t| t.reach(plate)).fold(0.0, f64::max).ceil() as usize
    }

    /// Runs everything on a picture, exactly, on all threads of the current pool. Nothing when `stop` was set meanwhile.
    pub fn run(&self, pixels: &mut Vec<[f32; 4]>, plate: &Plate, stop: &AtomicBool) -> Option<()> {
        let aside = self.textured(None, pixels, plate, stop)?;
        self.finish(None, pixels, aside.as_deref());
        Some(())
    }

    /// What halation adds and nothing else, in code values of a display, four times as bright as it is; black where there
    /// is none.
    pub fn halation_alone(&self, pixels: &mut Vec<[f32; 4]>, plate: &Plate, display: &Encoding) {
        const BRIGHTER: f32 = 4.0;
        for part in &self.parts {
            part.program.run_parallel(pixels);
            for texture in &part.textures {
                if let Texture::Halation(k) = texture {
                    k.alone(pixels, plate);
                    let to_display =
                        AP1.to(&display.primaries, Default::default()).unwrap_or(Mat3::IDENTITY).to_f32();
                    let luma = display.primaries.luma().unwrap_or([1.0 / 3.0; 3]).map(|v| v as f32);
                    let ops = vec![Op::Matrix(to_display), Op::Fit(luma), Op::Encode(display.transfer)];
                    pixels.par_iter_mut().for_each(|p| p[..3].iter_mut().for_each(|v| *v *= BRIGHTER));
                    Program { ops, left_out: Vec::new() }.run_parallel(pixels);
                    return;
                }
                texture.run(pixels, &mut Vec::new(), plate);
            }
        }
        pixels.par_iter_mut().for_each(|p| p[..3].fill(0.0));
    }

    /// All parts but the last, exactly or through tables; gives the light that lies aside, where one does. `None` when
    /// `stop` was set meanwhile.
    pub fn textured(
        &self,
        tables: Option<&StagedTables>,
        pixels: &mut Vec<[f32; 4]>,
        plate: &Plate,
        stop: &AtomicBool,
    ) -> Option<Option<Vec<[f32; 4]>>> {
        let (mut aside, mut spare, mut given) = (None, Vec::new(), None);
        for (i, part) in self.parts.iter().enumerate() {
            match tables.and_then(|t| t.parts.get(i)) {
                Some(table) => through(table, pixels, given, Some(part.gives)),
                None => part.program.run_parallel(pixels),
            }
            if part.keep {
                aside = Some(pixels.clone());
            }
            for texture in &part.textures {
                if stop.load(Ordering::Relaxed) {
                    return None;
                }
                texture.run(pixels, &mut spare, plate);
                // The light that lies aside stays under the picture where that moves.
                if let (Texture::GateWeave(k), Some(aside)) = (texture, aside.as_mut()) {
                    k.run(aside, &mut spare, plate);
                }
            }
            given = Some(part.gives);
        }
        Some(aside)
    }

    /// The last part, exactly or through its table where it has one.
    pub fn finish(&self, tables: Option<&StagedTables>, pixels: &mut [[f32; 4]], aside: Option<&[[f32; 4]]>) {
        match (tables.and_then(|t| t.last.as_ref()), aside) {
            (Some(table), _) => through(table, pixels, self.parts.last().map(|p| p.gives), None),
            (None, None) => self.last.run_parallel(pixels),
            (None, Some(aside)) => pixels
                .par_chunks_mut(64 * N)
                .zip(aside.par_chunks(64 * N))
                .for_each(|(band, light)| self.last.run_beside(band, light)),
        }
    }

    /// Tables for all parts; those of `before` are taken where a part is still the same. The first reads code values
    /// by `plan`. The last part has none where it needs the picture that lies aside.
    pub fn tables(
        &self,
        plan: &Bake,
        before: Option<(&Self, &StagedTables)>,
    ) -> Result<StagedTables, TableError> {
        let mut given = None;
        let mut parts = Vec::with_capacity(self.parts.len());
        for (i, part) in self.parts.iter().enumerate() {
            let kept = before.and_then(|(staged, tables)| {
                let same = staged
                    .parts
                    .get(i)
                    .is_some_and(|old| old.program == part.program && old.gives == part.gives);
                same.then(|| tables.parts.get(i).cloned()).flatten()
            });
            parts.push(match kept {
                Some(kept) => kept,
                None => Arc::new(made(&part.program, given, Some(part.gives), plan)?),
            });
            given = Some(part.gives);
        }
        let last = if self.parts.iter().any(|p| p.keep) {
            None
        } else {
            let kept = before.and_then(|(staged, tables)| {
                let same = staged.last.ops == self.last.ops && staged.parts.len() == self.parts.len();
                if same { tables.last.clone() } else { None }
            });
            Some(match kept {
                Some(kept) => kept,
                None => Arc::new(made(&self.last, given, None, plan)?),
            })
        };
        Ok(StagedTables { parts, last })
    }
}

const LOG: Transfer = Transfer::AcesCct;

/// A table of a part: its values go in and out in a form that tables hold well.
fn made(
    program: &Program,
    given: Option<Signal>,
    gives: Option<Signal>,
    plan: &Bake,
) -> Result<Table, TableError> {
    let mut ops = Vec::with_capacity(program.ops.len() + 2);
    if given == Some(Signal::Light) {
        ops.push(Op::Decode(LOG));
    }
    ops.extend(program.ops.iter().cloned());
    if gives == Some(Signal::Light) {
        ops.push(Op::Encode(LOG));
    }
    let span = |[a, b]: [f32; 2]| Domain { min: [a; 3], max: [b; 3] };
    let plan = match given {
        None => plan.clone(),
        Some(Signal::Light) => Bake { size: POINTS, domain: span(LIGHT), shaped: false, settled: false },
        Some(Signal::Density) => {
            Bake { size: POINTS, domain: span(DENSITIES), shaped: false, settled: false }
        }
    };
    let never = AtomicBool::new(false);
    bake(&Program { ops, left_out: Vec::new() }, &plan, "", &never)?.ok_or(TableError::Empty)
}

/// A picture through a part's table.
fn through(table: &Table, pixels: &mut [[f32; 4]], given: Option<Signal>, gives: Option<Signal>) {
    let change = |op: Op| Program { ops: vec![op], left_out: Vec::new() };
    let [before, after] = [change(Op::Encode(LOG)), change(Op::Decode(LOG))];
    pixels.par_chunks_mut(64 * N).for_each(|band| {
        if given == Some(Signal::Light) {
            before.run(band);
        }
        table.apply(band);
        if gives == Some(Signal::Light) {
            after.run(band);
        }
    });
}
