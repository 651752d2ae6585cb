//! Removing sites, devices and signals.
//!
//! What is removed is gone at once for everyone who looks; its readings are
//! deleted afterwards in small transactions, so that taking away years of
//! readings never holds up the intake. A sweep cut short goes on at the next. It
//! begins when nobody can bring it back any more (`removed.rs`).

use crate::series::segment::Span;
use crate::types::found;
use crate::{Store, StoreError};
use lantern_core::{DeviceId, Moment, SignalId, SiteId};

/// What is left of removed devices, kinds and sites, in the order in which
/// nothing refers to it any more.
const OWNERS: [&str; 12] = [
    "DELETE FROM kept_state WHERE site_id IN (SELECT s.id FROM site AS s WHERE s.removed_at < ?1)",
    "DELETE FROM command WHERE device_id IN (SELECT id FROM device WHERE removed_at < ?1)",
    "DELETE FROM traffic_hour WHERE device_id IN (SELECT id FROM device WHERE removed_at < ?1)",
    "DELETE FROM link_hour WHERE device_id IN (SELECT id FROM device WHERE removed_at < ?1)",
    "DELETE FROM contact WHERE device_id IN (SELECT id FROM device WHERE removed_at < ?1)",
    "DELETE FROM presence_change WHERE device_id IN (SELECT id FROM device WHERE removed_at < ?1)",
    "DELETE FROM commissioning_report WHERE device_id IN (SELECT id FROM device WHERE removed_at < ?1)",
    "UPDATE device SET carrier_id = NULL
     WHERE carrier_id IN (SELECT id FROM device WHERE removed_at < ?1)",
    "DELETE FROM device WHERE removed_at < ?1
         AND NOT EXISTS (SELECT 1 FROM signal WHERE device_id = device.id)",
    "DELETE FROM kind WHERE site_id IN (SELECT s.id FROM site AS s WHERE s.removed_at < ?1)
         AND NOT EXISTS (SELECT 1 FROM device WHERE kind_id = kind.id)",
    "DELETE FROM contact WHERE device_id IS NULL
         AND site_id IN (SELECT s.id FROM site AS s WHERE s.removed_at < ?1)",
    "DELETE FROM site AS s WHERE s.removed_at < ?1
         AND NOT EXISTS (SELECT 1 FROM device WHERE site_id = s.id)
         AND NOT EXISTS (SELECT 1 FROM kind WHERE site_id = s.id)",
];

impl Store {
    /// Removes a site with its devices, signals and keys.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn remove_site(&self, id: SiteId, now: Moment) -> Result<(Vec<DeviceId>, Vec<SignalId>), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let done = sqlx::query("UPDATE site SET removed_at = ?2 WHERE id = ?1 AND removed_at IS NULL")
            .bind(id.0)
            .bind(now.as_micros())
            .execute(&mut *transaction)
            .await?;
        let signals: Vec<i64> = sqlx::query_scalar(
            "UPDATE signal SET removed_at = ?2 WHERE removed_at IS NULL
             AND device_id IN (SELECT id FROM device WHERE site_id = ?1) RETURNING id",
        )
        .bind(id.0)
        .bind(now.as_micros())
        .fetch_all(&mut *transaction)
        .await?;
        let devices: Vec<i64> = sqlx::query_scalar(
            "UPDATE device SET removed_at = ?2 WHERE site_id = ?1 AND removed_at IS NULL RETURNING id",
        )
        .bind(id.0)
        .bind(now.as_micros())
        .fetch_all(&mut *transaction)
        .await?;
        transaction.commit().await?;
        found(done.rows_affected())?;
        Ok((devices.into_iter().map(DeviceId).collect(), signals.into_iter().map(SignalId).collect()))
    }

    /// Removes a device with its signals and keys.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn remove_device(&self, id: DeviceId, now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let done = sqlx::query("UPDATE device SET removed_at = ?2 WHERE id = ?1 AND removed_at IS NULL")
            .bind(id.0)
            .bind(now.as_micros())
            .execute(&mut *transaction)
            .await?;
        sqlx::query("UPDATE signal SET removed_at = ?2 WHERE device_id = ?1 AND removed_at IS NULL")
            .bind(id.0)
            .bind(now.as_micros())
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        found(done.rows_affected())
    }

    /// Removes a signal, declared or arrival.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn remove_signal(&self, id: SignalId, now: Moment) -> Result<(), StoreError> {
        let done = sqlx::query("UPDATE signal SET removed_at = ?2 WHERE id = ?1 AND removed_at IS NULL")
            .bind(id.0)
            .bind(now.as_micros())
            .execute(&self.write)
            .await?;
        found(done.rows_affected())
    }

    /// Deletes log-ins, tokens and invitations that ended before a time.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn sweep_ended(&self, before: Moment) -> Result<(), StoreError> {
        for table in ["DELETE FROM session WHERE expires_at <= ?", "DELETE FROM invitation WHERE expires_at <= ?"] {
            sqlx::query(table).bind(before.as_micros()).execute(&self.write).await?;
        }
        Ok(())
    }

    /// Deletes one signal that was removed before a time, and what held such signals. Says
    /// whether more is left.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn sweep(&self, before: Moment) -> Result<bool, StoreError> {
        let removed: Option<i64> = sqlx::query_scalar("SELECT id FROM signal WHERE removed_at < ? LIMIT 1")
            .bind(before.as_micros())
            .fetch_optional(&self.read)
            .await?;
        let Some(signal) = removed else { return self.sweep_owners(before).await };
        self.erase(SignalId(signal)).await?;
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for sql in ["DELETE FROM sealed WHERE signal_id = ?", "DELETE FROM signal WHERE id = ?"] {
            sqlx::query(sql).bind(signal).execute(&mut *transaction).await?;
        }
        transaction.commit().await?;
        Ok(true)
    }

    /// Deletes all readings of a signal and what was noted of them, and waits
    /// until their room is free.
    async fn erase(&self, signal: SignalId) -> Result<(), StoreError> {
        self.recorder.cut(Span::all(signal), Vec::new()).await?;
        self.tails.until(|tails| tails.is_settled(signal)).await;
        Ok(())
    }

    /// Waits until nothing is being sealed and nothing waits for it.
    pub async fn quiet(&self) {
        self.tails.until(|tails| tails.is_quiet(&self.limits)).await;
    }

    /// Devices and sites go last, when nothing refers to them any more.
    async fn sweep_owners(&self, before: Moment) -> Result<bool, StoreError> {
        let idle: bool = sqlx::query_scalar(
            "SELECT NOT EXISTS (SELECT 1 FROM device WHERE removed_at < ?1)
                AND NOT EXISTS (SELECT 1 FROM site AS s WHERE s.removed_at < ?1)",
        )
        .bind(before.as_micros())
        .fetch_one(&self.read)
        .await?;
        if idle {
            return Ok(false);
        }
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for sql in OWNERS {
            sqlx::query(sql).bind(before.as_micros()).execute(&mut *transaction).await?;
        }
        transaction.commit().await?;
        Ok(false)
    }
}
