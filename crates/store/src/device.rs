//! Devices.

use crate::types::{self, moment, word};
use crate::{KindId, Store, StoreError};
use lantern_core::presence::Patience;
use lantern_core::{DeviceId, DeviceState, Moment, Position, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// One thing in the field.
#[derive(Debug, Clone, PartialEq)]
pub struct Device {
    /// Row id.
    pub id: DeviceId,
    /// The site it belongs to.
    pub site: SiteId,
    /// Its code, unique in the site.
    pub code: String,
    /// Its name for people.
    pub name: String,
    /// Free text.
    pub note: String,
    /// Where it stands, in words; empty if nobody said.
    pub place: String,
    /// How often it is expected to report, in seconds.
    pub interval_s: f64,
    /// Where it stands, if it is fixed.
    pub position: Option<Position>,
    /// When it last delivered something.
    pub last_heard_at: Option<Moment>,
    /// When it was made.
    pub created_at: Moment,
    /// How far it is.
    pub state: DeviceState,
    /// Since when it is in trial.
    pub trial_since: Option<Moment>,
    /// The kind it was made from, and the revision it follows.
    pub kind: Option<(KindId, u32)>,
    /// Its decoder, a JSON document.
    pub decoder: Option<String>,
    /// Late after so many intervals, if not as usual.
    pub late_after: Option<f64>,
    /// Silent after so many intervals, if not as usual.
    pub silent_after: Option<f64>,
    /// The device that carries its messages.
    pub carrier: Option<DeviceId>,
    /// What its sender calls it, if it has no key of its own.
    pub identity: Option<String>,
    /// Whether the contact log keeps the beginning of its payloads.
    pub keeps_payload: bool,
    /// When its soak test began, and how many seconds it is to last.
    pub soak: Option<(Moment, f64)>,
    /// Topics of its own, a JSON list of patterns.
    pub topics: Option<String>,
    /// Commands it understands, a JSON list.
    pub commands: Option<String>,
    /// Until when it admits devices it has not carried before, and of which kind
    /// they are then.
    pub joining: Option<(Moment, Option<KindId>)>,
}

impl Device {
    /// How long it may keep silent.
    #[must_use]
    pub fn patience(&self) -> Patience {
        Patience {
            interval_s: self.interval_s,
            late_after: self.late_after.unwrap_or(Patience::LATE_AFTER),
            silent_after: self.silent_after.unwrap_or(Patience::SILENT_AFTER),
        }
    }
}

/// What a new device is made from.
#[derive(Debug, Clone, Default)]
pub struct NewDevice<'a> {
    /// See [`Device::code`].
    pub code: &'a str,
    /// See [`Device::name`].
    pub name: &'a str,
    /// See [`Device::note`].
    pub note: &'a str,
    /// See [`Device::place`].
    pub place: &'a str,
    /// See [`Device::interval_s`].
    pub interval_s: f64,
    /// See [`Device::position`].
    pub position: Option<Position>,
    /// See [`Device::state`].
    pub state: DeviceState,
    /// See [`Device::kind`].
    pub kind: Option<(KindId, u32)>,
    /// See [`Device::decoder`].
    pub decoder: Option<&'a str>,
    /// See [`Device::late_after`].
    pub late_after: Option<f64>,
    /// See [`Device::silent_after`].
    pub silent_after: Option<f64>,
    /// See [`Device::carrier`].
    pub carrier: Option<DeviceId>,
    /// See [`Device::identity`].
    pub identity: Option<&'a str>,
    /// See [`Device::topics`].
    pub topics: Option<&'a str>,
    /// See [`Device::commands`].
    pub commands: Option<&'a str>,
}

/// What to change of a device; `None` leaves it as it is.
#[derive(Debug, Clone, Default)]
pub struct DeviceChange {
    /// See [`Device::name`].
    pub name: Option<String>,
    /// See [`Device::note`].
    pub note: Option<String>,
    /// See [`Device::place`].
    pub place: Option<String>,
    /// See [`Device::interval_s`].
    pub interval_s: Option<f64>,
    /// See [`Device::position`]; `Some(None)` takes it away.
    pub position: Option<Option<Position>>,
    /// See [`Device::code`].
    pub code: Option<String>,
    /// See [`Device::kind`]; `Some(None)` takes it away.
    pub kind: Option<Option<(KindId, u32)>>,
    /// See [`Device::decoder`]; `Some(None)` takes it away.
    pub decoder: Option<Option<String>>,
    /// See [`Device::late_after`]; `Some(None)` makes it as usual.
    pub late_after: Option<Option<f64>>,
    /// See [`Device::silent_after`]; `Some(None)` makes it as usual.
    pub silent_after: Option<Option<f64>>,
    /// See [`Device::carrier`]; `Some(None)` takes it away.
    pub carrier: Option<Option<DeviceId>>,
    /// See [`Device::identity`]; `Some(None)` takes it away.
    pub identity: Option<Option<String>>,
    /// See [`Device::keeps_payload`].
    pub keeps_payload: Option<bool>,
    /// See [`Device::topics`]; `Some(None)` takes them away.
    pub topics: Option<Option<String>>,
    /// See [`Device::commands`]; `Some(None)` takes them away.
    pub commands: Option<Option<String>>,
    /// See [`Device::joining`]; `Some(None)` ends it.
    pub joining: Option<Option<(Moment, Option<KindId>)>>,
}

pub(crate) fn device(row: &SqliteRow) -> Result<Device, sqlx::Error> {
    Ok(Device {
        id: DeviceId(row.try_get("id")?),
        site: SiteId(row.try_get("site_id")?),
        code: row.try_get("code")?,
        name: row.try_get("name")?,
        note: row.try_get("note")?,
        place: row.try_get("place")?,
        interval_s: row.try_get("interval_s")?,
        position: types::position(row.try_get("latitude")?, row.try_get("longitude")?, row.try_get("altitude_m")?),
        last_heard_at: row.try_get::<Option<i64>, _>("last_heard_at")?.map(moment),
        created_at: moment(row.try_get("created_at")?),
        state: word(row, "state")?,
        trial_since: row.try_get::<Option<i64>, _>("trial_since")?.map(moment),
        kind: row.try_get::<Option<i64>, _>("kind_id")?.map(KindId).zip(row.try_get("kind_revision")?),
        decoder: row.try_get("decoder")?,
        late_after: row.try_get("late_after")?,
        silent_after: row.try_get("silent_after")?,
        carrier: row.try_get::<Option<i64>, _>("carrier_id")?.map(DeviceId),
        identity: row.try_get("identity")?,
        keeps_payload: row.try_get("keeps_payload")?,
        soak: row.try_get::<Option<i64>, _>("soak_from")?.map(moment).zip(row.try_get("soak_s")?),
        topics: row.try_get("topics")?,
        commands: row.try_get("commands")?,
        joining: match row.try_get::<Option<i64>, _>("joining_until")? {
            Some(until) => Some((moment(until), row.try_get::<Option<i64>, _>("joining_kind_id")?.map(KindId))),
            None => None,
        },
    })
}

impl Store {
    /// Makes a device.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if the site has one of that code.
    pub async fn add_device(&self, site: SiteId, new: NewDevice<'_>, now: Moment) -> Result<Device, StoreError> {
        let (latitude, longitude, altitude_m) = types::position_columns(new.position);
        let row = sqlx::query(
            "INSERT INTO device (site_id, code, name, note, interval_s, latitude, longitude, altitude_m, created_at,
                 state, trial_since, kind_id, kind_revision, decoder, late_after, silent_after, carrier_id, identity,
                 topics, commands, place)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, iif(?10 = 'trial', ?9, NULL), ?11, ?12, ?13, ?14, ?15,
                 ?16, ?17, ?18, ?19, ?20)
             RETURNING *",
        )
        .bind(site.0)
        .bind(new.code)
        .bind(new.name)
        .bind(new.note)
        .bind(new.interval_s)
        .bind(latitude)
        .bind(longitude)
        .bind(altitude_m)
        .bind(now.as_micros())
        .bind(new.state.as_str())
        .bind(new.kind.map(|(kind, _)| kind.0))
        .bind(new.kind.map(|(_, revision)| revision))
        .bind(new.decoder)
        .bind(new.late_after)
        .bind(new.silent_after)
        .bind(new.carrier.map(|carrier| carrier.0))
        .bind(new.identity)
        .bind(new.topics)
        .bind(new.commands)
        .bind(new.place)
        .fetch_one(&self.write)
        .await?;
        Ok(device(&row)?)
    }

    /// Changes a device.
    ///
    /// # Errors
    /// [`StoreError::NotFound`]; [`StoreError::Taken`] if the site has another one
    /// of the new code or identity.
    pub async fn change_device(&self, id: DeviceId, change: DeviceChange) -> Result<Device, StoreError> {
        let (latitude, longitude, altitude_m) = types::position_columns(change.position.flatten());
        let kind = change.kind.flatten();
        let joining = change.joining.flatten();
        let row = sqlx::query(
            "UPDATE device SET name = coalesce(?2, name), note = coalesce(?3, note),
                 interval_s = coalesce(?4, interval_s),
                 latitude = iif(?5, ?6, latitude), longitude = iif(?5, ?7, longitude),
                 altitude_m = iif(?5, ?8, altitude_m), code = coalesce(?9, code),
                 kind_id = iif(?10, ?11, kind_id), kind_revision = iif(?10, ?12, kind_revision),
                 decoder = iif(?13, ?14, decoder), late_after = iif(?15, ?16, late_after),
                 silent_after = iif(?17, ?18, silent_after), carrier_id = iif(?19, ?20, carrier_id),
                 identity = iif(?21, ?22, identity), keeps_payload = coalesce(?23, keeps_payload),
                 topics = iif(?24, ?25, topics), commands = iif(?26, ?27, commands),
                 joining_until = iif(?28, ?29, joining_until), joining_kind_id = iif(?28, ?30, joining_kind_id),
                 place = coalesce(?31, place)
             WHERE id = ?1 AND removed_at IS NULL RETURNING *",
        )
        .bind(id.0)
        .bind(change.name)
        .bind(change.note)
        .bind(change.interval_s)
        .bind(change.position.is_some())
        .bind(latitude)
        .bind(longitude)
        .bind(altitude_m)
        .bind(change.code)
        .bind(change.kind.is_some())
        .bind(kind.map(|(kind, _)| kind.0))
        .bind(kind.map(|(_, revision)| revision))
        .bind(change.decoder.is_some())
        .bind(change.decoder.flatten())
        .bind(change.late_after.is_some())
        .bind(change.late_after.flatten())
        .bind(change.silent_after.is_some())
        .bind(change.silent_after.flatten())
        .bind(change.carrier.is_some())
        .bind(change.carrier.flatten().map(|carrier| carrier.0))
        .bind(change.identity.is_some())
        .bind(change.identity.flatten())
        .bind(change.keeps_payload)
        .bind(change.topics.is_some())
        .bind(change.topics.flatten())
        .bind(change.commands.is_some())
        .bind(change.commands.flatten())
        .bind(change.joining.is_some())
        .bind(joining.map(|(until, _)| until.as_micros()))
        .bind(joining.and_then(|(_, kind)| kind).map(|kind| kind.0))
        .bind(change.place)
        .fetch_one(&self.write)
        .await?;
        Ok(device(&row)?)
    }

    /// Notes when devices were last heard; later times already noted stay.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn note_heard(&self, heard: &[(DeviceId, Moment)]) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for (id, at) in heard {
            sqlx::query("UPDATE device SET last_heard_at = ?2 WHERE id = ?1")
                .bind(id.0)
                .bind(at.as_micros())
                .execute(&mut *transaction)
                .await?;
        }
        Ok(transaction.commit().await?)
    }
}
