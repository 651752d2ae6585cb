//! The contact log: attempts to deliver.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::{DeviceId, Moment, SiteId};
use sqlx::Row;

/// Contacts kept of one device, and of all unknown keys together.
pub const CONTACTS_KEPT: u32 = 1_000;
/// Days that contacts are kept.
pub const CONTACT_DAYS: f64 = 30.0;

/// Whose contacts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Caller {
    /// A device, known by its key.
    Device(SiteId, DeviceId),
    /// A sender with a site's key that could not be told which device it is.
    Site(SiteId),
    /// Someone with a key nobody has, or without one.
    Unknown,
}

impl Caller {
    /// The device, if it is one.
    #[must_use]
    pub const fn device(self) -> Option<DeviceId> {
        match self {
            Self::Device(_, device) => Some(device),
            Self::Site(_) | Self::Unknown => None,
        }
    }

    /// The site, if it is known.
    #[must_use]
    pub const fn site(self) -> Option<SiteId> {
        match self {
            Self::Device(site, _) | Self::Site(site) => Some(site),
            Self::Unknown => None,
        }
    }
}

/// One line of the log.
#[derive(Debug, Clone, PartialEq)]
pub struct Contact {
    /// Row id; grows with time.
    pub id: i64,
    /// When it was, or when the last of several equal ones was.
    pub at: Moment,
    /// What there is to say, a JSON document.
    pub details: String,
    /// The beginning of the payload, where that is kept.
    pub payload: Option<Vec<u8>>,
}

/// A line to be written.
#[derive(Debug, Clone)]
pub struct NewContact {
    /// Whose it is.
    pub caller: Caller,
    /// See [`Contact::at`].
    pub at: Moment,
    /// See [`Contact::details`].
    pub details: String,
    /// See [`Contact::payload`].
    pub payload: Option<Vec<u8>>,
}

impl Store {
    /// Writes lines of the log, in order.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_contacts(&self, contacts: &[NewContact]) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for contact in contacts {
            sqlx::query("INSERT INTO contact (site_id, device_id, at, details, payload) VALUES (?, ?, ?, ?, ?)")
                .bind(contact.caller.site().map(|s| s.0))
                .bind(contact.caller.device().map(|d| d.0))
                .bind(contact.at.as_micros())
                .bind(&contact.details)
                .bind(contact.payload.as_deref())
                .execute(&mut *transaction)
                .await?;
        }
        Ok(transaction.commit().await?)
    }

    /// Deletes what is too much or too old of some callers' lines.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn trim_contacts(&self, callers: &[Caller], now: Moment) -> Result<(), StoreError> {
        let oldest = now.plus_seconds(-CONTACT_DAYS * 86_400.0).as_micros();
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for caller in callers {
            sqlx::query(
                "DELETE FROM contact WHERE device_id IS ?1 AND site_id IS ?2 AND (at < ?3 OR id <=
                     (SELECT id FROM contact WHERE device_id IS ?1 AND site_id IS ?2
                      ORDER BY id DESC LIMIT 1 OFFSET ?4))",
            )
            .bind(caller.device().map(|d| d.0))
            .bind(caller.site().map(|s| s.0))
            .bind(oldest)
            .bind(CONTACTS_KEPT)
            .execute(&mut *transaction)
            .await?;
        }
        Ok(transaction.commit().await?)
    }

    /// A caller's lines before the given id, newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn contacts(&self, caller: Caller, before: i64, limit: u32) -> Result<Vec<Contact>, StoreError> {
        let rows = sqlx::query(
            "SELECT id, at, details, payload FROM contact
             WHERE device_id IS ? AND site_id IS ? AND id < ? ORDER BY id DESC LIMIT ?",
        )
        .bind(caller.device().map(|d| d.0))
        .bind(caller.site().map(|s| s.0))
        .bind(before)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        let contact = |row: &sqlx::sqlite::SqliteRow| {
            Ok(Contact {
                id: row.try_get("id")?,
                at: moment(row.try_get("at")?),
                details: row.try_get("details")?,
                payload: row.try_get("payload")?,
            })
        };
        Ok(rows.iter().map(contact).collect::<Result<_, sqlx::Error>>()?)
    }
}
