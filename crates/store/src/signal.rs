//! Signals, declared ones and arrivals.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::{DeviceId, Moment, SignalId, SiteId, ValueType};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// One quantity of a device over time.
#[derive(Debug, Clone, PartialEq)]
pub struct Signal {
    /// Row id, and the id of its readings.
    pub id: SignalId,
    /// The device it belongs to.
    pub device: DeviceId,
    /// Its code, which is also the name senders use.
    pub code: String,
    /// Its name for people.
    pub name: String,
    /// Free text.
    pub note: String,
    /// `None` for an arrival, which nobody has declared.
    pub value_type: Option<ValueType>,
    /// UCUM code; `None` for flags, texts and numbers that just count.
    pub unit: Option<String>,
    /// When it was declared, or first arrived.
    pub created_at: Moment,
}

/// What a signal is declared as.
#[derive(Debug, Clone)]
pub struct NewSignal<'a> {
    /// See [`Signal::code`].
    pub code: &'a str,
    /// See [`Signal::name`].
    pub name: &'a str,
    /// See [`Signal::note`].
    pub note: &'a str,
    /// See [`Signal::value_type`].
    pub value_type: ValueType,
    /// See [`Signal::unit`].
    pub unit: Option<&'a str>,
}

/// What to change of a signal; `None` leaves it as it is.
#[derive(Debug, Clone, Default)]
pub struct SignalChange {
    /// See [`Signal::name`].
    pub name: Option<String>,
    /// See [`Signal::note`].
    pub note: Option<String>,
    /// See [`Signal::value_type`].
    pub value_type: Option<ValueType>,
    /// See [`Signal::unit`]; `Some(None)` takes it away.
    pub unit: Option<Option<String>>,
}

fn signal(row: &SqliteRow) -> Result<Signal, sqlx::Error> {
    Ok(Signal {
        id: SignalId(row.try_get("id")?),
        device: DeviceId(row.try_get("device_id")?),
        code: row.try_get("code")?,
        name: row.try_get("name")?,
        note: row.try_get("note")?,
        value_type: row.try_get::<Option<String>, _>("value_type")?.and_then(|word| word.parse().ok()),
        unit: row.try_get("unit")?,
        created_at: moment(row.try_get("created_at")?),
    })
}

impl Store {
    /// Declares a signal. An arrival of that code becomes it, readings and all.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if the device has a declared signal of that code.
    pub async fn add_signal(&self, device: DeviceId, new: NewSignal<'_>, now: Moment) -> Result<Signal, StoreError> {
        let row = sqlx::query(
            "INSERT INTO signal (device_id, code, name, note, value_type, unit, created_at) VALUES (?, ?, ?, ?, ?, ?, ?)
             ON CONFLICT (device_id, code) WHERE removed_at IS NULL DO UPDATE
                 SET name = excluded.name, note = excluded.note, value_type = excluded.value_type,
                     unit = excluded.unit
                 WHERE signal.value_type IS NULL
             RETURNING *",
        )
        .bind(device.0)
        .bind(new.code)
        .bind(new.name)
        .bind(new.note)
        .bind(new.value_type.as_str())
        .bind(new.unit)
        .bind(now.as_micros())
        .fetch_optional(&self.write)
        .await?;
        row.map_or(Err(StoreError::Taken), |row| Ok(signal(&row)?))
    }

    /// Lets names wait as arrivals, and gives back their ids; a name that the
    /// device has already keeps its own.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_arrivals(&self, device: DeviceId, names: &[&str], now: Moment) -> Result<Vec<Signal>, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let mut signals = Vec::with_capacity(names.len());
        for name in names {
            sqlx::query(
                "INSERT INTO signal (device_id, code, name, note, created_at) VALUES (?1, ?2, ?2, '', ?3)
                 ON CONFLICT (device_id, code) WHERE removed_at IS NULL DO NOTHING",
            )
            .bind(device.0)
            .bind(*name)
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

    /// All signals of a device in order of id, arrivals among them. Their number
    /// is bounded where they are made.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn signals(&self, device: DeviceId) -> Result<Vec<Signal>, StoreError> {
        let rows = sqlx::query("SELECT * FROM signal WHERE device_id = ? AND removed_at IS NULL ORDER BY id")
            .bind(device.0)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(signal).collect::<Result<_, _>>()?)
    }

    /// The declared signal of a code.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn signal(&self, device: DeviceId, code: &str) -> Result<Signal, StoreError> {
        let row = sqlx::query(
            "SELECT * FROM signal
             WHERE device_id = ? AND code = ? AND value_type IS NOT NULL AND removed_at IS NULL",
        )
        .bind(device.0)
        .bind(code)
        .fetch_one(&self.read)
        .await?;
        Ok(signal(&row)?)
    }

    /// Changes a declared signal.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn change_signal(&self, id: SignalId, change: SignalChange) -> Result<Signal, StoreError> {
        let row = sqlx::query(
            "UPDATE signal SET name = coalesce(?2, name), note = coalesce(?3, note),
                 value_type = coalesce(?4, value_type), unit = iif(?5, ?6, unit)
             WHERE id = ?1 AND removed_at IS NULL RETURNING *",
        )
        .bind(id.0)
        .bind(change.name)
        .bind(change.note)
        .bind(change.value_type.map(ValueType::as_str))
        .bind(change.unit.is_some())
        .bind(change.unit.flatten())
        .fetch_one(&self.write)
        .await?;
        Ok(signal(&row)?)
    }

    /// Arrivals of a site with the codes of their devices, in order of id after
    /// the given one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn arrivals(
        &self,
        site: SiteId,
        after: SignalId,
        limit: u32,
    ) -> Result<Vec<(String, Signal)>, StoreError> {
        let rows = sqlx::query(
            "SELECT device.code AS device_code, signal.*
             FROM arrival JOIN signal ON signal.id = arrival.signal_id
             JOIN device ON device.id = arrival.device_id
             WHERE device.site_id = ? AND device.removed_at IS NULL AND signal.id > ?
             ORDER BY signal.id LIMIT ?",
        )
        .bind(site.0)
        .bind(after.0)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows
            .iter()
            .map(|row| Ok((row.try_get("device_code")?, signal(row)?)))
            .collect::<Result<_, sqlx::Error>>()?)
    }

    /// How many arrivals a site has.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn count_arrivals(&self, site: SiteId) -> Result<u32, StoreError> {
        Ok(sqlx::query_scalar(
            "SELECT count(*) FROM arrival JOIN device ON device.id = arrival.device_id
             WHERE device.site_id = ? AND device.removed_at IS NULL",
        )
        .bind(site.0)
        .fetch_one(&self.read)
        .await?)
    }
}
