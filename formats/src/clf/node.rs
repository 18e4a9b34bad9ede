//! A process node as it stands in the file, and the operator that it is.

use super::broken;
use crate::FormatError;
use lantern_core::table::operator::{
    Affine, Correction, Exponent, Gamma, HalfDomain, Log, LogSide, Range, Style,
};
use lantern_core::table::{Between, Domain, LENGTHS, Operator, SIZES, Table1, Table3};
use std::collections::HashMap;

/// Names and values.
pub type Attributes = HashMap<String, String>;

/// The array of a node.
#[derive(Debug, Default)]
pub struct Array {
    /// Its sides.
    pub dim: Vec<usize>,
    /// Its numbers, as many as the sides say.
    pub values: Vec<f64>,
}

/// A process node.
#[derive(Debug, Default)]
pub struct Node {
    /// The element's name.
    pub kind: String,
    /// Its attributes.
    pub attributes: Attributes,
    /// Its array, where it has one.
    pub array: Option<Array>,
    /// Attributes of each `LogParams` or `ExponentParams`.
    pub parameters: Vec<Attributes>,
    /// Texts of its other elements.
    pub texts: Attributes,
}

/// The elements that are process nodes.
pub const KINDS: [&str; 7] = ["Matrix", "LUT1D", "LUT3D", "Range", "Log", "Exponent", "ASC_CDL"];

impl Node {
    fn fail(&self, why: impl std::fmt::Display) -> FormatError {
        broken(format!("{}: {why}", self.kind))
    }

    fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.get(name).map(String::as_str)
    }

    /// What full scale is on a side of the node (ST 2136-1, bit depths).
    fn scale(&self, side: &str) -> Result<f64, FormatError> {
        match self.attribute(side) {
            Some("8i") => Ok(255.0),
            Some("10i") => Ok(1023.0),
            Some("12i") => Ok(4095.0),
            Some("16i") => Ok(65535.0),
            Some("16f" | "32f") => Ok(1.0),
            Some(other) => Err(self.fail(format!("the bit depth “{}” is none", short(other)))),
            None => Err(self.fail(format!("{side} is missing"))),
        }
    }

    /// The operator that the node is, with 1.0 as full scale.
    pub fn operator(self) -> Result<Operator, FormatError> {
        let (from, to) = (self.scale("inBitDepth")?, self.scale("outBitDepth")?);
        match self.kind.as_str() {
            "Matrix" => self.matrix(from, to),
            "LUT1D" => self.curve(to),
            "LUT3D" => self.cube(to),
            "Range" => self.range(from, to),
            "Log" => self.log(),
            "Exponent" => self.exponent(),
            _ => self.correction(),
        }
    }

    fn the_array(&self) -> Result<&Array, FormatError> {
        self.array.as_ref().ok_or_else(|| self.fail("there is no Array in it"))
    }

    fn matrix(&self, from: f64, to: f64) -> Result<Operator, FormatError> {
        let array = self.the_array()?;
        // Older files write the number of channels as a third side.
        let columns = match array.dim.as_slice() {
            [3, 3] | [3, 3, 3] => 3,
            [3, 4] | [3, 4, 3] => 4,
            _ => return Err(self.fail("a matrix of 3 x 3 or 3 x 4 is expected")),
        };
        let at = |r: usize, c: usize| array.values[r * columns + c];
        Ok(Operator::Matrix(Affine {
            rows: [0, 1, 2].map(|r| [0, 1, 2].map(|c| at(r, c) * from / to)),
            offset: [0, 1, 2].map(|r| if columns == 4 { at(r, 3) / to } else { 0.0 }),
        }))
    }

    fn curve(&self, to: f64) -> Result<Operator, FormatError> {
        if let Some(other) = self.attribute("interpolation").filter(|i| *i != "linear") {
            return Err(self.fail(format!("it is read by “{}”; linear is read here", short(other))));
        }
        let raw = self.flag("rawHalfs")?;
        let array = self.the_array()?;
        let &[length, channels @ (1 | 3)] = array.dim.as_slice() else {
            return Err(self.fail("an array of N 1 or N 3 is expected"));
        };
        let value = |v: f64| -> Result<f32, FormatError> {
            if !raw {
                return Ok((v / to) as f32);
            }
            let bits = (v >= 0.0 && v <= f64::from(u16::MAX) && v.fract() == 0.0).then_some(v as u16);
            bits.map(half).ok_or_else(|| self.fail(format!("“{v}” is no half")))
        };
        let values = array.values.iter().map(|v| value(*v)).collect::<Result<Vec<f32>, _>>()?;
        let entries: Vec<[f32; 3]> = match channels {
            1 => values.iter().map(|v| [*v; 3]).collect(),
            _ => values.chunks_exact(3).map(|c| [c[0], c[1], c[2]]).collect(),
        };
        if self.flag("halfDomain")? {
            return Ok(Operator::HalfDomain(HalfDomain::new(entries)?));
        }
        if !LENGTHS.contains(&length) {
            return Err(self.fail(format!("a 1D table has 2 to 65536 entries, not {length}")));
        }
        Ok(Operator::Curve(Table1::new(Domain::UNIT, entries)?))
    }

    fn flag(&self, name: &str) -> Result<bool, FormatError> {
        match self.attribute(name) {
            None | Some("false") => Ok(false),
            Some("true") => Ok(true),
            Some(other) => Err(self.fail(format!("{name} is “{}”; true is the one value", short(other)))),
        }
    }

    fn cube(&self, to: f64) -> Result<Operator, FormatError> {
        let between = match self.attribute("interpolation") {
            None | Some("trilinear") => Between::Trilinear,
            Some("tetrahedral") => Between::Tetrahedral,
            Some(other) => {
                return Err(self.fail(format!(
                    "it is read by “{}”; trilinear and tetrahedral are read here",
                    short(other)
                )));
            }
        };
        let array = self.the_array()?;
        let &[n, g, b, 3] = array.dim.as_slice() else {
            return Err(self.fail("an array of N N N 3 is expected"));
        };
        if n != g || n != b || !SIZES.contains(&n) {
            return Err(self.fail(format!("2 to 129 points on each side are read, not {n} x {g} x {b}")));
        }
        // Blue runs fastest in the file, red in tables.
        let at = |i: usize| {
            let (r, g, b) = (i % n, i / n % n, i / n / n);
            let place = 3 * (b + n * (g + n * r));
            [0, 1, 2].map(|c| (array.values[place + c] / to) as f32)
        };
        let nodes: Vec<[f32; 3]> = (0..n * n * n).map(at).collect();
        Ok(Operator::Cube(Table3::new(n, Domain::UNIT, &nodes)?, between))
    }

    fn number(&self, from: &Attributes, name: &str) -> Result<Option<f64>, FormatError> {
        let Some(text) = from.get(name) else { return Ok(None) };
        let number = text.trim().parse::<f64>().ok().filter(|v| v.is_finite());
        number.map(Some).ok_or_else(|| self.fail(format!("{name}: “{}” is not a number", short(text))))
    }

    fn range(&self, from: f64, to: f64) -> Result<Operator, FormatError> {
        let end = |a: &str, b: &str| match (self.number(&self.texts, a)?, self.number(&self.texts, b)?) {
            (Some(v), Some(w)) => Ok(Some([v / from, w / to])),
            (None, None) => Ok(None),
            _ => Err(self.fail(format!("{a} and {b} stand together or not at all"))),
        };
        let clips = match self.attribute("style") {
            None | Some("Clamp") => true,
            Some("noClamp") => false,
            Some(other) => return Err(self.fail(format!("the style “{}” is none", short(other)))),
        };
        let (low, high) = (end("minInValue", "minOutValue")?, end("maxInValue", "maxOutValue")?);
        Ok(Operator::Range(Range { low, high, clips }))
    }

    /// Parameters of each channel from those that are said for one or for all.
    fn channels<T: Copy>(
        &self,
        start: T,
        read: impl Fn(&Attributes) -> Result<T, FormatError>,
    ) -> Result<[T; 3], FormatError> {
        let mut all = [start; 3];
        for p in &self.parameters {
            let value = read(p)?;
            match p.get("channel").map(String::as_str) {
                None => all = [value; 3],
                Some("R") => all[0] = value,
                Some("G") => all[1] = value,
                Some("B") => all[2] = value,
                Some(other) => return Err(self.fail(format!("there is no channel “{}”", short(other)))),
            }
        }
        Ok(all)
    }

    fn log(&self) -> Result<Operator, FormatError> {
        let style = self.attribute("style").ok_or_else(|| self.fail("style is missing"))?;
        let (to_linear, plain, camera) = match style {
            "log10" => (false, Some(10.0), false),
            "log2" => (false, Some(2.0), false),
            "antiLog10" => (true, Some(10.0), false),
            "antiLog2" => (true, Some(2.0), false),
            "linToLog" => (false, None, false),
            "logToLin" => (true, None, false),
            "cameraLinToLog" => (false, None, true),
            "cameraLogToLin" => (true, None, true),
            other => return Err(self.fail(format!("the style “{}” is none", short(other)))),
        };
        if let Some(base) = plain {
            return Ok(Operator::Log(Log { to_linear, channels: [LogSide::plain(base); 3] }));
        }
        if camera && self.parameters.is_empty() {
            return Err(self.fail("a camera's logarithm needs its linSideBreak"));
        }
        let channels = self.channels(LogSide::plain(2.0), |p| {
            let or =
                |name: &str, otherwise: f64| Ok::<_, FormatError>(self.number(p, name)?.unwrap_or(otherwise));
            let lin_side_break = if camera {
                let found = self.number(p, "linSideBreak")?;
                Some(found.ok_or_else(|| self.fail("a camera's logarithm needs its linSideBreak"))?)
            } else {
                None
            };
            Ok(LogSide {
                base: or("base", 2.0)?,
                log_side_slope: or("logSideSlope", 1.0)?,
                log_side_offset: or("logSideOffset", 0.0)?,
                lin_side_slope: or("linSideSlope", 1.0)?,
                lin_side_offset: or("linSideOffset", 0.0)?,
                lin_side_break,
                linear_slope: if camera { self.number(p, "linearSlope")? } else { None },
            })
        })?;
        Ok(Operator::Log(Log { to_linear, channels }))
    }

    fn exponent(&self) -> Result<Operator, FormatError> {
        let style = self.attribute("style").ok_or_else(|| self.fail("style is missing"))?;
        let (style, inverse) = match style {
            "basicFwd" => (Style::Basic, false),
            "basicRev" => (Style::Basic, true),
            "basicMirrorFwd" => (Style::Mirror, false),
            "basicMirrorRev" => (Style::Mirror, true),
            "basicPassThruFwd" => (Style::PassThru, false),
            "basicPassThruRev" => (Style::PassThru, true),
            "monCurveFwd" => (Style::MonCurve, false),
            "monCurveRev" => (Style::MonCurve, true),
            "monCurveMirrorFwd" => (Style::MonCurveMirror, false),
            "monCurveMirrorRev" => (Style::MonCurveMirror, true),
            other => return Err(self.fail(format!("the style “{}” is none", short(other)))),
        };
        if self.parameters.is_empty() {
            return Err(self.fail("there are no ExponentParams in it"));
        }
        let channels = self.channels(Gamma { exponent: 1.0, offset: 0.0 }, |p| {
            let exponent = self.number(p, "exponent")?.ok_or_else(|| self.fail("an exponent is missing"))?;
            Ok(Gamma { exponent, offset: self.number(p, "offset")?.unwrap_or(0.0) })
        })?;
        Ok(Operator::Exponent(Exponent { style, inverse, channels }))
    }

    fn three(&self, name: &str, otherwise: f64) -> Result<[f64; 3], FormatError> {
        let Some(text) = self.texts.get(name) else { return Ok([otherwise; 3]) };
        let numbers: Vec<f64> = text.split_whitespace().take(4).filter_map(|w| w.parse().ok()).collect();
        match numbers.as_slice() {
            &[r, g, b] if text.split_whitespace().count() == 3 => Ok([r, g, b]),
            _ => Err(self.fail(format!("{name} wants three numbers, not “{}”", short(text)))),
        }
    }

    fn correction(&self) -> Result<Operator, FormatError> {
        let (inverse, clips) = match self.attribute("style") {
            None | Some("Fwd" | "v1.2_Fwd") => (false, true),
            Some("Rev" | "v1.2_Rev") => (true, true),
            Some("FwdNoClamp" | "noClampFwd") => (false, false),
            Some("RevNoClamp" | "noClampRev") => (true, false),
            Some(other) => return Err(self.fail(format!("the style “{}” is none", short(other)))),
        };
        Ok(Operator::Correction(Correction {
            slope: self.three("Slope", 1.0)?,
            offset: self.three("Offset", 0.0)?,
            power: self.three("Power", 1.0)?,
            saturation: self.number(&self.texts, "Saturation")?.unwrap_or(1.0),
            inverse,
            clips,
        }))
    }
}

/// The value of a half's bits (IEEE 754 binary16).
fn half(bits: u16) -> f32 {
    let mut value = [0.0];
    lantern_core::numeric::half::from_halves(&[bits], 0, &mut value);
    value[0]
}

/// What of a text is said back.
pub fn short(text: &str) -> String {
    text.chars().take(40).collect()
}
