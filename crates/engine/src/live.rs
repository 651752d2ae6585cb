//! The live stream: what happens, told to everyone who listens.
//!
//! Readings are gathered for a tenth of a second and sent together, so that a
//! listener gets at most ten events a second however much comes in. Events are
//! numbered and the last ones kept, so that a listener that lost its connection
//! goes on where it was.

use crate::plans::DevicePlan;
use lantern_api::{Alarm, ChangeEvent, Changed, CommandEvent, ContactEvent, LiveReading, PresenceEvent, ReadingsEvent};
use lantern_core::{Reading, SignalId, SiteId};
use serde::Serialize;
use std::collections::{HashMap, VecDeque};
use std::ops::Range;
use std::sync::{Arc, Mutex, PoisonError, Weak};
use tokio::sync::broadcast;
use tokio::sync::broadcast::error::RecvError;

/// Events kept for listeners that come back.
const KEPT: usize = 2_000;
/// Bytes of the events kept: an event of a thousand readings is a hundred times as long as most.
const KEPT_BYTES: usize = 16 << 20;
/// Readings sent in one event; beyond it only the newest of each signal is.
const MAX_READINGS: usize = 1_000;

/// One event, ready to be sent.
#[derive(Debug)]
pub struct Event {
    /// Where a listener that comes back goes on.
    pub id: String,
    number: u64,
    /// The site it is of.
    pub site: SiteId,
    /// What kind of event it is, such as `readings`.
    pub name: &'static str,
    /// What it says, as JSON.
    pub json: String,
}

/// What a listener that comes back gets first.
#[derive(Debug)]
pub enum Resume {
    /// The events it missed, maybe none.
    Missed(Vec<Arc<Event>>),
    /// Too much has happened since: it must read everything again.
    Reset,
}

/// What a listener hears next.
#[derive(Debug)]
pub enum Heard {
    /// An event, of any site.
    Event(Arc<Event>),
    /// It was too slow, and missed some: it must read everything again.
    Reset,
    /// Nothing comes any more.
    Closed,
}

/// Hears events as they happen.
pub struct Listener(broadcast::Receiver<Weak<Event>>);

impl Listener {
    /// Waits for the next event. Nothing is missed if the wait is given up.
    pub async fn next(&mut self) -> Heard {
        match self.0.recv().await {
            Ok(event) => event.upgrade().map_or(Heard::Reset, Heard::Event),
            Err(RecvError::Lagged(_)) => Heard::Reset,
            Err(RecvError::Closed) => Heard::Closed,
        }
    }

    /// The next event that has happened already.
    pub fn try_next(&mut self) -> Option<Arc<Event>> {
        self.0.try_recv().ok()?.upgrade()
    }
}

/// Where events come together and go out from.
pub struct Live {
    /// Only what is kept has memory, however slow a listener is.
    sender: broadcast::Sender<Weak<Event>>,
    inner: Mutex<Inner>,
    /// Tells numbers of this run from those of an earlier one.
    run: String,
}

/// Readings of one device in one delivery that have been kept.
struct Kept {
    plan: Arc<DevicePlan>,
    readings: Arc<Vec<Reading>>,
    range: Range<usize>,
}

#[derive(Default)]
struct Inner {
    last: u64,
    kept: VecDeque<Arc<Event>>,
    kept_bytes: usize,
    pending: HashMap<SiteId, Vec<Kept>>,
}

impl Default for Live {
    fn default() -> Self {
        Self::new()
    }
}

impl Live {
    /// Nobody listens yet.
    #[must_use]
    pub fn new() -> Self {
        let run = format!("{:x}", crate::clock::now().as_micros());
        Self { sender: broadcast::channel(1_024).0, inner: Mutex::default(), run }
    }

    /// Takes readings that have been kept, to be sent with the next tick.
    pub fn readings(&self, plan: &Arc<DevicePlan>, readings: &Arc<Vec<Reading>>, range: Range<usize>) {
        // A device that nobody has declared is not shown among the others.
        if plan.is_waiting || range.is_empty() {
            return;
        }
        let kept = Kept { plan: plan.clone(), readings: readings.clone(), range };
        self.inner.lock().unwrap_or_else(PoisonError::into_inner).pending.entry(plan.site).or_default().push(kept);
    }

    /// Tells of an attempt to deliver.
    pub fn contact(&self, site: SiteId, event: &ContactEvent) {
        self.send(site, "contact", event);
    }

    /// Tells of a changed presence.
    pub fn presence(&self, site: SiteId, event: &PresenceEvent) {
        self.send(site, "presence", event);
    }

    /// Tells of a change of the set-up.
    pub fn change(&self, site: SiteId, what: Changed, device: Option<&str>) {
        self.send(site, "change", &ChangeEvent { what, device: device.map(str::to_owned) });
    }

    /// Tells of an alarm that is at another step.
    pub fn alarm(&self, site: SiteId, alarm: &Alarm) {
        self.send(site, "alarm", alarm);
    }

    /// Tells of a command that is at another stage.
    pub fn command(&self, site: SiteId, event: &CommandEvent) {
        self.send(site, "command", event);
    }

    /// Sends the readings gathered since the last tick.
    pub fn tick(&self) {
        let pending = std::mem::take(&mut self.inner.lock().unwrap_or_else(PoisonError::into_inner).pending);
        for (site, deliveries) in pending {
            self.send(site, "readings", &gather(&deliveries));
        }
    }

    fn send(&self, site: SiteId, name: &'static str, event: &impl Serialize) {
        let Ok(json) = serde_json::to_string(event) else { return };
        let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        inner.last += 1;
        let number = inner.last;
        let event = Arc::new(Event { id: self.id(number), number, site, name, json });
        inner.kept_bytes += event.json.len();
        inner.kept.push_back(event.clone());
        while inner.kept.len() > KEPT || (inner.kept_bytes > KEPT_BYTES && inner.kept.len() > 1) {
            inner.kept_bytes -= inner.kept.pop_front().map_or(0, |oldest| oldest.json.len());
        }
        // Sent under the lock, so that a listener that joins misses none and
        // gets none twice. Having no listeners is no error.
        let _ = self.sender.send(Arc::downgrade(&event));
    }

    fn id(&self, number: u64) -> String {
        format!("{}-{number}", self.run)
    }

    /// Begins to listen; `last` is the id of the last event seen before, if any.
    /// Also gives the id to resume from if nothing comes.
    pub fn listen(&self, last: Option<&str>) -> (Listener, Resume, String) {
        let inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        let listener = Listener(self.sender.subscribe());
        let resume = match last {
            None => Resume::Missed(Vec::new()),
            Some(id) => self.missed(&inner, id),
        };
        (listener, resume, self.id(inner.last))
    }

    fn missed(&self, inner: &Inner, id: &str) -> Resume {
        let number: Option<u64> =
            id.strip_prefix(&self.run).and_then(|rest| rest.strip_prefix('-')).and_then(|n| n.parse().ok());
        let oldest = inner.last + 1 - inner.kept.len() as u64;
        match number {
            Some(seen) if seen + 1 >= oldest && seen <= inner.last => {
                Resume::Missed(inner.kept.iter().filter(|event| event.number > seen).cloned().collect())
            }
            _ => Resume::Reset,
        }
    }
}

fn gather(deliveries: &[Kept]) -> ReadingsEvent {
    let all = || {
        deliveries
            .iter()
            .flat_map(|kept| kept.readings[kept.range.clone()].iter().map(move |reading| (&kept.plan, reading)))
            .filter(|(_, reading)| reading.quality.is_good())
    };
    let live = |(plan, reading): (&Arc<DevicePlan>, &Reading)| LiveReading {
        device: plan.code.clone(),
        signal: plan.signals.get(&reading.signal).map(|shown| shown.code.clone()).unwrap_or_default(),
        at: reading.at.to_string(),
        value: reading.value.clone(),
    };
    if all().count() <= MAX_READINGS {
        return ReadingsEvent { readings: all().map(live).collect(), thinned: false };
    }
    let mut newest: HashMap<SignalId, (&Arc<DevicePlan>, &Reading)> = HashMap::new();
    for (plan, reading) in all() {
        let known = newest.entry(reading.signal).or_insert((plan, reading));
        if reading.at >= known.1.at {
            *known = (plan, reading);
        }
    }
    ReadingsEvent { readings: newest.into_values().take(MAX_READINGS).map(live).collect(), thinned: true }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn live_with(events: usize) -> Live {
        let live = Live::new();
        for _ in 0..events {
            live.change(SiteId(1), Changed::Device, None);
        }
        live
    }

    fn missed(live: &Live, id: &str) -> Option<usize> {
        match live.listen(Some(id)).1 {
            Resume::Missed(events) => Some(events.len()),
            Resume::Reset => None,
        }
    }

    #[test]
    fn a_listener_goes_on_where_it_was() {
        let live = live_with(5);
        assert_eq!(missed(&live, &live.id(2)), Some(3));
        assert_eq!(missed(&live, &live.id(5)), Some(0));
    }

    #[test]
    fn what_cannot_be_resumed_is_reset() {
        let live = live_with(KEPT + 10);
        assert_eq!(missed(&live, &live.id(10)), Some(KEPT));
        assert_eq!(missed(&live, &live.id(9)), None);
        assert_eq!(missed(&live, &live.id(99_999)), None, "a number that was never given");
        assert_eq!(missed(&live, "0-3"), None, "an earlier run of the service");
        assert_eq!(missed(&live, "nonsense"), None);
    }

    #[tokio::test]
    async fn long_events_are_kept_by_their_bytes() {
        let live = Live::new();
        let (mut slow, ..) = live.listen(None);
        let text = "x".repeat(KEPT_BYTES / 10);
        for _ in 0..100 {
            live.change(SiteId(1), Changed::Device, Some(&text));
        }
        assert_eq!(missed(&live, &live.id(91)), Some(9));
        assert_eq!(missed(&live, &live.id(90)), None);
        assert!(matches!(slow.next().await, Heard::Reset), "what is given up has no memory, and is missed");
    }
}
