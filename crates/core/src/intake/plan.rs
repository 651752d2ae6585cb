//! What is known of a device whose values come in.

use crate::fix::FixPart;
use crate::{SignalId, ValueType};
use std::collections::HashMap;

/// What the intake knows of one device: its signals by the names senders use.
#[derive(Debug, Clone, Default)]
pub struct Plan {
    signals: HashMap<String, PlannedSignal>,
    /// Names of parts of a position, with the name of that.
    parts: HashMap<String, (String, FixPart)>,
}

/// One signal of a [`Plan`].
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlannedSignal {
    /// Where its readings go.
    pub id: SignalId,
    /// The declared type; `None` while it is an arrival, which takes any.
    pub value_type: Option<ValueType>,
    /// UCUM code of the unit its values are sent in, unless they say another.
    pub unit: Option<String>,
    /// It is worked out by a formula: nobody sends it.
    pub is_derived: bool,
    /// An arrival that nobody wants: what is sent under its name is passed over.
    pub is_ignored: bool,
}

impl PlannedSignal {
    /// A declared signal without a unit.
    #[must_use]
    pub const fn declared(id: SignalId, value_type: ValueType) -> Self {
        Self { id, value_type: Some(value_type), unit: None, is_derived: false, is_ignored: false }
    }
}

impl Plan {
    /// Adds a signal under a name.
    pub fn insert(&mut self, name: impl Into<String>, signal: PlannedSignal) {
        self.signals.insert(name.into(), signal);
    }

    /// The signal of a name.
    #[must_use]
    pub fn get(&self, name: &str) -> Option<&PlannedSignal> {
        self.signals.get(name)
    }

    /// Says that a name is a part of a position, and no longer a signal's own.
    pub fn insert_part(&mut self, name: impl Into<String>, position: impl Into<String>, part: FixPart) {
        let name = name.into();
        self.signals.remove(&name);
        self.parts.insert(name, (position.into(), part));
    }

    /// The position that a name is a part of, and which.
    #[must_use]
    pub fn part(&self, name: &str) -> Option<(&str, FixPart)> {
        self.parts.get(name).map(|(position, part)| (position.as_str(), *part))
    }

    /// The one declared number, if there is just one: where a bare number goes.
    #[must_use]
    pub fn only_number(&self) -> Option<&str> {
        let mut numbers = self.signals.iter().filter(|(_, s)| s.value_type == Some(ValueType::Number));
        let (name, _) = numbers.next()?;
        numbers.next().is_none().then_some(name.as_str())
    }

    /// How many names are waiting as arrivals.
    #[must_use]
    pub fn waiting(&self) -> usize {
        self.signals.values().filter(|s| s.value_type.is_none()).count()
    }
}
