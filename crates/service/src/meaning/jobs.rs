//! Jobs: histories that are made anew, one after the other.
//!
//! A job is noted before it begins. One that a stop of the service cut short begins
//! anew when it starts: what it had not put in place is gone, and everything is as
//! it was.

use super::rework::{self, Ended};
use crate::app::App;
use crate::clock;
use crate::problem::Problem;
use lantern_api as api;
use lantern_core::{Moment, SignalId};
use lantern_store::{Job, Outcome};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::sync::Notify;

/// Jobs of all sites that may wait.
const MOST: u32 = 200;
/// How long to wait when the list of jobs cannot be read.
const RETRY: Duration = Duration::from_secs(5);

/// The jobs.
#[derive(Default)]
pub(crate) struct Jobs {
    running: Mutex<Option<(i64, Arc<Progress>)>>,
    work: Notify,
}

/// How far a job is.
#[derive(Default)]
pub(super) struct Progress {
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

    pub(super) fn add(&self, readings: u64) {
        self.done.fetch_add(readings, Ordering::Relaxed);
    }

    pub(super) fn expect(&self, readings: u64) {
        self.before.store(self.done(), Ordering::Relaxed);
        self.total.store(readings, Ordering::Relaxed);
    }

    pub(super) fn is_cancelled(&self) -> bool {
        self.is_cancelled.load(Ordering::Relaxed)
    }

    pub(super) fn begin(&self, signal: SignalId, name: String) {
        *self.at() = Some((signal, name));
    }

    pub(super) fn rest(&self) {
        *self.at() = None;
    }

    fn at(&self) -> std::sync::MutexGuard<'_, Option<(SignalId, String)>> {
        self.at.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl Jobs {
    fn running(&self) -> std::sync::MutexGuard<'_, Option<(i64, Arc<Progress>)>> {
        self.running.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Whether a signal's history is being made anew at this moment.
    pub(super) fn is_working_on(&self, signal: SignalId) -> bool {
        self.running().as_ref().is_some_and(|(_, progress)| progress.at().as_ref().is_some_and(|at| at.0 == signal))
    }

    /// Has a signal's history made anew.
    pub(crate) async fn add(
        &self,
        app: &App,
        signal: SignalId,
        span: (Moment, Moment),
        by: &str,
    ) -> Result<i64, Problem> {
        if app.store.open_jobs(MOST).await?.len() >= MOST as usize {
            return Err(Problem::busy());
        }
        let id = app.store.add_job(signal, span, by, clock::now()).await?;
        self.work.notify_one();
        Ok(id)
    }

    /// Stops a job. What it has put in place already stays.
    pub(crate) async fn cancel(&self, app: &App, job: &Job) -> Result<(), Problem> {
        if let Some((id, progress)) = self.running().as_ref()
            && *id == job.id
        {
            progress.is_cancelled.store(true, Ordering::Relaxed);
            return Ok(());
        }
        Ok(app.store.end_job(job.id, Outcome::Cancelled, "", 0, clock::now()).await?)
    }

    /// A job as others see it.
    pub(crate) fn shown(&self, job: Job) -> api::Job {
        let running = self.running().as_ref().filter(|(id, _)| *id == job.id).map(|(_, progress)| progress.clone());
        let at = running.as_ref().and_then(|progress| progress.at().as_ref().map(|(_, name)| name.clone()));
        let before = running.as_ref().map_or(0, |progress| progress.before.load(Ordering::Relaxed));
        api::Job {
            id: job.id,
            signal: format!("{}/{}", job.device, job.code),
            state: match (&job.ended, &running) {
                (Some((_, Outcome::Done)), _) => api::JobState::Done,
                (Some((_, Outcome::Failed)), _) => api::JobState::Failed,
                (Some((_, Outcome::Cancelled)), _) => api::JobState::Cancelled,
                (None, Some(_)) => api::JobState::Running,
                (None, None) => api::JobState::Waiting,
            },
            at,
            done: running.as_ref().map_or(job.readings, |progress| progress.done()),
            total: running.map(|progress| before + progress.total.load(Ordering::Relaxed)),
            from: job.from.to_string(),
            to: (job.to != Moment::MAX).then(|| job.to.to_string()),
            made_by: job.made_by,
            made_at: job.made_at.to_string(),
            ended_at: job.ended.map(|(at, _)| at.to_string()),
            detail: job.detail,
        }
    }

    /// Works the jobs off, for ever.
    pub(crate) async fn run(app: Arc<App>) {
        loop {
            match app.store.open_jobs(1).await {
                Ok(jobs) => match jobs.first() {
                    Some(job) => work(&app, job).await,
                    None => app.jobs.work.notified().await,
                },
                Err(error) => {
                    tracing::error!(%error, "the jobs could not be read; trying again");
                    tokio::time::sleep(RETRY).await;
                }
            }
        }
    }
}

async fn work(app: &App, job: &Job) {
    let progress = Arc::new(Progress::default());
    *app.jobs.running() = Some((job.id, progress.clone()));
    let (outcome, detail) = match rework::all(app, job.signal, (job.from, job.to), &progress).await {
        Ok(()) => (Outcome::Done, String::new()),
        Err(Ended::Cancelled) => (Outcome::Cancelled, String::new()),
        Err(Ended::Failed(why)) => {
            tracing::error!(signal = job.code, why, "a history could not be made anew");
            (Outcome::Failed, why)
        }
    };
    progress.rest();
    while let Err(error) = app.store.end_job(job.id, outcome, &detail, progress.done(), clock::now()).await {
        tracing::error!(%error, "the end of a job could not be noted; trying again");
        tokio::time::sleep(RETRY).await;
    }
    *app.jobs.running() = None;
    app.deriver.wake();
}
