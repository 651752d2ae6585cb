//! How far the job is that is being worked on.

use lantern_core::{JobId, SignalId};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// The job that is being worked on, if one is.
#[derive(Default)]
pub(crate) struct Running {
    job: Mutex<Option<(JobId, Arc<Progress>)>>,
}

impl Running {
    fn lock(&self) -> MutexGuard<'_, Option<(JobId, Arc<Progress>)>> {
        self.job.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn begin(&self, job: JobId) -> Arc<Progress> {
        let progress = Arc::new(Progress::default());
        *self.lock() = Some((job, progress.clone()));
        progress
    }

    pub(super) fn end(&self) {
        *self.lock() = None;
    }

    /// How far a job is, if it is the one.
    pub(super) fn of(&self, job: JobId) -> Option<Arc<Progress>> {
        self.lock().as_ref().filter(|(id, _)| *id == job).map(|(_, progress)| progress.clone())
    }

    /// Whether a signal's history is being made again at this moment.
    pub(super) fn is_working_on(&self, signal: SignalId) -> bool {
        self.lock().as_ref().is_some_and(|(_, progress)| progress.lock().as_ref().is_some_and(|at| at.0 == signal))
    }
}

/// How far a job is, in readings.
#[derive(Default)]
pub(crate) struct Progress {
    done: AtomicU64,
    total: AtomicU64,
    /// The readings that were done before the signal it is at.
    before: AtomicU64,
    at: Mutex<Option<(SignalId, String)>>,
    is_cancelled: AtomicBool,
}

impl Progress {
    pub(super) fn done(&self) -> u64 {
        self.done.load(Ordering::Relaxed)
    }

    /// All readings there are to do, as far as is known yet.
    pub(super) fn total(&self) -> u64 {
        self.before.load(Ordering::Relaxed) + self.total.load(Ordering::Relaxed)
    }

    /// The signal it is at, as `DEVICE/SIGNAL`.
    pub(super) fn at(&self) -> Option<String> {
        self.lock().as_ref().map(|(_, name)| name.clone())
    }

    pub(super) fn add(&self, readings: u64) {
        self.done.fetch_add(readings, Ordering::Relaxed);
    }

    pub(super) fn expect(&self, readings: u64) {
        self.before.store(self.done(), Ordering::Relaxed);
        self.total.store(readings, Ordering::Relaxed);
    }

    pub(super) fn cancel(&self) {
        self.is_cancelled.store(true, Ordering::Relaxed);
    }

    pub(super) fn is_cancelled(&self) -> bool {
        self.is_cancelled.load(Ordering::Relaxed)
    }

    pub(super) fn begin(&self, signal: SignalId, name: String) {
        *self.lock() = Some((signal, name));
    }

    pub(super) fn rest(&self) {
        *self.lock() = None;
    }

    fn lock(&self) -> MutexGuard<'_, Option<(SignalId, String)>> {
        self.at.lock().unwrap_or_else(PoisonError::into_inner)
    }
}
