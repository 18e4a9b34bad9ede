//! Pictures made smaller by averaging, a row at a time.

use super::samples::rgba;
use crate::numeric::lane;

/// A picture made smaller while its rows come, from the top: neither it nor the smaller one need ever be in memory as a whole.
///
/// Averages are exact box averages with fractional edges, in the values as they are: hand it linear light.
#[derive(Clone, Debug)]
pub struct Shrink {
    /// Pixels in a row that comes.
    from: usize,
    size: [usize; 2],
    /// What each column and each row of the smaller picture takes; nothing where the picture fits as it is.
    shares: Option<[Shares; 2]>,
    /// Samples of a pixel, the same in all rows; none before the first one.
    channels: usize,
    /// Rows that came.
    came: usize,
    /// The row of the smaller picture that adds up, and what it has so far: of each sample, and of an alpha of 1.
    at: usize,
    sums: Vec<f32>,
    alpha: f32,
    /// A row of the smaller picture.
    pixels: Vec<[f32; 4]>,
}

impl Shrink {
    /// Takes a picture of this width and height, neither of them zero, to at most another, in its own proportions.
    pub fn new(from: [usize; 2], most: [usize; 2]) -> Self {
        let scale = (most[0] as f64 / from[0] as f64).min(most[1] as f64 / from[1] as f64);
        let fits = scale >= 1.0;
        let size = if fits { from } else { from.map(|v| ((v as f64 * scale).round() as usize).max(1)) };
        Self {
            from: from[0],
            size,
            shares: (!fits).then(|| [Shares::of(from[0], size[0]), Shares::of(from[1], size[1])]),
            channels: 0,
            came: 0,
            at: 0,
            sums: Vec::new(),
            alpha: 0.0,
            pixels: vec![[0.0; 4]; size[0]],
        }
    }

    /// Width and height of the smaller picture.
    pub fn size(&self) -> [usize; 2] {
        self.size
    }

    /// Whether the picture becomes smaller at all.
    pub fn shrinks(&self) -> bool {
        self.shares.is_some()
    }

    /// Takes the next row, of the picture's width. `done` is given each row of the smaller picture that this one completes, as
    /// its own to change. Rows beyond the picture's height do not count.
    pub fn row(&mut self, row: &[[f32; 4]], done: impl FnMut(&mut [[f32; 4]])) {
        self.samples(4, row.as_flattened(), done);
    }

    /// The same as samples: of each pixel 1 for grey, 2 for grey and alpha, 3 for red, green and blue, or 4 for these and
    /// alpha. All rows have as many of them; one that differs in that, or in its length, does not count.
    pub fn samples(&mut self, channels: usize, row: &[f32], mut done: impl FnMut(&mut [[f32; 4]])) {
        if !(1..=4).contains(&channels) {
            return;
        }
        if self.channels == 0 {
            self.channels = channels;
            // A pixel is always read as four samples: behind the last one are some that nobody looks at.
            self.sums = vec![0.0; self.from * channels + 3];
        }
        if channels != self.channels || row.len() != self.from * channels {
            return;
        }
        let y = self.came;
        self.came += 1;
        let Some([across, down]) = &self.shares else {
            if y < self.size[1] {
                for (pixel, own) in self.pixels.iter_mut().zip(row.chunks_exact(channels)) {
                    let mut samples = [0.0; 4];
                    samples[..channels].copy_from_slice(own);
                    *pixel = rgba(samples, channels);
                }
                done(&mut self.pixels);
            }
            return;
        };
        // The last row of one place may be the first of the next.
        while let Some((from, parts)) = down.at(self.at)
            && let Some(share) = y.checked_sub(from).and_then(|k| parts.get(k))
        {
            lane::vectorised(Add { share: *share, row, sums: &mut self.sums });
            self.alpha += share;
            if y + 1 < from + parts.len() {
                return;
            }
            let (sums, alpha, pixels) = (&self.sums[..], self.alpha, &mut self.pixels[..]);
            lane::vectorised(Narrow { across, channels, sums, alpha, pixels });
            done(&mut self.pixels);
            self.sums.fill(0.0);
            self.alpha = 0.0;
            self.at += 1;
        }
    }
}

/// Adds a row's share to sums.
struct Add<'a> {
    share: f32,
    row: &'a [f32],
    sums: &'a mut [f32],
}

impl pulp::NullaryFnOnce for Add<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        for (sum, v) in self.sums.iter_mut().zip(self.row) {
            *sum += self.share * v;
        }
    }
}

/// Makes a row of the smaller picture out of sums.
struct Narrow<'a> {
    across: &'a Shares,
    channels: usize,
    sums: &'a [f32],
    /// The sum of an alpha of 1.
    alpha: f32,
    pixels: &'a mut [[f32; 4]],
}

impl pulp::NullaryFnOnce for Narrow<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        // A loop for each number of samples: without a test for each pixel.
        match self.channels {
            1 => self.each::<1>(),
            2 => self.each::<2>(),
            3 => self.each::<3>(),
            _ => self.each::<4>(),
        }
    }
}

impl Narrow<'_> {
    #[inline(always)]
    fn each<const CHANNELS: usize>(self) {
        let Self { across, sums, alpha, pixels, .. } = self;
        if across.halves {
            // All take two whole ones, which lie side by side: this runs over whole vectors.
            let sums =
                sums[..across.places.len() * 2 * CHANNELS].as_chunks::<CHANNELS>().0.as_chunks::<2>().0;
            for (pixel, [a, b]) in pixels.iter_mut().zip(sums) {
                let mut mean = [0.0; 4];
                for (mean, (a, b)) in mean.iter_mut().zip(a.iter().zip(b)) {
                    *mean = 0.5 * a + 0.5 * b;
                }
                *pixel = with_alpha::<CHANNELS>(mean, alpha);
            }
            return;
        }
        for (pixel, [first, begins, ends]) in pixels.iter_mut().zip(&across.places) {
            let (mut sum, mut of_alpha, mut at) = ([0.0_f32; 4], 0.0, first * CHANNELS);
            for share in &across.parts[*begins..*ends] {
                for (sum, v) in sum.iter_mut().zip(&sums[at..at + 4]) {
                    *sum += share * v;
                }
                of_alpha += share * alpha;
                at += CHANNELS;
            }
            *pixel = with_alpha::<CHANNELS>(sum, of_alpha);
        }
    }
}

/// Samples of a pixel as R, G, B and alpha, which is given for those that have none.
#[inline(always)]
fn with_alpha<const CHANNELS: usize>(samples: [f32; 4], alpha: f32) -> [f32; 4] {
    let [r, g, b, own] = rgba(samples, CHANNELS);
    [r, g, b, if CHANNELS.is_multiple_of(2) { own } else { alpha }]
}

/// What each place of a smaller row takes of its neighbours.
#[derive(Clone, Debug, Default)]
struct Shares {
    /// The first neighbour that a place takes from, and where its shares begin and end.
    places: Vec<[usize; 3]>,
    /// The shares of it and those after it, which add up to one.
    parts: Vec<f32>,
    /// Whether each takes two whole ones, and all are taken.
    halves: bool,
}

impl Shares {
    /// What each of `to` places takes of `from` neighbours.
    fn of(from: usize, to: usize) -> Self {
        let step = from as f64 / to as f64;
        let mut shares = Self { halves: from == 2 * to, ..Self::default() };
        for place in 0..to {
            let (a, b) = (place as f64 * step, ((place + 1) as f64 * step).min(from as f64));
            let first = a as usize;
            let end = (b.ceil() as usize).clamp(first + 1, from);
            let share = |i: usize| ((b.min(i as f64 + 1.0) - a.max(i as f64)).max(0.0) / (b - a)) as f32;
            let begins = shares.parts.len();
            shares.parts.extend((first..end).map(share));
            shares.places.push([first, begins, shares.parts.len()]);
        }
        shares
    }

    /// The first neighbour of a place, and the shares.
    fn at(&self, place: usize) -> Option<(usize, &[f32])> {
        self.places.get(place).map(|[first, begins, ends]| (*first, &self.parts[*begins..*ends]))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::picture::Picture;
    use proptest::prelude::*;

    proptest! {
        // Each place is the mean of the area under it: worked out apart, over whole areas in double precision.
        #[test]
        fn every_place_is_the_mean_of_the_area_under_it(
            (from, values) in (1_usize..24, 1_usize..24)
                .prop_flat_map(|(w, h)| (Just([w, h]), prop::collection::vec(0.0_f32..1.0, w * h))),
            most in (1_usize..24, 1_usize..24),
        ) {
            let [w, h] = from;
            let picture = Picture::new(w, h, values.iter().map(|v| [*v, 1.0 - v, 2.0 * v, 1.0]).collect()).unwrap();
            let small = picture.fit_within(most.0, most.1);
            if w <= most.0 && h <= most.1 {
                prop_assert_eq!(small, picture);
                return Ok(());
            }
            prop_assert!(small.width() <= most.0 && small.height() <= most.1);
            let (sx, sy) = (w as f64 / small.width() as f64, h as f64 / small.height() as f64);
            let covered = |place: usize, step: f64, i: usize| {
                ((i + 1) as f64).min((place + 1) as f64 * step) - (i as f64).max(place as f64 * step)
            };
            for v in 0..small.height() {
                for u in 0..small.width() {
                    let mut sum = 0.0;
                    for y in 0..h {
                        for x in 0..w {
                            let area = covered(u, sx, x).max(0.0) * covered(v, sy, y).max(0.0);
                            sum += area * f64::from(values[y * w + x]);
                        }
                    }
                    let got = f64::from(small.pixels[v * small.width() + u][0]);
                    prop_assert!((got - sum / (sx * sy)).abs() < 1e-5, "{u} {v}: {got} {}", sum / (sx * sy));
                }
            }
        }
    }

    proptest! {
        // Grey and colours with and without alpha come out as the same pixels written out would, to the bit.
        #[test]
        fn samples_are_the_pixels_that_they_stand_for(
            (channels, from, values) in (1_usize..5, 1_usize..24, 1_usize..24).prop_flat_map(|(c, w, h)| {
                (Just(c), Just([w, h]), prop::collection::vec(0.0_f32..1.0, c * w * h))
            }),
            most in (1_usize..24, 1_usize..24),
        ) {
            let pixel = |v: &[f32]| match *v {
                [y] => [y, y, y, 1.0],
                [y, a] => [y, y, y, a],
                [r, g, b] => [r, g, b, 1.0],
                _ => [v[0], v[1], v[2], v[3]],
            };
            let [mut whole, mut own] = [0, 1].map(|_| Shrink::new(from, [most.0, most.1]));
            let (mut all, mut small) = (Vec::new(), Vec::new());
            for row in values.chunks_exact(channels * from[0]) {
                own.samples(channels, row, |row| small.push(row.to_vec()));
                whole.row(&row.chunks_exact(channels).map(pixel).collect::<Vec<_>>(), |row| all.push(row.to_vec()));
            }
            prop_assert_eq!(small.len(), own.size()[1]);
            prop_assert!(small.iter().all(|row| row.len() == own.size()[0]));
            prop_assert_eq!(small, all);
        }
    }

    #[test]
    fn rows_of_another_kind_do_not_count() {
        for most in [[2, 2], [4, 4]] {
            let mut small = Shrink::new([4, 4], most);
            let mut found = Vec::new();
            let mut take =
                |channels, row: &[f32]| small.samples(channels, row, |row| found.extend_from_slice(row));
            take(5, &[9.0; 20]);
            take(0, &[]);
            for _ in 0..4 {
                take(3, &[0.5; 12]);
                take(4, &[9.0; 16]);
                take(3, &[9.0; 15]);
            }
            assert_eq!(found, vec![[0.5, 0.5, 0.5, 1.0]; most[0] * most[1]]);
        }
    }

    #[test]
    fn rows_beyond_its_height_are_no_harm() {
        for most in [[2, 2], [4, 4]] {
            let mut small = Shrink::new([4, 3], most);
            let mut rows = 0;
            for _ in 0..9 {
                small.row(&[[1.0; 4]; 4], |row| {
                    rows += 1;
                    assert!(row.iter().flatten().all(|v| (v - 1.0).abs() < 1e-6));
                });
            }
            assert_eq!(rows, small.size()[1]);
        }
    }
}
