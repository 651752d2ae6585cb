//! Counting what comes by hour: the contact log forgets, these counts last.

use lantern_api::{ContactDetails, Outcome};
use lantern_core::{DeviceId, Moment};
use lantern_store::{TrafficCounts, TrafficHour};
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
    /// Counts an attempt of a device, or several that are alike.
    pub(crate) fn note(&mut self, device: DeviceId, at: Moment, details: &ContactDetails) {
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
        self.counts.entry((device, hour, details.protocol.clone())).or_default().add(&counts);
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

#[cfg(test)]
mod tests {
    use super::*;

    fn details(times: u32, oldest_s: Option<u64>, outcome: Outcome) -> ContactDetails {
        ContactDetails {
            protocol: "MQTT".to_owned(),
            times,
            kept: 2 * u64::from(times),
            oldest_s,
            outcome,
            ..ContactDetails::default()
        }
    }

    #[test]
    fn attempts_are_counted_by_device_hour_and_way() {
        let mut traffic = Traffic::default();
        let at = |minute: i64| Moment::from_micros(minute * 60_000_000).unwrap();
        traffic.note(DeviceId(1), at(5), &details(3, None, Outcome::Kept));
        traffic.note(DeviceId(1), at(59), &details(1, Some(61), Outcome::Partly));
        traffic.note(DeviceId(1), at(60), &details(1, Some(60), Outcome::Refused));
        traffic.note(DeviceId(2), at(5), &details(1, None, Outcome::Kept));
        let mut other = Traffic::default();
        other.take(traffic);
        let mut hours = other.hours();
        hours.sort_by_key(|hour| (hour.device, hour.from));
        let told: Vec<_> = hours
            .iter()
            .map(|TrafficHour { device, from, counts, .. }| {
                let TrafficCounts { messages, refused, readings, late, oldest_s, .. } = *counts;
                (device.0, from.as_micros() / 3_600_000_000, messages, refused, readings, late, oldest_s)
            })
            .collect();
        assert_eq!(told, [(1, 0, 4, 0, 8, 1, 61), (1, 1, 1, 1, 2, 0, 60), (2, 0, 1, 0, 2, 0, 0)]);
    }
}
