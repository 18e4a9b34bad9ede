//! Long work with progress and cancel.

pub mod handoff;
pub mod intake;

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

/// A running job's switches, shared by the worker and whoever asks.
#[derive(Debug, Default)]
pub struct Job {
    /// Set to stop it.
    pub cancel: AtomicBool,
    /// Thousandths done.
    done: AtomicU32,
}

impl Job {
    /// Says how much is done, 0..1.
    pub fn progress(&self, share: f64) {
        self.done.store((share.clamp(0.0, 1.0) * 1000.0) as u32, Ordering::Relaxed);
    }

    /// How much is done, 0..1.
    pub fn share(&self) -> f64 {
        f64::from(self.done.load(Ordering::Relaxed)) / 1000.0
    }

    /// Whether it was asked to stop.
    pub fn cancelled(&self) -> bool {
        self.cancel.load(Ordering::Relaxed)
    }
}

/// The jobs that run now, by the id of what they make.
#[derive(Default)]
pub struct Jobs {
    running: Mutex<HashMap<String, Arc<Job>>>,
}

impl Jobs {
    fn lock(&self) -> std::sync::MutexGuard<'_, HashMap<String, Arc<Job>>> {
        self.running.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Registers a job.
    pub fn start(&self, id: &str) -> Arc<Job> {
        let job = Arc::new(Job::default());
        self.lock().insert(id.into(), job.clone());
        job
    }

    /// A running job.
    pub fn find(&self, id: &str) -> Option<Arc<Job>> {
        self.lock().get(id).cloned()
    }

    /// Forgets a job that ended.
    pub fn end(&self, id: &str) {
        self.lock().remove(id);
    }
}
