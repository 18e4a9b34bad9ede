//! Texture: what light and film do that depends on more than a pixel's own colour.
//!
//! Sizes are micrometres on film. A [`FrameGeometry`] says how many of them a pixel is, so that a proxy and the full frame show
//! the same texture. Spreading is done on light ([`bloom`], [`halation`], [`softness`]), grain on density ([`grain`]).
//! Everything is the same on every machine and number of threads: noise is a hash of place, frame and seed.

pub mod bloom;
mod blur;
pub mod buffer;
pub mod chain;
pub mod columns;
mod edges;
pub mod flicker;
pub mod grain;
pub mod halation;
pub mod mix;
pub mod noise;
pub mod passes;
pub mod point_spread;
pub mod scanline;
pub mod softness;
pub mod spread;
pub mod taps;
pub mod vignette;
pub mod weave;

pub use bloom::Bloom;
pub use flicker::Flicker;
pub use grain::Grain;
pub use halation::Halation;
pub use softness::Softness;
pub use vignette::Vignette;
pub use weave::GateWeave;

use std::sync::atomic::AtomicBool;

/// RGBA pixels, row by row.
pub type Pixels = [[f32; 4]];

/// Where a picture lies on the film.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FrameGeometry {
    /// Pixels in a row, and rows.
    pub size: [usize; 2],
    /// Pixels in a row, and rows, of the whole frame at this scale.
    pub whole: [usize; 2],
    /// The place of the first pixel in the whole frame.
    pub origin: [usize; 2],
    /// Micrometres of film to a pixel.
    pub pitch: f64,
    /// The frame's number: grain, weave and flicker are different for each.
    pub frame: u32,
}

impl FrameGeometry {
    /// A whole frame on a film whose frame is `gauge` millimetres wide.
    pub fn whole(width: usize, height: usize, gauge: f64, frame: u32) -> Self {
        let pitch = gauge * 1000.0 / width.max(1) as f64;
        Self { size: [width, height], whole: [width, height], origin: [0, 0], pitch, frame }
    }

    /// A part of this whole frame.
    pub fn part(self, origin: [usize; 2], size: [usize; 2]) -> Self {
        Self { origin, size, ..self }
    }
}

/// A texture ready to run on a geometry's light or density.
#[derive(Clone, Debug, PartialEq)]
pub enum Texture {
    /// On scene light.
    Bloom(bloom::BloomKernel),
    /// On scene light.
    Vignette(vignette::VignetteKernel),
    /// On the layers' exposures.
    Halation(halation::HalationKernel),
    /// On the layers' exposures.
    Softness(softness::SoftnessKernel),
    /// On densities.
    Grain(grain::GrainKernel),
    /// On densities.
    Flicker(flicker::FlickerKernel),
    /// On densities.
    GateWeave(weave::WeaveKernel),
}

impl Texture {
    /// What happens to a row, ready for a geometry. Bloom and halation need the whole picture first: see [`passes`].
    fn ready<'a>(&self, geometry: &FrameGeometry) -> Vec<chain::Ready<'a>> {
        match self {
            Self::Bloom(_) | Self::Halation(_) => Vec::new(),
            Self::Vignette(k) => vec![k.ready(geometry)],
            Self::Softness(k) => k.ready(geometry),
            Self::Grain(k) => vec![k.ready(geometry)],
            Self::Flicker(k) => vec![k.ready(geometry)],
            Self::GateWeave(k) => vec![k.ready(geometry)],
        }
    }

    /// Runs on a picture by itself, in single precision, on all threads of the current pool. Alpha stays.
    pub fn run(&self, pixels: &mut Pixels, geometry: &FrameGeometry) {
        alone(&passes::Item::Texture(self), pixels, geometry);
    }

    /// How far it reaches, in pixels: what a part of a picture has to have around it.
    pub fn radius(&self, geometry: &FrameGeometry) -> f64 {
        let um = match self {
            Self::Bloom(k) => k.radius(),
            Self::Halation(k) => k.radius(),
            Self::Softness(k) => k.radius(),
            Self::GateWeave(k) => k.radius(),
            Self::Vignette(_) | Self::Grain(_) | Self::Flicker(_) => 0.0,
        };
        um / geometry.pitch
    }
}

impl halation::HalationKernel {
    /// What it adds and nothing else, in place of the layers' exposures.
    pub fn alone(&self, pixels: &mut Pixels, geometry: &FrameGeometry) {
        alone(&passes::Item::Alone(self), pixels, geometry);
    }
}

/// One thing done to a picture.
fn alone(item: &passes::Item<'_>, pixels: &mut Pixels, geometry: &FrameGeometry) {
    let (mut pool, never) = (buffer::BufferPool::default(), AtomicBool::new(false));
    let work = passes::Work { geometry, precision: buffer::Precision::Single, pool: &mut pool, stop: &never };
    let window = chain::Window { pixels, width: geometry.size[0], at: [0, 0] };
    let Some(made) = work.run(std::slice::from_ref(item), &window) else { return };
    let mut line = scanline::Scanline::new(geometry.size[0]);
    for (y, row) in pixels.chunks_exact_mut(geometry.size[0]).enumerate() {
        chain::RowSource::row(&made.picture, y, 0, &mut line);
        for c in 0..3 {
            row.iter_mut().zip(line.plane(c)).for_each(|(p, v)| p[c] = *v);
        }
    }
}
