use crate::{FixPart, NewSignal, Presence, Reading, ValueType};
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

/// Which signals or arrivals of a device become one position.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct JoinPosition {
    /// Code of the signal of positions; it is made if it is not there.
    pub into: String,
    /// Its name, if it is made; by default made from the code.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<String>,
    /// The signal of degrees north.
    pub latitude: String,
    /// The signal of degrees east.
    pub longitude: String,
    /// The signal of metres above sea level.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub altitude: Option<String>,
    /// The signal of within how many metres it is true.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub accuracy: Option<String>,
}

impl JoinPosition {
    /// The parts that are given, with the names of their signals.
    pub fn parts(&self) -> impl Iterator<Item = (FixPart, &str)> {
        let parts = [Some(&self.latitude), Some(&self.longitude), self.altitude.as_ref(), self.accuracy.as_ref()];
        FixPart::ALL.into_iter().zip(parts).filter_map(|(part, name)| Some((part, name?.as_str())))
    }
}

/// What became of them.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct JoinedPosition {
    /// The signal of positions.
    pub signal: String,
    /// Positions that were made of readings of the same time.
    pub joined: u64,
    /// Readings without their other half. If there are any, they stay where they are, and
    /// so do their signals.
    pub left: u64,
}
