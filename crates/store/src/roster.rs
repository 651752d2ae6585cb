//! Rosters: who is called.

use crate::types::{found, moment};
use crate::{Store, StoreError};
use lantern_core::alarm::Severity;
use lantern_core::callout::GATHERED_S;
use lantern_core::{Moment, SiteId};
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

/// The number of a roster.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RosterId(pub i64);

/// A roster.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RosterRow {
    /// Its number.
    pub id: RosterId,
    /// The site it is of.
    pub site: SiteId,
    /// Its code, unique on its site.
    pub code: String,
    /// As it was written, in JSON.
    pub body: String,
    /// What its webhooks are signed with.
    pub signing_key: String,
    /// Who made it, and when.
    pub made: (String, Moment),
    /// Who changed it last, and when.
    pub changed: Option<(String, Moment)>,
}

fn roster(row: &SqliteRow) -> Result<RosterRow, sqlx::Error> {
    let changed_by: Option<String> = row.try_get("changed_by")?;
    let changed_at: Option<i64> = row.try_get("changed_at")?;
    Ok(RosterRow {
        id: RosterId(row.try_get("id")?),
        site: SiteId(row.try_get("site_id")?),
        code: row.try_get("code")?,
        body: row.try_get("body")?,
        signing_key: row.try_get("signing_key")?,
        made: (row.try_get("made_by")?, moment(row.try_get("made_at")?)),
        changed: changed_by.zip(changed_at.map(moment)),
    })
}

/// Puts an alarm into the hands of the rosters of its site that call for its severity.
pub(crate) async fn call_for(connection: &mut SqliteConnection, alarm: i64, now: Moment) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO calling (alarm_id, roster_id, due_at, set_at)
         SELECT a.id, r.id, ?3, ?2 FROM alarm AS a JOIN roster AS r ON r.site_id = a.site_id AND r.least <= a.severity
         WHERE a.id = ?1 AND a.is_silent = 0 AND a.is_found = 0
         ON CONFLICT DO NOTHING",
    )
    .bind(alarm)
    .bind(now.as_micros())
    .bind(now.plus_seconds(GATHERED_S).as_micros())
    .execute(connection)
    .await
    .map(drop)
}

impl Store {
    /// Keeps a roster.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if the site has one of that code.
    pub async fn add_roster(
        &self,
        (site, code): (SiteId, &str),
        (body, least): (&str, Severity),
        signing_key: &str,
        by: &str,
        now: Moment,
    ) -> Result<RosterRow, StoreError> {
        let row = sqlx::query(
            "INSERT INTO roster (site_id, code, body, least, signing_key, made_by, made_at)
             VALUES (?, ?, ?, ?, ?, ?, ?) RETURNING *",
        )
        .bind(site.0)
        .bind(code)
        .bind(body)
        .bind(least as u8)
        .bind(signing_key)
        .bind(by)
        .bind(now.as_micros())
        .fetch_one(&self.write)
        .await?;
        Ok(roster(&row)?)
    }

    /// Writes a roster anew.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn change_roster(
        &self,
        id: RosterId,
        (body, least): (&str, Severity),
        by: &str,
        now: Moment,
    ) -> Result<RosterRow, StoreError> {
        let row = sqlx::query(
            "UPDATE roster SET body = ?2, least = ?3, changed_by = ?4, changed_at = ?5 WHERE id = ?1 RETURNING *",
        )
        .bind(id.0)
        .bind(body)
        .bind(least as u8)
        .bind(by)
        .bind(now.as_micros())
        .fetch_one(&self.write)
        .await?;
        Ok(roster(&row)?)
    }

    /// Removes a roster. What it has called stays in the record; it calls nobody any more.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn remove_roster(&self, id: RosterId) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM roster WHERE id = ?").bind(id.0).execute(&self.write).await?;
        found(done.rows_affected())
    }

    /// A roster of a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn roster(&self, site: SiteId, code: &str) -> Result<RosterRow, StoreError> {
        let row = sqlx::query("SELECT * FROM roster WHERE site_id = ? AND code = ?")
            .bind(site.0)
            .bind(code)
            .fetch_one(&self.read)
            .await?;
        Ok(roster(&row)?)
    }

    /// A roster by its number.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn roster_by_id(&self, id: RosterId) -> Result<RosterRow, StoreError> {
        let row = sqlx::query("SELECT * FROM roster WHERE id = ?").bind(id.0).fetch_one(&self.read).await?;
        Ok(roster(&row)?)
    }

    /// Rosters of a site in order of their codes, after the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn rosters(&self, site: SiteId, after: &str, limit: u32) -> Result<Vec<RosterRow>, StoreError> {
        let rows = sqlx::query("SELECT * FROM roster WHERE site_id = ? AND code > ? ORDER BY code LIMIT ?")
            .bind(site.0)
            .bind(after)
            .bind(limit)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(roster).collect::<Result<_, _>>()?)
    }
}
