//! Sites.

use crate::types::{moment, optional_word};
use crate::{Store, StoreError, types};
use lantern_core::{DecimalMark, Moment, Position, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A place or project.
#[derive(Debug, Clone, PartialEq)]
pub struct Site {
    /// Row id.
    pub id: SiteId,
    /// Its code in addresses.
    pub code: String,
    /// Its name for people.
    pub name: String,
    /// IANA name of its time zone.
    pub zone: String,
    /// How numbers are written for its people.
    pub decimal_mark: DecimalMark,
    /// Where it is.
    pub position: Option<Position>,
    /// When it was made.
    pub created_at: Moment,
}

/// What a new site is made from.
#[derive(Debug, Clone)]
pub struct NewSite<'a> {
    /// See [`Site::code`].
    pub code: &'a str,
    /// See [`Site::name`].
    pub name: &'a str,
    /// See [`Site::zone`].
    pub zone: &'a str,
    /// See [`Site::position`].
    pub position: Option<Position>,
}

/// What to change of a site; `None` leaves it as it is.
#[derive(Debug, Clone, Default)]
pub struct SiteChange {
    /// See [`Site::name`].
    pub name: Option<String>,
    /// See [`Site::zone`].
    pub zone: Option<String>,
    /// See [`Site::decimal_mark`].
    pub decimal_mark: Option<DecimalMark>,
    /// See [`Site::position`]; `Some(None)` takes it away.
    pub position: Option<Option<Position>>,
}

fn site(row: &SqliteRow) -> Result<Site, sqlx::Error> {
    Ok(Site {
        id: SiteId(row.try_get("id")?),
        code: row.try_get("code")?,
        name: row.try_get("name")?,
        zone: row.try_get("zone")?,
        decimal_mark: optional_word(row, "decimal_mark")?.unwrap_or_default(),
        position: types::position(row.try_get("latitude")?, row.try_get("longitude")?, row.try_get("altitude_m")?),
        created_at: moment(row.try_get("created_at")?),
    })
}

impl Store {
    /// Makes a site.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if the code is in use.
    pub async fn add_site(&self, new: NewSite<'_>, now: Moment) -> Result<Site, StoreError> {
        let (latitude, longitude, altitude_m) = types::position_columns(new.position);
        let row = sqlx::query(
            "INSERT INTO site (code, name, zone, latitude, longitude, altitude_m, created_at)
             VALUES (?, ?, ?, ?, ?, ?, ?) RETURNING *",
        )
        .bind(new.code)
        .bind(new.name)
        .bind(new.zone)
        .bind(latitude)
        .bind(longitude)
        .bind(altitude_m)
        .bind(now.as_micros())
        .fetch_one(&self.write)
        .await?;
        Ok(site(&row)?)
    }

    /// Sites in order of code, after the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn sites(&self, after: &str, limit: u32) -> Result<Vec<Site>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM site
             WHERE removed_at IS NULL AND code > ? ORDER BY code LIMIT ?",
        )
        .bind(after)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(site).collect::<Result<_, _>>()?)
    }

    /// The site of a code.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn site(&self, code: &str) -> Result<Site, StoreError> {
        let row = sqlx::query(
            "SELECT * FROM site
             WHERE removed_at IS NULL AND code = ?",
        )
        .bind(code)
        .fetch_one(&self.read)
        .await?;
        Ok(site(&row)?)
    }

    /// The site of an id.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn site_by_id(&self, id: SiteId) -> Result<Site, StoreError> {
        let row = sqlx::query(
            "SELECT * FROM site
             WHERE removed_at IS NULL AND id = ?",
        )
        .bind(id.0)
        .fetch_one(&self.read)
        .await?;
        Ok(site(&row)?)
    }

    /// Changes a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn change_site(&self, id: SiteId, change: SiteChange) -> Result<Site, StoreError> {
        let (latitude, longitude, altitude_m) = types::position_columns(change.position.flatten());
        let row = sqlx::query(
            "UPDATE site SET name = coalesce(?2, name), zone = coalesce(?3, zone),
                 latitude = iif(?4, ?5, latitude), longitude = iif(?4, ?6, longitude),
                 altitude_m = iif(?4, ?7, altitude_m), decimal_mark = coalesce(?8, decimal_mark)
             WHERE id = ?1 AND removed_at IS NULL RETURNING *",
        )
        .bind(id.0)
        .bind(change.name)
        .bind(change.zone)
        .bind(change.position.is_some())
        .bind(latitude)
        .bind(longitude)
        .bind(altitude_m)
        .bind(change.decimal_mark.map(DecimalMark::as_str))
        .fetch_one(&self.write)
        .await?;
        Ok(site(&row)?)
    }
}
