//! Between the types of core and store and those of the API.

use lantern_api as api;
use lantern_core::presence::Presence;
use lantern_core::quality::Quality;
use lantern_core::series::Point;
use lantern_core::trend::Direction;
use lantern_core::{Moment, Value, ValueType, units};
use lantern_store as store;

pub(crate) fn stage(stage: lantern_core::command::Stage) -> api::CommandStage {
    use lantern_core::command::Stage;
    match stage {
        Stage::Waiting => api::CommandStage::Waiting,
        Stage::Delivered => api::CommandStage::Delivered,
        Stage::Done => api::CommandStage::Done,
        Stage::Refused => api::CommandStage::Refused,
        Stage::Unanswered => api::CommandStage::Unanswered,
        Stage::Uncollected => api::CommandStage::Uncollected,
        Stage::Replaced => api::CommandStage::Replaced,
        Stage::Withdrawn => api::CommandStage::Withdrawn,
    }
}

pub(crate) fn value(value: Value) -> api::Value {
    match value {
        Value::Flag(flag) => api::Value::Flag(flag),
        Value::Number(number) => api::Value::Number(number),
        Value::Text(text) => api::Value::Text(text),
    }
}

pub(crate) fn reading((at, v): (Moment, Value)) -> api::Reading {
    point(Point::good(at, v))
}

/// A quality that is not good, and its cause.
pub(crate) fn doubt(quality: Quality) -> Option<(api::ReadingQuality, String)> {
    let (quality, cause) = match quality {
        Quality::Good => return None,
        Quality::Suspect(cause) => (api::ReadingQuality::Suspect, cause),
        Quality::Rejected(cause) => (api::ReadingQuality::Rejected, cause),
    };
    Some((quality, cause.as_str().to_owned()))
}

/// A reading with its quality, and what was sent.
pub(crate) fn point(point: Point) -> api::Reading {
    let (quality, cause) = doubt(point.quality).unzip();
    api::Reading {
        at: point.at.to_string(),
        value: value(point.value),
        quality,
        cause,
        raw: point.raw.map(api::Value::Number),
        trial: false,
    }
}

/// A reading of a device that may be in trial.
pub(crate) fn reading_of(state: store::DeviceState, point_: Point) -> api::Reading {
    api::Reading { trial: state == store::DeviceState::Trial, ..point(point_) }
}

pub(crate) fn from_value(value: api::Value) -> Value {
    match value {
        api::Value::Flag(flag) => Value::Flag(flag),
        api::Value::Number(number) => Value::Number(number),
        api::Value::Text(text) => Value::Text(text),
    }
}

pub(crate) fn state(state: store::DeviceState) -> api::DeviceState {
    match state {
        store::DeviceState::Waiting => api::DeviceState::Waiting,
        store::DeviceState::Trial => api::DeviceState::Trial,
        store::DeviceState::Live => api::DeviceState::Live,
    }
}

pub(crate) fn value_type(value_type: ValueType) -> api::ValueType {
    match value_type {
        ValueType::Number => api::ValueType::Number,
        ValueType::Flag => api::ValueType::Flag,
        ValueType::Text => api::ValueType::Text,
    }
}

pub(crate) fn from_value_type(value_type: api::ValueType) -> ValueType {
    match value_type {
        api::ValueType::Number => ValueType::Number,
        api::ValueType::Flag => ValueType::Flag,
        api::ValueType::Text => ValueType::Text,
    }
}

pub(crate) fn presence(presence: Presence) -> api::Presence {
    match presence {
        Presence::Fresh => api::Presence::Fresh,
        Presence::Late => api::Presence::Late,
        Presence::Silent => api::Presence::Silent,
        Presence::Never => api::Presence::Never,
    }
}

pub(crate) fn direction(direction: Direction) -> api::Direction {
    match direction {
        Direction::Rising => api::Direction::Rising,
        Direction::Falling => api::Direction::Falling,
        Direction::Steady => api::Direction::Steady,
    }
}

pub(crate) fn position(position: store::Position) -> api::Position {
    api::Position { latitude: position.latitude, longitude: position.longitude, altitude_m: position.altitude_m }
}

pub(crate) fn site(site: store::Site, arrivals: u32) -> api::Site {
    api::Site {
        code: site.code,
        name: site.name,
        zone: site.zone,
        position: site.position.map(position),
        created_at: site.created_at.to_string(),
        arrivals,
    }
}

/// How a device is doing: presence, since when, and when it was last heard.
pub(crate) struct Standing {
    pub(crate) presence: api::Presence,
    pub(crate) since: Option<String>,
    pub(crate) last_heard_at: Option<String>,
}

pub(crate) fn standing(device: &store::Device, last_heard: Option<Moment>, now: Moment) -> Standing {
    let last_heard = last_heard.or(device.last_heard_at);
    let state = Presence::judge(last_heard, device.patience(), now);
    Standing {
        presence: presence(state),
        since: state.since(last_heard, device.patience()).map(|at| at.to_string()),
        last_heard_at: last_heard.map(|at| at.to_string()),
    }
}

pub(crate) fn signal(signal: store::Signal, also: Vec<String>) -> api::Signal {
    api::Signal {
        symbol: symbol(signal.unit.as_deref()),
        code: signal.code,
        name: signal.name,
        note: signal.note,
        value_type: value_type(signal.value_type.unwrap_or(ValueType::Text)),
        unit: signal.unit,
        low: signal.low,
        high: signal.high,
        reserved: signal.is_reserved,
        role: signal.role.map(role),
        meaning: document(signal.meaning.as_deref()),
        also,
    }
}

/// What values mean, as the document that was kept.
pub(crate) fn document(text: Option<&str>) -> Option<serde_json::Value> {
    text.and_then(|text| serde_json::from_str(text).ok())
}

/// How many decimals a signal's values are worth, from the last of them.
pub(crate) fn decimals(signal: &store::Signal, values: impl Iterator<Item = f64>) -> u8 {
    let is_worked_out =
        crate::meaning::parse(signal).is_some_and(|meaning| meaning.formula.is_some() || meaning.conversion.is_some());
    if is_worked_out { lantern_core::decimals_worth_showing(values) } else { lantern_core::decimals(values) }
}

pub(crate) fn role(role: store::SignalRole) -> api::SignalRole {
    match role {
        store::SignalRole::Sequence => api::SignalRole::Sequence,
        store::SignalRole::Battery => api::SignalRole::Battery,
        store::SignalRole::Link => api::SignalRole::Link,
    }
}

pub(crate) fn from_role(role: api::SignalRole) -> store::SignalRole {
    match role {
        api::SignalRole::Sequence => store::SignalRole::Sequence,
        api::SignalRole::Battery => store::SignalRole::Battery,
        api::SignalRole::Link => store::SignalRole::Link,
    }
}

pub(crate) fn symbol(unit: Option<&str>) -> String {
    unit.map(units::symbol).unwrap_or_default()
}

pub(crate) fn grants(grants: store::Grants) -> Vec<api::Grant> {
    let all = [(grants.send, api::Grant::Send), (grants.read, api::Grant::Read), (grants.command, api::Grant::Command)];
    all.into_iter().filter(|(is, _)| *is).map(|(_, grant)| grant).collect()
}

pub(crate) fn from_grants(grants: &[api::Grant]) -> store::Grants {
    store::Grants {
        send: grants.contains(&api::Grant::Send),
        read: grants.contains(&api::Grant::Read),
        command: grants.contains(&api::Grant::Command),
    }
}

pub(crate) fn key(key: store::Key) -> api::Key {
    let time = |at: Option<Moment>| at.map(|at| at.to_string());
    api::Key {
        id: key.id,
        hint: key.hint,
        note: key.note,
        grants: grants(key.grants),
        created_at: key.created_at.to_string(),
        expires_at: time(key.expires_at),
        last_used_at: time(key.last_used_at),
        last_used_from: key.last_used_from,
        revoked_at: time(key.revoked_at),
    }
}
