//! What of the store and the computation is shown: as the API has it.

use crate::definitions::meaning_document;
use lantern_api as api;
use lantern_core::link::LinkCounts;
use lantern_core::presence::Presence;
use lantern_core::quality::Quality;
use lantern_core::series::Point;
use lantern_core::{DeviceState, Moment, Value, ValueType, units};
use lantern_store as store;

/// A good reading.
#[must_use]
pub fn reading((at, v): (Moment, Value)) -> api::Reading {
    point(Point::good(at, v))
}

/// A quality that is not good, and its cause.
#[must_use]
pub fn doubt(quality: Quality) -> Option<(api::ReadingQuality, String)> {
    let (quality, cause) = match quality {
        Quality::Good => return None,
        Quality::Suspect(cause) => (api::ReadingQuality::Suspect, cause),
        Quality::Rejected(cause) => (api::ReadingQuality::Rejected, cause),
    };
    Some((quality, cause.as_str().to_owned()))
}

/// A reading with its quality, and what was sent.
#[must_use]
pub fn point(point: Point) -> api::Reading {
    let (quality, cause) = doubt(point.quality).unzip();
    api::Reading {
        at: point.at.to_string(),
        value: point.value,
        quality,
        cause,
        raw: point.raw.map(Value::Number),
        trial: false,
    }
}

/// A reading of a device that may be in trial.
#[must_use]
pub fn reading_of(state: DeviceState, point_: Point) -> api::Reading {
    api::Reading { trial: state == DeviceState::Trial, ..point(point_) }
}

/// A site, with how many names wait on it.
#[must_use]
///
/// `standing` is that of the one who asks.
pub fn site(site: store::Site, arrivals: u32, standing: &lantern_core::access::Standing) -> api::Site {
    api::Site {
        code: site.code,
        name: site.name,
        zone: site.zone,
        decimal_mark: site.decimal_mark,
        position: site.position,
        created_at: site.created_at.to_string(),
        arrivals,
        access: api::Access {
            // Whoever gets here has a role; a viewer may do the least.
            role: standing.effective_role().unwrap_or(api::Role::Viewer),
            may: standing.rights().collect(),
        },
    }
}

/// How a device is doing: presence, since when, and when it was last heard.
pub struct Standing {
    /// How it is doing.
    pub presence: Presence,
    /// Since when.
    pub since: Option<String>,
    /// When it was last heard.
    pub last_heard_at: Option<String>,
}

/// How a device is doing at a time.
#[must_use]
pub fn standing(device: &store::Device, last_heard: Option<Moment>, now: Moment) -> Standing {
    let last_heard = last_heard.or(device.last_heard_at);
    let state = Presence::judge(last_heard, device.patience(), now);
    Standing {
        presence: state,
        since: state.since(last_heard, device.patience()).map(|at| at.to_string()),
        last_heard_at: last_heard.map(|at| at.to_string()),
    }
}

/// A signal, with the other names senders use for it.
#[must_use]
pub fn signal(signal: store::Signal, also: Vec<String>) -> api::Signal {
    let (meaning, damaged) = match meaning_document(signal.meaning.as_deref()) {
        Ok(meaning) => (meaning, None),
        Err(damaged) => (None, Some(damaged.to_string())),
    };
    api::Signal {
        symbol: symbol(signal.unit.as_deref()),
        code: signal.code,
        name: signal.name,
        note: signal.note,
        value_type: signal.value_type.unwrap_or(ValueType::Text),
        unit: signal.unit,
        low: signal.low,
        high: signal.high,
        interval_s: signal.interval_s,
        reserved: signal.is_reserved,
        role: signal.role,
        meaning,
        damaged,
        also,
    }
}

/// How a unit is shown; empty for none.
#[must_use]
pub fn symbol(unit: Option<&str>) -> String {
    unit.map(units::symbol).unwrap_or_default()
}

/// What a key may be used for, as a list.
#[must_use]
pub fn grants(grants: store::Grants) -> Vec<api::Grant> {
    let all = [(grants.send, api::Grant::Send), (grants.read, api::Grant::Read), (grants.command, api::Grant::Command)];
    all.into_iter().filter(|(is, _)| *is).map(|(_, grant)| grant).collect()
}

/// What a key may be used for, from a list.
#[must_use]
pub fn from_grants(grants: &[api::Grant]) -> store::Grants {
    store::Grants {
        send: grants.contains(&api::Grant::Send),
        read: grants.contains(&api::Grant::Read),
        command: grants.contains(&api::Grant::Command),
    }
}

/// A key, without its secret.
#[must_use]
pub fn key(key: store::Key) -> api::Key {
    let time = |at: Option<Moment>| at.map(|at| at.to_string());
    api::Key {
        id: key.id.0,
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

/// How messages came through.
#[must_use]
pub fn link_counts(counts: LinkCounts) -> api::LinkCounts {
    api::LinkCounts {
        received: counts.received,
        lost: counts.lost,
        repeated: counts.repeated,
        restarted: counts.restarted,
        delivery_ratio: counts.delivery_ratio(),
    }
}

/// A view of a chart.
#[must_use]
pub fn view(view: store::View) -> api::View {
    api::View { name: view.name, query: view.query, kept_by: view.kept_by, kept_at: view.kept_at.to_string() }
}

/// A note.
#[must_use]
pub fn note(note: store::Note) -> api::Note {
    let about = match (note.device, note.signal) {
        (Some(device), Some(signal)) => format!("{device}/{signal}"),
        (device, _) => device.unwrap_or_default(),
    };
    let (changed_by, changed_at) = note.changed.unzip();
    api::Note {
        id: note.id.0,
        about,
        from: note.from.to_string(),
        to: note.to.map(|to| to.to_string()),
        text: note.text,
        written_by: note.written.0,
        written_at: note.written.1.to_string(),
        changed_by,
        changed_at: changed_at.map(|at| at.to_string()),
    }
}

/// Who entered a reading by hand.
#[must_use]
pub fn hand_reading(hand: store::HandReading) -> api::HandReading {
    api::HandReading { at: hand.at.to_string(), person: hand.person, note: hand.note }
}
