//! Views of charts, kept by name.

use crate::types::{found, moment};
use crate::{Store, StoreError};
use lantern_core::{Moment, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A view of a chart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct View {
    /// What it is called; no other of its site is.
    pub name: String,
    /// The query of its address in the console.
    pub query: String,
    /// Who kept it.
    pub kept_by: String,
    /// When.
    pub kept_at: Moment,
}

fn view(row: &SqliteRow) -> Result<View, sqlx::Error> {
    Ok(View {
        name: row.try_get("name")?,
        query: row.try_get("query")?,
        kept_by: row.try_get("kept_by")?,
        kept_at: moment(row.try_get("kept_at")?),
    })
}

impl Store {
    /// Keeps a view, in place of the one of the same name; `most` of them in a site. Says whether there was
    /// room.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn keep_view(&self, site: SiteId, view: &View, most: u32) -> Result<bool, StoreError> {
        let done = sqlx::query(
            "INSERT INTO view (site_id, name, query, kept_by, kept_at)
             SELECT ?1, ?2, ?3, ?4, ?5
             WHERE (SELECT count(*) FROM view WHERE site_id = ?1 AND name <> ?2) < ?6
             ON CONFLICT (site_id, name)
             DO UPDATE SET query = excluded.query, kept_by = excluded.kept_by, kept_at = excluded.kept_at",
        )
        .bind(site.0)
        .bind(&view.name)
        .bind(&view.query)
        .bind(&view.kept_by)
        .bind(view.kept_at.as_micros())
        .bind(most)
        .execute(&self.write)
        .await?;
        Ok(done.rows_affected() > 0)
    }

    /// Views of a site by name, those after one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn views(&self, site: SiteId, after: &str, limit: u32) -> Result<Vec<View>, StoreError> {
        let rows = sqlx::query("SELECT * FROM view WHERE site_id = ? AND name > ? ORDER BY name LIMIT ?")
            .bind(site.0)
            .bind(after)
            .bind(limit)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(view).collect::<Result<_, _>>()?)
    }

    /// A view of a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn view(&self, site: SiteId, name: &str) -> Result<View, StoreError> {
        let row = sqlx::query("SELECT * FROM view WHERE site_id = ? AND name = ?")
            .bind(site.0)
            .bind(name)
            .fetch_optional(&self.read)
            .await?
            .ok_or(StoreError::NotFound)?;
        Ok(view(&row)?)
    }

    /// Removes a view.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn remove_view(&self, site: SiteId, name: &str) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM view WHERE site_id = ? AND name = ?")
            .bind(site.0)
            .bind(name)
            .execute(&self.write)
            .await?;
        found(done.rows_affected())
    }
}
