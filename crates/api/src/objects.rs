use crate::{CommandDeclaration, Connection, DeviceState, Position, Presence, SignalRole, ValueType, present};
use lantern_core::decode::decoder::Form as Decoder;
use lantern_core::meaning::Meaning;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// One thing in the field.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Device {
    /// Its code, unique in the site.
    pub code: String,
    /// Its name for people.
    pub name: String,
    /// Free text.
    pub note: String,
    /// Where it stands, in words, such as `Hobb Halt`; empty if nobody said.
    #[serde(default)]
    pub place: String,
    /// How often it is expected to report, in seconds.
    pub interval_s: f64,
    /// Where it stands, if it is fixed.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub position: Option<Position>,
    /// When it was made.
    pub created_at: String,
    /// When it last delivered something.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last_heard_at: Option<String>,
    /// How it is doing.
    pub presence: Presence,
    /// Since when; absent if it was never heard.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub since: Option<String>,
    /// How far it is.
    pub state: DeviceState,
    /// Since when it is in trial.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub trial_since: Option<String>,
    /// The kind it was made from.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub kind: Option<String>,
    /// The revision of the kind that it follows.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub revision: Option<u32>,
    /// How its payloads are read (docs/reference/decoders.md).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<Decoder>)]
    pub decoder: Option<serde_json::Value>,
    /// Late after so many intervals, if not after 2.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub late_after: Option<f64>,
    /// Silent after so many intervals, if not after 5.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub silent_after: Option<f64>,
    /// The device that carries its messages.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub carrier: Option<String>,
    /// What its sender calls it, if it has no key of its own.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub identity: Option<String>,
    /// Topics of its own: MQTT filters in which `{device}`, `{signal}` and `{at}` may
    /// stand for a level; at most 20.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub topics: Vec<String>,
    /// Commands it understands, at most 50.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub commands: Vec<CommandDeclaration>,
    /// Until when it admits devices it has not carried before.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub joining_until: Option<String>,
    /// Its connection, where its protocol has one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub connection: Option<Connection>,
    /// Whether the contact log keeps the first 2 KiB of its payloads.
    #[serde(default)]
    pub keeps_payload: bool,
    /// How far its clock is behind by its last messages (arrival minus the sender's time), in
    /// seconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub clock_offset_s: Option<f64>,
    /// What of its set-up is kept and cannot be read, in sentences; it is left out above.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub damaged: Vec<String>,
}

/// What a device is made from.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewDevice {
    /// `a-z`, `0-9`, `-`; made from the name if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(pattern = "^[a-z0-9-]{1,64}$")]
    pub code: Option<String>,
    /// Its name for people.
    #[schema(min_length = 1, max_length = 120)]
    pub name: String,
    /// Free text.
    #[serde(default)]
    #[schema(max_length = 4_000)]
    pub note: String,
    /// Where it stands, in words, such as `Hobb Halt`.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    #[schema(max_length = 120)]
    pub place: String,
    /// How often it is expected to report, in seconds (0.01 to 31,622,400; default 60).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 0.01, maximum = 31_622_400.0)]
    pub interval_s: Option<f64>,
    /// Where it stands, if it is fixed.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub position: Option<Position>,
    /// Its signals, at most 200; with a kind, those beside the kind's.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[schema(max_items = 200)]
    pub signals: Vec<NewSignal>,
    /// The kind to make it from: its newest revision.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub kind: Option<String>,
    /// How its payloads are read; by default as its kind says.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<Decoder>)]
    pub decoder: Option<serde_json::Value>,
    /// Late after so many intervals (default 2).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 1.0, maximum = 10_000.0)]
    pub late_after: Option<f64>,
    /// Silent after so many intervals (default 5).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(exclusive_minimum = 1.0, maximum = 100_000.0)]
    pub silent_after: Option<f64>,
    /// The device that carries its messages.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub carrier: Option<String>,
    /// What its sender calls it, if it has no key of its own.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(max_length = 200)]
    pub identity: Option<String>,
    /// Topics of its own: MQTT filters in which `{device}`, `{signal}` and `{at}` may
    /// stand for a level; at most 20.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[schema(max_items = 20)]
    pub topics: Vec<String>,
    /// Commands it understands, at most 50; with a kind, those beside the kind's.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[schema(max_items = 50)]
    pub commands: Vec<CommandDeclaration>,
    /// `live` to pass over the trial.
    #[serde(default)]
    pub state: DeviceState,
}

/// What to change of a device; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DeviceChange {
    /// Its name for people.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(min_length = 1, max_length = 120)]
    pub name: Option<String>,
    /// Free text.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(max_length = 4_000)]
    pub note: Option<String>,
    /// Where it stands, in words; empty for nowhere.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(max_length = 120)]
    pub place: Option<String>,
    /// How often it is expected to report, in seconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 0.01, maximum = 31_622_400.0)]
    pub interval_s: Option<f64>,
    /// Where it stands; `null` takes it away.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<Position>)]
    pub position: Option<Option<Position>>,
    /// How its payloads are read; `null` takes the decoder away.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<Decoder>)]
    pub decoder: Option<Option<serde_json::Value>>,
    /// Late after so many intervals; `null` for 2.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<f64>, minimum = 1.0, maximum = 10_000.0)]
    pub late_after: Option<Option<f64>>,
    /// Silent after so many intervals; `null` for 5.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<f64>, exclusive_minimum = 1.0, maximum = 100_000.0)]
    pub silent_after: Option<Option<f64>>,
    /// The device that carries its messages; `null` for none.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<String>)]
    pub carrier: Option<Option<String>>,
    /// What its sender calls it; `null` for nothing.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<String>, max_length = 200)]
    pub identity: Option<Option<String>>,
    /// All topics of its own.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(max_items = 20)]
    pub topics: Option<Vec<String>>,
    /// All commands it understands.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(max_items = 50)]
    pub commands: Option<Vec<CommandDeclaration>>,
    /// Whether the contact log keeps the first 2 KiB of its payloads.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub keeps_payload: Option<bool>,
}

/// One quantity of a device over time.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Signal {
    /// Its code, which is also the name senders use.
    pub code: String,
    /// Its name for people.
    pub name: String,
    /// Free text.
    pub note: String,
    /// The type of its values.
    #[serde(rename = "type")]
    pub value_type: ValueType,
    /// UCUM code of its unit.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// How the unit is shown; empty if it has none.
    pub symbol: String,
    /// What its values can be: the lowest.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub low: Option<f64>,
    /// What its values can be: the highest.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub high: Option<f64>,
    /// How often it is expected, in seconds, if not as often as its device reports.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub interval_s: Option<f64>,
    /// Only its device may send it; people may not enter it by hand.
    #[serde(default)]
    pub reserved: bool,
    /// What it tells of the link of its device.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub role: Option<SignalRole>,
    /// What its values mean: conversion or formula, and screen
    /// (docs/reference/conversions.md). Absent: they are as they are sent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<Meaning>)]
    pub meaning: Option<serde_json::Value>,
    /// What is wrong with what is kept of its meaning, if it cannot be read: what the
    /// signal is sent is rejected then.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub damaged: Option<String>,
    /// Other names that senders use for it.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub also: Vec<String>,
}

/// What a signal is declared as.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewSignal {
    /// Letters, digits, `-`, `_`, `.`: the name senders use.
    #[schema(pattern = "^[A-Za-z0-9._-]{1,64}$")]
    pub code: String,
    /// Its name for people; the code if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(min_length = 1, max_length = 120)]
    pub name: Option<String>,
    /// Free text.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    #[schema(max_length = 4_000)]
    pub note: String,
    /// The type of its values.
    #[serde(rename = "type", default)]
    pub value_type: ValueType,
    /// UCUM code of its unit, or a common spelling such as `°C`; only for numbers.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// What its values can be: the lowest; only for numbers.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub low: Option<f64>,
    /// What its values can be: the highest; only for numbers.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub high: Option<f64>,
    /// How often it is expected, in seconds, if not as often as its device reports.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 0.01, maximum = 31_622_400.0)]
    pub interval_s: Option<f64>,
    /// Only its device may send it; people may not enter it by hand.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub reserved: bool,
    /// What it tells of the link of its device.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub role: Option<SignalRole>,
    /// What its values mean: conversion or formula, and screen
    /// (docs/reference/conversions.md).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<Meaning>)]
    pub meaning: Option<serde_json::Value>,
}

/// What to change of a signal; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SignalChange {
    /// Its name for people.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(min_length = 1, max_length = 120)]
    pub name: Option<String>,
    /// Free text.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(max_length = 4_000)]
    pub note: Option<String>,
    /// The type of its values.
    #[serde(rename = "type", skip_serializing_if = "Option::is_none", default)]
    pub value_type: Option<ValueType>,
    /// UCUM code of its unit; `null` takes it away.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<String>)]
    pub unit: Option<Option<String>>,
    /// What its values can be: the lowest; `null` for no limit.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<f64>)]
    pub low: Option<Option<f64>>,
    /// What its values can be: the highest; `null` for no limit.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<f64>)]
    pub high: Option<Option<f64>>,
    /// How often it is expected, in seconds; `null`: as often as its device reports.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<f64>, minimum = 0.01, maximum = 31_622_400.0)]
    pub interval_s: Option<Option<f64>>,
    /// Only its device may send it; people may not enter it by hand.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub reserved: Option<bool>,
    /// What it tells of the link of its device; `null` for nothing.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<SignalRole>)]
    pub role: Option<Option<SignalRole>>,
}

/// How much would go, or went, with something removed.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Removal {
    /// Readings, counted up to a million.
    pub readings: u64,
    /// There are more than were counted.
    pub at_least: bool,
    /// Whether it was removed.
    pub removed: bool,
}

/// What was removed and can be brought back: a device, or a signal of one that is there.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Removed {
    /// The code of the device.
    pub device: String,
    /// The code of the signal, if it is one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub signal: Option<String>,
    /// The name of the device or signal.
    pub name: String,
    /// When it was removed.
    pub at: String,
    /// Until when it can be brought back.
    pub until: String,
}

/// A site that was removed and can be brought back.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct RemovedSite {
    /// Its code.
    pub code: String,
    /// Its name.
    pub name: String,
    /// When it was removed.
    pub at: String,
    /// Until when it can be brought back.
    pub until: String,
}

/// How the service is doing.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Health {
    /// `ok`, or `failing` if a part is not well.
    pub status: String,
    /// The version of the service.
    pub version: String,
    /// The service's clock.
    pub now: String,
    /// Its parts.
    pub parts: Vec<HealthPart>,
}

/// How a part of the service is doing.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct HealthPart {
    /// What it is called: `writer`, `queue`, `database`, `disk`, `clock`, `tasks`, `certificate`.
    pub name: String,
    /// Whether it is well.
    pub is_well: bool,
    /// What is to be said of it.
    pub detail: String,
}
