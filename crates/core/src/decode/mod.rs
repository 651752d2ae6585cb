//! Payloads to named raw values.
//!
//! Decoding knows nothing of devices and signals: it says which names the
//! sender used, at which time, and what it wrote for them. JSON, CBOR, SenML,
//! forms and CSV carry names of their own; for everything else a
//! [`Decoder`] describes the payload.

mod cbor;
mod csv;
pub mod decoder;
mod guess;
mod json;
mod pairs;
mod record;
mod remark;
mod times;

pub use cbor::cbor;
pub use csv::csv;
pub use decoder::Decoder;
pub use guess::{Dialect, guess};
pub use json::json;
pub use pairs::pairs;
pub(crate) use record::no_interval;
pub(crate) use remark::note;
pub use remark::{Remark, RemarkCode};
pub use times::{MAX_AHEAD_SECONDS, Times};

use crate::fix::Fix;
use crate::{Moment, Refusal, RefusalCode};
use std::borrow::Cow;
use std::collections::HashMap;

/// The most readings one request may hold.
pub const MAX_READINGS: usize = 10_000;
/// How deep objects may be nested; names of inner values are joined with dots.
pub const MAX_DEPTH: usize = 8;
/// Names beside values that give their time, and so cannot name a signal.
pub const TIME_NAMES: [&str; 3] = ["at", "ago", "every"];

/// A value as the sender wrote it.
#[derive(Debug, Clone, PartialEq)]
pub enum Raw<'a> {
    /// Always finite.
    Number(f64),
    /// Yes or no.
    Flag(bool),
    /// Not yet bounded in length.
    Text(Cow<'a, str>),
    /// A few numbers in a row that are no samples, since nothing says how far apart they are.
    List(Vec<f64>),
    /// A position whose parts were sent together.
    Position(Fix),
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
    /// The unit the sender names, if it does.
    pub unit: Option<Cow<'a, str>>,
    /// The device the payload says it is of, if it describes several.
    pub device: Option<Cow<'a, str>>,
}

impl<'a> Item<'a> {
    /// A value without time, unit or device of its own.
    pub(crate) fn new(name: impl Into<Cow<'a, str>>, value: Raw<'a>) -> Self {
        Self { name: name.into(), at: None, value, unit: None, device: None }
    }
}

/// What a payload holds.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Decoded<'a> {
    /// Values in the order they were sent, at most [`MAX_READINGS`].
    pub items: Vec<Item<'a>>,
    /// Values that could not be read, beside the good ones.
    pub refused: Vec<Refusal>,
    /// What is worth knowing although it was taken.
    pub remarks: Vec<Remark>,
    /// What the payload calls its one sender: the base name of a SenML pack.
    pub sender: Option<String>,
    /// How many of the items are samples of waveforms.
    pub samples: usize,
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

    /// Notes something worth knowing; of each sort the first stands for all.
    pub fn remark(&mut self, remark: Remark) {
        note(&mut self.remarks, remark);
    }

    /// Takes in what another part of the same payload holds.
    ///
    /// # Errors
    /// A [`Refusal`] of the whole request if both together are too many.
    pub fn join(&mut self, other: Self) -> Result<(), Refusal> {
        for item in other.items {
            self.push(item)?;
        }
        for refusal in other.refused {
            self.refuse(refusal)?;
        }
        other.remarks.into_iter().for_each(|remark| self.remark(remark));
        self.sender = self.sender.take().or(other.sender);
        self.samples += other.samples;
        Ok(())
    }

    /// The time that tells how the sender's clock goes: its newest, unless it
    /// delivers a backlog, whose times lie over a minute apart.
    #[must_use]
    pub fn clock_time(&self) -> Option<Moment> {
        let times = || self.items.iter().filter_map(|item| item.at);
        let (oldest, newest) = (times().min()?, times().max()?);
        (newest.seconds_since(oldest) <= 60.0).then_some(newest)
    }

    /// Splits what describes several devices: by device in the order they come,
    /// with `None` for values that name none. Refusals and remarks stay with the
    /// first part.
    #[must_use]
    pub fn by_device(mut self) -> Vec<(Option<String>, Self)> {
        if self.items.iter().all(|item| item.device.is_none()) {
            return vec![(None, self)];
        }
        let mut parts: Vec<(Option<String>, Self)> = Vec::new();
        let mut places: HashMap<Option<String>, usize> = HashMap::new();
        for mut item in std::mem::take(&mut self.items) {
            let device = item.device.take().map(Cow::into_owned);
            let place = *places.entry(device).or_insert_with_key(|device| {
                parts.push((device.clone(), Self::default()));
                parts.len() - 1
            });
            parts[place].1.items.push(item);
        }
        if let Some((_, first)) = parts.first_mut() {
            first.refused = self.refused;
            first.remarks = self.remarks;
            first.samples = self.samples;
        }
        parts
    }

    /// Nothing is borrowed any more from the payload.
    #[must_use]
    pub fn into_owned(self) -> Decoded<'static> {
        let own = |text: Cow<'a, str>| Cow::<'static, str>::Owned(text.into_owned());
        let items = self.items.into_iter().map(|item| Item {
            name: own(item.name),
            at: item.at,
            value: match item.value {
                Raw::Number(number) => Raw::Number(number),
                Raw::Flag(flag) => Raw::Flag(flag),
                Raw::Text(text) => Raw::Text(own(text)),
                Raw::List(list) => Raw::List(list),
                Raw::Position(fix) => Raw::Position(fix),
            },
            unit: item.unit.map(own),
            device: item.device.map(own),
        });
        Decoded {
            items: items.collect(),
            refused: self.refused,
            remarks: self.remarks,
            sender: self.sender,
            samples: self.samples,
        }
    }

    fn finish(self) -> Result<Self, Refusal> {
        if self.items.is_empty() && self.refused.is_empty() {
            return Err(Refusal::whole(RefusalCode::NoValues, "The request holds no values."));
        }
        Ok(self)
    }
}

/// Enough of a sender's text to be recognised in an answer.
fn short(text: &str) -> String {
    text.chars().take(80).collect()
}
