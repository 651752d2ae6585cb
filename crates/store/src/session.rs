//! Log-ins of browsers, and tokens.

use crate::person::person;
use crate::types::{found, moment, optional_word, word};
use crate::{Person, Store, StoreError};
use lantern_core::access::Role;
use lantern_core::{Moment, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// What a session is held by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SessionKind {
    /// A cookie in a browser.
    Browser,
    /// A token of a command line or program.
    Token,
}

impl SessionKind {
    /// The word used in the API and the database.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Browser => "browser",
            Self::Token => "token",
        }
    }
}

impl std::str::FromStr for SessionKind {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        [Self::Browser, Self::Token].into_iter().find(|kind| kind.as_str() == word).ok_or(())
    }
}

/// A log-in or token.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Session {
    /// Row id.
    pub id: i64,
    /// What holds it.
    pub kind: SessionKind,
    /// What it is called: the browser, or the name a token was given.
    pub name: String,
    /// The most it lets its person be.
    pub at_most: Option<Role>,
    /// The only site it opens.
    pub site: Option<SiteId>,
    /// When it began.
    pub created_at: Moment,
    /// When it was last used, give or take a minute.
    pub last_used_at: Option<Moment>,
    /// Where it was last used from.
    pub last_from: String,
    /// When it ends.
    pub expires_at: Moment,
}

/// What a new session is made from.
#[derive(Debug, Clone)]
pub struct NewSession<'a> {
    /// The hash of its secret.
    pub secret_hash: &'a [u8],
    /// Whose it is.
    pub person: i64,
    /// See [`Session::kind`].
    pub kind: SessionKind,
    /// See [`Session::name`].
    pub name: &'a str,
    /// See [`Session::at_most`].
    pub at_most: Option<Role>,
    /// See [`Session::site`].
    pub site: Option<SiteId>,
    /// See [`Session::last_from`].
    pub from: &'a str,
    /// See [`Session::expires_at`].
    pub expires_at: Moment,
}

/// Who holds a session, and what they are on a site that was asked for.
#[derive(Debug, Clone)]
pub struct Holder {
    /// Who.
    pub person: Person,
    /// Their session.
    pub session: Session,
    /// The site that was asked for, if it is there.
    pub site: Option<SiteId>,
    /// Their role on it.
    pub role: Option<Role>,
}

fn session(row: &SqliteRow) -> Result<Session, sqlx::Error> {
    Ok(Session {
        id: row.try_get("id")?,
        kind: word(row, "kind")?,
        name: row.try_get("name")?,
        at_most: optional_word(row, "at_most")?,
        site: row.try_get::<Option<i64>, _>("site_id")?.map(SiteId),
        created_at: moment(row.try_get("created_at")?),
        last_used_at: row.try_get::<Option<i64>, _>("last_used_at")?.map(moment),
        last_from: row.try_get("last_from")?,
        expires_at: moment(row.try_get("expires_at")?),
    })
}

impl Store {
    /// Opens a session and clears away expired ones. A person has `most` of them; the ones unused
    /// for longest give way.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_session(&self, new: &NewSession<'_>, most: u32, now: Moment) -> Result<Session, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        sqlx::query(
            "DELETE FROM session WHERE id IN (SELECT id FROM session WHERE person_id = ?
             ORDER BY coalesce(last_used_at, created_at) DESC LIMIT -1 OFFSET ?)",
        )
        .bind(new.person)
        .bind(most.saturating_sub(1))
        .execute(&mut *transaction)
        .await?;
        let row = sqlx::query(
            "INSERT INTO session (secret_hash, person_id, kind, name, at_most, site_id, created_at, last_from, expires_at)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?) RETURNING *",
        )
        .bind(new.secret_hash)
        .bind(new.person)
        .bind(new.kind.as_str())
        .bind(new.name)
        .bind(new.at_most.map(Role::as_str))
        .bind(new.site.map(|site| site.0))
        .bind(now.as_micros())
        .bind(new.from)
        .bind(new.expires_at.as_micros())
        .fetch_one(&mut *transaction)
        .await?;
        transaction.commit().await?;
        Ok(session(&row)?)
    }

    /// Who holds a session that has not expired, and what they are on the site of a code.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn holder(
        &self,
        secret_hash: &[u8],
        kind: SessionKind,
        site: Option<&str>,
        now: Moment,
    ) -> Result<Holder, StoreError> {
        let row = sqlx::query("SELECT * FROM session WHERE secret_hash = ? AND kind = ? AND expires_at > ?")
            .bind(secret_hash)
            .bind(kind.as_str())
            .bind(now.as_micros())
            .fetch_one(&self.read)
            .await?;
        let session = session(&row)?;
        let row = sqlx::query(
            "SELECT person.*, member.role, site.id AS asked_id FROM person
             LEFT JOIN site ON site.code = ?2 AND site.removed_at IS NULL
             LEFT JOIN member ON member.person_id = person.id AND member.site_id = site.id
             WHERE person.id = ?1 AND person.removed_at IS NULL",
        )
        .bind(row.try_get::<i64, _>("person_id")?)
        .bind(site)
        .fetch_one(&self.read)
        .await?;
        let site = row.try_get::<Option<i64>, _>("asked_id")?.map(SiteId);
        Ok(Holder { person: person(&row)?, session, site, role: optional_word(&row, "role")? })
    }

    /// The log-ins and tokens of a person that have not expired, those after one, the first ones first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn sessions(&self, person: i64, after: i64, limit: u32, now: Moment) -> Result<Vec<Session>, StoreError> {
        let rows =
            sqlx::query("SELECT * FROM session WHERE person_id = ? AND id > ? AND expires_at > ? ORDER BY id LIMIT ?")
                .bind(person)
                .bind(after)
                .bind(now.as_micros())
                .bind(limit)
                .fetch_all(&self.read)
                .await?;
        Ok(rows.iter().map(session).collect::<Result<_, _>>()?)
    }

    /// Notes when and from where sessions were last used.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn note_sessions(&self, used: &[(i64, Moment, String)]) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for (id, at, from) in used {
            sqlx::query("UPDATE session SET last_used_at = ?, last_from = ? WHERE id = ?")
                .bind(at.as_micros())
                .bind(from)
                .bind(id)
                .execute(&mut *transaction)
                .await?;
        }
        Ok(transaction.commit().await?)
    }

    /// Ends a session of a person.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn end_session(&self, person: i64, id: i64) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM session WHERE person_id = ? AND id = ?")
            .bind(person)
            .bind(id)
            .execute(&self.write)
            .await?;
        found(done.rows_affected())
    }
}
