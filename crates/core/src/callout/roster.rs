//! Who is called, as it is written.

use crate::alarm::Severity;
use crate::watch::Hours;
use serde::{Deserialize, Serialize};

/// Who is called for alarms, when, and in which order. Times are in the site's zone.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Roster {
    /// What it is called.
    pub name: String,
    /// It calls for alarms of this severity or worse.
    #[serde(default)]
    pub least: Severity,
    /// Only for alarms of these devices; of all, if there are none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub devices: Vec<String>,
    /// Who is called, one after the other: names of people, e-mail addresses, telephone numbers, addresses
    /// of webhooks, `topic:` and an MQTT topic.
    pub order: Vec<String>,
    /// The weekly plan: others who are called in its hours. The first that fits counts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub turns: Vec<Turn>,
    /// Days on which others are called, whatever the weekly plan says.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub holidays: Vec<Holiday>,
    /// Who is away, and who stands in for them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub absences: Vec<Absence>,
    /// Who is told at once of each alarm and of its end, whoever is called: webhooks, topics, a list of
    /// addresses.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub also: Vec<String>,
    /// Minutes after which the next one is called if nobody has acknowledged.
    #[serde(default = "ten")]
    pub pass_on_min: f64,
    /// How often the whole order is gone through.
    #[serde(default = "three")]
    pub rounds: u32,
    /// Hours in which nobody is called for less than an urgent alarm: the call waits until they are over.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub quiet: Vec<Hours>,
    /// Whether those who were called are told when it is over.
    #[serde(default = "yes")]
    pub says_end: bool,
    /// The words of a message; the usual ones, if empty.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub text: String,
}

const fn ten() -> f64 {
    10.0
}

const fn three() -> u32 {
    3
}

const fn yes() -> bool {
    true
}

/// Hours of the week in which others are called.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = RosterTurn))]
#[serde(deny_unknown_fields)]
pub struct Turn {
    /// When.
    pub hours: Hours,
    /// Who is called then, one after the other.
    pub order: Vec<String>,
}

/// Days on which others are called.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = RosterHoliday))]
#[serde(deny_unknown_fields)]
pub struct Holiday {
    /// The first day, such as `2026-12-24`.
    pub from: String,
    /// The last day.
    pub to: String,
    /// Who is called then, one after the other.
    pub order: Vec<String>,
}

/// Somebody is away.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = RosterAbsence))]
#[serde(deny_unknown_fields)]
pub struct Absence {
    /// Who.
    pub who: String,
    /// Who is called instead; they are left out, if it is nobody.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub stand_in: String,
    /// The first day, such as `2026-12-24`.
    pub from: String,
    /// The last day.
    pub to: String,
}
