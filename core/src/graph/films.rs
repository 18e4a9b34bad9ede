//! Films on their way to a display: whole ones, and those that are taken on in part.

use crate::colour::compress::{self, ColourCompress};
use crate::colour::fit::{self, Cube};
use crate::colour::{Display, matrix::Mat3f, transfer::Transfer};
use crate::film::Chain;
use crate::film::develop::Developing;
use crate::film::expose::Exposing;
use crate::film::print::Printing;
use crate::film::strengths::Strengths;
use crate::numeric::lane::{Channel, N, Planes, exp2, log2};
use crate::step::PlainRendering;
use crate::step::plain::{self, Rendering, tone::ToneCurve};

/// The Screen zone's transfer.
pub(super) const SCREEN_TRANSFER: Transfer = Transfer::Power(2.4);

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
    compress: compress::CompressKernel,
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
        let from_display = plain::from_display(display).to_f32();
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
}

/// One way from scene light to the display.
#[derive(Clone, Debug, PartialEq)]
pub enum Way {
    /// A rendering.
    Plain(Rendering),
    /// A film.
    Whole(Box<Film>),
    /// A film whose projected light, with texture put on inside of it, is there already.
    Textured(Box<Film>),
}

/// What brings scene light to a display: one way, or several whose finished pictures are mixed as code values of the display
/// (a 2.4 power) by shares that add up to one. With a negative by n and a print by q these are (1-n)(1-q) of the plain
/// rendering, n(1-q) of the negative alone, (1-n)q of the print alone and nq of both.
///
/// Each way gives what it gives by itself, so that a strength of 0 is that film switched off, and nothing jumps on the way
/// there; tone and colour strengths stay inside of their film. What texture changes in the picture of the whole film counts
/// in full, however far the film itself is taken on: that picture with texture by 1, and without by -1.
///
/// All of it is one loop with one place for each kernel: they are large, and are compiled for each instruction set.
#[derive(Clone, Debug, PartialEq)]
pub struct Ways(Vec<(f32, Way)>);

impl Ways {
    /// One way by itself.
    pub fn only(way: Way) -> Self {
        Self(vec![(1.0, way)])
    }

    /// Several by their shares.
    pub fn mixed(ways: Vec<(f32, Way)>) -> Self {
        Self(ways)
    }

    /// Several by their shares, and what texture changed in the picture of a film.
    pub fn textured(film: Film, ways: Vec<(f32, Way)>) -> Self {
        if ways.len() == 1 {
            return Self::only(Way::Textured(Box::new(film)));
        }
        let bare = Way::Whole(Box::new(film.clone()));
        let texture = [(1.0, Way::Textured(Box::new(film))), (-1.0, bare)];
        Self(texture.into_iter().chain(ways).collect())
    }

    /// Whether the scene light lies aside, and a film's light with texture is given.
    pub fn wants_aside(&self) -> bool {
        self.0.iter().any(|(_, way)| matches!(way, Way::Textured(_)))
    }

    /// Scene light, or the projected light of a film with texture, to the display; `aside` is the scene light then.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes, aside: &Planes) {
        let given = *planes;
        let scene = if self.wants_aside() { *aside } else { given };
        let several = self.0.len() > 1;
        let mut sum: Planes = [Channel::of(0.0); 3];
        for (share, way) in &self.0 {
            let mut light = scene;
            match way {
                Way::Plain(rendering) => rendering.run(&mut light),
                Way::Whole(film) | Way::Textured(film) => {
                    let textured = matches!(way, Way::Textured(_));
                    if !textured || film.end.taken.is_some() {
                        film.projected(&mut light);
                    }
                    let bare = light;
                    if textured {
                        light = given;
                    }
                    film.end.run(&mut light, &scene, textured.then_some(&bare));
                }
            }
            if several {
                SCREEN_TRANSFER.encode(&mut light);
            }
            for (sum, plane) in sum.iter_mut().zip(&light) {
                for i in 0..N {
                    sum[i] += share * plane[i];
                }
            }
        }
        if several {
            SCREEN_TRANSFER.decode(&mut sum);
        }
        *planes = sum;
    }
}
