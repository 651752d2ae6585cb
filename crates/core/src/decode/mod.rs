//! Payloads to named raw values.
//!
//! A decoder knows nothing of devices and signals: it says which names the
//! sender used, at which time, and what it wrote for them.

mod csv;
mod json;
mod pairs;

pub use csv::csv;
pub use json::json;
pub use pairs::pairs;

use crate::{Moment, Refusal, RefusalCode};
use std::borrow::Cow;

/// The most readings one request may hold.
pub const MAX_READINGS: usize = 10_000;
/// How deep objects may be nested; names of inner values are joined with dots.
pub const MAX_DEPTH: usize = 8;

/// A value as the sender wrote it.
#[derive(Debug, Clone, PartialEq)]
pub enum Raw<'a> {
    /// Always finite.
    Number(f64),
    /// Yes or no.
    Flag(bool),
    /// Not yet bounded in length.
    Text(Cow<'a, str>),
}

/// A named value with the time the sender gave it, if it gave one.
#[derive(Debug, Clone, PartialEq)]
pub struct Item<'a> {
    /// The sender's name for it.
    pub name: Cow<'a, str>,
    /// `None`: the time of arrival holds.
    pub at: Option<Moment>,
    /// What was sent.
    pub value: Raw<'a>,
}

/// What a payload holds.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Decoded<'a> {
    /// Values in the order they were sent, at most [`MAX_READINGS`].
    pub items: Vec<Item<'a>>,
    /// Values that could not be read, beside the good ones.
    pub refused: Vec<Refusal>,
}

impl<'a> Decoded<'a> {
    fn push(&mut self, item: Item<'a>) -> Result<(), Refusal> {
        self.check_room()?;
        self.items.push(item);
        Ok(())
    }

    fn refuse(&mut self, refusal: Refusal) -> Result<(), Refusal> {
        self.check_room()?;
        self.refused.push(refusal);
        Ok(())
    }

    fn check_room(&self) -> Result<(), Refusal> {
        if self.items.len() + self.refused.len() < MAX_READINGS {
            return Ok(());
        }
        let detail = format!("The request holds more than {MAX_READINGS} readings; none was kept.");
        Err(Refusal::whole(RefusalCode::TooManyReadings, detail))
    }

    /// Gives all items from `first` on the time a sender wrote beside them; if
    /// that cannot be read they are refused, for a wrong time would misplace them.
    fn set_time(&mut self, first: usize, at: Result<Moment, Refusal>) -> Result<(), Refusal> {
        match at {
            Ok(at) => {
                self.items[first..].iter_mut().for_each(|item| item.at = Some(at));
                Ok(())
            }
            Err(refusal) => {
                let names: Vec<_> = self.items.drain(first..).map(|item| item.name).collect();
                let detail = if names.is_empty() {
                    refusal.detail
                } else {
                    let mut shown = names.iter().take(5).map(AsRef::as_ref).collect::<Vec<_>>().join(", ");
                    if names.len() > 5 {
                        shown.push_str(", …");
                    }
                    format!("{} {} of that time not kept: {shown}.", refusal.detail, names.len())
                };
                self.refuse(Refusal { detail, ..refusal })
            }
        }
    }

    fn finish(self) -> Result<Self, Refusal> {
        if self.items.is_empty() && self.refused.is_empty() {
            return Err(Refusal::whole(RefusalCode::NoValues, "The request holds no values."));
        }
        Ok(self)
    }
}

fn bad_time(error: &crate::MomentError) -> Refusal {
    Refusal::of(RefusalCode::BadTime, "at", format!("The time {error}."))
}
