//! Why nothing is seen of a device or a signal.

pub use lantern_core::why::{Mend, Stage};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// The first thing that is wrong on the way of a reading, and what mends it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Why {
    /// The device that was asked about.
    pub device: String,
    /// The signal, if one was.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub signal: Option<String>,
    /// When this was found.
    pub at: String,
    /// What was looked at and is right, in order.
    pub passed: Vec<Stage>,
    /// Where it is wrong; absent if nothing is.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub stage: Option<Stage>,
    /// A stable code, of a refusal where one is the reason.
    pub code: String,
    /// What was seen.
    pub what: String,
    /// What it means.
    pub means: String,
    /// What mends it.
    pub mend: Mend,
}
