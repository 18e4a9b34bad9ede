//! Compiling steps and groups that count in full, in part, or inside a region.
//!
//! Between the light before a step and the light after it the result goes in the zone's encoded values, as people see
//! it: in light, a thousandth of a lamp would outshine the black that a step makes of it. A matrix alone is blended in light, since it stays
//! a matrix so (see [`eased`]). Scene light that no surface has is far below zero in ACEScct, where a thousandth of it would outweigh everything else: so what is blended is
//! bounded light, before and after, and what the bound took away of either is blended beside it in linear light. It comes
//! back where light is wanted as it came, and is given up where it is bounded anyhow. So nothing jumps where a strength or
//! a region's edge comes near 0 or 1.

use super::compiler::{Compiler, SceneLight, State, Work, spatial};
use super::program::{EXCESS, EXCESS_AFTER_STEP, EXCESS_BEFORE_GROUP, OF_GROUP, OF_STEP, Op};
use crate::look::{Group, Path, Step};
use crate::step::{Domain, Zone};

impl Compiler {
    /// Bounds scene light, where it is not bounded yet, and lays aside what the bound takes away.
    fn part(&mut self, slot: usize) {
        self.go(State::SceneLinear);
        self.ops.push(Op::Part { slot });
    }

    fn part_free_light(&mut self) {
        if self.light == SceneLight::Free {
            self.part(EXCESS);
            self.light = SceneLight::Parted;
        }
    }

    /// Joins scene light with what the bound took away.
    pub(super) fn as_it_came(&mut self) {
        if self.light == SceneLight::Parted {
            self.go(State::SceneLinear);
            self.ops.push(Op::Join);
            self.light = SceneLight::Free;
        }
    }

    /// A step.
    pub(super) fn step(&mut self, step: &Step) {
        if let Some(texture) = spatial(step) {
            if self.texture {
                self.spatial(step, texture);
            }
            return;
        }
        let Some(work) = Work::of(&step.values, self.site(step.zone)) else { return };
        let in_full = step.region.is_none() && step.strength >= 1.0;
        match step.zone {
            Zone::Screen => self.screen_step(step, work),
            _ if in_full => self.full_step(step, work),
            _ => self.partial_step(step, work),
        }
    }

    fn screen_step(&mut self, step: &Step, work: Work) {
        let linear = step.values.domain() == Domain::Linear;
        let state = if linear { State::ScreenLinear } else { State::ScreenCode };
        let (strength, matted) = (step.strength as f32, step.region.is_some());
        if !matted && (!linear || strength >= 1.0 || work.is_matrix()) {
            self.go(state);
            let strength = if linear { eased(strength) } else { strength };
            return self.ops.push(work.at(strength));
        }
        self.matte(OF_STEP, Zone::Screen, step.region.as_ref());
        self.go(State::ScreenCode);
        self.ops.push(Op::Save { slot: OF_STEP });
        self.go(state);
        self.ops.push(work.at(1.0));
        self.go(State::ScreenCode);
        self.ops.push(Op::Mix { slot: OF_STEP, strength, matted });
    }

    /// Whether a step gets scene light as it came: what is made for it; and what files hold as formulas, where they stay such
    /// (channels by themselves and matrices throw no colour about).
    fn gets_free_light(&self, work: &Work) -> bool {
        work.wants_free_light() || (self.formulas && work.is_formula(1.0))
    }

    /// A step on scene light, in full.
    fn full_step(&mut self, step: &Step, work: Work) {
        let free = self.gets_free_light(&work);
        if free {
            self.as_it_came();
        } else {
            self.bound();
        }
        self.go(scene_state(step));
        self.ops.push(work.at(1.0));
        if step.values.domain() == Domain::Linear {
            self.light = SceneLight::Free;
        }
    }

    /// A step on scene light that counts in part or inside a region.
    fn partial_step(&mut self, step: &Step, work: Work) {
        let free = self.gets_free_light(&work);
        let matted = step.region.is_some();
        let encoded = step.values.domain() == Domain::Encoded;
        let matrix = !encoded && !matted && work.is_matrix();
        let strength = if matrix { eased(step.strength as f32) } else { step.strength as f32 };
        let state = scene_state(step);
        let blended_in = if matrix { State::SceneLinear } else { State::SceneLog };
        // Channels by themselves are blended in codes, matrices in light: formulas stay formulas.
        let formula = (encoded || matrix) && self.formulas && work.is_formula(strength);
        if formula && !matted && self.light != SceneLight::Parted {
            self.go(state);
            if !encoded {
                self.light = SceneLight::Free;
            }
            return self.ops.push(work.at(strength));
        }
        self.part_free_light();
        let parted = self.light == SceneLight::Parted;
        self.matte(OF_STEP, step.zone, step.region.as_ref());
        self.go(blended_in);
        self.ops.push(Op::Save { slot: OF_STEP });
        if free && parted {
            self.go(State::SceneLinear);
            self.ops.push(Op::Join);
        }
        self.go(state);
        self.ops.push(work.at(1.0));
        let frees = !encoded || (free && parted);
        if frees {
            self.part(EXCESS_AFTER_STEP);
        }
        self.go(blended_in);
        self.ops.push(Op::Mix { slot: OF_STEP, strength, matted });
        self.mix_excess([(parted, EXCESS), (frees, EXCESS_AFTER_STEP)], OF_STEP, strength, matted);
    }

    /// Blends what the bound took before with what it took after, each in its slot where there is any.
    fn mix_excess(&mut self, sides: [(bool, usize); 2], by: usize, strength: f32, matted: bool) {
        if sides.iter().all(|(held, _)| !held) {
            return;
        }
        self.ops.extend(sides.iter().filter(|(held, _)| !held).map(|(_, slot)| Op::Clear { slot: *slot }));
        let [(_, before), (_, after)] = sides;
        self.ops.push(Op::MixExcess { before, after, by, strength, matted });
        self.light = SceneLight::Parted;
    }

    /// The steps of a zone that work, those of a group blended together.
    pub(super) fn steps(&mut self, path: &Path, zone: Zone) {
        for (group, steps) in path.runs(zone) {
            if zone == Zone::Scene && !steps.iter().all(|s| path.is_trim(s)) {
                self.lay_scene_aside();
            }
            let shared = group.filter(|g| g.strength < 1.0 || g.region.is_some());
            let Some(group) = shared else {
                self.run(path, steps, false);
                continue;
            };
            if self.texture && steps.iter().any(|s| spatial(s).is_some()) {
                self.spatial_group(path, group, zone, steps);
            } else {
                self.partial_group(path, group, zone, steps);
            }
        }
        if zone == Zone::Scene {
            self.lay_scene_aside();
        }
    }

    /// A group that counts in part or inside a region.
    fn partial_group(&mut self, path: &Path, group: &Group, zone: Zone, steps: Vec<&Step>) {
        let scene = zone != Zone::Screen;
        if scene {
            self.part_free_light();
        }
        let before = self.light == SceneLight::Parted;
        self.go_encoded(zone);
        self.ops.push(Op::Save { slot: OF_GROUP });
        if before {
            self.ops.push(Op::Copy { from: EXCESS, to: EXCESS_BEFORE_GROUP });
        }
        self.matte(OF_GROUP, zone, group.region.as_ref());
        self.run(path, steps, true);
        if scene {
            self.part_free_light();
        }
        self.go_encoded(zone);
        let (strength, matted) = (group.strength as f32, group.region.is_some());
        self.ops.push(Op::Mix { slot: OF_GROUP, strength, matted });
        let after = self.light == SceneLight::Parted;
        if scene {
            self.mix_excess([(before, EXCESS_BEFORE_GROUP), (after, EXCESS)], OF_GROUP, strength, matted);
        }
    }
}

fn scene_state(step: &Step) -> State {
    if step.values.domain() == Domain::Linear { State::SceneLinear } else { State::SceneLog }
}

/// Share of the strengths at both ends within which [`eased`] sets in.
const EASE: f32 = 0.04;

/// How much of a matrix counts at a strength. It is blended in light, so that it stays a matrix; but a thousandth of a lamp outshines
/// the black that a monochrome makes of it. So shares come in and out with a slope of 0, and go straight between.
fn eased(strength: f32) -> f32 {
    let per = 1.0 / (1.0 - EASE);
    let from_end = |s: f32| if s < EASE { 0.5 * s * s / EASE } else { s - 0.5 * EASE };
    if strength < 0.5 { per * from_end(strength) } else { 1.0 - per * from_end(1.0 - strength) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shares_of_a_matrix_rise_from_none_to_all_and_are_half_at_half() {
        let all: Vec<f32> = (0..=1000).map(|i| eased(i as f32 * 1e-3)).collect();
        assert_eq!([all[0], all[500], all[1000]], [0.0, 0.5, 1.0]);
        assert!(all.windows(2).all(|w| w[1] > w[0] && w[1] - w[0] < 1.1e-3), "{all:?}");
        assert!(all[1] < 2e-5 && all[999] > 1.0 - 2e-5);
    }
}
