//! Alarms in the hands of rosters, and the messages that are made for them.

use crate::alarm::{AlarmRow, alarm};
use crate::roster::RosterId;
use crate::{Store, StoreError};
use lantern_core::callout::{CalloutSort, Way};
use lantern_core::{Moment, SiteId};
use sqlx::sqlite::SqliteRow;
use sqlx::{Row, SqliteConnection};

/// An alarm in the hands of a roster, of which something has to be done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Calling {
    /// Its number.
    pub id: i64,
    /// The site.
    pub site: SiteId,
    /// The roster.
    pub roster: RosterId,
    /// How many steps were done.
    pub step: u32,
    /// Whether somebody is still to be called, or only the end is waited for.
    pub is_going_on: bool,
    /// Whether the next step is due.
    pub is_due: bool,
    /// The alarm.
    pub alarm: AlarmRow,
}

/// What becomes of a calling.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CallingChange {
    /// So many steps are done, and the next one is due then.
    Step(u32, Moment),
    /// Nobody is called any more; its end will be told.
    AwaitEnd,
    /// It is over.
    Over,
}

/// A message that is to go out.
#[derive(Debug, Clone)]
pub struct NewCallout {
    /// The site.
    pub site: SiteId,
    /// The code of the roster.
    pub roster: String,
    /// Whom the roster named.
    pub callee: String,
    /// Where it goes; nowhere, if they cannot be reached, and why.
    pub to: Result<(Way, String), String>,
    /// What it is about.
    pub sort: CalloutSort,
    /// Its subject.
    pub subject: String,
    /// Its words.
    pub text: String,
    /// The hash of what acknowledges its alarms, and until when.
    pub link: Option<([u8; 32], Moment)>,
    /// The alarms it is about.
    pub alarms: Vec<i64>,
}

const DUE: &str = "SELECT c.id AS calling_id, c.roster_id, c.step, c.due_at IS NOT NULL AS is_going_on,
         coalesce(c.due_at <= ?1 OR c.set_at > ?1, FALSE) AS is_due, a.*,
         d.code AS device, s.code AS signal, s.unit AS unit, p.shelved_until, p.state
     FROM calling AS c JOIN alarm AS a ON a.id = c.alarm_id
     LEFT JOIN device AS d ON d.id = a.device_id LEFT JOIN signal AS s ON s.id = a.signal_id
     LEFT JOIN watch_point AS p ON p.alarm_id = a.id
     WHERE c.due_at <= ?1 OR c.set_at > ?1 OR a.cleared_at IS NOT NULL OR a.is_silent
         OR (a.acknowledged_at IS NOT NULL AND c.due_at IS NOT NULL)
     ORDER BY c.id LIMIT ?2";

fn calling(row: &SqliteRow) -> Result<Calling, sqlx::Error> {
    Ok(Calling {
        id: row.try_get("calling_id")?,
        site: SiteId(row.try_get("site_id")?),
        roster: RosterId(row.try_get("roster_id")?),
        step: row.try_get("step")?,
        is_going_on: row.try_get("is_going_on")?,
        is_due: row.try_get("is_due")?,
        alarm: alarm(row)?,
    })
}

impl Store {
    /// Callings of which something has to be done: a step is due, or their alarm is answered or over.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn callings(&self, now: Moment, limit: u32) -> Result<Vec<Calling>, StoreError> {
        let rows = sqlx::query(DUE).bind(now.as_micros()).bind(limit).fetch_all(&self.read).await?;
        Ok(rows.iter().map(calling).collect::<Result<_, _>>()?)
    }

    /// Writes what becomes of callings together with the messages that go out for them.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn call_out(
        &self,
        changes: &[(i64, CallingChange)],
        messages: &[NewCallout],
        now: Moment,
    ) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for (calling, change) in changes {
            write_change(&mut transaction, *calling, *change, now).await?;
        }
        for message in messages {
            write_message(&mut transaction, message, now).await?;
        }
        transaction.commit().await?;
        Ok(())
    }

    /// Writes one message, which belongs to no calling. Gives its number.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_callout(&self, message: &NewCallout, now: Moment) -> Result<i64, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let id = write_message(&mut transaction, message, now).await?;
        transaction.commit().await?;
        Ok(id)
    }
}

async fn write_change(
    connection: &mut SqliteConnection,
    calling: i64,
    change: CallingChange,
    now: Moment,
) -> Result<(), sqlx::Error> {
    let (step, due) = match change {
        CallingChange::Over => {
            return sqlx::query("DELETE FROM calling WHERE id = ?").bind(calling).execute(connection).await.map(drop);
        }
        CallingChange::AwaitEnd => (None, None),
        CallingChange::Step(step, due) => (Some(step), Some(due.as_micros())),
    };
    sqlx::query("UPDATE calling SET step = coalesce(?2, step), due_at = ?3, set_at = ?4 WHERE id = ?1")
        .bind(calling)
        .bind(step)
        .bind(due)
        .bind(now.as_micros())
        .execute(connection)
        .await
        .map(drop)
}

async fn write_message(
    connection: &mut SqliteConnection,
    message: &NewCallout,
    now: Moment,
) -> Result<i64, sqlx::Error> {
    let (way, address, problem) = match &message.to {
        Ok((way, address)) => (way.as_str(), address.as_str(), None),
        Err(problem) => ("", "", Some(problem)),
    };
    let id: i64 = sqlx::query_scalar(
        "INSERT INTO callout (site_id, roster, callee, way, address, sort, subject, text, link_hash, link_until, state,
             made_at, next_at, ended_at)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?12, CASE WHEN ?11 = 'failed' THEN ?12 END)
         RETURNING id",
    )
    .bind(message.site.0)
    .bind(&message.roster)
    .bind(&message.callee)
    .bind(way)
    .bind(address)
    .bind(message.sort.as_str())
    .bind(&message.subject)
    .bind(&message.text)
    .bind(message.link.map(|(hash, _)| hash.to_vec()))
    .bind(message.link.map(|(_, until)| until.as_micros()))
    .bind(if problem.is_some() { "failed" } else { "waiting" })
    .bind(now.as_micros())
    .fetch_one(&mut *connection)
    .await?;
    if let Some(problem) = problem {
        sqlx::query(
            "INSERT INTO callout_attempt (callout_id, began_at, ended_at, outcome, said) VALUES (?1, ?2, ?2, 'refused', ?3)",
        )
        .bind(id)
        .bind(now.as_micros())
        .bind(problem)
        .execute(&mut *connection)
        .await?;
    }
    for alarm in &message.alarms {
        sqlx::query("INSERT INTO callout_alarm (callout_id, alarm_id) VALUES (?, ?) ON CONFLICT DO NOTHING")
            .bind(id)
            .bind(alarm)
            .execute(&mut *connection)
            .await?;
    }
    Ok(id)
}
