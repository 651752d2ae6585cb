use crate::{RefusedValue, Remark};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How an attempt to deliver ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Outcome {
    /// All of it was taken.
    #[default]
    Kept,
    /// Some of it was taken.
    Partly,
    /// Nothing of it was taken.
    Refused,
}

/// What there is to say of an attempt to deliver, or of several equal ones
/// within a second.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
pub struct ContactDetails {
    /// How it came, such as `HTTP POST`.
    pub protocol: String,
    /// The topic it was published on.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub topic: Option<String>,
    /// The sender's address.
    pub from: String,
    /// Bytes of the payload, as they came.
    pub bytes: u64,
    /// What the payload was read as.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub dialect: Option<String>,
    /// How it ended.
    pub outcome: Outcome,
    /// How many equal ones this line stands for.
    pub times: u32,
    /// Readings kept.
    pub kept: u64,
    /// Age of the oldest of them on its arrival, in whole seconds; absent below one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub oldest_s: Option<u64>,
    /// How many of them were there already.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub repeated: u64,
    /// How many of them replaced another value.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub corrected: u64,
    /// Values of names that are ignored.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub ignored: u64,
    /// Names that arrived with it.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub waiting: Vec<String>,
    /// Why the whole was refused, or the first values that were.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub refused: Vec<RefusedValue>,
    /// How many values were refused in all.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub refused_count: u64,
    /// What was taken, but is worth knowing.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub remarks: Vec<Remark>,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "that is how serde asks")]
fn is_zero(count: &u64) -> bool {
    *count == 0
}

/// One line of the contact log.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Contact {
    /// When it was.
    pub at: String,
    /// What there is to say.
    #[serde(flatten)]
    pub details: ContactDetails,
    /// The first 2 KiB of the payload as text, where the device keeps it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub payload: Option<String>,
}

/// A change of presence.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct PresenceChange {
    /// When it began.
    pub at: String,
    /// How the device was doing from then on.
    pub presence: crate::Presence,
}

/// Live event `contact`: someone tried to deliver.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct ContactEvent {
    /// The device's code.
    pub device: String,
    /// The line of the log.
    pub contact: Contact,
}
