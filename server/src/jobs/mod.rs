//! Long work: it waits its turn, says how far it is, and can be stopped.
//!
//! Each [`Lane`] has its own workers, so that a long clip keeps no handoff waiting. Workers run below everything that
//! somebody looks at: with lower priority, and handoffs on threads of their own.

pub mod handoff;
pub mod intake;
pub mod package;
pub mod unpick;

use crate::error::{ApiError, ApiResult};
use std::collections::HashMap;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use std::time::{Duration, Instant};

/// A job's switches, shared by its worker and whoever asks.
#[derive(Debug, Default)]
pub struct Job {
    /// Set to stop it.
    pub cancel: AtomicBool,
    begun: OnceLock<Instant>,
    /// Thousandths done.
    done: AtomicU32,
    /// How it ended, where that could not be saved yet.
    ended: OnceLock<Ended>,
}

/// How a job ended that could not say so in the database.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Ended {
    /// `failed` or `cancelled`.
    pub state: &'static str,
    /// Why it failed, in words; else empty.
    pub why: String,
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

    /// How it ended, where that could not be saved yet: until it can, this is how it stands.
    pub fn ended(&self) -> Option<&Ended> {
        self.ended.get()
    }

    /// Whether it was asked to stop.
    pub fn cancelled(&self) -> bool {
        self.cancel.load(Ordering::Relaxed)
    }

    /// Whether its turn has come.
    pub fn begun(&self) -> bool {
        self.begun.get().is_some()
    }

    /// About how many seconds it will take yet, at its pace so far; `None` while that says nothing.
    pub fn left(&self) -> Option<f64> {
        let (took, share) = (self.begun.get()?.elapsed().as_secs_f64(), self.share());
        (took > 2.0 && share > 0.02).then(|| took * (1.0 - share) / share)
    }
}

/// What waits for what: jobs of one lane run in the order that they were asked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lane {
    /// Files that come in.
    Intake,
    /// Handoffs, and tables that are taken apart.
    Handoffs,
}

/// Workers of a lane. Three shots at a time: a short clip need not wait for a long one, and while one waits for the disk two
/// are read. One handoff at a time: it uses all of its threads by itself.
const INTAKE_WORKERS: usize = 3;
const HANDOFF_WORKERS: usize = 1;

type Work = Box<dyn FnOnce() + Send>;
type Known = Arc<Mutex<HashMap<String, Arc<Job>>>>;

/// The jobs that wait or run, by the id of what they make.
pub struct Jobs {
    known: Known,
    intake: Sender<Work>,
    handoffs: Sender<Work>,
}

impl Default for Jobs {
    fn default() -> Self {
        Self { known: Known::default(), intake: workers(INTAKE_WORKERS), handoffs: workers(HANDOFF_WORKERS) }
    }
}

/// Starts workers; they end with the sender of their work.
fn workers(count: usize) -> Sender<Work> {
    let (sender, receiver) = channel::<Work>();
    let receiver = Arc::new(Mutex::new(receiver));
    for _ in 0..count {
        let receiver: Arc<Mutex<Receiver<Work>>> = receiver.clone();
        std::thread::spawn(move || {
            step_back();
            loop {
                let next = receiver.lock().unwrap_or_else(PoisonError::into_inner).recv();
                let Ok(work) = next else { return };
                work();
            }
        });
    }
    sender
}

/// Lets everything else go first on this thread, and in processes that it starts.
fn step_back() {
    // Where that is refused the work is done all the same.
    #[cfg(target_os = "linux")]
    let _ = rustix::process::nice(15);
}

/// The threads that heavy work of jobs is spread over: half of the machine's.
fn threads() -> Option<&'static rayon::ThreadPool> {
    static POOL: OnceLock<Option<rayon::ThreadPool>> = OnceLock::new();
    POOL.get_or_init(|| {
        let all = std::thread::available_parallelism().map_or(2, usize::from);
        let builder = rayon::ThreadPoolBuilder::new().num_threads(all.div_ceil(2));
        builder.start_handler(|_| step_back()).build().ok()
    })
    .as_ref()
}

/// Does a job's heavy work on its [`threads`]. Where it breaks down, that is its error, and the lane goes on.
fn worked<T: Send>(what: &str, work: impl FnOnce() -> ApiResult<T> + Send) -> ApiResult<T> {
    let on_threads = || match threads() {
        Some(threads) => threads.install(work),
        None => work(),
    };
    catch_unwind(AssertUnwindSafe(on_threads))
        .unwrap_or_else(|_| Err(ApiError::internal(format!("the {what} broke down"))))
}

/// Does work on a thread of its own that lets everything else go first, and waits for it. What the work spreads over
/// threads stays on that one, and it can pick up nothing else that waits: whoever holds a lock or a turn may call this.
pub fn stepped_back<T: Send>(work: impl FnOnce() -> T + Send) -> T {
    match rayon::ThreadPoolBuilder::new().num_threads(1).start_handler(|_| step_back()).build() {
        Ok(thread) => thread.install(work),
        // No thread is to be had: then at once.
        Err(_) => work(),
    }
}

fn lock(known: &Known) -> std::sync::MutexGuard<'_, HashMap<String, Arc<Job>>> {
    known.lock().unwrap_or_else(PoisonError::into_inner)
}

fn forget(known: &Known, id: &str, job: &Arc<Job>) {
    let mut known = lock(known);
    if known.get(id).is_some_and(|j| Arc::ptr_eq(j, job)) {
        known.remove(id);
    }
}

/// How often it is tried again to save how jobs ended, where the disk was full.
const SAVE_AGAIN: Duration = Duration::from_secs(2);

/// How what a job makes stands: as its row says, but for an end that could not be saved yet.
pub fn stands(job: Option<&Job>, state: String, failure: String) -> (String, String) {
    match job.and_then(Job::ended) {
        Some(ended) => (ended.state.to_owned(), ended.why.clone()),
        None => (state, failure),
    }
}

/// Saves how jobs ended, by their ids.
#[derive(Clone)]
pub struct Ends(Known);

impl Ends {
    /// Saves how a job ended by `save`, now or as soon as there is room for it; until then the job is known under its id and says
    /// how it stands, so that nothing runs for ever.
    pub fn end(&self, id: &str, how: Ended, save: impl Fn(&Ended) -> ApiResult<()> + Send + 'static) {
        let failed = match save(&how) {
            // It may have been deleted meanwhile.
            Ok(()) | Err(ApiError::NotFound(_)) => return,
            Err(e) => e,
        };
        tracing::warn!("how {id} ended is not saved yet: {}", failed.cause());
        let Some(job) = lock(&self.0).get(id).cloned() else { return };
        let _ = job.ended.set(how.clone());
        let (known, id) = (self.0.clone(), id.to_owned());
        std::thread::spawn(move || {
            // As long as the job is known: one that is taken up again is another.
            while lock(&known).get(&id).is_some_and(|j| Arc::ptr_eq(j, &job)) {
                std::thread::sleep(SAVE_AGAIN);
                if matches!(save(&how), Ok(()) | Err(ApiError::NotFound(_))) {
                    forget(&known, &id, &job);
                }
            }
        });
    }
}

impl Ended {
    /// Of work that came to nothing: stopped, or with the reason.
    pub fn without(failure: Option<&ApiError>) -> Self {
        match failure {
            None => Self { state: "cancelled", why: String::new() },
            Some(e) => Self { state: "failed", why: e.to_string() },
        }
    }
}

impl Jobs {
    /// What saves how its jobs end.
    pub fn ends(&self) -> Ends {
        Ends(self.known.clone())
    }

    /// A job that waits or runs, and has not ended.
    pub fn going(&self, id: &str) -> Option<Arc<Job>> {
        self.find(id).filter(|job| job.ended().is_none())
    }

    /// Puts work into a lane. Its job is known under `id` from now on until it has ended, however it ends.
    pub fn queue(&self, lane: Lane, id: &str, work: impl FnOnce(&Job) + Send + 'static) -> Arc<Job> {
        let job = Arc::new(Job::default());
        lock(&self.known).insert(id.into(), job.clone());
        let (known, id, mine) = (self.known.clone(), id.to_owned(), job.clone());
        let whole = move || {
            mine.begun.get_or_init(Instant::now);
            if catch_unwind(AssertUnwindSafe(|| work(&mine))).is_err() {
                tracing::error!("the job of {id} broke down");
            }
            // One whose end is not saved yet is known on, and says how it stands.
            if mine.ended.get().is_none() {
                forget(&known, &id, &mine);
            }
        };
        let sender = match lane {
            Lane::Intake => &self.intake,
            Lane::Handoffs => &self.handoffs,
        };
        if sender.send(Box::new(whole)).is_err() {
            tracing::error!("nobody works any more");
        }
        job
    }

    /// A job that waits or runs.
    pub fn find(&self, id: &str) -> Option<Arc<Job>> {
        lock(&self.known).get(id).cloned()
    }

    /// Asks a job to stop, where there is one.
    pub fn stop(&self, id: &str) {
        if let Some(job) = self.find(id) {
            job.cancel.store(true, Ordering::Relaxed);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn jobs_of_a_lane_take_turns_and_one_that_breaks_down_holds_up_nobody() {
        let jobs = Jobs::default();
        let (sender, ended) = channel();
        for i in 0..16 {
            let sender = sender.clone();
            jobs.queue(Lane::Handoffs, &i.to_string(), move |job| {
                assert!(job.begun() && !job.cancelled());
                sender.send(i).unwrap();
                assert!(i != 3, "breaks down");
            });
        }
        // The other lane does not wait.
        let aside = sender.clone();
        jobs.queue(Lane::Intake, "clip", move |_| aside.send(100).unwrap());
        drop(sender);
        let mut order: Vec<i32> = ended.iter().collect();
        order.retain(|i| *i != 100);
        assert_eq!(order, (0..16).collect::<Vec<_>>());
    }

    #[test]
    fn a_job_is_known_from_asking_to_its_end_and_can_be_stopped_before_its_turn() {
        let jobs = Jobs::default();
        let (go, wait) = channel::<()>();
        let (sender, ended) = channel();
        jobs.queue(Lane::Handoffs, "first", move |_| assert!(wait.recv().is_ok()));
        let told = sender.clone();
        let second = jobs.queue(Lane::Handoffs, "second", move |job| told.send(job.cancelled()).unwrap());
        assert!(!second.begun() && jobs.find("second").is_some());
        jobs.stop("second");
        go.send(()).unwrap();
        assert!(ended.recv().unwrap());
        jobs.queue(Lane::Handoffs, "third", move |_| sender.send(false).unwrap());
        ended.recv().unwrap();
        assert!(jobs.find("second").is_none());
    }
}
