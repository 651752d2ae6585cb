//! Devices looked up: by what they are called, by what they are, in pages.

use crate::device::device;
use crate::types;
use crate::{Device, KindId, Store, StoreError};
use lantern_core::{DeviceId, SiteId};
use std::collections::HashMap;

impl Store {
    /// The device of a site that its senders call so, or whose code it is.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn device_called(&self, site: SiteId, identity: &str, code: &str) -> Result<Device, StoreError> {
        let row = sqlx::query(
            "SELECT * FROM device WHERE site_id = ?1 AND removed_at IS NULL AND (identity = ?2 OR code = ?3)
             ORDER BY identity = ?2 DESC LIMIT 1",
        )
        .bind(site.0)
        .bind(identity)
        .bind(code)
        .fetch_one(&self.read)
        .await?;
        Ok(device(&row)?)
    }

    /// Devices of a site that nobody has declared, in order of id, after the
    /// given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn waiting_devices(&self, site: SiteId, after: DeviceId, limit: u32) -> Result<Vec<Device>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM device WHERE site_id = ? AND state = 'waiting' AND removed_at IS NULL AND id > ?
             ORDER BY id LIMIT ?",
        )
        .bind(site.0)
        .bind(after.0)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(device).collect::<Result<_, _>>()?)
    }

    /// Devices that follow a kind, in order of code after the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn devices_of_kind(&self, kind: KindId, after: &str, limit: u32) -> Result<Vec<Device>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM device WHERE kind_id = ? AND removed_at IS NULL AND code > ? ORDER BY code LIMIT ?",
        )
        .bind(kind.0)
        .bind(after)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(device).collect::<Result<_, _>>()?)
    }

    /// The devices of a site that have topics of their own.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn devices_with_topics(&self, site: SiteId) -> Result<Vec<Device>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM device WHERE site_id = ? AND topics IS NOT NULL AND removed_at IS NULL ORDER BY id",
        )
        .bind(site.0)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(device).collect::<Result<_, _>>()?)
    }

    /// Declared devices of a site in order of code, after the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn devices(&self, site: SiteId, after: &str, limit: u32) -> Result<Vec<Device>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM device WHERE site_id = ? AND removed_at IS NULL AND state <> 'waiting' AND code > ?
             ORDER BY code LIMIT ?",
        )
        .bind(site.0)
        .bind(after)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(device).collect::<Result<_, _>>()?)
    }

    /// Devices of all sites in order of id, after the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn all_devices(&self, after: DeviceId, limit: u32) -> Result<Vec<Device>, StoreError> {
        let rows = sqlx::query("SELECT * FROM device WHERE removed_at IS NULL AND id > ? ORDER BY id LIMIT ?")
            .bind(after.0)
            .bind(limit)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(device).collect::<Result<_, _>>()?)
    }

    /// The device of a code in a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn device(&self, site: SiteId, code: &str) -> Result<Device, StoreError> {
        let row = sqlx::query("SELECT * FROM device WHERE site_id = ? AND code = ? AND removed_at IS NULL")
            .bind(site.0)
            .bind(code)
            .fetch_one(&self.read)
            .await?;
        Ok(device(&row)?)
    }

    /// The device of an id.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn device_by_id(&self, id: DeviceId) -> Result<Device, StoreError> {
        let row = sqlx::query("SELECT * FROM device WHERE id = ? AND removed_at IS NULL")
            .bind(id.0)
            .fetch_one(&self.read)
            .await?;
        Ok(device(&row)?)
    }

    /// The codes of devices.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn device_codes(&self, ids: &[DeviceId]) -> Result<HashMap<DeviceId, String>, StoreError> {
        let rows: Vec<(i64, String)> =
            sqlx::query_as("SELECT id, code FROM device WHERE id IN (SELECT value FROM json_each(?))")
                .bind(types::id_list(ids.iter().map(|device| device.0)))
                .fetch_all(&self.read)
                .await?;
        Ok(rows.into_iter().map(|(id, code)| (DeviceId(id), code)).collect())
    }
}
