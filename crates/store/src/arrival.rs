//! Arrivals: names and devices that nobody has declared.

use crate::signal::{Signal, signal};
use crate::types::found;
use crate::{NewSignal, Store, StoreError};
use lantern_core::fix::FixPart;
use lantern_core::series::Point;
use lantern_core::{DeviceId, Moment, Reading, SignalId, SiteId};
use sqlx::Row;
use std::sync::Arc;

/// A name that waits: its first value's unit is a guess.
#[derive(Debug, Clone, Copy)]
pub struct NewArrival<'a> {
    /// The sender's name.
    pub name: &'a str,
    /// The unit the sender named.
    pub unit: Option<&'a str>,
}

impl Store {
    /// Lets names wait as arrivals, and gives back their ids; a name that the
    /// device has already keeps its own.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_arrivals(
        &self,
        device: DeviceId,
        names: &[NewArrival<'_>],
        now: Moment,
    ) -> Result<Vec<Signal>, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let mut signals = Vec::with_capacity(names.len());
        for NewArrival { name, unit } in names {
            sqlx::query(
                "INSERT INTO signal (device_id, code, name, note, unit, created_at) VALUES (?1, ?2, ?2, '', ?3, ?4)
                 ON CONFLICT (device_id, code) WHERE removed_at IS NULL DO NOTHING",
            )
            .bind(device.0)
            .bind(*name)
            .bind(*unit)
            .bind(now.as_micros())
            .execute(&mut *transaction)
            .await?;
            let row = sqlx::query("SELECT * FROM signal WHERE device_id = ? AND code = ? AND removed_at IS NULL")
                .bind(device.0)
                .bind(*name)
                .fetch_one(&mut *transaction)
                .await?;
            signals.push(signal(&row)?);
        }
        transaction.commit().await?;
        Ok(signals)
    }

    /// Arrivals of a site with the codes of their devices, in order of id after
    /// the given one; either those that wait or those that are ignored.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn arrivals(
        &self,
        site: SiteId,
        ignored: bool,
        after: SignalId,
        limit: u32,
    ) -> Result<Vec<(String, Signal)>, StoreError> {
        let rows = sqlx::query(
            "SELECT device.code AS device_code, signal.*
             FROM arrival JOIN signal ON signal.id = arrival.signal_id
             JOIN device ON device.id = arrival.device_id
             WHERE device.site_id = ? AND device.removed_at IS NULL AND (arrival.ignored_at IS NOT NULL) = ?
                 AND signal.id > ?
             ORDER BY signal.id LIMIT ?",
        )
        .bind(site.0)
        .bind(ignored)
        .bind(after.0)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows
            .iter()
            .map(|row| Ok((row.try_get("device_code")?, signal(row)?)))
            .collect::<Result<_, sqlx::Error>>()?)
    }

    /// How much of a site waits: names on declared devices, and devices.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn count_arrivals(&self, site: SiteId) -> Result<u32, StoreError> {
        Ok(sqlx::query_scalar(
            "SELECT (SELECT count(*) FROM arrival JOIN device ON device.id = arrival.device_id
                     WHERE device.site_id = ?1 AND device.removed_at IS NULL AND device.state <> 'waiting'
                         AND arrival.ignored_at IS NULL)
                  + (SELECT count(*) FROM device
                     WHERE site_id = ?1 AND removed_at IS NULL AND state = 'waiting')",
        )
        .bind(site.0)
        .fetch_one(&self.read)
        .await?)
    }

    /// The arrival of a name, waiting or ignored.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn arrival(&self, device: DeviceId, name: &str) -> Result<Signal, StoreError> {
        let row = sqlx::query(
            "SELECT * FROM signal WHERE device_id = ? AND code = ? AND value_type IS NULL AND removed_at IS NULL",
        )
        .bind(device.0)
        .bind(name)
        .fetch_one(&self.read)
        .await?;
        Ok(signal(&row)?)
    }

    /// Lets an arrival be ignored from now on, or wait again.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn ignore_arrival(&self, id: SignalId, since: Option<Moment>) -> Result<(), StoreError> {
        let done = sqlx::query("UPDATE signal SET ignored_at = ? WHERE id = ? AND value_type IS NULL")
            .bind(since.map(Moment::as_micros))
            .bind(id.0)
            .execute(&self.write)
            .await?;
        found(done.rows_affected())
    }

    /// Makes an arrival a signal of its own, readings and all. If the signal gets
    /// another code than the name, the name means it from now on.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if the device has a signal of that code.
    pub async fn claim_as_new(&self, arrival: &Signal, new: NewSignal<'_>) -> Result<Signal, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let row = sqlx::query(
            "UPDATE signal SET code = ?2, name = ?3, note = ?4, value_type = ?5, unit = ?6, low = ?7, high = ?8,
                 is_reserved = ?9, role = ?10, interval_s = ?11, ignored_at = NULL
             WHERE id = ?1 AND value_type IS NULL AND removed_at IS NULL RETURNING *",
        )
        .bind(arrival.id.0)
        .bind(new.code)
        .bind(new.name)
        .bind(new.note)
        .bind(new.value_type.as_str())
        .bind(new.unit)
        .bind(new.low)
        .bind(new.high)
        .bind(new.is_reserved)
        .bind(new.role.map(lantern_core::SignalRole::as_str))
        .bind(new.interval_s)
        .fetch_one(&mut *transaction)
        .await?;
        if new.code != arrival.code {
            add_name(&mut transaction, arrival.device, &arrival.code, arrival.id).await?;
        }
        let claimed = signal(&row)?;
        transaction.commit().await?;
        Ok(claimed)
    }

    /// Moves an arrival's readings to a declared signal, whose name it becomes,
    /// and says how many came over. `convert` gives each value the signal's type
    /// and unit, or `None` where that is not possible: those stay behind, and so does the
    /// arrival, ignored.
    ///
    /// # Errors
    /// [`StoreError::Database`] and [`StoreError::Recorder`]. Readings that were
    /// moved before it are moved again without harm when it is tried again.
    pub async fn claim_into(
        &self,
        arrival: &Signal,
        target: &Signal,
        convert: impl Fn(Point) -> Option<Point>,
        now: Moment,
    ) -> Result<Moved, StoreError> {
        if arrival.code != target.code {
            let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
            add_name(&mut transaction, arrival.device, &arrival.code, target.id).await?;
            transaction.commit().await?;
        }
        let mut moved = Moved::default();
        let mut scan = self.scan(arrival.id, Moment::MIN, Moment::MAX);
        while let Some(readings) = scan.next().await? {
            let over = readings.points().filter_map(|point| Some(Reading::of(target.id, convert(point)?)));
            let over: Vec<Reading> = over.collect();
            moved.left += (readings.len() - over.len()) as u64;
            moved.moved += over.len() as u64;
            // Through the recorder, so that what the signal has already is seen.
            self.record(Arc::new(over), now).await?;
        }
        if moved.left == 0 {
            self.remove_signal(arrival.id, now).await?;
        } else {
            self.ignore_arrival(arrival.id, Some(now)).await?;
        }
        Ok(moved)
    }

    /// Other names that senders use for a device's signals.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn signal_names(&self, device: DeviceId) -> Result<Vec<OtherName>, StoreError> {
        let rows = sqlx::query(
            "SELECT n.name, n.signal_id, n.part FROM signal_name AS n JOIN signal ON signal.id = n.signal_id
             WHERE n.device_id = ? AND signal.removed_at IS NULL ORDER BY n.name",
        )
        .bind(device.0)
        .fetch_all(&self.read)
        .await?;
        let name = |row: &sqlx::sqlite::SqliteRow| {
            let part: Option<String> = row.try_get("part")?;
            Ok(OtherName {
                name: row.try_get("name")?,
                signal: SignalId(row.try_get("signal_id")?),
                part: part.and_then(|word| word.parse().ok()),
            })
        };
        Ok(rows.iter().map(name).collect::<Result<_, sqlx::Error>>()?)
    }
}

/// Another name that senders use.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OtherName {
    /// The name.
    pub name: String,
    /// The signal it means.
    pub signal: SignalId,
    /// Which number of a position it is, if it is not the whole value.
    pub part: Option<FixPart>,
}

/// What became of an arrival's readings.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Moved {
    /// Readings that are the signal's now.
    pub moved: u64,
    /// Readings that could not be of the signal's type.
    pub left: u64,
}

async fn add_name(
    connection: &mut sqlx::SqliteConnection,
    device: DeviceId,
    name: &str,
    signal: SignalId,
) -> Result<(), StoreError> {
    sqlx::query(
        "INSERT INTO signal_name (device_id, name, signal_id) VALUES (?, ?, ?)
         ON CONFLICT DO UPDATE SET signal_id = excluded.signal_id",
    )
    .bind(device.0)
    .bind(name)
    .bind(signal.0)
    .execute(connection)
    .await?;
    Ok(())
}
