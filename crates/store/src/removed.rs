//! What was removed and is not swept away yet, and bringing it back.

use crate::device::device;
use crate::signal::signal;
use crate::types::moment;
use crate::{Device, Signal, Store, StoreError};
use lantern_core::{DeviceId, Moment, SignalId, SiteId};
use sqlx::Row;

/// A device that was removed, or a signal of one that is there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Removed {
    /// The code of the device.
    pub device: String,
    /// The code of the signal, if it is one.
    pub signal: Option<String>,
    /// The name of the device or signal.
    pub name: String,
    /// When it was removed.
    pub at: Moment,
}

impl Store {
    /// Devices and declared signals that were removed from a site between two times, the last
    /// ones first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn removed(
        &self,
        site: SiteId,
        (since, before): (Moment, Moment),
        limit: u32,
    ) -> Result<Vec<Removed>, StoreError> {
        let rows = sqlx::query(
            "SELECT code AS device, NULL AS signal, name, removed_at FROM device
             WHERE site_id = ?1 AND state <> 'waiting' AND removed_at >= ?2 AND removed_at < ?3
             UNION ALL
             SELECT device.code, signal.code, signal.name, signal.removed_at
             FROM signal JOIN device ON device.id = signal.device_id
             WHERE device.site_id = ?1 AND device.removed_at IS NULL AND signal.value_type IS NOT NULL
                 AND signal.removed_at >= ?2 AND signal.removed_at < ?3
             ORDER BY removed_at DESC LIMIT ?4",
        )
        .bind(site.0)
        .bind(since.as_micros())
        .bind(before.as_micros())
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        let removed = |row: &sqlx::sqlite::SqliteRow| {
            Ok(Removed {
                device: row.try_get("device")?,
                signal: row.try_get("signal")?,
                name: row.try_get("name")?,
                at: moment(row.try_get("removed_at")?),
            })
        };
        Ok(rows.iter().map(removed).collect::<Result<_, sqlx::Error>>()?)
    }

    /// The device of a code that was removed last, and the signals that went with it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if none was removed since then.
    pub async fn removed_device(
        &self,
        site: SiteId,
        code: &str,
        since: Moment,
    ) -> Result<(Device, Vec<Signal>), StoreError> {
        let row = sqlx::query(
            "SELECT * FROM device WHERE site_id = ? AND code = ? AND state <> 'waiting' AND removed_at >= ?
             ORDER BY removed_at DESC LIMIT 1",
        )
        .bind(site.0)
        .bind(code)
        .bind(since.as_micros())
        .fetch_one(&self.read)
        .await?;
        let signals = sqlx::query("SELECT * FROM signal WHERE device_id = ? AND removed_at = ? ORDER BY id")
            .bind(row.try_get::<i64, _>("id")?)
            .bind(row.try_get::<i64, _>("removed_at")?)
            .fetch_all(&self.read)
            .await?;
        Ok((device(&row)?, signals.iter().map(signal).collect::<Result<_, _>>()?))
    }

    /// Brings a removed device back, with the signals that went with it and its keys.
    ///
    /// # Errors
    /// [`StoreError::NotFound`], or [`StoreError::Taken`] if another has its code or identity now.
    pub async fn restore_device(&self, id: DeviceId) -> Result<Device, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query(
            "UPDATE signal SET removed_at = NULL
             WHERE device_id = ?1 AND removed_at = (SELECT removed_at FROM device WHERE id = ?1)",
        )
        .bind(id.0)
        .execute(&mut *transaction)
        .await?;
        let row =
            sqlx::query("UPDATE device SET removed_at = NULL WHERE id = ? AND removed_at IS NOT NULL RETURNING *")
                .bind(id.0)
                .fetch_one(&mut *transaction)
                .await?;
        let restored = device(&row)?;
        transaction.commit().await?;
        Ok(restored)
    }

    /// Gives the arrivals of a device to another one, which has none of those names.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn adopt_arrivals(&self, from: DeviceId, to: DeviceId) -> Result<(), StoreError> {
        sqlx::query(
            "UPDATE signal SET device_id = ?2 WHERE device_id = ?1 AND value_type IS NULL AND removed_at IS NULL",
        )
        .bind(from.0)
        .bind(to.0)
        .execute(&self.write)
        .await?;
        Ok(())
    }

    /// The declared signal of a code that was removed last.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if none was removed since then.
    pub async fn removed_signal(&self, device: DeviceId, code: &str, since: Moment) -> Result<Signal, StoreError> {
        let row = sqlx::query(
            "SELECT * FROM signal WHERE device_id = ? AND code = ? AND value_type IS NOT NULL AND removed_at >= ?
             ORDER BY removed_at DESC LIMIT 1",
        )
        .bind(device.0)
        .bind(code)
        .bind(since.as_micros())
        .fetch_one(&self.read)
        .await?;
        Ok(signal(&row)?)
    }

    /// Brings a removed signal back.
    ///
    /// # Errors
    /// [`StoreError::NotFound`], or [`StoreError::Taken`] if the device has another of its code now.
    pub async fn restore_signal(&self, id: SignalId) -> Result<Signal, StoreError> {
        let row =
            sqlx::query("UPDATE signal SET removed_at = NULL WHERE id = ? AND removed_at IS NOT NULL RETURNING *")
                .bind(id.0)
                .fetch_one(&self.write)
                .await?;
        Ok(signal(&row)?)
    }
}
