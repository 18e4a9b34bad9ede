//! A 1D table with an entry for each half (SMPTE ST 2136-1, `LUT1D` with `halfDomain`): what comes is its own place, so that
//! darks are read as finely as lights, and nothing within a half's range is clipped.

use crate::numeric::half::from_halves;
use crate::table::TableError;
use std::sync::{Arc, LazyLock};

/// An entry for each of the 65,536 halves, in the order of their bits.
#[derive(Clone, Debug, PartialEq)]
pub struct HalfDomain {
    entries: Arc<Vec<[f32; 3]>>,
}

/// Entries: one for each pattern of bits.
pub const ENTRIES: usize = 65_536;
/// The bits of the largest half.
const LARGEST: usize = 0x7bff;
/// Patterns from here on, in each half of the table, are infinite or no numbers.
const NO_NUMBER: usize = 0x7c00;
/// The bit that tells negative halves.
const SIGN: usize = 0x8000;

/// The values of all halves, in the order of their bits.
fn halves() -> &'static [f32] {
    static ALL: LazyLock<Vec<f32>> = LazyLock::new(|| {
        let bits: Vec<u16> = (0..=u16::MAX).collect();
        let mut values = vec![0.0; ENTRIES];
        from_halves(&bits, 0, &mut values);
        values
    });
    &ALL
}

impl HalfDomain {
    /// A table from its entries. What stands for halves that are no numbers does not matter and may be none itself.
    pub fn new(mut entries: Vec<[f32; 3]>) -> Result<Self, TableError> {
        if entries.len() != ENTRIES {
            return Err(TableError::Operator(format!(
                "a table for halves has {ENTRIES} entries, not {}",
                entries.len()
            )));
        }
        for (i, entry) in entries.iter_mut().enumerate() {
            if i % SIGN >= NO_NUMBER {
                *entry = entry.map(|v| if v.is_finite() { v } else { 0.0 });
            } else if entry.iter().any(|v| !v.is_finite()) {
                return Err(TableError::NotFinite(i));
            }
        }
        Ok(Self { entries: Arc::new(entries) })
    }

    /// A table of a function of one value on each channel.
    pub fn of(f: impl Fn(f32) -> [f32; 3]) -> Result<Self, TableError> {
        let at = |i: usize| if i % SIGN >= NO_NUMBER { [0.0; 3] } else { f(halves()[i]) };
        Self::new((0..ENTRIES).map(at).collect())
    }

    /// The entries in the order of the halves' bits.
    pub fn entries(&self) -> &[[f32; 3]] {
        &self.entries
    }

    pub(super) fn run(&self, planes: [&mut [f32]; 3]) {
        for (c, plane) in planes.into_iter().enumerate() {
            plane.iter_mut().for_each(|v| *v = self.at(c, *v));
        }
    }

    /// Straight between the two halves that lie about the value.
    fn at(&self, channel: usize, v: f32) -> f32 {
        let size = if v.is_nan() { 0.0 } else { v.abs() };
        let sign = if v.is_sign_negative() { SIGN } else { 0 };
        let all = halves();
        if size >= all[LARGEST] {
            return self.entries[sign + LARGEST][channel];
        }
        // By the bits of f32: the half below has the same exponent and the first ten bits of the fraction.
        let below = if size < all[0x0400] {
            (size * 16_777_216.0) as usize
        } else {
            ((size.to_bits() >> 13) - (112 << 10)) as usize
        };
        let share = (size - all[below]) / (all[below + 1] - all[below]);
        let (a, b) = (self.entries[sign + below][channel], self.entries[sign + below + 1][channel]);
        a + share * (b - a)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_table_of_a_straight_line_gives_it_everywhere(v in -70_000.0..70_000.0_f32, small in -1e-4..1e-4_f32) {
            let table = HalfDomain::of(|v| [2.0 * v, v, -v]).unwrap();
            for v in [v, small] {
                let held = v.clamp(-65_504.0, 65_504.0);
                for (c, k) in [2.0, 1.0, -1.0].into_iter().enumerate() {
                    prop_assert!((table.at(c, v) - k * held).abs() <= 1e-6 * held.abs() * 2.0 + 1e-12, "{v}");
                }
            }
        }
    }

    #[test]
    fn ends_and_what_is_no_number_have_a_value() {
        let table = HalfDomain::of(|v| [v; 3]).unwrap();
        for (v, want) in [
            (f32::NAN, 0.0),
            (f32::INFINITY, 65_504.0),
            (f32::NEG_INFINITY, -65_504.0),
            (0.0, 0.0),
            (-0.0, 0.0),
        ] {
            assert_eq!(table.at(0, v), want);
        }
        assert!(HalfDomain::new(vec![[0.0; 3]; 7]).is_err());
        let mut entries = table.entries().to_vec();
        entries[5] = [f32::NAN; 3];
        assert_eq!(HalfDomain::new(entries), Err(TableError::NotFinite(5)));
    }
}
