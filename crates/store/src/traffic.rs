//! What came of devices by hour, and by the way it came.

use crate::types::{id_list, moment};
use crate::{Store, StoreError};
use lantern_core::{DeviceId, Moment};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// Days that are kept.
const KEPT_DAYS: f64 = 400.0;

/// What came of a device in an hour in one way.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TrafficHour {
    /// The device.
    pub device: DeviceId,
    /// When the hour began.
    pub from: Moment,
    /// The way it came, such as `HTTP POST`.
    pub protocol: String,
    /// How much.
    pub counts: TrafficCounts,
}

/// What came in some time.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct TrafficCounts {
    /// Attempts to deliver, refused ones among them.
    pub messages: u64,
    /// Those of which nothing was kept.
    pub refused: u64,
    /// Readings that were kept.
    pub readings: u64,
    /// Readings that were there already.
    pub repeated: u64,
    /// Messages whose oldest reading was more than a minute old.
    pub late: u64,
    /// Age of the oldest reading on its arrival, in whole seconds.
    pub oldest_s: u64,
}

impl TrafficCounts {
    /// Takes in what came besides.
    pub fn add(&mut self, other: &Self) {
        self.messages += other.messages;
        self.refused += other.refused;
        self.readings += other.readings;
        self.repeated += other.repeated;
        self.late += other.late;
        self.oldest_s = self.oldest_s.max(other.oldest_s);
    }
}

fn hour(row: &SqliteRow) -> Result<TrafficHour, sqlx::Error> {
    let count = |column: &str| row.try_get::<i64, _>(column).map(i64::unsigned_abs);
    Ok(TrafficHour {
        device: DeviceId(row.try_get("device_id")?),
        from: moment(row.try_get("hour")?),
        protocol: row.try_get("protocol")?,
        counts: TrafficCounts {
            messages: count("messages")?,
            refused: count("refused")?,
            readings: count("readings")?,
            repeated: count("repeated")?,
            late: count("late")?,
            oldest_s: count("oldest_s")?,
        },
    })
}

impl Store {
    /// Adds to the counts of hours.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_traffic(&self, hours: &[TrafficHour], now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for TrafficHour { device, from, protocol, counts } in hours {
            sqlx::query(
                "INSERT INTO traffic_hour
                     (device_id, hour, protocol, messages, refused, readings, repeated, late, oldest_s)
                 VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
                 ON CONFLICT DO UPDATE SET messages = messages + excluded.messages,
                     refused = refused + excluded.refused, readings = readings + excluded.readings,
                     repeated = repeated + excluded.repeated, late = late + excluded.late,
                     oldest_s = max(oldest_s, excluded.oldest_s)",
            )
            .bind(device.0)
            .bind(from.as_micros())
            .bind(protocol)
            .bind(counts.messages as i64)
            .bind(counts.refused as i64)
            .bind(counts.readings as i64)
            .bind(counts.repeated as i64)
            .bind(counts.late as i64)
            .bind(counts.oldest_s as i64)
            .execute(&mut *transaction)
            .await?;
        }
        sqlx::query("DELETE FROM traffic_hour WHERE hour < ?")
            .bind(now.plus_seconds(-KEPT_DAYS * 86_400.0).as_micros())
            .execute(&mut *transaction)
            .await?;
        Ok(transaction.commit().await?)
    }

    /// Hours of devices from a time on and before another, in order of time.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn traffic(
        &self,
        devices: &[DeviceId],
        (from, to): (Moment, Moment),
    ) -> Result<Vec<TrafficHour>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM traffic_hour WHERE device_id IN (SELECT value FROM json_each(?)) AND hour >= ? AND hour < ?
             ORDER BY hour, device_id, protocol",
        )
        .bind(id_list(devices.iter().map(|device| device.0)))
        .bind(from.as_micros())
        .bind(to.as_micros())
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(hour).collect::<Result<_, _>>()?)
    }
}
