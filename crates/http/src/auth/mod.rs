//! Who may do what: passwords, sessions, the first owner.

mod guard;
mod password;
mod set_up_code;
mod throttle;

pub(crate) use guard::{Access, Change, Commander, SESSION_COOKIE, csrf_of};
pub(crate) use password::{hash_password, verify_password};
pub use set_up_code::SetUpCode;
pub(crate) use throttle::{Caller, Throttle};
