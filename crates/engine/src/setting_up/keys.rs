//! Keys of devices and sites.

use super::SetUp;
use crate::changes::{Change, Concerned};
use crate::checks::check_note;
use crate::clock;
use crate::problem::Problem;
use crate::secret;
use lantern_core::{DeviceId, KeyId, Moment, SiteId};
use lantern_store::{Device, Grants, Key, NewKey, Site};

/// Characters of a key that are kept to tell it from others.
const HINT: usize = 4;
/// How long a replaced key is still taken if nobody says it, in seconds: a week.
const OVERLAP_S: f64 = 604_800.0;
/// The longest it can be, in seconds: a year.
const MAX_OVERLAP_S: f64 = 31_622_400.0;

/// Whose keys: a device's, or the site's own.
#[derive(Debug, Clone)]
pub enum KeyHolder {
    /// A device.
    Device(Box<Device>),
    /// The site.
    Site(Box<Site>),
}

impl KeyHolder {
    /// The site.
    #[must_use]
    pub const fn site(&self) -> SiteId {
        match self {
            Self::Device(device) => device.site,
            Self::Site(site) => site.id,
        }
    }

    /// The device, if it is one.
    #[must_use]
    pub const fn device(&self) -> Option<DeviceId> {
        match self {
            Self::Device(device) => Some(device.id),
            Self::Site(_) => None,
        }
    }

    /// The user name that goes with a key: the device's code, or anything.
    #[must_use]
    pub fn user_name(&self) -> &str {
        match self {
            Self::Device(device) => &device.code,
            Self::Site(_) => "any",
        }
    }

    fn concerned(&self) -> Option<Concerned> {
        match self {
            Self::Device(device) => Some(Concerned::from(device.as_ref())),
            Self::Site(_) => None,
        }
    }
}

impl SetUp {
    /// Issues a key, and gives its secret: nobody can have it again.
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn issue_key(
        &self,
        holder: &KeyHolder,
        note: &str,
        grants: Grants,
        expires_at: Option<Moment>,
    ) -> Result<(Key, String), Problem> {
        self.issue_following(holder, note, grants, expires_at, None).await
    }

    async fn issue_following(
        &self,
        holder: &KeyHolder,
        note: &str,
        grants: Grants,
        expires_at: Option<Moment>,
        follows: Option<KeyId>,
    ) -> Result<(Key, String), Problem> {
        check_grants(grants)?;
        let secret = secret::new_key();
        let hint = &secret[secret.len() - HINT..];
        let hash = secret::hash(&secret);
        let new = NewKey { secret_hash: &hash, hint, note: check_note(note)?, grants, expires_at, follows };
        let key = self.store.add_key(holder.site(), holder.device(), new, clock::now()).await?;
        self.changes.carry(Change::Keys(holder.site(), holder.concerned())).await;
        Ok((key, secret))
    }

    /// Takes a certificate (DER) as a key: who proves to have it by TLS needs no secret.
    ///
    /// # Errors
    /// A [`Problem`] with code `taken` if it is a key already.
    pub async fn issue_certificate(
        &self,
        holder: &KeyHolder,
        certificate: &[u8],
        note: &str,
        grants: Grants,
        expires_at: Option<Moment>,
    ) -> Result<Key, Problem> {
        check_grants(grants)?;
        let hash = secret::hash_certificate(certificate);
        let hint = format!("certificate {}", secret::fingerprint(certificate));
        let new =
            NewKey { secret_hash: &hash, hint: &hint, note: check_note(note)?, grants, expires_at, follows: None };
        let added = self.store.add_key(holder.site(), holder.device(), new, clock::now()).await;
        let key = added.map_err(|e| Problem::taken(e, "key of the certificate", &hint))?;
        self.changes.carry(Change::Keys(holder.site(), holder.concerned())).await;
        Ok(key)
    }

    /// One of a holder's keys.
    ///
    /// # Errors
    /// A [`Problem`] with code `not-found`.
    pub async fn key(&self, holder: &KeyHolder, id: KeyId) -> Result<Key, Problem> {
        let key = self.store.key(holder.site(), holder.device(), id).await;
        key.map_err(|e| Problem::missing(e, "key", &id.to_string()))
    }

    /// Revokes a key: it opens nothing from now on.
    ///
    /// # Errors
    /// A [`Problem`] with code `not-found`.
    pub async fn revoke_key(&self, holder: &KeyHolder, id: KeyId) -> Result<Key, Problem> {
        let key = self.key(holder, id).await?;
        let revoked = self.store.revoke_key(key.id, clock::now()).await?;
        self.changes.carry(Change::KeysRevoked(holder.site(), holder.concerned())).await;
        Ok(revoked)
    }

    /// Issues a key with the grants of another, which is taken for `overlap_s` seconds more (0
    /// to 31,622,400; a week if nobody says it).
    ///
    /// # Errors
    /// A [`Problem`] that says what cannot be so.
    pub async fn replace_key(
        &self,
        holder: &KeyHolder,
        id: KeyId,
        overlap_s: Option<f64>,
    ) -> Result<(Key, String), Problem> {
        let overlap_s = overlap_s.unwrap_or(OVERLAP_S);
        if !(0.0..=MAX_OVERLAP_S).contains(&overlap_s) {
            return Err(Problem::invalid("overlap_s", "seconds, from 0 to 31,622,400 (a year)"));
        }
        let old = self.key(holder, id).await?;
        if old.revoked_at.is_some() {
            return Err(Problem::invalid("key", "a revoked key cannot be replaced; issue a new one"));
        }
        let now = clock::now();
        self.store.expire_key(old.id, now.plus_seconds(overlap_s)).await?;
        // The new one ends when the old one would have; if that is past, it has no end.
        let end = old.expires_at.filter(|end| *end > now);
        self.issue_following(holder, &old.note, old.grants, end, Some(old.id)).await
    }
}

fn check_grants(grants: Grants) -> Result<(), Problem> {
    if grants == Grants::default() {
        return Err(Problem::invalid("grants", "at least one of send, read, command"));
    }
    Ok(())
}
