//! Numbers that paths are made of: by chance, or spread evenly over the samples of one pixel.

/// A small fast generator (xorshift with a multiplier), one a pixel and sample. Its first pairs are spread evenly over
/// the samples of a pixel where it was made by [`Dice::nth`].
pub struct Dice {
    state: u64,
    /// Which sample of its pixel, and what scrambles that pixel's order.
    nth: Option<(u32, u32)>,
    pairs: u32,
}

/// Pairs of a path that are spread evenly; later ones come by chance.
const EVEN: u32 = 12;

fn mixed(seed: u64) -> u64 {
    let mut z = seed.wrapping_add(0x9e37_79b9_7f4a_7c15);
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^ (z >> 31)
}

impl Dice {
    pub fn new(seed: u64) -> Self {
        Self { state: mixed(seed) | 1, nth: None, pairs: 0 }
    }

    /// The dice of sample `nth` of what `seed` numbers: a pixel's samples, taken together, fill every square evenly
    /// (a power of two of them best).
    pub fn nth(seed: u64, nth: u32) -> Self {
        let own = Self::new(seed << 20 | u64::from(nth));
        Self { nth: Some((nth, mixed(seed) as u32)), ..own }
    }

    /// Evenly spread over 0..1.
    pub fn roll(&mut self) -> f32 {
        self.state ^= self.state >> 12;
        self.state ^= self.state << 25;
        self.state ^= self.state >> 27;
        (self.state.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 40) as f32 / (1_u64 << 24) as f32
    }

    /// A place in the unit square.
    pub fn pair(&mut self) -> [f32; 2] {
        let pair = self.pairs;
        self.pairs += 1;
        match self.nth {
            Some((nth, seed)) if pair < EVEN => {
                let own = |k: u32| mixed(u64::from(seed) << 32 | u64::from(pair * 4 + k)) as u32;
                let at = scrambled(nth, own(0));
                [scrambled(at.reverse_bits(), own(1)), scrambled(second(at), own(2))]
                    .map(|bits| (bits >> 8) as f32 / (1_u32 << 24) as f32)
            }
            _ => [self.roll(), self.roll()],
        }
    }

    /// Evenly spread over `a..b`.
    pub fn between(&mut self, a: f32, b: f32) -> f32 {
        a + (b - a) * self.roll()
    }
}

/// The second dimension of the sequence of Sobol 1967; the first is the number's bits turned round.
fn second(mut n: u32) -> u32 {
    let (mut bits, mut column) = (0, 1_u32 << 31);
    while n != 0 {
        if n & 1 != 0 {
            bits ^= column;
        }
        n >>= 1;
        column ^= column >> 1;
    }
    bits
}

/// Owen's scrambling by a hash (Laine and Karras 2011): each bit is turned or not by what the bits above it are.
fn scrambled(n: u32, seed: u32) -> u32 {
    let mut x = n.reverse_bits().wrapping_add(seed);
    x ^= x.wrapping_mul(0x6c50_b47c);
    x ^= x.wrapping_mul(0xb82f_1e52);
    x ^= x.wrapping_mul(0xc7af_e638);
    x ^= x.wrapping_mul(0x8d22_f6e6);
    x.reverse_bits()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_samples_of_a_pixel_fill_every_stratum_once() {
        // A net in base 2: of 64 places one lies in each of 64 boxes, whatever shape (8 x 8, 4 x 16, 1 x 64, ...).
        for seed in 0..20 {
            let mut all: Vec<Dice> = (0..64).map(|k| Dice::nth(seed, k)).collect();
            for pair in 0..EVEN {
                let places: Vec<[f32; 2]> = all.iter_mut().map(Dice::pair).collect();
                for wide in 0..=6 {
                    let (w, h) = (1 << wide, 64 >> wide);
                    let mut met = vec![0; 64];
                    for [x, y] in &places {
                        met[(x * w as f32) as usize + w * (y * h as f32) as usize] += 1;
                    }
                    assert!(met.iter().all(|n| *n == 1), "seed {seed}, pair {pair}, {w} x {h}");
                }
            }
        }
    }

    #[test]
    fn pairs_of_one_path_know_nothing_of_each_other() {
        let mut all: Vec<Dice> = (0..4096).map(|k| Dice::nth(7, k)).collect();
        let pairs: Vec<Vec<[f32; 2]>> = (0..4).map(|_| all.iter_mut().map(Dice::pair).collect()).collect();
        for a in 0..4 {
            for b in 0..4 {
                for (i, j) in [(0, 0), (0, 1), (1, 1)] {
                    if (a, i) == (b, j) {
                        continue;
                    }
                    let mean = pairs[a].iter().zip(&pairs[b]).map(|(p, q)| (p[i] - 0.5) * (q[j] - 0.5));
                    let mean = mean.sum::<f32>() / 4096.0;
                    assert!(mean.abs() < 0.006, "{a}.{i}, {b}.{j}: {mean}");
                }
            }
        }
    }
}
