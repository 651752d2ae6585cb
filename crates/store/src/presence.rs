//! Changes of presence.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::presence::Presence;
use lantern_core::{DeviceId, Moment};
use sqlx::Row;

/// Changes kept of one device.
const KEPT: u32 = 1_000;

/// A device began to be in a state.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PresenceChange {
    /// The device.
    pub device: DeviceId,
    /// When.
    pub at: Moment,
    /// What it is since then.
    pub presence: Presence,
}

impl Store {
    /// Writes changes; of each device only the last ones are kept.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_presence_changes(&self, changes: &[PresenceChange]) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for change in changes {
            sqlx::query(
                "INSERT INTO presence_change (device_id, at, presence) VALUES (?, ?, ?)
                 ON CONFLICT DO UPDATE SET presence = excluded.presence",
            )
            .bind(change.device.0)
            .bind(change.at.as_micros())
            .bind(change.presence.as_str())
            .execute(&mut *transaction)
            .await?;
            sqlx::query(
                "DELETE FROM presence_change WHERE device_id = ?1 AND at <=
                     (SELECT at FROM presence_change WHERE device_id = ?1 ORDER BY at DESC LIMIT 1 OFFSET ?2)",
            )
            .bind(change.device.0)
            .bind(KEPT)
            .execute(&mut *transaction)
            .await?;
        }
        Ok(transaction.commit().await?)
    }

    /// Changes of a device before a time, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn presence_changes(
        &self,
        device: DeviceId,
        before: Moment,
        limit: u32,
    ) -> Result<Vec<PresenceChange>, StoreError> {
        let rows = sqlx::query(
            "SELECT at, presence FROM presence_change WHERE device_id = ? AND at < ? ORDER BY at DESC LIMIT ?",
        )
        .bind(device.0)
        .bind(before.as_micros())
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        let change = |row: &sqlx::sqlite::SqliteRow| {
            let word: String = row.try_get("presence")?;
            Ok(PresenceChange {
                device,
                at: moment(row.try_get("at")?),
                presence: word.parse().unwrap_or(Presence::Never),
            })
        };
        Ok(rows.iter().map(change).collect::<Result<_, sqlx::Error>>()?)
    }
}
