//! Compiling a path to a program, or to a graph with its texture.
//!
//! The compiler follows the domain that values are in and puts in a change of domain only where the next step needs one,
//! so an inactive step costs nothing and changes no bit.

use super::compiler::{Compiler, State, rendered_for, spatial};
use super::filmed::{self, Filmed};
use super::program::{LeftOut, OF_GROUP, Op, Program};
use super::run::{Graph, Signal};
use crate::colour::{
    Display, Encoding, Reference,
    primaries::{AP1, P3_D65},
};
use crate::look::{Path, Step};
use crate::step::{Domain, Values, Zone};
use thiserror::Error;

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

impl Program {
    /// Compiles a checked path from code values of `from` to code values of `to`.
    ///
    /// A display-referred source enters through the inverse of its pair of renderings ([`Pair`]), and leaves through the
    /// pair; where nothing works on the scene it stays on its display, and goes to another one by colorimetry. What
    /// nothing works on and what goes to its own encoding is left bit for bit. A scene-referred output
    /// leaves the rendering or the film out and lists it; active Screen steps are then an error. Where the path has no
    /// active rendering, the standard plain rendering stands in. Steps that files hold as formulas stay formulas there: light
    /// that no scene has is bounded from the first other step on, and before a rendering. Picture-only steps are left out and listed: see
    /// [`Graph::compile`].
    pub fn compile(path: &Path, from: &Encoding, to: &Encoding) -> Result<Self, CompileError> {
        let (c, left_out) = compiled(path, from, to, false, true)?;
        Ok(c.done(left_out))
    }

    /// Compiles the Scene steps before the step `id` from `from` to linear AP1: what that step is given.
    pub fn up_to(path: &Path, id: &str, from: &Encoding) -> Self {
        let mut before = path.before(id);
        before.steps.retain(|s| s.zone == Zone::Scene);
        let linear = Encoding::find("acescg").unwrap_or_else(|| from.clone());
        // A scene-referred output and Scene steps alone compile, but for tables that are not there.
        let made = compiled(&before, from, &linear, false, false).map(|(c, left_out)| c.done(left_out));
        made.unwrap_or(Self { ops: Vec::new(), left_out: Vec::new() })
    }

    /// What the step or group `id` is given, from `from` to its zone's encoded values; `display` has the primaries of
    /// the delivery. `None` where there is no such step.
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
        let mut c = Compiler::begin(from, display, false);
        c.look_ahead(&before);
        c.steps(&before, Zone::Scene);
        match zone {
            Zone::Scene => {}
            // The film as a whole is given the scene.
            Zone::Film => {}
            Zone::Screen => {
                c.film(&Filmed::of(&before), false);
                c.steps(&before, Zone::Screen);
            }
        }
        if zone != Zone::Screen {
            c.bound();
        }
        c.go_encoded(zone);
        Some((c, zone))
    }

    /// The same program without the gamut fit at its end: what a display with no limits would be given.
    pub fn unfitted(&self) -> Self {
        let ops = self
            .ops
            .iter()
            .filter(|op| !matches!(op, Op::Fit(_) | Op::Held | Op::Refit(_) | Op::RollOff(_)))
            .cloned()
            .collect();
        Self { ops, left_out: self.left_out.clone() }
    }

    /// The Scene steps of a path from `from` to linear AP1: the light that a rendering is given.
    pub fn scene(path: &Path, from: &Encoding) -> Self {
        Self::up_to(path, "", from)
    }

    /// One step alone on its zone's encoded values (ACEScct or 2.4-power P3), for fingerprints. A rendering
    /// or a film goes from ACEScct to 2.4-power P3; a picture-only step changes nothing.
    pub fn of_step(step: &Step) -> Self {
        let state = if step.zone == Zone::Screen { State::ScreenCode } else { State::SceneLog };
        let display = Display::sdr(P3_D65);
        let mut c = Compiler::blank(Vec::new(), state, display, Reference::Scene);
        let end = if step.renders() { State::ScreenCode } else { state };
        match step.zone {
            Zone::Film if step.renders() => c.film(&Filmed::of(&Path::of(vec![step.clone()])), false),
            Zone::Film => {}
            _ => c.step(step),
        }
        c.go(end);
        Self { ops: c.ops, left_out: Vec::new() }
    }

    /// The way between two encodings without any step, for light that is rendered as that of a scene or display source:
    /// what a table inside of a path is read through. Displays of different peaks meet through their scene light, so that
    /// the way back leads back.
    pub fn between(from: &Encoding, to: &Encoding, source: Reference) -> Self {
        if from.same_codes(to) && from.peak == to.peak {
            return Self { ops: Vec::new(), left_out: Vec::new() };
        }
        let displays = from.reference == Reference::Display && to.reference == Reference::Display;
        let stays = displays && from.display().headroom == to.display().headroom;
        let mut c = Compiler::begin_by(from, to, if displays { Reference::Display } else { source }, stays);
        if to.reference == Reference::Display {
            if !stays {
                (c.display, c.source) = (to.display(), if displays { Reference::Display } else { source });
                c.bound();
                c.render(None);
                c.state = State::Display;
            }
            c.deliver(to);
        } else {
            c.matrix(to.matrix_from(&AP1));
        }
        c.ops.push(Op::Encode(to.transfer));
        c.done(Vec::new())
    }
}

/// Compiles a path, as nodes with its texture or as a whole without.
fn compiled(
    path: &Path,
    from: &Encoding,
    to: &Encoding,
    texture: bool,
    formulas: bool,
) -> Result<(Compiler, Vec<LeftOut>), CompileError> {
    let active = |zone: Zone| {
        let works = path.steps.iter().filter(move |s| s.zone == zone && path.works(s));
        works.filter(move |s| texture || spatial(s).is_none())
    };
    all_tables_there(active(Zone::Scene).chain(active(Zone::Screen)))?;
    let film = Filmed::of(path);
    let mut left_out = Vec::new();
    if to.reference == Reference::Scene {
        if let Some(step) = active(Zone::Screen).next() {
            return Err(CompileError::NeedsDisplay { step: step.name.clone(), to: to.id.clone() });
        }
        left_out.extend(active(Zone::Film).filter(|s| s.renders()).map(|s| LeftOut {
            step: s.name.clone(),
            why: format!("{} is scene-referred: whoever receives it renders it", to.id),
        }));
    }
    if !texture {
        let in_film = active(Zone::Film).filter(|s| !s.renders());
        let elsewhere = path.steps.iter().filter(|s| path.works(s) && spatial(s).is_some());
        left_out.extend(elsewhere.chain(in_film).map(|s| LeftOut {
            step: s.name.clone(),
            why: format!("picture only: {}", s.values.info().picture_only),
        }));
    }

    // A display picture that nothing touches in the scene would be unrendered and rendered the same way:
    // it stays on the display, to the last bit.
    let to_display = to.reference == Reference::Display;
    let stays = from.reference == Reference::Display
        && to_display
        && rendered_for(from, to) == from.display()
        && film.is_standard()
        && (!texture || !film.has_texture())
        && active(Zone::Scene).next().is_none();
    let still = active(Zone::Scene).chain(active(Zone::Screen)).next().is_none();
    let lit = texture && film.on_light();
    let same = from.same_codes(to) && if to_display { stays } else { !lit };
    let mut c = Compiler::begin(from, to, stays);
    c.texture = texture;
    c.formulas = formulas && !to_display;
    if still && same {
        c.ops.clear();
        return Ok((c, left_out));
    }
    c.look_ahead(path);
    c.steps(path, Zone::Scene);
    if to_display {
        if !stays {
            c.film(&film, texture);
        }
        c.screen_steps(path);
        if c.ends_in(to) {
            c.ops.push(Op::Held);
            return Ok((c, left_out));
        }
        c.deliver(to);
    } else if !lit && c.ends_in(to) {
        return Ok((c, left_out));
    } else {
        if lit {
            c.bound();
        }
        c.as_it_came();
        c.go(State::SceneLinear);
        if lit {
            c.cut(Signal::Light, None, film.light());
        }
        c.matrix(to.matrix_from(&AP1));
    }
    c.ops.push(Op::Encode(to.transfer));
    Ok((c, left_out))
}

impl Graph {
    /// Compiles a checked path with its texture. To a scene-referred output, only what lies before the film is put on;
    /// what is not is listed.
    pub fn compile(path: &Path, from: &Encoding, to: &Encoding) -> Result<Self, CompileError> {
        let (mut c, mut left_out) = compiled(path, from, to, true, true)?;
        if to.reference == Reference::Scene {
            let late = path.steps.iter().filter(|s| s.zone == Zone::Film && s.active() && !s.renders());
            let late = late.filter(|s| s.values.domain() != Domain::Linear);
            left_out.extend(late.map(|s| LeftOut {
                step: s.name.clone(),
                why: format!("{} is scene-referred: there is no film yet", to.id),
            }));
        }
        let nodes = std::mem::take(&mut c.nodes);
        Ok(Self { nodes, last: c.done(left_out), gauge: filmed::gauge(path) })
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
