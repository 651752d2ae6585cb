use crate::{NewSignal, RefusedValue, Remark, Value};
use lantern_core::Value as ReadingValue;
use lantern_core::decode::decoder::Form as Decoder;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// A sample to try out. Nothing of it is kept.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Trying {
    /// The payload as text.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub sample: Option<String>,
    /// The payload as base64, for bytes that are no text.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub sample_base64: Option<String>,
    /// What its sender would call it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub content_type: Option<String>,
    /// The device it would come from; its decoder and signals hold unless others
    /// are given here.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub device: Option<String>,
    /// The decoder to try.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[schema(value_type = Option<Decoder>)]
    pub decoder: Option<serde_json::Value>,
    /// The signals to match with.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub signals: Option<Vec<NewSignal>>,
}

/// What a value would become.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum Becomes {
    /// A reading of the signal of that name.
    Reading,
    /// A reading that is rejected: a text where a number belongs.
    Rejected,
    /// An arrival: nobody has declared the name.
    Arrival,
    /// Nothing: the name is ignored.
    Ignored,
    /// Nothing: it would be refused.
    Refused,
}

/// One value of a sample.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct TriedValue {
    /// The name in the payload, or the one the decoder gives it.
    pub name: String,
    /// The value as it stands there.
    #[schema(value_type = ReadingValue)]
    pub raw: Value,
    /// Its time, if the payload has one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub at: Option<String>,
    /// The device the payload says it is of.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub device: Option<String>,
    /// The unit the payload or the decoder says.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub unit: Option<String>,
    /// What it would become.
    pub becomes: Becomes,
    /// Why it would be refused.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub refused: Option<RefusedValue>,
}

/// What a sample would come to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Tried {
    /// What it was read as: `decoder`, or a dialect.
    pub dialect: String,
    /// The first hundred of its values.
    pub values: Vec<TriedValue>,
    /// How many values there are.
    pub count: usize,
    /// What could not be read at all.
    pub refused: Vec<RefusedValue>,
    /// What is worth knowing.
    pub remarks: Vec<Remark>,
}
