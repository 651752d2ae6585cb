//! Coverage: how much of what was expected came, hour by hour.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How a gap ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum GapEnd {
    /// It goes on.
    Open,
    /// The sender began to count again: it had been without power, or was restarted.
    Restarted,
    /// The sender had counted on: it was sending, and nothing came through.
    LostOnTheWay,
    /// It reported again, and nothing tells why it had not.
    Reported,
}

/// A time without any reading of a device, longer than its patience.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CoverageGap {
    /// The last reading before it.
    pub from: String,
    /// The first reading after it; absent if it goes on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// How long it is, in seconds.
    pub length_s: f64,
    /// What ended it.
    pub ended: GapEnd,
}

/// What came of a device. Lists have an item for each part of [`CoverageReport::starts_ms`].
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DeviceCoverage {
    /// Its code.
    pub device: String,
    /// Its name.
    pub name: String,
    /// How often it is expected to report, in seconds.
    pub interval_s: f64,
    /// Reports expected in the time.
    pub expected: u64,
    /// Reports that came.
    pub received: u64,
    /// Reports expected in each part; 0 before it was there and in the future.
    pub expected_each: Vec<u32>,
    /// Reports that came in each part, of the signal of which most came.
    pub received_each: Vec<u32>,
    /// Messages its sender had counted that did not come, in each part; kept for sixty days.
    pub lost_each: Vec<u32>,
    /// Messages that came, refused ones among them.
    pub messages: u64,
    /// Messages of which nothing was kept.
    pub refused: u64,
    /// Readings that were there already.
    pub repeated: u64,
    /// Messages whose oldest reading was more than a minute old.
    pub late: u64,
    /// Age of the oldest reading on its arrival, in seconds.
    pub oldest_s: u64,
    /// Times without any reading, the longest of them if there are more than a hundred, in order of time.
    pub gaps: Vec<CoverageGap>,
}

/// What came to a site in one part of a time in one way.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Traffic {
    /// The way, such as `HTTP POST`.
    pub protocol: String,
    /// Messages in each part.
    pub messages_each: Vec<u32>,
    /// Devices that sent in each part.
    pub devices_each: Vec<u32>,
}

/// What came of devices over a time.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CoverageReport {
    /// Start of the time.
    pub from: String,
    /// End of the time.
    pub to: String,
    /// The zone whose hours or days these are.
    pub zone: String,
    /// Where each part begins, in milliseconds since 1970. It ends where the next one begins.
    pub starts_ms: Vec<f64>,
    /// The devices, in order of code.
    pub devices: Vec<DeviceCoverage>,
    /// Messages of these devices by the way they came.
    pub traffic: Vec<Traffic>,
    /// Where to go on, if there are more devices: the value for `after`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub next: Option<String>,
}
