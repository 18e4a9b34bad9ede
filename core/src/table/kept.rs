//! A table inside a look file: its numbers as text, exact to the bit.

use super::operator::{Affine, Correction, Exponent, HalfDomain, Log, Range};
use super::{Between, Domain, Operator, Table, Table1, Table3, TableError};
use base64::prelude::{BASE64_STANDARD, Engine as _};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// A table as look files hold it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct KeptTable {
    /// What the file called itself.
    pub title: String,
    /// The part for each channel, which comes first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shaper: Option<KeptPart>,
    /// The part for all channels together, red fastest.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cube: Option<KeptPart>,
    /// What it is made of, in order, where that is anything else.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub operators: Vec<KeptOperator>,
}

/// An operator of a table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub enum KeptOperator {
    /// A matrix with offsets.
    Matrix(Affine),
    /// Straight from one range to another.
    Range(Range),
    /// A logarithm, or back from one.
    Log(Log),
    /// A power, or a power with a straight beginning.
    Exponent(Exponent),
    /// Slope, offset, power, saturation.
    Correction(Correction),
    /// A 1D table over an even range.
    Curve(KeptPart),
    /// A 1D table with an entry for each half.
    HalfDomain(KeptPart),
    /// A 3D table, red fastest, read along tetrahedra.
    Tetrahedral(KeptPart),
    /// A 3D table, red fastest, read straight along each axis.
    Trilinear(KeptPart),
}

/// A part of a table.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct KeptPart {
    /// Entries of a 1D part, points on a side of a 3D part.
    pub size: usize,
    /// Where its first entry lies.
    pub min: [f32; 3],
    /// Where its last entry lies.
    pub max: [f32; 3],
    /// Triples of 32-bit floats, little-endian, in Base64 (RFC 4648).
    pub values: String,
}

/// Why a kept table is none.
#[derive(Debug, Error, PartialEq)]
pub enum KeptError {
    /// The values are no Base64 of whole triples.
    #[error("the values of the table “{0}” are no Base64 of whole triples of floats")]
    Values(String),
    /// The numbers are no table.
    #[error("{0}")]
    Table(#[from] TableError),
}

impl KeptPart {
    fn of(size: usize, domain: Domain, values: impl Iterator<Item = [f32; 3]>) -> Self {
        let bytes: Vec<u8> = values.flatten().flat_map(f32::to_le_bytes).collect();
        Self { size, min: domain.min, max: domain.max, values: BASE64_STANDARD.encode(bytes) }
    }

    fn curve(t: &Table1) -> Self {
        Self::of(t.entries().len(), t.domain(), t.entries().iter().copied())
    }

    fn cube(t: &Table3) -> Self {
        Self::of(t.size(), t.domain(), t.nodes().iter().map(|n| [n[0], n[1], n[2]]))
    }

    fn numbers(&self, title: &str) -> Result<Vec<[f32; 3]>, KeptError> {
        let wrong = || KeptError::Values(title.to_owned());
        let bytes = BASE64_STANDARD.decode(&self.values).map_err(|_| wrong())?;
        if bytes.len() % 12 != 0 {
            return Err(wrong());
        }
        let float = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
        Ok(bytes.chunks_exact(12).map(|b| [float(b), float(&b[4..]), float(&b[8..])]).collect())
    }

    fn domain(&self) -> Domain {
        Domain { min: self.min, max: self.max }
    }

    /// Its entries, as many as it says.
    fn entries(&self, title: &str) -> Result<Vec<[f32; 3]>, KeptError> {
        let values = self.numbers(title)?;
        if values.len() == self.size {
            Ok(values)
        } else {
            Err(TableError::Nodes { expected: self.size, found: values.len() }.into())
        }
    }

    fn to_curve(&self, title: &str) -> Result<Table1, KeptError> {
        Ok(Table1::new(self.domain(), self.entries(title)?)?)
    }

    fn to_cube(&self, title: &str) -> Result<Table3, KeptError> {
        Ok(Table3::new(self.size, self.domain(), &self.numbers(title)?)?)
    }
}

impl KeptOperator {
    fn of(operator: &Operator) -> Self {
        match operator {
            Operator::Matrix(m) => Self::Matrix(m.clone()),
            Operator::Range(r) => Self::Range(r.clone()),
            Operator::Log(l) => Self::Log(l.clone()),
            Operator::Exponent(e) => Self::Exponent(e.clone()),
            Operator::Correction(c) => Self::Correction(c.clone()),
            Operator::Curve(t) => Self::Curve(KeptPart::curve(t)),
            Operator::HalfDomain(t) => {
                let entries = t.entries();
                Self::HalfDomain(KeptPart::of(entries.len(), Domain::UNIT, entries.iter().copied()))
            }
            Operator::Cube(t, Between::Tetrahedral) => Self::Tetrahedral(KeptPart::cube(t)),
            Operator::Cube(t, Between::Trilinear) => Self::Trilinear(KeptPart::cube(t)),
        }
    }

    fn operator(&self, title: &str) -> Result<Operator, KeptError> {
        Ok(match self {
            Self::Matrix(m) => Operator::Matrix(m.clone()),
            Self::Range(r) => Operator::Range(r.clone()),
            Self::Log(l) => Operator::Log(l.clone()),
            Self::Exponent(e) => Operator::Exponent(e.clone()),
            Self::Correction(c) => Operator::Correction(c.clone()),
            Self::Curve(p) => Operator::Curve(p.to_curve(title)?),
            Self::HalfDomain(p) => Operator::HalfDomain(HalfDomain::new(p.entries(title)?)?),
            Self::Tetrahedral(p) => Operator::Cube(p.to_cube(title)?, Between::Tetrahedral),
            Self::Trilinear(p) => Operator::Cube(p.to_cube(title)?, Between::Trilinear),
        })
    }
}

impl KeptTable {
    /// The table as text.
    pub fn of(table: &Table) -> Self {
        let title = table.title.clone();
        match table.parts() {
            Some((shaper, cube)) => Self {
                title,
                shaper: shaper.map(KeptPart::curve),
                cube: cube.map(KeptPart::cube),
                operators: Vec::new(),
            },
            None => {
                let operators = table.operators().iter().map(KeptOperator::of).collect();
                Self { title, shaper: None, cube: None, operators }
            }
        }
    }

    /// The name of its contents: equal contents have equal ones.
    pub fn hash(&self) -> String {
        blake3::hash(&serde_json::to_vec(self).unwrap_or_default()).to_hex().to_string()
    }

    /// The table that the text holds.
    pub fn table(&self) -> Result<Table, KeptError> {
        let title = &self.title;
        if self.operators.is_empty() {
            let shaper = self.shaper.as_ref().map(|p| p.to_curve(title)).transpose()?;
            let cube = self.cube.as_ref().map(|p| p.to_cube(title)).transpose()?;
            return Ok(Table::new(title.clone(), shaper, cube)?);
        }
        if self.operators.len() > super::MOST_OPERATORS {
            return Err(TableError::Operators(self.operators.len()).into());
        }
        let operators = self.operators.iter().map(|o| o.operator(title)).collect::<Result<_, _>>()?;
        Ok(Table::of(title.clone(), operators)?)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn table() -> Table {
        let nodes: Vec<[f32; 3]> =
            (0..27).map(|i| [i as f32 * 0.1 - 0.3, (i as f32).sqrt(), 1.0 / (i + 1) as f32]).collect();
        let domain = Domain { min: [-0.1, 0.0, 0.0], max: [1.2, 1.0, 4.0] };
        let shaper = Table1::new(Domain::UNIT, vec![[0.0; 3], [0.3, 0.4, 0.5], [1.0; 3]]).unwrap();
        Table::new("both parts".into(), Some(shaper), Some(Table3::new(3, domain, &nodes).unwrap())).unwrap()
    }

    #[test]
    fn a_table_comes_back_from_its_text_to_the_bit() {
        assert_eq!(KeptTable::of(&table()).table().unwrap(), table());
        let halves = HalfDomain::of(|v| [v, v * 0.5, -v]).unwrap();
        let mut operators = table().operators().to_vec();
        operators.push(Operator::Range(Range::to_legal()));
        operators.push(Operator::HalfDomain(halves));
        operators.push(Operator::Cube(table().cube().unwrap().clone(), Between::Trilinear));
        let long = Table::of("long".into(), operators).unwrap();
        let text = serde_json::to_string(&KeptTable::of(&long)).unwrap();
        assert_eq!(serde_json::from_str::<KeptTable>(&text).unwrap().table().unwrap(), long);
    }

    #[test]
    fn lying_sizes_and_broken_values_are_refused() {
        let mut kept = KeptTable::of(&table());
        kept.cube.as_mut().unwrap().size = 4;
        assert_eq!(kept.table().unwrap_err(), TableError::Nodes { expected: 64, found: 27 }.into());
        let mut kept = KeptTable::of(&table());
        kept.shaper.as_mut().unwrap().size = 65_000;
        assert!(matches!(kept.table(), Err(KeptError::Table(TableError::Nodes { .. }))));
        kept.shaper.as_mut().unwrap().values.truncate(7);
        assert!(matches!(kept.table(), Err(KeptError::Values(_))));
    }
}
