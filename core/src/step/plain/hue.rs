//! How a rendering puts the tone curve on colours: the mean of the curve on each channel and of the curve on the largest
//! channel with ratios kept, and its inverse.

use super::tone::ToneCurve;
use crate::lane::{N, Plane, log2, select, smoothstep};

/// Distance from neutral, of the channel farthest from the largest one, where `keep_hue` counts in full.
const COLOURFUL: f32 = 0.7;
/// Stops over grey between which keeping hue gives way: in the shoulder, ratios kept to a growing maximum would make
/// the other channels fall as one rises, which folds tables. Moved with the shoulder on displays with headroom.
const GIVES_WAY: [f32; 2] = [-1.0, 4.0];
/// Stops over grey where the way to white begins and where it is complete; moved likewise.
const WHITE_WAY: [f32; 2] = [2.0, 9.0];
/// Halvings of the bracket about a channel's scene light. The bracket comes from both closed inverses and is
/// mostly narrow already; after these it is as narrow as f32 holds.
const HALVINGS: usize = 22;

/// The tone curve on colours.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Hues {
    pub(super) tone: ToneCurve,
    keep_hue: f32,
    to_white: f32,
    gives_way: [f32; 2],
    white_way: [f32; 2],
}

/// What the inverse needs of each pixel: its largest channel in scene light, and display over scene light there.
pub(super) struct Largest {
    pub m: Plane,
    pub ratio: Plane,
}

impl Hues {
    /// With a tone curve whose shoulder lies `shift` stops higher than on an SDR display.
    pub(super) fn new(tone: ToneCurve, keep_hue: f64, to_white: f64, shift: f32) -> Self {
        Self {
            tone,
            keep_hue: keep_hue as f32,
            to_white: to_white as f32,
            gives_way: GIVES_WAY.map(|v| v + shift),
            white_way: WHITE_WAY.map(|v| v + shift),
        }
    }

    /// What is left of the distances to a largest channel on the way to white.
    #[inline(always)]
    pub(super) fn whiten(&self, m: f32) -> f32 {
        let stops = log2(m * (1.0 / 0.18));
        1.0 - self.to_white * smoothstep(self.white_way[0], self.white_way[1], stops)
    }

    /// How far hue is kept for a pixel with this lowest and highest channel.
    #[inline(always)]
    pub(super) fn keep(&self, low: f32, m: f32) -> f32 {
        let stops = log2(m * (1.0 / 0.18));
        let bright = smoothstep(self.gives_way[0], self.gives_way[1], stops);
        self.keep_hue * smoothstep(0.0, COLOURFUL, 1.0 - low / m) * (1.0 - bright)
    }

    /// Display light of a channel that has scene light `x`; `ratio` and `keep` are the pixel's.
    #[inline(always)]
    pub(super) fn mix(&self, x: f32, ratio: f32, keep: f32) -> f32 {
        let apart = self.tone.at(x);
        apart + keep * (x * ratio - apart)
    }

    /// Puts in place of a channel's display light the scene light whose mixture it is: halving of a bracket on a
    /// rising function. Light below zero had its ratio kept. How far hue was kept is given in `kept`, or follows
    /// from the light itself where this is the pixel's lowest channel, and is then left in `kept`.
    #[inline(always)]
    pub(super) fn unmix(&self, plane: &mut Plane, p: &Largest, kept: &mut Plane, lowest: bool) {
        let k = *self;
        let (mut low, mut high) = ([0.0; N], [0.0; N]);
        for i in 0..N {
            // Where hue is not kept and where it is kept in full: the light lies between.
            let (apart, together) = (k.tone.inverse(plane[i]), plane[i] / p.ratio[i]);
            low[i] = apart.min(together) * (1.0 - 1e-5);
            high[i] = apart.max(together) * (1.0 + 1e-5);
        }
        for _ in 0..HALVINGS {
            let mut x = [0.0; N];
            for i in 0..N {
                x[i] = (low[i] + high[i]) * 0.5;
            }
            if lowest {
                for i in 0..N {
                    kept[i] = k.keep(x[i], p.m[i]);
                }
            }
            for i in 0..N {
                let below = k.mix(x[i], p.ratio[i], kept[i]) < plane[i];
                low[i] = select(below, x[i], low[i]);
                high[i] = select(below, high[i], x[i]);
            }
        }
        for i in 0..N {
            plane[i] = select(plane[i] < 0.0, plane[i] / p.ratio[i], (low[i] + high[i]) * 0.5);
        }
    }
}
