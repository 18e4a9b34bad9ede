//! A drawn part of the picture that scopes and matches are limited to.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// The most corners of an area.
pub const MAX_CORNERS: usize = 512;

/// A closed line over the picture: four corners for a rectangle, many for one drawn by hand.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Area {
    /// Its corners as shares of the picture's width and height, from the upper left.
    pub corners: Vec<[f64; 2]>,
}

/// Why an area cannot be used.
#[derive(Debug, Error, PartialEq, Eq)]
pub enum AreaError {
    /// Too few or too many corners.
    #[error("an area has 3 to {MAX_CORNERS} corners; this one has {0}")]
    Corners(usize),
    /// A corner that is no place.
    #[error("a corner of the area is not a finite number")]
    NotFinite,
    /// No pixel's centre lies inside.
    #[error("the area is too small: no pixel lies in it; draw it larger")]
    Empty,
}

/// The pixels of a picture that an area holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mask {
    inside: Vec<bool>,
}

impl Mask {
    /// Whether a pixel, by its place in row order, lies inside.
    #[inline(always)]
    pub fn holds(&self, index: usize) -> bool {
        self.inside[index]
    }

    /// The pixels inside, in row order.
    pub fn gather<T: Copy>(&self, pixels: &[T]) -> Vec<T> {
        pixels.iter().zip(&self.inside).filter(|(_, inside)| **inside).map(|(p, _)| *p).collect()
    }
}

impl Area {
    /// The pixels of a picture of `width * height` whose centres lie inside (even-odd rule).
    pub fn mask(&self, width: usize, height: usize) -> Result<Mask, AreaError> {
        if !(3..=MAX_CORNERS).contains(&self.corners.len()) {
            return Err(AreaError::Corners(self.corners.len()));
        }
        if self.corners.iter().flatten().any(|v| !v.is_finite()) {
            return Err(AreaError::NotFinite);
        }
        let mut inside = vec![false; width * height];
        let mut crossings = Vec::new();
        for (y, row) in inside.chunks_exact_mut(width.max(1)).enumerate() {
            let at = (y as f64 + 0.5) / height as f64;
            crossings.clear();
            for (k, a) in self.corners.iter().enumerate() {
                let b = self.corners[(k + 1) % self.corners.len()];
                if (a[1] <= at) != (b[1] <= at) {
                    crossings.push(a[0] + (at - a[1]) / (b[1] - a[1]) * (b[0] - a[0]));
                }
            }
            crossings.sort_by(f64::total_cmp);
            for pair in crossings.chunks_exact(2) {
                let pixel =
                    |share: f64| (share * width as f64 - 0.5).ceil().clamp(0.0, width as f64) as usize;
                row[pixel(pair[0])..pixel(pair[1]).max(pixel(pair[0]))].fill(true);
            }
        }
        if inside.contains(&true) { Ok(Mask { inside }) } else { Err(AreaError::Empty) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn count(corners: &[[f64; 2]]) -> usize {
        Area { corners: corners.into() }.mask(100, 50).unwrap().inside.iter().filter(|i| **i).count()
    }

    #[test]
    fn a_rectangle_holds_the_pixels_whose_centres_lie_in_it() {
        assert_eq!(count(&[[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]]), 5000);
        assert_eq!(count(&[[0.1, 0.2], [0.3, 0.2], [0.3, 0.6], [0.1, 0.6]]), 20 * 20);
        let one = Area { corners: vec![[0.10, 0.20], [0.11, 0.20], [0.11, 0.22], [0.10, 0.22]] };
        let mask = one.mask(100, 50).unwrap();
        assert!(mask.holds(10 * 100 + 10) && mask.gather(&[1; 5000]) == [1]);
    }

    #[test]
    fn a_triangle_holds_half_of_its_box_and_a_ring_leaves_its_hole_out() {
        let half = count(&[[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]);
        assert!((half as f64 / 2500.0 - 1.0).abs() < 0.02, "{half}");
        let outer = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0], [0.0, 0.0]];
        let hole = [[0.25, 0.2], [0.75, 0.2], [0.75, 0.8], [0.25, 0.8], [0.25, 0.2]];
        assert_eq!(count(&[&outer[..], &hole[..]].concat()), 5000 - 50 * 30);
    }

    #[test]
    fn areas_without_pixels_or_sense_are_refused() {
        let area = |corners: &[[f64; 2]]| Area { corners: corners.into() }.mask(100, 50).unwrap_err();
        assert_eq!(area(&[[0.0, 0.0], [1.0, 1.0]]), AreaError::Corners(2));
        assert_eq!(area(&[[f64::NAN, 0.0], [1.0, 1.0], [0.0, 1.0]]), AreaError::NotFinite);
        assert_eq!(area(&[[0.5, 0.5], [0.5001, 0.5], [0.5, 0.5001]]), AreaError::Empty);
        assert_eq!(area(&[[5.0, 5.0], [6.0, 5.0], [6.0, 6.0]]), AreaError::Empty);
    }
}
