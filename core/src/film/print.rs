//! Densities of a negative to light on the screen: printer, print, projector.

use super::curve::{CharacteristicCurve, Lane};
use super::dyes::{DENSEST, Dyes, silver_shape};
use super::even::EvenTable;
use super::spectrum::{SAMPLES, Spectrum};
use crate::colour::{Adaptation, Mat3, chromaticity::xyz_to_xy, matrix::Mat3f, primaries::AP1};
use crate::numeric::lane::{Channel, N, Planes, exp2_within};
use std::sync::Arc;

/// Entries of the table from equivalent neutral density to an amount of dye: the neutral lock's own points, whose curve has
/// corners there. They are 0.0025 apart, so that reading it between its entries is off by less than 1e-6.
const ENTRIES: usize = LOCK_POINTS;

/// Powers of two of light that count as none.
const DARKEST: f32 = -60.0;

/// The printer's side: from densities to what the print's layers are given.
#[derive(Clone, Debug, PartialEq)]
pub struct Printer {
    /// What the print's layers see of the negative's dyes and silver.
    pub sees: Mat3,
    /// Printer light: log exposure of each layer through no density at all.
    pub light: [f64; 3],
    /// The print's curves: equivalent neutral density over log exposure.
    pub curves: [CharacteristicCurve; 3],
}

impl Printer {
    /// Equivalent neutral densities that densities of the negative make.
    pub fn at(&self, densities: [f64; 3]) -> [f64; 3] {
        let seen = self.sees.apply(densities);
        std::array::from_fn(|i| self.curves[i].at(self.light[i] - seen[i]))
    }
}

/// The projection's side.
#[derive(Clone, Debug)]
pub struct Projection {
    /// Dyes on their base before the projector.
    pub dyes: Dyes,
    /// Silver for each unit of mean equivalent neutral density, and its tilt.
    pub silver: [f64; 2],
    /// XYZ to linear AP1.
    pub to_ap1: Mat3,
    /// Light taken away from all, and what the rest is multiplied by.
    pub black: f64,
    /// For each layer: what its equivalent neutral density becomes by the neutral lock, over [`DENSEST`].
    pub locked: Option<[Vec<f64>; 3]>,
}

/// Points of the neutral lock's curves.
pub const LOCK_POINTS: usize = 2101;

impl Projection {
    /// The projection of dyes for eyes adapted by `adapted` to the white of the projector, and for the rest to D65.
    pub fn new(dyes: Dyes, silver: [f64; 2], adapted: f64) -> Self {
        const D65: [f64; 3] = [0.950_456, 1.0, 1.089_058];
        let clear = dyes.clear;
        let white = std::array::from_fn(|i| adapted * clear[i] + (1.0 - adapted) * D65[i]);
        let adapt = Adaptation::Bradford.between(xyz_to_xy(white), AP1.white);
        let to_rgb = AP1.from_xyz();
        Self { dyes, silver, to_ap1: to_rgb.after(&adapt), black: 0.0, locked: None }
    }

    /// What the neutral lock makes of equivalent neutral densities.
    fn lock(&self, neutral: [f64; 3]) -> [f64; 3] {
        let Some(locked) = &self.locked else { return neutral };
        std::array::from_fn(|k| {
            let t = (neutral[k] / DENSEST).clamp(0.0, 1.0) * (LOCK_POINTS - 1) as f64;
            let i = (t as usize).min(LOCK_POINTS - 2);
            locked[k][i] + (t - i as f64) * (locked[k][i + 1] - locked[k][i])
        })
    }

    /// XYZ of equivalent neutral densities; Y is 1 for the clear print.
    pub fn xyz(&self, neutral: [f64; 3]) -> [f64; 3] {
        let silver = self.silver[0] * neutral.iter().sum::<f64>() / 3.0;
        self.dyes.xyz(self.dyes.amounts(self.lock(neutral)), silver, self.silver[1])
    }

    /// Linear AP1 of equivalent neutral densities, 1 for the clear print.
    pub fn ap1(&self, neutral: [f64; 3]) -> [f64; 3] {
        self.to_ap1.apply(self.xyz(neutral)).map(|v| (v - self.black) / (1.0 - self.black))
    }
}

/// From densities to light, ready for blocks.
#[derive(Clone, Debug, PartialEq)]
pub struct Printing {
    /// `None` for a reversal, which needs no printer.
    printer: Option<(Mat3f, [f32; 3], [Lane; 3])>,
    amounts: [EvenTable; 3],
    silver: f32,
    /// For each wavelength: what cyan, magenta, yellow and silver leave in powers of two, and R, G, B through the base.
    lines: Arc<[[f32; 7]; SAMPLES]>,
    black: f32,
}

impl Printing {
    /// Printer and projection together.
    pub fn new(printer: Option<&Printer>, projection: &Projection) -> Self {
        let dyes = &projection.dyes;
        let per = -std::f64::consts::LOG2_10;
        // No dye set, however odd, makes light brighter than powers of two can say.
        let strongest = |unit: &Spectrum| unit.iter().fold(1e-6, |a: f64, b| a.max(*b));
        let least = dyes.unit.each_ref().map(|unit| -40.0 / (strongest(unit) * -per));
        let mut amounts = [const { Vec::new() }; 3];
        for i in 0..ENTRIES {
            let neutral = DENSEST * i as f64 / (ENTRIES - 1) as f64;
            let of = dyes.amounts(projection.lock([neutral; 3]));
            for k in 0..3 {
                amounts[k].push(of[k].max(least[k]) as f32);
            }
        }
        let lines = std::array::from_fn(|i| {
            let through = (-dyes.base[i] * std::f64::consts::LN_10).exp();
            let [r, g, b] = projection.to_ap1.apply(dyes.light[i].map(|v| v * through));
            let silver = silver_shape(i, projection.silver[1]);
            let [c, m, y] = [0, 1, 2].map(|k| dyes.unit[k][i] * per);
            [c, m, y, silver * per, r, g, b].map(|v| v as f32)
        });
        Self {
            printer: printer
                .map(|p| (p.sees.to_f32(), p.light.map(|v| v as f32), p.curves.map(|c| c.lane()))),
            amounts: amounts.map(EvenTable::new),
            silver: projection.silver[0] as f32,
            lines: Arc::new(lines),
            black: projection.black as f32,
        }
    }

    /// Densities of the negative (of a reversal: equivalent neutral densities) to linear AP1, 1 for the clear print.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        if let Some((sees, light, curves)) = &self.printer {
            sees.run(planes);
            for (c, plane) in planes.iter_mut().enumerate() {
                let (curve, light) = (curves[c], light[c]);
                for v in plane.iter_mut() {
                    *v = curve.at(light - *v);
                }
            }
        }
        let (share, mut silver) = (self.silver / 3.0, Channel::of(0.0));
        for i in 0..N {
            silver[i] = share * (planes[0][i] + planes[1][i] + planes[2][i]);
        }
        let scale = (ENTRIES - 1) as f32 / DENSEST as f32;
        for (plane, table) in planes.iter_mut().zip(self.amounts.iter()) {
            plane.iter_mut().for_each(|v| *v *= scale);
            table.read(plane);
        }
        if self.silver > 0.0 {
            self.project::<true>(planes, &silver);
        } else {
            self.project::<false>(planes, &silver);
        }
    }

    /// Amounts of dye and silver to light, over all wavelengths. A few pixels at a time, so that what they add up to stays in
    /// registers over all of them.
    #[inline(always)]
    fn project<const SILVER: bool>(&self, planes: &mut Planes, silver: &Channel) {
        const FEW: usize = 32;
        let (black, scale) = (self.black, 1.0 / (1.0 - self.black));
        let [r, g, b] = planes;
        let (r, g, b) = (r.as_chunks_mut::<FEW>().0, g.as_chunks_mut::<FEW>().0, b.as_chunks_mut::<FEW>().0);
        for (((r, g), b), silver) in r.iter_mut().zip(g).zip(b).zip(silver.as_chunks::<FEW>().0) {
            let [c, m, y] = [*r, *g, *b];
            // Each by its own name: of a list of them the compiler would write all sums to memory for each wavelength.
            let [mut red, mut green, mut blue] = [[0.0; FEW]; 3];
            for line in self.lines.iter() {
                let [kc, km, ky, ks, lr, lg, lb] = *line;
                for i in 0..FEW {
                    let dyes = ky.mul_add(y[i], km.mul_add(m[i], kc * c[i]));
                    let left = if SILVER { ks.mul_add(silver[i], dyes) } else { dyes };
                    let t = exp2_within(left.max(DARKEST));
                    red[i] = lr.mul_add(t, red[i]);
                    green[i] = lg.mul_add(t, green[i]);
                    blue[i] = lb.mul_add(t, blue[i]);
                }
            }
            *r = red.map(|v| (v - black) * scale);
            *g = green.map(|v| (v - black) * scale);
            *b = blue.map(|v| (v - black) * scale);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::film::Chain;
    use crate::film::settings::{Negative, Print};
    use crate::film::stock::{Band, negatives, prints};
    use proptest::prelude::*;

    /// Densities of the negative from none to more than any has, in all mixtures.
    fn mixtures() -> Planes {
        let at = |i: usize, step: usize| -0.3 + 4.2 * (i / step % 6) as f32 / 5.0;
        [1, 6, 36].map(|step| Channel::from(std::array::from_fn(|i| at(i, step))))
    }

    #[test]
    fn blocks_give_what_the_parts_give_one_by_one() {
        for print in prints() {
            // Where a layer is almost clear the neutral lock is steep, and lines between its points cut corners.
            for (silver, lock, black, most) in
                [(0.0, 0.0, 0.0, 1e-5), (0.6, 0.0, 0.8, 1e-5), (0.6, 0.5, 0.8, 1e-3)]
            {
                let step = Print { stock: print.clone(), silver, lock, black, ..Default::default() };
                let negative = Negative { stock: negatives()[0].clone(), ..Default::default() };
                let chain = Chain::new(Some(&negative), Some(&step));
                let (mut block, densities) = (mixtures(), mixtures());
                chain.printing.run(&mut block);
                for i in 0..216 {
                    let d = [0, 1, 2].map(|c| f64::from(densities[c][i]));
                    let printer = chain.printer.as_ref().unwrap();
                    let want = chain.projection.ap1(printer.at(d));
                    for c in 0..3 {
                        let got = f64::from(block[c][i]);
                        assert!(
                            (got - want[c]).abs() < most,
                            "{} {silver} {lock}: {d:?}: {got} {want:?}",
                            print.name
                        );
                    }
                }
            }
        }
    }

    #[test]
    fn more_printer_light_makes_a_denser_print_and_none_a_clear_one() {
        let chain = Chain::new(None, Some(&Print::default()));
        let mut block = [Channel::of(0.0); 3];
        // Densities that let less and less light onto the print.
        for (i, d) in (0..N).map(|i| (i, i as f32 * 0.03)) {
            block.iter_mut().for_each(|plane| plane[i] = d);
        }
        chain.printing.run(&mut block);
        for plane in &block {
            assert!(plane.windows(2).all(|p| p[1] > p[0] - 1e-6), "light rises with the negative's density");
            assert!(plane[0] < 1e-3 && plane[N - 1] > 0.5, "{} {}", plane[0], plane[N - 1]);
        }
    }

    #[test]
    fn amounts_far_below_none_make_very_bright_light_and_not_another_number() {
        let mut dyes = Dyes::new(&prints()[0].dyes, 5400.0);
        // Six bands of the most height on one another, and the least amounts that are solved for.
        dyes.unit = [[12.0; SAMPLES]; 3];
        dyes.amounts.fill([-2.0; 3]);
        let mut block = [Channel::of(0.0); 3];
        Printing::new(None, &Projection::new(dyes, [0.0; 2], 0.0)).run(&mut block);
        assert!(block.iter().flat_map(|c| c.iter()).all(|v| v.is_finite() && *v > 1e30), "{:?}", block[0][0]);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]

        #[test]
        fn dyes_as_odd_as_a_stock_may_have_still_make_light_that_is_a_number(
            bands in proptest::collection::vec((0.4..2.0_f64, 0.0..1.0_f64, 8.0..120.0_f64), 3),
            others in proptest::collection::vec((0.0..2.0_f64, 360.0..760.0_f64, 8.0..120.0_f64), 3 * 5),
        ) {
            let mut print = prints()[0].clone();
            let set = &mut print.dyes;
            let own = [[590.0, 720.0], [500.0, 590.0], [390.0, 500.0]];
            for (k, dye) in [&mut set.cyan, &mut set.magenta, &mut set.yellow].into_iter().enumerate() {
                let (height, share, width) = bands[k];
                let centre = own[k][0] + share * (own[k][1] - own[k][0]);
                *dye = vec![Band { height, centre, width }];
                let more = others[5 * k..5 * k + 5].iter();
                dye.extend(more.map(|(height, centre, width)| Band { height: *height, centre: *centre, width: *width }));
            }
            prop_assert_eq!(print.check(), Ok(()));
            let step = Print { stock: print, silver: 1.0, ..Default::default() };
            let chain = Chain::new(None, Some(&step));
            let mut block = mixtures();
            chain.printing.run(&mut block);
            prop_assert!(block.iter().flat_map(|c| c.iter()).all(|v| v.is_finite()));
        }
    }
}
