//! What a device is, apart from what it sends.

use serde::{Deserialize, Serialize};

/// How far a device is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum DeviceState {
    /// Heard, but declared by nobody.
    Waiting,
    /// Declared, and being tried: its readings are trial readings.
    #[default]
    Trial,
    /// Relied upon.
    Live,
}

impl DeviceState {
    /// The word used in the API and the database.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Waiting => "waiting",
            Self::Trial => "trial",
            Self::Live => "live",
        }
    }
}

impl std::str::FromStr for DeviceState {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        [Self::Waiting, Self::Trial, Self::Live].into_iter().find(|state| state.as_str() == word).ok_or(())
    }
}

/// What a signal tells of the link of its device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum SignalRole {
    /// The number of the message: lost and repeated ones show by it.
    Sequence,
    /// How full its battery is.
    Battery,
    /// How well it is received.
    Link,
}

impl SignalRole {
    /// The word used in the API and the database.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Sequence => "sequence",
            Self::Battery => "battery",
            Self::Link => "link",
        }
    }
}

impl std::str::FromStr for SignalRole {
    type Err = ();

    fn from_str(word: &str) -> Result<Self, ()> {
        [Self::Sequence, Self::Battery, Self::Link].into_iter().find(|role| role.as_str() == word).ok_or(())
    }
}

/// A place on the Earth (WGS 84).
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Position {
    /// Degrees north, -90 to 90.
    #[cfg_attr(feature = "schema", schema(minimum = -90.0, maximum = 90.0))]
    pub latitude: f64,
    /// Degrees east, -180 to 180.
    #[cfg_attr(feature = "schema", schema(minimum = -180.0, maximum = 180.0))]
    pub longitude: f64,
    /// Metres above sea level, -12,000 to 100,000.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    #[cfg_attr(feature = "schema", schema(minimum = -12_000.0, maximum = 100_000.0))]
    pub altitude_m: Option<f64>,
}
