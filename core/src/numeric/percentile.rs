//! Percentiles: of a list, and of more values than can be kept.

/// The value below which `share` of the values lie. Reorders `values`; 0 for none.
pub fn percentile(values: &mut [f64], share: f64) -> f64 {
    if values.is_empty() {
        return 0.0;
    }
    let k = ((values.len() - 1) as f64 * share).round() as usize;
    *values.select_nth_unstable_by(k, f64::total_cmp).1
}

/// Bits of a value's mantissa that tell places apart: percentiles are right to one part in 2^15.
const BITS: u32 = 14;
/// The smallest and the largest power of two whose values are told apart; smaller ones count as nothing.
const POWERS: [i32; 2] = [-24, 16];
const PLACES: usize = ((POWERS[1] - POWERS[0]) as usize) << BITS;

/// How values not below zero are spread: counted, so that its size does not grow with their number.
#[derive(Clone, Debug)]
pub struct Spread {
    counts: Vec<u64>,
    count: u64,
    sum: f64,
}

impl Default for Spread {
    fn default() -> Self {
        Self { counts: vec![0; PLACES + 1], count: 0, sum: 0.0 }
    }
}

impl Spread {
    /// Counts values.
    pub fn add(&mut self, values: &[f64]) {
        for v in values {
            self.counts[Self::place(*v)] += 1;
            self.sum += v;
        }
        self.count += values.len() as u64;
    }

    /// The place of a value: by the upper bits of how it is written.
    fn place(v: f64) -> usize {
        let least = f64::from(POWERS[0]).exp2();
        if v.is_nan() || v < least {
            return 0;
        }
        let first = least.to_bits() >> (52 - BITS);
        (((v.to_bits() >> (52 - BITS)) - first) as usize + 1).min(PLACES)
    }

    /// How many values were counted.
    pub fn count(&self) -> usize {
        self.count as usize
    }

    /// Their mean; 0 for none.
    pub fn mean(&self) -> f64 {
        self.sum / self.count.max(1) as f64
    }

    /// The value below which `share` of them lie, to one part in 2^15; 0 for none.
    pub fn percentile(&self, share: f64) -> f64 {
        let wanted = (self.count.saturating_sub(1) as f64 * share).round() as u64;
        let mut seen = 0;
        for (place, count) in self.counts.iter().enumerate() {
            seen += count;
            if seen > wanted {
                return Self::middle(place);
            }
        }
        0.0
    }

    /// The middle of what is counted at a place.
    fn middle(place: usize) -> f64 {
        let Some(place) = place.checked_sub(1) else { return 0.0 };
        let first = f64::from(POWERS[0]).exp2().to_bits() >> (52 - BITS);
        let low = (first + place as u64) << (52 - BITS);
        f64::from_bits(low | 1 << (51 - BITS))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn percentiles_are_those_of_the_sorted_list() {
        let mut v: Vec<f64> = (0..=100).rev().map(f64::from).collect();
        assert_eq!(
            (percentile(&mut v, 0.99), percentile(&mut v, 0.5), percentile(&mut [], 0.5)),
            (99.0, 50.0, 0.0)
        );
    }

    proptest! {
        #[test]
        fn what_is_counted_has_the_percentiles_of_the_list(
            values in proptest::collection::vec(1e-6..300.0_f64, 1..400), share in 0.0..=1.0_f64,
        ) {
            let mut spread = Spread::default();
            values.chunks(7).for_each(|v| spread.add(v));
            let mut list = values.clone();
            let want = percentile(&mut list, share);
            prop_assert!((spread.percentile(share) / want - 1.0).abs() < 4e-5);
            let mean = values.iter().sum::<f64>() / values.len() as f64;
            prop_assert!((spread.mean() / mean - 1.0).abs() < 1e-12 && spread.count() == values.len());
        }
    }

    #[test]
    fn odd_values_are_counted_and_break_nothing() {
        let mut spread = Spread::default();
        spread.add(&[0.0, -1.0, f64::NAN, f64::INFINITY, 1e300, 5e-324]);
        assert_eq!((spread.count(), spread.percentile(0.0)), (6, 0.0));
        assert!(spread.percentile(1.0).is_finite());
        assert_eq!(Spread::default().percentile(0.99), 0.0);
    }
}
