//! What a kind of step is: what is known before there is one, and what it does.

pub(super) use crate::colour::Site;
use crate::colour::Zone;
use crate::field::{Field, ValueError};
use crate::film::Chain;
use crate::numeric::lane::Planes;
use crate::numeric::matrix::Mat3f;
use crate::table::Operator;
use crate::table::operator::Affine;
use crate::texture::Texture;
use schemars::JsonSchema;
use serde::Serialize;

/// What is known about a kind of step before there is one.
#[derive(Clone, Debug, Serialize, JsonSchema)]
pub struct KindInfo {
    /// The kind's id in documents.
    pub kind: &'static str,
    /// What people call it.
    pub title: &'static str,
    /// What it is for, in a line.
    pub purpose: &'static str,
    /// The zones it may stand in.
    pub zones: &'static [Zone],
    /// What the values are that it works on.
    pub domain: Domain,
    /// Why it goes onto pictures only; empty where it depends on a pixel's colour alone and so goes into tables.
    pub picture_only: &'static str,
    /// Its parameters in the order they are shown.
    pub fields: &'static [Field],
}

/// What the values are that a step works on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Domain {
    /// Linear light: AP1 in the Scene zone, P3-D65 in the Screen zone.
    Linear,
    /// The zone's encoded values: ACEScct in the Scene zone, 2.4-power P3 in the Screen zone.
    Encoded,
    /// Exposures of the film's layers.
    Exposure,
    /// Densities of the film's layers.
    Density,
    /// Scene light, of which it makes display light.
    Rendering,
}

pub(super) const SCENE: &[Zone] = &[Zone::Scene];
pub(super) const FILM: &[Zone] = &[Zone::Film];
pub(super) const SCENE_AND_SCREEN: &[Zone] = &[Zone::Scene, Zone::Screen];

/// Why steps are picture-only.
pub(super) const SPREADS: &str =
    "light goes from each pixel to its neighbours, and a table knows one colour at a time";
pub(super) const PLACE: &str = "it depends on where a pixel is, and a table knows only its colour";
pub(super) const CHANGES: &str =
    "it is different from frame to frame and place to place, and a table knows only colours";

/// A kind of step: its parameters, which this is implemented for, and what they do.
pub trait Kind {
    /// What is known before there is a step.
    const INFO: KindInfo;

    /// Whether it is made for light that no surface has, and so gets scene light before it is bounded.
    const WANTS_FREE_LIGHT: bool = false;

    /// Its arithmetic on each pixel by itself, with `run(&self, &mut Planes)`; [`Nothing`] where it has none.
    type Kernel: Clone + std::fmt::Debug + PartialEq;

    /// The arithmetic at a site. `None` for what works otherwise.
    fn work(&self, _: &Site) -> Option<Self::Kernel> {
        None
    }

    /// What its arithmetic is in files that hold operators; `None` for what only a 3D table holds.
    fn in_files(_: &Self::Kernel) -> Option<InFiles> {
        None
    }

    /// What it puts on the picture at a strength, on a film. `None` for what works otherwise.
    fn texture(&self, _strength: f64, _film: &Chain) -> Option<Texture> {
        None
    }

    /// Refuses what ranges of single values do not tell.
    fn check(&self) -> Result<(), ValueError> {
        Ok(())
    }
}

/// What a step's arithmetic is in files that hold operators.
#[derive(Clone, Debug, PartialEq)]
pub enum InFiles {
    /// An operator.
    Operator(Box<Operator>),
    /// A 1D table, since each channel goes its own way.
    ByChannel,
}

impl InFiles {
    /// A matrix.
    pub(super) fn matrix(m: &Mat3f) -> Self {
        Self::Operator(Box::new(Operator::Matrix(Affine::of(m.0.map(|row| row.map(f64::from))))))
    }
}

/// The kernel of kinds that have none.
#[derive(Clone, Debug, PartialEq)]
pub enum Nothing {}

impl Nothing {
    /// Never called: there is none.
    pub fn run(&self, _: &mut Planes) {
        match *self {}
    }
}
