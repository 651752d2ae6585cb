//! Watches, and what is remembered of each signal and device they are on.

use crate::types::{found, moment};
use crate::{Store, StoreError};
use lantern_core::{DeviceId, Moment, SignalId, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// The number of a watch.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct WatchId(pub i64);

/// The number of a watch on one signal or device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct PointId(pub i64);

/// A watch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WatchRow {
    /// Its number.
    pub id: WatchId,
    /// The site it is of.
    pub site: SiteId,
    /// Its code, unique on its site.
    pub code: String,
    /// As it was written, in JSON.
    pub body: String,
    /// Who made it, and when.
    pub made: (String, Moment),
    /// Who changed it last, and when.
    pub changed: Option<(String, Moment)>,
}

/// A watch on one signal or device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PointRow {
    /// Its number.
    pub id: PointId,
    /// The watch.
    pub watch: WatchId,
    /// The device; none for a watch on the service.
    pub device: Option<DeviceId>,
    /// The signal, if it is on one.
    pub signal: Option<SignalId>,
    /// Its state, in JSON.
    pub state: String,
    /// What its judge remembers, in JSON.
    pub memory: String,
    /// Until when it is shelved.
    pub shelved_until: Option<Moment>,
    /// The alarm that goes on, or that nobody has acknowledged.
    pub alarm: Option<i64>,
}

fn watch(row: &SqliteRow) -> Result<WatchRow, sqlx::Error> {
    let changed_by: Option<String> = row.try_get("changed_by")?;
    let changed_at: Option<i64> = row.try_get("changed_at")?;
    Ok(WatchRow {
        id: WatchId(row.try_get("id")?),
        site: SiteId(row.try_get("site_id")?),
        code: row.try_get("code")?,
        body: row.try_get("body")?,
        made: (row.try_get("made_by")?, moment(row.try_get("made_at")?)),
        changed: changed_by.zip(changed_at.map(moment)),
    })
}

fn point(row: &SqliteRow) -> Result<PointRow, sqlx::Error> {
    Ok(PointRow {
        id: PointId(row.try_get("id")?),
        watch: WatchId(row.try_get("watch_id")?),
        device: row.try_get::<Option<i64>, _>("device_id")?.map(DeviceId),
        signal: row.try_get::<Option<i64>, _>("signal_id")?.map(SignalId),
        state: row.try_get("state")?,
        memory: row.try_get("memory")?,
        shelved_until: row.try_get::<Option<i64>, _>("shelved_until")?.map(moment),
        alarm: row.try_get("alarm_id")?,
    })
}

impl Store {
    /// Keeps a watch.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if the site has one of that code.
    pub async fn add_watch(
        &self,
        site: SiteId,
        code: &str,
        body: &str,
        by: &str,
        now: Moment,
    ) -> Result<WatchRow, StoreError> {
        let row =
            sqlx::query("INSERT INTO watch (site_id, code, body, made_by, made_at) VALUES (?, ?, ?, ?, ?) RETURNING *")
                .bind(site.0)
                .bind(code)
                .bind(body)
                .bind(by)
                .bind(now.as_micros())
                .fetch_one(&self.write)
                .await?;
        Ok(watch(&row)?)
    }

    /// Writes a watch anew.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn change_watch(&self, id: WatchId, body: &str, by: &str, now: Moment) -> Result<WatchRow, StoreError> {
        let row = sqlx::query("UPDATE watch SET body = ?2, changed_by = ?3, changed_at = ?4 WHERE id = ?1 RETURNING *")
            .bind(id.0)
            .bind(body)
            .bind(by)
            .bind(now.as_micros())
            .fetch_one(&self.write)
            .await?;
        Ok(watch(&row)?)
    }

    /// Removes a watch with its points. Its alarms stay, and end.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn remove_watch(&self, id: WatchId, now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        end_alarms(&mut transaction, ALARMS_OF_WATCH, id.0, now).await?;
        let done = sqlx::query("DELETE FROM watch WHERE id = ?").bind(id.0).execute(&mut *transaction).await?;
        transaction.commit().await?;
        found(done.rows_affected())
    }

    /// A watch of a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn watch(&self, site: SiteId, code: &str) -> Result<WatchRow, StoreError> {
        let row = sqlx::query("SELECT * FROM watch WHERE site_id = ? AND code = ?")
            .bind(site.0)
            .bind(code)
            .fetch_one(&self.read)
            .await?;
        Ok(watch(&row)?)
    }

    /// The watches of a site in order of code, after the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn watches(&self, site: SiteId, after: &str, limit: u32) -> Result<Vec<WatchRow>, StoreError> {
        let rows = sqlx::query("SELECT * FROM watch WHERE site_id = ? AND code > ? ORDER BY code LIMIT ?")
            .bind(site.0)
            .bind(after)
            .bind(limit)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(watch).collect::<Result<_, _>>()?)
    }

    /// How many watches a site has.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn count_watches(&self, site: SiteId) -> Result<u64, StoreError> {
        let count: i64 = sqlx::query_scalar("SELECT count(*) FROM watch WHERE site_id = ?")
            .bind(site.0)
            .fetch_one(&self.read)
            .await?;
        Ok(count.unsigned_abs())
    }

    /// What is remembered of a watch, by point.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn watch_points(&self, watch: WatchId) -> Result<Vec<PointRow>, StoreError> {
        let rows = sqlx::query("SELECT * FROM watch_point WHERE watch_id = ? ORDER BY id")
            .bind(watch.0)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(point).collect::<Result<_, _>>()?)
    }

    /// The same of all watches of a site.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn watch_points_of_site(&self, site: SiteId) -> Result<Vec<PointRow>, StoreError> {
        let rows = sqlx::query(
            "SELECT p.* FROM watch_point AS p JOIN watch AS w ON w.id = p.watch_id WHERE w.site_id = ? ORDER BY p.id",
        )
        .bind(site.0)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(point).collect::<Result<_, _>>()?)
    }

    /// Makes the points of a watch that are missing, and gives all of those.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_points(
        &self,
        watch: WatchId,
        on: &[(Option<DeviceId>, Option<SignalId>)],
        state: &str,
        memory: &str,
    ) -> Result<Vec<PointRow>, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let mut points = Vec::with_capacity(on.len());
        for (device, signal) in on {
            let row = sqlx::query(
                "INSERT INTO watch_point (watch_id, device_id, signal_id, state, memory) VALUES (?, ?, ?, ?, ?)
                 ON CONFLICT DO UPDATE SET watch_id = watch_id RETURNING *",
            )
            .bind(watch.0)
            .bind(device.map(|device| device.0))
            .bind(signal.map(|signal| signal.0))
            .bind(state)
            .bind(memory)
            .fetch_one(&mut *transaction)
            .await?;
            points.push(point(&row)?);
        }
        transaction.commit().await?;
        Ok(points)
    }

    /// Removes points: the watch is no longer on them. Their alarms stay, and end.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn remove_points(&self, points: &[PointId], now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for point in points {
            end_alarms(&mut transaction, ALARM_OF_POINT, point.0, now).await?;
            sqlx::query("DELETE FROM watch_point WHERE id = ?").bind(point.0).execute(&mut *transaction).await?;
        }
        Ok(transaction.commit().await?)
    }
}

const ALARMS_OF_WATCH: &str = "SELECT alarm_id FROM watch_point WHERE watch_id = ? AND alarm_id IS NOT NULL";
const ALARM_OF_POINT: &str = "SELECT alarm_id FROM watch_point WHERE id = ? AND alarm_id IS NOT NULL";

/// Ends the alarms that go on at points, because nobody watches there any more.
async fn end_alarms(
    connection: &mut sqlx::SqliteConnection,
    which: &'static str,
    id: i64,
    now: Moment,
) -> Result<(), StoreError> {
    let alarms: Vec<i64> = sqlx::query_scalar(which).bind(id).fetch_all(&mut *connection).await?;
    for alarm in alarms {
        sqlx::query(
            "UPDATE alarm SET cleared_at = coalesce(cleared_at, ?2), acknowledged_at = coalesce(acknowledged_at, ?2)
             WHERE id = ?1",
        )
        .bind(alarm)
        .bind(now.as_micros())
        .execute(&mut *connection)
        .await?;
        sqlx::query("INSERT INTO alarm_step (alarm_id, at, step) VALUES (?, ?, 'unwatched')")
            .bind(alarm)
            .bind(now.as_micros())
            .execute(&mut *connection)
            .await?;
    }
    Ok(())
}
