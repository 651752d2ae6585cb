//! Reading back.

use crate::types::moment;
use crate::value::Stored;
use crate::{Store, StoreError};
use lantern_core::{DeviceId, Moment, SignalId, Value};
use sqlx::sqlite::SqliteRow;
use sqlx::{AssertSqlSafe, Row};

/// In which order to read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Order {
    /// Oldest first.
    Ascending,
    /// Newest first.
    Descending,
}

/// A bounded stretch of one signal's readings.
#[derive(Debug, Clone, Copy)]
pub struct Page {
    /// The signal.
    pub signal: SignalId,
    /// From this time on.
    pub from: Moment,
    /// To this time, itself excluded.
    pub to: Moment,
    /// At most so many.
    pub limit: u32,
    /// From which end.
    pub order: Order,
}

/// How much there is of something, counted up to a limit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Extent {
    /// How many readings, at most the limit.
    pub count: u64,
    /// Whether the limit was reached, so that there may be more.
    pub at_least: bool,
}

fn reading(row: &SqliteRow) -> Result<(Moment, Value), sqlx::Error> {
    Ok((moment(row.try_get(0)?), row.try_get::<Stored, _>(1)?.0))
}

impl Store {
    /// Readings of a page, in its order.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn readings(&self, page: Page) -> Result<Vec<(Moment, Value)>, StoreError> {
        let sql = match page.order {
            Order::Ascending => {
                "SELECT at, value FROM reading WHERE signal_id = ? AND at >= ? AND at < ? ORDER BY at LIMIT ?"
            }
            Order::Descending => {
                "SELECT at, value FROM reading WHERE signal_id = ? AND at >= ? AND at < ? ORDER BY at DESC LIMIT ?"
            }
        };
        let rows = sqlx::query(sql)
            .bind(page.signal.0)
            .bind(page.from.as_micros())
            .bind(page.to.as_micros())
            .bind(page.limit)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(reading).collect::<Result<_, _>>()?)
    }

    /// The last readings of a signal, oldest of them first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn last_readings(&self, signal: SignalId, count: u32) -> Result<Vec<(Moment, Value)>, StoreError> {
        let rows = sqlx::query("SELECT at, value FROM reading WHERE signal_id = ? ORDER BY at DESC LIMIT ?")
            .bind(signal.0)
            .bind(count)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().rev().map(reading).collect::<Result<_, _>>()?)
    }

    /// First and last time of a signal's readings.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn time_span(&self, signal: SignalId) -> Result<Option<(Moment, Moment)>, StoreError> {
        // Two look-ups at the ends of the key; one query with both would scan.
        let row = sqlx::query(
            "SELECT (SELECT min(at) FROM reading WHERE signal_id = ?1), (SELECT max(at) FROM reading WHERE signal_id = ?1)",
        )
        .bind(signal.0)
        .fetch_one(&self.read)
        .await?;
        let (first, last): (Option<i64>, Option<i64>) = (row.try_get(0)?, row.try_get(1)?);
        Ok(first.zip(last).map(|(first, last)| (moment(first), moment(last))))
    }

    /// Counts the readings of a signal, arrivals too, up to `limit`.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn count_readings(&self, signal: SignalId, limit: u32) -> Result<Extent, StoreError> {
        self.count("SELECT ?", signal.0, limit).await
    }

    /// Counts the readings of all signals of a device up to `limit`.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn count_device_readings(&self, device: DeviceId, limit: u32) -> Result<Extent, StoreError> {
        self.count("SELECT id FROM signal WHERE device_id = ? AND removed_at IS NULL", device.0, limit).await
    }

    /// Counts the readings of all devices of a site up to `limit`.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn count_site_readings(&self, site: lantern_core::SiteId, limit: u32) -> Result<Extent, StoreError> {
        let signals = "SELECT signal.id FROM signal JOIN device ON device.id = device_id
                       WHERE site_id = ? AND signal.removed_at IS NULL";
        self.count(signals, site.0, limit).await
    }

    async fn count(&self, signals: &'static str, id: i64, limit: u32) -> Result<Extent, StoreError> {
        let sql = format!("SELECT count(*) FROM (SELECT 1 FROM reading WHERE signal_id IN ({signals}) LIMIT ?)");
        let count: i64 = sqlx::query_scalar(AssertSqlSafe(sql)).bind(id).bind(limit).fetch_one(&self.read).await?;
        Ok(Extent { count: count.unsigned_abs(), at_least: count >= i64::from(limit) })
    }
}
