//! Views of charts that people keep by name.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A view that is to be kept.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewView {
    /// The query of its address in the console, such as `signals=tower/level&span=1w`, 4,000 bytes at most.
    pub query: String,
}

/// A view.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct View {
    /// What it is called.
    pub name: String,
    /// The query of its address in the console.
    pub query: String,
    /// Who kept it.
    pub kept_by: String,
    /// When.
    pub kept_at: String,
}
