//! Versions of what signals' values mean, and what has to be worked out because of
//! them.

use crate::types::moment;
use crate::{Signal, Store, StoreError, signal};
use lantern_core::{Moment, SignalId, SiteId};
use sqlx::Row;

/// One version of what a signal's values mean.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MeaningVersion {
    /// From 1.
    pub number: u32,
    /// The document; `None`: values are as they are sent.
    pub document: Option<String>,
    /// The signal's unit then.
    pub unit: Option<String>,
    /// Who made it.
    pub made_by: String,
    /// When.
    pub made_at: Moment,
}

/// A time over which a derived signal has to be worked out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DueSpan {
    /// The number of the last note that it is due.
    pub id: i64,
    /// The derived signal.
    pub signal: SignalId,
    /// The first time of a reading that came.
    pub from: Moment,
    /// The last.
    pub to: Moment,
}

impl Store {
    /// Makes a new version of what a signal's values mean, and gives its number.
    /// What steps remembered is forgotten with the old one.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn set_meaning(
        &self,
        id: SignalId,
        document: Option<&str>,
        by: &str,
        now: Moment,
    ) -> Result<u32, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("UPDATE signal SET meaning = ? WHERE id = ? AND removed_at IS NULL RETURNING id")
            .bind(document)
            .bind(id.0)
            .fetch_one(&mut *transaction)
            .await?;
        let number = sqlx::query_scalar(
            "INSERT INTO meaning (signal_id, number, document, unit, made_by, made_at)
             SELECT ?1, (SELECT coalesce(max(number), 0) + 1 FROM meaning WHERE signal_id = ?1), ?2,
                 (SELECT unit FROM signal WHERE id = ?1), ?3, ?4
             RETURNING number",
        )
        .bind(id.0)
        .bind(document)
        .bind(by)
        .bind(now.as_micros())
        .fetch_one(&mut *transaction)
        .await?;
        sqlx::query("DELETE FROM memory WHERE signal_id = ?").bind(id.0).execute(&mut *transaction).await?;
        transaction.commit().await?;
        Ok(number)
    }

    /// Versions of a signal before a number, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn meaning_versions(
        &self,
        id: SignalId,
        before: u32,
        limit: u32,
    ) -> Result<Vec<MeaningVersion>, StoreError> {
        let rows = sqlx::query("SELECT * FROM meaning WHERE signal_id = ? AND number < ? ORDER BY number DESC LIMIT ?")
            .bind(id.0)
            .bind(before)
            .bind(limit)
            .fetch_all(&self.read)
            .await?;
        let version = |row: &sqlx::sqlite::SqliteRow| {
            Ok(MeaningVersion {
                number: row.try_get("number")?,
                document: row.try_get("document")?,
                unit: row.try_get("unit")?,
                made_by: row.try_get("made_by")?,
                made_at: moment(row.try_get("made_at")?),
            })
        };
        Ok(rows.iter().map(version).collect::<Result<_, sqlx::Error>>()?)
    }

    /// Signals of a site whose values mean something else than what is sent, with
    /// the codes of their devices. Their number is bounded where they are made.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn meaningful_signals(&self, site: SiteId) -> Result<Vec<(String, Signal)>, StoreError> {
        let rows = sqlx::query(
            "SELECT signal.*, device.code AS device_code FROM signal JOIN device ON device.id = device_id
             WHERE site_id = ? AND signal.removed_at IS NULL AND signal.meaning IS NOT NULL ORDER BY signal.id",
        )
        .bind(site.0)
        .fetch_all(&self.read)
        .await?;
        Ok(rows
            .iter()
            .map(|row| Ok((row.try_get("device_code")?, signal::signal(row)?)))
            .collect::<Result<_, sqlx::Error>>()?)
    }

    /// What stateful steps of a signal remember, if anything was kept.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn memory(&self, id: SignalId) -> Result<Option<Vec<u8>>, StoreError> {
        let memory = sqlx::query_scalar("SELECT memory FROM memory WHERE signal_id = ?")
            .bind(id.0)
            .fetch_optional(&self.read)
            .await?;
        Ok(memory)
    }

    /// Derived signals that have to be worked out, each with all the time it is due for, in
    /// order of coming.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn due_spans(&self, limit: u32) -> Result<Vec<DueSpan>, StoreError> {
        let rows = sqlx::query(
            "SELECT signal_id, max(id) AS id, min(from_at) AS from_at, max(to_at) AS to_at
             FROM due GROUP BY signal_id ORDER BY min(id) LIMIT ?",
        )
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        let due = |row: &sqlx::sqlite::SqliteRow| {
            Ok(DueSpan {
                id: row.try_get("id")?,
                signal: SignalId(row.try_get("signal_id")?),
                from: moment(row.try_get("from_at")?),
                to: moment(row.try_get("to_at")?),
            })
        };
        Ok(rows.iter().map(due).collect::<Result<_, sqlx::Error>>()?)
    }
}
