//! How bad an alarm is.

use serde::{Deserialize, Serialize};

/// How bad an alarm is: how soon somebody has to act.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth a look when there is time.
    Low,
    /// Within the day.
    #[default]
    Medium,
    /// Within the hour.
    High,
    /// Now, at night too.
    Urgent,
}

impl Severity {
    /// All there are, the mildest first.
    pub const ALL: [Self; 4] = [Self::Low, Self::Medium, Self::High, Self::Urgent];

    /// Its word.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Low => "low",
            Self::Medium => "medium",
            Self::High => "high",
            Self::Urgent => "urgent",
        }
    }
}

impl std::str::FromStr for Severity {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        Self::ALL.into_iter().find(|severity| severity.as_str() == word).ok_or(())
    }
}
