//! Compiling remainders: the tables that they make with the steps that they cover, put on in their place.

use super::compiler::{Compiler, SceneLight, State, Tap, spatial};
use super::program::{LeftOut, OF_SCENE, Op, Program};
use super::remainder;
use super::tables;
use crate::colour::Encoding;
use crate::look::{Path, Step};
use crate::step::{Tables, Values, Zone};
use crate::table::Table;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// Why a remainder is not put on.
const APART: &str =
    "texture lies between the steps that it completes, and the table that they were taken from had none";

impl Compiler {
    /// Sees whether the path has a remainder that spans the film.
    pub(super) fn look_ahead(&mut self, path: &Path) {
        let spans = path.steps.iter().find(|s| path.works(s) && remainder::spans_film(s));
        let Some([from, _]) = spans.and_then(remainder::encodings) else { return };
        self.tap = Tap::Wanted;
        let trimmed = path.steps.iter().any(|s| path.works(s) && path.is_trim(s));
        if !trimmed && self.begun.as_ref().is_some_and(|(source, _)| source.same_codes(&from)) {
            self.ops.insert(0, Op::Save { slot: OF_SCENE });
            self.tap = Tap::Laid { at: 0, nodes: 0, own: true };
        }
    }

    /// Lays the scene aside where it is wanted.
    pub(super) fn lay_scene_aside(&mut self) {
        if self.tap == Tap::Wanted {
            self.go(State::SceneLog);
            self.tap = Tap::Laid { at: self.ops.len(), nodes: self.nodes.len(), own: false };
            self.ops.push(Op::Save { slot: OF_SCENE });
        }
    }

    /// Working steps next to each other. A remainder takes the place of those that it covers; `shared`: what was before them
    /// is still needed.
    pub(super) fn run(&mut self, path: &Path, steps: Vec<&Step>, shared: bool) {
        let at = steps.iter().rposition(|s| remainder::encodings(s).is_some());
        let Some(at) = at else { return steps.into_iter().for_each(|s| self.step(s)) };
        let rest = steps[at];
        let covers = |s: &&&Step| !remainder::spans_film(rest) && spatial(s).is_some();
        let textured = self.texture && steps[..at].iter().any(|s| covers(&s));
        if textured || !self.complete(path, rest, shared) {
            steps[..at].iter().for_each(|s| self.step(s));
            self.apart.push(LeftOut { step: rest.name.clone(), why: APART.into() });
        }
        steps[at + 1..].iter().for_each(|s| self.step(s));
    }

    /// Puts on the table that a remainder makes with the steps that it covers. `false` where that cannot be.
    fn complete(&mut self, path: &Path, rest: &Step, shared: bool) -> bool {
        let Some(way) = remainder::encodings(rest) else { return false };
        let spans = remainder::spans_film(rest);
        let laid = match self.tap {
            Tap::Laid { at, nodes, own } if nodes == self.nodes.len() => Some((at, own)),
            _ => None,
        };
        if spans && laid.is_none() {
            return false;
        }
        let Some(table) = whole(path, rest, &way) else { return false };
        let site = self.site(rest.zone);
        let before = if spans { self.site(Zone::Scene) } else { site };
        let mut kernel = tables::TableKernel::of_whole(table, &way, [before, site]);
        match laid.filter(|_| spans) {
            Some((at, own)) => {
                if own {
                    kernel.begin_in_codes();
                }
                if shared {
                    self.ops.push(Op::Restore { slot: OF_SCENE });
                } else {
                    // The scene is still there, and stays for another.
                    self.ops.truncate(at + 1);
                }
            }
            None => {
                let untouched = self.nodes.is_empty()
                    && self.begun.as_ref().is_some_and(|(source, n)| {
                        *n == self.ops.len() && source.same_codes(&way[0]) && source.peak == way[0].peak
                    });
                if untouched {
                    self.ops.clear();
                    kernel.begin_in_codes();
                } else {
                    self.go_encoded(rest.zone);
                }
            }
        }
        self.state = if rest.zone == Zone::Screen { State::ScreenCode } else { State::SceneLog };
        if rest.zone != Zone::Screen {
            self.light = SceneLight::Free;
        }
        self.ops.push(Op::Tables { kernel: Box::new(kernel), strength: 1.0 });
        self.ends_in = Some((way[1].clone(), self.ops.len()));
        true
    }

    /// Whether a remainder ends it in code values of `to`: then they are given as they are.
    pub(super) fn ends_in(&mut self, to: &Encoding) -> bool {
        let ends = self.ends_in.as_ref();
        if !ends.is_some_and(|(e, n)| *n == self.ops.len() && e.same_codes(to) && e.peak == to.peak) {
            return false;
        }
        if let Some(Op::Tables { kernel, .. }) = self.ops.last_mut() {
            kernel.end_in_codes();
        }
        true
    }
}

/// A table that was made: the remainder's hash, its share, the steps, and the table.
type Made = (String, f64, Program, Arc<Table>);

/// The last ones: each request compiles a path several times, and all but the first find theirs here.
static MADE: Mutex<VecDeque<Made>> = Mutex::new(VecDeque::new());
/// So many are kept: a 65-point table takes 4.4 MB.
const MOST_MADE: usize = 6;

/// The table that a remainder makes with the steps that it covers.
fn whole(path: &Path, rest: &Step, way: &[Encoding; 2]) -> Option<Arc<Table>> {
    let Values::Table(Tables { tables, .. }) = &rest.values else { return None };
    let used = tables.first()?;
    let steps = Program::compile(&remainder::covered(path, rest), &way[0], &way[1]).ok()?;
    let share = rest.strength * used.strength;
    let known = |m: &&Made| m.0 == used.table && m.1 == share && m.2 == steps;
    let lock = || MADE.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some((.., table)) = lock().iter().find(known) {
        return Some(table.clone());
    }
    let table = Arc::new(remainder::whole(used.data.as_ref()?, &steps, share as f32).ok()?);
    let mut made = lock();
    made.push_front((used.table.clone(), share, steps, table.clone()));
    made.truncate(MOST_MADE);
    Some(table)
}
