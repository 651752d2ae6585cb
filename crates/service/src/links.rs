//! How the messages of devices come through: their sequence numbers, counted by
//! hour and written every few seconds.

use crate::plans::DevicePlan;
use lantern_core::link::{LinkCounts, Sequence, Step};
use lantern_core::{DeviceId, Moment, Reading, Value};
use lantern_store::{LinkHour, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

const HOUR: i64 = 3_600_000_000;

/// The counters of all devices heard since the start.
#[derive(Default)]
pub(crate) struct Links {
    inner: Mutex<Inner>,
}

#[derive(Default)]
struct Inner {
    sequences: HashMap<DeviceId, Sequence>,
    /// What is not written yet.
    hours: HashMap<(DeviceId, i64), Signed>,
}

/// Counts that can take one back that was written already.
#[derive(Default, Clone, Copy)]
struct Signed {
    counts: LinkCounts,
    /// Messages that came late, after they had been counted as lost.
    late: u64,
}

impl Links {
    /// Takes in the readings of one delivery of a device.
    pub(crate) fn note(&self, plan: &DevicePlan, readings: &[Reading]) {
        let Some((signal, modulus)) = plan.sequence else { return };
        let mut numbers: Vec<(Moment, u64)> = readings
            .iter()
            .filter(|reading| reading.signal == signal)
            .filter_map(|reading| match reading.value {
                Value::Number(number) if number >= 0.0 => Some((reading.at, number as u64)),
                _ => None,
            })
            .collect();
        numbers.sort_by_key(|(at, _)| *at);
        let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        for (at, number) in numbers {
            let step = inner.sequences.entry(plan.device).or_default().note(number, modulus);
            let hour = inner.hours.entry((plan.device, at.as_micros().div_euclid(HOUR))).or_default();
            match step {
                Step::Late => {
                    hour.counts.received += 1;
                    hour.late += 1;
                }
                other => hour.counts.count(other),
            }
        }
    }

    /// What was counted of a device in an hour and is not written yet.
    pub(crate) fn pending(&self, device: DeviceId) -> Vec<(Moment, LinkCounts)> {
        let inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        let of_device = inner.hours.iter().filter(|((id, _), _)| *id == device);
        of_device.filter_map(|((_, hour), signed)| Some((start(*hour)?, signed.net()))).collect()
    }

    /// Writes what was counted.
    pub(crate) async fn flush(&self, store: &Store, now: Moment) -> Result<(), StoreError> {
        let hours: Vec<LinkHour> = {
            let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
            inner
                .hours
                .drain()
                .filter_map(|((device, hour), signed)| {
                    Some(LinkHour { device, from: start(hour)?, counts: signed.net() })
                })
                .collect()
        };
        if hours.is_empty() { Ok(()) } else { store.add_link_hours(&hours, now).await }
    }
}

impl Signed {
    /// A message that came late after its loss was written stays counted as lost:
    /// the figures may be a little too bad, never too good.
    fn net(self) -> LinkCounts {
        LinkCounts { lost: self.counts.lost.saturating_sub(self.late), ..self.counts }
    }
}

fn start(hour: i64) -> Option<Moment> {
    Moment::from_micros(hour * HOUR)
}
