//! What stands at times beside readings: notes, readings entered by hand, commands, alarms, trials.

use crate::problem::Problem;
use crate::shown;
use lantern_api::{Mark, MarkKind, Marks};
use lantern_core::{Moment, SignalId};
use lantern_store::{AlarmFilter, Device, NoteFilter, Signal, Site, Store, Topic};

/// Marks in one answer.
const MOST: usize = 500;

/// Looked for of each sort and device: one more than can be told.
const LIMIT: u32 = MOST as u32 + 1;

/// Marks of signals of a site from a time on and before another, in order of time; the newest,
/// if there are too many.
///
/// # Errors
/// A [`Problem`] if the store cannot be read.
pub async fn of_signals(
    store: &Store,
    site: &Site,
    signals: &[Signal],
    span: (Moment, Moment),
) -> Result<Marks, Problem> {
    let mut found = notes(store, site, signals, span).await?;
    let mut devices: Vec<_> = signals.iter().map(|signal| signal.device).collect();
    devices.sort_unstable();
    devices.dedup();
    for device in devices {
        let device = store.device_by_id(device).await?;
        for signal in signals.iter().filter(|signal| signal.device == device.id) {
            let about = format!("{}/{}", device.code, signal.code);
            hand_readings(store, signal.id, &about, span, &mut found).await?;
        }
        commands(store, &device, span, &mut found).await?;
        alarms(store, site, &device, signals, span, &mut found).await?;
        trials(store, &device, span, &mut found).await?;
    }
    found.sort_by_key(|(at, _)| *at);
    let more = found.len() > MOST;
    let first = found.len().saturating_sub(MOST);
    Ok(Marks { marks: found.into_iter().skip(first).map(|(_, mark)| mark).collect(), more })
}

type Found = Vec<(Moment, Mark)>;

async fn notes(store: &Store, site: &Site, signals: &[Signal], (from, to): (Moment, Moment)) -> Result<Found, Problem> {
    let about = signals.iter().map(|signal| Topic::Signal(signal.device, signal.id)).collect();
    let filter = NoteFilter { about: Some(about), from: Some(from), to: Some(to), after: None };
    let mark = |note| {
        let note: lantern_api::Note = shown::note(note);
        Mark {
            kind: MarkKind::Note,
            about: note.about,
            from: note.from,
            to: note.to,
            text: note.text,
            by: Some(note.written_by),
            id: Some(note.id),
        }
    };
    let notes = store.notes(site.id, &filter, LIMIT).await?;
    Ok(notes.into_iter().map(|note| (note.from, mark(note))).collect())
}

async fn hand_readings(
    store: &Store,
    signal: SignalId,
    about: &str,
    (from, to): (Moment, Moment),
    found: &mut Found,
) -> Result<(), Problem> {
    for hand in store.hand_readings(signal, from, to, LIMIT).await? {
        let mark = Mark { text: hand.note, by: Some(hand.person), ..at(MarkKind::HandReading, about, hand.at) };
        found.push((hand.at, mark));
    }
    Ok(())
}

async fn commands(store: &Store, device: &Device, span: (Moment, Moment), found: &mut Found) -> Result<(), Problem> {
    for command in store.commands_between(device.id, span, LIMIT).await? {
        let mark = Mark {
            text: format!("{}: {}", command.name, command.stage.as_str()),
            by: Some(command.given_by),
            id: Some(command.id.0),
            ..at(MarkKind::Command, &device.code, command.given_at)
        };
        found.push((command.given_at, mark));
    }
    Ok(())
}

/// Alarms of a device and of those of its signals that are shown.
async fn alarms(
    store: &Store,
    site: &Site,
    device: &Device,
    signals: &[Signal],
    (from, to): (Moment, Moment),
    found: &mut Found,
) -> Result<(), Problem> {
    let filter = AlarmFilter { device: Some(&device.code), from: Some(from), to: Some(to), ..AlarmFilter::default() };
    for alarm in store.alarms(site.id, &filter, LIMIT).await? {
        let is_shown = |code: &String| signals.iter().any(|signal| signal.device == device.id && signal.code == *code);
        if !alarm.signal.as_ref().is_none_or(is_shown) {
            continue;
        }
        let about = alarm.signal.map_or_else(|| device.code.clone(), |signal| format!("{}/{signal}", device.code));
        let mark = Mark {
            text: format!("{} alarm: {}", alarm.severity.as_str(), alarm.name),
            to: alarm.cleared_at.map(|at| at.to_string()),
            by: alarm.acknowledged.and_then(|(who, _)| who),
            id: Some(alarm.id),
            ..at(MarkKind::Alarm, &about, alarm.raised_at)
        };
        found.push((alarm.raised_at, mark));
    }
    Ok(())
}

async fn trials(
    store: &Store,
    device: &Device,
    (from, to): (Moment, Moment),
    found: &mut Found,
) -> Result<(), Problem> {
    if let Some(since) = device.trial_since.filter(|since| *since < to) {
        found.push((since, Mark { text: "in trial".to_owned(), ..at(MarkKind::Trial, &device.code, since) }));
    }
    for (when, person) in store.went_live(device.id, (from, to), LIMIT).await? {
        let mark =
            Mark { text: "went live".to_owned(), by: Some(person), ..at(MarkKind::WentLive, &device.code, when) };
        found.push((when, mark));
    }
    Ok(())
}

/// A mark of which nothing is said yet.
fn at(kind: MarkKind, about: &str, at: Moment) -> Mark {
    Mark { kind, about: about.to_owned(), from: at.to_string(), to: None, text: String::new(), by: None, id: None }
}
