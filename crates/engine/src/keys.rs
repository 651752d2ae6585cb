//! Whose a key is, and what it opens.

use crate::plans::Plans;
use crate::problem::{Class, Problem};
use lantern_core::Moment;
use lantern_store::{Key, KeyOwner, StoreError};

/// The owner of a key by the hash of its secret.
///
/// # Errors
/// A [`Problem`] with code `unknown-key` if nobody has it.
pub async fn known(plans: &Plans, hash: &[u8; 32]) -> Result<KeyOwner, Problem> {
    match plans.key_owner(hash).await {
        Ok(owner) => Ok(owner),
        Err(StoreError::NotFound) => Err(unknown()),
        Err(other) => Err(other.into()),
    }
}

/// Nobody has a key like this.
#[must_use]
pub fn unknown() -> Problem {
    Problem::new(
        Class::NotKnown,
        "unknown-key",
        "Unknown key",
        "No device has this key.",
        "Check the key for missing characters, or issue a new one for the device.",
    )
}

/// Checks that a key can still be used.
///
/// # Errors
/// A [`Problem`] with code `revoked-key` or `expired-key`.
pub fn check(owner: &KeyOwner, now: Moment) -> Result<(), Problem> {
    let forbidden = |code, title, detail: &str, remedy: &'static str| {
        Err(Problem::new(Class::NotAllowed, code, title, detail, remedy))
    };
    if owner.revoked {
        let remedy = "Issue a new key for the device and put it into the sender.";
        return forbidden("revoked-key", "Revoked key", "This key was revoked.", remedy);
    }
    if owner.expires_at.is_some_and(|end| end <= now) {
        let remedy = "Issue a new key, or replace the old one before it ends next time.";
        return forbidden("expired-key", "Expired key", "The time of this key is over.", remedy);
    }
    Ok(())
}

/// Whether a key can be used for sending now.
#[must_use]
pub fn may_send(key: &Key, now: Moment) -> bool {
    key.grants.send && key.revoked_at.is_none() && key.expires_at.is_none_or(|end| end > now)
}

/// Checks that a key is granted sending.
///
/// # Errors
/// A [`Problem`] with code `not-granted`.
pub fn check_send(owner: &KeyOwner) -> Result<(), Problem> {
    if owner.grants.send {
        return Ok(());
    }
    Err(Problem::not_granted("This key is not for sending.", "Use a key that is granted `send`."))
}
