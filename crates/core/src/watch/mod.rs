//! Watches: rules that say when something is wrong.
//!
//! A [`Watch`] is what people write. Bound to a signal it is a [`Rule`], whose limits are in the signal's
//! unit. A [`Judge`] takes the readings of one signal in order and gives [`Edge`]s: when the condition has
//! held for long enough, and when it has not. What it remembers is plain data, so that it goes on after a
//! restart as if there had been none.
//!
//! | file | holds |
//! |---|---|
//! | `written` | a watch as it is written |
//! | `check` | whether it makes sense for a signal, and its limits in that signal's unit |
//! | `test` | what one reading says, with what the test remembers |
//! | `window` | the lowest and highest value of the last seconds, in bounded memory |
//! | `hours` | the hours in which a watch counts |
//! | `judge` | delays on and off: from what readings say to edges |
//! | `tried` | what a watch would have done, over history |
//! | `words` | what a watch looks for, in words |
//!
//! It does no I/O, reads no clock, and knows nothing of who is told.

mod area;
mod check;
mod hours;
mod judge;
mod test;
mod tried;
mod window;
mod words;
mod written;

pub use area::Area;
pub use check::{Rule, WatchError};
pub(crate) use hours::Shift;
pub use hours::{Day, Hours};
pub use judge::{Edge, Judge, Memory};
pub use test::Seen;
pub use tried::{Occurrence, Rating, Remark, Tried, rate};
pub use written::{Direction, Least, Scope, Subject, Watch, When};
