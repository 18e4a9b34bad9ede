//! The cache: single-flight, bounded in bytes, keyed by everything that a value was made from.
//!
//! A key holds all that a value depends on, so that nothing is ever cleared by hand: what changes has another key.

use crate::error::ApiResult;
use quick_cache::sync::Cache;
use quick_cache::{OptionsBuilder, Weighter};
use std::hash::Hash;

/// The size of a value in memory.
pub trait Weight {
    /// In bytes, approximately.
    fn bytes(&self) -> usize;
}

impl<T: Weight> Weight for std::sync::Arc<T> {
    fn bytes(&self) -> usize {
        (**self).bytes()
    }
}

impl Weight for Vec<u8> {
    fn bytes(&self) -> usize {
        self.len()
    }
}

impl Weight for Vec<u32> {
    fn bytes(&self) -> usize {
        self.len() * 4
    }
}

impl Weight for lantern_core::table::Table {
    fn bytes(&self) -> usize {
        Self::weight(self)
    }
}

/// Bytes of an entry beside its value: its key and its slot.
const ENTRY: usize = 512;

#[derive(Clone)]
struct ByBytes;

impl<K, V: Weight> Weighter<K, V> for ByBytes {
    fn weight(&self, _: &K, value: &V) -> u64 {
        (value.bytes() + ENTRY) as u64
    }
}

/// Values by key, bounded by their total size in bytes; the least recently used go first.
pub struct WeighedCache<K, V>(Cache<K, V, ByBytes>);

impl<K: Clone + Eq + Hash, V: Clone + Weight> WeighedCache<K, V> {
    /// A cache of at most `bytes`, for about `count` values.
    pub fn new(bytes: usize, about: usize) -> Self {
        let options = OptionsBuilder::new()
            .estimated_items_capacity(about)
            .weight_capacity(bytes as u64)
            // One shard: a large value has to fit beside others.
            .shards(1)
            // Half of it is for new values: pages ask for those again.
            .hot_allocation(0.5)
            .build();
        let options = options.unwrap_or_else(|e| unreachable!("all that is needed is given: {e}"));
        Self(Cache::with_options(options, ByBytes, Default::default(), Default::default()))
    }

    /// The value of a key, made by `make` where it is not cached; callers that ask for the same key meanwhile wait for it. A
    /// failure is not cached: the next caller tries again.
    pub fn get_or(&self, key: &K, make: impl FnOnce() -> ApiResult<V>) -> ApiResult<V> {
        self.0.get_or_insert_with(key, make)
    }

    /// The cached value of a key.
    pub fn get(&self, key: &K) -> Option<V> {
        self.0.get(key)
    }

    /// Caches a value.
    pub fn put(&self, key: K, value: V) {
        self.0.insert(key, value);
    }

    /// Total size of the cached values in bytes.
    pub fn bytes(&self) -> usize {
        self.0.weight() as usize
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::error::ApiError;
    use std::sync::Barrier;
    use std::sync::atomic::{AtomicUsize, Ordering};

    #[test]
    fn a_value_is_made_once_for_all_who_ask_at_once() {
        let kept: WeighedCache<String, Vec<u8>> = WeighedCache::new(1 << 20, 16);
        let (made, together) = (AtomicUsize::new(0), Barrier::new(8));
        let make = || {
            together.wait();
            kept.get_or(&"a".into(), || {
                made.fetch_add(1, Ordering::SeqCst);
                std::thread::sleep(std::time::Duration::from_millis(20));
                Ok(vec![1; 100])
            })
        };
        std::thread::scope(|s| {
            let all: Vec<_> = (0..8).map(|_| s.spawn(make)).collect();
            all.into_iter().for_each(|t| assert_eq!(t.join().unwrap().unwrap(), vec![1; 100]));
        });
        assert_eq!(made.load(Ordering::SeqCst), 1);
    }

    #[test]
    fn a_failure_is_said_to_whoever_asked_and_the_next_one_tries_again() {
        let kept: WeighedCache<u32, Vec<u8>> = WeighedCache::new(1 << 20, 16);
        assert!(kept.get_or(&1, || Err(ApiError::NotFound("file"))).is_err());
        assert_eq!(kept.get_or(&1, || Ok(vec![2])).unwrap(), vec![2]);
        // A thread that panics while it makes something holds up nobody.
        let broken =
            std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| kept.get_or(&2, || panic!("broken"))));
        assert!(broken.is_err());
        assert_eq!(kept.get_or(&2, || Ok(vec![3])).unwrap(), vec![3]);
    }

    #[test]
    fn memory_stays_within_its_bound_and_what_is_used_stays() {
        let kept: WeighedCache<usize, Vec<u8>> = WeighedCache::new(1 << 20, 64);
        for i in 0..500 {
            kept.get_or(&i, || Ok(vec![0; 20_000])).unwrap();
            // Somebody goes on looking at one of them.
            kept.get_or(&3, || Ok(vec![0; 20_000])).unwrap();
            assert!(kept.bytes() <= 1 << 20);
        }
        assert!(kept.get(&3).is_some() && kept.get(&499).is_some() && kept.get(&490).is_some());
        // What is larger than all the room is given, and not kept.
        assert_eq!(kept.get_or(&900, || Ok(vec![0; 2 << 20])).unwrap().len(), 2 << 20);
        assert!(kept.bytes() <= 1 << 20);
    }
}
