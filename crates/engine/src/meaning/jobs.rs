//! Jobs: histories that are made again, one after the other.
//!
//! A job is noted before it begins. One that a stop of the service cut short begins
//! again when it starts: what it had not put in place is gone, and everything is as
//! it was.

use super::progress::Running;
use super::rework::{Ended, Reworker};
use crate::clock;
use crate::problem::Problem;
use lantern_api as api;
use lantern_core::{JobId, Moment, SignalId};
use lantern_store::{Job, Outcome, Store, with_sources};
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::Notify;

/// Jobs of all sites that may wait.
const MOST: u32 = 200;
/// How long to wait when the list of jobs cannot be read.
const RETRY: Duration = Duration::from_secs(5);

/// The jobs.
pub struct Jobs {
    store: Arc<Store>,
    reworker: Reworker,
    running: Arc<Running>,
    work: Notify,
}

impl Jobs {
    pub(crate) fn new(reworker: Reworker, running: Arc<Running>) -> Self {
        Self { store: reworker.store.clone(), reworker, running, work: Notify::new() }
    }

    /// Has a signal's history made again, from a time on and before another.
    ///
    /// # Errors
    /// A [`Problem`]; [`Problem::busy`] if too many jobs wait.
    pub async fn add(&self, signal: SignalId, span: (Moment, Moment), by: &str) -> Result<JobId, Problem> {
        if self.store.open_jobs(MOST).await?.len() >= MOST as usize {
            return Err(Problem::busy());
        }
        let id = self.store.add_job(signal, span, by, clock::now()).await?;
        self.work.notify_one();
        Ok(id)
    }

    /// Stops a job. What it has put in place already stays.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails.
    pub async fn cancel(&self, job: &Job) -> Result<(), Problem> {
        if let Some(progress) = self.running.of(job.id) {
            progress.cancel();
            return Ok(());
        }
        Ok(self.store.end_job(job.id, Outcome::Cancelled, "", 0, clock::now()).await?)
    }

    /// A job as it is shown.
    #[must_use]
    pub fn shown(&self, job: Job) -> api::Job {
        let running = self.running.of(job.id);
        api::Job {
            id: job.id.0,
            signal: format!("{}/{}", job.device, job.code),
            state: match (&job.ended, &running) {
                (Some((_, Outcome::Done)), _) => api::JobState::Done,
                (Some((_, Outcome::Failed)), _) => api::JobState::Failed,
                (Some((_, Outcome::Cancelled)), _) => api::JobState::Cancelled,
                (None, Some(_)) => api::JobState::Running,
                (None, None) => api::JobState::Waiting,
            },
            at: running.as_ref().and_then(|progress| progress.at()),
            done: running.as_ref().map_or(job.readings, |progress| progress.done()),
            total: running.map(|progress| progress.total()),
            from: job.from.to_string(),
            to: (job.to != Moment::MAX).then(|| job.to.to_string()),
            made_by: job.made_by,
            made_at: job.made_at.to_string(),
            ended_at: job.ended.map(|(at, _)| at.to_string()),
            detail: job.detail,
        }
    }

    /// Works the jobs off, for ever.
    pub(crate) async fn run(&self) {
        loop {
            match self.store.open_jobs(1).await {
                Ok(jobs) => match jobs.first() {
                    Some(job) => self.work_on(job).await,
                    None => self.work.notified().await,
                },
                Err(error) => {
                    tracing::error!(error = %with_sources(&error), "the jobs could not be read; trying again");
                    tokio::time::sleep(RETRY).await;
                }
            }
        }
    }

    async fn work_on(&self, job: &Job) {
        let progress = self.running.begin(job.id);
        let (outcome, detail) = match self.reworker.all(job.signal, (job.from, job.to), &progress).await {
            Ok(()) => (Outcome::Done, String::new()),
            Err(Ended::Cancelled) => (Outcome::Cancelled, String::new()),
            Err(Ended::Failed(why)) => {
                tracing::error!(signal = job.code, why, "a history could not be made again");
                (Outcome::Failed, why)
            }
        };
        progress.rest();
        while let Err(error) = self.store.end_job(job.id, outcome, &detail, progress.done(), clock::now()).await {
            tracing::error!(error = %with_sources(&error), "the end of a job could not be noted; trying again");
            tokio::time::sleep(RETRY).await;
        }
        self.running.end();
        self.reworker.recompute.wake();
    }
}
