//! The recorder: one task that makes all changes to series, many deliveries at a
//! time.
//!
//! Deliveries that come while a group is being committed wait together and make
//! up the next group. A delivery is answered after the commit, which is durable
//! (synchronous FULL). Sealing goes through the recorder too, so that there is
//! one order in which series change; the work for it is done elsewhere before.

use crate::error::{LoadError, RecordError};
use crate::series::group::{self, Incoming, Memory, Recorded};
use crate::series::lot::{self, Encoded, Lot};
use crate::series::room::{self, Room};
use crate::series::sealing::{Seal, Sealing};
use crate::series::segment::{self, Span};
use crate::series::tails::Tails;
use crate::series::{Limits, journal, rollup};
use crate::state_changes;
use crate::workload::{Counts, Workload};
use lantern_core::series::{Layer, MAX_RUN};
use lantern_core::state::StateChange;
use lantern_core::{Moment, Reading};
use sqlx::SqlitePool;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Instant;
use tokio::sync::{OwnedSemaphorePermit, Semaphore, mpsc, oneshot};
use tokio::task::JoinHandle;

/// Readings that may wait in the queue, over all deliveries.
const QUEUE_READINGS: usize = 200_000;
/// Deliveries that may wait in the queue.
const QUEUE_DELIVERIES: usize = 4_096;
/// Readings after which a group takes no further delivery.
const GROUP_READINGS: usize = 40_000;
/// A group may be one run, and a run has to fit into a segment.
const _: () = assert!(GROUP_READINGS + QUEUE_READINGS <= MAX_RUN, "a group must fit into a segment");

/// A delivery that is in the queue. It is recorded whether anybody waits or not.
pub struct Pending(oneshot::Receiver<Result<Recorded, RecordError>>);

impl Pending {
    /// Waits until it is recorded durably.
    ///
    /// # Errors
    /// [`RecordError`]; nothing was kept then.
    pub async fn recorded(self) -> Result<Recorded, RecordError> {
        self.0.await.unwrap_or_else(|_| Err(RecordError::Stopping))
    }
}

struct Delivery {
    readings: Arc<Vec<Reading>>,
    /// The same by signal.
    lots: Vec<Lot>,
    changes: Vec<StateChange>,
    now: Moment,
    since: Instant,
    answer: oneshot::Sender<Result<Recorded, RecordError>>,
    _room: OwnedSemaphorePermit,
}

impl Delivery {
    fn weight(&self) -> usize {
        self.readings.len() + self.changes.len()
    }
}

struct Cut {
    span: Span,
    changes: Vec<StateChange>,
    answer: oneshot::Sender<Result<(), RecordError>>,
}

enum Job {
    Delivery(Delivery),
    Cut(Cut),
}

/// The way to the recorder's task.
pub(crate) struct Recorder {
    queue: Mutex<Option<mpsc::Sender<Job>>>,
    room: Arc<Semaphore>,
    /// Readings of one signal that become segments at once.
    burst: usize,
    task: Mutex<Option<JoinHandle<()>>>,
    counts: Arc<Counts>,
}

impl Recorder {
    /// Starts the task, and gives the way for the sealer too.
    pub(crate) fn start(
        pool: SqlitePool,
        tails: Arc<Tails>,
        limits: Limits,
        disk: Arc<Room>,
    ) -> (Self, mpsc::Sender<Seal>) {
        let (queue, jobs) = mpsc::channel(QUEUE_DELIVERIES);
        let (seals, sealings) = mpsc::channel(1);
        let counts = Arc::<Counts>::default();
        let task =
            Task { pool, tails, limits, disk, memory: Memory::default(), kept_back: None, counts: counts.clone() };
        let recorder = Self {
            queue: Mutex::new(Some(queue)),
            room: Arc::new(Semaphore::new(QUEUE_READINGS)),
            burst: limits.burst,
            task: Mutex::new(Some(tokio::spawn(task.run(jobs, sealings)))),
            counts,
        };
        (recorder, seals)
    }

    /// Finishes what is queued and takes no more.
    pub(crate) async fn stop(&self) {
        self.queue.lock().unwrap_or_else(PoisonError::into_inner).take();
        let task = self.task.lock().unwrap_or_else(PoisonError::into_inner).take();
        if let Some(task) = task
            && let Err(error) = task.await
        {
            tracing::error!(%error, "the recorder ended badly");
        }
    }

    /// Whether the task has ended, though nobody stopped it.
    pub(crate) fn is_finished(&self) -> bool {
        let task = self.task.lock().unwrap_or_else(PoisonError::into_inner);
        task.as_ref().is_some_and(JoinHandle::is_finished)
    }

    fn queue(&self) -> Result<mpsc::Sender<Job>, RecordError> {
        self.queue.lock().unwrap_or_else(PoisonError::into_inner).clone().ok_or(RecordError::Stopping)
    }

    pub(crate) fn queue_up(
        &self,
        readings: Arc<Vec<Reading>>,
        changes: Vec<StateChange>,
        now: Moment,
    ) -> Result<Pending, RecordError> {
        let weight = u32::try_from((readings.len() + changes.len()).clamp(1, QUEUE_READINGS)).unwrap_or(u32::MAX);
        let room = self.room.clone().try_acquire_many_owned(weight).map_err(|_| RecordError::Busy)?;
        let (answer, answered) = oneshot::channel();
        let (lots, since) = (lot::sort(&readings, self.burst), Instant::now());
        let delivery = Delivery { lots, readings, changes, now, since, answer, _room: room };
        self.queue()?.try_send(Job::Delivery(delivery)).map_err(|_| RecordError::Busy)?;
        Ok(Pending(answered))
    }

    /// What there is to do and was done, besides so much that is unsealed of so much.
    pub(crate) fn workload(&self, unsealed: (usize, usize)) -> Workload {
        let waiting = self.queue().map_or(0, |queue| queue.max_capacity() - queue.capacity());
        let readings = QUEUE_READINGS.saturating_sub(self.room.available_permits());
        self.counts.workload((waiting, QUEUE_DELIVERIES), (readings, QUEUE_READINGS), unsealed)
    }

    /// Deletes all readings of a span, together with changes of state.
    pub(crate) async fn cut(&self, span: Span, changes: Vec<StateChange>) -> Result<(), RecordError> {
        let (answer, answered) = oneshot::channel();
        let cut = Cut { span, changes, answer };
        self.queue()?.send(Job::Cut(cut)).await.map_err(|_| RecordError::Stopping)?;
        answered.await.unwrap_or_else(|_| Err(RecordError::Stopping))
    }
}

fn refusal(error: LoadError) -> RecordError {
    match error {
        LoadError::Database(error) if room::is_full(&error) => RecordError::Full,
        error => RecordError::Failed(Arc::new(error)),
    }
}

struct Task {
    pool: SqlitePool,
    tails: Arc<Tails>,
    limits: Limits,
    disk: Arc<Room>,
    memory: Memory,
    /// A job that could not be part of the last group.
    kept_back: Option<Job>,
    counts: Arc<Counts>,
}

impl Task {
    async fn run(mut self, mut jobs: mpsc::Receiver<Job>, mut sealings: mpsc::Receiver<Seal>) {
        let mut is_sealed_no_more = false;
        loop {
            if let Some(job) = self.kept_back.take() {
                self.work(job, &mut jobs).await;
                continue;
            }
            // With too much unsealed, deliveries wait in their queue until it is
            // full and they are turned away.
            let has_room = is_sealed_no_more || self.tails.weight() < self.limits.most_recent;
            tokio::select! {
                biased;
                seal = sealings.recv(), if !is_sealed_no_more => match seal {
                    Some(seal) => self.seal(seal).await,
                    // Closing: what waits is still written.
                    None => is_sealed_no_more = true,
                },
                job = jobs.recv(), if has_room => match job {
                    Some(job) => self.work(job, &mut jobs).await,
                    None => return,
                },
                () = self.tails.settled.notified(), if !has_room => {}
            }
        }
    }

    async fn work(&mut self, job: Job, jobs: &mut mpsc::Receiver<Job>) {
        match job {
            Job::Delivery(delivery) => self.record(delivery, jobs).await,
            Job::Cut(cut) => {
                let done = self.cut(&cut).await;
                if let Err(error) = &done {
                    tracing::error!(%error, "readings could not be deleted");
                }
                let _ = cut.answer.send(done.map_err(|error| refusal(error.into())));
            }
        }
    }

    async fn record(&mut self, first: Delivery, jobs: &mut mpsc::Receiver<Job>) {
        let mut size = first.weight();
        let mut group = vec![first];
        while size < GROUP_READINGS {
            match jobs.try_recv() {
                Ok(Job::Delivery(delivery)) => {
                    size += delivery.weight();
                    group.push(delivery);
                }
                Ok(job) => {
                    self.kept_back = Some(job);
                    break;
                }
                Err(_) => break,
            }
        }
        let mut outcomes = self.write_group(&mut group).await;
        if let Err(error) = &outcomes {
            tracing::error!(%error, deliveries = group.len(), "readings could not be written");
            self.memory.clear();
        }
        self.counts.group(outcomes.is_ok());
        for (index, delivery) in group.into_iter().enumerate() {
            self.counts.delivery(delivery.readings.len(), delivery.since, outcomes.is_ok());
            let outcome = match &mut outcomes {
                Ok(recorded) => Ok(recorded[index]),
                Err(error) => Err(error.clone()),
            };
            // A sender that went away needs no answer; its readings are kept.
            let _ = delivery.answer.send(outcome);
        }
    }

    async fn write_group(&mut self, group: &mut [Delivery]) -> Result<Vec<Recorded>, RecordError> {
        if !self.disk.has_room() {
            return Err(RecordError::Full);
        }
        let written = self.try_write_group(group).await.map_err(refusal)?;
        Ok(written.take_in(&mut self.memory, &self.tails, &self.limits))
    }

    async fn try_write_group(&mut self, group: &mut [Delivery]) -> Result<group::Outcome, LoadError> {
        let lots: Vec<Vec<Lot>> = group.iter_mut().map(|one| std::mem::take(&mut one.lots)).collect();
        let incoming = lots.into_iter().zip(&*group).enumerate().flat_map(|(delivery, (lots, one))| {
            lots.into_iter().map(move |lot| Incoming { lot, readings: &one.readings, delivery, now: one.now })
        });
        let incoming: Vec<Incoming<'_>> = incoming.collect();
        let mut transaction = self.pool.begin_with("BEGIN IMMEDIATE").await?;
        let outcome =
            group::write(&mut transaction, &self.tails, &self.limits, &mut self.memory, incoming, group.len()).await?;
        for delivery in group {
            state_changes::write(&mut transaction, &delivery.changes).await?;
        }
        transaction.commit().await?;
        Ok(outcome)
    }

    async fn cut(&mut self, cut: &Cut) -> Result<(), sqlx::Error> {
        let Span { signal, from, to } = cut.span;
        let cutting = Encoded::of(signal, Layer::cutting(from, to));
        let mut transaction = self.pool.begin_with("BEGIN IMMEDIATE").await?;
        let entry = journal::append(&mut transaction, &[cutting.bytes]).await?;
        for sql in [
            "DELETE FROM correction WHERE signal_id = ? AND at >= ? AND at < ?",
            "DELETE FROM hand_reading WHERE signal_id = ? AND at >= ? AND at < ?",
        ] {
            sqlx::query(sql).bind(signal.0).bind(from).bind(to).execute(&mut *transaction).await?;
        }
        state_changes::write(&mut transaction, &cut.changes).await?;
        transaction.commit().await?;
        self.tails.apply(entry, [(signal, &cutting.layer)].into_iter(), &self.limits);
        self.memory.forget(signal);
        Ok(())
    }

    async fn seal(&mut self, seal: Seal) {
        let started = Instant::now();
        let swapped = seal.sealing.swap.as_ref().map(|swap| swap.signal);
        if let Some(signal) = swapped {
            self.tails.begin_swap(signal);
        }
        let done = self.write_sealing(seal.sealing).await;
        if let Some(signal) = swapped {
            self.memory.forget(signal);
            self.tails.end_swap(signal, done.is_ok());
        }
        self.disk.note_sealing(started.elapsed());
        let _ = seal.answer.send(done);
    }

    async fn write_sealing(&mut self, sealing: Sealing) -> Result<u64, sqlx::Error> {
        let mut transaction = self.pool.begin_with("BEGIN IMMEDIATE").await?;
        for (signal, rewrite) in &sealing.rewrites {
            for first_at in &rewrite.damaged {
                segment::set_aside(&mut transaction, *signal, *first_at).await?;
            }
            segment::replace(&mut transaction, *signal, &rewrite.gone, &rewrite.new).await?;
        }
        if let Some((signal, rollup)) = &sealing.rollup {
            rollup::insert(&mut transaction, *signal, rollup).await?;
        }
        for (signal, entry) in &sealing.marks {
            journal::mark_sealed(&mut transaction, *signal, *entry).await?;
        }
        if let Some(swap) = &sealing.swap {
            segment::swap(&mut transaction, swap).await?;
            journal::mark_sealed(&mut transaction, swap.signal, swap.through).await?;
            state_changes::write(&mut transaction, &swap.changes).await?;
        }
        let trimmed = if sealing.trim > 0 { journal::trim(&mut transaction, sealing.trim).await? } else { 0 };
        transaction.commit().await?;
        Ok(trimmed)
    }
}
