//! Commands that were given.

use crate::types::moment;
use crate::{Store, StoreError, state_changes};
use lantern_core::command::Stage;
use lantern_core::state::StateChange;
use lantern_core::{CommandId, DeviceId, Moment};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// Commands kept of one device; the oldest that are over go first.
const KEPT: u32 = 1_000;

/// A command that was given.
#[derive(Debug, Clone, PartialEq)]
pub struct Command {
    /// Its number.
    pub id: CommandId,
    /// The device it is for.
    pub device: DeviceId,
    /// Which one.
    pub name: String,
    /// Its arguments, a JSON object.
    pub arguments: String,
    /// Who gave it.
    pub given_by: String,
    /// When.
    pub given_at: Moment,
    /// Until when it waits for its device; `None` for one that stands.
    pub expires_at: Option<Moment>,
    /// Seconds within which an answer is expected.
    pub timeout_s: f64,
    /// How far it is.
    pub stage: Stage,
    /// When the device had it.
    pub delivered_at: Option<Moment>,
    /// When it was over.
    pub ended_at: Option<Moment>,
    /// What the device said.
    pub answer: String,
}

/// A command to give.
#[derive(Debug, Clone)]
pub struct NewCommand<'a> {
    /// See [`Command::device`].
    pub device: DeviceId,
    /// See [`Command::name`].
    pub name: &'a str,
    /// See [`Command::arguments`].
    pub arguments: &'a str,
    /// See [`Command::given_by`].
    pub given_by: &'a str,
    /// See [`Command::expires_at`].
    pub expires_at: Option<Moment>,
    /// See [`Command::timeout_s`].
    pub timeout_s: f64,
}

fn command(row: &SqliteRow) -> Result<Command, sqlx::Error> {
    let time = |column: &str| Ok::<_, sqlx::Error>(row.try_get::<Option<i64>, _>(column)?.map(moment));
    Ok(Command {
        id: CommandId(row.try_get("id")?),
        device: DeviceId(row.try_get("device_id")?),
        name: row.try_get("name")?,
        arguments: row.try_get("arguments")?,
        given_by: row.try_get("given_by")?,
        given_at: moment(row.try_get("given_at")?),
        expires_at: time("expires_at")?,
        timeout_s: row.try_get("timeout_s")?,
        stage: Stage::parse(row.try_get("state")?).unwrap_or(Stage::Withdrawn),
        delivered_at: time("delivered_at")?,
        ended_at: time("ended_at")?,
        answer: row.try_get("answer")?,
    })
}

impl Store {
    /// Writes a command that is given, together with changes of state: both or none.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_command(
        &self,
        new: NewCommand<'_>,
        changes: &[StateChange],
        now: Moment,
    ) -> Result<Command, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let row = sqlx::query(
            "INSERT INTO command (device_id, name, arguments, given_by, given_at, expires_at, timeout_s, state, answer)
             VALUES (?, ?, ?, ?, ?, ?, ?, 'waiting', '') RETURNING *",
        )
        .bind(new.device.0)
        .bind(new.name)
        .bind(new.arguments)
        .bind(new.given_by)
        .bind(now.as_micros())
        .bind(new.expires_at.map(Moment::as_micros))
        .bind(new.timeout_s)
        .fetch_one(&mut *transaction)
        .await?;
        sqlx::query(
            "DELETE FROM command WHERE device_id = ?1 AND ended_at IS NOT NULL AND id <=
                 (SELECT id FROM command WHERE device_id = ?1 ORDER BY id DESC LIMIT 1 OFFSET ?2)",
        )
        .bind(new.device.0)
        .bind(KEPT)
        .execute(&mut *transaction)
        .await?;
        let added = command(&row)?;
        state_changes::write(&mut transaction, changes).await?;
        transaction.commit().await?;
        Ok(added)
    }

    /// Brings a command that is not over to another stage.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is none such, or it is over.
    pub async fn advance_command(
        &self,
        id: CommandId,
        stage: Stage,
        answer: &str,
        now: Moment,
    ) -> Result<Command, StoreError> {
        let row = sqlx::query(
            "UPDATE command SET state = ?2,
                 delivered_at = iif(?2 IN ('delivered', 'done', 'refused'), coalesce(delivered_at, ?4), delivered_at),
                 ended_at = iif(?5, ?4, NULL), answer = ?3
             WHERE id = ?1 AND ended_at IS NULL RETURNING *",
        )
        .bind(id.0)
        .bind(stage.as_str())
        .bind(answer)
        .bind(now.as_micros())
        .bind(stage.is_over())
        .fetch_one(&self.write)
        .await?;
        Ok(command(&row)?)
    }

    /// All commands that are not over.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn open_commands(&self) -> Result<Vec<Command>, StoreError> {
        let rows = sqlx::query(
            "SELECT c.* FROM command AS c JOIN device AS d ON d.id = c.device_id AND d.removed_at IS NULL
             WHERE c.ended_at IS NULL ORDER BY c.id",
        )
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(command).collect::<Result<_, _>>()?)
    }

    /// Commands of a device before a number, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn commands(&self, device: DeviceId, before: i64, limit: u32) -> Result<Vec<Command>, StoreError> {
        let rows = sqlx::query("SELECT * FROM command WHERE device_id = ? AND id < ? ORDER BY id DESC LIMIT ?")
            .bind(device.0)
            .bind(before)
            .bind(limit)
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(command).collect::<Result<_, _>>()?)
    }

    /// Commands of a device that were given from a time on and before another, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn commands_between(
        &self,
        device: DeviceId,
        (from, to): (Moment, Moment),
        limit: u32,
    ) -> Result<Vec<Command>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM command WHERE device_id = ? AND given_at >= ? AND given_at < ? ORDER BY id DESC LIMIT ?",
        )
        .bind(device.0)
        .bind(from.as_micros())
        .bind(to.as_micros())
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(command).collect::<Result<_, _>>()?)
    }

    /// One command of a device.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn command(&self, device: DeviceId, id: CommandId) -> Result<Command, StoreError> {
        let row = sqlx::query("SELECT * FROM command WHERE device_id = ? AND id = ?")
            .bind(device.0)
            .bind(id.0)
            .fetch_one(&self.read)
            .await?;
        Ok(command(&row)?)
    }
}
