//! Dyes on their base before the projector: how much of each makes a grey, and what light passes.

use super::spectrum::{OBSERVER, SAMPLES, Spectrum, daylight, wavelength};
use super::stock::{Band, DyeSet};
use crate::colour::{Mat3, chromaticity::xyz_to_xy};

/// A dye set before a projector.
#[derive(Clone, Debug)]
pub struct Dyes {
    /// Spectral density of one unit of cyan, magenta and yellow.
    pub unit: [Spectrum; 3],
    /// Spectral density of the base.
    pub base: Spectrum,
    /// X, Y and Z that each wavelength gives through nothing; scaled so that the clear base has a Y of 1.
    pub light: [[f64; 3]; SAMPLES],
    /// XYZ of the clear base.
    pub clear: [f64; 3],
    /// Visual density of the base (ISO 5-3: the projector's light weighted by y-bar).
    pub base_density: f64,
    /// Amounts of the dyes that make a grey of the densities [`DENSITIES`].
    pub amounts: Vec<[f64; 3]>,
}

/// Densities at which amounts are solved: from 0 to [`DENSEST`], evenly.
pub const DENSITIES: usize = 106;
/// The densest grey.
pub const DENSEST: f64 = 5.25;

fn bands(all: &[Band]) -> Spectrum {
    std::array::from_fn(|i| {
        let at = |b: &Band| b.height * (-0.5 * ((wavelength(i) - b.centre) / b.width).powi(2)).exp();
        all.iter().map(at).sum()
    })
}

impl Dyes {
    /// The dyes of a set in the light of a projector at a daylight temperature in kelvin.
    pub fn new(set: &DyeSet, projector: f64) -> Self {
        let unit = [bands(&set.cyan), bands(&set.magenta), bands(&set.yellow)];
        let stain = bands(&set.stain);
        let base: Spectrum = stain.map(|v| v + set.base);
        let power = daylight(projector);
        let mut light: [[f64; 3]; SAMPLES] = std::array::from_fn(|i| OBSERVER[i].map(|bar| bar * power[i]));
        let sum = |c: usize, base: &Spectrum| -> f64 {
            light.iter().zip(base).map(|(l, d)| l[c] * transmitted(*d)).sum()
        };
        let (through, open) = (sum(1, &base), sum(1, &[0.0; SAMPLES]));
        light.iter_mut().flatten().for_each(|v| *v /= through);
        let mut dyes = Self {
            unit,
            base,
            light,
            clear: [0.0; 3],
            base_density: -(through / open).log10(),
            amounts: Vec::with_capacity(DENSITIES),
        };
        dyes.clear = dyes.xyz([0.0; 3], 0.0, 0.0);
        let (mut c, mut before) = ([0.0; 3], [0.0; 3]);
        for i in 0..DENSITIES {
            let ahead = std::array::from_fn(|k| 2.0 * c[k] - before[k]);
            before = c;
            c = dyes.solve(DENSEST * i as f64 / (DENSITIES - 1) as f64, ahead);
            dyes.amounts.push(c);
        }
        dyes
    }

    /// XYZ of light through amounts of the dyes, and through silver with a tilt; Y is 1 for the clear base.
    pub fn xyz(&self, c: [f64; 3], silver: f64, tilt: f64) -> [f64; 3] {
        let mut xyz = [0.0; 3];
        for i in 0..SAMPLES {
            let dye = (0..3).map(|k| c[k] * self.unit[k][i]).sum::<f64>();
            let t = transmitted(self.base[i] + dye + silver * silver_shape(i, tilt));
            xyz.iter_mut().zip(self.light[i]).for_each(|(sum, l)| *sum += t * l);
        }
        xyz
    }

    /// Amounts of the dyes that make a grey `density` denser than the clear base: Newton's method on the logarithms of
    /// X, Y and Z, from amounts near it.
    fn solve(&self, density: f64, near: [f64; 3]) -> [f64; 3] {
        let mut c = near;
        let wanted = self.clear.map(|v| v.ln() - density * std::f64::consts::LN_10);
        for _ in 0..12 {
            let (mut xyz, mut slopes) = ([0.0; 3], [[0.0; 3]; 3]);
            for i in 0..SAMPLES {
                let dye = (0..3).map(|k| c[k] * self.unit[k][i]).sum::<f64>();
                let t = transmitted(self.base[i] + dye);
                for row in 0..3 {
                    let light = t * self.light[i][row];
                    xyz[row] += light;
                    for k in 0..3 {
                        slopes[row][k] -= std::f64::consts::LN_10 * light * self.unit[k][i];
                    }
                }
            }
            let miss: [f64; 3] = std::array::from_fn(|row| wanted[row] - xyz[row].ln());
            let jacobian = Mat3(std::array::from_fn(|row| slopes[row].map(|v| v / xyz[row])));
            // A dye set that makes no grey: the amounts stay as they were.
            let Some(inverse) = jacobian.inverse() else { return near };
            let by = inverse.apply(miss);
            for (amount, by) in c.iter_mut().zip(by) {
                *amount = (*amount + by.clamp(-1.0, 1.0)).clamp(-2.0, 20.0);
            }
            // Each step squares what is left.
            if by.iter().all(|v| v.abs() < 1e-6) {
                break;
            }
        }
        c
    }

    /// Amounts of the three dyes for equivalent neutral densities: cubics through the solved greys.
    pub fn amounts(&self, neutral: [f64; 3]) -> [f64; 3] {
        std::array::from_fn(|k| {
            let t = (neutral[k] / DENSEST).clamp(0.0, 1.0) * (DENSITIES - 1) as f64;
            let i = (t as usize).min(DENSITIES - 2);
            let at = |j: usize| self.amounts[j.min(DENSITIES - 1)][k];
            let (a, b) = (at(i), at(i + 1));
            // Slopes from the neighbours on both sides; beyond the ends they go on straight.
            let before = if i == 0 { 2.0 * a - b } else { at(i - 1) };
            let after = if i + 2 == DENSITIES { 2.0 * b - a } else { at(i + 2) };
            let (u, m, n) = (t - i as f64, 0.5 * (b - before), 0.5 * (after - a));
            a + u * (m + u * (3.0 * (b - a) - 2.0 * m - n + u * (m + n - 2.0 * (b - a))))
        })
    }

    /// Chromaticity of the clear base in the projector's light.
    pub fn white(&self) -> [f64; 2] {
        xyz_to_xy(self.clear)
    }
}

/// How silver's density lies over the wavelengths: 1 in the middle, more in the blue by `tilt`.
pub fn silver_shape(i: usize, tilt: f64) -> f64 {
    1.0 + tilt * (550.0 - wavelength(i)) / 170.0
}

fn transmitted(density: f64) -> f64 {
    (-density * std::f64::consts::LN_10).exp()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::film::stock::{negatives, prints};

    #[test]
    fn equal_densities_of_all_three_are_grey_of_that_density_under_the_projector() {
        let sets = prints().iter().map(|p| &p.dyes);
        let sets = sets.chain(negatives().iter().filter_map(|n| n.projected.as_ref()).map(|p| &p.dyes));
        for set in sets {
            let dyes = Dyes::new(set, 5400.0);
            assert!((dyes.clear[1] - 1.0).abs() < 1e-12 && dyes.base_density > 0.0);
            for density in [0.0, 0.33, 1.02, 2.4, 3.7] {
                let xyz = dyes.xyz(dyes.amounts([density; 3]), 0.0, 0.0);
                assert!((-xyz[1].log10() - density).abs() < 1e-5, "{density}: {xyz:?}");
                let (a, b) = (xyz_to_xy(xyz), dyes.white());
                assert!((a[0] - b[0]).abs() < 1e-6 && (a[1] - b[1]).abs() < 1e-6, "{density}: {a:?} {b:?}");
            }
        }
    }
}
