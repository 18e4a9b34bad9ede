//! Exposures of the layers to densities.

use super::curve::{CharacteristicCurve, Lane};
use crate::numeric::lane::{N, Planes, log2, select};

/// Light so faint that it no longer counts, over middle grey: keeps the logarithm of black finite.
pub const FAINTEST: f64 = 1e-6;

/// log10 of two: stops to log exposure.
pub const STOP: f64 = std::f64::consts::LOG10_2;

/// A scene's range brought into a stock's latitude, in log exposure about middle grey: x / (1 + c |x|) on each side.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct RangeFit {
    /// The bend below and above middle grey; 0 leaves it straight.
    pub bend: [f64; 2],
}

impl RangeFit {
    /// Brings `scene` (black and white of the scene in stops about grey) to `limit` by an amount of 0..1. A side whose
    /// limit lies beyond the scene stays straight.
    pub fn new(scene: [f64; 2], limit: [f64; 2], amount: f64) -> Self {
        let bend = |i: usize| {
            let (scene, limit) = (scene[i].abs() * STOP, limit[i].abs() * STOP);
            amount * (1.0 / limit.max(1e-3) - 1.0 / scene.max(1e-3)).max(0.0)
        };
        Self { bend: [bend(0), bend(1)] }
    }

    /// Log exposure after the fit.
    pub fn at(&self, x: f64) -> f64 {
        x / (1.0 + self.bend[usize::from(x > 0.0)] * x.abs())
    }
}

/// Layer exposures to densities, ready for blocks.
#[derive(Clone, Debug, PartialEq)]
pub struct Developing {
    fit: [f32; 2],
    common: Lane,
    restraint: Option<[[f32; 3]; 3]>,
    layers: [Lane; 3],
    /// What the curve is given is x times this plus the offset: a reversal is darker where less light fell.
    way: f32,
    offset: [f32; 3],
}

/// What development works with.
#[derive(Clone, Debug, PartialEq)]
pub struct Chemistry {
    /// The scene's range.
    pub fit: RangeFit,
    /// The layers' curves.
    pub curves: [CharacteristicCurve; 3],
    /// The curve of the development that restrains.
    pub common: CharacteristicCurve,
    /// How layers restrain each other.
    pub restraint: [[f64; 3]; 3],
    /// For a reversal, what is added to -x before its curve.
    pub reversal: Option<[f64; 3]>,
}

impl Chemistry {
    /// Log exposure over middle grey, fitted.
    pub fn x(&self, exposure: f64) -> f64 {
        self.fit.at((exposure / super::GREY + FAINTEST).log10())
    }

    /// Densities of the layers under a neutral light, which no layer restrains.
    pub fn neutral(&self, exposure: f64) -> [f64; 3] {
        let x = self.x(exposure);
        std::array::from_fn(|i| match self.reversal {
            None => self.curves[i].at(x),
            Some(offset) => self.curves[i].at(offset[i] - x),
        })
    }

    /// For blocks.
    pub fn lane(&self) -> Developing {
        let restrains = self.restraint.as_flattened().iter().any(|v| *v != 0.0);
        Developing {
            fit: self.fit.bend.map(|v| v as f32),
            common: self.common.lane(),
            restraint: restrains.then_some(self.restraint.map(|row| row.map(|v| v as f32))),
            layers: self.curves.map(|c| c.lane()),
            way: if self.reversal.is_some() { -1.0 } else { 1.0 },
            offset: self.reversal.unwrap_or_default().map(|v| v as f32),
        }
    }
}

impl Developing {
    /// Layer exposures to fitted log exposures.
    #[inline(always)]
    fn log(&self, planes: &mut Planes) {
        let [below, above] = self.fit;
        for plane in &mut *planes {
            for v in plane {
                *v = log2(*v * (1.0 / super::GREY as f32) + FAINTEST as f32) * STOP as f32;
            }
        }
        if self.fit == [0.0; 2] {
            return;
        }
        for plane in planes {
            for v in plane {
                *v = *v / (1.0 + select(*v > 0.0, above, below) * v.abs());
            }
        }
    }

    /// What the layers' development gives each of them in log exposure; nothing where all are equal.
    #[inline(always)]
    fn restrain(&self, planes: &mut Planes) {
        let Some(k) = self.restraint else { return };
        let (common, mut g) = (self.common, *planes);
        for plane in &mut g {
            for v in plane {
                *v = common.at(*v);
            }
        }
        for (c, plane) in planes.iter_mut().enumerate() {
            for i in 0..N {
                let own = g[c][i];
                plane[i] += k[c][0] * (own - g[0][i]) + k[c][1] * (own - g[1][i]) + k[c][2] * (own - g[2][i]);
            }
        }
    }

    /// Log exposures to densities above base; for a reversal, to equivalent neutral densities.
    #[inline(always)]
    fn densities(&self, planes: &mut Planes) {
        for (c, plane) in planes.iter_mut().enumerate() {
            let (curve, way, offset) = (self.layers[c], self.way, self.offset[c]);
            for v in plane.iter_mut() {
                *v = curve.at(way * *v + offset);
            }
        }
    }

    /// Layer exposures to densities above base; for a reversal, to equivalent neutral densities.
    #[inline(always)]
    pub fn run(&self, planes: &mut Planes) {
        self.log(planes);
        self.restrain(planes);
        self.densities(planes);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_range_fit_brings_the_scenes_ends_to_the_limits_and_leaves_grey() {
        let fit = RangeFit::new([-9.0, 10.0], [-5.0, 6.0], 1.0);
        assert!(
            (fit.at(-9.0 * STOP) + 5.0 * STOP).abs() < 1e-12
                && (fit.at(10.0 * STOP) - 6.0 * STOP).abs() < 1e-12
        );
        assert_eq!(fit.at(0.0), 0.0);
        // A stock that holds more than the scene has nothing to do.
        assert_eq!(RangeFit::new([-4.0, 4.0], [-5.0, 6.0], 1.0), RangeFit::default());
        // Straight at grey.
        assert!((fit.at(1e-6) / 1e-6 - 1.0).abs() < 1e-5);
    }
}
