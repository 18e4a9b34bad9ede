//! What a table is made of, in order: the operators that exchange formats share (SMPTE ST 2136-1 has all of them).
//!
//! Values are those of code or light as they come, 1.0 being full scale; nothing is clipped unless an operator says so.
//! All but the tables are computed in f64: the files that hold them promise formulas.

mod cdl;
mod exponent;
mod half_domain;
mod log;
mod range;
mod trilinear;

pub use cdl::Correction;
pub use exponent::{Exponent, Gamma, Style};
pub use half_domain::HalfDomain;
pub use log::{Log, LogSide};
pub use range::Range;

use super::{Table1, Table3, TableError};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One operator.
#[derive(Clone, Debug, PartialEq)]
pub enum Operator {
    /// A matrix with offsets.
    Matrix(Affine),
    /// Straight from one range to another, clipped or not.
    Range(Range),
    /// A logarithm, or back from one.
    Log(Log),
    /// A power, or a power with a straight beginning.
    Exponent(Exponent),
    /// Slope, offset, power, saturation.
    Correction(Correction),
    /// A 1D table over an even range.
    Curve(Table1),
    /// A 1D table with an entry for each half.
    HalfDomain(HalfDomain),
    /// A 3D table.
    Cube(Table3, Between),
}

/// How a 3D table is read between its nodes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Between {
    /// Along tetrahedra.
    #[default]
    Tetrahedral,
    /// Straight along each axis.
    Trilinear,
}

/// out = matrix * in + offset.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Affine {
    /// Rows of the matrix.
    pub rows: [[f64; 3]; 3],
    /// Added to each channel.
    pub offset: [f64; 3],
}

impl Affine {
    /// A matrix without offsets.
    pub fn of(rows: [[f64; 3]; 3]) -> Self {
        Self { rows, offset: [0.0; 3] }
    }

    fn at(&self, v: [f64; 3]) -> [f64; 3] {
        [0, 1, 2].map(|i| {
            let r = self.rows[i];
            r[0] * v[0] + r[1] * v[1] + r[2] * v[2] + self.offset[i]
        })
    }
}

/// A result as f32. What no f32 holds becomes the largest that one does: an infinity would be no number after a matrix.
fn held(v: f64) -> f32 {
    v.clamp(-f64::from(f32::MAX), f64::from(f32::MAX)) as f32
}

/// A formula on each pixel, in f64.
fn each(planes: [&mut [f32]; 3], f: impl Fn([f64; 3]) -> [f64; 3]) {
    let [red, green, blue] = planes;
    for ((r, g), b) in red.iter_mut().zip(green).zip(blue) {
        let out = f([*r, *g, *b].map(f64::from));
        [*r, *g, *b] = out.map(held);
    }
}

/// The same formula on each channel by itself.
fn each_channel(planes: [&mut [f32]; 3], f: impl Fn(usize, f64) -> f64) {
    for (c, plane) in planes.into_iter().enumerate() {
        plane.iter_mut().for_each(|v| *v = held(f(c, f64::from(*v))));
    }
}

impl Operator {
    /// Refuses numbers that make no operator: what is not finite, and what a formula has no value for.
    pub fn check(&self) -> Result<(), TableError> {
        let fault = |why: Option<String>| why.map_or(Ok(()), |w| Err(TableError::Operator(w)));
        match self {
            Self::Matrix(m) => {
                let all = m.rows.as_flattened().iter().chain(&m.offset);
                fault(
                    all.into_iter()
                        .any(|v| !v.is_finite())
                        .then(|| "a matrix has numbers that are not finite".into()),
                )
            }
            Self::Range(r) => fault(r.fault()),
            Self::Log(l) => fault(l.fault()),
            Self::Exponent(e) => fault(e.fault()),
            Self::Correction(c) => fault(c.fault()),
            // Checked when they were made.
            Self::Curve(_) | Self::HalfDomain(_) | Self::Cube(..) => Ok(()),
        }
    }

    /// Runs it on planes of one length.
    pub fn run(&self, planes: [&mut [f32]; 3]) {
        match self {
            Self::Matrix(m) => each(planes, |v| m.at(v)),
            Self::Range(r) => each_channel(planes, |_, v| r.at(v)),
            Self::Log(l) => l.run(planes),
            Self::Exponent(e) => each_channel(planes, |c, v| e.at(c, v)),
            Self::Correction(c) => each(planes, |v| c.at(v)),
            Self::Curve(t) => t.apply_planes(planes),
            Self::HalfDomain(t) => t.run(planes),
            Self::Cube(t, Between::Tetrahedral) => {
                let [red, green, blue] = planes;
                let mut pixels: Vec<[f32; 4]> = red
                    .iter()
                    .zip(green.iter())
                    .zip(blue.iter())
                    .map(|((r, g), b)| [*r, *g, *b, 0.0])
                    .collect();
                t.apply_using(&mut pixels, super::apply::Using::Fastest);
                for (((p, r), g), b) in pixels.iter().zip(red).zip(green).zip(blue) {
                    (*r, *g, *b) = (p[0], p[1], p[2]);
                }
            }
            Self::Cube(t, Between::Trilinear) => trilinear::run(t, planes),
        }
    }

    /// Runs it on RGBA pixels in place; alpha is left.
    pub fn on_pixels(&self, pixels: &mut [[f32; 4]]) {
        match self {
            Self::Curve(t) => t.apply(pixels),
            Self::Cube(t, Between::Tetrahedral) => t.apply_using(pixels, super::apply::Using::Fastest),
            _ => {
                let mut planes = [0, 1, 2].map(|c| pixels.iter().map(|p| p[c]).collect::<Vec<f32>>());
                self.run(planes.each_mut().map(|p| &mut p[..]));
                for (c, plane) in planes.iter().enumerate() {
                    pixels.iter_mut().zip(plane).for_each(|(p, v)| p[c] = *v);
                }
            }
        }
    }

    /// Whether each channel goes its own way.
    pub fn is_by_channel(&self) -> bool {
        match self {
            Self::Range(_) | Self::Log(_) | Self::Exponent(_) | Self::Curve(_) | Self::HalfDomain(_) => true,
            Self::Correction(c) => c.saturation == 1.0,
            Self::Matrix(m) => (0..9).all(|i| i % 4 == 0 || m.rows[i / 3][i % 3] == 0.0),
            Self::Cube(..) => false,
        }
    }

    /// What people call it.
    pub fn title(&self) -> String {
        match self {
            Self::Matrix(_) => "matrix".into(),
            Self::Range(_) => "range".into(),
            Self::Log(l) => if l.to_linear { "from logarithm" } else { "logarithm" }.into(),
            Self::Exponent(_) => "exponent".into(),
            Self::Correction(_) => "slope, offset, power, saturation".into(),
            Self::Curve(t) => format!("1D, {} entries", t.entries().len()),
            Self::HalfDomain(_) => "1D, an entry for each half".into(),
            Self::Cube(t, _) => format!("3D, {} points", t.size()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::Domain;
    use proptest::prelude::*;

    fn every() -> Vec<Operator> {
        let nodes: Vec<[f32; 3]> = (0..27).map(|i| [0.1 * i as f32, 0.5, (i as f32).sin()]).collect();
        let cube = Table3::new(3, Domain::UNIT, &nodes).unwrap();
        let side = LogSide { lin_side_break: Some(0.01), ..LogSide::plain(2.0) };
        vec![
            Operator::Matrix(Affine {
                rows: [[0.5, 0.4, 0.1], [0.0, 1.0, 0.0], [0.2, 0.2, 0.9]],
                offset: [0.1, 0.0, -0.2],
            }),
            Operator::Range(Range { low: Some([0.0, 0.1]), high: Some([1.0, 0.8]), clips: true }),
            Operator::Log(Log { to_linear: false, channels: [LogSide::plain(10.0); 3] }),
            Operator::Log(Log { to_linear: true, channels: [side; 3] }),
            Operator::Exponent(Exponent {
                style: Style::Mirror,
                inverse: true,
                channels: [Gamma { exponent: 2.4, offset: 0.0 }; 3],
            }),
            Operator::Correction(Correction { saturation: 0.8, ..Default::default() }),
            Operator::Curve(Table1::new(Domain::UNIT, vec![[0.0; 3], [0.3; 3], [1.0; 3]]).unwrap()),
            Operator::Cube(cube.clone(), Between::Tetrahedral),
            Operator::Cube(cube, Between::Trilinear),
        ]
    }

    proptest! {
        #[test]
        fn planes_and_pixels_get_the_same_bits_and_what_comes_is_finite(
            seed in proptest::collection::vec(-2.0..20.0_f32, 3 * 40),
        ) {
            for operator in every() {
                operator.check().unwrap();
                let mut pixels: Vec<[f32; 4]> = seed.chunks(3).map(|c| [c[0], c[1], c[2], 0.5]).collect();
                let mut planes = [0, 1, 2].map(|c| pixels.iter().map(|p| p[c]).collect::<Vec<f32>>());
                operator.on_pixels(&mut pixels);
                operator.run(planes.each_mut().map(|p| &mut p[..]));
                for (i, p) in pixels.iter().enumerate() {
                    prop_assert_eq!([p[0], p[1], p[2]], [planes[0][i], planes[1][i], planes[2][i]]);
                    prop_assert_eq!(p[3], 0.5);
                    prop_assert!(p.iter().all(|v| v.is_finite()), "{:?}: {:?}", operator, p);
                }
            }
        }
    }

    #[test]
    fn what_no_float_holds_is_held_and_no_matrix_makes_it_no_number() {
        let far = LogSide { base: 10.0, ..LogSide::plain(10.0) };
        let list = [
            Operator::Log(Log { to_linear: true, channels: [far; 3] }),
            Operator::Matrix(Affine::of([[1.0, -1.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, -1.0]])),
            Operator::Exponent(Exponent {
                style: Style::Mirror,
                inverse: false,
                channels: [Gamma { exponent: 4.0, offset: 0.0 }; 3],
            }),
        ];
        let mut pixels = [[60.0, 60.0, 60.0, 1.0], [400.0, 0.1, 400.0, 1.0]];
        list.iter().for_each(|o| o.on_pixels(&mut pixels));
        assert!(pixels.as_flattened().iter().all(|v| v.is_finite()), "{pixels:?}");
        assert_eq!(pixels[1][2], -f32::MAX);
    }

    #[test]
    fn which_of_them_mix_channels() {
        let by_channel: Vec<bool> = every().iter().map(Operator::is_by_channel).collect();
        assert_eq!(by_channel, [false, true, true, true, true, false, true, false, false]);
        let gains = Affine::of([[2.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 0.5]]);
        assert!(Operator::Matrix(gains).is_by_channel());
    }

    #[test]
    fn what_a_formula_has_no_value_for_is_refused() {
        let why = |o: Operator| o.check().unwrap_err().to_string();
        let log = |side: LogSide| Operator::Log(Log { to_linear: false, channels: [side; 3] });
        assert!(why(log(LogSide::plain(1.0))).contains("base"));
        assert!(why(log(LogSide { log_side_slope: 0.0, ..LogSide::plain(2.0) })).contains("slope"));
        assert!(why(log(LogSide { lin_side_break: Some(-0.5), ..LogSide::plain(2.0) })).contains("break"));
        assert!(why(Operator::Matrix(Affine::of([[f64::NAN; 3]; 3]))).contains("finite"));
        let range = |low, high| Operator::Range(Range { low, high, clips: false });
        assert!(why(range(Some([0.0, 0.0]), None)).contains("both ends"));
        assert!(why(range(Some([0.5, 0.0]), Some([0.5, 1.0]))).contains("rise"));
        let gamma = |style, exponent, offset| {
            Operator::Exponent(Exponent { style, inverse: false, channels: [Gamma { exponent, offset }; 3] })
        };
        assert!(why(gamma(Style::Basic, 0.0, 0.0)).contains("0.01"));
        assert!(why(gamma(Style::MonCurve, 2.4, 0.95)).contains("0.9"));
        let power = Correction { power: [0.0; 3], ..Default::default() };
        assert!(why(Operator::Correction(power)).contains("power"));
    }
}
