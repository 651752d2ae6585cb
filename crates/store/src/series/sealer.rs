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
use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{Mutex, mpsc, oneshot};

/// What one transaction writes at most, so that intake does not wait for long.
const TRANSACTION_BYTES: usize = 256 * 1_024;
const TRANSACTION_SEGMENTS: usize = 64;
/// How long it waits after a failure.
const RETRY: Duration = Duration::from_secs(2);
/// So many transactions in a row that could not be written are the disk's fault, not the signals'.
const HOPELESS: u32 = 3;

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
    /// The layers that are sealed with it.
    done: Vec<Due>,
}

impl Gathered {
    fn add(&mut self, signal: SignalId, rewrite: Rewrite) {
        self.size += rewrite.size();
        self.segments += rewrite.new.len() + rewrite.gone.len();
        self.sealing.rewrites.push((signal, rewrite));
    }
}

/// What could not be sealed. It is tried again after everything else, each in a transaction of
/// its own: what fails for one signal holds up no other.
#[derive(Default)]
struct Failed {
    layers: Vec<Due>,
    /// Transactions that failed since one was written.
    in_a_row: u32,
}

impl Failed {
    fn note(&mut self, layers: Vec<Due>, error: &SealError) {
        let signals: Vec<i64> = layers.iter().map(|due| due.signal.0).collect();
        tracing::error!(%error, ?signals, "readings could not be sealed; trying again in {} s", RETRY.as_secs());
        self.in_a_row += 1;
        self.layers.extend(layers);
    }
}

impl Sealer {
    /// Seals whatever is due, for as long as there is a recorder.
    pub(crate) async fn run(mut self) {
        // Frozen layers stay frozen until they are sealed.
        let mut failed: Vec<Due> = Vec::new();
        loop {
            let due = self.tails.freeze(&self.limits);
            self.tails.note_sealing(!due.is_empty() || !failed.is_empty());
            if due.is_empty() && failed.is_empty() {
                self.tails.work.notified().await;
                continue;
            }
            failed = match self.seal(due, failed).await {
                Ok(failed) => failed,
                // The service is stopping.
                Err(_) => return,
            };
            if !failed.is_empty() {
                tokio::time::sleep(RETRY).await;
            }
        }
    }

    /// Seals layers, first those that have not failed before; gives back those that could not be sealed.
    async fn seal(&mut self, due: Vec<Due>, failed_before: Vec<Due>) -> Result<Vec<Due>, SealError> {
        let planning = self.planning.clone();
        let _planning = planning.lock().await;
        let suspects: HashSet<SignalId> = failed_before.iter().map(|due| due.signal).collect();
        let mut waiting = due.into_iter().chain(failed_before);
        let (mut gathered, mut failed) = (Gathered::default(), Failed::default());
        for due in waiting.by_ref() {
            let is_alone = suspects.contains(&due.signal);
            if is_alone {
                self.write(&mut gathered, &mut failed).await?;
            }
            match self.gather(&due, &mut gathered, &mut failed).await {
                Ok(()) => gathered.done.push(due),
                Err(SealError::Stopping) => return Err(SealError::Stopping),
                Err(error) => failed.note(vec![due], &error),
            }
            if is_alone || gathered.size >= TRANSACTION_BYTES || gathered.segments >= TRANSACTION_SEGMENTS {
                self.write(&mut gathered, &mut failed).await?;
            }
            if failed.in_a_row >= HOPELESS {
                break;
            }
        }
        self.write(&mut gathered, &mut failed).await?;
        let failed = waiting.chain(failed.layers).collect();
        self.roll_up().await;
        match self.trim().await {
            Err(SealError::Stopping) => return Err(SealError::Stopping),
            Err(error) => tracing::error!(%error, "the journal could not be trimmed yet"),
            Ok(()) => {}
        }
        Ok(failed)
    }

    /// Plans the sealing of a layer as a part of a transaction. What needs several is written but for
    /// the last.
    async fn gather(&mut self, due: &Due, gathered: &mut Gathered, failed: &mut Failed) -> Result<(), SealError> {
        let (signal, through) = (due.signal, due.through);
        let pool = self.pool.clone();
        let limits = self.limits;
        let mut written = due.bursts as usize;
        let mut plan = Plan::new(&pool, &limits, due.clone()).await?;
        while !plan.is_done() {
            let rewrite = plan.next().await?;
            written += rewrite.new.len();
            gathered.add(signal, rewrite);
            // The next step looks at what this one has written.
            if !plan.is_done() {
                self.write_step(gathered, failed).await?;
            }
        }
        gathered.sealing.marks.push((signal, through));
        // One that nobody has looked at yet is worth a look.
        *self.written.entry(signal).or_insert_with(|| self.limits.worth_rollup()) += written;
        Ok(())
    }

    /// Writes a transaction; what was to be sealed with it has failed if it cannot be written.
    ///
    /// # Errors
    /// [`SealError::Stopping`] only.
    async fn write(&self, gathered: &mut Gathered, failed: &mut Failed) -> Result<(), SealError> {
        match self.write_step(gathered, failed).await {
            Err(SealError::Stopping) => Err(SealError::Stopping),
            _ => Ok(()),
        }
    }

    /// As [`Self::write`], for who has to know that it failed.
    async fn write_step(&self, gathered: &mut Gathered, failed: &mut Failed) -> Result<(), SealError> {
        let Gathered { sealing, done, .. } = std::mem::take(gathered);
        if sealing.is_empty() {
            return Ok(());
        }
        if let Err(error) = send(&self.recorder, sealing).await {
            if !done.is_empty() {
                failed.note(done, &error);
            }
            return Err(error);
        }
        failed.in_a_row = 0;
        // Here and not in the recorder: nobody who delivers waits for it.
        self.disk.look(&self.pool).await;
        for due in &done {
            self.tails.thaw(due.signal);
        }
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
        while send(&self.recorder, Sealing { trim: before, ..Sealing::default() }).await? >= u64::from(journal::TRIM) {}
        self.disk.look(&self.pool).await;
        Ok(())
    }
}

pub(crate) async fn send(recorder: &mpsc::Sender<Seal>, sealing: Sealing) -> Result<u64, SealError> {
    let (answer, answered) = oneshot::channel();
    recorder.send(Seal { sealing, answer }).await.map_err(|_| SealError::Stopping)?;
    answered.await.map_err(|_| SealError::Stopping)?.map_err(SealError::Write)
}
