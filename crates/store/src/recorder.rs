//! The recorder: one task that writes all readings, many deliveries at a time.
//!
//! Deliveries that come while a group is being committed wait together and make
//! up the next group. A group is sorted by signal and time, because what costs
//! is the number of distinct pages a transaction touches and not the rows. A
//! delivery is answered after the commit, which is durable (synchronous FULL).

use crate::types::moment;
use crate::value::{Stored, Storing};
use crate::{StoreError, state};
use lantern_core::series::{Fate, merge};
use lantern_core::state::StateChange;
use lantern_core::{Moment, Reading, SignalId, Value};
use sqlx::{AssertSqlSafe, Row, SqliteConnection, SqlitePool};
use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};
use tokio::sync::{OwnedSemaphorePermit, Semaphore, mpsc, oneshot};
use tokio::task::JoinHandle;

/// Readings that may wait in the queue, over all deliveries.
const QUEUE_READINGS: usize = 200_000;
/// Deliveries that may wait in the queue.
const QUEUE_DELIVERIES: usize = 4_096;
/// Readings after which a group takes no further delivery.
const GROUP_READINGS: usize = 40_000;

/// What became of a delivery's readings.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Recorded {
    /// Readings that were not there before.
    pub new: usize,
    /// Readings that were there with the same value: nothing changed.
    pub repeated: usize,
    /// Readings that replaced another value of the same time.
    pub corrected: usize,
}

/// Why a delivery was not recorded. Nothing of it was kept.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum RecordError {
    /// The queue is full: try again later.
    #[error("too many readings are waiting to be written")]
    Busy,
    /// The database could not take it.
    #[error("the readings could not be written: {0}")]
    Failed(String),
}

struct Job {
    readings: Arc<Vec<Reading>>,
    changes: Vec<StateChange>,
    now: Moment,
    answer: oneshot::Sender<Result<Recorded, RecordError>>,
    _room: OwnedSemaphorePermit,
}

/// The way to the recorder's task.
pub(crate) struct Recorder {
    queue: Mutex<Option<mpsc::Sender<Job>>>,
    room: Arc<Semaphore>,
    task: Mutex<Option<JoinHandle<()>>>,
}

impl Recorder {
    pub(crate) fn start(pool: SqlitePool) -> Self {
        let (queue, jobs) = mpsc::channel(QUEUE_DELIVERIES);
        let task = tokio::spawn(run(pool, jobs));
        Self {
            queue: Mutex::new(Some(queue)),
            room: Arc::new(Semaphore::new(QUEUE_READINGS)),
            task: Mutex::new(Some(task)),
        }
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

    async fn record(
        &self,
        readings: Arc<Vec<Reading>>,
        changes: Vec<StateChange>,
        now: Moment,
    ) -> Result<Recorded, RecordError> {
        let weight = u32::try_from((readings.len() + changes.len()).clamp(1, QUEUE_READINGS)).unwrap_or(u32::MAX);
        let room = self.room.clone().try_acquire_many_owned(weight).map_err(|_| RecordError::Busy)?;
        let (answer, answered) = oneshot::channel();
        let queue = self.queue.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let queue = queue.ok_or_else(stopping)?;
        queue.try_send(Job { readings, changes, now, answer, _room: room }).map_err(|_| RecordError::Busy)?;
        drop(queue);
        answered.await.unwrap_or_else(|_| Err(stopping()))
    }
}

fn stopping() -> RecordError {
    RecordError::Failed("the service is stopping".to_owned())
}

impl crate::Store {
    /// Records readings durably and says what they meant. `now` is noted with
    /// values that are replaced.
    ///
    /// # Errors
    /// [`RecordError`]; nothing was kept then.
    pub async fn record(&self, readings: Arc<Vec<Reading>>, now: Moment) -> Result<Recorded, RecordError> {
        self.record_with(readings, Vec::new(), now).await
    }

    /// Records readings together with changes of state: all of it or nothing.
    ///
    /// # Errors
    /// [`RecordError`]; nothing was kept then.
    pub async fn record_with(
        &self,
        readings: Arc<Vec<Reading>>,
        changes: Vec<StateChange>,
        now: Moment,
    ) -> Result<Recorded, RecordError> {
        self.recorder.record(readings, changes, now).await
    }
}

async fn run(pool: SqlitePool, mut jobs: mpsc::Receiver<Job>) {
    // The newest time of each signal, so that the usual reading, newer than all
    // before it, needs no look whether it is there already.
    let mut newest = HashMap::new();
    while let Some(first) = jobs.recv().await {
        let weight = |job: &Job| job.readings.len() + job.changes.len();
        let mut size = weight(&first);
        let mut group = vec![first];
        while size < GROUP_READINGS {
            let Ok(job) = jobs.try_recv() else { break };
            size += weight(&job);
            group.push(job);
        }
        let result = write_group(&pool, &group, &mut newest).await;
        if let Err(error) = &result {
            tracing::error!(%error, deliveries = group.len(), "readings could not be written");
            newest.clear();
        }
        let mut outcomes = result.map_err(|error| RecordError::Failed(error.to_string()));
        for (index, job) in group.into_iter().enumerate() {
            let outcome = match &mut outcomes {
                Ok(recorded) => Ok(recorded[index]),
                Err(error) => Err(error.clone()),
            };
            // A sender that went away needs no answer; its readings are kept.
            let _ = job.answer.send(outcome);
        }
    }
}

struct Incoming<'a> {
    reading: &'a Reading,
    job: usize,
}

async fn write_group(
    pool: &SqlitePool,
    group: &[Job],
    newest: &mut HashMap<SignalId, Option<Moment>>,
) -> Result<Vec<Recorded>, StoreError> {
    let mut incoming: Vec<Incoming<'_>> = group
        .iter()
        .enumerate()
        .flat_map(|(job, delivery)| delivery.readings.iter().map(move |reading| Incoming { reading, job }))
        .collect();
    // Stable, so that of readings of one time the last to come holds.
    incoming.sort_by_key(|i| (i.reading.signal, i.reading.at));

    let mut recorded = vec![Recorded::default(); group.len()];
    let mut transaction = pool.begin_with("BEGIN IMMEDIATE").await?;
    let mut runs = Vec::new();
    for run in incoming.chunk_by(|a, b| a.reading.signal == b.reading.signal) {
        runs.push((run, kept_readings(&mut transaction, run[0].reading.signal, run, newest).await?));
    }
    let mut inserts: Vec<(SignalId, Moment, &Value)> = Vec::with_capacity(incoming.len());
    for (run, kept) in &runs {
        let signal = run[0].reading.signal;
        let kept: Vec<(Moment, &Value)> = kept.iter().map(|(at, value)| (*at, value)).collect();
        let new: Vec<(Moment, &Value)> = run.iter().map(|i| (i.reading.at, &i.reading.value)).collect();
        let merged = merge(&kept, &new);
        for (i, fate) in run.iter().zip(&merged.fates) {
            let count = &mut recorded[i.job];
            match fate {
                Fate::New => count.new += 1,
                Fate::Repeated => count.repeated += 1,
                Fate::Corrected => count.corrected += 1,
            }
        }
        inserts.extend(merged.inserts.iter().map(|&(at, value)| (signal, at, value)));
        correct(&mut transaction, signal, group[run[0].job].now, &merged.updates, &merged.replaced).await?;
    }
    insert(&mut transaction, &inserts).await?;
    for job in group {
        state::write(&mut transaction, &job.changes).await?;
    }
    transaction.commit().await?;
    for (signal, at, _) in inserts {
        let known = newest.entry(signal).or_default();
        *known = (*known).max(Some(at));
    }
    Ok(recorded)
}

/// The kept readings that have the time of an incoming one.
async fn kept_readings(
    connection: &mut SqliteConnection,
    signal: SignalId,
    run: &[Incoming<'_>],
    newest: &mut HashMap<SignalId, Option<Moment>>,
) -> Result<Vec<(Moment, Value)>, StoreError> {
    let known = match newest.get(&signal) {
        Some(known) => *known,
        None => {
            let found: Option<i64> = sqlx::query_scalar("SELECT max(at) FROM reading WHERE signal_id = ?")
                .bind(signal.0)
                .fetch_one(&mut *connection)
                .await?;
            *newest.entry(signal).or_insert(found.map(moment))
        }
    };
    let late = run.partition_point(|i| Some(i.reading.at) <= known);
    if late == 0 {
        return Ok(Vec::new());
    }
    let mut times = String::from("[");
    for (i, incoming) in run[..late].iter().enumerate() {
        let comma = if i == 0 { "" } else { "," };
        times.push_str(&format!("{comma}{}", incoming.reading.at.as_micros()));
    }
    times.push(']');
    let rows = sqlx::query(
        "SELECT at, value FROM reading
         WHERE signal_id = ? AND at IN (SELECT value FROM json_each(?)) ORDER BY at",
    )
    .bind(signal.0)
    .bind(times)
    .fetch_all(connection)
    .await?;
    let kept = rows.iter().map(|row| Ok((moment(row.try_get(0)?), row.try_get::<Stored, _>(1)?.0)));
    Ok(kept.collect::<Result<_, sqlx::Error>>()?)
}

async fn correct(
    connection: &mut SqliteConnection,
    signal: SignalId,
    now: Moment,
    updates: &[(Moment, &Value)],
    replaced: &[(Moment, &Value)],
) -> Result<(), StoreError> {
    for (at, old) in replaced {
        sqlx::query("INSERT INTO correction (signal_id, at, replaced_at, value) VALUES (?, ?, ?, ?)")
            .bind(signal.0)
            .bind(at.as_micros())
            .bind(now.as_micros())
            .bind(Storing(old))
            .execute(&mut *connection)
            .await?;
    }
    for (at, value) in updates {
        sqlx::query("UPDATE reading SET value = ? WHERE signal_id = ? AND at = ?")
            .bind(Storing(value))
            .bind(signal.0)
            .bind(at.as_micros())
            .execute(&mut *connection)
            .await?;
    }
    Ok(())
}

/// Rows of the largest INSERT statement, for big deliveries.
const MANY_ROWS: usize = 1_000;
/// Rows up to which there is a statement for each number: a group of small
/// deliveries is one statement, for each costs a message to SQLite's thread.
const FEW_ROWS: usize = 100;

fn insert_sql(rows: usize) -> Arc<str> {
    let tuples = vec!["(?,?,?)"; rows].join(",");
    format!("INSERT INTO reading (signal_id, at, value) VALUES {tuples}").into()
}

static INSERT_MANY: LazyLock<Arc<str>> = LazyLock::new(|| insert_sql(MANY_ROWS));
/// Statements for one row and more.
static INSERT_FEW: LazyLock<Vec<Arc<str>>> = LazyLock::new(|| (1..=FEW_ROWS).map(insert_sql).collect());

async fn insert(connection: &mut SqliteConnection, mut rows: &[(SignalId, Moment, &Value)]) -> Result<(), StoreError> {
    while !rows.is_empty() {
        let (size, sql) = if rows.len() >= MANY_ROWS {
            (MANY_ROWS, &*INSERT_MANY)
        } else {
            let size = rows.len().min(FEW_ROWS);
            (size, &INSERT_FEW[size - 1])
        };
        let (chunk, rest) = rows.split_at(size);
        let mut query = sqlx::query(AssertSqlSafe(sql.clone()));
        for (signal, at, value) in chunk {
            query = query.bind(signal.0).bind(at.as_micros()).bind(Storing(value));
        }
        query.execute(&mut *connection).await?;
        rows = rest;
    }
    Ok(())
}
