//! Films on their way to a display: whole ones, and those that are taken on in part.

use crate::colour::fit::{self, Cube};
use crate::colour::{Display, matrix::Mat3f};
use crate::film::Chain;
use crate::film::develop::Developing;
use crate::film::expose::Exposing;
use crate::film::print::Printing;
use crate::film::strengths::Strengths;
use crate::lane::{N, Planes, exp2, log2};
use crate::look::program::{SCREEN_TRANSFER, blend};
use crate::step::plain::{self, Rendering, tone::ToneCurve};
use crate::step::{ColourCompress, PlainRendering, colour_compress};

/// Threshold and limit of what brings a film's colours into a display: the shape of the ACES reference gamut compression.
const GATHER: [f64; 2] = [0.85, 1.35];

/// A film from linear AP1 to light of a display.
#[derive(Clone, Debug, PartialEq)]
pub struct Film {
    expose: Exposing,
    develop: Developing,
    print: Printing,
    end: FilmEnd,
}

/// From a film's light in AP1, as the projector shows it, to light of a display.
#[derive(Clone, Debug, PartialEq)]
pub struct FilmEnd {
    /// Where its tones or colours are not taken in full, and what stands for those left.
    taken: Option<Taken>,
    /// Lights above paper white on a display with headroom.
    lights: Option<Lights>,
    to_display: Mat3f,
    compress: colour_compress::Kernel,
    cube: Cube,
}

/// A film's tones and colours as far as they are taken on.
#[derive(Clone, Debug, PartialEq)]
struct Taken {
    strengths: Strengths,
    plain: Rendering,
    from_display: Mat3f,
}

/// Lights above paper white: film light is multiplied by what the plain rendering's highlights are, by a power.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Lights {
    curve: ToneCurve,
    share: f32,
}

impl FilmEnd {
    /// The end of a chain on a display; `plain` is the rendering that stands for tones and colours that are not taken.
    pub fn new(chain: &Chain, plain: Rendering, display: &Display) -> Self {
        let to_display = plain::to_display(display);
        let from_display = to_display.inverse().unwrap_or(crate::colour::Mat3::IDENTITY).to_f32();
        let lights = (display.is_hdr() && chain.lights > 0.0).then(|| Lights {
            curve: ToneCurve::new(&PlainRendering::default(), display.headroom),
            share: chain.lights as f32,
        });
        Self {
            taken: chain.strengths.clone().map(|strengths| Taken { strengths, plain, from_display }),
            lights,
            to_display: to_display.to_f32(),
            compress: ColourCompress::even(GATHER[0], GATHER[1]).kernel(),
            cube: Cube::of(display),
        }
    }

    /// Whether it needs the scene light before the film.
    pub fn needs_scene(&self) -> bool {
        self.taken.is_some() || self.lights.is_some()
    }

    /// A film's light to the display. `scene` is the light before the film; `bare` its film without texture, where texture
    /// was put on inside of it.
    #[inline(always)]
    fn run(&self, film: &mut Planes, scene: &Planes, bare: Option<&Planes>) {
        if let Some(taken) = &self.taken {
            let mut plain = *scene;
            taken.plain.run(&mut plain);
            taken.from_display.run(&mut plain);
            taken.strengths.run(film, scene, &plain, bare);
        }
        if let Some(lights) = &self.lights {
            lights.run(film, scene);
        }
        self.to_display.run(film);
        self.compress.run(film);
        fit::pull_in(self.cube, film);
    }
}

impl Lights {
    #[inline(always)]
    fn run(&self, film: &mut Planes, scene: &Planes) {
        for i in 0..N {
            let most = scene[0][i].max(scene[1][i]).max(scene[2][i]);
            let gain = exp2(self.share * log2(self.curve.highlight_gain(most)));
            film.iter_mut().for_each(|plane| plane[i] *= gain);
        }
    }
}

impl Film {
    /// The whole film of a chain.
    pub fn new(chain: &Chain, plain: Rendering, display: &Display) -> Self {
        Self {
            expose: chain.exposing.clone(),
            develop: chain.developing.clone(),
            print: chain.printing.clone(),
            end: FilmEnd::new(chain, plain, display),
        }
    }

    /// Linear AP1 to the light that the projector shows, in AP1.
    #[inline(always)]
    fn projected(&self, planes: &mut Planes) {
        self.expose.run(planes);
        self.develop.run(planes);
        self.print.run(planes);
    }

    #[inline(always)]
    fn run(&self, planes: &mut Planes) {
        let scene = *planes;
        self.projected(planes);
        self.end.run(planes, &scene, None);
    }
}

/// One way from scene light to the display.
#[derive(Clone, Debug, PartialEq)]
pub enum Way {
    /// The plain rendering.
    Plain(Rendering),
    /// A film.
    Film(Box<Film>),
}

impl Way {
    #[inline(always)]
    fn run(&self, planes: &mut Planes) {
        match self {
            Self::Plain(rendering) => rendering.run(planes),
            Self::Film(film) => film.run(planes),
        }
    }
}

/// Films by their strengths: the finished pictures of each way, mixed as code values of the display (a 2.4 power) by
/// shares that add up to one. With a negative by n and a print by q these are (1-n)(1-q) of the plain rendering, n(1-q)
/// of the negative alone, (1-n)q of the print alone and nq of both.
///
/// Each way gives what it gives by itself, so that a strength of 0 is that film switched off, and nothing jumps on the way
/// there; tone and colour strengths stay inside of their film.
#[derive(Clone, Debug, PartialEq)]
pub struct Films {
    /// Shares and ways; shares add up to one.
    pub ways: Vec<(f32, Way)>,
}

impl Films {
    /// Scene light to the display.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        if let [(_, only)] = self.ways.as_slice() {
            return only.run(planes);
        }
        self.coded(planes);
        SCREEN_TRANSFER.decode(planes);
    }

    /// Scene light to code values of the mixture.
    #[inline(always)]
    fn coded(&self, planes: &mut Planes) {
        let scene = *planes;
        *planes = [[0.0; N]; 3];
        for (share, way) in &self.ways {
            let mut light = scene;
            way.run(&mut light);
            SCREEN_TRANSFER.encode(&mut light);
            for (sum, plane) in planes.iter_mut().zip(&light) {
                for i in 0..N {
                    sum[i] += share * plane[i];
                }
            }
        }
    }
}

/// The end of films with texture inside: what texture changed in the picture of the whole film counts in full, however far
/// the film itself is taken on.
#[derive(Clone, Debug, PartialEq)]
pub struct TexturedFilms {
    /// The film that carries the texture.
    pub film: Film,
    /// All ways.
    pub films: Films,
}

impl TexturedFilms {
    /// The light of a film with texture, as the projector shows it, to the display.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes, scene: &Planes) {
        let end = &self.film.end;
        if let [_] = self.films.ways.as_slice() {
            if end.taken.is_none() {
                return end.run(planes, scene, None);
            }
            let mut bare = *scene;
            self.film.projected(&mut bare);
            return end.run(planes, scene, Some(&bare));
        }
        let mut bare = *scene;
        self.film.projected(&mut bare);
        end.run(planes, scene, Some(&bare));
        end.run(&mut bare, scene, None);
        SCREEN_TRANSFER.encode(planes);
        SCREEN_TRANSFER.encode(&mut bare);
        let mut mixed = *scene;
        self.films.coded(&mut mixed);
        for (c, plane) in planes.iter_mut().enumerate() {
            for i in 0..N {
                plane[i] = mixed[c][i] + (plane[i] - bare[c][i]);
            }
        }
        SCREEN_TRANSFER.decode(planes);
    }
}

/// The plain rendering at a strength: the standard one and a look's own, mixed as code values of the display.
#[derive(Clone, Debug, PartialEq)]
pub struct MixedRendering {
    pub standard: Rendering,
    pub own: Rendering,
    pub strength: f32,
}

impl MixedRendering {
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        let mut other = *planes;
        self.standard.run(&mut other);
        self.own.run(planes);
        SCREEN_TRANSFER.encode(&mut other);
        SCREEN_TRANSFER.encode(planes);
        blend(planes, &other, self.strength);
        SCREEN_TRANSFER.decode(planes);
    }
}
