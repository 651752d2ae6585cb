//! Notes that people write to a time or a span, and marks in a chart.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A note that is to be kept.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewNote {
    /// What it is about: a device such as `tower`, a signal such as `tower/level`, or nothing
    /// for the whole site.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub about: String,
    /// When it begins, or the one time it is about.
    pub from: String,
    /// When it ends, if it is about a span.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// What it says, 4,000 bytes at most.
    pub text: String,
}

/// A note.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Note {
    /// Its number.
    pub id: i64,
    /// What it is about: a device, a signal as `DEVICE/SIGNAL`, or nothing for the whole site.
    pub about: String,
    /// When it begins, or the one time it is about.
    pub from: String,
    /// When it ends, if it is about a span.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// What it says.
    pub text: String,
    /// Who wrote it.
    pub written_by: String,
    /// When.
    pub written_at: String,
    /// Who changed it last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub changed_by: Option<String>,
    /// When.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub changed_at: Option<String>,
}

/// What stands at a time in a chart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum MarkKind {
    /// A note.
    Note,
    /// A reading somebody entered by hand.
    HandReading,
    /// A command was given.
    Command,
    /// A device is in trial.
    Trial,
    /// A device went live.
    WentLive,
    /// An alarm was raised.
    Alarm,
}

/// Something that stands at a time, or over a span, beside readings.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Mark {
    /// What it is.
    pub kind: MarkKind,
    /// What it is about: a device, a signal as `DEVICE/SIGNAL`, or nothing for the whole site.
    pub about: String,
    /// When it is, or begins.
    pub from: String,
    /// When it ends, if it has a span and an end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// What there is to say.
    pub text: String,
    /// Who wrote, entered, gave, decided or acknowledged it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// The number of the note, command or alarm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<i64>,
}

/// Marks of signals over a span.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Marks {
    /// In order of time.
    pub marks: Vec<Mark>,
    /// Whether there are more, which are not told: choose a shorter span.
    pub more: bool,
}
