//! The compiler: it follows the domain that values are in, and puts in a change of domain only where the next step needs one.

use super::films::SCREEN_TRANSFER;
use super::listed;
use super::program::{LeftOut, OF_GROUP, Op, Program};
use super::run::{Node, Signal};
use super::tables;
use crate::colour::fit::{Cube, Refit, RollOff};
use crate::colour::{
    Display, Encoding, Mat3, Reference,
    primaries::{AP1, P3_D65},
    transfer::Transfer,
};
use crate::film::Chain;
use crate::look::{Group, Path, Step};
use crate::region::Region;
use crate::step::plain::{
    pair::{Pair, PairBack},
    unrender::Unrender,
};
use crate::step::{Kernel, PlainRendering, Site, Values, Zone};
use crate::texture::Texture;
use crate::texture::mix::Mix;
use crate::texture::passes::Slot;

/// What the values between two operations are.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum State {
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

/// How scene light stands to [its bound](crate::colour::bound).
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum SceneLight {
    /// As it came: channels may lie anywhere below zero.
    Free,
    /// Bounded.
    Bounded,
    /// Bounded, and what the bound took away lies aside under [`super::program::EXCESS`](super::program): both together are the light.
    Parted,
}

/// What a step does to each pixel by itself.
pub(super) enum Work {
    Kernel(Kernel),
    Tables(Box<tables::TableKernel>),
}

impl Work {
    /// Of a step at a site. `None` for what does not work on each pixel by itself.
    pub(super) fn of(values: &Values, site: Site) -> Option<Self> {
        match values {
            // A remainder is nothing without the steps that it completes.
            Values::Table(v) if v.remainder => None,
            // Between its encodings lie programs, which steps know nothing of.
            Values::Table(v) => Some(Self::Tables(Box::new(tables::TableKernel::new(v, site)))),
            _ => values.kernel(site).map(Self::Kernel),
        }
    }

    /// Whether files hold it at a strength without a 3D table.
    pub(super) fn is_formula(&self, strength: f32) -> bool {
        matches!(self, Self::Kernel(k) if listed::in_files_at(k, strength))
    }

    /// Whether it is a matrix.
    pub(super) fn is_matrix(&self) -> bool {
        matches!(self, Self::Kernel(k) if listed::is_matrix(k))
    }

    /// Whether it is made for light that no surface has.
    pub(super) fn wants_free_light(&self) -> bool {
        matches!(self, Self::Kernel(k) if k.wants_free_light())
    }

    pub(super) fn at(self, strength: f32) -> Op {
        match self {
            Self::Kernel(kernel) => Op::Step { kernel, strength },
            Self::Tables(kernel) => Op::Tables { kernel, strength },
        }
    }
}

pub(super) struct Compiler {
    pub(super) ops: Vec<Op>,
    pub(super) state: State,
    /// The display that the path renders for: see [`rendered_for`].
    pub(super) display: Display,
    /// What the source's light stands for, which says how it is rendered.
    pub(super) source: Reference,
    /// How scene light stands to the bound.
    pub(super) light: SceneLight,
    /// Whether steps that files hold as formulas get light as it comes: where the result is scene light, they stay formulas.
    pub(super) formulas: bool,
    /// What lies before the last colour work; empty where there is no texture.
    pub(super) nodes: Vec<Node>,
    /// Whether steps with a radius or a place become nodes; they are left out otherwise.
    pub(super) texture: bool,
    /// The source's code values, and how many operations bring them to where the first step finds them.
    pub(super) begun: Option<(Encoding, usize)>,
    /// The scene for a remainder that spans the film.
    pub(super) tap: Tap,
    /// Remainders that could not be put on.
    pub(super) apart: Vec<LeftOut>,
    /// What the table of a remainder gives, and the number of operations, where it is the last of them.
    pub(super) ends_in: Option<(Encoding, usize)>,
}

/// Where the scene is laid aside for a remainder that spans the film.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Tap {
    /// There is none.
    No,
    /// It is laid aside after the trim.
    Wanted,
    /// It lies aside since operation `at`, when there were so many nodes; `own`: as the source's code values.
    Laid { at: usize, nodes: usize, own: bool },
}

/// What a step outside of the Film zone puts on the picture, on light. `None` for what works on each pixel by itself.
pub(super) fn spatial(step: &Step) -> Option<Texture> {
    if step.zone == Zone::Film || step.values.info().picture_only.is_empty() {
        return None;
    }
    step.values.texture(step.strength, &Chain::new(None, None))
}

/// The display that a path renders for. Scene light is rendered for the display that is delivered to. A display source is
/// rendered for the display that it was made for, and the result goes on to the delivery by colorimetry, as it does where
/// no step touches it; but where the delivery has less headroom, it is rendered for that, which is the one way to bring
/// lights down.
pub(super) fn rendered_for(from: &Encoding, to: &Encoding) -> Display {
    match (from.reference, to.reference) {
        (_, Reference::Scene) => Display::sdr(P3_D65),
        (Reference::Display, Reference::Display) if from.display().headroom <= to.display().headroom => {
            from.display()
        }
        _ => to.display(),
    }
}

impl Compiler {
    pub(super) fn matrix(&mut self, m: Mat3) {
        if m != Mat3::IDENTITY {
            self.ops.push(Op::Matrix(m.to_f32()));
        }
    }

    /// Changes the values' state; scene to display goes through a rendering only.
    pub(super) fn go(&mut self, to: State) {
        let p3 = |d: &Display| d.primaries.to(&P3_D65, Default::default());
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
                    let back = self.display.primaries.back_from(&P3_D65, Default::default());
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
    pub(super) fn go_encoded(&mut self, zone: Zone) {
        self.go(if zone == Zone::Screen { State::ScreenCode } else { State::SceneLog });
    }

    /// Bounds scene light, where it is not bounded yet. What lies aside of it is given up.
    pub(super) fn bound(&mut self) {
        if self.light == SceneLight::Free {
            self.go(State::SceneLinear);
            self.ops.push(Op::Bound);
        }
        self.light = SceneLight::Bounded;
    }

    pub(super) fn matte(&mut self, slot: usize, zone: Zone, region: Option<&Region>) {
        if let Some(region) = region {
            self.go_encoded(zone);
            self.ops.push(Op::Matte { slot, kernel: region.colours.kernel(zone) });
        }
    }

    /// To a zone's linear light.
    fn go_linear(&mut self, zone: Zone) {
        self.go(if zone == Zone::Screen { State::ScreenLinear } else { State::SceneLinear });
    }

    /// Ends a point and keeps the picture, with the matte of a region where there is one.
    fn keep(&mut self, slot: Slot, zone: Zone, region: Option<&Region>) {
        self.cut(Signal::Light, Some(slot), Vec::new());
        if let Some(region) = region {
            let coded = Op::Encode(zone_transfer(zone));
            let matte = Op::Matte { slot: OF_GROUP, kernel: region.colours.kernel(zone) };
            let program = program(vec![coded, matte, Op::ShowMatte], Vec::new());
            self.nodes.push(Node::Matte { slot, program });
        }
    }

    /// A step that has a radius or a place, on the zone's light.
    pub(super) fn spatial(&mut self, step: &Step, texture: Texture) {
        if step.zone != Zone::Screen {
            self.bound();
        }
        self.go_linear(step.zone);
        match &step.region {
            None => self.cut(Signal::Light, None, vec![texture]),
            Some(region) => {
                self.keep(Slot::Step, step.zone, Some(region));
                self.nodes.push(Node::Spatial(texture));
                self.nodes.push(Node::Mix(Slot::Step, Mix { strength: 1.0, matted: true, coded: None }));
            }
        }
        self.light = SceneLight::Bounded;
    }

    /// A group with such steps that counts in part.
    pub(super) fn spatial_group(&mut self, path: &Path, group: &Group, zone: Zone, steps: Vec<&Step>) {
        if zone != Zone::Screen {
            self.bound();
        }
        self.go_linear(zone);
        self.keep(Slot::Group, zone, group.region.as_ref());
        self.run(path, steps, true);
        if zone != Zone::Screen {
            self.bound();
        }
        self.go_linear(zone);
        self.cut(Signal::Light, None, Vec::new());
        let (strength, matted) = (group.strength as f32, group.region.is_some());
        self.nodes.push(Node::Mix(Slot::Group, Mix { strength, matted, coded: Some(zone_transfer(zone)) }));
    }

    /// Where steps of a zone work.
    pub(super) fn site(&self, zone: Zone) -> Site {
        Site {
            zone,
            source: self.source,
            headroom: if zone == Zone::Screen { self.display.headroom } else { 1.0 },
        }
    }

    /// The Screen steps. What they push above the peak of an HDR display is rolled off.
    pub(super) fn screen_steps(&mut self, path: &Path) {
        let works = path.steps.iter().any(|s| s.zone == Zone::Screen && path.works(s));
        if !works || !self.display.is_hdr() {
            return self.steps(path, Zone::Screen);
        }
        self.go(State::ScreenLinear);
        self.steps(path, Zone::Screen);
        if self.ends_in.as_ref().is_some_and(|(_, n)| *n == self.ops.len()) {
            return;
        }
        self.go(State::ScreenLinear);
        // The same steps on the neutral scale, from black to the peak.
        let mut flat = Self {
            ops: Vec::new(),
            state: State::ScreenLinear,
            nodes: Vec::new(),
            texture: false,
            begun: None,
            tap: Tap::No,
            apart: Vec::new(),
            ends_in: None,
            ..*self
        };
        flat.steps(path, Zone::Screen);
        flat.go(State::ScreenLinear);
        let ramp = Program { ops: flat.ops, left_out: Vec::new() };
        const POINTS: usize = 256;
        let light = |i: usize| self.display.headroom as f32 * i as f32 / (POINTS - 1) as f32;
        let mut pixels: Vec<[f32; 4]> = (0..POINTS).map(|i| [light(i), light(i), light(i), 1.0]).collect();
        ramp.run(&mut pixels);
        let reach = pixels.iter().flat_map(|p| &p[..3]).fold(0.0_f32, |a, b| a.max(*b));
        self.go(State::Display);
        self.ops.extend(RollOff::new(&self.display, f64::from(reach)).map(Op::RollOff));
    }

    /// Source code values to where the first step finds them. `stays`: on their display.
    pub(super) fn begin(from: &Encoding, to: &Encoding, stays: bool) -> Self {
        Self::begin_by(from, to, from.reference, stays)
    }

    /// The same, with light that is rendered as that of a scene or display source.
    pub(super) fn begin_by(from: &Encoding, to: &Encoding, source: Reference, stays: bool) -> Self {
        let ops = vec![Op::Decode(from.transfer)];
        let display = rendered_for(from, to);
        // Lights of an HDR source that come down to a lesser display are lights of a scene: the pair would clip them.
        let comes_down = from.reference == Reference::Display && display.headroom < from.display().headroom;
        let rendered = if comes_down { Reference::Scene } else { source };
        let mut c =
            Self { light: SceneLight::Free, ..Self::blank(ops, State::SceneLinear, display, rendered) };
        if stays {
            c.state = State::Display;
            c.begun = Some((from.clone(), c.ops.len()));
            return c;
        }
        if from.reference == Reference::Scene {
            c.matrix(from.matrix_to(&AP1));
            c.begun = Some((from.clone(), c.ops.len()));
            return c;
        }
        let (standard, own) = (PlainRendering::default(), from.display());
        match source {
            Reference::Display => {
                c.ops.push(Op::UnrenderPair(Box::new(PairBack::new(Pair::new(&standard, &own)))));
                // The pair makes no light below the bound.
                c.light = SceneLight::Bounded;
            }
            Reference::Scene => {
                c.ops.push(Op::Unrender(Box::new(Unrender::new(standard.kernel(&own)))));
                c.matrix(from.matrix_to(&AP1));
            }
        }
        c
    }

    /// One that has done `ops` and nothing else, on light that is bounded.
    pub(super) fn blank(ops: Vec<Op>, state: State, display: Display, source: Reference) -> Self {
        let (nodes, apart) = (Vec::new(), Vec::new());
        Self {
            ops,
            state,
            display,
            source,
            light: SceneLight::Bounded,
            formulas: false,
            nodes,
            texture: false,
            begun: None,
            tap: Tap::No,
            apart,
            ends_in: None,
        }
    }

    /// The program that all of this makes.
    pub(super) fn done(mut self, mut left_out: Vec<LeftOut>) -> Program {
        left_out.append(&mut self.apart);
        program(self.ops, left_out)
    }

    /// Ends a point here: the picture is kept as it is now, and `textures` run on it.
    pub(super) fn cut(&mut self, gives: Signal, keep: Option<Slot>, textures: Vec<Texture>) {
        let ops = std::mem::take(&mut self.ops);
        if !ops.is_empty() || self.nodes.is_empty() {
            self.nodes.push(Node::Point { program: program(ops, Vec::new()), gives });
        }
        self.nodes.extend(keep.map(Node::Keep));
        self.nodes.extend(textures.into_iter().map(Node::Spatial));
    }

    /// From the display that was rendered for to the one that is delivered to.
    pub(super) fn deliver(&mut self, to: &Encoding) {
        self.go(State::Display);
        let display = to.display();
        if self.display.primaries != display.primaries {
            let m = self.display.primaries.to(&display.primaries, Default::default());
            self.matrix(m);
            self.ops.extend(Refit::between(&self.display, &display).map(Op::Refit));
        }
        self.ops.push(Op::Fit(Cube::of(&display)));
    }
}

/// The transfer of a zone's code values.
fn zone_transfer(zone: Zone) -> Transfer {
    if zone == Zone::Screen { SCREEN_TRANSFER } else { Transfer::AcesCct }
}

/// A program without operations that do nothing.
fn program(mut ops: Vec<Op>, left_out: Vec<LeftOut>) -> Program {
    ops.retain(|op| !matches!(op, Op::Decode(Transfer::Linear) | Op::Encode(Transfer::Linear)));
    Program { ops: tidy(without_unread(ops)), left_out }
}

/// What the bound takes away is laid aside only where it comes back.
fn without_unread(ops: Vec<Op>) -> Vec<Op> {
    let last = ops.iter().rposition(|op| matches!(op, Op::Join)).unwrap_or(0);
    let kept = ops.into_iter().enumerate().filter_map(|(i, op)| match op {
        Op::Part { .. } if i >= last => Some(Op::Bound),
        Op::Copy { .. } | Op::Clear { .. } | Op::MixExcess { .. } if i >= last => None,
        op => Some(op),
    });
    kept.collect()
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
