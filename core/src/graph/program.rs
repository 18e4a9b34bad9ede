//! A compiled path: small operations on planar blocks, and running them.
//!
//! Running it is the *exact* path; tables are filled by it and compared with it. How a path becomes one is
//! [`super::compile`].

use super::excess::{self, Excess};
use super::films::Ways;
use super::tables;
use crate::colour::bound::bound;
use crate::colour::fit::{self, Cube, Refit, RollOff};
use crate::colour::{matrix::Mat3f, transfer::Transfer};
use crate::film::develop::{Developing, STOP};
use crate::film::expose::Exposing;
use crate::film::print::Printing;
use crate::numeric::lane::{self, Channel, N, Planes, each_value, exp2, log2};
use crate::region::range;
use crate::step::Kernel;
use crate::step::plain::{pair::PairBack, unrender::Unrender};
use crate::texture::scanline::Scanline;
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;

/// The straight film that grain lies on where there is no other: density for each unit of log exposure, and the density
/// of middle grey.
const STRAIGHT: [f32; 2] = [0.58, 1.1];

/// One operation on a block.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Op {
    Matrix(Mat3f),
    Decode(Transfer),
    Encode(Transfer),
    Step {
        kernel: Kernel,
        strength: f32,
    },
    /// Tables of a Table step.
    Tables {
        kernel: Box<tables::TableKernel>,
        strength: f32,
    },
    /// Takes the matte of the colours that are there.
    Matte {
        slot: usize,
        kernel: range::RangeKernel,
    },
    /// Lays the values aside.
    Save {
        slot: usize,
    },
    /// Takes what was laid aside.
    Restore {
        slot: usize,
    },
    /// Blends what was laid aside with what there is now, by a strength and the slot's matte.
    Mix {
        slot: usize,
        strength: f32,
        matted: bool,
    },
    /// Puts the matte in place of the colours.
    ShowMatte,
    /// Bounds scene light from below.
    Bound,
    /// The same, and lays aside what the bound takes away.
    Part {
        slot: usize,
    },
    /// Adds what the bound took away.
    Join,
    /// Lays what the bound took away aside in another slot as well.
    Copy {
        from: usize,
        to: usize,
    },
    /// As if the bound took nothing away.
    Clear {
        slot: usize,
    },
    /// Blends what the bound took away before a step or a group with what it took after it, as [`Op::Mix`] does the light.
    MixExcess {
        before: usize,
        after: usize,
        by: usize,
        strength: f32,
        matted: bool,
    },
    /// Scene light to the display by renderings and films; where texture was put on inside of a film, the scene's light lies
    /// aside under [`OF_STEP`].
    Ways(Box<Ways>),
    /// Display light to scene light in the display's primaries, exactly as the plain rendering would have made it.
    Unrender(Box<Unrender>),
    /// Display light to linear AP1, by the pair for display sources.
    UnrenderPair(Box<PairBack>),
    /// Scene light to exposures of a film's layers.
    Expose(Exposing),
    /// Exposures to densities.
    Develop(Developing),
    /// Densities to light on the screen, in AP1.
    Print(Box<Printing>),
    /// What goes into a table in [`lane::octaves`] to light.
    UndoOctaves,
    /// Light to what comes out of a table for [`lane::powers`].
    UndoPowers,
    /// Light to density on a straight film, for grain where there is no other film.
    Straight,
    /// Back from it.
    Unstraight,
    /// Light of another display brought in smoothly.
    Refit(Refit),
    /// Lights that Screen steps push above an HDR display's peak brought in smoothly.
    RollOff(RollOff),
    /// The last, sharp fit into a display.
    Fit(Cube),
    /// The same of code values.
    Held,
}

/// A step that the result does not hold, and why.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct LeftOut {
    /// The step's name.
    pub step: String,
    /// Why it is not in.
    pub why: String,
}

/// A compiled path from one encoding to another.
#[derive(Clone, Debug, PartialEq)]
pub struct Program {
    pub(super) ops: Vec<Op>,
    /// Steps that are active in the path but not in the program.
    pub left_out: Vec<LeftOut>,
}

/// Where groups and steps lay values and mattes aside while they work.
pub(super) const OF_GROUP: usize = 0;
pub(super) const OF_STEP: usize = 1;
/// Where the scene lies aside for a remainder that spans the film.
pub(super) const OF_SCENE: usize = 2;
/// Where what the bound took from scene light lies: as it is now, before a group, and after a step.
pub(super) const EXCESS: usize = 0;
pub(super) const EXCESS_BEFORE_GROUP: usize = 1;
pub(super) const EXCESS_AFTER_STEP: usize = 2;

impl Program {
    /// The program that changes nothing.
    pub(super) fn nothing() -> Self {
        Self { ops: Vec::new(), left_out: Vec::new() }
    }

    /// Runs the program on RGBA pixels in place, on one thread. Alpha is left as it is.
    pub fn run(&self, pixels: &mut [[f32; 4]]) {
        lane::vectorised(Run { program: self, pixels });
    }

    /// Runs the program on a row, with the light that lay aside before a film where there is any. The result is put in place of
    /// the row, or into `out`, which has whole blocks, unless it is empty.
    #[inline(always)]
    pub(super) fn run_row(&self, line: &mut Scanline, beside: Option<&Scanline>, out: &mut [[f32; 4]]) {
        let mut planes: Planes = [Channel::of(0.0); 3];
        let mut aside = Aside::new();
        let mut out = out.chunks_exact_mut(N);
        for block in 0..line.blocks() {
            line.load(block, &mut planes);
            if let Some(beside) = beside {
                beside.load(block, &mut aside.saved[OF_STEP]);
            }
            for op in &self.ops {
                run_op(op, &mut planes, &mut aside);
            }
            match out.next() {
                Some(out) => lane::store(&planes, out),
                None => line.store(block, &planes),
            }
        }
    }

    /// Whether it costs less than reading a table.
    pub(super) fn is_quick(&self) -> bool {
        let quick =
            |op: &Op| matches!(op, Op::Matrix(_) | Op::Decode(_) | Op::Bound | Op::Expose(_) | Op::Straight);
        self.ops.len() <= 4 && self.ops.iter().all(quick)
    }

    /// Runs the program on all threads of the current pool, in bands that stay in the cache.
    pub fn run_parallel(&self, pixels: &mut [[f32; 4]]) {
        pixels.par_chunks_mut(64 * N).for_each(|band| self.run(band));
    }

    /// The program on one colour.
    pub fn on_colour(&self, rgb: [f32; 3]) -> [f32; 3] {
        let mut pixel = [[rgb[0], rgb[1], rgb[2], 1.0]];
        self.run(&mut pixel);
        [pixel[0][0], pixel[0][1], pixel[0][2]]
    }
}

struct Run<'a> {
    program: &'a Program,
    pixels: &'a mut [[f32; 4]],
}

impl pulp::NullaryFnOnce for Run<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let mut planes: Planes = [Channel::of(0.0); 3];
        let mut aside = Aside::new();
        for block in self.pixels.chunks_mut(N) {
            lane::load(block, &mut planes);
            for op in &self.program.ops {
                run_op(op, &mut planes, &mut aside);
            }
            lane::store(&planes, block);
        }
    }
}

/// Values and mattes laid aside, of a group and of a step.
struct Aside {
    saved: [Planes; 3],
    excess: [Excess; 3],
    mattes: [Channel; 2],
}

impl Aside {
    #[inline(always)]
    fn new() -> Self {
        Self { saved: [[Channel::of(0.0); 3]; 3], excess: [Excess::none(); 3], mattes: [Channel::of(0.0); 2] }
    }
}

#[inline(always)]
fn run_op(op: &Op, planes: &mut Planes, aside: &mut Aside) {
    match op {
        Op::Matte { slot, kernel } => aside.mattes[*slot] = kernel.matte(planes),
        Op::Save { slot } => aside.saved[*slot] = *planes,
        Op::Restore { slot } => *planes = aside.saved[*slot],
        Op::Mix { slot, strength, matted } => {
            if *matted {
                let matte = &aside.mattes[*slot];
                for (a, b) in planes.iter_mut().zip(&aside.saved[*slot]) {
                    for i in 0..N {
                        a[i] = b[i] + strength * matte[i] * (a[i] - b[i]);
                    }
                }
            } else {
                blend(planes, &aside.saved[*slot], *strength);
            }
        }
        Op::ShowMatte => *planes = [aside.mattes[OF_GROUP]; 3],
        Op::Matrix(m) => m.run(planes),
        Op::Decode(t) => t.decode(planes),
        Op::Encode(t) => t.encode(planes),
        Op::Step { kernel, strength } => {
            if *strength >= 1.0 {
                kernel.run(planes);
            } else {
                let before = *planes;
                kernel.run(planes);
                blend(planes, &before, *strength);
            }
        }
        Op::Tables { kernel, strength } => {
            let before = *planes;
            kernel.run(planes);
            if *strength < 1.0 {
                blend(planes, &before, *strength);
            }
        }
        Op::Bound => bound(planes),
        Op::Part { slot } => aside.excess[*slot] = excess::part(planes),
        Op::Join => aside.excess[EXCESS].join(planes),
        Op::Copy { from, to } => aside.excess[*to] = aside.excess[*from],
        Op::Clear { slot } => aside.excess[*slot] = Excess::none(),
        Op::MixExcess { before, after, by, strength, matted } => {
            let matte = if *matted { aside.mattes[*by] } else { Channel::of(1.0) };
            aside.excess[EXCESS] = aside.excess[*before].towards(&aside.excess[*after], *strength, &matte);
        }
        Op::Ways(k) => k.run(planes, &aside.saved[OF_STEP]),
        Op::Unrender(k) => k.run(planes),
        Op::UnrenderPair(k) => k.run(planes),
        Op::Expose(k) => k.run(planes),
        Op::Develop(k) => k.run(planes),
        Op::Print(k) => k.run(planes),
        Op::UndoOctaves => each_value!(planes, v => lane::undo_octaves(v)),
        Op::UndoPowers => each_value!(planes, v => lane::undo_powers(v)),
        Op::Straight => {
            for plane in planes {
                for v in plane.iter_mut() {
                    let x = log2(*v * (1.0 / 0.18) + 1e-6) * STOP as f32;
                    *v = STRAIGHT[1] + STRAIGHT[0] * x;
                }
            }
        }
        Op::Unstraight => {
            for plane in planes {
                for v in plane.iter_mut() {
                    let x = (*v - STRAIGHT[1]) * (1.0 / STRAIGHT[0]);
                    *v = 0.18 * (exp2(x * (1.0 / STOP as f32)) - 1e-6);
                }
            }
        }
        Op::Refit(k) => k.run(planes),
        Op::RollOff(k) => k.run(planes),
        Op::Fit(cube) => fit::into_cube(*cube, planes),
        Op::Held => each_value!(planes, v => v.max(0.0).min(1.0)),
    }
}

/// before + strength * (after - before), in place of after.
#[inline(always)]
fn blend(after: &mut Planes, before: &Planes, strength: f32) {
    for (a, b) in after.iter_mut().zip(before) {
        for i in 0..N {
            a[i] = b[i] + strength * (a[i] - b[i]);
        }
    }
}
