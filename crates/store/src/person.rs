//! People and their sessions.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::Moment;
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// Someone who logs in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Person {
    /// Row id.
    pub id: i64,
    /// The name they log in with; capitals do not matter.
    pub name: String,
    /// `owner`, `operator` or `viewer`.
    pub role: String,
    /// Argon2id in PHC form.
    pub password_hash: String,
}

/// What a session is held by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SessionKind {
    /// A cookie in a browser.
    Browser,
    /// A token of a command line or program.
    Token,
}

impl SessionKind {
    const fn as_str(self) -> &'static str {
        match self {
            Self::Browser => "browser",
            Self::Token => "token",
        }
    }
}

fn person(row: &SqliteRow) -> Result<Person, sqlx::Error> {
    Ok(Person {
        id: row.try_get("id")?,
        name: row.try_get("name")?,
        role: row.try_get("role")?,
        password_hash: row.try_get("password_hash")?,
    })
}

impl Store {
    /// Whether there is anyone who can log in.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn has_people(&self) -> Result<bool, StoreError> {
        Ok(sqlx::query_scalar("SELECT EXISTS (SELECT 1 FROM person)").fetch_one(&self.read).await?)
    }

    /// Adds the first person as owner, unless there is someone already.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if there is.
    pub async fn add_first_owner(&self, name: &str, password_hash: &str, now: Moment) -> Result<Person, StoreError> {
        let row = sqlx::query(
            "INSERT INTO person (name, password_hash, role, created_at)
             SELECT ?, ?, 'owner', ? WHERE NOT EXISTS (SELECT 1 FROM person)
             RETURNING *",
        )
        .bind(name)
        .bind(password_hash)
        .bind(now.as_micros())
        .fetch_optional(&self.write)
        .await?;
        row.map_or(Err(StoreError::Taken), |row| Ok(person(&row)?))
    }

    /// The person of a name.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn person_by_name(&self, name: &str) -> Result<Person, StoreError> {
        let row = sqlx::query("SELECT * FROM person WHERE name = ?").bind(name).fetch_one(&self.read).await?;
        Ok(person(&row)?)
    }

    /// Opens a session under the hash of its secret and clears away expired ones.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_session(
        &self,
        secret_hash: &[u8],
        person_id: i64,
        kind: SessionKind,
        now: Moment,
        expires: Moment,
    ) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query("DELETE FROM session WHERE expires_at <= ?")
            .bind(now.as_micros())
            .execute(&mut *transaction)
            .await?;
        sqlx::query(
            "INSERT INTO session (secret_hash, person_id, kind, created_at, expires_at) VALUES (?, ?, ?, ?, ?)",
        )
        .bind(secret_hash)
        .bind(person_id)
        .bind(kind.as_str())
        .bind(now.as_micros())
        .bind(expires.as_micros())
        .execute(&mut *transaction)
        .await?;
        Ok(transaction.commit().await?)
    }

    /// The person of a session that has not expired.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn session_person(
        &self,
        secret_hash: &[u8],
        kind: SessionKind,
        now: Moment,
    ) -> Result<(Person, Moment), StoreError> {
        let row = sqlx::query(
            "SELECT person.*, session.expires_at FROM session JOIN person ON person.id = session.person_id
             WHERE secret_hash = ? AND kind = ? AND expires_at > ?",
        )
        .bind(secret_hash)
        .bind(kind.as_str())
        .bind(now.as_micros())
        .fetch_one(&self.read)
        .await?;
        Ok((person(&row)?, moment(row.try_get("expires_at")?)))
    }

    /// Ends a session; one that is not there is no error.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn end_session(&self, secret_hash: &[u8]) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM session WHERE secret_hash = ?").bind(secret_hash).execute(&self.write).await?;
        Ok(())
    }
}
