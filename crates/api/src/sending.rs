use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Ready-to-paste instructions for one device.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Recipe {
    /// `shell`, `python`, `javascript`, `c`, `http`, `get`, `form`, `senml` or `mqtt`.
    pub code: String,
    /// What it is, for people.
    pub title: String,
    /// What to do with it, as a sentence.
    pub hint: String,
    /// The name of a file it can be kept in.
    pub file: String,
    /// The text; where the device's key belongs stands `KEY`.
    pub text: String,
}

/// All recipes of a device.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Recipes {
    /// Where to send: the address without the key.
    pub address: String,
    /// The recipes.
    pub recipes: Vec<Recipe>,
}

/// A reading entered by hand.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewHandReading {
    /// What was read off.
    pub value: crate::Value,
    /// When; now if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub at: Option<String>,
    /// Free text.
    #[serde(default)]
    pub note: String,
}

/// Who entered a reading by hand.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct HandReading {
    /// The reading's time.
    pub at: String,
    /// The person's name.
    pub person: String,
    /// Free text.
    pub note: String,
}
