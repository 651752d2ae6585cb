//! Watches and alarms.

use lantern_core::Value;
use lantern_core::Value as ReadingValue;
use lantern_core::alarm::Severity;
use lantern_core::watch::{Rating, Watch};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A watch that is to be made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewWatch {
    /// Its code; made of its name, if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub code: Option<String>,
    /// What it says.
    pub watch: Watch,
}

/// A watch of a site.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SiteWatch {
    /// Its code.
    pub code: String,
    /// What it says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub watch: Option<Watch>,
    /// Why it cannot be read, if it cannot: then nothing is watched by it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub damaged: Option<String>,
    /// How the unit of its limits is shown; absent if they are in the signals' own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub symbol: Option<String>,
    /// On how many signals or devices it is.
    pub places: usize,
    /// At how many of them its condition holds now.
    pub holding: usize,
    /// Who made it.
    pub made_by: String,
    /// When.
    pub made_at: String,
    /// Who changed it last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub changed_by: Option<String>,
    /// When.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub changed_at: Option<String>,
}

/// What somebody says who presses a button.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PressedButton {
    /// What has happened, and where.
    #[serde(default)]
    #[schema(max_length = 1000)]
    pub note: String,
}

/// A watch that is to be tried over history.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TryWatch {
    /// The watch.
    pub watch: Watch,
    /// From when; two weeks before `to`, if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// Until when; now, if absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
}

/// What a watch would have done.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TriedWatch {
    /// From when it was tried.
    pub from: String,
    /// Until when.
    pub to: String,
    /// How many readings were looked at.
    pub readings: usize,
    /// What it would have done at each signal, 50 at most.
    pub places: Vec<TriedPlace>,
    /// Signals it was not tried on because there are too many.
    pub left_out: usize,
    /// How that is by the guidance of ANSI/ISA-18.2.
    pub rating: Rating,
}

/// What a watch would have done at one signal.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TriedPlace {
    /// The device.
    pub device: String,
    /// The signal.
    pub signal: String,
    /// How many alarms there would have been.
    pub count: usize,
    /// Seconds for which they would have stood in all.
    pub held_s: f64,
    /// Seconds of the longest.
    pub longest_s: f64,
    /// The first of them, 200 at most.
    pub occurrences: Vec<TriedOccurrence>,
}

/// One alarm there would have been.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TriedOccurrence {
    /// When it would have been raised.
    pub from: String,
    /// When it would have cleared; absent if it still stood at the end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// With which value.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schema(value_type = Option<ReadingValue>)]
    pub value: Option<Value>,
}

/// An alarm: one time the condition of a watch held. Also live event `alarm`: it is at another step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Alarm {
    /// Its number.
    pub id: i64,
    /// The code of its watch.
    pub watch: String,
    /// What the watch was called then.
    pub name: String,
    /// How soon somebody has to act.
    pub severity: Severity,
    /// `unacknowledged`, `acknowledged`, `returned` (cleared before anybody acknowledged it), `cleared`,
    /// `shelved`, `out_of_service` or `covered` (another alarm is its cause).
    pub state: String,
    /// The device.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub device: Option<String>,
    /// The signal.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub signal: Option<String>,
    /// The value it was raised with.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schema(value_type = Option<ReadingValue>)]
    pub value: Option<Value>,
    /// The unit of the value, for people.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub symbol: Option<String>,
    /// When its condition began to hold, for as long as it had to.
    pub raised_at: String,
    /// When the service knew.
    pub recorded_at: String,
    /// When its condition ended.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cleared_at: Option<String>,
    /// When somebody acknowledged it, or nobody was waited for any more.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub acknowledged_at: Option<String>,
    /// Who acknowledged it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub acknowledged_by: Option<String>,
    /// Until when it is shelved.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shelved_until: Option<String>,
    /// Whether nobody was called when it was raised.
    pub is_silent: bool,
    /// Whether it was found in the history by readings that came late.
    pub is_found: bool,
}

/// An alarm with what happened to it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct AlarmHistory {
    /// The alarm.
    pub alarm: Alarm,
    /// What to do, as its watch says now.
    pub advice: String,
    /// Its steps, the first ones first.
    pub steps: Vec<AlarmStep>,
}

/// A step of an alarm.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct AlarmStep {
    /// When.
    pub at: String,
    /// What happened, such as `raised` or `acknowledged`.
    pub step: String,
    /// Who did it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
    /// What they said.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

/// What somebody answers to an alarm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "answer", rename_all = "snake_case", deny_unknown_fields)]
pub enum AlarmAnswer {
    /// They know.
    Acknowledge {
        /// What they say.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        note: String,
    },
    /// Nobody is to be called for some time.
    Shelve {
        /// For so many minutes, 30 days at most.
        minutes: f64,
        /// Why.
        note: String,
    },
    /// It is shelved no longer.
    Unshelve {},
    /// Somebody works on it: nobody is to be called until it is put back.
    TakeOut {
        /// What they say.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        note: String,
    },
    /// Nobody works on it any more.
    PutBack {},
}

/// How many alarms wait for somebody.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct AlarmCounts {
    /// Of severity low.
    pub low: u64,
    /// Of severity medium.
    pub medium: u64,
    /// Of severity high.
    pub high: u64,
    /// Of severity urgent.
    pub urgent: u64,
}
