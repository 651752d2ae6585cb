use crate::present;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A place on the Earth (WGS 84).
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Position {
    /// Degrees north, -90 to 90.
    pub latitude: f64,
    /// Degrees east, -180 to 180.
    pub longitude: f64,
    /// Metres above sea level.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub altitude_m: Option<f64>,
}

/// A place or project.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Site {
    /// Its code in addresses.
    pub code: String,
    /// Its name for people.
    pub name: String,
    /// IANA name of its time zone.
    pub zone: String,
    /// Where it is.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub position: Option<Position>,
    /// When it was made.
    pub created_at: String,
    /// How many undeclared names wait to be claimed.
    pub arrivals: u32,
}

/// What a site is made from.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewSite {
    /// `a-z`, `0-9`, `-`; made from the name if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub code: Option<String>,
    /// Its name for people.
    pub name: String,
    /// IANA name of its time zone.
    pub zone: String,
    /// Where it is.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub position: Option<Position>,
}

/// What to change of a site; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SiteChange {
    /// Its name for people.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<String>,
    /// IANA name of its time zone.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub zone: Option<String>,
    /// Where it is; `null` takes it away.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<Position>)]
    pub position: Option<Option<Position>>,
}

/// How a device is doing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Presence {
    /// Heard less than two intervals ago.
    Fresh,
    /// Heard less than five intervals ago.
    Late,
    /// Not heard for five intervals or more.
    Silent,
    /// Not heard at all.
    Never,
}

/// One thing in the field.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Device {
    /// Its code, unique in the site.
    pub code: String,
    /// Its name for people.
    pub name: String,
    /// Free text.
    pub note: String,
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
}

/// What a device is made from.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewDevice {
    /// `a-z`, `0-9`, `-`; made from the name if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub code: Option<String>,
    /// Its name for people.
    pub name: String,
    /// Free text.
    #[serde(default)]
    pub note: String,
    /// How often it is expected to report, in seconds (0.01 to 31,622,400; default 60).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub interval_s: Option<f64>,
    /// Where it stands, if it is fixed.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub position: Option<Position>,
    /// Its signals, at most 200.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub signals: Vec<NewSignal>,
}

/// What to change of a device; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DeviceChange {
    /// Its name for people.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<String>,
    /// Free text.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub note: Option<String>,
    /// How often it is expected to report, in seconds.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub interval_s: Option<f64>,
    /// Where it stands; `null` takes it away.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<Position>)]
    pub position: Option<Option<Position>>,
}

/// The type of a signal's values.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum ValueType {
    /// A finite number in the signal's unit.
    #[default]
    Number,
    /// Yes or no.
    Flag,
    /// A text of at most 1,024 bytes.
    Text,
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
}

/// What a signal is declared as.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewSignal {
    /// Letters, digits, `-`, `_`, `.`: the name senders use.
    pub code: String,
    /// Its name for people; the code if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<String>,
    /// Free text.
    #[serde(default)]
    pub note: String,
    /// The type of its values.
    #[serde(rename = "type", default)]
    pub value_type: ValueType,
    /// UCUM code of its unit, or a common spelling such as `°C`; only for numbers.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
}

/// What to change of a signal; what is absent stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SignalChange {
    /// Its name for people.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub name: Option<String>,
    /// Free text.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub note: Option<String>,
    /// The type of its values.
    #[serde(rename = "type", skip_serializing_if = "Option::is_none", default)]
    pub value_type: Option<ValueType>,
    /// UCUM code of its unit; `null` takes it away.
    #[serde(skip_serializing_if = "Option::is_none", default, deserialize_with = "present")]
    #[schema(value_type = Option<String>)]
    pub unit: Option<Option<String>>,
}

/// A key as its owner sees it: without the secret.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Key {
    /// Number to revoke it by.
    pub id: i64,
    /// The last characters of the secret, to tell keys apart.
    pub hint: String,
    /// Free text.
    pub note: String,
    /// When it was issued.
    pub created_at: String,
    /// When something was last sent with it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last_used_at: Option<String>,
    /// When it was revoked.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub revoked_at: Option<String>,
}

/// What a key is issued with.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewKey {
    /// Free text.
    #[serde(default)]
    pub note: String,
}

/// A key just issued: the only time its secret is shown.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct IssuedKey {
    /// The secret itself.
    pub key: String,
    /// What is kept of it.
    #[serde(flatten)]
    pub details: Key,
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

/// An undeclared name that waits with its readings.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Arrival {
    /// The device that sent it.
    pub device: String,
    /// The sender's name for it.
    pub name: String,
    /// When it was first sent.
    pub first_at: String,
    /// The last value and its time.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last: Option<crate::Reading>,
    /// Readings kept, counted up to a million.
    pub readings: u64,
    /// The type its last value has.
    #[serde(rename = "type")]
    pub value_type: ValueType,
}

/// How the service is doing.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Health {
    /// `ok`.
    pub status: String,
    /// The version of the service.
    pub version: String,
    /// The service's clock.
    pub now: String,
}
