//! How alarms did over a time.

use lantern_core::alarm::Severity;
use lantern_core::alarm::figures::Figure;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How alarms did over a time, against what ANSI/ISA-18.2 recommends. Those that were found later or called
/// nobody do not count.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct AlarmFigures {
    /// From when.
    pub from: String,
    /// Until when.
    pub to: String,
    /// How many operators share them.
    pub operators: f64,
    /// How many there were.
    pub count: usize,
    /// By severity, from low to urgent.
    pub severities: Vec<SeverityCount>,
    /// How many somebody has acknowledged.
    pub acknowledged: usize,
    /// Seconds until then, on average.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to_acknowledge_s: Option<f64>,
    /// The days on which there were some.
    pub days: Vec<AlarmDay>,
    /// Figures against what is recommended.
    pub figures: Vec<Figure>,
    /// The ten places with the most alarms.
    pub frequent: Vec<AlarmPlace>,
    /// The ten places whose alarms stood the longest.
    pub longest: Vec<AlarmPlace>,
}

/// How many alarms of a severity there were.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct SeverityCount {
    /// How bad.
    pub severity: Severity,
    /// How many.
    pub count: usize,
}

/// How many alarms there were on a day of the site.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct AlarmDay {
    /// The day, such as `2026-05-01`.
    pub day: String,
    /// How many.
    pub count: usize,
}

/// A watch on a device or signal that raised alarms.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct AlarmPlace {
    /// The code of the watch.
    pub watch: String,
    /// What it was called when it raised the last one.
    pub name: String,
    /// The code of the device.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub device: Option<String>,
    /// The code of the signal.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub signal: Option<String>,
    /// How many alarms there were.
    pub count: usize,
    /// Seconds for which they stood in all.
    pub stood_s: f64,
    /// Seconds of the longest.
    pub longest_s: f64,
}
