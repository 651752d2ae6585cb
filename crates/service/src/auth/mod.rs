//! Who may do what: secrets, passwords, sessions, the first owner.

mod guard;
mod password;
mod secret;
mod throttle;

pub(crate) use guard::{Access, Change, Commander, SESSION_COOKIE, csrf_of};
pub(crate) use password::{hash_password, verify_password};
pub(crate) use secret::{SetUpCode, fingerprint, hash, hash_certificate, new_key, new_token};
pub(crate) use throttle::{Caller, Throttle};
