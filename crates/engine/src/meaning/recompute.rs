//! Which derived signals have to be worked out because of what changed.

use lantern_core::meaning::SiteMeanings;
use lantern_core::state::StateChange;
use lantern_core::{Moment, Reading, SignalId};
use std::collections::BTreeMap;
use tokio::sync::Notify;

/// Wakes the task that works derived signals out.
#[derive(Default)]
pub(crate) struct Recompute {
    work: Notify,
}

impl Recompute {
    /// There is something to work out.
    pub(crate) fn wake(&self) {
        self.work.notify_one();
    }

    /// Waits until there is.
    pub(crate) async fn wait(&self) {
        self.work.notified().await;
    }
}

/// Derived signals that have to be worked out because of a change of one signal, from one
/// time to another, both included.
pub(crate) fn because_of(meanings: &SiteMeanings, signal: SignalId, (from, to): (Moment, Moment)) -> Vec<StateChange> {
    meanings.derived_from(signal).iter().map(|signal| StateChange::Recompute { signal: *signal, from, to }).collect()
}

/// Derived signals that have to be worked out because of readings.
pub(crate) fn because_of_readings(meanings: &SiteMeanings, readings: &[Reading]) -> Vec<StateChange> {
    let mut spans: BTreeMap<SignalId, (Moment, Moment)> = BTreeMap::new();
    for reading in readings {
        for derived in meanings.derived_from(reading.signal) {
            let span = spans.entry(*derived).or_insert((reading.at, reading.at));
            *span = (span.0.min(reading.at), span.1.max(reading.at));
        }
    }
    spans.into_iter().map(|(signal, (from, to))| StateChange::Recompute { signal, from, to }).collect()
}
