//! Reading an evenly spaced table between its entries, on blocks.

use crate::numeric::lane::{N, Plane};

/// Puts what `table` holds at a place, counted in entries and held at both ends, in place of that place.
#[inline(always)]
pub fn read(table: &[f32], plane: &mut Plane) {
    let last = table.len() as f32 - 1.0;
    let mut whole = [0_u32; N];
    let mut part = [0.0; N];
    for i in 0..N {
        // In this order a NaN becomes 0.
        let t = plane[i].max(0.0).min(last);
        whole[i] = t as u32;
        part[i] = t - whole[i] as f32;
    }
    for i in 0..N {
        let at = whole[i] as usize;
        // At the last entry there is none after it, nor any part of one; `get` keeps the loop free of panics.
        let a = table.get(at).copied().unwrap_or(0.0);
        let b = table.get(at + 1).copied().unwrap_or(a);
        plane[i] = a + part[i] * (b - a);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn entries_are_met_and_joined_by_lines_and_both_ends_hold() {
        for (place, want) in
            [(-3.0, 1.0), (0.0, 1.0), (0.25, 1.5), (1.0, 3.0), (1.5, 2.0), (2.0, 1.0), (9.0, 1.0)]
        {
            let mut p = [place; N];
            read(&[1.0, 3.0, 1.0], &mut p);
            assert_eq!(p[N - 1], want, "{place}");
        }
        let mut p = [f32::NAN; N];
        read(&[1.0, 3.0], &mut p);
        assert_eq!(p[0], 1.0);
    }
}
