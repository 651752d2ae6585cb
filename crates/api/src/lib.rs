//! What service and clients say to each other over HTTP: requests, answers and
//! live events, as they stand in the OpenAPI document. Nothing else.
//!
//! A type that the computation has as well, such as [`Value`] or [`Presence`], is that of
//! `lantern-core`; here are only those that exist for being sent.
//!
//! Times are RFC 3339 texts in UTC. Lists come as a [`Page`]; `next` of one page
//! is `after` of the request for the following one.

mod account;
mod alarm_figures;
mod alarms;
mod arrivals;
mod callouts;
mod commands;
mod commissioning;
mod compare;
mod contacts;
mod coverage;
mod errors;
mod figures;
mod keys;
mod kinds;
mod links;
mod live;
mod meaning;
mod members;
mod mqtt_sessions;
mod notes;
mod now;
mod objects;
mod origin;
mod people;
mod record;
mod sending;
mod series;
mod site;
mod storage;
mod trying;
mod views;
mod why;

pub use account::*;
pub use alarm_figures::{AlarmDay, AlarmFigures, AlarmPlace, SeverityCount};
pub use alarms::{
    Alarm, AlarmAnswer, AlarmCounts, AlarmHistory, AlarmStep, NewWatch, PressedButton, SiteWatch, TriedOccurrence,
    TriedPlace, TriedWatch, TryWatch,
};
pub use arrivals::*;
pub use callouts::{
    CallSecret, CalledFor, Callout, CalloutAttempt, CalloutHistory, NewRoster, SigningKey, SiteRoster, TestCallout,
    TextReply, TextReplyTaken,
};
pub use commands::*;
pub use commissioning::*;
pub use compare::*;
pub use contacts::*;
pub use coverage::*;
pub use errors::{InAnswer, Problem, RefusedValue, Remark};
pub use figures::*;
pub use keys::*;
pub use kinds::*;
pub use links::*;
pub use live::{ChangeEvent, Changed, LiveEvent, LiveReading, PresenceEvent, ReadingsEvent};
pub use meaning::*;
pub use members::*;
pub use mqtt_sessions::*;
pub use notes::*;
pub use now::*;
pub use objects::*;
pub use origin::*;
pub use people::*;
pub use record::*;
pub use sending::*;
pub use series::*;
pub use site::*;
pub use storage::*;
pub use trying::*;
pub use views::*;
pub use why::*;

pub use lantern_core::access::{Right, Role};
pub use lantern_core::alarm::Severity;
pub use lantern_core::alarm::figures::{Figure as AlarmFigure, Measure as AlarmMeasure};
pub use lantern_core::attention::{Attention, Concern, sentence as attention_sentence};
pub use lantern_core::callout::{Absence, Holiday, Roster, Turn, Way};
pub use lantern_core::callout::{AttemptOutcome, CalloutSort, CalloutState};
pub use lantern_core::command::Stage as CommandStage;
pub use lantern_core::fix::{Fix, FixPart};
pub use lantern_core::presence::Presence;
pub use lantern_core::retention::Retention;
pub use lantern_core::trend::Direction;
pub use lantern_core::watch::{
    Direction as WatchDirection, Hours, Least, Rating, Remark as WatchRemark, Scope, Watch, When,
};
pub use lantern_core::{DecimalMark, DeviceState, Position, SignalRole, Value, ValueType};

use serde::{Deserialize, Deserializer, Serialize};
use utoipa::ToSchema;

/// One page of a list.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct Page<T> {
    /// The items, in the list's order.
    pub items: Vec<T>,
    /// Pass this as `after` to get the next page; absent on the last one.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub next: Option<String>,
}

/// Tells `"position": null` (take it away) from no `position` at all (leave it).
fn present<'de, T: Deserialize<'de>, D: Deserializer<'de>>(deserializer: D) -> Result<Option<Option<T>>, D::Error> {
    Option::<T>::deserialize(deserializer).map(Some)
}
