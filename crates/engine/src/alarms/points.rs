//! What each watch is on, and what is remembered there.

use crate::clock;
use crate::documents;
use jiff::tz::TimeZone;
use lantern_core::alarm::life::{Event, Reason, State, Step};
use lantern_core::watch::{Edge, Memory, Rule, Watch, When};
use lantern_core::{DeviceId, Moment, SignalId, SiteId, Steady, Value};
use lantern_store::{AlarmDeed, NewAlarm, PointChange, PointId, PointRow, WatchId};
use std::collections::HashMap;
use std::sync::Arc;

/// A watch of a site, ready to be bound.
#[derive(Debug)]
pub(super) struct Bound {
    pub(super) id: WatchId,
    pub(super) site: SiteId,
    pub(super) code: String,
    pub(super) watch: Watch,
    pub(super) zone: TimeZone,
}

/// A watch on one signal or device.
pub(super) struct Point {
    pub(super) id: PointId,
    pub(super) bound: Arc<Bound>,
    pub(super) rule: Arc<Rule>,
    pub(super) device: Option<DeviceId>,
    pub(super) signal: Option<SignalId>,
    pub(super) state: State,
    pub(super) memory: Memory,
    pub(super) shelved_until: Option<Moment>,
    /// When it is shelved no longer, by a clock that cannot leap.
    pub(super) shelf_ends: Option<Steady>,
    /// The alarm that goes on, or that nobody has acknowledged.
    pub(super) alarm: Option<i64>,
    /// What has happened and is not written yet.
    pub(super) deeds: Vec<AlarmDeed>,
    /// Whether what is remembered is otherwise than what is kept.
    pub(super) is_dirty: bool,
}

impl Point {
    pub(super) fn new(row: &PointRow, bound: Arc<Bound>, rule: Arc<Rule>) -> Self {
        // What cannot be read is begun anew: the judge sees what holds with the next reading.
        let state = documents::read(&row.state).unwrap_or_default();
        let memory = documents::read(&row.memory).unwrap_or_default();
        let left_s = row.shelved_until.map(|until| until.seconds_since(clock::now()).clamp(0.0, MOST_SHELVED_S));
        Self {
            id: row.id,
            bound,
            rule,
            device: row.device,
            signal: row.signal,
            state,
            memory,
            shelved_until: row.shelved_until,
            shelf_ends: left_s.map(|left_s| clock::steady().plus_seconds(left_s)),
            alarm: row.alarm,
            deeds: Vec::new(),
            is_dirty: false,
        }
    }

    /// The condition holds, or no longer does.
    pub(super) fn turn(&mut self, edge: &Edge) {
        let event = if edge.holds { Event::Holds } else { Event::Ends };
        let (state, step) = self.state.after(event);
        self.state = state;
        self.is_dirty = true;
        match step {
            Step::Raised | Step::RaisedSilently => {
                let new = self.raise(edge, step == Step::RaisedSilently, None);
                self.deeds.push(AlarmDeed::Raise(Box::new(new)));
            }
            Step::Cleared | Step::Returned => self.deeds.push(AlarmDeed::Clear(edge.at)),
            _ => {}
        }
    }

    /// What is kept of a new alarm.
    pub(super) fn raise(&self, edge: &Edge, is_silent: bool, found_until: Option<Moment>) -> NewAlarm {
        NewAlarm {
            site: self.bound.site,
            watch: self.bound.code.clone(),
            name: self.bound.watch.name.clone(),
            severity: self.rule.severity,
            raised_at: edge.at,
            value: edge.value.as_ref().and_then(kept),
            is_silent,
            found_until,
            cause: None,
        }
    }

    /// A reason to be suppressed begins or ends; says whether that changed anything.
    pub(super) fn set(&mut self, reason: Reason, is_so: bool) -> bool {
        let event = if is_so { Event::Suppress(reason) } else { Event::Release(reason) };
        let (state, step) = self.state.after(event);
        if state == self.state {
            return false;
        }
        self.state = state;
        self.is_dirty = true;
        match step {
            Step::Suppressed => self.deeds.push(AlarmDeed::Suppress),
            Step::Uncovered => self.deeds.push(AlarmDeed::Uncover),
            _ => {}
        }
        true
    }

    /// Something to be told of its alarm.
    pub(super) fn note(&mut self, step: &'static str, who: Option<&str>, note: &str) {
        let who = who.map(str::to_owned);
        self.deeds.push(AlarmDeed::Step { at: clock::now(), step, who, note: note.to_owned() });
    }

    /// What is to be written.
    fn change(&self) -> Option<PointChange> {
        Some(PointChange {
            point: self.id,
            state: documents::write(&self.state).ok()?,
            memory: documents::write(&self.memory).ok()?,
            shelved_until: self.shelved_until,
            deeds: self.deeds.clone(),
        })
    }
}

/// The longest a point may be shelved, in seconds: 30 days.
pub(super) const MOST_SHELVED_S: f64 = 30.0 * 86_400.0;

fn kept(value: &Value) -> Option<String> {
    documents::write(value).ok()
}

/// All points.
#[derive(Default)]
pub(super) struct Points {
    all: HashMap<PointId, Point>,
    by_signal: HashMap<SignalId, Vec<PointId>>,
}

impl Points {
    pub(super) fn put(&mut self, point: Point) {
        if let Some(signal) = point.signal {
            let of = self.by_signal.entry(signal).or_default();
            if !of.contains(&point.id) {
                of.push(point.id);
            }
        }
        self.all.insert(point.id, point);
    }

    pub(super) fn remove(&mut self, id: PointId) -> Option<Point> {
        let point = self.all.remove(&id)?;
        if let Some(signal) = point.signal
            && let Some(of) = self.by_signal.get_mut(&signal)
        {
            of.retain(|known| *known != id);
            if of.is_empty() {
                self.by_signal.remove(&signal);
            }
        }
        Some(point)
    }

    pub(super) fn get_mut(&mut self, id: PointId) -> Option<&mut Point> {
        self.all.get_mut(&id)
    }

    pub(super) fn get(&self, id: PointId) -> Option<&Point> {
        self.all.get(&id)
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = &Point> {
        self.all.values()
    }

    pub(super) fn iter_mut(&mut self) -> impl Iterator<Item = &mut Point> {
        self.all.values_mut()
    }

    pub(super) fn of_signal(&self, signal: SignalId) -> Vec<PointId> {
        self.by_signal.get(&signal).cloned().unwrap_or_default()
    }

    /// The points of a signal, to be changed one after another.
    pub(super) fn each_of_signal(&mut self, signal: SignalId, mut each: impl FnMut(&mut Point)) {
        let Self { all, by_signal } = self;
        for id in by_signal.get(&signal).into_iter().flatten() {
            if let Some(point) = all.get_mut(id) {
                each(point);
            }
        }
    }

    pub(super) fn of_watch(&self, watch: WatchId) -> Vec<PointId> {
        self.all.values().filter(|point| point.bound.id == watch).map(|point| point.id).collect()
    }

    /// The points at which something happened that is not written.
    pub(super) fn happened(&self) -> Vec<PointId> {
        self.all.values().filter(|point| !point.deeds.is_empty()).map(|point| point.id).collect()
    }

    /// Those that are otherwise than what is kept.
    pub(super) fn dirty(&self) -> Vec<PointId> {
        self.all.values().filter(|point| point.is_dirty).map(|point| point.id).collect()
    }

    /// What is to be written of points.
    pub(super) fn changes(&self, ids: &[PointId]) -> Vec<PointChange> {
        ids.iter().filter_map(|id| self.all.get(id)?.change()).collect()
    }

    /// Changes are written; these are the alarms that go on.
    pub(super) fn written(&mut self, changes: &[PointChange], open: &[Option<i64>]) {
        for (change, open) in changes.iter().zip(open) {
            let Some(point) = self.all.get_mut(&change.point) else { continue };
            point.deeds.drain(..change.deeds.len().min(point.deeds.len()));
            point.alarm = *open;
            point.is_dirty = false;
        }
    }

    /// Whether a device is watched for its silence.
    pub(super) fn watches_silence(&self, device: DeviceId) -> bool {
        self.all.values().any(|point| point.device == Some(device) && is_of_silence(&point.bound.watch))
    }
}

/// Whether a watch is on whether a device is heard.
pub(super) fn is_of_silence(watch: &Watch) -> bool {
    matches!(watch.when, When::Late {} | When::Silent {})
}
