//! Memory for bytes that are needed for a moment, again and again: memory that is new has to be cleared first, which takes as long
//! as reading a photograph into it.

use std::ops::{Deref, DerefMut};
use std::sync::{Mutex, PoisonError};

/// Given back, for the next ones.
static SPARE: Mutex<Vec<Vec<u8>>> = Mutex::new(Vec::new());
/// The most that is kept: the image data of three pictures of 1920 x 1080 with 16 bits, and their files.
const MOST_SPARE: usize = 64 << 20;
/// Sizes that are kept. Less is new at once, more is too much to have lying about.
const KEPT: std::ops::RangeInclusive<usize> = 256 << 10..=16 << 20;

/// Bytes that begin as anything.
#[derive(Debug)]
pub struct Room {
    bytes: Vec<u8>,
    length: usize,
}

impl Room {
    /// Room for so many bytes.
    pub fn of(length: usize) -> Self {
        let mut spare = SPARE.lock().unwrap_or_else(PoisonError::into_inner);
        // The one that fits best, and not one that is much larger: a file's must not be in the way of a picture's.
        let fits = |i: &usize| (length..=2 * length).contains(&spare[*i].len());
        let best = (0..spare.len()).filter(fits).min_by_key(|i| spare[*i].len());
        let bytes = best.map(|i| spare.swap_remove(i));
        drop(spare);
        Self { bytes: bytes.unwrap_or_else(|| vec![0; length]), length }
    }

    /// Parts one after the other.
    pub fn joined(parts: &[&[u8]]) -> Self {
        let mut room = Self::of(parts.iter().map(|part| part.len()).sum());
        let mut left = &mut room[..];
        for part in parts {
            let (own, rest) = left.split_at_mut(part.len());
            own.copy_from_slice(part);
            left = rest;
        }
        room
    }
}

impl Drop for Room {
    fn drop(&mut self) {
        if !KEPT.contains(&self.bytes.len()) {
            return;
        }
        let mut spare = SPARE.lock().unwrap_or_else(PoisonError::into_inner);
        spare.push(std::mem::take(&mut self.bytes));
        // The oldest go first: what is needed now is what was needed a moment ago.
        while spare.iter().map(Vec::len).sum::<usize>() > MOST_SPARE {
            spare.remove(0);
        }
    }
}

impl Deref for Room {
    type Target = [u8];

    fn deref(&self) -> &[u8] {
        &self.bytes[..self.length]
    }
}

impl DerefMut for Room {
    fn deref_mut(&mut self) -> &mut [u8] {
        &mut self.bytes[..self.length]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rooms_are_as_long_as_was_asked_for_and_hold_what_is_put_into_them() {
        let lengths = [0, 1, 300 << 10, 200 << 10, 299 << 10, 151 << 10, 20 << 20, 300 << 10];
        let mut held = Vec::new();
        for (i, length) in lengths.into_iter().enumerate() {
            let mut room = Room::of(length);
            assert_eq!(room.len(), length);
            room.fill(i as u8);
            if i % 2 == 0 {
                held.push((i as u8, room));
            }
        }
        assert!(held.iter().all(|(i, room)| room.iter().all(|b| b == i)));
        assert_eq!(&Room::joined(&[b"ab", b"", b"cde"])[..], b"abcde");
    }

    #[test]
    fn what_is_kept_has_an_end() {
        let all: Vec<Room> = (0..12).map(|_| Room::of(KEPT.end() - 1)).collect();
        drop(all);
        let spare = SPARE.lock().unwrap();
        assert!(spare.iter().map(Vec::len).sum::<usize>() <= MOST_SPARE);
        assert!(spare.iter().all(|bytes| KEPT.contains(&bytes.len())));
    }
}
