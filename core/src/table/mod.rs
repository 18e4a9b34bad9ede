//! Lookup tables: what they are, and how they are read between their nodes.

pub mod apply;
pub mod kept;
mod lookup;
pub mod operator;
mod run;
mod simd;

pub use kept::{KeptError, KeptTable};
pub use operator::{Between, Operator};

use operator::Range;
use thiserror::Error;

/// Smallest and largest number of points on a side of a 3D table.
pub const SIZES: std::ops::RangeInclusive<usize> = 2..=129;

/// Smallest and largest number of entries in a 1D table (Cube LUT specification 1.0).
pub const LENGTHS: std::ops::RangeInclusive<usize> = 2..=65_536;

/// Why numbers are not a table.
#[derive(Debug, Error, PartialEq)]
pub enum TableError {
    /// Number of points on a side out of [`SIZES`].
    #[error("a 3D table has 2 to 129 points on a side, not {0}")]
    Size(usize),
    /// Number of entries out of [`LENGTHS`].
    #[error("a 1D table has 2 to 65536 entries, not {0}")]
    Length(usize),
    /// Too few or too many nodes.
    #[error("{expected} nodes are needed, {found} are there")]
    Nodes {
        /// Nodes that the size asks for.
        expected: usize,
        /// Nodes that are there.
        found: usize,
    },
    /// A node or a domain value that is NaN or infinite.
    #[error("node {0} is not a finite number")]
    NotFinite(usize),
    /// A domain whose end does not lie above its beginning.
    #[error("the domain of a channel has to rise from its beginning to its end")]
    Domain,
    /// Nothing that does anything.
    #[error("there is no table in it")]
    Empty,
    /// More operators than are taken.
    #[error("{0} operators are more than {MOST_OPERATORS}")]
    Operators(usize),
    /// Numbers that make no operator, in words.
    #[error("{0}")]
    Operator(String),
}

/// Where the first and the last node of each channel lie.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Domain {
    /// First node.
    pub min: [f32; 3],
    /// Last node.
    pub max: [f32; 3],
}

impl Domain {
    /// 0 to 1 in every channel.
    pub const UNIT: Self = Self { min: [0.0; 3], max: [1.0; 3] };

    fn check(&self) -> Result<(), TableError> {
        let rises = |(a, b): (&f32, &f32)| a.is_finite() && b.is_finite() && b > a;
        if self.min.iter().zip(&self.max).all(rises) { Ok(()) } else { Err(TableError::Domain) }
    }

    /// Node units a unit of input, for `points` points.
    pub(crate) fn scale(&self, points: usize) -> [f32; 3] {
        [0, 1, 2].map(|c| (points - 1) as f32 / (self.max[c] - self.min[c]))
    }
}

/// A 1D table for each channel, read linearly between its entries and held at its ends.
#[derive(Clone, Debug, PartialEq)]
pub struct Table1 {
    domain: Domain,
    entries: Vec<[f32; 3]>,
}

impl Table1 {
    /// A checked 1D table.
    pub fn new(domain: Domain, entries: Vec<[f32; 3]>) -> Result<Self, TableError> {
        if !LENGTHS.contains(&entries.len()) {
            return Err(TableError::Length(entries.len()));
        }
        domain.check()?;
        all_finite(&entries)?;
        Ok(Self { domain, entries })
    }

    /// Where the first and last entry lie.
    pub fn domain(&self) -> Domain {
        self.domain
    }

    /// The entries from first to last.
    pub fn entries(&self) -> &[[f32; 3]] {
        &self.entries
    }

    /// Where a rising channel reaches `value`, between entries: the ends of the domain where it lies beyond.
    pub fn back(&self, value: f32, channel: usize) -> f32 {
        let (min, max) = (self.domain.min[channel], self.domain.max[channel]);
        let last = self.entries.len() - 1;
        let above = self.entries.partition_point(|e| e[channel] < value).clamp(1, last);
        let (a, b) = (self.entries[above - 1][channel], self.entries[above][channel]);
        let share = if b > a { ((value - a) / (b - a)).clamp(0.0, 1.0) } else { 0.0 };
        min + (max - min) * ((above - 1) as f32 + share) / last as f32
    }
}

/// A 3D table of `size`^3 nodes, red fastest, read by tetrahedral interpolation and held at its faces.
#[derive(Clone, Debug, PartialEq)]
pub struct Table3 {
    size: usize,
    domain: Domain,
    /// Nodes padded to four values, so that one load of 128 bits fetches a node.
    nodes: Vec<[f32; 4]>,
}

impl Table3 {
    /// A checked 3D table from its nodes, red fastest.
    pub fn new(size: usize, domain: Domain, nodes: &[[f32; 3]]) -> Result<Self, TableError> {
        Self::of_padded(size, domain, nodes.iter().map(|n| [n[0], n[1], n[2], 0.0]).collect())
    }

    /// The same from nodes whose fourth value is 0.
    pub(crate) fn of_padded(size: usize, domain: Domain, nodes: Vec<[f32; 4]>) -> Result<Self, TableError> {
        if !SIZES.contains(&size) {
            return Err(TableError::Size(size));
        }
        if nodes.len() != size.pow(3) {
            return Err(TableError::Nodes { expected: size.pow(3), found: nodes.len() });
        }
        domain.check()?;
        all_finite(&nodes)?;
        Ok(Self { size, domain, nodes })
    }

    /// Points on a side.
    pub fn size(&self) -> usize {
        self.size
    }

    /// Where the first and last nodes lie.
    pub fn domain(&self) -> Domain {
        self.domain
    }

    /// The nodes, red fastest; the fourth value of each is padding.
    pub fn nodes(&self) -> &[[f32; 4]] {
        &self.nodes
    }

    /// The node at these places.
    pub fn node(&self, r: usize, g: usize, b: usize) -> [f32; 3] {
        let n = self.nodes[r + self.size * (g + self.size * b)];
        [n[0], n[1], n[2]]
    }
}

fn all_finite<const K: usize>(values: &[[f32; K]]) -> Result<(), TableError> {
    // All of them together first, which the compiler does many at a time.
    if values.as_flattened().iter().fold(true, |fine, v| fine & v.is_finite()) {
        return Ok(());
    }
    match values.iter().position(|v| v.iter().any(|x| !x.is_finite())) {
        Some(i) => Err(TableError::NotFinite(i)),
        None => Ok(()),
    }
}

/// The most operators of one table.
pub const MOST_OPERATORS: usize = 64;

/// A lookup table as files hold it: operators in order. Most files hold a 1D part, a 3D part, or both in this order: those
/// are called plain.
#[derive(Clone, Debug, PartialEq)]
pub struct Table {
    /// What the file calls itself.
    pub title: String,
    operators: Vec<Operator>,
}

impl Table {
    /// A plain table with at least one part.
    pub fn new(title: String, shaper: Option<Table1>, cube: Option<Table3>) -> Result<Self, TableError> {
        let cube = cube.map(|c| Operator::Cube(c, Between::Tetrahedral));
        Self::of(title, shaper.map(Operator::Curve).into_iter().chain(cube).collect())
    }

    /// A table of operators, which are checked.
    pub fn of(title: String, operators: Vec<Operator>) -> Result<Self, TableError> {
        if operators.is_empty() {
            return Err(TableError::Empty);
        }
        if operators.len() > MOST_OPERATORS {
            return Err(TableError::Operators(operators.len()));
        }
        operators.iter().try_for_each(Operator::check)?;
        Ok(Self { title, operators })
    }

    /// What it is made of, in order.
    pub fn operators(&self) -> &[Operator] {
        &self.operators
    }

    /// Its 1D and its 3D part; `None` for a table that is made of anything else.
    pub fn parts(&self) -> Option<(Option<&Table1>, Option<&Table3>)> {
        match self.operators.as_slice() {
            [Operator::Curve(shaper)] => Some((Some(shaper), None)),
            [Operator::Cube(cube, Between::Tetrahedral)] => Some((None, Some(cube))),
            [Operator::Curve(shaper), Operator::Cube(cube, Between::Tetrahedral)] => {
                Some((Some(shaper), Some(cube)))
            }
            _ => None,
        }
    }

    /// The 1D part of a plain table.
    pub fn shaper(&self) -> Option<&Table1> {
        self.parts().and_then(|p| p.0)
    }

    /// The 3D part of a plain table.
    pub fn cube(&self) -> Option<&Table3> {
        self.parts().and_then(|p| p.1)
    }

    /// Whether each channel goes its own way.
    pub fn is_by_channel(&self) -> bool {
        self.operators.iter().all(Operator::is_by_channel)
    }

    /// Where the first and last entry of a plain table lie; 0 to 1 for others.
    pub fn domain(&self) -> Domain {
        let (shaper, cube) = self.parts().unwrap_or_default();
        shaper.map(Table1::domain).or(cube.map(Table3::domain)).unwrap_or(Domain::UNIT)
    }

    /// Points on a side of its 3D part; 0 where it has none.
    pub fn points(&self) -> usize {
        let sizes = self.operators.iter().map(|o| if let Operator::Cube(t, _) = o { t.size() } else { 0 });
        sizes.max().unwrap_or(0)
    }

    /// Whether a 1D part comes before a 3D part.
    pub fn is_shaped(&self) -> bool {
        let cube = self.operators.iter().position(|o| matches!(o, Operator::Cube(..)));
        let before = &self.operators[..cube.unwrap_or(0)];
        before.iter().any(|o| matches!(o, Operator::Curve(_) | Operator::HalfDomain(_)))
    }

    /// A table that takes and gives legal range, as one for full range.
    pub fn of_legal(self) -> Result<Self, TableError> {
        let all = std::iter::once(Operator::Range(Range::to_legal())).chain(self.operators);
        Self::of(self.title, all.chain([Operator::Range(Range::from_legal())]).collect())
    }

    /// Bytes that its numbers take.
    pub fn weight(&self) -> usize {
        let of = |o: &Operator| match o {
            Operator::Curve(t) => t.entries().len() * 12,
            Operator::HalfDomain(t) => t.entries().len() * 12,
            Operator::Cube(t, _) => t.nodes().len() * 16,
            _ => 256,
        };
        self.operators.iter().map(of).sum()
    }

    /// What it is made of, in words.
    pub fn summary(&self) -> String {
        self.operators.iter().map(Operator::title).collect::<Vec<_>>().join("; ")
    }
}
