use crate::{CommandStage, Value, ValueType};
use lantern_core::Value as ReadingValue;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// A command that a device understands.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CommandDeclaration {
    /// Letters, digits, `-`, `_`, `.`: its name in topics and on the command line.
    #[schema(pattern = "^[A-Za-z0-9._-]{1,64}$")]
    pub name: String,
    /// Its name for people; the name itself if absent.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub title: Option<String>,
    /// What it takes, at most 20.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[schema(max_items = 20)]
    pub arguments: Vec<CommandArgument>,
    /// Seconds after which it counts as not answered (1 to 604,800; default 30).
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(minimum = 1.0, maximum = 604_800.0)]
    pub timeout_s: Option<f64>,
    /// It sets a state that is to be so: the last one given waits until the device
    /// can be reached, and takes the place of those before it.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub standing: bool,
}

/// One argument of a command.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CommandArgument {
    /// Letters, digits, `-`, `_`, `.`, but not `id`.
    #[schema(pattern = "^[A-Za-z0-9._-]{1,64}$")]
    pub name: String,
    /// What it is.
    #[serde(rename = "type", default)]
    pub value_type: ValueType,
    /// UCUM code of its unit; only for numbers.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// The least it may be; only for numbers.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub low: Option<f64>,
    /// The most it may be; only for numbers.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub high: Option<f64>,
    /// The texts it may be; only for texts.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub choices: Vec<String>,
}

/// A command to give.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewCommand {
    /// Which one.
    #[schema(pattern = "^[A-Za-z0-9._-]{1,64}$")]
    pub name: String,
    /// Its arguments by name; texts are read as what the argument is.
    #[serde(default)]
    #[schema(value_type = BTreeMap<String, ReadingValue>)]
    pub arguments: BTreeMap<String, Value>,
}

/// A command that was given.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Command {
    /// Its number.
    pub id: i64,
    /// Which one.
    pub name: String,
    /// Its arguments by name.
    #[schema(value_type = BTreeMap<String, ReadingValue>)]
    pub arguments: BTreeMap<String, Value>,
    /// Who gave it.
    pub given_by: String,
    /// When.
    pub given_at: String,
    /// How far it is.
    pub stage: CommandStage,
    /// When the device had it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub delivered_at: Option<String>,
    /// When it was over.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub ended_at: Option<String>,
    /// What the device said.
    #[serde(skip_serializing_if = "String::is_empty", default)]
    pub answer: String,
    /// Until when it waits; absent for one that stands until it can be delivered.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub expires_at: Option<String>,
}

/// A command as its device gets it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CommandForDevice {
    /// Its number, to be given back with the answer.
    pub id: i64,
    /// Which one.
    pub name: String,
    /// Its arguments by name.
    #[schema(value_type = BTreeMap<String, ReadingValue>)]
    pub arguments: BTreeMap<String, Value>,
}

/// What becomes of a command that a device has had.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct CommandAnswer {
    /// Whether it was done.
    #[serde(default = "yes")]
    pub ok: bool,
    /// What else there is to say.
    #[serde(default)]
    pub text: String,
}

const fn yes() -> bool {
    true
}

/// Live event `command`: a command is at another stage.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CommandEvent {
    /// The device it is for.
    pub device: String,
    /// The command.
    pub command: Command,
}
