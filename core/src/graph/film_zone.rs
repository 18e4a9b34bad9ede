//! Compiling the Film zone: the plain rendering, or a negative and a print, with texture between their parts.

use super::compiler::{Compiler, State};
use super::filmed::{self, Filmed};
use super::films::{Film, FilmEnd, Way, Ways};
use super::program::Op;
use super::run::Signal;
use crate::look::Step;
use crate::step::plain::Rendering;
use crate::step::{PlainRendering, Values};
use crate::texture::passes::Slot;

impl Compiler {
    /// The Film zone: to display light in the display's primaries. `texture`: in nodes, with texture between them.
    pub(super) fn film(&mut self, film: &Filmed<'_>, texture: bool) {
        self.bound();
        self.go(State::SceneLinear);
        if texture && film.on_light() {
            self.cut(Signal::Light, None, film.light());
        }
        match &film.rendering {
            filmed::Rendering::Plain(step) => {
                if texture {
                    self.on_plain(film);
                }
                self.render(*step);
            }
            filmed::Rendering::Through(films) => self.through(films, film, texture),
        }
        self.state = State::Display;
    }

    /// Texture where no film is: as if on a straight one.
    pub(super) fn on_plain(&mut self, film: &Filmed<'_>) {
        if film.on_exposure() {
            self.cut(Signal::Light, None, film.exposure());
        }
        if film.on_density() {
            self.ops.push(Op::Straight);
            self.cut(Signal::Density, None, film.density());
            self.ops.push(Op::Unstraight);
        }
    }

    /// The standard rendering of this path's source for this path's display.
    pub(super) fn standard(&self) -> Rendering {
        Rendering::new(&PlainRendering::default(), self.source, &self.display)
    }

    pub(super) fn through(&mut self, films: &filmed::Films, film: &Filmed<'_>, texture: bool) {
        let (on_exposure, on_density) = (texture && film.on_exposure(), texture && film.on_density());
        let standard = self.standard();
        let way = |chain: &_| Way::Whole(Box::new(Film::new(chain, standard, &self.display)));
        let whole = 1.0 - films.others.iter().map(|(share, _)| share).sum::<f64>();
        let mut ways = vec![(whole as f32, way(&films.chain))];
        ways.extend(
            films
                .others
                .iter()
                .map(|(share, chain)| (*share as f32, chain.as_ref().map_or(Way::Plain(standard), way))),
        );
        if !on_exposure && !on_density {
            self.ops.push(Op::Ways(Box::new(Ways::mixed(ways))));
            return;
        }
        let chain = &films.chain;
        let needs_scene =
            !films.others.is_empty() || FilmEnd::new(chain, standard, &self.display).needs_scene();
        if needs_scene {
            self.cut(Signal::Light, Some(Slot::End), Vec::new());
        }
        self.ops.push(Op::Expose(chain.exposing.clone()));
        if on_exposure {
            self.cut(Signal::Light, None, film.exposure());
        }
        self.ops.push(Op::Develop(chain.developing.clone()));
        if on_density {
            self.cut(Signal::Density, None, film.density());
        }
        self.ops.push(Op::Print(Box::new(chain.printing.clone())));
        let film = Film::new(chain, standard, &self.display);
        self.ops.push(Op::Ways(Box::new(Ways::textured(film, ways))));
    }

    pub(super) fn render(&mut self, step: Option<&Step>) {
        let standard = self.standard();
        let own = step.and_then(|s| match &s.values {
            Values::PlainRendering(v) => {
                Some((Rendering::new(v, self.source, &self.display), s.strength as f32))
            }
            _ => None,
        });
        let ways = match own {
            Some((own, strength)) if strength < 1.0 => {
                Ways::mixed(vec![(1.0 - strength, Way::Plain(standard)), (strength, Way::Plain(own))])
            }
            Some((own, _)) => Ways::only(Way::Plain(own)),
            None => Ways::only(Way::Plain(standard)),
        };
        self.ops.push(Op::Ways(Box::new(ways)));
    }
}
