//! Values and their types.

use crate::fix::Fix;
use serde::{Deserialize, Serialize};

/// What kind of value a signal has.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum ValueType {
    /// A finite number in the signal's unit.
    #[default]
    Number,
    /// Yes or no.
    Flag,
    /// A text of at most 1,024 bytes.
    Text,
    /// A place on the Earth that was measured.
    Position,
}

impl ValueType {
    /// All there are.
    pub const ALL: [Self; 4] = [Self::Number, Self::Flag, Self::Text, Self::Position];

    /// The word used in the API and the database.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Number => "number",
            Self::Flag => "flag",
            Self::Text => "text",
            Self::Position => "position",
        }
    }
}

impl std::str::FromStr for ValueType {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        Self::ALL.into_iter().find(|t| t.as_str() == word).ok_or(())
    }
}

/// A value: a JSON number, true or false, a text, or an object with the numbers of a
/// position.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = ReadingValue))]
#[serde(untagged)]
pub enum Value {
    /// Yes or no.
    Flag(bool),
    /// A finite number.
    Number(f64),
    /// A text of at most 1,024 bytes.
    Text(String),
    /// A place. Boxed, so that numbers take no more room.
    Position(Box<Fix>),
}

impl From<Fix> for Value {
    fn from(fix: Fix) -> Self {
        Self::Position(Box::new(fix))
    }
}

impl Value {
    /// The most bytes a text value may have.
    pub const MAX_TEXT: usize = 1024;

    /// The type this value has.
    #[must_use]
    pub const fn value_type(&self) -> ValueType {
        match self {
            Self::Flag(_) => ValueType::Flag,
            Self::Number(_) => ValueType::Number,
            Self::Text(_) => ValueType::Text,
            Self::Position(_) => ValueType::Position,
        }
    }

    /// The position, if it is one.
    #[must_use]
    pub fn as_fix(&self) -> Option<&Fix> {
        match self {
            Self::Position(fix) => Some(fix),
            Self::Flag(_) | Self::Number(_) | Self::Text(_) => None,
        }
    }

    /// The number that charts and summaries use: a flag counts as 0 or 1.
    #[must_use]
    pub const fn as_number(&self) -> Option<f64> {
        match self {
            Self::Number(n) => Some(*n),
            Self::Flag(true) => Some(1.0),
            Self::Flag(false) => Some(0.0),
            Self::Text(_) | Self::Position(_) => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn type_words_read_back() {
        for t in ValueType::ALL {
            assert_eq!(t.as_str().parse(), Ok(t));
        }
        assert_eq!("place".parse::<ValueType>(), Err(()));
    }

    #[test]
    fn json_keeps_the_type() {
        for (json, expected) in [
            ("true", Value::Flag(true)),
            ("1.5", Value::Number(1.5)),
            ("7", Value::Number(7.0)),
            ("\"x\"", Value::Text("x".into())),
            (r#"{"latitude": 54.5, "longitude": -2.25}"#, Fix::new(54.5, -2.25).into()),
        ] {
            assert_eq!(serde_json::from_str::<Value>(json).unwrap(), expected);
        }
    }
}
