//! Messages to people about alarms: the outbox, and the record of what became of each.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::callout::{AttemptOutcome, CalloutSort, CalloutState, Recent, Way};
use lantern_core::{Moment, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// A message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CalloutRow {
    /// Its number.
    pub id: i64,
    /// The site.
    pub site: SiteId,
    /// The code of the roster.
    pub roster: String,
    /// Whom the roster named.
    pub callee: String,
    /// How it is carried; none if nobody knew how.
    pub way: Option<Way>,
    /// Where it goes.
    pub address: String,
    /// What it is about.
    pub sort: CalloutSort,
    /// Its subject.
    pub subject: String,
    /// Its words.
    pub text: String,
    /// How far it is.
    pub state: CalloutState,
    /// How often it was tried.
    pub attempts: u32,
    /// When it was made.
    pub made_at: Moment,
    /// When it is tried next.
    pub next_at: Option<Moment>,
    /// When it was sent or given up.
    pub ended_at: Option<Moment>,
}

/// An attempt to send a message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AttemptRow {
    /// When it began.
    pub began_at: Moment,
    /// When it ended.
    pub ended_at: Option<Moment>,
    /// How.
    pub outcome: Option<AttemptOutcome>,
    /// What the server said.
    pub said: String,
}

/// How an attempt ended, and what becomes of its message.
#[derive(Debug, Clone)]
pub struct AttemptEnd {
    /// How it ended.
    pub outcome: AttemptOutcome,
    /// What the server said.
    pub said: String,
    /// How far the message is now.
    pub state: CalloutState,
    /// When it is tried again, if it waits.
    pub next_at: Option<Moment>,
}

/// Which messages are wanted.
#[derive(Debug, Clone, Default)]
pub struct CalloutFilter {
    /// Only those about an alarm.
    pub alarm: Option<i64>,
    /// Only those that are so far.
    pub state: Option<CalloutState>,
    /// Only those made before this one.
    pub before: Option<i64>,
}

fn word<T: std::str::FromStr>(row: &SqliteRow, column: &str) -> Result<T, sqlx::Error> {
    let text: String = row.try_get(column)?;
    text.parse().map_err(|_| sqlx::Error::ColumnDecode {
        index: column.to_owned(),
        source: format!("`{text}` is not one of its words").into(),
    })
}

fn callout(row: &SqliteRow) -> Result<CalloutRow, sqlx::Error> {
    let time = |column| row.try_get::<Option<i64>, _>(column).map(|at| at.map(moment));
    Ok(CalloutRow {
        id: row.try_get("id")?,
        site: SiteId(row.try_get("site_id")?),
        roster: row.try_get("roster")?,
        callee: row.try_get("callee")?,
        way: row.try_get::<&str, _>("way")?.parse().ok(),
        address: row.try_get("address")?,
        sort: word(row, "sort")?,
        subject: row.try_get("subject")?,
        text: row.try_get("text")?,
        state: word(row, "state")?,
        attempts: row.try_get("attempts")?,
        made_at: moment(row.try_get("made_at")?),
        next_at: time("next_at")?,
        ended_at: time("ended_at")?,
    })
}

fn attempt(row: &SqliteRow) -> Result<AttemptRow, sqlx::Error> {
    let outcome: Option<&str> = row.try_get("outcome")?;
    Ok(AttemptRow {
        began_at: moment(row.try_get("began_at")?),
        ended_at: row.try_get::<Option<i64>, _>("ended_at")?.map(moment),
        outcome: outcome.and_then(|word| word.parse().ok()),
        said: row.try_get("said")?,
    })
}

impl Store {
    /// Messages of a site, the newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn callouts(
        &self,
        site: SiteId,
        filter: &CalloutFilter,
        limit: u32,
    ) -> Result<Vec<CalloutRow>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM callout WHERE site_id = ?1 AND (?2 IS NULL OR state = ?2) AND (?3 IS NULL OR id < ?3)
             AND (?4 IS NULL OR id IN (SELECT callout_id FROM callout_alarm WHERE alarm_id = ?4))
             ORDER BY id DESC LIMIT ?5",
        )
        .bind(site.0)
        .bind(filter.state.map(CalloutState::as_str))
        .bind(filter.before)
        .bind(filter.alarm)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(callout).collect::<Result<_, _>>()?)
    }

    /// A message of a site, the attempts to send it, and the alarms it is about, 100 at most.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn callout(&self, site: SiteId, id: i64) -> Result<(CalloutRow, Vec<AttemptRow>, Vec<i64>), StoreError> {
        let row = sqlx::query("SELECT * FROM callout WHERE site_id = ? AND id = ?")
            .bind(site.0)
            .bind(id)
            .fetch_one(&self.read)
            .await?;
        let attempts = sqlx::query("SELECT * FROM callout_attempt WHERE callout_id = ? ORDER BY id LIMIT 1000")
            .bind(id)
            .fetch_all(&self.read)
            .await?;
        let attempts = attempts.iter().map(attempt).collect::<Result<_, sqlx::Error>>()?;
        Ok((callout(&row)?, attempts, self.alarms_of_callout(id, 100).await?))
    }

    /// The alarms a message is about.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn alarms_of_callout(&self, id: i64, limit: u32) -> Result<Vec<i64>, StoreError> {
        let sql = "SELECT alarm_id FROM callout_alarm WHERE callout_id = ? ORDER BY alarm_id LIMIT ?";
        Ok(sqlx::query_scalar(sql).bind(id).bind(limit).fetch_all(&self.read).await?)
    }

    /// Who was called for an alarm by a roster, and where: whom its end is told.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn called(&self, alarm: i64, roster: &str) -> Result<Vec<(String, Way, String)>, StoreError> {
        let rows: Vec<(String, String, String)> = sqlx::query_as(
            "SELECT DISTINCT callee, way, address FROM callout AS c JOIN callout_alarm AS a ON a.callout_id = c.id
             WHERE a.alarm_id = ? AND c.roster = ? AND c.sort = 'call' AND c.state IN ('sent', 'uncertain', 'waiting', 'sending')
             ORDER BY c.id LIMIT 100",
        )
        .bind(alarm)
        .bind(roster)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.into_iter().filter_map(|(callee, way, address)| Some((callee, way.parse().ok()?, address))).collect())
    }

    /// What somebody got by a roster lately.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn recent_callouts(
        &self,
        site: SiteId,
        roster: &str,
        callee: &str,
        now: Moment,
    ) -> Result<Recent, StoreError> {
        let (count, last): (u32, Option<i64>) = sqlx::query_as(
            "SELECT count(DISTINCT made_at), max(made_at) FROM callout
             WHERE roster = ? AND callee = ? AND made_at > ? AND site_id = ? AND sort = 'call'",
        )
        .bind(roster)
        .bind(callee)
        .bind(now.plus_seconds(-Recent::LOOKS_BACK_S).as_micros())
        .bind(site.0)
        .fetch_one(&self.read)
        .await?;
        let since_s = last.map_or(f64::INFINITY, |last| now.seconds_since(moment(last)));
        Ok(Recent { count, since_s })
    }

    /// Messages of a way that are to be sent now, the oldest first. Those that have no way are of none. What was
    /// put off before the clock was put back is due at once: nobody knows how long it has waited.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn callouts_to_send(&self, way: Way, now: Moment, limit: u32) -> Result<Vec<CalloutRow>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM callout AS c WHERE state = 'waiting' AND way = ?3 AND (next_at <= ?1 OR ?1 < coalesce(
                 (SELECT ended_at FROM callout_attempt WHERE callout_id = c.id ORDER BY id DESC LIMIT 1), made_at))
             ORDER BY id LIMIT ?2",
        )
        .bind(now.as_micros())
        .bind(limit)
        .bind(way.as_str())
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(callout).collect::<Result<_, _>>()?)
    }

    /// Messages whose sending has begun and not ended.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn callouts_being_sent(&self) -> Result<Vec<CalloutRow>, StoreError> {
        let rows =
            sqlx::query("SELECT * FROM callout WHERE state = 'sending' ORDER BY id").fetch_all(&self.read).await?;
        Ok(rows.iter().map(callout).collect::<Result<_, _>>()?)
    }

    /// Notes that a message is being sent from now on. `false` if it is not to be sent: it does not wait, or
    /// somebody has acknowledged all it calls for, and it is dropped.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn begin_callout(&self, id: i64, now: Moment) -> Result<bool, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let dropped = sqlx::query(
            "UPDATE callout SET state = 'dropped', next_at = NULL, ended_at = ?2
             WHERE id = ?1 AND state = 'waiting' AND sort = 'call' AND NOT EXISTS (
                 SELECT 1 FROM callout_alarm AS c JOIN alarm AS a ON a.id = c.alarm_id
                 WHERE c.callout_id = ?1 AND a.acknowledged_at IS NULL)",
        )
        .bind(id)
        .bind(now.as_micros())
        .execute(&mut *transaction)
        .await?;
        let begun = sqlx::query(
            "UPDATE callout SET state = 'sending', attempts = attempts + 1, next_at = NULL
             WHERE id = ? AND state = 'waiting'",
        )
        .bind(id)
        .execute(&mut *transaction)
        .await?;
        if begun.rows_affected() == 1 {
            sqlx::query("INSERT INTO callout_attempt (callout_id, began_at) VALUES (?, ?)")
                .bind(id)
                .bind(now.as_micros())
                .execute(&mut *transaction)
                .await?;
        }
        transaction.commit().await?;
        Ok(dropped.rows_affected() == 0 && begun.rows_affected() == 1)
    }

    /// Notes how sending a message ended. If nobody was reached, the next one on the roster is called at
    /// once.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn end_callout(&self, id: i64, end: &AttemptEnd, now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("UPDATE callout_attempt SET ended_at = ?2, outcome = ?3, said = ?4 WHERE callout_id = ?1 AND outcome IS NULL")
            .bind(id)
            .bind(now.as_micros())
            .bind(end.outcome.as_str())
            .bind(&end.said)
            .execute(&mut *transaction)
            .await?;
        let is_waiting = end.state == CalloutState::Waiting;
        sqlx::query("UPDATE callout SET state = ?2, next_at = ?3, ended_at = ?4 WHERE id = ?1 AND state = 'sending'")
            .bind(id)
            .bind(end.state.as_str())
            .bind(end.next_at.map(Moment::as_micros))
            .bind((!is_waiting).then_some(now.as_micros()))
            .execute(&mut *transaction)
            .await?;
        if end.state == CalloutState::Failed {
            sqlx::query(PASS_ON).bind(id).bind(now.as_micros()).execute(&mut *transaction).await?;
        }
        transaction.commit().await?;
        Ok(())
    }

    /// Uses up what acknowledges the alarms of a message, and gives the message.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is none, or it was used, or its time is over.
    pub async fn spend_callout_link(&self, hash: &[u8], now: Moment) -> Result<CalloutRow, StoreError> {
        let row = sqlx::query("UPDATE callout SET link_hash = NULL WHERE link_hash = ? AND link_until > ? RETURNING *")
            .bind(hash)
            .bind(now.as_micros())
            .fetch_one(&self.write)
            .await?;
        Ok(callout(&row)?)
    }

    /// The message whose alarms something acknowledges.
    ///
    /// # Errors
    /// As [`Store::spend_callout_link`].
    pub async fn callout_by_link(&self, hash: &[u8], now: Moment) -> Result<CalloutRow, StoreError> {
        let row = sqlx::query("SELECT * FROM callout WHERE link_hash = ? AND link_until > ?")
            .bind(hash)
            .bind(now.as_micros())
            .fetch_one(&self.read)
            .await?;
        Ok(callout(&row)?)
    }

    /// Calls by text message to a number since a time, the newest first, 100 at most.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn calls_to_number(&self, number: &str, since: Moment) -> Result<Vec<CalloutRow>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM callout WHERE way = 'text' AND address = ? AND made_at > ? AND sort = 'call'
             AND state IN ('sent', 'uncertain', 'sending') ORDER BY id DESC LIMIT 100",
        )
        .bind(number)
        .bind(since.as_micros())
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(callout).collect::<Result<_, _>>()?)
    }
}

/// Makes the next step of the callings of a message due, if nothing else goes or went to the same callee at
/// the same step.
const PASS_ON: &str = "UPDATE calling SET due_at = ?2, set_at = ?2
     WHERE due_at > ?2 AND id IN (
         SELECT c.id FROM callout AS o JOIN callout_alarm AS oa ON oa.callout_id = o.id
         JOIN calling AS c ON c.alarm_id = oa.alarm_id
         JOIN roster AS r ON r.id = c.roster_id AND r.code = o.roster AND r.site_id = o.site_id
         WHERE o.id = ?1 AND o.sort = 'call' AND NOT EXISTS (
             SELECT 1 FROM callout AS other JOIN callout_alarm AS ob ON ob.callout_id = other.id
             WHERE ob.alarm_id = oa.alarm_id AND other.roster = o.roster AND other.callee = o.callee
                 AND other.made_at = o.made_at AND other.state IN ('waiting', 'sending', 'sent', 'uncertain')))";
