use crate::{Reading, ReadingQuality, Value};
use lantern_core::Value as ReadingValue;
use lantern_core::meaning::Meaning;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a signal's values mean: the newest version.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct SignalMeaning {
    /// Its number; 0 if nobody has said anything.
    pub version: u32,
    /// The document (docs/reference/conversions.md); absent: values are as they are
    /// sent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<Meaning>)]
    pub meaning: Option<serde_json::Value>,
    /// Who said so.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub made_by: Option<String>,
    /// When.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub made_at: Option<String>,
    /// Signals whose values depend on this one's, as `DEVICE/SIGNAL`.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub needed_by: Vec<String>,
}

/// What a signal's values are to mean.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewMeaning {
    /// The document; `null`: values are as they are sent.
    #[schema(value_type = Option<Meaning>)]
    pub meaning: Option<serde_json::Value>,
}

/// One version of what a signal's values mean.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct MeaningVersion {
    /// From 1.
    pub version: u32,
    /// The document; absent: values are as they are sent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<Meaning>)]
    pub meaning: Option<serde_json::Value>,
    /// The signal's unit then.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// Who made it.
    pub made_by: String,
    /// When.
    pub made_at: String,
    /// What is wrong with it, if it is kept and cannot be read.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub damaged: Option<String>,
}

/// A meaning that is to be tried out on one value.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MeaningTrial {
    /// The document.
    #[schema(value_type = Meaning)]
    pub meaning: serde_json::Value,
    /// What is sent; by default the last value that was.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub raw: Option<f64>,
    /// The unit the result is to be in, if it is not the signal's.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
}

/// What a meaning makes of a value.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
pub struct TriedMeaning {
    /// Why it makes no sense, if it does not.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub wrong: Option<WrongMeaning>,
    /// The value it was tried on; absent if there is none, or a formula works it out.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub raw: Option<f64>,
    /// What each step made of it.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub steps: Vec<TriedStep>,
    /// The other signals it needs, with their last values.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub others: Vec<OtherValue>,
    /// What comes out.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<ReadingValue>)]
    pub value: Option<Value>,
    /// Its unit.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// How that unit is shown.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub symbol: String,
    /// How far it can be trusted; absent if it is good.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub quality: Option<ReadingQuality>,
    /// Why it is not good.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub cause: Option<String>,
    /// Whether it remembers what came before, so that one value alone does not tell.
    #[serde(default)]
    pub remembers: bool,
}

/// Where a meaning makes no sense.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
pub struct WrongMeaning {
    /// What is wrong and what was expected.
    pub detail: String,
    /// Which character of the formula, from 0.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub character: Option<usize>,
    /// Which step of the conversion, from 0.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub step: Option<usize>,
}

/// What one step made of a value.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct TriedStep {
    /// The value it got.
    pub input: f64,
    /// What came out; absent if it cannot convert that.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub output: Option<f64>,
    /// The unit of that, as far as it is known.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// How that unit is shown.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub symbol: String,
    /// Why nothing came out.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub why: Option<String>,
}

/// The last value of another signal.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct OtherValue {
    /// As the meaning names it.
    pub signal: String,
    /// Its last value, if there is one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<ReadingValue>)]
    pub value: Option<Value>,
    /// Its unit.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// How its unit is shown.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub symbol: String,
    /// When that was measured.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub at: Option<String>,
    /// Whether it is too old to count.
    #[serde(default)]
    pub is_too_old: bool,
}

/// A meaning that is to be tried out on what has been recorded.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DryRun {
    /// The document.
    #[schema(value_type = Meaning)]
    pub meaning: serde_json::Value,
    /// From this time on; by default a day before `to`.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub from: Option<String>,
    /// To this time, itself excluded; by default now.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub to: Option<String>,
}

/// What a meaning would make of what has been recorded.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
pub struct DryRunResult {
    /// From when on it was looked at.
    pub from: String,
    /// To when; before what was asked for if there was too much.
    pub to: String,
    /// Readings that were looked at, at most two million.
    pub readings: u64,
    /// Readings whose value would be another.
    pub changed: u64,
    /// Readings that would be good.
    pub good: u64,
    /// Readings that are good now.
    pub good_now: u64,
    /// Why others would not be good, most frequent first.
    pub caught: Vec<Caught>,
    /// Some of those, at most 200 spread over the time.
    pub examples: Vec<Reading>,
    /// A curve of what would be good, at most 1,000 readings.
    pub curve: Vec<Reading>,
    /// A curve of what is good now.
    pub curve_now: Vec<Reading>,
}

/// How many readings were caught by one check.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Caught {
    /// How far those can be trusted.
    pub quality: ReadingQuality,
    /// Why.
    pub cause: String,
    /// How many.
    pub count: u64,
}

/// How the readings of a time are.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
pub struct QualityCounts {
    /// Readings that were counted, at most ten million.
    pub readings: u64,
    /// Good ones.
    pub good: u64,
    /// Why the others are not, most frequent first.
    pub caught: Vec<Caught>,
    /// To when it was counted, if there was too much.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub until: Option<String>,
}

/// A history that is to be made again.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewReconversion {
    /// From this time on.
    pub from: String,
    /// To this time, itself excluded; by default to the end.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub to: Option<String>,
}

/// How far a job is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum JobState {
    /// It waits for others.
    Waiting,
    /// It is being done.
    Running,
    /// It did all it was to do.
    Done,
    /// It could not go on; everything it had not finished is as it was.
    Failed,
    /// Somebody stopped it; everything it had not finished is as it was.
    Cancelled,
}

/// A history that is, or was, made again.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Job {
    /// Its number.
    pub id: i64,
    /// The signal, as `DEVICE/SIGNAL`.
    pub signal: String,
    /// How far it is.
    pub state: JobState,
    /// What it is at: the signal itself or one that depends on it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub at: Option<String>,
    /// Readings made again so far.
    pub done: u64,
    /// Readings to be made again of the signal it is at, about.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub total: Option<u64>,
    /// From this time on.
    pub from: String,
    /// To this time, itself excluded; absent: to the end.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub to: Option<String>,
    /// Who asked for it.
    pub made_by: String,
    /// When.
    pub made_at: String,
    /// When it ended.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub ended_at: Option<String>,
    /// What there is to say.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub detail: String,
}
