//! What a path's Film zone holds, put together.

use super::{Path, Step};
use crate::film::Chain;
use crate::step::{Values, Zone};
use crate::texture::Texture;

/// How scene light becomes display light.
#[derive(Debug)]
pub enum Rendering<'a> {
    /// By the plain rendering of this step, or by the standard one.
    Plain(Option<&'a Step>),
    /// Through a film.
    Through(Box<Chain>),
}

/// A path's Film zone: the rendering or the film, and its texture.
#[derive(Debug)]
pub struct Filmed<'a> {
    /// The way to the display.
    pub rendering: Rendering<'a>,
    texture: Vec<&'a Step>,
}

/// Frame width where no negative says one: a full frame of 35 mm film (common practice).
const USUAL_GAUGE: f64 = 24.9;

/// Width of the frame on a path's film in millimetres.
pub fn gauge(path: &Path) -> f64 {
    let negative = path.steps.iter().find_map(|s| match &s.values {
        Values::Negative(v) if s.on => Some(v.gauge),
        _ => None,
    });
    negative.unwrap_or(USUAL_GAUGE)
}

impl Step {
    /// Whether it brings scene light to the display, alone or with others, in place of adding texture.
    pub fn renders(&self) -> bool {
        self.zone == Zone::Film && self.values.info().picture_only.is_empty()
    }
}

impl<'a> Filmed<'a> {
    /// The Film zone of a path. A negative or print that is switched on counts down to strength 0, where it changes the
    /// plain film or rendering by nothing, so that strengths have no jump at their ends.
    pub fn of(path: &'a Path) -> Self {
        let steps = || path.steps.iter().filter(|s| s.zone == Zone::Film && s.on);
        let negative = steps().find_map(|s| match &s.values {
            Values::Negative(v) => Some((v, s.strength)),
            _ => None,
        });
        let print = steps().find_map(|s| match &s.values {
            Values::Print(v) => Some((v, s.strength)),
            _ => None,
        });
        let plain = steps().find(|s| s.strength > 0.0 && matches!(s.values, Values::PlainRendering(_)));
        let rendering = match (negative, print) {
            (None, None) => Rendering::Plain(plain),
            (negative, print) => Rendering::Through(Box::new(Chain::new(negative, print))),
        };
        let texture = steps().filter(|s| s.strength > 0.0 && !s.renders()).collect();
        Self { rendering, texture }
    }

    /// Whether display light is what the standard plain rendering makes.
    pub fn is_standard(&self) -> bool {
        let Rendering::Plain(step) = &self.rendering else { return false };
        step.is_none_or(|s| s.values == Values::PlainRendering(Default::default()))
    }

    /// Whether there is any texture.
    pub fn has_texture(&self) -> bool {
        !self.texture.is_empty()
    }

    /// What texture stands on: its film, or the straight one with the main stock's texture.
    fn with_chain<T>(&self, make: impl Fn(&Chain) -> T) -> T {
        match &self.rendering {
            Rendering::Through(chain) => make(chain),
            Rendering::Plain(_) => make(&Chain::new(None, None)),
        }
    }

    fn any(&self, of: impl Fn(&Values) -> bool) -> bool {
        self.texture.iter().any(|s| of(&s.values))
    }

    /// Whether anything happens to scene light.
    pub fn on_light(&self) -> bool {
        self.any(|v| matches!(v, Values::Bloom(_) | Values::Vignette(_)))
    }

    /// Whether anything happens to exposures.
    pub fn on_exposure(&self) -> bool {
        self.any(|v| matches!(v, Values::Halation(_) | Values::Softness(_)))
    }

    /// Whether anything happens to densities.
    pub fn on_density(&self) -> bool {
        self.any(|v| matches!(v, Values::Grain(_) | Values::Flicker(_) | Values::GateWeave(_)))
    }

    /// Texture on scene light, in order.
    pub fn light(&self) -> Vec<Texture> {
        let made = self.texture.iter().filter_map(|s| match &s.values {
            Values::Bloom(v) => Some(Texture::Bloom(v.kernel(s.strength))),
            Values::Vignette(v) => Some(Texture::Vignette(v.kernel(s.strength))),
            _ => None,
        });
        made.collect()
    }

    /// Texture on the layers' exposures, in order.
    pub fn exposure(&self) -> Vec<Texture> {
        self.with_chain(|chain| {
            let made = self.texture.iter().filter_map(|s| match &s.values {
                Values::Halation(v) => Some(Texture::Halation(v.kernel(s.strength, &chain.stock.halation))),
                Values::Softness(v) => Some(Texture::Softness(v.kernel(s.strength, &chain.stock))),
                _ => None,
            });
            made.collect()
        })
    }

    /// Texture on densities, in order.
    pub fn density(&self) -> Vec<Texture> {
        self.with_chain(|chain| {
            let made = self.texture.iter().filter_map(|s| match &s.values {
                Values::Grain(v) => Some(Texture::Grain(v.kernel(s.strength, chain))),
                Values::Flicker(v) => Some(Texture::Flicker(v.kernel(s.strength))),
                Values::GateWeave(v) => Some(Texture::GateWeave(v.kernel(s.strength))),
                _ => None,
            });
            made.collect()
        })
    }
}
