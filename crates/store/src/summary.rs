//! Summaries of readings in buckets of time.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::{Moment, SignalId};
use sqlx::Row;

/// Minimum, maximum, mean and count of the numbers in one bucket. Flags count
/// as 0 and 1; texts are left out.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Summary {
    /// Start of the bucket.
    pub start: Moment,
    /// Smallest value.
    pub min: f64,
    /// Largest value.
    pub max: f64,
    /// Arithmetic mean of the readings.
    pub mean: f64,
    /// How many readings.
    pub count: u64,
}

impl Store {
    /// Summaries of a signal from `from` to `to` (excluded) in buckets of
    /// `width` microseconds that start at whole multiples of it. Buckets with no
    /// reading are left out, so a gap stays a gap.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn summaries(
        &self,
        signal: SignalId,
        from: Moment,
        to: Moment,
        width: i64,
    ) -> Result<Vec<Summary>, StoreError> {
        // SQLite's division truncates towards zero: the shift keeps buckets
        // before 1970 apart from those after.
        let rows = sqlx::query(
            "SELECT (at - ((at % ?4) + ?4) % ?4) AS start, min(value), max(value), avg(value), count(*)
             FROM reading
             WHERE signal_id = ?1 AND at >= ?2 AND at < ?3 AND typeof(value) <> 'text'
             GROUP BY start ORDER BY start",
        )
        .bind(signal.0)
        .bind(from.as_micros())
        .bind(to.as_micros())
        .bind(width.max(1))
        .fetch_all(&self.read)
        .await?;
        let summary = |row: &sqlx::sqlite::SqliteRow| {
            Ok(Summary {
                start: moment(row.try_get(0)?),
                // Flags are integers to SQLite, numbers are reals.
                min: row.try_get_unchecked(1)?,
                max: row.try_get_unchecked(2)?,
                mean: row.try_get_unchecked(3)?,
                count: row.try_get::<i64, _>(4)?.unsigned_abs(),
            })
        };
        Ok(rows.iter().map(summary).collect::<Result<_, sqlx::Error>>()?)
    }
}
