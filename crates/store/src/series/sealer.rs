//! The sealer: one task that makes segments of what has been taken in.

use super::plan::{Plan, Rewrite};
use super::room::Room;
use super::sealing::{Seal, Sealing};
use super::summing;
use super::tails::{Due, Tails};
use super::{Limits, journal};
use crate::error::LoadError;
use lantern_core::SignalId;
use sqlx::SqlitePool;
use std::collections::HashMap;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{Mutex, mpsc, oneshot};

/// What one transaction writes at most, so that intake does not wait for long.
const TRANSACTION_BYTES: usize = 256 * 1_024;
const TRANSACTION_SEGMENTS: usize = 64;
/// How long it waits after a failure.
const RETRY: Duration = Duration::from_secs(5);

pub(crate) struct Sealer {
    pub(crate) pool: SqlitePool,
    pub(crate) tails: Arc<Tails>,
    pub(crate) limits: Limits,
    pub(crate) recorder: mpsc::Sender<Seal>,
    pub(crate) disk: Arc<Room>,
    /// Held by whoever plans changes of segments.
    pub(crate) planning: Arc<Mutex<()>>,
    /// Segments written of each signal since somebody looked whether rollups are
    /// missing; nobody has looked yet at those that are not in it.
    pub(crate) written: HashMap<SignalId, usize>,
}

/// Has the recorder rewrite segments of a signal, by somebody who is planning.
pub(crate) async fn rewrite(
    recorder: &mpsc::Sender<Seal>,
    signal: SignalId,
    rewrite: Rewrite,
) -> Result<(), SealError> {
    let sealing = Sealing { rewrites: vec![(signal, rewrite)], ..Sealing::default() };
    send(recorder, sealing).await.map(drop)
}

/// Makes the rollups of a signal that are missing, by somebody who is planning.
pub(crate) async fn roll_up(
    recorder: &mpsc::Sender<Seal>,
    pool: &SqlitePool,
    limits: &Limits,
    signal: SignalId,
) -> Result<(), SealError> {
    let mut from = i64::MIN;
    loop {
        let step = summing::make(&mut *pool.acquire().await?, signal, from, limits).await?;
        let Some(step) = step else { return Ok(()) };
        from = step.next;
        if let Some(made) = step.made {
            send(recorder, Sealing { rollup: Some((signal, made)), ..Sealing::default() }).await?;
        }
    }
}

/// Why a sealing did not happen. What was to be sealed is still recent.
#[derive(Debug, thiserror::Error)]
pub(crate) enum SealError {
    #[error(transparent)]
    Load(#[from] LoadError),
    #[error("what was to be sealed could not be written")]
    Write(#[source] sqlx::Error),
    #[error("the service is stopping")]
    Stopping,
}

impl From<sqlx::Error> for SealError {
    fn from(error: sqlx::Error) -> Self {
        Self::Load(error.into())
    }
}

/// A transaction that is being put together.
#[derive(Default)]
struct Gathered {
    sealing: Sealing,
    size: usize,
    segments: usize,
    /// Signals that are done with it.
    done: Vec<SignalId>,
}

impl Gathered {
    fn add(&mut self, signal: SignalId, rewrite: Rewrite) {
        self.size += rewrite.size();
        self.segments += rewrite.new.len() + rewrite.gone.len();
        self.sealing.rewrites.push((signal, rewrite));
    }
}

impl Sealer {
    /// Seals whatever is due, for as long as there is a recorder.
    pub(crate) async fn run(mut self) {
        loop {
            let mut due = self.tails.freeze(&self.limits);
            self.tails.note_sealing(!due.is_empty());
            if due.is_empty() {
                self.tails.work.notified().await;
                continue;
            }
            // Frozen layers stay frozen until they are sealed.
            while let Err((error, left)) = self.seal(due).await {
                if matches!(error, SealError::Stopping) {
                    return;
                }
                tracing::error!(%error, "readings could not be sealed; trying again in {} s", RETRY.as_secs());
                due = left;
                tokio::time::sleep(RETRY).await;
            }
        }
    }

    /// Seals layers; gives back those that are left if it fails.
    async fn seal(&mut self, due: Vec<Due>) -> Result<(), (SealError, Vec<Due>)> {
        let planning = self.planning.clone();
        let _planning = planning.lock().await;
        let mut waiting = due.into_iter();
        let mut gathered = Gathered::default();
        // Those whose transaction has not been written yet.
        let mut open: Vec<Due> = Vec::new();
        for due in waiting.by_ref() {
            open.push(Due { layer: due.layer.clone(), ..due });
            if let Err(error) = self.seal_one(due, &mut gathered, &mut open).await {
                open.extend(waiting);
                return Err((error, open));
            }
        }
        match self.write(&mut gathered, &mut open).await {
            Ok(()) => {
                self.roll_up().await;
                self.trim().await.map_err(|error| (error, Vec::new()))
            }
            Err(error) => Err((error, open)),
        }
    }

    async fn seal_one(&mut self, due: Due, gathered: &mut Gathered, open: &mut Vec<Due>) -> Result<(), SealError> {
        let (signal, through) = (due.signal, due.through);
        let mut written = due.bursts as usize;
        let mut plan = Plan::new(&self.pool, &self.limits, due).await?;
        while !plan.is_done() {
            let rewrite = plan.next().await?;
            written += rewrite.new.len();
            gathered.add(signal, rewrite);
            // The next step looks at what this one has written.
            if !plan.is_done() {
                self.write(gathered, open).await?;
            }
        }
        gathered.sealing.marks.push((signal, through));
        gathered.done.push(signal);
        // One that nobody has looked at yet is worth a look.
        *self.written.entry(signal).or_insert_with(|| self.limits.worth_rollup()) += written;
        if gathered.size >= TRANSACTION_BYTES || gathered.segments >= TRANSACTION_SEGMENTS {
            self.write(gathered, open).await?;
        }
        Ok(())
    }

    async fn write(&self, gathered: &mut Gathered, open: &mut Vec<Due>) -> Result<(), SealError> {
        let Gathered { sealing, done, .. } = std::mem::take(gathered);
        self.send(sealing).await?;
        // Here and not in the recorder: nobody who delivers waits for it.
        self.disk.look(&self.pool).await;
        for signal in &done {
            self.tails.thaw(*signal);
        }
        open.retain(|due| !done.contains(&due.signal));
        Ok(())
    }

    /// Makes rollups of signals of which much has been written. A chart is right
    /// without them, so a failure is told and the next sealing tries again.
    async fn roll_up(&mut self) {
        let worth = self.limits.worth_rollup();
        let many: Vec<SignalId> =
            self.written.iter().filter(|(_, written)| **written >= worth).map(|(signal, _)| *signal).collect();
        for signal in many {
            match roll_up(&self.recorder, &self.pool, &self.limits, signal).await {
                Ok(()) => drop(self.written.insert(signal, 0)),
                Err(error) => tracing::warn!(signal = signal.0, %error, "segments could not be summed up"),
            }
        }
    }

    /// Deletes the part of the journal that nobody needs any more.
    async fn trim(&self) -> Result<(), SealError> {
        let before = self.tails.release();
        while self.send(Sealing { trim: before, ..Sealing::default() }).await? >= u64::from(journal::TRIM) {}
        self.disk.look(&self.pool).await;
        Ok(())
    }

    async fn send(&self, sealing: Sealing) -> Result<u64, SealError> {
        send(&self.recorder, sealing).await
    }
}

pub(crate) async fn send(recorder: &mpsc::Sender<Seal>, sealing: Sealing) -> Result<u64, SealError> {
    let (answer, answered) = oneshot::channel();
    recorder.send(Seal { sealing, answer }).await.map_err(|_| SealError::Stopping)?;
    answered.await.map_err(|_| SealError::Stopping)?.map_err(SealError::Write)
}
