//! Watches at work: readings and presence become alarms, and people answer those.
//!
//! Readings that are durable are put into a queue; one task judges them. All that happens to a point
//! is written before anybody is told, one writer at a time. See decision 25.
//!
//! | file | holds |
//! |---|---|
//! | `points` | what each watch is on, and what is remembered there |
//! | `judging` | the task: readings, presence and time become edges |
//! | `measures` | what devices and the service are judged by, each minute |
//! | `covering` | which silence explains which |
//! | `finding` | what late readings would have raised |
//! | `catching_up` | what was missed while the service was off, or the queue full |
//! | `open` | those that go on or wait, for lamps and lists |
//! | `answering` | acknowledging, shelving, taking out of service |
//! | `pressing` | buttons that people press |
//! | `set_up` | making, changing and removing watches |
//! | `trying` | what a watch would have done, over history |
//! | `figures` | how alarms did over a time |
//! | `counted` | the alarms that figures are made of |
//! | `shown` | alarms and watches as they are shown |

mod answering;
mod catching_up;
mod counted;
mod covering;
mod figures;
mod finding;
mod judging;
mod measures;
mod open;
mod points;
mod pressing;
mod set_up;
mod shown;
mod trying;

pub use answering::Answer;
pub use open::{OpenAlarm, OpenAlarms};
pub use shown::{alarm as shown_alarm, step as shown_step};

use crate::health::Healths;
use crate::heard::Heard;
use crate::links::Links;
use crate::live::Live;
use counted::Counted;
use lantern_core::{Moment, Reading, SignalId, SiteId, Steady};
use lantern_store::{PointId, Store};
use points::Points;
use std::collections::{HashMap, HashSet};
use std::ops::Range;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::sync::Notify;

/// Readings that may wait to be judged; beyond it they are read from the store.
const MOST_WAITING: usize = 500_000;

/// Readings that wait to be judged.
#[derive(Default)]
struct Queue {
    readings: Vec<(Arc<Vec<Reading>>, Range<usize>)>,
    count: usize,
    /// Some were not put in: the points have to read what they missed.
    is_behind: bool,
    /// Sites whose devices or signals are others than before.
    changed: HashSet<SiteId>,
}

/// Watches the readings, and keeps the alarms.
pub struct Alarms {
    store: Arc<Store>,
    heard: Arc<Heard>,
    links: Arc<Links>,
    live: Arc<Live>,
    healths: Arc<Healths>,
    points: Mutex<Points>,
    queue: Mutex<Queue>,
    /// Whether there is any watch at all: without one the way in pays nothing.
    has_watches: AtomicBool,
    work: Notify,
    /// Held by whoever changes points, until that is written.
    writing: tokio::sync::Mutex<()>,
    /// When time was looked at last.
    looked: Mutex<Option<Steady>>,
    /// Times that came late, by point.
    late: Mutex<HashMap<PointId, (Moment, Moment)>>,
    /// What figures are made of.
    counted: tokio::sync::Mutex<Counted>,
}

impl Alarms {
    pub(crate) fn new(
        store: Arc<Store>,
        heard: Arc<Heard>,
        links: Arc<Links>,
        live: Arc<Live>,
        healths: Arc<Healths>,
    ) -> Self {
        Self {
            store,
            heard,
            links,
            live,
            healths,
            points: Mutex::default(),
            queue: Mutex::default(),
            has_watches: AtomicBool::new(false),
            work: Notify::new(),
            writing: tokio::sync::Mutex::new(()),
            looked: Mutex::default(),
            late: Mutex::default(),
            counted: tokio::sync::Mutex::default(),
        }
    }

    fn points(&self) -> MutexGuard<'_, Points> {
        self.points.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn queue(&self) -> MutexGuard<'_, Queue> {
        self.queue.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Readings have been kept: they will be judged.
    pub(crate) fn take(&self, readings: &Arc<Vec<Reading>>, range: Range<usize>) {
        if !self.has_watches.load(Ordering::Relaxed) || range.is_empty() {
            return;
        }
        let mut queue = self.queue();
        if queue.count + range.len() > MOST_WAITING {
            queue.is_behind = true;
            return;
        }
        queue.count += range.len();
        queue.readings.push((readings.clone(), range));
        drop(queue);
        self.work.notify_one();
    }

    /// Devices, signals or the zone of a site are others than before.
    pub(crate) fn changed(&self, site: SiteId) {
        if self.has_watches.load(Ordering::Relaxed) {
            self.queue().changed.insert(site);
        }
    }

    /// The history of signals was made again or deleted: what was found in it may be otherwise.
    pub(crate) fn made_again(&self, signals: &[SignalId]) {
        let of: Vec<PointId> = {
            let points = self.points();
            signals.iter().flat_map(|signal| points.of_signal(*signal)).collect()
        };
        of.into_iter().for_each(|point| self.note_late(point, (Moment::MIN, Moment::MAX)));
    }

    fn note_late(&self, point: PointId, span: (Moment, Moment)) {
        let mut late = self.late.lock().unwrap_or_else(PoisonError::into_inner);
        let known = late.entry(point).or_insert(span);
        *known = (known.0.min(span.0), known.1.max(span.1));
    }
}
