//! How messages came through, by hour.

use crate::types::{id_list, moment};
use crate::{Store, StoreError};
use lantern_core::link::LinkCounts;
use lantern_core::{DeviceId, Moment};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;
use std::collections::HashMap;

/// Hours kept: sixty days.
const KEPT_S: f64 = 60.0 * 86_400.0;

/// An hour of a device's link.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LinkHour {
    /// The device.
    pub device: DeviceId,
    /// When the hour began.
    pub from: Moment,
    /// What came in it.
    pub counts: LinkCounts,
}

impl Store {
    /// Adds to the counts of hours.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_link_hours(&self, hours: &[LinkHour], now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for hour in hours {
            sqlx::query(
                "INSERT INTO link_hour (device_id, hour, received, lost, repeated, restarted) VALUES (?, ?, ?, ?, ?, ?)
                 ON CONFLICT DO UPDATE SET received = received + excluded.received,
                     lost = max(lost + excluded.lost, 0), repeated = repeated + excluded.repeated,
                     restarted = restarted + excluded.restarted",
            )
            .bind(hour.device.0)
            .bind(hour.from.as_micros())
            .bind(hour.counts.received as i64)
            .bind(hour.counts.lost as i64)
            .bind(hour.counts.repeated as i64)
            .bind(hour.counts.restarted as i64)
            .execute(&mut *transaction)
            .await?;
        }
        sqlx::query("DELETE FROM link_hour WHERE hour < ?")
            .bind(now.plus_seconds(-KEPT_S).as_micros())
            .execute(&mut *transaction)
            .await?;
        Ok(transaction.commit().await?)
    }

    /// The hours of a device from a time on, oldest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn link_hours(&self, device: DeviceId, from: Moment, limit: u32) -> Result<Vec<LinkHour>, StoreError> {
        let rows = sqlx::query("SELECT * FROM link_hour WHERE device_id = ? AND hour >= ? ORDER BY hour LIMIT ?")
            .bind(device.0)
            .bind(from.as_micros())
            .bind(limit)
            .fetch_all(&self.read)
            .await?;
        let hour = |row: &SqliteRow| Ok(LinkHour { device, from: moment(row.try_get("hour")?), counts: counts(row)? });
        Ok(rows.iter().map(hour).collect::<Result<_, sqlx::Error>>()?)
    }

    /// The devices that another one carries, in order of code after the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn carried_devices(
        &self,
        carrier: DeviceId,
        after: &str,
        limit: u32,
    ) -> Result<Vec<crate::Device>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM device WHERE carrier_id = ? AND removed_at IS NULL AND code > ? ORDER BY code LIMIT ?",
        )
        .bind(carrier.0)
        .bind(after)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(crate::device::device).collect::<Result<_, _>>()?)
    }

    /// How many devices another one carries.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn count_carried(&self, carrier: DeviceId) -> Result<u64, StoreError> {
        let count: i64 = sqlx::query_scalar("SELECT count(*) FROM device WHERE carrier_id = ? AND removed_at IS NULL")
            .bind(carrier.0)
            .fetch_one(&self.read)
            .await?;
        Ok(count.unsigned_abs())
    }

    /// How the messages of devices came through from a time on; those without a counter are left
    /// out.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn link_totals(
        &self,
        devices: &[DeviceId],
        from: Moment,
    ) -> Result<HashMap<DeviceId, LinkCounts>, StoreError> {
        let rows = sqlx::query(
            "SELECT device_id, sum(received) AS received, sum(lost) AS lost, sum(repeated) AS repeated,
                 sum(restarted) AS restarted
             FROM link_hour WHERE device_id IN (SELECT value FROM json_each(?)) AND hour >= ? GROUP BY device_id",
        )
        .bind(id_list(devices.iter().map(|device| device.0)))
        .bind(from.as_micros())
        .fetch_all(&self.read)
        .await?;
        let total = |row: &SqliteRow| Ok((DeviceId(row.try_get("device_id")?), counts(row)?));
        Ok(rows.iter().map(total).collect::<Result<_, sqlx::Error>>()?)
    }

    /// Who carries whom: pairs of a carrier, one of those given, and a device.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn carried_by(&self, carriers: &[DeviceId]) -> Result<Vec<(DeviceId, DeviceId)>, StoreError> {
        let pairs: Vec<(i64, i64)> = sqlx::query_as(
            "SELECT carrier_id, id FROM device
             WHERE carrier_id IN (SELECT value FROM json_each(?)) AND removed_at IS NULL",
        )
        .bind(id_list(carriers.iter().map(|carrier| carrier.0)))
        .fetch_all(&self.read)
        .await?;
        Ok(pairs.into_iter().map(|(carrier, device)| (DeviceId(carrier), DeviceId(device))).collect())
    }
}

fn counts(row: &SqliteRow) -> Result<LinkCounts, sqlx::Error> {
    let count = |column: &str| Ok::<_, sqlx::Error>(row.try_get::<i64, _>(column)?.max(0) as u64);
    Ok(LinkCounts {
        received: count("received")?,
        lost: count("lost")?,
        repeated: count("repeated")?,
        restarted: count("restarted")?,
    })
}
