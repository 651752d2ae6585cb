//! Long jobs: histories that are made again.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::{JobId, Moment, SignalId, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// How a job ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// It did all it was to do.
    Done,
    /// It could not go on.
    Failed,
    /// Somebody stopped it.
    Cancelled,
}

impl Outcome {
    const fn as_str(self) -> &'static str {
        match self {
            Self::Done => "done",
            Self::Failed => "failed",
            Self::Cancelled => "cancelled",
        }
    }

    fn from_column(word: &str) -> Option<Self> {
        [Self::Done, Self::Failed, Self::Cancelled].into_iter().find(|outcome| outcome.as_str() == word)
    }
}

/// A signal's history that is, or was, made again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Job {
    /// Row id.
    pub id: JobId,
    /// The signal.
    pub signal: SignalId,
    /// Its code.
    pub code: String,
    /// Its device's code.
    pub device: String,
    /// From this time on.
    pub from: Moment,
    /// To this time, itself excluded.
    pub to: Moment,
    /// Who asked for it.
    pub made_by: String,
    /// When.
    pub made_at: Moment,
    /// When it ended, and how.
    pub ended: Option<(Moment, Outcome)>,
    /// What there is to say about that.
    pub detail: String,
    /// How many readings were made again.
    pub readings: u64,
}

const SELECT: &str = "SELECT job.*, signal.code AS code, device.code AS device, device.site_id
     FROM job JOIN signal ON signal.id = job.signal_id JOIN device ON device.id = signal.device_id";

fn job(row: &SqliteRow) -> Result<Job, sqlx::Error> {
    let ended_at: Option<i64> = row.try_get("ended_at")?;
    let outcome: Option<String> = row.try_get("outcome")?;
    Ok(Job {
        id: JobId(row.try_get("id")?),
        signal: SignalId(row.try_get("signal_id")?),
        code: row.try_get("code")?,
        device: row.try_get("device")?,
        from: moment(row.try_get("from_at")?),
        to: moment(row.try_get("to_at")?),
        made_by: row.try_get("made_by")?,
        made_at: moment(row.try_get("made_at")?),
        ended: ended_at.map(moment).zip(outcome.and_then(|word| Outcome::from_column(&word))),
        detail: row.try_get("detail")?,
        readings: row.try_get::<i64, _>("readings")?.unsigned_abs(),
    })
}

impl Store {
    /// Notes a job that is to be done, and gives its number.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_job(
        &self,
        signal: SignalId,
        (from, to): (Moment, Moment),
        by: &str,
        now: Moment,
    ) -> Result<JobId, StoreError> {
        let done = sqlx::query("INSERT INTO job (signal_id, from_at, to_at, made_by, made_at) VALUES (?, ?, ?, ?, ?)")
            .bind(signal.0)
            .bind(from.as_micros())
            .bind(to.as_micros())
            .bind(by)
            .bind(now.as_micros())
            .execute(&self.write)
            .await?;
        Ok(JobId(done.last_insert_rowid()))
    }

    /// Notes how a job ended; one that has ended already stays as it is.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn end_job(
        &self,
        id: JobId,
        outcome: Outcome,
        detail: &str,
        readings: u64,
        now: Moment,
    ) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE job SET ended_at = ?, outcome = ?, detail = ?, readings = ? WHERE id = ? AND ended_at IS NULL",
        )
        .bind(now.as_micros())
        .bind(outcome.as_str())
        .bind(detail)
        .bind(readings as i64)
        .bind(id.0)
        .execute(&self.write)
        .await?;
        Ok(())
    }

    /// Jobs of a site before a number, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn jobs(&self, site: SiteId, before: i64, limit: u32) -> Result<Vec<Job>, StoreError> {
        let rows = sqlx::query(sqlx::AssertSqlSafe(format!(
            "{SELECT} WHERE device.site_id = ? AND job.id < ? ORDER BY job.id DESC LIMIT ?"
        )))
        .bind(site.0)
        .bind(before)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(job).collect::<Result<_, _>>()?)
    }

    /// One job of a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn job(&self, site: SiteId, id: JobId) -> Result<Job, StoreError> {
        let row = sqlx::query(sqlx::AssertSqlSafe(format!("{SELECT} WHERE device.site_id = ? AND job.id = ?")))
            .bind(site.0)
            .bind(id.0)
            .fetch_one(&self.read)
            .await?;
        Ok(job(&row)?)
    }

    /// Jobs of all sites that have not ended, oldest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn open_jobs(&self, limit: u32) -> Result<Vec<Job>, StoreError> {
        let rows = sqlx::query(sqlx::AssertSqlSafe(format!(
            "{SELECT} WHERE job.ended_at IS NULL AND signal.removed_at IS NULL ORDER BY job.id LIMIT ?"
        )))
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(job).collect::<Result<_, _>>()?)
    }
}
