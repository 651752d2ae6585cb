//! Who may do what, and the record of what they did: rights of routes, guards, sessions, the first person.

mod guard;
mod recording;
pub(crate) mod rights;
mod set_up_code;
mod throttle;

pub(crate) use guard::{Access, Change, Commander, SESSION_COOKIE, csrf_of, origin, standing_on};
pub(crate) use recording::Recording;
pub use set_up_code::SetUpCode;
pub(crate) use throttle::{Caller, Throttle};
