//! People.

use crate::types::{found, moment, optional_word};
use crate::{Store, StoreError};
use lantern_core::{DecimalMark, Moment};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// Someone who logs in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Person {
    /// Row id.
    pub id: i64,
    /// The name they log in with; capitals do not matter.
    pub name: String,
    /// Whether they run the service and may do everything everywhere.
    pub is_administrator: bool,
    /// Argon2id in PHC form.
    pub password_hash: String,
    /// How numbers are written for them, where they differ from their site.
    pub decimal_mark: Option<DecimalMark>,
    /// The time zone they want to see, where it is not the site's.
    pub zone: Option<String>,
    /// Where they can be reached.
    pub addresses: Vec<String>,
    /// When they came.
    pub created_at: Moment,
    /// The second factor, once it has been asked for.
    pub second: Option<SecondFactor>,
}

/// A second factor of a person (time-based one-time passwords, RFC 6238).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SecondFactor {
    /// The shared secret.
    pub secret: Vec<u8>,
    /// Since when it is asked for; none while its first code is still to come.
    pub since: Option<Moment>,
}

/// What people change of themselves; `None` leaves it as it is.
#[derive(Debug, Clone, Default)]
pub struct PersonChange {
    /// See [`Person::name`].
    pub name: Option<String>,
    /// See [`Person::decimal_mark`].
    pub decimal_mark: Option<Option<DecimalMark>>,
    /// See [`Person::zone`].
    pub zone: Option<Option<String>>,
    /// See [`Person::addresses`].
    pub addresses: Option<Vec<String>>,
}

pub(crate) fn person(row: &SqliteRow) -> Result<Person, StoreError> {
    let addresses: &str = row.try_get("addresses")?;
    let secret: Option<Vec<u8>> = row.try_get("second_secret")?;
    let since: Option<i64> = row.try_get("second_since")?;
    Ok(Person {
        id: row.try_get("id")?,
        name: row.try_get("name")?,
        is_administrator: row.try_get("is_administrator")?,
        password_hash: row.try_get("password_hash")?,
        decimal_mark: optional_word(row, "decimal_mark")?,
        zone: row.try_get("zone")?,
        addresses: addresses.lines().map(str::to_owned).collect(),
        created_at: moment(row.try_get("created_at")?),
        second: secret.map(|secret| SecondFactor { secret, since: since.map(moment) }),
    })
}

/// What goes with a person.
const THEIRS: [&str; 4] = [
    "DELETE FROM session WHERE person_id = ?",
    "DELETE FROM member WHERE person_id = ?",
    "DELETE FROM recovery_code WHERE person_id = ?",
    "DELETE FROM invitation WHERE person_id = ?",
];

impl Store {
    /// Whether there is anyone who can log in.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn has_people(&self) -> Result<bool, StoreError> {
        Ok(sqlx::query_scalar("SELECT EXISTS (SELECT 1 FROM person)").fetch_one(&self.read).await?)
    }

    /// Adds the first person as administrator, unless there is someone already.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if there is.
    pub async fn add_first_person(&self, name: &str, password_hash: &str, now: Moment) -> Result<Person, StoreError> {
        let row = sqlx::query(
            "INSERT INTO person (name, password_hash, is_administrator, created_at)
             SELECT ?, ?, 1, ? WHERE NOT EXISTS (SELECT 1 FROM person)
             RETURNING *",
        )
        .bind(name)
        .bind(password_hash)
        .bind(now.as_micros())
        .fetch_optional(&self.write)
        .await?;
        row.as_ref().map_or(Err(StoreError::Taken), person)
    }

    /// The person of a name.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn person_by_name(&self, name: &str) -> Result<Person, StoreError> {
        let row = sqlx::query("SELECT * FROM person WHERE name = ? AND removed_at IS NULL")
            .bind(name)
            .fetch_one(&self.read)
            .await?;
        person(&row)
    }

    /// All people, by name, those after one.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn people(&self, after: &str, limit: u32) -> Result<Vec<Person>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM person WHERE removed_at IS NULL AND name > ? COLLATE NOCASE ORDER BY name LIMIT ?",
        )
        .bind(after)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        rows.iter().map(person).collect()
    }

    /// Changes what people change of themselves.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if somebody has or had the name, [`StoreError::NotFound`].
    pub async fn change_person(&self, id: i64, change: &PersonChange) -> Result<Person, StoreError> {
        let addresses = change.addresses.as_ref().map(|addresses| addresses.join("\n"));
        let row = sqlx::query(
            "UPDATE person SET
                name = coalesce(?2, name),
                decimal_mark = iif(?3, ?4, decimal_mark),
                zone = iif(?5, ?6, zone),
                addresses = coalesce(?7, addresses)
             WHERE id = ?1 AND removed_at IS NULL RETURNING *",
        )
        .bind(id)
        .bind(change.name.as_deref())
        .bind(change.decimal_mark.is_some())
        .bind(change.decimal_mark.flatten().map(DecimalMark::as_str))
        .bind(change.zone.is_some())
        .bind(change.zone.clone().flatten())
        .bind(addresses)
        .fetch_optional(&self.write)
        .await?;
        row.as_ref().map_or(Err(StoreError::NotFound), person)
    }

    /// Sets a password, and ends all log-ins and tokens of the person but one.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn set_password(&self, id: i64, hash: &str, but: Option<i64>) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let done = sqlx::query("UPDATE person SET password_hash = ? WHERE id = ? AND removed_at IS NULL")
            .bind(hash)
            .bind(id)
            .execute(&mut *transaction)
            .await?;
        sqlx::query("DELETE FROM session WHERE person_id = ? AND id <> ?")
            .bind(id)
            .bind(but.unwrap_or(0))
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        found(done.rows_affected())
    }

    /// Makes a person an administrator, or no longer one. The last administrator stays one.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such person, or it is the last one.
    pub async fn set_administrator(&self, id: i64, is_administrator: bool) -> Result<(), StoreError> {
        let done = sqlx::query(
            "UPDATE person SET is_administrator = ?2 WHERE id = ?1 AND removed_at IS NULL
             AND (?2 OR EXISTS (SELECT 1 FROM person WHERE id <> ?1 AND is_administrator AND removed_at IS NULL))",
        )
        .bind(id)
        .bind(is_administrator)
        .execute(&self.write)
        .await?;
        found(done.rows_affected())
    }

    /// Removes a person with their log-ins, tokens and roles. Their row stays, so that their name
    /// is given to nobody else. The last administrator stays.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if there is no such person, or it is the last administrator.
    pub async fn remove_person(&self, id: i64, now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let done = sqlx::query(
            "UPDATE person SET removed_at = ?2, password_hash = '', is_administrator = 0, addresses = '',
                second_secret = NULL, second_since = NULL
             WHERE id = ?1 AND removed_at IS NULL AND (NOT is_administrator
                OR EXISTS (SELECT 1 FROM person WHERE id <> ?1 AND is_administrator AND removed_at IS NULL))",
        )
        .bind(id)
        .bind(now.as_micros())
        .execute(&mut *transaction)
        .await?;
        found(done.rows_affected())?;
        for statement in THEIRS {
            sqlx::query(statement).bind(id).execute(&mut *transaction).await?;
        }
        Ok(transaction.commit().await?)
    }

    /// Keeps the secret of a second factor whose first code is still to come.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn propose_second(&self, id: i64, secret: &[u8]) -> Result<(), StoreError> {
        let done = sqlx::query(
            "UPDATE person SET second_secret = ?2, second_step = 0
             WHERE id = ?1 AND removed_at IS NULL AND second_since IS NULL",
        )
        .bind(id)
        .bind(secret)
        .execute(&self.write)
        .await?;
        found(done.rows_affected())
    }

    /// From now on the second factor is asked for; `codes` are hashes of the codes that stand in for it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if none was proposed.
    pub async fn begin_second(&self, id: i64, codes: &[Vec<u8>], now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let done = sqlx::query(
            "UPDATE person SET second_since = ?2
             WHERE id = ?1 AND second_secret IS NOT NULL AND second_since IS NULL AND removed_at IS NULL",
        )
        .bind(id)
        .bind(now.as_micros())
        .execute(&mut *transaction)
        .await?;
        found(done.rows_affected())?;
        for code in codes {
            sqlx::query("INSERT INTO recovery_code (person_id, code_hash) VALUES (?, ?)")
                .bind(id)
                .bind(code)
                .execute(&mut *transaction)
                .await?;
        }
        Ok(transaction.commit().await?)
    }

    /// The second factor is asked for no more.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn end_second(&self, id: i64) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("UPDATE person SET second_secret = NULL, second_since = NULL, second_step = 0 WHERE id = ?")
            .bind(id)
            .execute(&mut *transaction)
            .await?;
        sqlx::query("DELETE FROM recovery_code WHERE person_id = ?").bind(id).execute(&mut *transaction).await?;
        Ok(transaction.commit().await?)
    }

    /// Notes the time step of a code that was used. False if it, or a later one, was used before.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn use_second_step(&self, id: i64, step: i64) -> Result<bool, StoreError> {
        let done = sqlx::query("UPDATE person SET second_step = ?2 WHERE id = ?1 AND second_step < ?2")
            .bind(id)
            .bind(step)
            .execute(&self.write)
            .await?;
        Ok(done.rows_affected() > 0)
    }

    /// Uses a recovery code up. False if there is no such code, or no longer.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn use_recovery_code(&self, id: i64, hash: &[u8]) -> Result<bool, StoreError> {
        let done = sqlx::query("DELETE FROM recovery_code WHERE person_id = ? AND code_hash = ?")
            .bind(id)
            .bind(hash)
            .execute(&self.write)
            .await?;
        Ok(done.rows_affected() > 0)
    }

    /// How many recovery codes a person has left.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn recovery_codes_left(&self, id: i64) -> Result<u32, StoreError> {
        let left = sqlx::query_scalar("SELECT count(*) FROM recovery_code WHERE person_id = ?");
        Ok(left.bind(id).fetch_one(&self.read).await?)
    }
}
