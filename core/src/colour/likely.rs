//! What code values speak for, where a file does not say how it is encoded. A hint for people, never a decision.

/// What a picture's code values look like.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Likely {
    /// A camera's log encoding: black well above zero, white well below one, little colour.
    Log {
        /// The code value that all but the darkest half per cent lie above.
        from: f32,
        /// The code value that all but the brightest half per cent lie below.
        to: f32,
    },
    /// Linear light: values beyond one or below zero, or nearly all of them near black.
    Linear,
}

/// The share of pixels that is left out at each end.
const ENDS: f64 = 0.005;
/// Log encodings of cameras have black between 3 and 13 % and keep the top for lights that a scene seldom has (common
/// practice); a picture made for a display reaches its black nearly always.
const LOG_BLACK: f32 = 0.05;
const LOG_WHITE: f32 = 0.93;
/// Colours in a log encoding lie at about a third of their distance on a display; this share of it as a median is much.
const LOG_COLOUR: f32 = 0.16;
/// A median under this with values of ten times as much is light as it is.
const LINEAR_MEDIAN: f32 = 0.08;

/// What code values speak for; `None` where they do for nothing in particular. Looks at every pixel given: a few thousand are
/// enough.
pub fn likely(pixels: &[[f32; 4]]) -> Option<Likely> {
    if pixels.is_empty() {
        return None;
    }
    // BT.709-6, 3.2; what the primaries are nobody knows yet.
    let luma = |p: &[f32; 4]| p[0] * 0.2126 + p[1] * 0.7152 + p[2] * 0.0722;
    let colour = |p: &[f32; 4]| p[0].max(p[1]).max(p[2]) - p[0].min(p[1]).min(p[2]);
    let sorted = |of: &dyn Fn(&[f32; 4]) -> f32| {
        let mut all: Vec<f32> = pixels.iter().map(of).collect();
        all.sort_by(f32::total_cmp);
        all
    };
    let at = |all: &[f32], share: f64| all[((all.len() - 1) as f64 * share).round() as usize];
    let lumas = sorted(&luma);
    let [from, median, to] = [ENDS, 0.5, 1.0 - ENDS].map(|s| at(&lumas, s));
    let beyond = pixels.iter().flat_map(|p| &p[..3]).filter(|v| **v > 1.001 || **v < -0.001).count();
    if beyond * 1000 > pixels.len() || (median < LINEAR_MEDIAN && to > 10.0 * median.max(1e-4)) {
        return Some(Likely::Linear);
    }
    let flat = at(&sorted(&colour), 0.5) < LOG_COLOUR;
    // A picture of one tone says nothing.
    (from > LOG_BLACK && to < LOG_WHITE && to - from > 0.05 && flat).then_some(Likely::Log { from, to })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::{Encoding, Reference};
    use crate::graph::Program;
    use crate::look::Path;

    /// A scene: light over ten stops about grey as scenes have it (the logarithm of light is close to a normal
    /// distribution: common practice), a part of it in shadow, tinted one way and another.
    fn scene(seed: u32) -> Vec<[f32; 4]> {
        let mut state = seed.wrapping_mul(2_654_435_769) | 1;
        let mut next = || {
            state ^= state << 13;
            state ^= state >> 17;
            state ^= state << 5;
            f64::from(state) / f64::from(u32::MAX)
        };
        (0..4000)
            .map(|_| {
                let normal: f64 = (0..12).map(|_| next()).sum::<f64>() - 6.0;
                let light = 0.14 * (1.8 * normal).exp2().clamp(0.003, 60.0);
                let tint = [next(), next(), next()].map(|t| (0.9 * (t - 0.5)).exp2());
                let [r, g, b] = tint.map(|t| (light * t) as f32);
                [r, g, b, 1.0]
            })
            .collect()
    }

    fn encoded(pixels: &[[f32; 4]], id: &str) -> Vec<[f32; 4]> {
        let (from, to) = (Encoding::find("acescg").unwrap(), Encoding::find(id).unwrap());
        let mut out = pixels.to_vec();
        Program::compile(&Path::default(), &from, &to).unwrap().run(&mut out);
        out
    }

    #[test]
    fn scenes_in_a_log_encoding_speak_for_log_and_rendered_ones_do_not() {
        for seed in 1..20 {
            let scene = scene(seed);
            for e in Encoding::shipped() {
                let found = likely(&encoded(&scene, &e.id));
                let says = (matches!(found, Some(Likely::Log { .. })), found == Some(Likely::Linear));
                let want = (e.reference == Reference::Scene && !e.is_linear(), e.is_linear());
                // Rendered pictures are for displays; linear light is told by its few high values.
                assert_eq!(says, want, "{} with seed {seed}: {found:?}", e.id);
            }
        }
    }

    #[test]
    fn nothing_is_said_of_a_picture_of_one_tone_or_of_none() {
        assert_eq!(likely(&[]), None);
        assert_eq!(likely(&[[0.4, 0.4, 0.4, 1.0]; 50]), None);
        assert_eq!(likely(&[[f32::NAN; 4]; 50]), None);
    }
}
