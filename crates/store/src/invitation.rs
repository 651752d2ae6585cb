//! One-time addresses: to come in, or to choose a new password.

use crate::person::person;
use crate::types::{moment, optional_word};
use crate::{Person, Store, StoreError};
use lantern_core::access::Role;
use lantern_core::{Moment, SiteId};
use sqlx::Row;
use sqlx::sqlite::{SqliteConnection, SqliteRow};

/// An invitation that has not been used.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Invitation {
    /// Row id.
    pub id: i64,
    /// Who it is for, in the words of the one who invites.
    pub for_whom: String,
    /// The role it gives, and on which site.
    pub role: Option<(SiteId, Role)>,
    /// Whether it makes an administrator.
    pub is_administrator: bool,
    /// Whose password it sets; none if it lets somebody in.
    pub person: Option<i64>,
    /// Who invites.
    pub invited_by: String,
    /// When it was made.
    pub created_at: Moment,
    /// When it ends.
    pub expires_at: Moment,
}

/// What an invitation is made from.
#[derive(Debug, Clone)]
pub struct NewInvitation<'a> {
    /// The hash of its secret.
    pub secret_hash: &'a [u8],
    /// See [`Invitation::for_whom`].
    pub for_whom: &'a str,
    /// See [`Invitation::role`].
    pub role: Option<(SiteId, Role)>,
    /// See [`Invitation::is_administrator`].
    pub is_administrator: bool,
    /// See [`Invitation::person`].
    pub person: Option<i64>,
    /// See [`Invitation::invited_by`].
    pub invited_by: &'a str,
    /// See [`Invitation::expires_at`].
    pub expires_at: Moment,
}

fn invitation(row: &SqliteRow) -> Result<Invitation, sqlx::Error> {
    let site = row.try_get::<Option<i64>, _>("site_id")?.map(SiteId);
    Ok(Invitation {
        id: row.try_get("id")?,
        for_whom: row.try_get("for_whom")?,
        role: site.zip(optional_word(row, "role")?),
        is_administrator: row.try_get("is_administrator")?,
        person: row.try_get("person_id")?,
        invited_by: row.try_get("invited_by")?,
        created_at: moment(row.try_get("created_at")?),
        expires_at: moment(row.try_get("expires_at")?),
    })
}

/// Takes an invitation away, so that it is used once.
async fn spend(connection: &mut SqliteConnection, id: i64, now: Moment) -> Result<Invitation, StoreError> {
    let row = sqlx::query("DELETE FROM invitation WHERE id = ? AND expires_at > ? RETURNING *")
        .bind(id)
        .bind(now.as_micros())
        .fetch_one(connection)
        .await?;
    Ok(invitation(&row)?)
}

/// Gives a person what an invitation gives.
async fn give(
    connection: &mut SqliteConnection,
    invitation: &Invitation,
    person: i64,
    now: Moment,
) -> Result<(), StoreError> {
    if let Some((site, role)) = invitation.role {
        // A role is never lowered by accepting an invitation.
        sqlx::query(
            "INSERT INTO member (site_id, person_id, role, since) VALUES (?1, ?2, ?3, ?4)
             ON CONFLICT (site_id, person_id) DO UPDATE SET role = excluded.role, since = excluded.since
             WHERE instr('viewer operator owner', excluded.role) > instr('viewer operator owner', role)",
        )
        .bind(site.0)
        .bind(person)
        .bind(role.as_str())
        .bind(now.as_micros())
        .execute(&mut *connection)
        .await?;
    }
    if invitation.is_administrator {
        sqlx::query("UPDATE person SET is_administrator = 1 WHERE id = ?").bind(person).execute(connection).await?;
    }
    Ok(())
}

impl Store {
    /// Makes an invitation. There are `most` of them at a time that have not ended.
    ///
    /// # Errors
    /// [`StoreError::Taken`] if there are that many.
    pub async fn add_invitation(
        &self,
        new: &NewInvitation<'_>,
        most: u32,
        now: Moment,
    ) -> Result<Invitation, StoreError> {
        let row = sqlx::query(
            "INSERT INTO invitation
                (secret_hash, for_whom, site_id, role, is_administrator, person_id, invited_by, created_at, expires_at)
             SELECT ?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9
             WHERE (SELECT count(*) FROM invitation WHERE expires_at > ?8) < ?10 RETURNING *",
        )
        .bind(new.secret_hash)
        .bind(new.for_whom)
        .bind(new.role.map(|(site, _)| site.0))
        .bind(new.role.map(|(_, role)| role.as_str()))
        .bind(new.is_administrator)
        .bind(new.person)
        .bind(new.invited_by)
        .bind(now.as_micros())
        .bind(new.expires_at.as_micros())
        .bind(most)
        .fetch_optional(&self.write)
        .await?
        .ok_or(StoreError::Taken)?;
        Ok(invitation(&row)?)
    }

    /// The invitation of a secret, if it has not been used and has not ended.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn invitation(&self, secret_hash: &[u8], now: Moment) -> Result<Invitation, StoreError> {
        let row = sqlx::query("SELECT * FROM invitation WHERE secret_hash = ? AND expires_at > ?")
            .bind(secret_hash)
            .bind(now.as_micros())
            .fetch_one(&self.read)
            .await?;
        Ok(invitation(&row)?)
    }

    /// Invitations to a site, or those to none, that wait to be used; those after one, the first ones first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn invitations(
        &self,
        site: Option<SiteId>,
        after: i64,
        limit: u32,
        now: Moment,
    ) -> Result<Vec<Invitation>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM invitation WHERE site_id IS ? AND id > ? AND expires_at > ? ORDER BY id LIMIT ?",
        )
        .bind(site.map(|site| site.0))
        .bind(after)
        .bind(now.as_micros())
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(invitation).collect::<Result<_, _>>()?)
    }

    /// Withdraws an invitation to a site, or one to none.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn withdraw_invitation(&self, site: Option<SiteId>, id: i64) -> Result<Invitation, StoreError> {
        let row = sqlx::query("DELETE FROM invitation WHERE site_id IS ? AND id = ? RETURNING *")
            .bind(site.map(|site| site.0))
            .bind(id)
            .fetch_one(&self.write)
            .await?;
        Ok(invitation(&row)?)
    }

    /// Lets a new person in by an invitation, which is used up.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if it has been used or has ended, [`StoreError::Taken`] if somebody has or
    /// had the name. Then it can still be used.
    pub async fn come_in(&self, id: i64, name: &str, password_hash: &str, now: Moment) -> Result<Person, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let invitation = spend(&mut transaction, id, now).await?;
        let row = sqlx::query("INSERT INTO person (name, password_hash, created_at) VALUES (?, ?, ?) RETURNING *")
            .bind(name)
            .bind(password_hash)
            .bind(now.as_micros())
            .fetch_one(&mut *transaction)
            .await?;
        let mut newcomer = person(&row)?;
        give(&mut transaction, &invitation, newcomer.id, now).await?;
        newcomer.is_administrator = invitation.is_administrator;
        transaction.commit().await?;
        Ok(newcomer)
    }

    /// Gives somebody who is here already what an invitation gives, and uses it up.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if it has been used or has ended.
    pub async fn accept_invitation(&self, id: i64, person: i64, now: Moment) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let invitation = spend(&mut transaction, id, now).await?;
        give(&mut transaction, &invitation, person, now).await?;
        Ok(transaction.commit().await?)
    }

    /// Sets the password of the person a one-time address is for, ends all their log-ins and tokens, and
    /// uses the address up.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if it has been used or has ended.
    pub async fn renew_password(&self, id: i64, password_hash: &str, now: Moment) -> Result<Person, StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        let invitation = spend(&mut transaction, id, now).await?;
        let row = sqlx::query("UPDATE person SET password_hash = ? WHERE id = ? AND removed_at IS NULL RETURNING *")
            .bind(password_hash)
            .bind(invitation.person)
            .fetch_one(&mut *transaction)
            .await?;
        sqlx::query("DELETE FROM session WHERE person_id = ?")
            .bind(invitation.person)
            .execute(&mut *transaction)
            .await?;
        transaction.commit().await?;
        person(&row)
    }
}
