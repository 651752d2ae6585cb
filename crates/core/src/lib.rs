//! The computation of Key Lantern: from the bytes a sender delivered to
//! readings with a meaning.
//!
//! Nothing here does I/O, reads a clock or knows HTTP, SQL or MQTT: the time is
//! passed in, bytes come as slices, results go out as values.
//!
//! ```
//! use lantern_core::{decode, intake::{self, Plan, PlannedSignal}, Moment, SignalId, ValueType};
//!
//! let now = Moment::parse_rfc3339("2026-05-01T12:00:00Z").unwrap();
//! let mut plan = Plan::default();
//! plan.insert("temp", PlannedSignal::declared(SignalId(1), ValueType::Number));
//!
//! let times = decode::Times::new(now, jiff::tz::TimeZone::UTC);
//! let decoded = decode::json(br#"{"temp": 21.4, "hum": 55}"#, &times).unwrap();
//! let understood = intake::understand(&plan, decoded, now);
//! assert_eq!(understood.readings.len(), 1);  // temp is declared
//! assert_eq!(understood.arrivals.len(), 1);  // hum waits to be claimed
//! assert!(understood.refused.is_empty());
//! ```
//!
//! The nouns: a [`Moment`] in time, a [`Value`], a [`Refusal`] with its remedy,
//! a [`UnitCode`](units::UnitCode), a [`Plan`](intake::Plan) of one device.
//!
//! | module | holds |
//! |---|---|
//! | [`access`] | who may do what |
//! | [`allowance`] | how much a key may send |
//! | [`attention`] | what of a device needs somebody's attention |
//! | [`clock_offset`] | how far a sender's clock is off |
//! | [`code`] | names of sites, devices and signals |
//! | [`command`] | what a device can be told to do |
//! | [`compare`] | two series of the same thing |
//! | [`convert`] | raw values to what they mean, step by step |
//! | [`coverage`] | how much of what was expected came |
//! | [`decode`] | payloads to named raw values |
//! | [`figures`] | what the readings of a stretch of time come to |
//! | [`fix`] | measured positions |
//! | [`formula`] | values worked out from those of several signals |
//! | [`intake`] | raw values to readings and arrivals |
//! | [`lamp`] | the one-glance state, for small displays |
//! | [`link`] | how messages come through |
//! | [`meaning`] | conversion or formula, and screen, of a signal together |
//! | [`own_topic`] | topics a device is told to listen to |
//! | [`physics`] | thermocouples, humidity, sound, tanks and the like |
//! | [`presence`] | fresh, late, silent, never |
//! | [`retention`] | how long readings and summaries are kept |
//! | [`screen`] | which values can be believed |
//! | [`senml`] | sensor measurement lists (RFC 8428) |
//! | [`quality`] | how far a reading can be trusted |
//! | [`series`] | runs of readings, segments, summaries |
//! | [`state`] | what a part of the service wants kept, as keyed bytes |
//! | [`trend`] | direction of change |
//! | [`trusted_time`] | whether the clock can be believed |
//! | [`units`] | UCUM codes |

pub mod access;
pub mod alarm;
pub mod allowance;
pub mod attention;
pub mod callout;
mod cbor;
pub mod clock_offset;
pub mod code;
pub mod command;
pub mod compare;
pub mod convert;
pub mod coverage;
mod decimal_mark;
pub mod decode;
mod device;
mod digits;
mod duration;
pub mod figures;
pub mod fix;
pub mod formula;
mod ids;
pub mod intake;
pub mod lamp;
pub mod link;
pub mod meaning;
mod median;
mod micros;
mod moment;
pub mod nearest;
pub mod own_topic;
pub mod physics;
pub mod places;
pub mod presence;
pub mod quality;
mod refusal;
pub mod retention;
pub mod screen;
pub mod senml;
pub mod series;
pub mod state;
mod steady;
pub mod trend;
pub mod trusted_time;
pub mod units;
mod value;
pub mod watch;
pub mod why;

pub use decimal_mark::DecimalMark;
pub use device::{DeviceState, Position, SignalRole};
pub use digits::{
    decimals, decimals_of_converted, decimals_of_spread, decimals_of_step, decimals_worth_showing, step_of_decimals,
};
pub use duration::duration;
pub use ids::{CommandId, DeviceId, JobId, KeyId, NoteId, SignalId, SiteId};
pub use median::median;
pub use micros::Micros;
pub use moment::{Moment, MomentError};
use quality::Quality;
pub use refusal::{Refusal, RefusalCode};
pub use steady::Steady;
pub use value::{Value, ValueType};

/// One value of one signal at one time.
#[derive(Debug, Clone, PartialEq)]
pub struct Reading {
    /// The signal it belongs to.
    pub signal: SignalId,
    /// When it was measured.
    pub at: Moment,
    /// What was measured, in the signal's unit.
    pub value: Value,
    /// How far it can be trusted.
    pub quality: Quality,
    /// What was sent, in the unit its conversion takes, where the value was made of it.
    pub raw: Option<f64>,
}

impl Reading {
    /// A good reading as it was sent.
    #[must_use]
    pub const fn good(signal: SignalId, at: Moment, value: Value) -> Self {
        Self { signal, at, value, quality: Quality::Good, raw: None }
    }

    /// A reading of a series.
    #[must_use]
    pub fn of(signal: SignalId, point: series::Point) -> Self {
        Self { signal, at: point.at, value: point.value, quality: point.quality, raw: point.raw }
    }

    /// The reading within its series.
    #[must_use]
    pub fn point(&self) -> series::Point {
        series::Point { at: self.at, value: self.value.clone(), quality: self.quality, raw: self.raw }
    }
}
