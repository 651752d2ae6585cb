use crate::CommandForDevice;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// An error as `application/problem+json` (RFC 9457).
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Problem {
    /// `urn:key-lantern:problem:` and the code.
    #[serde(rename = "type")]
    pub kind: String,
    /// The HTTP status.
    pub status: u16,
    /// The stable word for programs.
    pub code: String,
    /// What happened, as a short heading.
    pub title: String,
    /// What happened, as a sentence with the particulars.
    pub detail: String,
    /// What to do about it.
    pub remedy: String,
    /// Values of a delivery that were refused, each for its own reason; the first
    /// hundred of them.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub refused: Vec<RefusedValue>,
    /// What is left of the key's allowance, where it was exceeded.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub left: Option<u64>,
}

/// One value of a delivery that was not taken.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct RefusedValue {
    /// The sender's name for it.
    pub name: String,
    /// The stable word for programs.
    pub code: String,
    /// What was wrong with it.
    pub detail: String,
    /// What to do about it.
    pub remedy: String,
}

/// Something worth knowing of a delivery that was taken.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Remark {
    /// The stable word for programs.
    pub code: String,
    /// A sentence.
    pub detail: String,
}

/// The answer to a delivery, when the sender asks for JSON.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct InAnswer {
    /// Readings understood and kept, those of waiting names among them.
    pub kept: usize,
    /// How many of them were there already with the same value.
    pub repeated: usize,
    /// How many of them replaced another value of the same time.
    pub corrected: usize,
    /// How many of them are of a time whose readings are no longer kept, and were
    /// passed over.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub expired: usize,
    /// How many of them are suspect or rejected, by their screens or because they
    /// could not be converted.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub not_good: usize,
    /// Names nobody has declared yet: their readings are kept and wait.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub waiting: Vec<String>,
    /// Values that were not taken, the first hundred of them.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub refused: Vec<RefusedValue>,
    /// Values of names that are ignored.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub ignored: usize,
    /// What was taken, but is worth knowing.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub remarks: Vec<Remark>,
    /// The device's code, where the sender did not know it: with a site's key.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub device: Option<String>,
    /// Commands that wait for the device.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub commands: Vec<CommandForDevice>,
    /// How many were not taken in all.
    #[serde(skip_serializing_if = "is_zero", default)]
    pub refused_count: usize,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "that is how serde asks")]
fn is_zero(count: &usize) -> bool {
    *count == 0
}
