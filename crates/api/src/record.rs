use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A line of the record of changes.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct ChangeLine {
    /// Its number.
    pub id: i64,
    /// When it was done.
    pub at: String,
    /// The code of the site it was done on; absent for what concerns the service.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub site: Option<String>,
    /// Who did it.
    pub who: String,
    /// By what: `console`, or a token by its name.
    pub way: String,
    /// The address it came from.
    pub from: String,
    /// What was done, in the past tense.
    pub action: String,
    /// What it was done to, as its address names it below the site; empty for the site itself.
    pub object: String,
    /// What differs, field by field. Secrets are kept nowhere.
    pub differences: Vec<FieldDifference>,
    /// Whether it can be undone, as long as nobody changes the same again.
    pub can_undo: bool,
    /// The line that undid it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub undone_by: Option<i64>,
}

/// A field that was changed.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct FieldDifference {
    /// The field.
    pub field: String,
    /// What it was; absent if it was not there.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub before: Option<serde_json::Value>,
    /// What it is now; absent if it is not there.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub after: Option<serde_json::Value>,
}
