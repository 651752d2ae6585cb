//! Values and their types.

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
}

impl ValueType {
    /// The word used in the API and the database.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Number => "number",
            Self::Flag => "flag",
            Self::Text => "text",
        }
    }
}

impl std::str::FromStr for ValueType {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        [Self::Number, Self::Flag, Self::Text].into_iter().find(|t| t.as_str() == word).ok_or(())
    }
}

/// A value: a JSON number, true or false, or a text.
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
        }
    }

    /// The number that charts and summaries use: a flag counts as 0 or 1.
    #[must_use]
    pub const fn as_number(&self) -> Option<f64> {
        match self {
            Self::Number(n) => Some(*n),
            Self::Flag(true) => Some(1.0),
            Self::Flag(false) => Some(0.0),
            Self::Text(_) => None,
        }
    }
}

/// How many decimals the values were given with, at most 6: what a display needs
/// to show them as sent and no finer.
#[must_use]
pub fn decimals(values: impl IntoIterator<Item = f64>) -> u8 {
    values
        .into_iter()
        .map(|value| {
            // The shortest text that reads back as the same number is what the
            // sender wrote, so its length is the resolution.
            value.to_string().split_once('.').map_or(0, |(_, fraction)| fraction.len().min(6) as u8)
        })
        .max()
        .unwrap_or(0)
}

/// How many decimals to show values with that were worked out, and so have all the
/// digits there are: four significant ones of the largest, at most 6 decimals.
#[must_use]
pub fn decimals_worth_showing(values: impl IntoIterator<Item = f64>) -> u8 {
    let largest = values.into_iter().map(f64::abs).fold(0.0, f64::max);
    if largest == 0.0 { 0 } else { (3.0 - largest.log10().floor()).clamp(0.0, 6.0) as u8 }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn decimals_follow_what_was_sent() {
        for (values, expected) in
            [(vec![21.4, 21.0], 1), (vec![21.0], 0), (vec![0.001, 5.0], 3), (vec![1.0 / 3.0], 6), (vec![], 0)]
        {
            assert_eq!(decimals(values.clone()), expected, "{values:?}");
        }
    }

    #[test]
    fn what_was_worked_out_has_four_significant_digits() {
        for (values, expected) in [
            (vec![2.0 / 3.0, 9.400_663], 3),
            (vec![-0.021_73], 5),
            (vec![1e-9], 6),
            (vec![123_456.7], 0),
            (vec![0.0], 0),
        ] {
            assert_eq!(decimals_worth_showing(values.clone()), expected, "{values:?}");
        }
    }

    #[test]
    fn type_words_read_back() {
        for t in [ValueType::Number, ValueType::Flag, ValueType::Text] {
            assert_eq!(t.as_str().parse(), Ok(t));
        }
        assert_eq!("position".parse::<ValueType>(), Err(()));
    }

    #[test]
    fn json_keeps_the_type() {
        for (json, expected) in [
            ("true", Value::Flag(true)),
            ("1.5", Value::Number(1.5)),
            ("7", Value::Number(7.0)),
            ("\"x\"", Value::Text("x".into())),
        ] {
            assert_eq!(serde_json::from_str::<Value>(json).unwrap(), expected);
        }
    }
}
