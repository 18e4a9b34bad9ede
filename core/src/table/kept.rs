//! A table inside a look file: its numbers as text, exact to the bit.

use super::{Domain, Table, Table1, Table3, TableError};
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

impl KeptTable {
    /// The table as text.
    pub fn of(table: &Table) -> Self {
        let part = |size: usize, domain: Domain, values: &mut dyn Iterator<Item = [f32; 3]>| KeptPart {
            size,
            min: domain.min,
            max: domain.max,
            values: BASE64_STANDARD.encode(values.flatten().flat_map(f32::to_le_bytes).collect::<Vec<u8>>()),
        };
        let shaper = table.shaper.as_ref();
        let cube = table.cube.as_ref();
        Self {
            title: table.title.clone(),
            shaper: shaper.map(|s| part(s.entries().len(), s.domain(), &mut s.entries().iter().copied())),
            cube: cube.map(|c| part(c.size(), c.domain(), &mut c.nodes().iter().map(|n| [n[0], n[1], n[2]]))),
        }
    }

    /// The name of its contents: equal contents have equal ones.
    pub fn hash(&self) -> String {
        blake3::hash(&serde_json::to_vec(self).unwrap_or_default()).to_hex().to_string()
    }

    /// The table that the text holds.
    pub fn table(&self) -> Result<Table, KeptError> {
        let numbers = |part: &KeptPart| -> Result<Vec<[f32; 3]>, KeptError> {
            let wrong = || KeptError::Values(self.title.clone());
            let bytes = BASE64_STANDARD.decode(&part.values).map_err(|_| wrong())?;
            if bytes.len() % 12 != 0 {
                return Err(wrong());
            }
            let float = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
            Ok(bytes.chunks_exact(12).map(|b| [float(b), float(&b[4..]), float(&b[8..])]).collect())
        };
        let domain = |part: &KeptPart| Domain { min: part.min, max: part.max };
        let shaper = match &self.shaper {
            Some(p) => {
                let values = numbers(p)?;
                if values.len() != p.size {
                    return Err(TableError::Nodes { expected: p.size, found: values.len() }.into());
                }
                Some(Table1::new(domain(p), values)?)
            }
            None => None,
        };
        let cube = match &self.cube {
            Some(p) => Some(Table3::new(p.size, domain(p), &numbers(p)?)?),
            None => None,
        };
        Ok(Table::new(self.title.clone(), shaper, cube)?)
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
