//! Notes: what people write to a time or a span, of a site, a device or a signal.

use crate::types::{found, id_list, moment};
use crate::{Store, StoreError};
use lantern_core::{DeviceId, Moment, NoteId, SignalId, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// What a note is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Topic {
    /// The whole site.
    Site,
    /// A device.
    Device(DeviceId),
    /// A signal of a device.
    Signal(DeviceId, SignalId),
}

impl Topic {
    fn columns(self) -> (Option<i64>, Option<i64>) {
        match self {
            Self::Site => (None, None),
            Self::Device(device) => (Some(device.0), None),
            Self::Signal(device, signal) => (Some(device.0), Some(signal.0)),
        }
    }
}

/// A note as it is to be kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewNote {
    /// What it is about.
    pub topic: Topic,
    /// When it begins, or the one time it is about.
    pub from: Moment,
    /// When it ends, if it is about a span.
    pub to: Option<Moment>,
    /// What it says.
    pub text: String,
}

/// A note.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Note {
    /// Its number.
    pub id: NoteId,
    /// The code of the device it is about.
    pub device: Option<String>,
    /// The code of the signal it is about.
    pub signal: Option<String>,
    /// When it begins, or the one time it is about.
    pub from: Moment,
    /// When it ends, if it is about a span.
    pub to: Option<Moment>,
    /// What it says.
    pub text: String,
    /// Who wrote it, and when.
    pub written: (String, Moment),
    /// Who changed it last, and when.
    pub changed: Option<(String, Moment)>,
}

/// Which notes of a site are wanted.
#[derive(Debug, Clone, Default)]
pub struct NoteFilter {
    /// Those about one of these, or about what they belong to; absent: all.
    pub about: Option<Vec<Topic>>,
    /// Those that are still going on then or begin later.
    pub from: Option<Moment>,
    /// Those that begin before.
    pub to: Option<Moment>,
    /// Those that stand behind this one in the order of the list.
    pub after: Option<(Moment, NoteId)>,
}

const SELECT: &str = "SELECT note.*, device.code AS device, signal.code AS signal
     FROM note LEFT JOIN device ON device.id = note.device_id LEFT JOIN signal ON signal.id = note.signal_id
     WHERE note.site_id = ?1 AND device.removed_at IS NULL AND signal.removed_at IS NULL";

fn note(row: &SqliteRow) -> Result<Note, sqlx::Error> {
    let changed_by: Option<String> = row.try_get("changed_by")?;
    let changed_at: Option<i64> = row.try_get("changed_at")?;
    Ok(Note {
        id: NoteId(row.try_get("id")?),
        device: row.try_get("device")?,
        signal: row.try_get("signal")?,
        from: moment(row.try_get("from_at")?),
        to: row.try_get::<Option<i64>, _>("to_at")?.map(moment),
        text: row.try_get("text")?,
        written: (row.try_get("written_by")?, moment(row.try_get("written_at")?)),
        changed: changed_by.zip(changed_at.map(moment)),
    })
}

impl Store {
    /// Keeps a note.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_note(&self, site: SiteId, new: &NewNote, by: &str, now: Moment) -> Result<Note, StoreError> {
        let (device, signal) = new.topic.columns();
        let done = sqlx::query(
            "INSERT INTO note (site_id, device_id, signal_id, from_at, to_at, text, written_by, written_at)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(site.0)
        .bind(device)
        .bind(signal)
        .bind(new.from.as_micros())
        .bind(new.to.map(Moment::as_micros))
        .bind(&new.text)
        .bind(by)
        .bind(now.as_micros())
        .execute(&self.write)
        .await?;
        self.note(site, NoteId(done.last_insert_rowid())).await
    }

    /// Makes a note another one; who wrote it first is kept.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn change_note(
        &self,
        site: SiteId,
        id: NoteId,
        new: &NewNote,
        by: &str,
        now: Moment,
    ) -> Result<Note, StoreError> {
        let (device, signal) = new.topic.columns();
        sqlx::query(
            "UPDATE note SET device_id = ?3, signal_id = ?4, from_at = ?5, to_at = ?6, text = ?7, changed_by = ?8,
                 changed_at = ?9
             WHERE site_id = ?1 AND id = ?2",
        )
        .bind(site.0)
        .bind(id.0)
        .bind(device)
        .bind(signal)
        .bind(new.from.as_micros())
        .bind(new.to.map(Moment::as_micros))
        .bind(&new.text)
        .bind(by)
        .bind(now.as_micros())
        .execute(&self.write)
        .await?;
        self.note(site, id).await
    }

    /// Removes a note.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn remove_note(&self, site: SiteId, id: NoteId) -> Result<(), StoreError> {
        let done = sqlx::query("DELETE FROM note WHERE site_id = ? AND id = ?")
            .bind(site.0)
            .bind(id.0)
            .execute(&self.write)
            .await?;
        found(done.rows_affected())
    }

    /// A note of a site.
    ///
    /// # Errors
    /// [`StoreError::NotFound`], also for one whose device or signal is removed.
    pub async fn note(&self, site: SiteId, id: NoteId) -> Result<Note, StoreError> {
        let row = sqlx::query(sqlx::AssertSqlSafe(format!("{SELECT} AND note.id = ?2")))
            .bind(site.0)
            .bind(id.0)
            .fetch_one(&self.read)
            .await?;
        Ok(note(&row)?)
    }

    /// Notes of a site, those that begin last first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn notes(&self, site: SiteId, filter: &NoteFilter, limit: u32) -> Result<Vec<Note>, StoreError> {
        let about = filter.about.as_deref();
        let topics = || about.unwrap_or_default().iter();
        let whole = topics().filter_map(|topic| if let Topic::Device(device) = topic { Some(device.0) } else { None });
        let holders = topics().filter_map(|topic| topic.columns().0);
        let signals = topics().filter_map(|topic| topic.columns().1);
        let (after, after_id) = filter.after.map_or((i64::MAX, i64::MAX), |(at, id)| (at.as_micros(), id.0));
        let rows = sqlx::query(sqlx::AssertSqlSafe(format!(
            "{SELECT} AND note.from_at < ?2 AND coalesce(note.to_at, note.from_at) >= ?3
                 AND (note.from_at, note.id) < (?4, ?5)
                 AND (?6 OR note.device_id IS NULL
                     OR note.device_id IN (SELECT value FROM json_each(?7))
                     OR note.device_id IN (SELECT value FROM json_each(?8)) AND note.signal_id IS NULL
                     OR note.signal_id IN (SELECT value FROM json_each(?9)))
             ORDER BY note.from_at DESC, note.id DESC LIMIT ?10"
        )))
        .bind(site.0)
        .bind(filter.to.map_or(i64::MAX, Moment::as_micros))
        .bind(filter.from.map_or(i64::MIN, Moment::as_micros))
        .bind(after)
        .bind(after_id)
        .bind(about.is_none())
        .bind(id_list(whole))
        .bind(id_list(holders))
        .bind(id_list(signals))
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(note).collect::<Result<_, _>>()?)
    }
}
