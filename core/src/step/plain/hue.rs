//! How a rendering puts the tone curve on colours: the mean of the curve on each channel and of the curve on the largest
//! channel with ratios kept. Its inverse is in [`super::inverse`].

use super::tone::ToneCurve;
use crate::numeric::lane::{log2, smoothstep};

/// Distance from neutral, of the channel farthest from the largest one, where `keep_hue` counts in full.
const COLOURFUL: f32 = 0.7;
/// Stops over grey between which keeping hue gives way: in the shoulder, ratios kept to a growing maximum would make
/// the other channels fall as one rises, which folds tables. Moved with the shoulder on displays with headroom.
const GIVES_WAY: [f32; 2] = [-1.0, 4.0];
/// Stops over grey where the way to white begins and where it is complete; moved likewise.
const WHITE_WAY: [f32; 2] = [2.0, 9.0];
/// The tone curve on colours.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Hues {
    pub(super) tone: ToneCurve,
    keep_hue: f32,
    to_white: f32,
    gives_way: [f32; 2],
    white_way: [f32; 2],
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

    /// The same, and what it changes by per light of the lowest channel.
    #[inline(always)]
    pub(super) fn keep_and_slope(&self, low: f32, m: f32) -> (f32, f32) {
        let stops = log2(m * (1.0 / 0.18));
        let most = self.keep_hue * (1.0 - smoothstep(self.gives_way[0], self.gives_way[1], stops));
        let t = ((1.0 - low / m) * (1.0 / COLOURFUL)).max(0.0).min(1.0);
        (most * t * t * (3.0 - 2.0 * t), -most * 6.0 * t * (1.0 - t) / (COLOURFUL * m))
    }

    /// Display light of a channel that has scene light `x`; `ratio` and `keep` are the pixel's.
    #[inline(always)]
    pub(super) fn mix(&self, x: f32, ratio: f32, keep: f32) -> f32 {
        let apart = self.tone.at(x);
        apart + keep * (x * ratio - apart)
    }
}
