//! Devices and signals as they are now.

use crate::{Attention, Connection, DeviceState, Direction, LinkCounts, LinkValue, Presence, Reading, ValueType};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Direction and rate of change over the last readings.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Trend {
    /// Which way.
    pub direction: Direction,
    /// In the signal's unit per hour.
    pub per_hour: f64,
}

/// A signal as it is now.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SignalNow {
    /// The signal's code.
    pub signal: String,
    /// Its name for people.
    pub name: String,
    /// The type of its values.
    #[serde(rename = "type")]
    pub value_type: ValueType,
    /// UCUM code of its unit.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// How the unit is shown.
    pub symbol: String,
    /// Decimals its values are worth, 0 to 6: show no more.
    pub decimals: u8,
    /// Whether its values are made of what was sent, or of other signals, and so have
    /// digits that nobody measured.
    #[serde(default)]
    pub worked_out: bool,
    /// The last reading.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last: Option<Reading>,
    /// How long ago that was by the service's clock, in seconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub age_s: Option<f64>,
    /// Which way it is going; absent with fewer than two readings.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub trend: Option<Trend>,
    /// The newest reading, if it is newer than the last good one and not good.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub doubt: Option<Reading>,
}

/// A short run of means for a small picture.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Trace {
    /// The signal shown.
    pub signal: String,
    /// Start of the first bucket.
    pub from: String,
    /// Width of a bucket, in seconds.
    pub width_s: f64,
    /// One mean for each bucket; `null` where nothing was heard.
    pub means: Vec<Option<f64>>,
}

/// A device as it is now.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct DeviceNow {
    /// The device's code.
    pub device: String,
    /// Its name for people.
    pub name: String,
    /// How it is doing.
    pub presence: Presence,
    /// Since when; absent if it was never heard.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub since: Option<String>,
    /// When it last delivered something.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last_heard_at: Option<String>,
    /// How often it is expected to report, in seconds.
    pub interval_s: f64,
    /// How far it is.
    #[serde(default)]
    pub state: DeviceState,
    /// Where it stands, in words; empty if nobody said.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub place: String,
    /// The kind it was made from.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub kind: Option<String>,
    /// What needs attention, the most urgent first; empty if all is well.
    #[serde(default)]
    pub attention: Vec<Attention>,
    /// Its connection, if its protocol keeps one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub connection: Option<Connection>,
    /// Its battery.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub battery: Option<LinkValue>,
    /// How well it is received.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub link: Option<LinkValue>,
    /// How its messages came through in the last 24 hours, if they are counted.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub day: Option<LinkCounts>,
    /// The devices whose messages it carries, if it carries any.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub carries: Option<Carries>,
    /// How far its clock is behind by its last messages (arrival minus the sender's time), in
    /// seconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub clock_offset_s: Option<f64>,
    /// Its signals in the order they were declared.
    pub signals: Vec<SignalNow>,
    /// The last two hours of its first number signal, if asked for.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub trace: Option<Trace>,
}

/// How many devices one carries, and how they are doing.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Carries {
    /// All of them.
    pub devices: u32,
    /// Those that are fresh.
    pub fresh: u32,
}
