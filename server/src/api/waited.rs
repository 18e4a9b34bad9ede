//! Work that ends when nobody waits for it any more.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Held by a request while it waits: dropped with it, also where the page has gone, it tells the work to stop.
#[derive(Debug, Default)]
pub struct Waited(pub Arc<AtomicBool>);

impl Drop for Waited {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}
