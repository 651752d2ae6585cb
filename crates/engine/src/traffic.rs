//! Counting what comes by hour: the contact log forgets, these counts last.

use crate::contacts::Attempt;
use lantern_api::Outcome;
use lantern_core::{DeviceId, Moment};
use lantern_store::{Caller, TrafficCounts, TrafficHour};
use std::collections::HashMap;

const HOUR: i64 = 3_600_000_000;

/// A message is late if its oldest reading is older, in seconds.
const LATE_S: u64 = 60;

/// Counts by device, hour since 1970 and protocol.
#[derive(Default)]
pub(crate) struct Traffic {
    counts: HashMap<(DeviceId, i64, String), TrafficCounts>,
}

impl Traffic {
    /// Counts attempts of devices that are known.
    pub(crate) fn note(&mut self, attempts: &[Attempt]) {
        for Attempt { caller, at, details, .. } in attempts {
            let Caller::Device(_, device) = caller else { continue };
            let oldest_s = details.oldest_s.unwrap_or(0);
            let times = u64::from(details.times);
            let is_refused = details.outcome == Outcome::Refused;
            let counts = TrafficCounts {
                messages: times,
                refused: if is_refused { times } else { 0 },
                readings: details.kept,
                repeated: details.repeated,
                late: if oldest_s > LATE_S { times } else { 0 },
                oldest_s,
            };
            let hour = at.as_micros().div_euclid(HOUR);
            self.counts.entry((*device, hour, details.protocol.clone())).or_default().add(&counts);
        }
    }

    /// Takes back what could not be written.
    pub(crate) fn take(&mut self, other: Self) {
        for (key, counts) in other.counts {
            self.counts.entry(key).or_default().add(&counts);
        }
    }

    /// As it is written.
    pub(crate) fn hours(&self) -> Vec<TrafficHour> {
        let line = |((device, hour, protocol), counts): (&(DeviceId, i64, String), &TrafficCounts)| {
            let from = Moment::from_micros(hour * HOUR)?;
            Some(TrafficHour { device: *device, from, protocol: protocol.clone(), counts: *counts })
        };
        self.counts.iter().filter_map(line).collect()
    }
}
