//! Where a value comes from.

use crate::{Contact, HandReading, OtherValue, Reading, TriedStep, Value};
use lantern_core::Value as ReadingValue;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A version of a meaning, and who made it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct VersionMade {
    /// Its number.
    pub version: u32,
    /// Who made it.
    pub made_by: String,
    /// When.
    pub made_at: String,
}

/// A value was made again from what was sent.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Remade {
    /// Who asked for it.
    pub by: String,
    /// When it was done.
    pub at: String,
}

/// Where the value of a signal at a time comes from.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Origin {
    /// The signal, as `DEVICE/SIGNAL`.
    pub signal: String,
    /// The reading: the last one up to the time that was asked for.
    pub reading: Reading,
    /// Its unit, a UCUM code.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// How that is shown.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub symbol: String,
    /// What was sent; absent for what was worked out or entered by hand.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schema(value_type = Option<ReadingValue>)]
    pub sent: Option<Value>,
    /// The unit of that, if it is declared to be another.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sent_unit: Option<String>,
    /// The attempt to deliver with which it came, if it is still in the log: the first after its time that brought
    /// readings as old.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub contact: Option<Contact>,
    /// Whose decoder read it, if one did.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub decoder: Option<String>,
    /// Who entered it by hand.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hand: Option<HandReading>,
    /// What each step of its conversion makes of what was sent, by the meaning as it is now.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<TriedStep>,
    /// Whether its meaning remembers what was before, so that the steps may differ from what was made then.
    #[serde(default)]
    pub remembers: bool,
    /// The version of its meaning that was in force.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub version: Option<VersionMade>,
    /// Who had it made again from what was sent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub remade: Option<Remade>,
    /// The formula it is worked out by.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub formula: Option<String>,
    /// What other signals said then that it is made of or checked against.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub others: Vec<OtherValue>,
}
