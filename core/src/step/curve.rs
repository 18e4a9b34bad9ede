//! Monotone cubic interpolation through points, on pictures.

use crate::field::{CurveRest, MAX_FAMILIES, MAX_POINTS};
use crate::numeric::lane::{Channel, N, select};

/// A curve ready to run: Fritsch and Carlson 1980, "Monotone piecewise cubic interpolation", three-point
/// slopes limited to the monotone region by their circle of radius 3.
///
/// Outside its points a [`CurveRest::Same`] curve goes on straight with its end slope, any other curve stays at its
/// end value.
#[derive(Clone, Debug, PartialEq)]
pub struct Curve {
    /// Pieces in rising order: where the piece begins and the cubic from there. The first begins at -infinity.
    pieces: Vec<Piece>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
struct Piece {
    from: f32,
    origin: f32,
    /// Coefficients of (x - origin)^0..3.
    c: [f32; 4],
}

impl Piece {
    #[inline(always)]
    fn at(&self, x: f32) -> f32 {
        let (t, [a, b, c, d]) = (x - self.origin, self.c);
        a + t * (b + t * (c + t * d))
    }
}

impl Curve {
    /// The curve through `points` (x strictly rising, at most [`MAX_POINTS`]). `None` for no points: the
    /// curve that changes nothing.
    pub fn new(points: &[[f64; 2]], rest: CurveRest) -> Option<Self> {
        Self::through(&points[..points.len().min(MAX_POINTS)], rest)
    }

    /// The curve over the hue circle through `points` (degrees strictly rising within 0..360, at most
    /// two for each of [`MAX_FAMILIES`]), to be read at 0..360. One point makes the same value everywhere. `None` for no points.
    pub fn periodic(points: &[[f64; 2]], rest: CurveRest) -> Option<Self> {
        let points = &points[..points.len().min(2 * MAX_FAMILIES)];
        let n = points.len();
        if n < 2 {
            return Self::through(&[[0.0, points.first()?[1]], [360.0, points[0][1]]], rest);
        }
        // The whole ring once more on both sides: slopes depend on neighbours of neighbours, and those at 0 and at 360 then
        // come from the same points.
        let turned = |turn: f64| points.iter().map(move |p| [p[0] + turn, p[1]]);
        let whole: Vec<[f64; 2]> = turned(-360.0).chain(turned(0.0)).chain(turned(360.0)).collect();
        let mut curve = Self::through(&whole, rest)?;
        // Only what is read: from the piece that 0 lies in to that of 360.
        let first = curve.pieces.iter().rposition(|p| p.from <= 0.0).unwrap_or(0);
        curve.pieces.drain(..first);
        curve.pieces.retain(|p| p.from < 360.0);
        curve.pieces[0].from = f32::NEG_INFINITY;
        Some(curve)
    }

    fn through(points: &[[f64; 2]], rest: CurveRest) -> Option<Self> {
        let (first, last) = (points.first()?, points.last()?);
        let slopes = slopes(points, rest);
        let line = |from: f64, p: &[f64; 2], slope: f64| {
            let slope = if rest == CurveRest::Same { slope } else { 0.0 };
            Piece { from: from as f32, origin: p[0] as f32, c: [p[1] as f32, slope as f32, 0.0, 0.0] }
        };
        let mut pieces = vec![line(f64::NEG_INFINITY, first, slopes[0])];
        for (pair, m) in points.windows(2).zip(slopes.windows(2)) {
            let (h, dy) = (pair[1][0] - pair[0][0], pair[1][1] - pair[0][1]);
            let secant = dy / h;
            let c2 = (3.0 * secant - 2.0 * m[0] - m[1]) / h;
            let c3 = (m[0] + m[1] - 2.0 * secant) / (h * h);
            let c = [pair[0][1], m[0], c2, c3].map(|v| v as f32);
            pieces.push(Piece { from: pair[0][0] as f32, origin: pair[0][0] as f32, c });
        }
        pieces.push(line(last[0], last, slopes[points.len() - 1]));
        Some(Self { pieces })
    }

    /// The curve's value at `x`.
    pub fn at(&self, x: f32) -> f32 {
        self.pieces.iter().rev().find(|piece| x >= piece.from).map_or(x, |piece| piece.at(x))
    }

    /// The curve on a whole plane of places on the axis.
    #[inline(always)]
    pub fn on_places(&self, places: &mut Channel) {
        let x = *places;
        // Pieces outside, pixels inside: the inner loop is a plain blend over the block. Each piece overwrites
        // what those before it gave.
        for piece in &self.pieces {
            for i in 0..N {
                places[i] = select(x[i] >= piece.from, piece.at(x[i]), places[i]);
            }
        }
    }

    /// The curve on a whole plane of code values.
    #[inline(always)]
    pub fn run(&self, plane: &mut Channel, axis: super::Axis) {
        for v in plane.iter_mut() {
            *v = axis.place(*v);
        }
        self.on_places(plane);
        for v in plane.iter_mut() {
            *v = axis.code(*v);
        }
    }
}

/// Slopes at the points. A single point of a `Same` curve has slope 1: it moves the whole axis.
fn slopes(points: &[[f64; 2]], rest: CurveRest) -> Vec<f64> {
    if points.len() == 1 {
        return vec![if rest == CurveRest::Same { 1.0 } else { 0.0 }];
    }
    let secants: Vec<f64> = points.windows(2).map(|p| (p[1][1] - p[0][1]) / (p[1][0] - p[0][0])).collect();
    let n = points.len();
    let mut m: Vec<f64> = (0..n)
        .map(|i| match i {
            0 => secants[0],
            i if i == n - 1 => secants[n - 2],
            i if secants[i - 1] * secants[i] <= 0.0 => 0.0,
            i => (secants[i - 1] + secants[i]) / 2.0,
        })
        .collect();
    for (k, d) in secants.iter().enumerate() {
        if *d == 0.0 {
            (m[k], m[k + 1]) = (0.0, 0.0);
            continue;
        }
        let (a, b) = (m[k] / d, m[k + 1] / d);
        let radius = a.hypot(b);
        if radius > 3.0 {
            m[k] = 3.0 * a / radius * d;
            m[k + 1] = 3.0 * b / radius * d;
        }
    }
    m
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Points with rising x and rising y.
    fn rising() -> impl Strategy<Value = Vec<[f64; 2]>> {
        proptest::collection::vec((0.05..2.0_f64, 0.0..2.0_f64), 1..MAX_POINTS).prop_map(|steps| {
            let mut at = [-6.0, -6.0];
            steps
                .iter()
                .map(|(dx, dy)| {
                    at = [at[0] + dx, at[1] + dy];
                    at
                })
                .collect()
        })
    }

    proptest! {
        #[test]
        fn a_ring_of_steep_points_has_no_step_at_the_wrap_either(
            points in proptest::collection::vec((4.0..20.0_f64, -60.0..60.0_f64), 2..18), start in 0.0..20.0_f64,
        ) {
            let mut at = start;
            let points: Vec<[f64; 2]> = points.iter().map(|(gap, y)| { let p = [at, *y]; at += gap; p }).collect();
            let ring = Curve::periodic(&points, CurveRest::Zero).unwrap();
            prop_assert!((ring.at(0.0) - ring.at(360.0)).abs() < 2e-4);
        }

        #[test]
        fn a_curve_through_rising_points_rises_everywhere_and_meets_them(points in rising()) {
            let curve = Curve::new(&points, CurveRest::Same).unwrap();
            for p in &points {
                prop_assert!((curve.at(p[0] as f32) - p[1] as f32).abs() < 1e-4);
            }
            let mut last = f32::NEG_INFINITY;
            for i in 0..4000 {
                let y = curve.at(-8.0 + i as f32 * 0.01);
                prop_assert!(y >= last - 2e-5, "{y} after {last}");
                last = y;
            }
        }
    }

    #[test]
    fn the_textbook_data_of_fritsch_and_carlson_stay_monotone() {
        // RPN 14 data of the paper's table 1: a flat start, a steep rise, a flat end.
        let data = [
            [7.99, 0.0],
            [8.09, 2.764_29e-5],
            [8.19, 4.374_98e-2],
            [8.7, 0.169_183],
            [9.2, 0.469_428],
            [10.0, 0.943_740],
            [12.0, 0.998_636],
            [15.0, 0.999_919],
            [20.0, 0.999_994],
        ];
        let curve = Curve::new(&data, CurveRest::Same).unwrap();
        let mut last = -1.0;
        for i in 0..=1201 {
            let y = curve.at(7.99 + i as f32 * 0.01);
            assert!(y >= last - 1e-6 && (-1e-6..=1.000_001).contains(&y));
            last = y;
        }
    }

    #[test]
    fn a_ring_meets_its_points_and_has_no_step_at_the_wrap() {
        let points = [[20.0, 1.0], [140.0, -0.5], [350.0, 2.0]];
        let ring = Curve::periodic(&points, CurveRest::Zero).unwrap();
        for [x, y] in points {
            assert!((ring.at(x as f32) - y as f32).abs() < 1e-5, "{x}");
        }
        let slope = |x: f32| (ring.at(x + 0.05) - ring.at(x)) / 0.05;
        assert!((ring.at(0.0) - ring.at(360.0)).abs() < 1e-5);
        assert!((slope(0.0) - slope(359.95)).abs() < 1e-3);
        assert_eq!(Curve::periodic(&[[70.0, 0.3]], CurveRest::Zero).unwrap().at(200.0), 0.3);
        assert_eq!(Curve::periodic(&[], CurveRest::Zero), None);
    }

    #[test]
    fn beyond_its_ends_a_tone_curve_goes_on_straight_and_a_gain_curve_stays() {
        let points = [[0.0, 0.0], [1.0, 2.0]];
        assert_eq!(Curve::new(&points, CurveRest::Same).unwrap().at(3.0), 6.0);
        assert_eq!(Curve::new(&points, CurveRest::One).unwrap().at(3.0), 2.0);
        assert_eq!(Curve::new(&[], CurveRest::Same), None);
    }
}
