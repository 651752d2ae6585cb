//! Keys of devices.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::{DeviceId, Moment};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A key as its owner sees it: without the secret.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Key {
    /// Row id.
    pub id: i64,
    /// The device that may send with it.
    pub device: DeviceId,
    /// The last characters of the secret, to tell keys apart.
    pub hint: String,
    /// Free text.
    pub note: String,
    /// When it was issued.
    pub created_at: Moment,
    /// When something was last sent with it.
    pub last_used_at: Option<Moment>,
    /// When it was revoked.
    pub revoked_at: Option<Moment>,
}

/// Whom a key belongs to, for the intake.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct KeyOwner {
    /// Row id of the key.
    pub id: i64,
    /// Its device.
    pub device: DeviceId,
    /// Whether it was revoked.
    pub revoked: bool,
}

fn key(row: &SqliteRow) -> Result<Key, sqlx::Error> {
    Ok(Key {
        id: row.try_get("id")?,
        device: DeviceId(row.try_get("device_id")?),
        hint: row.try_get("hint")?,
        note: row.try_get("note")?,
        created_at: moment(row.try_get("created_at")?),
        last_used_at: row.try_get::<Option<i64>, _>("last_used_at")?.map(moment),
        revoked_at: row.try_get::<Option<i64>, _>("revoked_at")?.map(moment),
    })
}

impl Store {
    /// Keeps a new key by the hash of its secret.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_key(
        &self,
        device: DeviceId,
        secret_hash: &[u8],
        hint: &str,
        note: &str,
        now: Moment,
    ) -> Result<Key, StoreError> {
        let row = sqlx::query(
            "INSERT INTO device_key (device_id, secret_hash, hint, note, created_at) VALUES (?, ?, ?, ?, ?)
             RETURNING *",
        )
        .bind(device.0)
        .bind(secret_hash)
        .bind(hint)
        .bind(note)
        .bind(now.as_micros())
        .fetch_one(&self.write)
        .await?;
        Ok(key(&row)?)
    }

    /// Keys of a device, revoked ones too, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn keys(&self, device: DeviceId, before: i64, limit: u32) -> Result<Vec<Key>, StoreError> {
        let rows = sqlx::query("SELECT * FROM device_key WHERE device_id = ? AND id < ? ORDER BY id DESC LIMIT ?")
            .bind(device.0)
            .bind(before)
            .bind(limit)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(key).collect::<Result<_, _>>()?)
    }

    /// Revokes a key of a device; a revoked one keeps its time.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn revoke_key(&self, device: DeviceId, id: i64, now: Moment) -> Result<Key, StoreError> {
        let row = sqlx::query(
            "UPDATE device_key SET revoked_at = coalesce(revoked_at, ?) WHERE id = ? AND device_id = ? RETURNING *",
        )
        .bind(now.as_micros())
        .bind(id)
        .bind(device.0)
        .fetch_one(&self.write)
        .await?;
        Ok(key(&row)?)
    }

    /// Finds the owner of a secret by its hash, revoked keys too. Keys of
    /// removed devices are not found.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn key_owner(&self, secret_hash: &[u8]) -> Result<KeyOwner, StoreError> {
        let row = sqlx::query(
            "SELECT device_key.id, device_id, revoked_at IS NOT NULL AS revoked
             FROM device_key JOIN device ON device.id = device_id
             WHERE secret_hash = ? AND device.removed_at IS NULL",
        )
        .bind(secret_hash)
        .fetch_one(&self.read)
        .await?;
        Ok(KeyOwner {
            id: row.try_get("id")?,
            device: DeviceId(row.try_get("device_id")?),
            revoked: row.try_get("revoked")?,
        })
    }

    /// Notes when keys were last used.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn note_key_use(&self, used: &[(i64, Moment)]) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for (id, at) in used {
            sqlx::query("UPDATE device_key SET last_used_at = ? WHERE id = ?")
                .bind(at.as_micros())
                .bind(id)
                .execute(&mut *transaction)
                .await?;
        }
        Ok(transaction.commit().await?)
    }
}
