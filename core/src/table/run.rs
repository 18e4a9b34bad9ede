//! A table on pixels and planes: its operators one after the other, in blocks that stay in the cache.

use super::apply::Using;
use super::{Between, Operator, Table, simd};
use crate::numeric::lane::N;
use rayon::prelude::*;

impl Table {
    /// Looks up RGBA pixels in place, on one thread. Alpha is left as it is. NaN counts as the first node.
    pub fn apply(&self, pixels: &mut [[f32; 4]]) {
        self.apply_using(pixels, Using::Fastest);
    }

    /// As [`Self::apply`], with a choice of implementation.
    pub fn apply_using(&self, pixels: &mut [[f32; 4]], using: Using) {
        for block in pixels.chunks_mut(64 * N) {
            for operator in self.operators() {
                match operator {
                    Operator::Cube(cube, Between::Tetrahedral) => cube.apply_using(block, using),
                    other => other.on_pixels(block),
                }
            }
        }
    }

    /// Looks up planes in place, as many whole blocks of [`N`] as they hold. The same bits as [`Self::apply`].
    pub fn apply_planes(&self, planes: [&mut [f32]; 3]) {
        let [red, green, blue] = planes;
        for operator in self.operators() {
            match operator {
                Operator::Cube(cube, Between::Tetrahedral) => simd::apply_planes(cube, [red, green, blue]),
                other => other.run([red, green, blue]),
            }
        }
    }

    /// As [`Self::apply_planes`], the results as pixels, whose alpha is left. The planes are changed.
    pub fn to_pixels(&self, planes: [&mut [f32]; 3], out: &mut [[f32; 4]]) {
        let [red, green, blue] = planes;
        if let Some((shaper, Some(cube))) = self.parts() {
            if let Some(shaper) = shaper {
                shaper.apply_planes([red, green, blue]);
            }
            return simd::to_pixels(cube, [red, green, blue], out);
        }
        self.apply_planes([red, green, blue]);
        for (((p, r), g), b) in out.iter_mut().zip(red).zip(green).zip(blue) {
            (p[0], p[1], p[2]) = (*r, *g, *b);
        }
    }

    /// As [`Self::apply`], on all threads of the current pool.
    pub fn apply_parallel(&self, pixels: &mut [[f32; 4]]) {
        pixels.par_chunks_mut(64 * N).for_each(|band| self.apply(band));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::numeric::lane;
    use crate::numeric::lane::Channel;
    use crate::table::{Domain, Table1, Table3};
    use proptest::prelude::*;

    fn table(size: usize, f: impl Fn([f32; 3]) -> [f32; 3]) -> Table3 {
        let at = |i: usize| i as f32 / (size - 1) as f32;
        let nodes: Vec<_> = (0..size * size * size)
            .map(|i| f([at(i % size), at(i / size % size), at(i / size / size)]))
            .collect();
        Table3::new(size, Domain::UNIT, &nodes).unwrap()
    }

    fn wild(size: usize) -> Table3 {
        table(size, |[r, g, b]| [(r * 9.0).sin() + g, (g * 7.0 + b).cos(), r * g - b * b])
    }

    proptest! {
        #[test]
        fn every_vector_twin_gives_the_bits_of_the_scalar_definition(
            size in 2..12_usize,
            seed in proptest::collection::vec(0..=65_535_u32, 3 * 37),
        ) {
            let table = wild(size);
            let seed: Vec<f32> = seed.iter().map(|v| -0.3 + 1.6 * *v as f32 / 65_535.0).collect();
            let mut pixels: Vec<[f32; 4]> = seed.chunks(3).map(|c| [c[0], c[1], c[2], c[0]]).collect();
            // Ties, nodes, ends and what is not a number.
            pixels.extend([[0.5, 0.5, 0.5, 0.2], [0.0, 1.0, 0.0, 1.0], [0.3, 0.3, 0.9, 1.0], [0.9, 0.3, 0.9, 1.0]]);
            pixels.extend([[f32::NAN, 0.2, 0.3, 1.0], [f32::INFINITY, f32::NEG_INFINITY, 0.5, 1.0]]);
            // More than one block, so that whole blocks and the rest are run.
            let pixels: Vec<[f32; 4]> = pixels.iter().copied().cycle().take(N + N / 2 + 5).collect();
            let mut plain = pixels.clone();
            table.apply_using(&mut plain, Using::Scalar);
            for twin in simd::twins() {
                let mut fast = pixels.clone();
                twin(&table, &mut fast);
                for (a, b) in fast.iter().zip(&plain) {
                    prop_assert_eq!(a.map(f32::to_bits), b.map(f32::to_bits));
                }
            }
            // A block of planes.
            let mut planes = [Channel::of(0.0); 3];
            lane::load(&pixels[..N], &mut planes);
            let (whole, mut out) = (Table::new(String::new(), None, Some(table)).unwrap(), [[0.0; 4]; N]);
            whole.to_pixels(planes.clone().each_mut().map(|p| &mut p[..]), &mut out);
            whole.apply_planes(planes.each_mut().map(|p| &mut p[..]));
            for (i, b) in plain[..N].iter().enumerate() {
                let want = [0, 1, 2].map(|c| b[c].to_bits());
                prop_assert_eq!([0, 1, 2].map(|c| planes[c][i].to_bits()), want);
                prop_assert_eq!([0, 1, 2].map(|c| out[i][c].to_bits()), want);
            }
        }

        #[test]
        fn a_linear_function_is_exact_between_nodes(r in 0.0..1.0_f32, g in 0.0..1.0_f32, b in 0.0..1.0_f32) {
            let t = table(5, |[r, g, b]| [0.5 * r + 0.2 * g, g - 0.3 * b, b]);
            for (v, want) in t.at([r, g, b]).iter().zip([0.5 * r + 0.2 * g, g - 0.3 * b, b]) {
                prop_assert!((v - want).abs() < 1e-6);
            }
        }
    }

    #[test]
    fn beyond_its_domain_a_table_is_held_at_its_face() {
        let t = wild(4);
        assert_eq!(t.at([2.0, 0.4, -1.0]), t.at([1.0, 0.4, 0.0]));
    }

    #[test]
    fn a_1d_part_is_linear_between_its_entries_and_comes_first() {
        let domain = Domain { min: [0.0; 3], max: [2.0; 3] };
        let shaper = Table1::new(domain, vec![[0.0; 3], [0.5; 3], [1.0; 3]]).unwrap();
        let both = Table::new(String::new(), Some(shaper), Some(table(3, |c| c))).unwrap();
        let mut p = [[0.5, 1.0, 3.0, 0.25]];
        both.apply(&mut p);
        assert_eq!(p[0], [0.25, 0.5, 1.0, 0.25]);
    }
}
