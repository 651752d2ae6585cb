//! Signals, declared ones and arrivals.

use crate::types::{id_list, moment, optional_word};
use crate::{Store, StoreError};
use lantern_core::{DeviceId, Moment, SignalId, SignalRole, SiteId, ValueType};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;
use std::collections::HashMap;

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
    /// What its values can be: the lowest.
    pub low: Option<f64>,
    /// What its values can be: the highest.
    pub high: Option<f64>,
    /// How often it is expected, in seconds, if not as often as its device reports.
    pub interval_s: Option<f64>,
    /// Only its device may send it; people may not enter it by hand.
    pub is_reserved: bool,
    /// What it tells of the link of its device.
    pub role: Option<SignalRole>,
    /// What its values mean, as a document; `None`: they are as they are sent.
    pub meaning: Option<String>,
    /// Since when it is ignored; only an arrival can be.
    pub ignored_at: Option<Moment>,
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
    /// See [`Signal::low`].
    pub low: Option<f64>,
    /// See [`Signal::high`].
    pub high: Option<f64>,
    /// See [`Signal::interval_s`].
    pub interval_s: Option<f64>,
    /// See [`Signal::is_reserved`].
    pub is_reserved: bool,
    /// See [`Signal::role`].
    pub role: Option<SignalRole>,
}

impl<'a> NewSignal<'a> {
    /// A number, called by its code, with a unit or without.
    #[must_use]
    pub const fn number(code: &'a str, unit: Option<&'a str>) -> Self {
        Self {
            code,
            name: code,
            note: "",
            value_type: ValueType::Number,
            unit,
            low: None,
            high: None,
            interval_s: None,
            is_reserved: false,
            role: None,
        }
    }
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
    /// See [`Signal::low`]; `Some(None)` takes it away.
    pub low: Option<Option<f64>>,
    /// See [`Signal::high`]; `Some(None)` takes it away.
    pub high: Option<Option<f64>>,
    /// See [`Signal::interval_s`]; `Some(None)` takes it away.
    pub interval_s: Option<Option<f64>>,
    /// See [`Signal::is_reserved`].
    pub is_reserved: Option<bool>,
    /// See [`Signal::role`]; `Some(None)` takes it away.
    pub role: Option<Option<SignalRole>>,
}

pub(crate) fn signal(row: &SqliteRow) -> Result<Signal, sqlx::Error> {
    Ok(Signal {
        id: SignalId(row.try_get("id")?),
        device: DeviceId(row.try_get("device_id")?),
        code: row.try_get("code")?,
        name: row.try_get("name")?,
        note: row.try_get("note")?,
        value_type: optional_word(row, "value_type")?,
        unit: row.try_get("unit")?,
        low: row.try_get("low")?,
        high: row.try_get("high")?,
        interval_s: row.try_get("interval_s")?,
        is_reserved: row.try_get("is_reserved")?,
        role: optional_word(row, "role")?,
        meaning: row.try_get("meaning")?,
        ignored_at: row.try_get::<Option<i64>, _>("ignored_at")?.map(moment),
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
            "INSERT INTO signal
                 (device_id, code, name, note, value_type, unit, low, high, is_reserved, role, interval_s, created_at)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
             ON CONFLICT (device_id, code) WHERE removed_at IS NULL DO UPDATE
                 SET name = excluded.name, note = excluded.note, value_type = excluded.value_type,
                     unit = excluded.unit, low = excluded.low, high = excluded.high,
                     is_reserved = excluded.is_reserved, role = excluded.role,
                     interval_s = excluded.interval_s, ignored_at = NULL
                 WHERE signal.value_type IS NULL
             RETURNING *",
        )
        .bind(device.0)
        .bind(new.code)
        .bind(new.name)
        .bind(new.note)
        .bind(new.value_type.as_str())
        .bind(new.unit)
        .bind(new.low)
        .bind(new.high)
        .bind(new.is_reserved)
        .bind(new.role.map(SignalRole::as_str))
        .bind(new.interval_s)
        .bind(now.as_micros())
        .fetch_optional(&self.write)
        .await?;
        row.map_or(Err(StoreError::Taken), |row| Ok(signal(&row)?))
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

    /// All signals of devices, as for one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn signals_of(&self, devices: &[DeviceId]) -> Result<HashMap<DeviceId, Vec<Signal>>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM signal WHERE device_id IN (SELECT value FROM json_each(?)) AND removed_at IS NULL
             ORDER BY id",
        )
        .bind(id_list(devices.iter().map(|device| device.0)))
        .fetch_all(&self.read)
        .await?;
        let mut signals: HashMap<DeviceId, Vec<Signal>> = HashMap::new();
        for row in &rows {
            let signal = signal(row)?;
            signals.entry(signal.device).or_default().push(signal);
        }
        Ok(signals)
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

    /// A declared signal by the codes of its device and its own.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such device or signal.
    pub async fn signal_named(&self, site: SiteId, device: &str, code: &str) -> Result<Signal, StoreError> {
        let row = sqlx::query(
            "SELECT signal.* FROM signal JOIN device ON device.id = signal.device_id
             WHERE device.site_id = ? AND device.code = ? AND device.removed_at IS NULL
                 AND signal.code = ? AND signal.value_type IS NOT NULL AND signal.removed_at IS NULL",
        )
        .bind(site.0)
        .bind(device)
        .bind(code)
        .fetch_one(&self.read)
        .await?;
        Ok(signal(&row)?)
    }

    /// A signal by its id, arrivals too.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn signal_by_id(&self, id: SignalId) -> Result<Signal, StoreError> {
        let row = sqlx::query("SELECT * FROM signal WHERE id = ? AND removed_at IS NULL")
            .bind(id.0)
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
                 value_type = coalesce(?4, value_type), unit = iif(?5, ?6, unit),
                 low = iif(?7, ?8, low), high = iif(?9, ?10, high), is_reserved = coalesce(?11, is_reserved),
                 role = iif(?12, ?13, role), interval_s = iif(?14, ?15, interval_s)
             WHERE id = ?1 AND removed_at IS NULL RETURNING *",
        )
        .bind(id.0)
        .bind(change.name)
        .bind(change.note)
        .bind(change.value_type.map(ValueType::as_str))
        .bind(change.unit.is_some())
        .bind(change.unit.flatten())
        .bind(change.low.is_some())
        .bind(change.low.flatten())
        .bind(change.high.is_some())
        .bind(change.high.flatten())
        .bind(change.is_reserved)
        .bind(change.role.is_some())
        .bind(change.role.flatten().map(SignalRole::as_str))
        .bind(change.interval_s.is_some())
        .bind(change.interval_s.flatten())
        .fetch_one(&self.write)
        .await?;
        Ok(signal(&row)?)
    }
}
