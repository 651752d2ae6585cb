use crate::{DeviceState, Value};
use lantern_core::Value as ReadingValue;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How a step of commissioning stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum StepState {
    /// Nothing is known yet.
    Open,
    /// It is so.
    Passed,
    /// It is not so.
    Failed,
}

/// One step of commissioning, judged by the service.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Step {
    /// `contacted`, `key`, `signals`, `plausible`, `clock`, `interval` or `coverage`.
    pub code: String,
    /// What should be so.
    pub title: String,
    /// How it stands.
    pub state: StepState,
    /// What was found, as a sentence.
    pub finding: String,
}

/// A dummy value that proves the path of a signal.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DummyTest {
    /// The signal's code.
    pub signal: String,
    /// The value that was asked for; absent if none was.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub expected: Option<f64>,
    /// How far off it may be.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub tolerance: Option<f64>,
    /// When it was asked for.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub asked_at: Option<String>,
    /// When it came.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub passed_at: Option<String>,
    /// The last value that came.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<ReadingValue>)]
    pub last: Option<Value>,
}

/// A dummy value to ask for.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewDummyTest {
    /// The signal's code.
    pub signal: String,
    /// The value its sender is to send.
    pub expected: f64,
    /// How far off it may be (default 0).
    #[serde(default)]
    #[schema(minimum = 0.0, maximum = 1e300)]
    pub tolerance: f64,
}

/// A soak test: the device at its place, left alone for hours.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Soak {
    /// When it began.
    pub from: String,
    /// When it ends, or ended.
    pub to: String,
    /// Whether that is past.
    pub is_over: bool,
    /// Reports expected so far.
    pub expected: u64,
    /// Reports that came.
    pub received: u64,
    /// The longest time without any, in seconds.
    pub longest_gap_s: f64,
    /// When that began.
    pub gap_from: String,
}

/// How long a soak test is to last.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewSoak {
    /// Hours, 0.001 to 720 (default 12).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 0.001, maximum = 720.0)]
    pub hours: Option<f64>,
}

/// How far the commissioning of a device is.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Commissioning {
    /// The device's code.
    pub device: String,
    /// Its name for people.
    pub name: String,
    /// How far it is.
    pub state: DeviceState,
    /// Since when it is in trial.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub trial_since: Option<String>,
    /// When this was worked out.
    pub at: String,
    /// The checklist.
    pub steps: Vec<Step>,
    /// The dummy values, one for each number signal.
    pub dummies: Vec<DummyTest>,
    /// The soak test, if one was begun.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub soak: Option<Soak>,
    /// Trial readings kept, counted up to a million.
    pub trial_readings: u64,
    /// Whether all steps have passed.
    pub is_ready: bool,
    /// What that comes to, as a sentence.
    pub verdict: String,
}

/// What becomes of trial readings when a device goes live.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum TrialReadings {
    /// They are deleted.
    Clear,
    /// They stay, as readings like any other.
    Keep,
}

/// A device goes live.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct GoLive {
    /// What becomes of the readings so far.
    pub trial_readings: TrialReadings,
    /// Although steps are open or failed.
    #[serde(default)]
    pub anyway: bool,
}

/// A device has gone live.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct WentLive {
    /// Trial readings that were deleted.
    pub cleared: u64,
}
