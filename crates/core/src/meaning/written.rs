//! Meanings as they are written.

use crate::convert::Step;
use crate::screen::Screen;
use serde::{Deserialize, Serialize};

/// What a signal's values mean.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Meaning {
    /// How what is sent becomes the value.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub conversion: Option<Converting>,
    /// How the value is worked out from other signals; then nothing is sent.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub formula: Option<String>,
    /// Which values can be believed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub screen: Option<Screen>,
    /// Values of other signals count for so many seconds; [`Meaning::OTHERS_S`] if
    /// absent.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub others_within_s: Option<f64>,
}

/// A conversion as it is written.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Converting {
    /// The unit of what is sent, if it has one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// What is done to it, in order; without any its unit is changed.
    #[serde(default)]
    pub steps: Vec<Step>,
}

impl Converting {
    /// Whether it leaves values as they are.
    #[must_use]
    pub const fn is_empty(&self) -> bool {
        self.from.is_none() && self.steps.is_empty()
    }
}

impl Meaning {
    /// How long values of other signals count, in seconds, unless it is said.
    pub const OTHERS_S: f64 = 300.0;
    /// The longest they can count: a week.
    pub const MAX_OTHERS_S: f64 = 7.0 * 86_400.0;

    /// Whether it says nothing: values are as they are sent.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// How long values of other signals count, in microseconds.
    #[must_use]
    pub fn others_within(&self) -> i64 {
        (self.others_within_s.unwrap_or(Self::OTHERS_S) * 1e6) as i64
    }
}
