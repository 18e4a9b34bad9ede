//! Compiling a path to a program, and running it on pixels.
//!
//! A program is a list of small operations on planar blocks. The compiler follows the domain that values are
//! in and puts in a change of domain only where the next step needs one, so an inactive step costs nothing and
//! changes no bit. Running it is the *exact* path; tables are filled by it and compared with it.

use super::{Group, Path, Step};
use crate::colour::{
    Encoding, Mat3, Primaries, Reference, fit,
    matrix::Mat3f,
    primaries::{AP1, P3_D65},
    transfer::Transfer,
};
use crate::lane::{self, N, Planes};
use crate::region::{Region, range};
use crate::step::{Domain, Kernel, PlainRendering, Values, Zone, plain};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;
use thiserror::Error;

/// The Screen zone's transfer.
const SCREEN_TRANSFER: Transfer = Transfer::Power(2.4);

/// Why a path cannot go from one encoding to another.
#[derive(Debug, Error, PartialEq, Eq)]
pub enum CompileError {
    /// Screen steps and a scene-referred output.
    #[error(
        "“{step}” works on display light, but {to} is scene-referred: choose a display encoding, or switch the Screen steps off"
    )]
    NeedsDisplay {
        /// The first active Screen step.
        step: String,
        /// The output encoding.
        to: String,
    },
    /// A table whose numbers are not there.
    #[error(
        "“{step}” uses the table “{table}”, whose numbers are not here: bring in the look file that holds them"
    )]
    MissingTable {
        /// The step.
        step: String,
        /// The table's name.
        table: String,
    },
}

/// A step that the result does not hold, and why.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct LeftOut {
    /// The step's name.
    pub step: String,
    /// Why it is not in.
    pub why: String,
}

/// One operation on a block.
#[derive(Clone, Debug, PartialEq)]
enum Op {
    Matrix(Mat3f),
    Decode(Transfer),
    Encode(Transfer),
    Step {
        kernel: Kernel,
        strength: f32,
    },
    /// Takes the matte of the colours that are there.
    Matte {
        slot: usize,
        kernel: range::Kernel,
    },
    /// Lays the values aside.
    Save {
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
    Render(plain::Kernel),
    /// The standard rendering blended with another, in the Screen's encoded values.
    Blend {
        standard: plain::Kernel,
        own: plain::Kernel,
        strength: f32,
    },
    Unrender(plain::Kernel),
    Fit([f32; 3]),
}

/// A compiled path from one encoding to another.
#[derive(Clone, Debug, PartialEq)]
pub struct Program {
    ops: Vec<Op>,
    /// Steps that are active in the path but not in the program.
    pub left_out: Vec<LeftOut>,
}

/// Where groups and steps lay values and mattes aside while they work.
const OF_GROUP: usize = 0;
const OF_STEP: usize = 1;

/// What the values between two operations are.
#[derive(Clone, Copy, Debug, PartialEq)]
enum State {
    /// Linear AP1.
    SceneLinear,
    /// ACEScct.
    SceneLog,
    /// Linear light in the display's primaries.
    Display,
    /// Linear P3-D65.
    ScreenLinear,
    /// P3-D65 in a 2.4 power.
    ScreenCode,
}

struct Compiler {
    ops: Vec<Op>,
    state: State,
    display: Primaries,
}

impl Compiler {
    fn matrix(&mut self, m: Mat3) {
        if m != Mat3::IDENTITY {
            self.ops.push(Op::Matrix(m.to_f32()));
        }
    }

    /// Changes the values' state; scene to display goes through a rendering only.
    fn go(&mut self, to: State) {
        let p3 = |p: &Primaries| p.to(&P3_D65, Default::default()).unwrap_or(Mat3::IDENTITY);
        while self.state != to {
            let next = match (self.state, to) {
                (State::SceneLinear, _) => {
                    self.ops.push(Op::Encode(Transfer::AcesCct));
                    State::SceneLog
                }
                (State::SceneLog, _) => {
                    self.ops.push(Op::Decode(Transfer::AcesCct));
                    State::SceneLinear
                }
                (State::Display, _) => {
                    self.matrix(p3(&self.display));
                    State::ScreenLinear
                }
                (State::ScreenLinear, State::ScreenCode) => {
                    self.ops.push(Op::Encode(SCREEN_TRANSFER));
                    State::ScreenCode
                }
                (State::ScreenLinear, _) => {
                    let back = p3(&self.display).inverse().unwrap_or(Mat3::IDENTITY);
                    self.matrix(back);
                    State::Display
                }
                (State::ScreenCode, _) => {
                    self.ops.push(Op::Decode(SCREEN_TRANSFER));
                    State::ScreenLinear
                }
            };
            self.state = next;
        }
    }

    /// To a zone's encoded values.
    fn go_encoded(&mut self, zone: Zone) {
        self.go(if zone == Zone::Screen { State::ScreenCode } else { State::SceneLog });
    }

    fn matte(&mut self, slot: usize, zone: Zone, region: Option<&Region>) {
        if let Some(region) = region {
            self.go_encoded(zone);
            self.ops.push(Op::Matte { slot, kernel: region.colours.kernel(zone) });
        }
    }

    fn step(&mut self, step: &Step) {
        let Some(kernel) = step.values.kernel(step.zone) else { return };
        self.matte(OF_STEP, step.zone, step.region.as_ref());
        self.go(match (step.zone, step.values.domain()) {
            (Zone::Screen, Domain::Linear) => State::ScreenLinear,
            (Zone::Screen, Domain::Encoded) => State::ScreenCode,
            (_, Domain::Linear) => State::SceneLinear,
            (_, Domain::Encoded) => State::SceneLog,
        });
        let strength = step.strength as f32;
        if step.region.is_none() {
            self.ops.push(Op::Step { kernel, strength });
            return;
        }
        self.ops.push(Op::Save { slot: OF_STEP });
        self.ops.push(Op::Step { kernel, strength: 1.0 });
        self.ops.push(Op::Mix { slot: OF_STEP, strength, matted: true });
    }

    /// The steps of a zone that work, those of a group blended together.
    fn steps(&mut self, path: &Path, zone: Zone) {
        for (group, steps) in path.runs(zone) {
            let shared = group.filter(|g| g.strength < 1.0 || g.region.is_some());
            if let Some(g) = shared {
                self.go_encoded(zone);
                self.matte(OF_GROUP, zone, g.region.as_ref());
                self.ops.push(Op::Save { slot: OF_GROUP });
            }
            steps.into_iter().for_each(|s| self.step(s));
            if let Some(Group { strength, region, .. }) = shared {
                self.go_encoded(zone);
                let (strength, matted) = (*strength as f32, region.is_some());
                self.ops.push(Op::Mix { slot: OF_GROUP, strength, matted });
            }
        }
    }

    /// Source code values to where the first step finds them. `stays`: on their display.
    fn begin(from: &Encoding, display: Primaries, stays: bool) -> Self {
        let mut c = Self { ops: vec![Op::Decode(from.transfer)], state: State::SceneLinear, display };
        if stays {
            c.state = State::Display;
            return c;
        }
        if from.reference == Reference::Display {
            c.ops.push(Op::Unrender(PlainRendering::default().kernel(&from.primaries)));
        }
        c.matrix(from.matrix_to(&AP1));
        c
    }

    /// The program that all of this makes.
    fn done(mut self, left_out: Vec<LeftOut>) -> Program {
        self.ops.retain(|op| !matches!(op, Op::Decode(Transfer::Linear) | Op::Encode(Transfer::Linear)));
        Program { ops: tidy(self.ops), left_out }
    }

    fn render(&mut self, step: Option<&Step>) {
        self.go(State::SceneLinear);
        self.matrix(AP1.to(&self.display, Default::default()).unwrap_or(Mat3::IDENTITY));
        let standard = PlainRendering::default().kernel(&self.display);
        let own = step.and_then(|s| match &s.values {
            Values::PlainRendering(v) => Some((v.kernel(&self.display), s.strength as f32)),
            _ => None,
        });
        self.ops.push(match own {
            Some((own, 1.0)) => Op::Render(own),
            Some((own, strength)) => Op::Blend { standard, own, strength },
            None => Op::Render(standard),
        });
        self.state = State::Display;
    }
}

impl Program {
    /// Compiles a checked path from code values of `from` to code values of `to`.
    ///
    /// A display-referred source enters through the inverse of the standard plain rendering. A scene-referred
    /// output leaves the rendering out and lists it; active Screen steps are then an error. Where the path has
    /// no active rendering, the standard plain rendering stands in.
    pub fn compile(path: &Path, from: &Encoding, to: &Encoding) -> Result<Self, CompileError> {
        let active = |zone: Zone| path.steps.iter().filter(move |s| s.zone == zone && path.works(s));
        all_tables_there(active(Zone::Scene).chain(active(Zone::Screen)))?;
        let rendering = active(Zone::Film).next();
        let mut left_out = Vec::new();
        if to.reference == Reference::Scene {
            if let Some(step) = active(Zone::Screen).next() {
                return Err(CompileError::NeedsDisplay { step: step.name.clone(), to: to.id.clone() });
            }
            left_out.extend(rendering.map(|s| LeftOut {
                step: s.name.clone(),
                why: format!("{} is scene-referred: whoever receives it renders it", to.id),
            }));
        }

        let display = if to.reference == Reference::Display { to.primaries } else { P3_D65 };
        // A display picture that nothing touches in the scene would be unrendered and rendered the same way:
        // it stays on the display, to the last bit.
        let standard =
            rendering.is_none_or(|s| s.values == Values::PlainRendering(PlainRendering::default()));
        let stays = from.reference == Reference::Display
            && to.reference == Reference::Display
            && from.primaries == to.primaries
            && standard
            && active(Zone::Scene).next().is_none();
        let mut c = Compiler::begin(from, display, stays);
        c.steps(path, Zone::Scene);
        if to.reference == Reference::Display {
            if !stays {
                c.render(rendering);
            }
            c.steps(path, Zone::Screen);
            c.go(State::Display);
            c.ops.push(Op::Fit(to.primaries.luma().unwrap_or([1.0 / 3.0; 3]).map(|v| v as f32)));
        } else {
            c.go(State::SceneLinear);
            c.matrix(to.matrix_from(&AP1));
        }
        c.ops.push(Op::Encode(to.transfer));
        Ok(c.done(left_out))
    }

    /// Compiles the Scene steps before the step `id` from `from` to linear AP1: what that step is given.
    pub fn up_to(path: &Path, id: &str, from: &Encoding) -> Self {
        let mut before = path.before(id);
        before.steps.retain(|s| s.zone == Zone::Scene);
        let linear = Encoding::find("acescg").unwrap_or_else(|| from.clone());
        // A scene-referred output and Scene steps alone compile, but for tables that are not there.
        Self::compile(&before, from, &linear).unwrap_or(Self { ops: Vec::new(), left_out: Vec::new() })
    }

    /// What the step or group `id` is given, from `from` to its zone's encoded values; `display` has the primaries of
    /// the delivery. `None` where there is no such step, or it stands in the Film zone.
    pub fn given_to(path: &Path, id: &str, from: &Encoding, display: &Encoding) -> Option<(Self, Zone)> {
        let (c, zone) = Self::compiler_to(path, id, from, display)?;
        Some((c.done(Vec::new()), zone))
    }

    /// The matte of the step or group `id`: as grey, 1 inside its region and 0 outside. `None` where there is no such
    /// step or it has no region.
    pub fn matte(path: &Path, id: &str, from: &Encoding, display: &Encoding) -> Option<Self> {
        let (mut c, zone) = Self::compiler_to(path, id, from, display)?;
        let (_, region) = path.place_of(id)?;
        c.matte(OF_GROUP, zone, Some(region?));
        c.ops.push(Op::ShowMatte);
        Some(c.done(Vec::new()))
    }

    fn compiler_to(path: &Path, id: &str, from: &Encoding, display: &Encoding) -> Option<(Compiler, Zone)> {
        let (zone, _) = path.place_of(id)?;
        let before = path.before(id);
        let mut c = Compiler::begin(from, display.primaries, false);
        c.steps(&before, Zone::Scene);
        match zone {
            Zone::Scene => {}
            Zone::Film => return None,
            Zone::Screen => {
                c.render(before.steps.iter().find(|s| s.zone == Zone::Film && s.active()));
                c.steps(&before, Zone::Screen);
            }
        }
        c.go_encoded(zone);
        Some((c, zone))
    }

    /// The same program without the gamut fit at its end: what a display with no limits would be given.
    pub fn unfitted(&self) -> Self {
        let ops = self.ops.iter().filter(|op| !matches!(op, Op::Fit(_))).cloned().collect();
        Self { ops, left_out: self.left_out.clone() }
    }

    /// The Scene steps of a path from `from` to linear AP1: the light that a rendering is given.
    pub fn scene(path: &Path, from: &Encoding) -> Self {
        Self::up_to(path, "", from)
    }

    /// One step alone on its zone's encoded values (ACEScct or 2.4-power P3), for fingerprints. A rendering
    /// goes from ACEScct to 2.4-power P3.
    pub fn of_step(step: &Step) -> Self {
        let state = if step.zone == Zone::Screen { State::ScreenCode } else { State::SceneLog };
        let mut c = Compiler { ops: Vec::new(), state, display: P3_D65 };
        let end = if step.zone == Zone::Film { State::ScreenCode } else { state };
        match step.zone {
            Zone::Film => c.render(Some(step)),
            _ => c.step(step),
        }
        c.go(end);
        Self { ops: c.ops, left_out: Vec::new() }
    }

    /// Runs the program on RGBA pixels in place, on one thread. Alpha is left as it is.
    pub fn run(&self, pixels: &mut [[f32; 4]]) {
        lane::vectorised(Run { program: self, pixels });
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

/// An error for the first table whose numbers are not in place.
fn all_tables_there<'a>(steps: impl Iterator<Item = &'a Step>) -> Result<(), CompileError> {
    for step in steps {
        let Values::Table(v) = &step.values else { continue };
        if let Some(t) = v.tables.iter().find(|t| t.strength > 0.0 && t.data.is_none()) {
            return Err(CompileError::MissingTable { step: step.name.clone(), table: t.name.clone() });
        }
    }
    Ok(())
}

/// Drops neighbouring changes of domain that undo each other (a decode right after the same encode, or the
/// other way round), which also keeps an untouched encoding bit for bit.
fn tidy(ops: Vec<Op>) -> Vec<Op> {
    let mut out: Vec<Op> = Vec::with_capacity(ops.len());
    for op in ops {
        let undone = match (out.last(), &op) {
            (Some(Op::Decode(a)), Op::Encode(b)) | (Some(Op::Encode(a)), Op::Decode(b)) => a == b,
            _ => false,
        };
        if undone {
            out.pop();
        } else {
            out.push(op);
        }
    }
    out
}

struct Run<'a> {
    program: &'a Program,
    pixels: &'a mut [[f32; 4]],
}

impl pulp::NullaryFnOnce for Run<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let mut planes: Planes = [[0.0; N]; 3];
        let mut aside = Aside { saved: [[[0.0; N]; 3]; 2], mattes: [[0.0; N]; 2] };
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
    saved: [Planes; 2],
    mattes: [lane::Plane; 2],
}

#[inline(always)]
fn run_op(op: &Op, planes: &mut Planes, aside: &mut Aside) {
    match op {
        Op::Matte { slot, kernel } => aside.mattes[*slot] = kernel.matte(planes),
        Op::Save { slot } => aside.saved[*slot] = *planes,
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
        Op::Render(k) => k.run(planes),
        Op::Blend { standard, own, strength } => {
            let mut other = *planes;
            standard.run(&mut other);
            own.run(planes);
            SCREEN_TRANSFER.encode(&mut other);
            SCREEN_TRANSFER.encode(planes);
            blend(planes, &other, *strength);
            SCREEN_TRANSFER.decode(planes);
        }
        Op::Unrender(k) => k.unrender(planes),
        Op::Fit(luma) => fit::into_cube(*luma, planes),
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
