//! People of a site.

use crate::person::person;
use crate::types::{found, moment, word};
use crate::{Person, Store, StoreError};
use lantern_core::access::Role;
use lantern_core::{Moment, SiteId};
use sqlx::Row;

/// A person with a role on a site.
#[derive(Debug, Clone)]
pub struct Member {
    /// Who.
    pub person: Person,
    /// What they are there.
    pub role: Role,
    /// Since when.
    pub since: Moment,
}

/// A site on which a person has a role.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Joined {
    /// The site.
    pub site: SiteId,
    /// What they are there.
    pub role: Role,
}

impl Store {
    /// Gives a person a role on a site, in place of the one they have.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn set_member(&self, site: SiteId, person: i64, role: Role, now: Moment) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO member (site_id, person_id, role, since) VALUES (?, ?, ?, ?)
             ON CONFLICT (site_id, person_id) DO UPDATE SET role = excluded.role, since = excluded.since
             WHERE role <> excluded.role",
        )
        .bind(site.0)
        .bind(person)
        .bind(role.as_str())
        .bind(now.as_micros())
        .execute(&self.write)
        .await?;
        Ok(())
    }

    /// Takes a person's role on a site away.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if they had none.
    pub async fn remove_member(&self, site: SiteId, person: i64) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM member WHERE site_id = ? AND person_id = ?")
            .bind(site.0)
            .bind(person)
            .execute(&self.write)
            .await?;
        found(done.rows_affected())
    }

    /// People with a role on a site, by name, those after one. Administrators without one are not among them.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn members(&self, site: SiteId, after: &str, limit: u32) -> Result<Vec<Member>, StoreError> {
        let rows = sqlx::query(
            "SELECT person.*, member.role, member.since FROM member JOIN person ON person.id = member.person_id
             WHERE member.site_id = ? AND person.name > ? COLLATE NOCASE ORDER BY person.name LIMIT ?",
        )
        .bind(site.0)
        .bind(after)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        let member = |row: &sqlx::sqlite::SqliteRow| {
            Ok(Member { person: person(row)?, role: word(row, "role")?, since: moment(row.try_get("since")?) })
        };
        rows.iter().map(member).collect()
    }

    /// A person's role on a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] if they have none.
    pub async fn member(&self, site: SiteId, person: i64) -> Result<Role, StoreError> {
        let row = sqlx::query("SELECT role FROM member WHERE site_id = ? AND person_id = ?")
            .bind(site.0)
            .bind(person)
            .fetch_one(&self.read)
            .await?;
        Ok(word(&row, "role")?)
    }

    /// The sites where a person has a role, `most` of them.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn joined(&self, person: i64, most: u32) -> Result<Vec<Joined>, StoreError> {
        let rows = sqlx::query("SELECT site_id, role FROM member WHERE person_id = ? ORDER BY site_id LIMIT ?")
            .bind(person)
            .bind(most)
            .fetch_all(&self.read)
            .await?;
        let joined = |row: &sqlx::sqlite::SqliteRow| {
            Ok(Joined { site: SiteId(row.try_get("site_id")?), role: word(row, "role")? })
        };
        Ok(rows.iter().map(joined).collect::<Result<_, sqlx::Error>>()?)
    }
}
