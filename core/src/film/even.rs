//! Evenly spaced tables that are read between their entries, on blocks.

use crate::numeric::lane::{Channel, N, ROUND, lower};
use std::sync::Arc;

/// The most entries of a table: a power of two, so that no place lies outside whatever bits it is made of, and the loop that reads
/// needs no checks. With them it would read value by value and take three times as long.
pub const MOST: usize = 4096;

/// An evenly spaced table, cheap to clone.
#[derive(Clone, Debug, PartialEq)]
pub struct EvenTable {
    /// The entries; what lies after them repeats the last.
    entries: Arc<[f32; MOST]>,
    last: f32,
}

impl EvenTable {
    /// A table of these entries; those after the first [`MOST`] do not count, and none at all is a table of zero.
    pub fn new(entries: impl IntoIterator<Item = f32>) -> Self {
        let mut own = [0.0; MOST];
        let (mut count, mut end) = (0, 0.0);
        for (place, entry) in own.iter_mut().zip(entries) {
            (*place, end) = (entry, entry);
            count += 1;
        }
        own[count..].fill(end);
        Self { entries: Arc::new(own), last: count.max(1) as f32 - 1.0 }
    }

    /// Puts what the table holds at a place, counted in entries and held at both ends, in place of that place; a place that is
    /// no number is the first.
    #[inline(always)]
    pub fn read(&self, plane: &mut Channel) {
        let (entries, last) = (&*self.entries, self.last);
        for i in 0..N {
            // In this order a NaN becomes 0.
            let t = plane[i].max(0.0).min(last);
            // The whole number below t; a whole t may give the one below it, with all of the way to the next.
            let rounded = lower(t);
            let part = t - (rounded - ROUND);
            let at = rounded.to_bits() as usize;
            let (a, b) = (entries[at % MOST], entries[(at + 1) % MOST]);
            plane[i] = a + part * (b - a);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(table: &EvenTable, place: f32) -> f32 {
        let mut p = Channel::of(place);
        table.read(&mut p);
        p[N - 1]
    }

    #[test]
    fn entries_are_met_and_joined_by_lines_and_both_ends_hold() {
        let table = EvenTable::new([1.0, 3.0, 1.0]);
        for (place, want) in
            [(-3.0, 1.0), (0.0, 1.0), (0.25, 1.5), (1.0, 3.0), (1.5, 2.0), (2.0, 1.0), (9.0, 1.0)]
        {
            assert_eq!(at(&table, place), want, "{place}");
        }
        assert_eq!(at(&EvenTable::new([1.0, 3.0]), f32::NAN), 1.0);
    }

    #[test]
    fn a_table_of_any_length_holds_its_entries_and_no_place_lies_outside() {
        for count in [1, 2, 1024, 2101, MOST] {
            let table = EvenTable::new((0..count).map(|i| (i * i % 7919) as f32));
            for i in [0, 1, count / 3, count.saturating_sub(2), count - 1].map(|i: usize| i.min(count - 1)) {
                assert_eq!(at(&table, i as f32), (i * i % 7919) as f32, "{i} of {count}");
            }
            for far in [f32::MAX, f32::INFINITY, 1e9] {
                assert_eq!(at(&table, far), ((count - 1) * (count - 1) % 7919) as f32);
            }
            assert_eq!(at(&table, f32::NEG_INFINITY), 0.0);
        }
        assert_eq!(at(&EvenTable::new([]), 3.0), 0.0);
    }
}
