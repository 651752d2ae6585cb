use crate::{Extreme, Value};
use lantern_core::Value as ReadingValue;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// One value at its time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Reading {
    /// When it was measured.
    pub at: String,
    /// What was measured, in the signal's unit or the one that was asked for.
    #[schema(value_type = ReadingValue)]
    pub value: Value,
    /// How far it can be trusted; absent for good ones.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub quality: Option<ReadingQuality>,
    /// Why it is not good: `range`, `jump`, `frozen`, `outlier`, `marker`, `position`,
    /// `dependent`, `time`, `conversion` or `type`.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub cause: Option<String>,
    /// What was sent, where the value was made of it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<ReadingValue>)]
    pub raw: Option<Value>,
    /// Its device is in trial: it may be cleared when the device goes live.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub trial: bool,
}

/// How far a reading that is not good can be trusted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum ReadingQuality {
    /// Doubtful.
    Suspect,
    /// Certainly wrong.
    Rejected,
}

/// Numbers of one bucket of time. Flags count as 0 and 1.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Bucket {
    /// Start of the bucket, in milliseconds since 1970.
    pub start_ms: f64,
    /// End of the bucket, itself outside, in milliseconds since 1970.
    pub end_ms: f64,
    /// Smallest value.
    pub min: f64,
    /// Largest value.
    pub max: f64,
    /// Arithmetic mean of the readings.
    pub mean: f64,
    /// Mean with each value weighted by how long it held: until the next one, at
    /// most until the device would be called silent.
    pub time_mean: f64,
    /// The first value.
    pub first: f64,
    /// The last value.
    pub last: f64,
    /// How many readings.
    pub count: u64,
}

/// How readings are put into buckets.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum BucketUnit {
    /// From one full hour of the zone's clocks to the next.
    Hour,
    /// From midnight to midnight.
    Day,
    /// From Monday to Monday.
    Week,
    /// From the first to the first.
    Month,
    /// From New Year to New Year.
    Year,
}

/// A time, and the buckets it is divided into.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct DividedTime {
    /// Start of the time, included.
    pub from: String,
    /// End of the time, excluded.
    pub to: String,
    /// Width of a bucket, in seconds; absent for those of the calendar.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub width_s: Option<f64>,
    /// The unit of the calendar, if one was asked for.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub by: Option<BucketUnit>,
    /// The time zone whose calendar it is.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub zone: Option<String>,
}

/// Readings of a time in at most 2,000 buckets. Empty ones are left out.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SummarySet {
    /// The time, and how it is divided.
    #[serde(flatten)]
    pub time: DividedTime,
    /// The buckets with readings, in order of time.
    pub buckets: Vec<Bucket>,
    /// When the last reading in them was measured: what comes live after it is not in them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub last_at: Option<String>,
}

/// Several signals in the same buckets.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SummaryTable {
    /// The time, and how it is divided.
    #[serde(flatten)]
    pub time: DividedTime,
    /// One for each signal, in the order they were asked for.
    pub signals: Vec<SignalSummary>,
}

/// One signal of a [`SummaryTable`].
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SignalSummary {
    /// Device and signal, such as `tower/level`.
    pub signal: String,
    /// Its unit, a UCUM code.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// The buckets with readings, in order of time.
    pub buckets: Vec<Bucket>,
}

/// Points that draw nearly the same curve as all readings of a time.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Curve {
    /// Start of the time, included.
    pub from: String,
    /// End of the time, excluded.
    pub to: String,
    /// Milliseconds since 1970 and value, in order of time.
    pub points: Vec<(f64, f64)>,
}

/// From when to when there are readings of a signal.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SignalSpan {
    /// Device and signal, such as `tower/level`.
    pub signal: String,
    /// Time of the first reading; absent if there is none.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub first_at: Option<String>,
    /// Time of the last reading; absent if there is none.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last_at: Option<String>,
}

/// A time without readings, between two that are there.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Gap {
    /// Time of the last reading before it.
    pub from: String,
    /// Time of the first reading after it.
    pub to: String,
    /// How long it is, in seconds.
    pub length_s: f64,
}

/// What deleting readings comes to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Deletion {
    /// Start of the time, included.
    pub from: String,
    /// End of the time, excluded.
    pub to: String,
    /// How many readings lie in it.
    pub readings: u64,
    /// Whether they were deleted; `false` for a dry run.
    pub deleted: bool,
}

/// Samples that follow each other closely, with silence around them.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Burst {
    /// When the first sample was measured.
    pub from: String,
    /// When the last one was.
    pub to: String,
    /// How many samples there are, whatever their quality.
    pub count: u64,
    /// How many of them are suspect or rejected.
    pub doubtful: u64,
    /// The least good value; absent if there is none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub min: Option<Extreme>,
    /// The greatest.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub max: Option<Extreme>,
    /// The mean of the good values.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mean: Option<f64>,
}

/// A value that did not change from one good reading to the next.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Stay {
    /// The value.
    #[schema(value_type = ReadingValue)]
    pub value: Value,
    /// The time of the first reading with it.
    pub from: String,
    /// The time of the last one.
    pub to: String,
    /// How many readings there are.
    pub count: u64,
}
