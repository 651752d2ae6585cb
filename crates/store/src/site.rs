//! Sites.

use crate::types::{moment, optional_word};
use crate::{Store, StoreError, types};
use lantern_core::access::Role;
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

/// What comes back with a site: what went with it.
const BROUGHT_BACK: [&str; 3] = [
    "UPDATE signal SET removed_at = NULL
     WHERE removed_at = ?2 AND device_id IN (SELECT id FROM device WHERE site_id = ?1)",
    "UPDATE device SET removed_at = NULL WHERE removed_at = ?2 AND site_id = ?1",
    "UPDATE site SET removed_at = NULL WHERE removed_at = ?2 AND id = ?1",
];

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

    /// Sites in order of code, after the given one, with the role of a person there: those where they
    /// have one, or all if no person is given; and of these only one, if that is given.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn sites_of(
        &self,
        person: Option<i64>,
        only: Option<SiteId>,
        after: &str,
        limit: u32,
    ) -> Result<Vec<(Site, Option<Role>)>, StoreError> {
        let rows = sqlx::query(
            "SELECT site.*, member.role FROM site
             LEFT JOIN member ON member.site_id = site.id AND member.person_id = ?1
             WHERE removed_at IS NULL AND code > ?3 AND (?1 IS NULL OR role IS NOT NULL) AND (?2 IS NULL OR id = ?2)
             ORDER BY code LIMIT ?4",
        )
        .bind(person)
        .bind(only.map(|only| only.0))
        .bind(after)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        let with_role = |row: &SqliteRow| Ok((site(row)?, optional_word(row, "role")?));
        Ok(rows.iter().map(with_role).collect::<Result<_, sqlx::Error>>()?)
    }

    /// Sites that were removed since a time, the last ones first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn removed_sites(&self, since: Moment, limit: u32) -> Result<Vec<(Site, Moment)>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM site
             WHERE removed_at >= ? ORDER BY removed_at DESC, id DESC LIMIT ?",
        )
        .bind(since.as_micros())
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        let with_end = |row: &SqliteRow| Ok((site(row)?, moment(row.try_get("removed_at")?)));
        Ok(rows.iter().map(with_end).collect::<Result<_, sqlx::Error>>()?)
    }

    /// Brings the site of a code that was removed last back, with the devices and signals that went with it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if none was removed since then, [`StoreError::Taken`] if there is another of
    /// its code now.
    pub async fn restore_site(&self, code: &str, since: Moment) -> Result<Site, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let (id, removed_at): (i64, i64) = sqlx::query_as(
            "SELECT id, removed_at FROM site
             WHERE code = ? AND removed_at >= ? ORDER BY removed_at DESC LIMIT 1",
        )
        .bind(code)
        .bind(since.as_micros())
        .fetch_one(&mut *transaction)
        .await?;
        for statement in BROUGHT_BACK {
            sqlx::query(statement).bind(id).bind(removed_at).execute(&mut *transaction).await?;
        }
        let row = sqlx::query("SELECT * FROM site AS s WHERE id = ?").bind(id).fetch_one(&mut *transaction).await?;
        let restored = site(&row)?;
        transaction.commit().await?;
        Ok(restored)
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
