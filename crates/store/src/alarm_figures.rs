//! Alarms over a time, as far as figures go.

use crate::alarm::severity;
use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::alarm::figures::Occurrence;
use lantern_core::{Moment, SiteId};

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

impl Store {
    /// Alarms of a site that were raised between two times, in order. Those that were found in the history
    /// or called nobody do not count: nobody had to attend to them.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn alarm_occurrences(
        &self,
        site: SiteId,
        (from, to): (Moment, Moment),
        limit: u32,
    ) -> Result<Vec<Occurrence>, StoreError> {
        type Row = (i64, u8, i64, Option<i64>, Option<i64>);
        let rows: Vec<Row> = sqlx::query_as(
            "SELECT point_id, severity, raised_at, cleared_at, CASE WHEN acknowledged_by IS NOT NULL THEN acknowledged_at END
             FROM alarm WHERE site_id = ? AND raised_at >= ? AND raised_at < ? AND is_silent = 0 AND is_found = 0
             ORDER BY raised_at, id LIMIT ?",
        )
        .bind(site.0)
        .bind(from.as_micros())
        .bind(to.as_micros())
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        let occurrence = |(point, severity_, raised, cleared, acknowledged): Row| Occurrence {
            point,
            severity: severity(severity_),
            raised: moment(raised),
            cleared: cleared.map(moment),
            acknowledged: acknowledged.map(moment),
        };
        Ok(rows.into_iter().map(occurrence).collect())
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
