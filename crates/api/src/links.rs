use crate::Presence;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// The connection of a device whose protocol has one.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Connection {
    /// Whether there is one now.
    pub is_up: bool,
    /// Since when it is so.
    pub since: String,
    /// How it came, such as `MQTT over TLS`.
    pub protocol: String,
    /// From where.
    pub from: String,
    /// How the last one ended, in words; absent while connected.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub ended: Option<String>,
}

/// How messages came through.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct LinkCounts {
    /// Messages that came, each counted once.
    pub received: u64,
    /// Messages that did not come.
    pub lost: u64,
    /// Messages that came again.
    pub repeated: u64,
    /// How often the device began to count again.
    pub restarted: u64,
    /// Of the messages that were sent, the part that came: 0 to 1.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub delivery_ratio: Option<f64>,
}

/// An hour of a link.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct LinkHour {
    /// When the hour began.
    pub from: String,
    /// How messages came through in it.
    #[serde(flatten)]
    pub counts: LinkCounts,
}

/// A last value that tells of a link.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct LinkValue {
    /// The signal.
    pub signal: String,
    /// Its last value.
    pub value: f64,
    /// How its unit is shown.
    pub symbol: String,
    /// When it was measured.
    pub at: String,
}

/// How the messages of one device come through.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Link {
    /// The device's code.
    pub device: String,
    /// Its name for people.
    pub name: String,
    /// What its sender calls it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub identity: Option<String>,
    /// How it is doing.
    pub presence: Presence,
    /// When it last delivered something.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub last_heard_at: Option<String>,
    /// Its battery.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub battery: Option<LinkValue>,
    /// How well it is received.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub quality: Option<LinkValue>,
    /// The last 24 hours together.
    pub day: LinkCounts,
    /// The same hour by hour, oldest first; hours without a message are left out.
    pub hours: Vec<LinkHour>,
}

/// A joining window to open.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewJoining {
    /// Minutes it is open (1 to 1,440; default 10).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 1.0, maximum = 1_440.0)]
    pub minutes: Option<f64>,
    /// The kind that what joins is made from.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub kind: Option<String>,
}

/// A joining window.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Joining {
    /// Until when it is open; absent if it is closed.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub until: Option<String>,
    /// The kind that what joins is made from.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub kind: Option<String>,
}
