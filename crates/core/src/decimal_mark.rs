//! How numbers are written for people.

use serde::{Deserialize, Serialize};

/// What stands before the decimals of a number that people read.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum DecimalMark {
    /// 1.5
    #[default]
    Point,
    /// 1,5
    Comma,
}

impl DecimalMark {
    /// The word used in the API and the database.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Point => "point",
            Self::Comma => "comma",
        }
    }

    /// Whether it is the usual one.
    #[must_use]
    pub fn is_usual(&self) -> bool {
        *self == Self::default()
    }
}

impl std::str::FromStr for DecimalMark {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        [Self::Point, Self::Comma].into_iter().find(|mark| mark.as_str() == word).ok_or(())
    }
}
