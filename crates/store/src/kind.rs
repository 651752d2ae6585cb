//! Kinds and their revisions.

use crate::types::{found, id_list, moment};
use crate::{Store, StoreError};
use lantern_core::{Moment, SiteId};
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};
use std::collections::HashMap;

/// Identifies a kind.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct KindId(pub i64);

/// A kind as its newest revision has it.
#[derive(Debug, Clone, PartialEq)]
pub struct Kind {
    /// Row id.
    pub id: KindId,
    /// Its code, unique in the site.
    pub code: String,
    /// How many devices follow any revision of it.
    pub devices: u32,
    /// Its newest revision.
    pub newest: Revision,
}

/// One state of a kind.
#[derive(Debug, Clone, PartialEq)]
pub struct Revision {
    /// From 1.
    pub number: u32,
    /// The description, a JSON document.
    pub description: String,
    /// Who made it.
    pub made_by: String,
    /// When.
    pub made_at: Moment,
}

fn revision(row: &SqliteRow) -> Result<Revision, sqlx::Error> {
    Ok(Revision {
        number: row.try_get("number")?,
        description: row.try_get("description")?,
        made_by: row.try_get("made_by")?,
        made_at: moment(row.try_get("made_at")?),
    })
}

fn kind(row: &SqliteRow) -> Result<Kind, sqlx::Error> {
    Ok(Kind {
        id: KindId(row.try_get("id")?),
        code: row.try_get("code")?,
        devices: row.try_get("devices")?,
        newest: revision(row)?,
    })
}

impl Store {
    /// Makes a kind with its first revision.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if the site has one of that code.
    pub async fn add_kind(
        &self,
        site: SiteId,
        code: &str,
        description: &str,
        by: &str,
        now: Moment,
    ) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let id: i64 = sqlx::query_scalar("INSERT INTO kind (site_id, code, created_at) VALUES (?, ?, ?) RETURNING id")
            .bind(site.0)
            .bind(code)
            .bind(now.as_micros())
            .fetch_one(&mut *transaction)
            .await?;
        add_revision(&mut transaction, KindId(id), description, by, now).await?;
        Ok(transaction.commit().await?)
    }

    /// Adds a revision to a kind, and gives its number.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn revise_kind(&self, id: KindId, description: &str, by: &str, now: Moment) -> Result<u32, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let number = add_revision(&mut transaction, id, description, by, now).await?;
        transaction.commit().await?;
        Ok(number)
    }

    /// Kinds of a site in order of code, after the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn kinds(&self, site: SiteId, after: &str, limit: u32) -> Result<Vec<Kind>, StoreError> {
        let rows = sqlx::query(
            "SELECT kind.id, kind.code, r.number, r.description, r.made_by, r.made_at,
                 (SELECT count(*) FROM device WHERE kind_id = kind.id AND device.removed_at IS NULL) AS devices
             FROM kind JOIN kind_revision AS r ON r.kind_id = kind.id
                 AND r.number = (SELECT max(number) FROM kind_revision WHERE kind_id = kind.id)
             WHERE kind.site_id = ? AND kind.removed_at IS NULL AND kind.code > ? ORDER BY kind.code LIMIT ?",
        )
        .bind(site.0)
        .bind(after)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(kind).collect::<Result<_, _>>()?)
    }

    /// The kind of a code in a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn kind(&self, site: SiteId, code: &str) -> Result<Kind, StoreError> {
        let row = sqlx::query(
            "SELECT kind.id, kind.code, r.number, r.description, r.made_by, r.made_at,
                 (SELECT count(*) FROM device WHERE kind_id = kind.id AND device.removed_at IS NULL) AS devices
             FROM kind JOIN kind_revision AS r ON r.kind_id = kind.id
                 AND r.number = (SELECT max(number) FROM kind_revision WHERE kind_id = kind.id)
             WHERE kind.site_id = ? AND kind.removed_at IS NULL AND kind.code = ?",
        )
        .bind(site.0)
        .bind(code)
        .fetch_one(&self.read)
        .await?;
        Ok(kind(&row)?)
    }

    /// The code of a kind.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such kind.
    pub async fn kind_code(&self, id: KindId) -> Result<String, StoreError> {
        self.kind_codes(&[id]).await?.remove(&id).ok_or(StoreError::NotFound)
    }

    /// The codes of kinds.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn kind_codes(&self, ids: &[KindId]) -> Result<HashMap<KindId, String>, StoreError> {
        let rows: Vec<(i64, String)> =
            sqlx::query_as("SELECT id, code FROM kind WHERE id IN (SELECT value FROM json_each(?))")
                .bind(id_list(ids.iter().map(|kind| kind.0)))
                .fetch_all(&self.read)
                .await?;
        Ok(rows.into_iter().map(|(id, code)| (KindId(id), code)).collect())
    }

    /// Revisions of a kind before the given number, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn revisions(&self, id: KindId, before: u32, limit: u32) -> Result<Vec<Revision>, StoreError> {
        let rows =
            sqlx::query("SELECT * FROM kind_revision WHERE kind_id = ? AND number < ? ORDER BY number DESC LIMIT ?")
                .bind(id.0)
                .bind(before)
                .bind(limit)
                .fetch_all(&self.read)
                .await?;
        Ok(rows.iter().map(revision).collect::<Result<_, _>>()?)
    }

    /// One revision of a kind.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn revision(&self, id: KindId, number: u32) -> Result<Revision, StoreError> {
        let row = sqlx::query("SELECT * FROM kind_revision WHERE kind_id = ? AND number = ?")
            .bind(id.0)
            .bind(number)
            .fetch_one(&self.read)
            .await?;
        Ok(revision(&row)?)
    }

    /// Removes a kind; devices made from it stay as they are and follow none.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn remove_kind(&self, id: KindId, now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let done = sqlx::query("UPDATE kind SET removed_at = ? WHERE id = ? AND removed_at IS NULL")
            .bind(now.as_micros())
            .bind(id.0)
            .execute(&mut *transaction)
            .await?;
        sqlx::query("UPDATE device SET kind_id = NULL, kind_revision = NULL WHERE kind_id = ?")
            .bind(id.0)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        found(done.rows_affected())
    }
}

async fn add_revision(
    connection: &mut SqliteConnection,
    id: KindId,
    description: &str,
    by: &str,
    now: Moment,
) -> Result<u32, StoreError> {
    Ok(sqlx::query_scalar(
        "INSERT INTO kind_revision (kind_id, number, description, made_by, made_at)
         VALUES (?1, (SELECT coalesce(max(number), 0) + 1 FROM kind_revision WHERE kind_id = ?1), ?2, ?3, ?4)
         RETURNING number",
    )
    .bind(id.0)
    .bind(description)
    .bind(by)
    .bind(now.as_micros())
    .fetch_one(connection)
    .await?)
}
