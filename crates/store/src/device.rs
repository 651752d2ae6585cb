//! Devices.

use crate::types::moment;
use crate::{Position, Store, StoreError};
use lantern_core::{DeviceId, Moment, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// One thing in the field.
#[derive(Debug, Clone, PartialEq)]
pub struct Device {
    /// Row id.
    pub id: DeviceId,
    /// The site it belongs to.
    pub site: SiteId,
    /// Its code, unique in the site.
    pub code: String,
    /// Its name for people.
    pub name: String,
    /// Free text.
    pub note: String,
    /// How often it is expected to report, in seconds.
    pub interval_s: f64,
    /// Where it stands, if it is fixed.
    pub position: Option<Position>,
    /// When it last delivered something.
    pub last_heard_at: Option<Moment>,
    /// When it was made.
    pub created_at: Moment,
}

/// What a new device is made from.
#[derive(Debug, Clone)]
pub struct NewDevice<'a> {
    /// See [`Device::code`].
    pub code: &'a str,
    /// See [`Device::name`].
    pub name: &'a str,
    /// See [`Device::note`].
    pub note: &'a str,
    /// See [`Device::interval_s`].
    pub interval_s: f64,
    /// See [`Device::position`].
    pub position: Option<Position>,
}

/// What to change of a device; `None` leaves it as it is.
#[derive(Debug, Clone, Default)]
pub struct DeviceChange {
    /// See [`Device::name`].
    pub name: Option<String>,
    /// See [`Device::note`].
    pub note: Option<String>,
    /// See [`Device::interval_s`].
    pub interval_s: Option<f64>,
    /// See [`Device::position`]; `Some(None)` takes it away.
    pub position: Option<Option<Position>>,
}

fn device(row: &SqliteRow) -> Result<Device, sqlx::Error> {
    Ok(Device {
        id: DeviceId(row.try_get("id")?),
        site: SiteId(row.try_get("site_id")?),
        code: row.try_get("code")?,
        name: row.try_get("name")?,
        note: row.try_get("note")?,
        interval_s: row.try_get("interval_s")?,
        position: Position::from_columns(
            row.try_get("latitude")?,
            row.try_get("longitude")?,
            row.try_get("altitude_m")?,
        ),
        last_heard_at: row.try_get::<Option<i64>, _>("last_heard_at")?.map(moment),
        created_at: moment(row.try_get("created_at")?),
    })
}

impl Store {
    /// Makes a device.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if the site has one of that code.
    pub async fn add_device(&self, site: SiteId, new: NewDevice<'_>, now: Moment) -> Result<Device, StoreError> {
        let (latitude, longitude, altitude_m) = Position::to_columns(new.position);
        let row = sqlx::query(
            "INSERT INTO device (site_id, code, name, note, interval_s, latitude, longitude, altitude_m, created_at)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?) RETURNING *",
        )
        .bind(site.0)
        .bind(new.code)
        .bind(new.name)
        .bind(new.note)
        .bind(new.interval_s)
        .bind(latitude)
        .bind(longitude)
        .bind(altitude_m)
        .bind(now.as_micros())
        .fetch_one(&self.write)
        .await?;
        Ok(device(&row)?)
    }

    /// Devices of a site in order of code, after the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn devices(&self, site: SiteId, after: &str, limit: u32) -> Result<Vec<Device>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM device WHERE site_id = ? AND removed_at IS NULL AND code > ? ORDER BY code LIMIT ?",
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

    /// Changes a device.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn change_device(&self, id: DeviceId, change: DeviceChange) -> Result<Device, StoreError> {
        let (latitude, longitude, altitude_m) = Position::to_columns(change.position.flatten());
        let row = sqlx::query(
            "UPDATE device SET name = coalesce(?2, name), note = coalesce(?3, note),
                 interval_s = coalesce(?4, interval_s),
                 latitude = iif(?5, ?6, latitude), longitude = iif(?5, ?7, longitude),
                 altitude_m = iif(?5, ?8, altitude_m)
             WHERE id = ?1 AND removed_at IS NULL RETURNING *",
        )
        .bind(id.0)
        .bind(change.name)
        .bind(change.note)
        .bind(change.interval_s)
        .bind(change.position.is_some())
        .bind(latitude)
        .bind(longitude)
        .bind(altitude_m)
        .fetch_one(&self.write)
        .await?;
        Ok(device(&row)?)
    }

    /// Notes when devices were last heard; later times already noted stay.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn note_heard(&self, heard: &[(DeviceId, Moment)]) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for (id, at) in heard {
            sqlx::query("UPDATE device SET last_heard_at = max(coalesce(last_heard_at, ?2), ?2) WHERE id = ?1")
                .bind(id.0)
                .bind(at.as_micros())
                .execute(&mut *transaction)
                .await?;
        }
        Ok(transaction.commit().await?)
    }
}
