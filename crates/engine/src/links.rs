//! How the messages of devices come through: their sequence numbers, counted by
//! hour and written every few seconds.

use crate::plans::DevicePlan;
use lantern_core::link::{LinkCounts, Sequence, Step};
use lantern_core::{DeviceId, Micros, Moment, Reading, Value};
use lantern_store::{LinkHour, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

const HOUR: i64 = Micros::HOUR.0;

/// The counters of all devices heard since the start.
pub struct Links {
    store: Arc<Store>,
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
    /// Nothing was heard yet.
    #[must_use]
    pub fn new(store: Arc<Store>) -> Self {
        Self { store, inner: Mutex::default() }
    }

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
    pub fn pending(&self, device: DeviceId) -> Vec<(Moment, LinkCounts)> {
        let inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        let of_device = inner.hours.iter().filter(|((id, _), _)| *id == device);
        of_device.filter_map(|((_, hour), signed)| Some((start(*hour)?, signed.net()))).collect()
    }

    /// The same of all hours together.
    pub(crate) fn unwritten(&self, device: DeviceId) -> LinkCounts {
        let mut all = LinkCounts::default();
        self.pending(device).into_iter().for_each(|(_, counts)| all.add(counts));
        all
    }

    /// What was counted of all devices and is not written yet.
    pub(crate) fn pending_of_all(&self) -> Vec<(DeviceId, LinkCounts)> {
        let inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        inner.hours.iter().map(|((device, _), signed)| (*device, signed.net())).collect()
    }

    /// Writes what was counted. What could not be written is kept for the next time.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn flush(&self, now: Moment) -> Result<(), StoreError> {
        let hours = std::mem::take(&mut self.inner.lock().unwrap_or_else(PoisonError::into_inner).hours);
        let lines: Vec<LinkHour> = hours
            .iter()
            .filter_map(|((device, hour), signed)| {
                Some(LinkHour { device: *device, from: start(*hour)?, counts: signed.net() })
            })
            .collect();
        if lines.is_empty() {
            return Ok(());
        }
        let written = self.store.add_link_hours(&lines, now).await;
        if written.is_err() {
            let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
            for (hour, signed) in hours {
                inner.hours.entry(hour).or_default().add(signed);
            }
        }
        written
    }

    /// Forgets removed devices.
    pub(crate) fn forget(&self, is_gone: impl Fn(DeviceId) -> bool) {
        let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        inner.sequences.retain(|device, _| !is_gone(*device));
        inner.hours.retain(|(device, _), _| !is_gone(*device));
    }
}

impl Signed {
    fn add(&mut self, other: Self) {
        self.counts.add(other.counts);
        self.late += other.late;
    }

    /// A message that came late after its loss was written stays counted as lost:
    /// the figures may be a little too bad, never too good.
    fn net(self) -> LinkCounts {
        LinkCounts { lost: self.counts.lost.saturating_sub(self.late), ..self.counts }
    }
}

fn start(hour: i64) -> Option<Moment> {
    Moment::from_micros(hour * HOUR)
}
