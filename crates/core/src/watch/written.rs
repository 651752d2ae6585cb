//! Watches as they are written.

use super::area::Area;
use super::hours::Hours;
use crate::alarm::Severity;
use serde::{Deserialize, Serialize};

/// A rule that says when something is wrong.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Watch {
    /// What it is called: the first words of its alarms.
    pub name: String,
    /// What it is on.
    #[serde(default)]
    pub on: Scope,
    /// What is wrong.
    pub when: When,
    /// How far a value has to come back before it counts as back, in the unit of the limit.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub deadband: f64,
    /// Seconds for which it has to be wrong before there is an alarm.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub delay_on_s: f64,
    /// Seconds for which it has to be right before the alarm clears.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub delay_off_s: f64,
    /// How soon somebody has to act.
    #[serde(default)]
    pub severity: Severity,
    /// When it counts, in the site's zone; always, if there are none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub hours: Vec<Hours>,
    /// Readings that are worse than this do not count.
    #[serde(default, skip_serializing_if = "Least::is_usual")]
    pub least_quality: Least,
    /// What whoever is called has to do.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub advice: String,
}

/// What a watch is on. Without a device or kind it is on the whole site; with a signal, on all
/// signals of that code.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = WatchScope))]
#[serde(deny_unknown_fields)]
pub struct Scope {
    /// One device.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub device: Option<String>,
    /// All devices of a kind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kind: Option<String>,
    /// The signal of each of these devices.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub signal: Option<String>,
    /// Devices it is not on all the same.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub except: Vec<String>,
}

/// The least quality of readings that count.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = LeastQuality))]
#[serde(rename_all = "lowercase")]
pub enum Least {
    /// Only good ones.
    #[default]
    Good,
    /// Suspect ones too.
    Suspect,
}

impl Least {
    fn is_usual(&self) -> bool {
        *self == Self::Good
    }
}

/// Which way a value changes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = WatchDirection))]
#[serde(rename_all = "lowercase")]
pub enum Direction {
    /// Up.
    Rises,
    /// Down.
    Falls,
    /// Up or down.
    #[default]
    Either,
}

/// What is wrong.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema), schema(as = WatchCondition))]
#[serde(tag = "is", rename_all = "snake_case", deny_unknown_fields)]
pub enum When {
    /// A number is above a limit.
    Above {
        /// The limit.
        limit: f64,
        /// Its unit; the signal's own if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// A number is below a limit.
    Below {
        /// The limit.
        limit: f64,
        /// Its unit; the signal's own if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// A number is outside a band.
    Outside {
        /// The lower end.
        low: f64,
        /// The upper end.
        high: f64,
        /// Their unit; the signal's own if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// A number changes by more than so much within a time.
    Changing {
        /// By how much.
        by: f64,
        /// Within so many seconds.
        within_s: f64,
        /// Which way.
        #[serde(default)]
        direction: Direction,
        /// The unit of `by`; the signal's own if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// A value has not changed for a time: numbers by no more than so much.
    Steady {
        /// For so many seconds.
        for_s: f64,
        /// Changes up to this do not count.
        #[serde(default, skip_serializing_if = "is_zero")]
        within: f64,
        /// The unit of `within`; the signal's own if absent.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        unit: Option<String>,
    },
    /// A flag is raised, or is not.
    Flag {
        /// Which is wrong.
        value: bool,
    },
    /// A text is this one.
    Text {
        /// Which.
        equals: String,
    },
    /// A position is inside an area.
    Inside {
        /// Which, as GeoJSON (RFC 7946).
        area: Area,
    },
    /// A position is outside an area.
    OutsideOf {
        /// Which, as GeoJSON (RFC 7946).
        area: Area,
    },
    /// A position is further than so many metres from a place.
    Farther {
        /// Degrees north.
        latitude: f64,
        /// Degrees east.
        longitude: f64,
        /// Metres.
        than_m: f64,
    },
    /// Readings are not good. How long they may be is `delay_on_s`.
    Doubtful {},
    /// A device is late or silent.
    Late {},
    /// A device is silent.
    Silent {},
    /// A device has lost more than a share of its messages in a day.
    Losses {
        /// From 0 to 1.
        above: f64,
    },
    /// The disk of the service is expected to be full within so many days.
    Disk {
        /// So many.
        days: f64,
    },
    /// The clock of the service is not to be trusted.
    Clock {},
    /// Somebody presses its button, in the console or by the API: a call for help.
    Pressed {},
}

/// What a condition looks at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Subject {
    /// The readings of a signal.
    Signal,
    /// A device as a whole.
    Device,
    /// The service.
    Service,
}

impl When {
    /// The unit its limits are in, if it says one.
    #[must_use]
    pub fn unit(&self) -> Option<&str> {
        match self {
            Self::Above { unit, .. }
            | Self::Below { unit, .. }
            | Self::Outside { unit, .. }
            | Self::Changing { unit, .. }
            | Self::Steady { unit, .. } => unit.as_deref(),
            _ => None,
        }
    }

    /// What it looks at.
    #[must_use]
    pub const fn subject(&self) -> Subject {
        match self {
            Self::Late {} | Self::Silent {} | Self::Losses { .. } => Subject::Device,
            Self::Disk { .. } | Self::Clock {} | Self::Pressed {} => Subject::Service,
            _ => Subject::Signal,
        }
    }
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks by reference")]
fn is_zero(number: &f64) -> bool {
    *number == 0.0
}
