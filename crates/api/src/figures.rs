//! Figures: what the readings of stretches of time come to.

use crate::DividedTime;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A value, and when it was measured first.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Extreme {
    /// The value.
    pub value: f64,
    /// When; absent where only summaries are left of the readings.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<String>,
}

/// What the good numbers of a bucket come to; flags count as 0 and 1. A value holds until the
/// next one, at most until its device would be called silent.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Figures {
    /// Start of the bucket, in milliseconds since 1970.
    pub start_ms: f64,
    /// End of the bucket, itself outside, in milliseconds since 1970.
    pub end_ms: f64,
    /// How many readings.
    pub count: u64,
    /// The least.
    pub min: Extreme,
    /// The greatest.
    pub max: Extreme,
    /// Arithmetic mean of the readings.
    pub mean: f64,
    /// Mean with each value weighted by how long it held.
    pub time_mean: f64,
    /// Sum of the readings.
    pub total: f64,
    /// Integral over time, in the unit of [`SignalFigures::integral_unit`].
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub integral: Option<f64>,
    /// For how many hours values held.
    pub held_h: f64,
    /// Standard deviation of the readings, as a sample.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub deviation: Option<f64>,
    /// The quantiles that were asked for, in that order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub quantiles: Vec<f64>,
    /// Hours above each of the limits `above`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub above_h: Vec<f64>,
    /// Hours below each of the limits `below`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub below_h: Vec<f64>,
    /// Hours within each of the bands `within`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub within_h: Vec<f64>,
    /// Degree hours below `base`: how far below, times how long.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub degree_hours_below: Option<f64>,
    /// Degree hours above `base`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub degree_hours_above: Option<f64>,
    /// Whether each reading was looked at. If not, for some only summaries are left or there are more than
    /// five million, and deviation, quantiles, hours and degree hours are absent.
    pub whole: bool,
}

/// Figures of one signal.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SignalFigures {
    /// Device and signal, such as `tower/level`.
    pub signal: String,
    /// Its unit, a UCUM code.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    /// The unit of its integrals, a UCUM code: what flowed, or the unit times hours. Absent where
    /// an integral makes no sense.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub integral_unit: Option<String>,
    /// The buckets with readings, in order of time.
    pub buckets: Vec<Figures>,
}

/// Figures of several signals in the same buckets.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct FiguresTable {
    /// The time, and how it is divided; as one bucket if it has neither width nor calendar.
    #[serde(flatten)]
    pub time: DividedTime,
    /// Which quantiles were asked for.
    pub quantiles: Vec<f64>,
    /// The signals, in the order they were asked for.
    pub signals: Vec<SignalFigures>,
}
