//! Callouts: who is told of an alarm, when, and in which words.
//!
//! | file | holds |
//! |---|---|
//! | `address` | where a message goes: mail, text message, webhook, topic |
//! | `roster` | who is called, as it is written |
//! | `duty` | the same, understood: whose turn it is, and what comes next |
//! | `text` | the words of a message: names in braces and what stands for them |
//! | `outbox` | what a message is about, how far it is, how an attempt ended |
//! | `pace` | many alarms in one message, and when a message is tried again |
//!
//! It does no I/O, reads no clock, and sends nothing.

mod address;
mod duty;
mod outbox;
mod pace;
mod roster;
mod text;

pub use address::{Address, Callee, Way};
pub use duty::{Duty, Next, RosterError};
pub use outbox::{AttemptOutcome, CalloutSort, CalloutState};
pub use pace::{GATHERED_S, Recent, gathers, retry_after_s, waits_s};
pub use roster::{Absence, Holiday, Roster, Turn};
pub use text::{TEXT_CHARACTERS, Template, TemplateError, Words, fit_text};
