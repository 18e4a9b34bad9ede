//! Sequences whose frames a page sends one by one: whether they are still coming, or broke off.

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// A sequence of which nothing came for so long has broken off; a slow line takes some seconds for a frame.
pub const PATIENCE: Duration = Duration::from_secs(30);

/// When the last frame of each shot came.
#[derive(Debug, Default)]
pub struct Coming(Mutex<HashMap<String, Instant>>);

impl Coming {
    fn lock(&self) -> std::sync::MutexGuard<'_, HashMap<String, Instant>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A frame of a shot came.
    pub fn came(&self, shot: &str) {
        let mut all = self.lock();
        all.retain(|_, at| at.elapsed() < PATIENCE);
        all.insert(shot.to_owned(), Instant::now());
    }

    /// Takes all sequences for broken off.
    pub fn forget(&self) {
        self.lock().clear();
    }

    /// Whether frames of a shot are still coming.
    pub fn is(&self, shot: &str) -> bool {
        self.lock().get(shot).is_some_and(|at| at.elapsed() < PATIENCE)
    }
}
