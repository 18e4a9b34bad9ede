//! What a path's Film zone holds, put together.

use crate::film::Chain;
use crate::look::{Path, Step};
use crate::step::{Domain, Negative, Print, Values, Zone};
use crate::texture::Texture;

/// How scene light becomes display light.
#[derive(Debug)]
pub enum Rendering<'a> {
    /// By the plain rendering of this step, or by the standard one.
    Plain(Option<&'a Step>),
    /// Through films, by their strengths.
    Through(Box<Films>),
}

/// The films of a path.
#[derive(Debug)]
pub struct Films {
    /// The negative and the print, as far as there are any, in full.
    pub chain: Chain,
    /// What else the picture is mixed from where a strength is below one: shares of each, and its film; the plain rendering
    /// where there is none. The chain's own share is what these leave of one.
    pub others: Vec<(f64, Option<Chain>)>,
}

impl Films {
    /// Films of a negative and a print with the strengths of their steps, above 0.
    fn new(negative: Option<(&Negative, f64)>, print: Option<(&Print, f64)>) -> Self {
        let (n, q) = (negative.map(|v| v.0), print.map(|v| v.0));
        let strength = |of: Option<f64>| of.unwrap_or(0.0);
        let (by_n, by_q) = (strength(negative.map(|v| v.1)), strength(print.map(|v| v.1)));
        let none = (1.0 - by_n) * (1.0 - by_q);
        let parts =
            [(none, None), (by_n * (1.0 - by_q), Some((n, None))), ((1.0 - by_n) * by_q, Some((None, q)))];
        let whole = |films: &Option<(Option<&Negative>, Option<&Print>)>| *films == Some((n, q));
        let others = parts.into_iter().filter(|(share, films)| *share > 0.0 && !whole(films));
        Self {
            chain: Chain::new(n, q),
            others: others.map(|(share, films)| (share, films.map(|(n, q)| Chain::new(n, q)))).collect(),
        }
    }
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

impl<'a> Filmed<'a> {
    /// The Film zone of a path.
    pub fn of(path: &'a Path) -> Self {
        let steps = || path.steps.iter().filter(|s| s.zone == Zone::Film && s.active());
        let negative = steps().find_map(|s| match &s.values {
            Values::Negative(v) => Some((v, s.strength)),
            _ => None,
        });
        let print = steps().find_map(|s| match &s.values {
            Values::Print(v) => Some((v, s.strength)),
            _ => None,
        });
        let plain = steps().find(|s| matches!(s.values, Values::PlainRendering(_)));
        let rendering = match (negative, print) {
            (None, None) => Rendering::Plain(plain),
            (negative, print) => Rendering::Through(Box::new(Films::new(negative, print))),
        };
        let texture = steps().filter(|s| !s.renders()).collect();
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
            Rendering::Through(films) => make(&films.chain),
            Rendering::Plain(_) => make(&Chain::new(None, None)),
        }
    }

    fn any(&self, domains: &[Domain]) -> bool {
        self.texture.iter().any(|s| domains.contains(&s.values.domain()))
    }

    /// Whether anything happens to scene light.
    pub fn on_light(&self) -> bool {
        self.any(&[Domain::Linear])
    }

    /// Whether anything happens to exposures.
    pub fn on_exposure(&self) -> bool {
        self.any(&[Domain::Exposure])
    }

    /// Whether anything happens to densities.
    pub fn on_density(&self) -> bool {
        self.any(&[Domain::Density])
    }

    /// Texture on scene light, in order.
    pub fn light(&self) -> Vec<Texture> {
        self.put_on(Domain::Linear)
    }

    /// Texture on the layers' exposures, in order.
    pub fn exposure(&self) -> Vec<Texture> {
        self.put_on(Domain::Exposure)
    }

    /// Texture on densities, in order.
    pub fn density(&self) -> Vec<Texture> {
        self.put_on(Domain::Density)
    }

    fn put_on(&self, domain: Domain) -> Vec<Texture> {
        let own = || self.texture.iter().filter(|s| s.values.domain() == domain);
        self.with_chain(|chain| own().filter_map(|s| s.values.texture(s.strength, chain)).collect())
    }
}
