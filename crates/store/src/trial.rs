//! Trial: from a device's first contact to its going live.

use crate::series::segment::Span;
use crate::types::{found, moment};
use crate::{Store, StoreError};
use lantern_core::{DeviceId, DeviceState, Moment, SignalId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A dummy value that a sender was asked for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DummyTest {
    /// The signal.
    pub signal: SignalId,
    /// The value it should send.
    pub expected: f64,
    /// How far off it may be.
    pub tolerance: f64,
    /// When it was asked for.
    pub asked_at: Moment,
    /// When it came.
    pub passed_at: Option<Moment>,
}

/// A report that was made when a device went live.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeptReport {
    /// When.
    pub at: Moment,
    /// Who let it go live.
    pub person: String,
    /// The report, a JSON document.
    pub report: String,
}

fn test(row: &SqliteRow) -> Result<DummyTest, sqlx::Error> {
    Ok(DummyTest {
        signal: SignalId(row.try_get("signal_id")?),
        expected: row.try_get("expected")?,
        tolerance: row.try_get("tolerance")?,
        asked_at: moment(row.try_get("asked_at")?),
        passed_at: row.try_get::<Option<i64>, _>("passed_at")?.map(moment),
    })
}

impl Store {
    /// Puts a device into a state; a trial begins now.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn set_device_state(&self, id: DeviceId, state: DeviceState, now: Moment) -> Result<(), StoreError> {
        let done = sqlx::query(
            "UPDATE device SET state = ?2, trial_since = iif(?2 = 'trial', ?3, NULL), soak_from = NULL, soak_s = NULL
             WHERE id = ?1 AND removed_at IS NULL",
        )
        .bind(id.0)
        .bind(state.as_str())
        .bind(now.as_micros())
        .execute(&self.write)
        .await?;
        found(done.rows_affected())
    }

    /// Begins a soak test of so many seconds, or ends it.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn set_soak(&self, id: DeviceId, soak: Option<(Moment, f64)>) -> Result<(), StoreError> {
        sqlx::query("UPDATE device SET soak_from = ?, soak_s = ? WHERE id = ?")
            .bind(soak.map(|(from, _)| from.as_micros()))
            .bind(soak.map(|(_, seconds)| seconds))
            .bind(id.0)
            .execute(&self.write)
            .await?;
        Ok(())
    }

    /// Asks for a dummy value; an earlier one of the signal is forgotten.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn ask_dummy(&self, test: DummyTest) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO dummy_test (signal_id, expected, tolerance, asked_at, passed_at) VALUES (?, ?, ?, ?, NULL)
             ON CONFLICT DO UPDATE SET expected = excluded.expected, tolerance = excluded.tolerance,
                 asked_at = excluded.asked_at, passed_at = NULL",
        )
        .bind(test.signal.0)
        .bind(test.expected)
        .bind(test.tolerance)
        .bind(test.asked_at.as_micros())
        .execute(&self.write)
        .await?;
        Ok(())
    }

    /// Notes that a dummy value came.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn pass_dummy(&self, signal: SignalId, now: Moment) -> Result<(), StoreError> {
        sqlx::query("UPDATE dummy_test SET passed_at = coalesce(passed_at, ?) WHERE signal_id = ?")
            .bind(now.as_micros())
            .bind(signal.0)
            .execute(&self.write)
            .await?;
        Ok(())
    }

    /// The dummy values a device was asked for, at most one a signal.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn dummies(&self, device: DeviceId) -> Result<Vec<DummyTest>, StoreError> {
        let rows = sqlx::query(
            "SELECT t.* FROM dummy_test AS t JOIN signal ON signal.id = t.signal_id
             WHERE signal.device_id = ? AND signal.removed_at IS NULL ORDER BY t.signal_id",
        )
        .bind(device.0)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(test).collect::<Result<_, _>>()?)
    }

    /// Deletes all readings of a device's signals, with what was noted of them,
    /// and says how many there were.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn clear_readings(&self, device: DeviceId) -> Result<u64, StoreError> {
        let mut cleared = 0;
        for signal in self.signals(device).await? {
            cleared += self.count_readings(signal.id, u32::MAX).await?.count;
            self.recorder.cut(Span::all(signal.id), Vec::new()).await?;
        }
        Ok(cleared)
    }

    /// Keeps the report with which a device went live.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn keep_report(&self, device: DeviceId, report: &KeptReport) -> Result<(), StoreError> {
        sqlx::query("INSERT INTO commissioning_report (device_id, at, person, report) VALUES (?, ?, ?, ?)")
            .bind(device.0)
            .bind(report.at.as_micros())
            .bind(&report.person)
            .bind(&report.report)
            .execute(&self.write)
            .await?;
        Ok(())
    }

    /// When a device went live from a time on and before another, and who let it, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn went_live(
        &self,
        device: DeviceId,
        (from, to): (Moment, Moment),
        limit: u32,
    ) -> Result<Vec<(Moment, String)>, StoreError> {
        let rows: Vec<(i64, String)> = sqlx::query_as(
            "SELECT at, person FROM commissioning_report WHERE device_id = ? AND at >= ? AND at < ?
             ORDER BY at DESC LIMIT ?",
        )
        .bind(device.0)
        .bind(from.as_micros())
        .bind(to.as_micros())
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.into_iter().map(|(at, person)| (moment(at), person)).collect())
    }

    /// The report with which a device last went live.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn last_report(&self, device: DeviceId) -> Result<KeptReport, StoreError> {
        let row = sqlx::query(
            "SELECT at, person, report FROM commissioning_report WHERE device_id = ? ORDER BY id DESC LIMIT 1",
        )
        .bind(device.0)
        .fetch_one(&self.read)
        .await?;
        Ok(KeptReport {
            at: moment(row.try_get("at")?),
            person: row.try_get("person")?,
            report: row.try_get("report")?,
        })
    }
}
