use crate::{Presence, ValueType};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A value: a JSON number, true or false, or a text.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(untagged)]
pub enum Value {
    /// Yes or no.
    Flag(bool),
    /// A finite number.
    Number(f64),
    /// A text.
    Text(String),
}

/// One value at its time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Reading {
    /// When it was measured.
    pub at: String,
    /// What was measured, in the signal's unit.
    pub value: Value,
    /// Its device is in trial: it may be cleared when the device goes live.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub trial: bool,
}

/// Which way a value is going.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Direction {
    /// Going up.
    Rising,
    /// Going down.
    Falling,
    /// No change that stands out from the scatter.
    Steady,
}

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
    /// Decimals its values were sent with, 0 to 6: show no more.
    pub decimals: u8,
    /// The last reading.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last: Option<Reading>,
    /// How long ago that was by the service's clock, in seconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub age_s: Option<f64>,
    /// Which way it is going; absent with fewer than two readings.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub trend: Option<Trend>,
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
    pub state: crate::DeviceState,
    /// The median of arrival minus the sender's time over its last messages, in
    /// seconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub clock_offset_s: Option<f64>,
    /// Its signals in the order they were declared.
    pub signals: Vec<SignalNow>,
    /// The last two hours of its first number signal, if asked for.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub trace: Option<Trace>,
}

/// Numbers of one bucket of time. Flags count as 0 and 1.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Bucket {
    /// Start of the bucket, in milliseconds since 1970.
    pub start_ms: f64,
    /// Smallest value.
    pub min: f64,
    /// Largest value.
    pub max: f64,
    /// Arithmetic mean of the readings.
    pub mean: f64,
    /// How many readings.
    pub count: u64,
}

/// Readings of a time in at most 2,000 buckets. Empty ones are left out.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SummarySet {
    /// Start of the time, included.
    pub from: String,
    /// End of the time, excluded.
    pub to: String,
    /// Width of a bucket, in seconds.
    pub width_s: f64,
    /// The buckets with readings, in order of time.
    pub buckets: Vec<Bucket>,
}
