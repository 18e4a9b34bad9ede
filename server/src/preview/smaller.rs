//! Pictures made smaller in the light that they stand for.

use super::proxy::named;
use crate::error::{ApiError, ApiResult};
use lantern_core::colour::{Encoding, Reference};
use lantern_core::graph::Program;
use lantern_core::look::Path;
use lantern_core::picture::{Picture, Shrink};
use lantern_formats::picture::put_pixels;

/// The way from code values of one encoding through the light that is averaged to code values of another.
pub(super) struct Light {
    /// To linear light and back. Nothing for pictures of displays: they are averaged as they are, and stay what they are.
    ways: Option<[Program; 2]>,
    /// Whether both encodings are the same.
    same: bool,
}

impl Light {
    pub(super) fn between(from: &Encoding, to: &Encoding) -> ApiResult<Self> {
        let ways = match from.reference {
            Reference::Scene => {
                let (none, light) = (Path::default(), named("acescg")?);
                Some([Program::compile(&none, from, &light)?, Program::compile(&none, &light, to)?])
            }
            Reference::Display => None,
        };
        Ok(Self { ways, same: from == to })
    }

    /// A whole picture on all threads, at most so wide and high.
    pub(super) fn whole(&self, mut picture: Picture, [width, height]: [usize; 2]) -> Picture {
        if let Some([to_light, _]) = &self.ways {
            to_light.run_parallel(&mut picture.pixels);
        }
        let clear = picture.pixels.iter().any(|p| is_transparent(p[3]));
        if clear {
            multiply(&mut picture.pixels);
        }
        let mut small = picture.fit_within(width, height);
        if clear {
            divide(&mut small.pixels);
        }
        if let Some([_, back]) = &self.ways {
            back.run_parallel(&mut small.pixels);
        }
        small
    }
}

/// Whether an alpha is less than 1, beyond what averages of 1 are off by.
pub(super) fn is_transparent(alpha: f32) -> bool {
    alpha < 1.0 - 1e-6
}

/// What is transparent counts by its alpha in an average.
fn multiply(pixels: &mut [[f32; 4]]) {
    pixels.iter_mut().for_each(|p| (0..3).for_each(|c| p[c] *= p[3]));
}

/// Back from that.
fn divide(pixels: &mut [[f32; 4]]) {
    pixels
        .iter_mut()
        .filter(|p| p[3] > 1e-6 && is_transparent(p[3]))
        .for_each(|p| (0..3).for_each(|c| p[c] /= p[3]));
}

/// A picture made smaller while its rows come.
pub(super) struct Smaller {
    small: Shrink,
    /// Nothing where its values stay what they are.
    ways: Option<[Program; 2]>,
    row: Vec<[f32; 4]>,
    /// Whether something transparent came.
    clear: bool,
}

impl Smaller {
    /// Takes a picture of a size, neither side of it zero, to at most another.
    pub(super) fn new(light: Light, size: [usize; 2], most: [usize; 2]) -> Self {
        let small = Shrink::new(size, most);
        let Light { ways, same } = light;
        let ways = ways.filter(|_| small.shrinks() || !same);
        Self { small, ways, row: Vec::new(), clear: false }
    }

    /// Width and height that it gets.
    pub(super) fn size(&self) -> [usize; 2] {
        self.small.size()
    }

    /// Takes a row of samples as [`Shrink::samples`] does; `done` gets each row that it completes.
    pub(super) fn samples(
        &mut self,
        channels: usize,
        samples: &[f32],
        mut done: impl FnMut(&mut [[f32; 4]]),
    ) {
        // A row of opaque pixels, as nearly all are, is averaged as it comes.
        let alpha = |p: &[f32]| p[channels - 1];
        let transparent =
            channels.is_multiple_of(2) && samples.chunks_exact(channels).any(|p| is_transparent(alpha(p)));
        self.clear |= transparent;
        let clear = self.clear && self.small.shrinks();
        if self.ways.is_none() && !transparent && channels != 2 {
            self.small.samples(channels, samples, |row| {
                if clear {
                    divide(row);
                }
                done(row);
            });
            return;
        }
        self.row.clear();
        put_pixels(&mut self.row, channels, samples);
        if let Some([to_light, _]) = &self.ways {
            to_light.run(&mut self.row);
        }
        if transparent && self.small.shrinks() {
            multiply(&mut self.row);
        }
        self.small.row(&self.row, |row| {
            if clear {
                divide(row);
            }
            if let Some([_, back]) = &self.ways {
                back.run(row);
            }
            done(row);
        });
    }
}

/// The rows of a picture that is made smaller, put together again.
pub(super) struct Gathered {
    smaller: Smaller,
    pixels: Vec<[f32; 4]>,
}

impl Gathered {
    pub(super) fn new(smaller: Smaller) -> Self {
        let [width, height] = smaller.size();
        Self { smaller, pixels: Vec::with_capacity(width * height) }
    }

    pub(super) fn samples(&mut self, channels: usize, samples: &[f32]) {
        self.smaller.samples(channels, samples, |row| self.pixels.extend_from_slice(row));
    }

    /// The smaller picture. What rows that never came would have been is black.
    pub(super) fn picture(mut self) -> ApiResult<Picture> {
        let [width, height] = self.smaller.size();
        self.pixels.resize(width * height, [0.0; 4]);
        Picture::new(width, height, self.pixels).map_err(ApiError::internal)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_transparent_counts_by_its_alpha_whole_and_row_by_row() {
        let colour = [0.6, 0.4, 0.2];
        let pixel = |a: f32, by: f32| [colour[0] * by, colour[1] * by, colour[2] * by, a];
        // Half covered, half nothing: the colour of what is there, and half of it.
        let pixels = vec![pixel(1.0, 1.0), pixel(0.0, 0.0), pixel(0.5, 1.0), pixel(0.5, 1.0)];
        for id in ["srgb", "acescct"] {
            let encoding = named(id).unwrap();
            let light = || Light::between(&encoding, &encoding).unwrap();
            let picture = Picture::new(4, 1, pixels.clone()).unwrap();
            let whole = light().whole(picture, [2, 1]);
            let mut rows = Gathered::new(Smaller::new(light(), [4, 1], [2, 1]));
            rows.samples(4, pixels.as_flattened());
            for made in [whole.pixels, rows.picture().unwrap().pixels] {
                for p in &made {
                    assert!((p[3] - 0.5).abs() < 1e-6, "{id}: {p:?}");
                    assert!((0..3).all(|c| (p[c] - colour[c]).abs() < 1e-4), "{id}: {p:?}");
                }
            }
        }
    }
}
