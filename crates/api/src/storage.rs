//! What is kept for how long, and how much room it takes.

use crate::Retention;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// The retention of a signal or a kind.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct RetentionState {
    /// What was set for it; absent if nothing was.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub own: Option<Retention>,
    /// What holds: its own, or that of its kind, or all for ever.
    pub effective: Retention,
}

/// What a retention does to what there is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct RetentionEffect {
    /// Signals it holds for.
    pub signals: usize,
    /// Readings that go within the hour.
    pub readings: u64,
    /// Those of them of which summaries stay.
    pub summarized: u64,
    /// Bytes that become free.
    pub bytes: u64,
    /// Whether it was set; `false` for a dry run.
    pub set: bool,
}

/// The room that everything takes.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Storage {
    /// Bytes used in the database.
    pub used_bytes: u64,
    /// Bytes it may use; absent if there is no limit.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub budget_bytes: Option<u64>,
    /// Whether more than nine tenths of it are used.
    pub nearly_full: bool,
}
