//! Alarms and their steps.

use crate::roster;
use crate::types::moment;
use crate::watch::PointId;
use crate::{Store, StoreError};
use lantern_core::alarm::Severity;
use lantern_core::{Moment, SiteId};
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

/// An alarm.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AlarmRow {
    /// Its number.
    pub id: i64,
    /// The point it is of.
    pub point: PointId,
    /// The code of its watch.
    pub watch: String,
    /// What the watch was called then.
    pub name: String,
    /// How soon somebody has to act.
    pub severity: Severity,
    /// The code of the device.
    pub device: Option<String>,
    /// The code of the signal.
    pub signal: Option<String>,
    /// The unit of the signal.
    pub unit: Option<String>,
    /// The value it was raised with, in JSON.
    pub value: Option<String>,
    /// When its condition began to hold.
    pub raised_at: Moment,
    /// When the service knew.
    pub recorded_at: Moment,
    /// When its condition ended.
    pub cleared_at: Option<Moment>,
    /// Who acknowledged it, and when; nobody, if it ended with its watch.
    pub acknowledged: Option<(Option<String>, Moment)>,
    /// Whether nobody was called.
    pub is_silent: bool,
    /// Whether it was found in the history.
    pub is_found: bool,
    /// The alarm that is its cause.
    pub cause: Option<i64>,
    /// Until when its point is shelved.
    pub shelved_until: Option<Moment>,
    /// The state of its point, in JSON, if it is the point's last one.
    pub state: Option<String>,
}

/// One step of an alarm.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AlarmStep {
    /// When.
    pub at: Moment,
    /// What happened.
    pub step: String,
    /// Who did it.
    pub who: Option<String>,
    /// What they said.
    pub note: String,
}

/// A new alarm.
#[derive(Debug, Clone)]
pub struct NewAlarm {
    /// The site it is of.
    pub site: SiteId,
    /// The code of its watch.
    pub watch: String,
    /// What the watch is called.
    pub name: String,
    /// How soon somebody has to act.
    pub severity: Severity,
    /// When its condition began to hold.
    pub raised_at: Moment,
    /// The value then, in JSON.
    pub value: Option<String>,
    /// Whether nobody is called.
    pub is_silent: bool,
    /// Whether it was found in the history, and when it ended there.
    pub found_until: Option<Moment>,
    /// The alarm that is its cause.
    pub cause: Option<i64>,
}

/// What changes of a point.
#[derive(Debug, Clone)]
pub struct PointChange {
    /// Which.
    pub point: PointId,
    /// Its state, in JSON.
    pub state: String,
    /// What its judge remembers, in JSON.
    pub memory: String,
    /// Until when it is shelved.
    pub shelved_until: Option<Moment>,
    /// What happened, in order.
    pub deeds: Vec<AlarmDeed>,
}

/// Something that happens to the alarms of a point.
#[derive(Debug, Clone)]
pub enum AlarmDeed {
    /// A condition holds.
    Raise(Box<NewAlarm>),
    /// The condition of the alarm that goes on has ended.
    Clear(Moment),
    /// Somebody has acknowledged the alarm.
    Acknowledge(String),
    /// The alarm that goes on is called out although it was raised silently.
    Uncover,
    /// Nobody is waited for any more.
    Suppress,
    /// A step to be told of the alarm that goes on, or was the last.
    Step {
        /// When.
        at: Moment,
        /// What happened.
        step: &'static str,
        /// Who did it.
        who: Option<String>,
        /// What they said.
        note: String,
    },
}

/// Which alarms are wanted.
#[derive(Debug, Clone, Default)]
pub struct AlarmFilter<'a> {
    /// Only those that go on or that nobody has acknowledged.
    pub is_open: bool,
    /// Only those of a severity or worse.
    pub least: Option<Severity>,
    /// Only those of a device.
    pub device: Option<&'a str>,
    /// Only those of a signal of the device.
    pub signal: Option<&'a str>,
    /// Only those of a watch.
    pub watch: Option<&'a str>,
    /// Only those that still held then, or were raised later.
    pub from: Option<Moment>,
    /// Only those raised before.
    pub to: Option<Moment>,
    /// Only those raised before this one.
    pub before: Option<(Moment, i64)>,
}

macro_rules! select {
    ($rest:literal) => {
        concat!(
            "SELECT a.*, d.code AS device, s.code AS signal, s.unit AS unit, p.shelved_until, p.state
             FROM alarm AS a LEFT JOIN device AS d ON d.id = a.device_id LEFT JOIN signal AS s ON s.id = a.signal_id
             LEFT JOIN watch_point AS p ON p.alarm_id = a.id
             WHERE a.site_id = ?1 AND d.removed_at IS NULL AND s.removed_at IS NULL AND ",
            $rest
        )
    };
}

const LIST: &str = select!(
    "a.severity >= ?2 AND (?3 IS NULL OR d.code = ?3) AND (?4 IS NULL OR s.code = ?4)
     AND (?5 IS NULL OR a.watch = ?5) AND (?6 IS NULL OR coalesce(a.cleared_at, ?6) >= ?6)
     AND (?7 IS NULL OR a.raised_at < ?7) AND (?8 IS NULL OR (a.raised_at, a.id) < (?8, ?9))
     AND (NOT ?11 OR a.cleared_at IS NULL OR a.acknowledged_at IS NULL)
     ORDER BY a.raised_at DESC, a.id DESC LIMIT ?10"
);
const ONE: &str = select!("a.id = ?2");

/// How bad an alarm is, as it is kept.
pub(crate) fn severity(kept: u8) -> Severity {
    Severity::ALL.get(usize::from(kept)).copied().unwrap_or_default()
}

pub(crate) fn alarm(row: &SqliteRow) -> Result<AlarmRow, sqlx::Error> {
    let time = |column| row.try_get::<Option<i64>, _>(column).map(|at| at.map(moment));
    let by: Option<String> = row.try_get("acknowledged_by")?;
    Ok(AlarmRow {
        id: row.try_get("id")?,
        point: PointId(row.try_get("point_id")?),
        watch: row.try_get("watch")?,
        name: row.try_get("name")?,
        severity: severity(row.try_get("severity")?),
        device: row.try_get("device")?,
        signal: row.try_get("signal")?,
        unit: row.try_get("unit")?,
        value: row.try_get("value")?,
        raised_at: moment(row.try_get("raised_at")?),
        recorded_at: moment(row.try_get("recorded_at")?),
        cleared_at: time("cleared_at")?,
        acknowledged: time("acknowledged_at")?.map(|at| (by, at)),
        is_silent: row.try_get("is_silent")?,
        is_found: row.try_get("is_found")?,
        cause: row.try_get("cause_id")?,
        shelved_until: time("shelved_until")?,
        state: row.try_get("state")?,
    })
}

impl Store {
    /// Writes what happened at points, all of it or nothing. Gives for each the alarm that goes on or that
    /// nobody has acknowledged. An alarm that is there already is not there twice.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn change_points(&self, changes: &[PointChange], now: Moment) -> Result<Vec<Option<i64>>, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let mut open = Vec::with_capacity(changes.len());
        for change in changes {
            open.push(change_point(&mut transaction, change, now).await?);
        }
        transaction.commit().await?;
        Ok(open)
    }

    /// Alarms of a site, the last raised first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn alarms(
        &self,
        site: SiteId,
        filter: &AlarmFilter<'_>,
        limit: u32,
    ) -> Result<Vec<AlarmRow>, StoreError> {
        let rows = sqlx::query(LIST)
            .bind(site.0)
            .bind(filter.least.unwrap_or(Severity::Low) as u8)
            .bind(filter.device)
            .bind(filter.signal)
            .bind(filter.watch)
            .bind(filter.from.map(Moment::as_micros))
            .bind(filter.to.map(Moment::as_micros))
            .bind(filter.before.map(|(at, _)| at.as_micros()))
            .bind(filter.before.map(|(_, id)| id))
            .bind(limit)
            .bind(filter.is_open)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(alarm).collect::<Result<_, _>>()?)
    }

    /// One alarm of a site, with its steps.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn alarm(&self, site: SiteId, id: i64) -> Result<(AlarmRow, Vec<AlarmStep>), StoreError> {
        let row = sqlx::query(ONE).bind(site.0).bind(id).fetch_one(&self.read).await?;
        let steps = sqlx::query("SELECT * FROM alarm_step WHERE alarm_id = ? ORDER BY id LIMIT 1000")
            .bind(id)
            .fetch_all(&self.read)
            .await?;
        let step = |row: &SqliteRow| {
            Ok(AlarmStep {
                at: moment(row.try_get("at")?),
                step: row.try_get("step")?,
                who: row.try_get("who")?,
                note: row.try_get("note")?,
            })
        };
        Ok((alarm(&row)?, steps.iter().map(step).collect::<Result<_, sqlx::Error>>()?))
    }

    /// When the alarms of a point were raised and cleared that stood at a time or were raised later.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn alarm_spans(&self, point: PointId, from: Moment) -> Result<Vec<(Moment, Option<Moment>)>, StoreError> {
        let rows: Vec<(i64, Option<i64>)> = sqlx::query_as(
            "SELECT raised_at, cleared_at FROM alarm WHERE point_id = ?1 AND coalesce(cleared_at, ?2) >= ?2
             ORDER BY raised_at LIMIT 10000",
        )
        .bind(point.0)
        .bind(from.as_micros())
        .fetch_all(&self.read)
        .await?;
        Ok(rows.into_iter().map(|(raised, cleared)| (moment(raised), cleared.map(moment))).collect())
    }

    /// How many alarms of a site wait for somebody, by severity from low to urgent.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn count_waiting_alarms(&self, site: SiteId) -> Result<[u64; 4], StoreError> {
        let rows: Vec<(i64, i64)> = sqlx::query_as(
            "SELECT severity, count(*) FROM alarm WHERE site_id = ? AND acknowledged_at IS NULL AND is_silent = 0
             GROUP BY severity",
        )
        .bind(site.0)
        .fetch_all(&self.read)
        .await?;
        let mut counts = [0; 4];
        for (severity, count) in rows {
            if let Some(place) = usize::try_from(severity).ok().and_then(|place| counts.get_mut(place)) {
                *place = count.unsigned_abs();
            }
        }
        Ok(counts)
    }
}

async fn change_point(
    connection: &mut SqliteConnection,
    change: &PointChange,
    now: Moment,
) -> Result<Option<i64>, StoreError> {
    let mut open: Option<i64> = sqlx::query_scalar("SELECT alarm_id FROM watch_point WHERE id = ?")
        .bind(change.point.0)
        .fetch_optional(&mut *connection)
        .await?
        .flatten();
    for deed in &change.deeds {
        open = do_deed(connection, change.point, deed, open, now).await?;
    }
    sqlx::query("UPDATE watch_point SET state = ?2, memory = ?3, shelved_until = ?4, alarm_id = ?5 WHERE id = ?1")
        .bind(change.point.0)
        .bind(&change.state)
        .bind(&change.memory)
        .bind(change.shelved_until.map(Moment::as_micros))
        .bind(open)
        .execute(connection)
        .await?;
    Ok(open)
}

/// Does one deed; gives the alarm that goes on or waits then.
async fn do_deed(
    connection: &mut SqliteConnection,
    point: PointId,
    deed: &AlarmDeed,
    open: Option<i64>,
    now: Moment,
) -> Result<Option<i64>, StoreError> {
    let step =
        async |connection: &mut SqliteConnection, alarm: i64, at: Moment, step: &str, who: Option<&str>, note: &str| {
            sqlx::query("INSERT INTO alarm_step (alarm_id, at, step, who, note) VALUES (?, ?, ?, ?, ?)")
                .bind(alarm)
                .bind(at.as_micros())
                .bind(step)
                .bind(who)
                .bind(note)
                .execute(connection)
                .await
                .map(drop)
        };
    match (deed, open) {
        (AlarmDeed::Raise(new), open) => {
            let made = add_alarm(connection, point, new, now).await?;
            // It is there already: what was written before is written again.
            let Some(made) = made else { return Ok(open) };
            if let (Some(open), None) = (open, new.found_until) {
                // It came back before anybody acknowledged the last one, which is that no longer.
                sqlx::query("UPDATE alarm SET acknowledged_at = coalesce(acknowledged_at, ?2) WHERE id = ?1")
                    .bind(open)
                    .bind(now.as_micros())
                    .execute(&mut *connection)
                    .await?;
                step(connection, open, now, "raised_again", None, "").await?;
            }
            let word = if new.found_until.is_some() { "found" } else { "raised" };
            step(connection, made, new.raised_at, word, None, "").await?;
            roster::call_for(connection, made, now).await?;
            return Ok(if new.found_until.is_some() { open } else { Some(made) });
        }
        (AlarmDeed::Clear(at), Some(alarm)) => {
            sqlx::query("UPDATE alarm SET cleared_at = coalesce(cleared_at, ?2) WHERE id = ?1")
                .bind(alarm)
                .bind(at.as_micros())
                .execute(&mut *connection)
                .await?;
            step(connection, alarm, *at, "cleared", None, "").await?;
        }
        (AlarmDeed::Acknowledge(who), Some(alarm)) => {
            sqlx::query("UPDATE alarm SET acknowledged_at = coalesce(acknowledged_at, ?2), acknowledged_by = coalesce(acknowledged_by, ?3) WHERE id = ?1")
                .bind(alarm)
                .bind(now.as_micros())
                .bind(who)
                .execute(&mut *connection)
                .await?;
        }
        (AlarmDeed::Uncover, Some(alarm)) => {
            sqlx::query("UPDATE alarm SET is_silent = 0, acknowledged_at = NULL, acknowledged_by = NULL WHERE id = ?1")
                .bind(alarm)
                .execute(&mut *connection)
                .await?;
            step(connection, alarm, now, "uncovered", None, "").await?;
            roster::call_for(connection, alarm, now).await?;
        }
        (AlarmDeed::Suppress, Some(alarm)) => {
            sqlx::query("UPDATE alarm SET acknowledged_at = coalesce(acknowledged_at, ?2) WHERE id = ?1")
                .bind(alarm)
                .bind(now.as_micros())
                .execute(&mut *connection)
                .await?;
        }
        (AlarmDeed::Step { at, step: word, who, note }, Some(alarm)) => {
            step(connection, alarm, *at, word, who.as_deref(), note).await?;
        }
        (_, None) => {}
    }
    let Some(alarm) = open else { return Ok(None) };
    let is_over: bool =
        sqlx::query_scalar("SELECT cleared_at IS NOT NULL AND acknowledged_at IS NOT NULL FROM alarm WHERE id = ?")
            .bind(alarm)
            .fetch_one(connection)
            .await?;
    Ok((!is_over).then_some(alarm))
}

async fn add_alarm(
    connection: &mut SqliteConnection,
    point: PointId,
    new: &NewAlarm,
    now: Moment,
) -> Result<Option<i64>, StoreError> {
    // Nobody is waited for by what nobody is called for.
    let acknowledged = (new.is_silent || new.found_until.is_some()).then_some(now.as_micros());
    let made = sqlx::query_scalar(
        "INSERT INTO alarm (site_id, point_id, watch, name, severity, device_id, signal_id, value, raised_at,
             recorded_at, cleared_at, acknowledged_at, is_silent, is_found, cause_id)
         SELECT ?1, p.id, ?3, ?4, ?5, p.device_id, p.signal_id, ?6, ?7, ?8, ?9, ?10, ?11, ?9 IS NOT NULL, ?12
         FROM watch_point AS p WHERE p.id = ?2
         ON CONFLICT DO NOTHING RETURNING id",
    )
    .bind(new.site.0)
    .bind(point.0)
    .bind(&new.watch)
    .bind(&new.name)
    .bind(new.severity as u8)
    .bind(&new.value)
    .bind(new.raised_at.as_micros())
    .bind(now.as_micros())
    .bind(new.found_until.map(Moment::as_micros))
    .bind(acknowledged)
    .bind(new.is_silent)
    .bind(new.cause)
    .fetch_optional(connection)
    .await?;
    Ok(made)
}
