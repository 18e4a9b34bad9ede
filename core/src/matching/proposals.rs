//! Pairs that the program proposes: patches of both pictures that are likely to be of the same kind. Somebody confirms them.

use super::references::Pair;
use super::small::{Area, Small};
use crate::colour::plane::SKIN_DEGREES;
use crate::numeric::percentile::percentile;
use schemars::JsonSchema;
use serde::Serialize;

/// What a pair may be of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Likely {
    /// Skin, or what has its hue.
    Skin,
    /// Foliage and other greens.
    Greens,
    /// Sky, water and other blues.
    Blues,
    /// Greys of middle brightness.
    Greys,
    /// The darkest tones.
    Darks,
    /// The brightest tones that are not clipped.
    Lights,
}

/// All kinds, the ones first that say most.
const KINDS: [Likely; 6] =
    [Likely::Skin, Likely::Greens, Likely::Blues, Likely::Greys, Likely::Darks, Likely::Lights];

/// A proposed pair.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Proposal {
    /// What it may be of.
    pub of: Likely,
    /// The areas.
    pub pair: Pair,
}

/// Side of a proposed patch, as a share of the picture's longer side.
const SIDE: f64 = 1.0 / 14.0;
/// Share of a patch that has to be of the kind.
const SHARE: f64 = 0.8;
/// Chroma from which a colour has a hue, and under which it is grey.
const COLOURED: f64 = 0.03;
const GREY: f64 = 0.02;
/// Code at which a channel is clipped.
const CLIPPED: f32 = 0.985;

/// Middle and reach of a kind's hues, in degrees on the plane.
fn hues(of: Likely) -> Option<[f64; 2]> {
    match of {
        Likely::Skin => Some([SKIN_DEGREES, 20.0]),
        Likely::Greens => Some([215.0, 30.0]),
        Likely::Blues => Some([340.0, 30.0]),
        _ => None,
    }
}

/// Which pixels of a picture are of a kind.
fn members(of: Likely, picture: &Small, split: &[[f64; 3]]) -> Vec<bool> {
    let mut lumas: Vec<f64> = split.iter().map(|p| p[0]).collect();
    let [low, high] = [0.12, 0.9].map(|s| percentile(&mut lumas, s));
    let each = |(p, [y, cb, cr]): (&[f32; 4], &[f64; 3])| {
        let chroma = cb.hypot(*cr);
        let clipped = p[..3].iter().any(|v| *v >= CLIPPED);
        match (of, hues(of)) {
            (_, Some([hue, reach])) => {
                let off = (cr.atan2(*cb).to_degrees() - hue + 180.0).rem_euclid(360.0) - 180.0;
                chroma > COLOURED && off.abs() < reach && (0.12..0.9).contains(y) && !clipped
            }
            (Likely::Greys, _) => chroma < GREY && (0.25..0.75).contains(y),
            (Likely::Darks, _) => *y <= low,
            _ => *y >= high && !clipped,
        }
    };
    picture.pixels.iter().zip(split).map(each).collect()
}

/// The square of a picture that holds most of a kind, where one holds enough of it; the calmest of those that hold as much.
fn patch(of: Likely, picture: &Small, split: &[[f64; 3]]) -> Option<Area> {
    let (w, h) = (picture.width, picture.height);
    let side = ((w.max(h) as f64 * SIDE).round() as usize).max(2).min(w).min(h);
    let inside = members(of, picture, split);
    // Sums over everything to the left and above: members, luma and its square.
    let mut sums = vec![[0.0_f64; 3]; (w + 1) * (h + 1)];
    for y in 0..h {
        for x in 0..w {
            let v = split[y * w + x][0];
            let own = [f64::from(u8::from(inside[y * w + x])), v, v * v];
            for c in 0..3 {
                sums[(y + 1) * (w + 1) + x + 1][c] =
                    own[c] + sums[y * (w + 1) + x + 1][c] + sums[(y + 1) * (w + 1) + x][c]
                        - sums[y * (w + 1) + x][c];
            }
        }
    }
    let area = (side * side) as f64;
    let mut best: Option<(f64, usize, usize)> = None;
    for y in 0..=h - side {
        for x in 0..=w - side {
            let at = |x: usize, y: usize| sums[y * (w + 1) + x];
            let (a, b, c, d) = (at(x, y), at(x + side, y), at(x, y + side), at(x + side, y + side));
            let [held, sum, square] = [0, 1, 2].map(|i| (d[i] - b[i] - c[i] + a[i]) / area);
            let spread = (square - sum * sum).max(0.0).sqrt();
            let worth = held - 2.0 * spread;
            if held >= SHARE && best.is_none_or(|(most, ..)| worth > most) {
                best = Some((worth, x, y));
            }
        }
    }
    best.map(|(_, x, y)| {
        let (x, y) = (x as f64 / w as f64, y as f64 / h as f64);
        Area {
            x,
            y,
            width: (side as f64 / w as f64).min(1.0 - x),
            height: (side as f64 / h as f64).min(1.0 - y),
        }
    })
}

/// Proposes pairs of a shot, as it is seen, with a reference: one for each kind that both have.
pub fn propose(shot: &Small, reference: &Small, of: usize) -> Vec<Proposal> {
    if shot.is_flat() || reference.is_flat() {
        return Vec::new();
    }
    let (own, its) = (shot.split(), reference.split());
    let each = |kind: &Likely| {
        let pair = Pair { shot: patch(*kind, shot, &own)?, reference: patch(*kind, reference, &its)?, of };
        Some(Proposal { of: *kind, pair })
    };
    KINDS.iter().filter_map(each).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::colour::plane::polar;
    use crate::matching::small::plane;
    use proptest::prelude::*;

    /// A grey ramp with a disc of a hue at a place.
    fn picture(width: usize, height: usize, hue: f64, middle: [f64; 2]) -> Small {
        let plane = plane();
        let pixels = (0..width * height).map(|i| {
            let (x, y) = ((i % width) as f64 / width as f64, (i / width) as f64 / height as f64);
            let disc = (x - middle[0]).hypot(y - middle[1]) < 0.15;
            let (cb, cr) = if disc { polar(hue, 0.1) } else { (0.0, 0.0) };
            let luma = if disc { 0.5 } else { 0.05 + 0.85 * x };
            let [r, g, b] = plane.join(luma as f32, cb as f32, cr as f32);
            [r, g, b, 1.0]
        });
        Small { width, height, pixels: pixels.collect() }
    }

    #[test]
    fn skin_is_paired_with_skin_wherever_it_lies() {
        let a = picture(160, 90, SKIN_DEGREES, [0.3, 0.4]);
        let b = picture(90, 160, SKIN_DEGREES + 8.0, [0.7, 0.6]);
        let found = propose(&a, &b, 0);
        let skin = found.iter().find(|p| p.of == Likely::Skin).unwrap();
        let centre = |a: &Area| [a.x + 0.5 * a.width, a.y + 0.5 * a.height];
        let ([x, y], [u, v]) = (centre(&skin.pair.shot), centre(&skin.pair.reference));
        assert!((x - 0.3).hypot(y - 0.4) < 0.15 && (u - 0.7).hypot(v - 0.6) < 0.15, "{skin:?}");
        // Neither has greens; both have greys, darks and lights.
        assert!(found.iter().all(|p| p.of != Likely::Greens));
        assert!(
            [Likely::Greys, Likely::Darks, Likely::Lights].iter().all(|k| found.iter().any(|p| p.of == *k))
        );
        let blue = picture(160, 90, 340.0, [0.5, 0.5]);
        assert!(propose(&a, &blue, 0).iter().all(|p| p.of != Likely::Skin && p.of != Likely::Blues));
    }

    #[test]
    fn a_flat_picture_and_one_of_a_pixel_give_no_pairs() {
        let flat = Small { width: 8, height: 8, pixels: vec![[0.5, 0.5, 0.5, 1.0]; 64] };
        assert_eq!(propose(&flat, &picture(160, 90, 100.0, [0.5, 0.5]), 0), Vec::new());
        let one = Small { width: 1, height: 1, pixels: vec![[0.5, 0.2, 0.5, 1.0]] };
        assert_eq!(propose(&one, &one, 0), Vec::new());
    }

    proptest! {
        #[test]
        fn whatever_the_shape_patches_lie_inside_and_can_be_matched(
            size in [1_usize..120, 1..120],
            hue in 0.0..360.0_f64,
            middle in [0.0..1.0_f64, 0.0..1.0],
        ) {
            let a = picture(size[0], size[1], hue, middle);
            for p in propose(&a, &a, 0) {
                for area in [p.pair.shot, p.pair.reference] {
                    prop_assert!(area.x >= 0.0 && area.y >= 0.0);
                    prop_assert!(area.x + area.width <= 1.0 && area.y + area.height <= 1.0);
                }
                // The same picture is paired with itself at the same place.
                prop_assert_eq!(p.pair.shot, p.pair.reference);
            }
        }
    }
}
