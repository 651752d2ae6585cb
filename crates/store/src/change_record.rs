//! The record of who changed what.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::{Moment, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A line of the record.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Record {
    /// Row id.
    pub id: i64,
    /// When it was done.
    pub at: Moment,
    /// The site it was done on.
    pub site: Option<SiteId>,
    /// The code that site had.
    pub site_code: Option<String>,
    /// Who did it.
    pub who: String,
    /// By what: the console, a token, a key.
    pub way: String,
    /// The address it came from.
    pub origin: String,
    /// What was done.
    pub action: String,
    /// What it was done to, as addresses name it.
    pub object: String,
    /// What the object was before, in JSON.
    pub before: Option<String>,
    /// What it was afterwards, in JSON.
    pub after: Option<String>,
    /// The line that undid it.
    pub undone_by: Option<i64>,
}

/// What a line is made from.
#[derive(Debug, Clone)]
pub struct NewRecord<'a> {
    /// See [`Record::at`].
    pub at: Moment,
    /// See [`Record::site`] and [`Record::site_code`].
    pub site: Option<(SiteId, &'a str)>,
    /// See [`Record::who`].
    pub who: &'a str,
    /// See [`Record::way`].
    pub way: &'a str,
    /// See [`Record::origin`].
    pub origin: &'a str,
    /// See [`Record::action`].
    pub action: &'a str,
    /// See [`Record::object`].
    pub object: &'a str,
    /// See [`Record::before`].
    pub before: Option<&'a str>,
    /// See [`Record::after`].
    pub after: Option<&'a str>,
}

/// Which lines are wanted.
#[derive(Debug, Clone, Default)]
pub struct RecordFilter<'a> {
    /// Only those of this site; all of the service if none is given.
    pub site: Option<SiteId>,
    /// Only those of this object and what belongs to it.
    pub object: Option<&'a str>,
    /// Only those of this person or key.
    pub who: Option<&'a str>,
    /// Only those in which these words stand somewhere.
    pub words: Option<&'a str>,
    /// Not before this time.
    pub from: Option<Moment>,
    /// Before this time.
    pub to: Option<Moment>,
}

fn record(row: &SqliteRow) -> Result<Record, sqlx::Error> {
    Ok(Record {
        id: row.try_get("id")?,
        at: moment(row.try_get("at")?),
        site: row.try_get::<Option<i64>, _>("site_id")?.map(SiteId),
        site_code: row.try_get("site")?,
        who: row.try_get("who")?,
        way: row.try_get("way")?,
        origin: row.try_get("origin")?,
        action: row.try_get("action")?,
        object: row.try_get("object")?,
        before: row.try_get("before")?,
        after: row.try_get("after")?,
        undone_by: row.try_get("undone_by")?,
    })
}

impl Store {
    /// Writes a line.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_record(&self, new: &NewRecord<'_>) -> Result<i64, StoreError> {
        let id = sqlx::query_scalar(
            "INSERT INTO change_record (at, site_id, site, who, way, origin, action, object, before, after)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?) RETURNING id",
        )
        .bind(new.at.as_micros())
        .bind(new.site.map(|(id, _)| id.0))
        .bind(new.site.map(|(_, code)| code))
        .bind(new.who)
        .bind(new.way)
        .bind(new.origin)
        .bind(new.action)
        .bind(new.object)
        .bind(new.before)
        .bind(new.after)
        .fetch_one(&self.write)
        .await?;
        Ok(id)
    }

    /// Lines before one, the last ones first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn records(
        &self,
        filter: &RecordFilter<'_>,
        before: Option<i64>,
        limit: u32,
    ) -> Result<Vec<Record>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM change_record
             WHERE (?1 IS NULL OR site_id = ?1)
                AND (?2 IS NULL OR object = ?2 OR substr(object, 1, length(?2) + 1) = ?2 || '/')
                AND (?3 IS NULL OR who = ?3 COLLATE NOCASE)
                AND (?4 IS NULL OR instr(lower(who || ' ' || action || ' ' || object || ' ' || coalesce(before, '')
                    || ' ' || coalesce(after, '')), lower(?4)) > 0)
                AND (?5 IS NULL OR at >= ?5) AND (?6 IS NULL OR at < ?6)
                AND (?7 IS NULL OR id < ?7)
             ORDER BY id DESC LIMIT ?8",
        )
        .bind(filter.site.map(|site| site.0))
        .bind(filter.object)
        .bind(filter.who)
        .bind(filter.words)
        .bind(filter.from.map(|at| at.as_micros()))
        .bind(filter.to.map(|at| at.as_micros()))
        .bind(before)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(record).collect::<Result<_, _>>()?)
    }

    /// One line of a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn record_line(&self, site: SiteId, id: i64) -> Result<Record, StoreError> {
        let row = sqlx::query("SELECT * FROM change_record WHERE site_id = ? AND id = ?")
            .bind(site.0)
            .bind(id)
            .fetch_one(&self.read)
            .await?;
        Ok(record(&row)?)
    }

    /// Notes that a line was undone by another.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn mark_undone(&self, id: i64, by: i64) -> Result<(), StoreError> {
        sqlx::query("UPDATE change_record SET undone_by = ? WHERE id = ?")
            .bind(by)
            .bind(id)
            .execute(&self.write)
            .await?;
        Ok(())
    }
}
