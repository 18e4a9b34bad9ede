//! Pictures of whole numbers.

use super::samples::{fill, quantise};
use super::{Picture, SizeError, check_size};
use crate::numeric::lane;

/// A picture as most files of film hold it: red, green and blue of each pixel in row order, each a whole number of 0 to `most`
/// for a code value of 0 to 1.
///
/// It takes 6 bytes for a pixel where a [`Picture`] takes 16. A graph reads and writes it as it is, which spares a sequence of
/// frames a tenth of its time.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Codes {
    width: usize,
    height: usize,
    most: u16,
    samples: Vec<u16>,
}

impl Codes {
    /// A picture from its samples in row order, three for each pixel. A `most` of 0 counts as 1.
    pub fn new(width: usize, height: usize, most: u16, samples: Vec<u16>) -> Result<Self, SizeError> {
        check_size(width, height)?;
        if samples.len() != 3 * width * height {
            return Err(SizeError::Mismatch(samples.len() / 3, width, height));
        }
        Ok(Self { width, height, most: most.max(1), samples })
    }

    /// A black picture, to be written over.
    pub fn black([width, height]: [usize; 2], most: u16) -> Result<Self, SizeError> {
        check_size(width, height)?;
        Self::new(width, height, most, vec![0; 3 * width * height])
    }

    /// A picture's code values, rounded to nearest; those beyond 0..1 are held at the ends, and alpha is dropped.
    pub fn of(picture: &Picture, most: u16) -> Self {
        let mut samples = vec![0; 3 * picture.pixels.len()];
        pack(&picture.pixels, most, &mut samples);
        Self { width: picture.width, height: picture.height, most: most.max(1), samples }
    }

    /// Pixels in a row, and rows.
    pub fn size(&self) -> [usize; 2] {
        [self.width, self.height]
    }

    /// The number that stands for 1.
    pub fn most(&self) -> u16 {
        self.most
    }

    /// The samples, row by row.
    pub fn samples(&self) -> &[u16] {
        &self.samples
    }

    /// The same as code values of 0 to 1, with an alpha of 1.
    pub fn picture(&self) -> Picture {
        let most = f32::from(self.most);
        let value = |v: u16| f32::from(v) / most;
        let pixels =
            self.samples.as_chunks::<3>().0.iter().map(|p| [value(p[0]), value(p[1]), value(p[2]), 1.0]);
        Picture { width: self.width, height: self.height, pixels: pixels.collect() }
    }

    /// As [`Codes::samples`], to be written over: see [`pack`].
    pub fn samples_mut(&mut self) -> &mut [u16] {
        &mut self.samples
    }

    /// Code values of as many pixels as `planes` have, in row order from a pixel on: red, green and blue.
    pub fn read(&self, first: usize, planes: [&mut [f32]; 3]) {
        let count = planes[0].len();
        let samples = &self.samples[3 * first..3 * (first + count)];
        lane::vectorised(Unpack { samples, most: f32::from(self.most), planes });
    }
}

/// Pixels as samples of 0 to `most`, three for each: rounded to nearest, those beyond 0..1 held at the ends.
pub fn pack(pixels: &[[f32; 4]], most: u16, out: &mut [u16]) {
    // A number that the compiler knows spares it from fetching it.
    if most == u16::MAX {
        return fill(pixels, 3, |v| quantise(v, 65535.0) as u16, out);
    }
    let most = f32::from(most);
    fill(pixels, 3, |v| quantise(v, most) as u16, out);
}

/// Pixels that are taken apart together.
const TOGETHER: usize = 64;

struct Unpack<'a> {
    samples: &'a [u16],
    most: f32,
    planes: [&'a mut [f32]; 3],
}

impl pulp::NullaryFnOnce for Unpack<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Self { samples, most, planes: [red, green, blue] } = self;
        let (blocks, rest) = samples.as_chunks::<{ 3 * TOGETHER }>();
        let planes = red
            .as_chunks_mut::<TOGETHER>()
            .0
            .iter_mut()
            .zip(green.as_chunks_mut::<TOGETHER>().0)
            .zip(blue.as_chunks_mut::<TOGETHER>().0);
        let mut values = [0.0_f32; 3 * TOGETHER];
        for (block, ((r, g), b)) in blocks.iter().zip(planes) {
            // Divided: a product with the reciprocal would be off in the last bit for some.
            for (value, sample) in values.iter_mut().zip(block) {
                *value = f32::from(*sample) / most;
            }
            for (i, [x, y, z]) in values.as_chunks::<3>().0.iter().enumerate() {
                (r[i], g[i], b[i]) = (*x, *y, *z);
            }
        }
        let done = blocks.len() * TOGETHER;
        for (i, [r, g, b]) in rest.as_chunks::<3>().0.iter().enumerate() {
            let value = |v: &u16| f32::from(*v) / most;
            (red[done + i], green[done + i], blue[done + i]) = (value(r), value(g), value(b));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::Encoding;
    use crate::graph::{Graph, Target};
    use crate::look::{Path, Step};
    use crate::step::{Values, Zone};
    use crate::texture::FrameGeometry;
    use crate::texture::buffer::BufferPool;
    use crate::texture::chain::RowSource;
    use crate::texture::scanline::Scanline;
    use std::sync::atomic::AtomicBool;

    fn noisy([width, height]: [usize; 2], most: u16) -> Codes {
        let mut state = 7_u32;
        let mut next = || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            ((u64::from(state >> 8) * (u64::from(most) + 1)) >> 24) as u16
        };
        let samples = (0..3 * width * height).map(|_| next()).collect();
        Codes::new(width, height, most, samples).unwrap()
    }

    #[test]
    fn code_values_come_back_to_the_number_for_every_depth() {
        for most in [1, 255, 1023, 4095, 65535] {
            let codes = noisy([131, 7], most);
            assert_eq!(Codes::of(&codes.picture(), most), codes, "{most}");
        }
        // By their definition: a share of the largest.
        let all = Codes::new(21_845, 1, 65535, (0..65535).collect()).unwrap().picture();
        let flat = all.pixels.iter().flat_map(|p| &p[..3]);
        assert!(flat.enumerate().all(|(i, v)| *v == i as f32 / 65535.0));
        assert!(all.pixels.iter().all(|p| p[3] == 1.0));
    }

    #[test]
    fn a_row_from_any_column_on_is_that_of_the_picture() {
        let codes = noisy([200, 3], 1023);
        let picture = codes.picture();
        for (first, width) in [(0, 200), (1, 199), (130, 64), (7, 65), (199, 1)] {
            let mut line = Scanline::new(width);
            codes.row(2, first, &mut line);
            for i in 0..width {
                let want = picture.pixels[400 + first + i];
                assert_eq!([0, 1, 2].map(|c| line.plane(c)[i]), [want[0], want[1], want[2]]);
            }
        }
    }

    #[test]
    fn what_does_not_fit_its_size_is_refused() {
        assert_eq!(Codes::new(2, 2, 255, vec![0; 11]), Err(SizeError::Mismatch(3, 2, 2)));
        assert_eq!(Codes::new(0, 2, 255, vec![]), Err(SizeError::Empty(0, 2)));
        assert!(Codes::black([40_000, 2], 255).is_err());
    }

    #[test]
    fn every_kind_of_graph_gives_the_same_as_with_a_picture() {
        let (from, to) = (Encoding::find("acescct").unwrap(), Encoding::find("rec709").unwrap());
        let step = |kind: &str, zone| {
            let mut step = Step::new(kind, zone, Values::neutral(kind).unwrap());
            step.strength = 0.8;
            step
        };
        let film = ["bloom", "halation", "negative", "grain", "print", "gate-weave"];
        let paths = [
            Path::default(),
            Path::of(vec![step("balance", Zone::Scene)]),
            Path::of(film.iter().map(|kind| step(kind, Zone::Film)).collect()),
            Path::of(vec![step("vignette", Zone::Scene), step("softness", Zone::Film)]),
        ];
        for size in [[150, 91], [1, 1], [64, 2]] {
            let codes = noisy(size, 65535);
            for path in &paths {
                let graph = Graph::compile(path, &from, &to).unwrap();
                let geometry = FrameGeometry::whole(size[0], size[1], graph.gauge, 3);
                let (never, mut pool) = (AtomicBool::new(false), BufferPool::default());
                let mut picture = codes.picture();
                graph.run(&mut picture.pixels, &geometry, &never).unwrap();
                let mut got = Codes::black(size, 1023).unwrap();
                graph.render(None, &codes, &geometry, &mut pool, &never, Target::codes(&mut got)).unwrap();
                assert_eq!(got, Codes::of(&picture, 1023), "{size:?} {path:?}");
            }
        }
    }
}
