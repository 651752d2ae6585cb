use crate::{NewSignal, Presence, Reading, ValueType};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// An undeclared name that waits with its readings.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Arrival {
    /// The device that sent it.
    pub device: String,
    /// The sender's name for it.
    pub name: String,
    /// When it was first sent.
    pub first_at: String,
    /// Its last values, newest first, at most five.
    pub last: Vec<Reading>,
    /// Readings kept, counted up to a million.
    pub readings: u64,
    /// The type its values have, by its last ones.
    #[serde(rename = "type")]
    pub value_type: ValueType,
    /// The unit the sender named, or the one its name suggests.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// The declared signal whose name it is nearly, if there is one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub like: Option<String>,
    /// Since when it is ignored.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub ignored_at: Option<String>,
}

/// A device that nobody has declared.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct WaitingDevice {
    /// The code it was given.
    pub code: String,
    /// What its sender calls it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub identity: Option<String>,
    /// The device that carried its messages.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub carrier: Option<String>,
    /// When it first delivered something.
    pub first_at: String,
    /// When it last did.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last_heard_at: Option<String>,
    /// How it is doing, judged by a report a minute.
    pub presence: Presence,
    /// The names it sent, with their last values.
    pub names: Vec<Arrival>,
}

/// Where an arrival goes.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(untagged)]
pub enum Claim {
    /// To a declared signal of its device, whose other name it becomes.
    Into(ClaimInto),
    /// To a signal of its own.
    New(NewSignal),
}

/// Names the signal that an arrival belongs to.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ClaimInto {
    /// The signal's code.
    pub into: String,
}

/// What a claim did.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Claimed {
    /// The signal that has the readings now.
    pub signal: String,
    /// Readings that came before and are the signal's now, counted up to a million.
    pub moved: u64,
    /// Readings that are not of the signal's type and stay with the ignored arrival.
    pub left: u64,
}

/// What a waiting device becomes.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DeviceClaim {
    /// The code it is to have; by default the one it was given.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub code: Option<String>,
    /// Its name for people; by default the code.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<String>,
    /// The kind it is of.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub kind: Option<String>,
}
