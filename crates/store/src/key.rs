//! Keys of devices and sites.

use crate::types::moment;
use crate::{Store, StoreError};
use lantern_core::{DeviceId, KeyId, Moment, SiteId};
use sqlx::Row;
use sqlx::sqlite::SqliteRow;

/// What a key may be used for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Grants {
    /// Delivering readings.
    pub send: bool,
    /// Reading back what its site has.
    pub read: bool,
    /// Giving commands to devices.
    pub command: bool,
}

impl Grants {
    /// What a sender needs.
    pub const SEND: Self = Self { send: true, read: false, command: false };

    fn to_column(self) -> String {
        let words = [(self.send, "send"), (self.read, "read"), (self.command, "command")];
        words.iter().filter(|(is, _)| *is).map(|(_, word)| *word).collect::<Vec<_>>().join(" ")
    }

    fn from_column(words: &str) -> Self {
        let has = |word| words.split(' ').any(|w| w == word);
        Self { send: has("send"), read: has("read"), command: has("command") }
    }
}

/// A key as its owner sees it: without the secret.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Key {
    /// Row id.
    pub id: KeyId,
    /// The device it belongs to; `None` for a key of the site.
    pub device: Option<DeviceId>,
    /// The last characters of the secret, to tell keys apart.
    pub hint: String,
    /// Free text.
    pub note: String,
    /// What it may be used for.
    pub grants: Grants,
    /// When it was issued.
    pub created_at: Moment,
    /// When it ends.
    pub expires_at: Option<Moment>,
    /// When it was last used.
    pub last_used_at: Option<Moment>,
    /// The address it was last used from.
    pub last_used_from: Option<String>,
    /// When it was revoked.
    pub revoked_at: Option<Moment>,
}

/// What a key is issued with.
#[derive(Debug, Clone)]
pub struct NewKey<'a> {
    /// SHA-256 of the secret.
    pub secret_hash: &'a [u8],
    /// See [`Key::hint`].
    pub hint: &'a str,
    /// See [`Key::note`].
    pub note: &'a str,
    /// See [`Key::grants`].
    pub grants: Grants,
    /// See [`Key::expires_at`].
    pub expires_at: Option<Moment>,
    /// The key it replaces.
    pub follows: Option<KeyId>,
}

/// What is the same for keys that follow one another.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Lineage {
    /// Keys of a device.
    Device(DeviceId),
    /// Keys of a site that replaced one another; the first of them.
    Site(KeyId),
}

/// Whom a key belongs to, for the intake.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct KeyOwner {
    /// Row id of the key.
    pub id: KeyId,
    /// Its site.
    pub site: SiteId,
    /// Its device; `None` for a key of the site.
    pub device: Option<DeviceId>,
    /// What it may be used for.
    pub grants: Grants,
    /// When it ends.
    pub expires_at: Option<Moment>,
    /// Whether it was revoked.
    pub revoked: bool,
    /// What it shares with the keys it followed.
    pub lineage: Lineage,
}

/// A use of a key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeyUse {
    /// Row id of the key.
    pub key: KeyId,
    /// When.
    pub at: Moment,
    /// From which address.
    pub from: String,
}

fn key(row: &SqliteRow) -> Result<Key, sqlx::Error> {
    let time = |column: &str| Ok::<_, sqlx::Error>(row.try_get::<Option<i64>, _>(column)?.map(moment));
    Ok(Key {
        id: KeyId(row.try_get("id")?),
        device: row.try_get::<Option<i64>, _>("device_id")?.map(DeviceId),
        hint: row.try_get("hint")?,
        note: row.try_get("note")?,
        grants: Grants::from_column(row.try_get("grants")?),
        created_at: moment(row.try_get("created_at")?),
        expires_at: time("expires_at")?,
        last_used_at: time("last_used_at")?,
        last_used_from: row.try_get("last_used_from")?,
        revoked_at: time("revoked_at")?,
    })
}

impl Store {
    /// Keeps a new key of a device or, without one, of the site.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn add_key(
        &self,
        site: SiteId,
        device: Option<DeviceId>,
        new: NewKey<'_>,
        now: Moment,
    ) -> Result<Key, StoreError> {
        let row = sqlx::query(
            "INSERT INTO access_key (site_id, device_id, secret_hash, hint, note, grants, created_at, expires_at, lineage)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, (SELECT coalesce(lineage, id) FROM access_key WHERE id = ?)) RETURNING *",
        )
        .bind(site.0)
        .bind(device.map(|d| d.0))
        .bind(new.secret_hash)
        .bind(new.hint)
        .bind(new.note)
        .bind(new.grants.to_column())
        .bind(now.as_micros())
        .bind(new.expires_at.map(Moment::as_micros))
        .bind(new.follows.map(|key| key.0))
        .fetch_one(&self.write)
        .await?;
        Ok(key(&row)?)
    }

    /// Whether any key of a lineage can be used at a time.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn has_usable_key(&self, lineage: Lineage, now: Moment) -> Result<bool, StoreError> {
        let (is_its, id) = match lineage {
            Lineage::Device(device) => ("k.device_id = ?1", device.0),
            Lineage::Site(first) => ("k.device_id IS NULL AND (k.id = ?1 OR k.lineage = ?1)", first.0),
        };
        let sql = format!(
            "SELECT EXISTS (
                 SELECT 1 FROM access_key AS k JOIN site AS s ON s.id = k.site_id LEFT JOIN device AS d ON d.id = k.device_id
                 WHERE {is_its} AND k.revoked_at IS NULL AND (k.expires_at IS NULL OR k.expires_at > ?2)
                     AND s.removed_at IS NULL AND d.removed_at IS NULL)"
        );
        let query = sqlx::query_scalar(sqlx::AssertSqlSafe(sql)).bind(id).bind(now.as_micros());
        Ok(query.fetch_one(&self.read).await?)
    }

    /// Keys of a device or, without one, of the site itself; revoked ones too,
    /// newest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn keys(
        &self,
        site: SiteId,
        device: Option<DeviceId>,
        before: i64,
        limit: u32,
    ) -> Result<Vec<Key>, StoreError> {
        let rows = sqlx::query(
            "SELECT * FROM access_key WHERE site_id = ? AND device_id IS ? AND id < ? ORDER BY id DESC LIMIT ?",
        )
        .bind(site.0)
        .bind(device.map(|d| d.0))
        .bind(before)
        .bind(limit)
        .fetch_all(&self.read)
        .await?;
        Ok(rows.iter().map(key).collect::<Result<_, _>>()?)
    }

    /// One key of a device or, without one, of the site itself.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn key(&self, site: SiteId, device: Option<DeviceId>, id: KeyId) -> Result<Key, StoreError> {
        let row = sqlx::query("SELECT * FROM access_key WHERE site_id = ? AND device_id IS ? AND id = ?")
            .bind(site.0)
            .bind(device.map(|d| d.0))
            .bind(id.0)
            .fetch_one(&self.read)
            .await?;
        Ok(key(&row)?)
    }

    /// Revokes a key; a revoked one keeps its time.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn revoke_key(&self, id: KeyId, now: Moment) -> Result<Key, StoreError> {
        let row = sqlx::query("UPDATE access_key SET revoked_at = coalesce(revoked_at, ?) WHERE id = ? RETURNING *")
            .bind(now.as_micros())
            .bind(id.0)
            .fetch_one(&self.write)
            .await?;
        Ok(key(&row)?)
    }

    /// Lets a key end at a time, if it does not end before.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn expire_key(&self, id: KeyId, at: Moment) -> Result<Key, StoreError> {
        let row = sqlx::query(
            "UPDATE access_key SET expires_at = min(coalesce(expires_at, ?1), ?1) WHERE id = ?2 RETURNING *",
        )
        .bind(at.as_micros())
        .bind(id.0)
        .fetch_one(&self.write)
        .await?;
        Ok(key(&row)?)
    }

    /// Finds the owner of a secret by its hash, revoked and expired keys too.
    /// Keys of removed devices and sites are not found.
    ///
    /// # Errors
    /// [`StoreError::NotFound`].
    pub async fn key_owner(&self, secret_hash: &[u8]) -> Result<KeyOwner, StoreError> {
        let row = sqlx::query(
            "SELECT k.id, coalesce(k.lineage, k.id) AS first, k.site_id, k.device_id, k.grants, k.expires_at, k.revoked_at IS NOT NULL AS revoked
             FROM access_key AS k JOIN site AS s ON s.id = k.site_id LEFT JOIN device AS d ON d.id = k.device_id
             WHERE k.secret_hash = ? AND s.removed_at IS NULL AND d.removed_at IS NULL",
        )
        .bind(secret_hash)
        .fetch_one(&self.read)
        .await?;
        let device = row.try_get::<Option<i64>, _>("device_id")?.map(DeviceId);
        let first = KeyId(row.try_get("first")?);
        Ok(KeyOwner {
            id: KeyId(row.try_get("id")?),
            lineage: device.map_or(Lineage::Site(first), Lineage::Device),
            site: SiteId(row.try_get("site_id")?),
            device,
            grants: Grants::from_column(row.try_get("grants")?),
            expires_at: row.try_get::<Option<i64>, _>("expires_at")?.map(moment),
            revoked: row.try_get("revoked")?,
        })
    }

    /// Notes when and from where keys were last used.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn note_key_use(&self, used: &[KeyUse]) -> Result<(), StoreError> {
        let mut transaction = self.write.begin_with("BEGIN IMMEDIATE").await?;
        for KeyUse { key, at, from } in used {
            sqlx::query("UPDATE access_key SET last_used_at = ?, last_used_from = ? WHERE id = ?")
                .bind(at.as_micros())
                .bind(from)
                .bind(key.0)
                .execute(&mut *transaction)
                .await?;
        }
        Ok(transaction.commit().await?)
    }
}
