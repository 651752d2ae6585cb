use crate::{CommandEvent, Connection, ContactEvent, Presence, Value};
use lantern_core::Value as ReadingValue;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A reading as it comes in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct LiveReading {
    /// The device's code.
    pub device: String,
    /// The signal's code.
    pub signal: String,
    /// When it was measured.
    pub at: String,
    /// What was measured.
    #[schema(value_type = ReadingValue)]
    pub value: Value,
}

/// Live event `readings`: what came in since the last one, a tenth of a second
/// ago at the earliest.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct ReadingsEvent {
    /// In the order they were kept.
    pub readings: Vec<LiveReading>,
    /// More came in than is sent live: only the newest of each signal is here.
    pub thinned: bool,
}

/// Live event `presence`: a device changed its state.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct PresenceEvent {
    /// The device's code.
    pub device: String,
    /// How it is doing now.
    pub presence: Presence,
    /// Since when.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub since: Option<String>,
    /// Its connection, where its protocol has one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub connection: Option<Connection>,
}

/// What has changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Changed {
    /// The site itself.
    Site,
    /// A device was made or changed.
    Device,
    /// A device was removed.
    DeviceRemoved,
    /// A signal was declared, changed or removed.
    Signal,
    /// A key was issued, replaced or revoked.
    Key,
    /// Something began to wait, was claimed or is ignored.
    Arrival,
    /// A kind was made, revised or removed.
    Kind,
    /// A step of a commissioning.
    Commissioning,
    /// A reading was entered by hand.
    HandReading,
    /// Readings were deleted.
    Readings,
    /// The history of a signal was made again.
    History,
    /// A note was written, changed or removed.
    Note,
    /// A view was kept or removed.
    View,
    /// A roster was made, changed or removed.
    Roster,
    /// A watch was made, changed or removed.
    Watch,
}

/// Live event `change`: something of the site's set-up is different now.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct ChangeEvent {
    /// What it is.
    pub what: Changed,
    /// The device it concerns, if it concerns one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub device: Option<String>,
}

/// What the live stream says, each under its own name: `readings`, `presence`, `change`,
/// `contact`, `command` and `alarm`. `hello` and `reset` say nothing but themselves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(untagged)]
pub enum LiveEvent {
    /// Readings came in.
    Readings(ReadingsEvent),
    /// A device changed its state.
    Presence(PresenceEvent),
    /// The set-up is different.
    Change(ChangeEvent),
    /// Someone tried to deliver.
    Contact(ContactEvent),
    /// A command is at another stage.
    Command(CommandEvent),
    /// An alarm is at another step.
    Alarm(Box<crate::Alarm>),
}
