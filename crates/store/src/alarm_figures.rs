//! Alarms over a time, as far as figures go.

use crate::alarm::severity;
use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::alarm::figures::Occurrence;
use lantern_core::{Moment, SiteId};
use sqlx::sqlite::SqliteRow;
use sqlx::{AssertSqlSafe, Row};

/// A watch on a device or signal that raised alarms.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AlarmPlace {
    /// The code of the watch.
    pub watch: String,
    /// What it was called when it raised the last one.
    pub name: String,
    /// The code of the device.
    pub device: Option<String>,
    /// The code of the signal.
    pub signal: Option<String>,
}

/// Which alarms there are, in short. If it differs from what is expected, some were removed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct AlarmExtent {
    /// How many.
    pub count: i64,
    /// The sum of their numbers.
    pub sum: i64,
}

/// An alarm with its number; without what counts of it, if it does not count: it called nobody, or was found
/// in the history, and nobody had to attend to it.
pub type Counted = (i64, Moment, Option<Occurrence>);

const COLUMNS: &str = "SELECT id, point_id, severity, raised_at, cleared_at,
    CASE WHEN acknowledged_by IS NOT NULL THEN acknowledged_at END AS acknowledged,
    is_silent = 0 AND is_found = 0 AS does_count FROM alarm";

fn counted(row: &SqliteRow) -> Result<Counted, sqlx::Error> {
    let raised = moment(row.try_get("raised_at")?);
    let time = |column: &str| row.try_get::<Option<i64>, _>(column).map(|time| time.map(moment));
    let occurrence = Occurrence {
        point: row.try_get("point_id")?,
        severity: severity(row.try_get("severity")?),
        raised,
        cleared: time("cleared_at")?,
        acknowledged: time("acknowledged")?,
    };
    Ok((row.try_get("id")?, raised, row.try_get::<bool, _>("does_count")?.then_some(occurrence)))
}

impl Store {
    /// The number of the newest step of any alarm. Whatever changes an alarm adds a step.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn newest_alarm_step(&self) -> Result<i64, StoreError> {
        let newest = sqlx::query_scalar("SELECT coalesce(max(id), 0) FROM alarm_step");
        Ok(newest.fetch_one(&self.read).await?)
    }

    /// Alarms of a site that count and were raised from a time on.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn counted_alarms(&self, site: SiteId, since: Moment, limit: u32) -> Result<Vec<Counted>, StoreError> {
        let which = "site_id = ?1 AND raised_at >= ?2 AND is_silent = 0 AND is_found = 0";
        self.counted(which, (site, since), None, limit).await
    }

    /// Alarms of a site that were raised from a time on and have changed since a step.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn changed_alarms(
        &self,
        site: SiteId,
        since: Moment,
        step: i64,
        limit: u32,
    ) -> Result<Vec<Counted>, StoreError> {
        // They are found by their numbers, not by site and time: of a long history few have changed.
        let which = "+site_id = ?1 AND +raised_at >= ?2 AND id IN (SELECT alarm_id FROM alarm_step WHERE id > ?4)";
        self.counted(which, (site, since), Some(step), limit).await
    }

    async fn counted(
        &self,
        which: &'static str,
        (site, since): (SiteId, Moment),
        step: Option<i64>,
        limit: u32,
    ) -> Result<Vec<Counted>, StoreError> {
        let query = sqlx::query(AssertSqlSafe(format!("{COLUMNS} WHERE {which} LIMIT ?3")));
        let query = query.bind(site.0).bind(since.as_micros()).bind(limit);
        let query = if let Some(step) = step { query.bind(step) } else { query };
        let rows = query.fetch_all(&self.read).await?;
        Ok(rows.iter().map(counted).collect::<Result<_, _>>()?)
    }

    /// Which alarms of a site there are that count and were raised from a time on.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn alarm_extent(&self, site: SiteId, since: Moment) -> Result<AlarmExtent, StoreError> {
        let (count, sum) = sqlx::query_as(
            "SELECT count(*), coalesce(sum(id), 0) FROM alarm INDEXED BY alarm_counted
             WHERE site_id = ? AND raised_at >= ? AND is_silent = 0 AND is_found = 0",
        )
        .bind(site.0)
        .bind(since.as_micros())
        .fetch_one(&self.read)
        .await?;
        Ok(AlarmExtent { count, sum })
    }

    /// What a point is, by the last alarm it raised.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if it raised none.
    pub async fn alarm_place(&self, site: SiteId, point: i64) -> Result<AlarmPlace, StoreError> {
        type Row = (String, String, Option<String>, Option<String>);
        let (watch, name, device, signal): Row = sqlx::query_as(
            "SELECT a.watch, a.name, d.code, s.code FROM alarm AS a LEFT JOIN device AS d ON d.id = a.device_id
             LEFT JOIN signal AS s ON s.id = a.signal_id WHERE a.site_id = ? AND a.point_id = ?
             ORDER BY a.raised_at DESC LIMIT 1",
        )
        .bind(site.0)
        .bind(point)
        .fetch_one(&self.read)
        .await?;
        Ok(AlarmPlace { watch, name, device, signal })
    }
}
