//! How the service is doing, part by part.

use crate::clock;
use crate::trusted_clock::TrustedClock;
use lantern_api as api;
use lantern_core::Moment;
use lantern_store::{DiskUse, Store, StoreError};
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

/// Counts of used room that are remembered: one an hour, for a week.
const MOST_COUNTS: usize = 168;
/// Seconds between two of them.
const COUNT_EVERY_S: f64 = 3_600.0;
/// Days until the disk is full below which it is not well.
const SOON_DAYS: f64 = 3.0;
/// The least room that is enough where no budget is set, in bytes.
const LITTLE: u64 = 500 << 20;

/// How fast the room is used up.
#[derive(Default)]
pub(crate) struct Filling(Mutex<VecDeque<(Moment, u64)>>);

impl Filling {
    /// Notes how much is used.
    fn note(&self, now: Moment, used: u64) {
        let mut counts = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if counts.back().is_none_or(|(at, _)| now.seconds_since(*at).abs() >= COUNT_EVERY_S) {
            counts.push_back((now, used));
        }
        if counts.len() > MOST_COUNTS {
            counts.pop_front();
        }
    }

    /// Days until so many bytes are used up, going on as since the first count; none if that was less
    /// than an hour ago or nothing is added.
    fn days_left(&self, now: Moment, used: u64, left: u64) -> Option<f64> {
        let counts = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let (first_at, first) = counts.front()?;
        let passed_s = now.seconds_since(*first_at);
        let added = used.checked_sub(*first).filter(|added| *added > 0)?;
        (passed_s >= COUNT_EVERY_S).then(|| left as f64 / added as f64 * passed_s / 86_400.0)
    }
}

/// Tells how a part that the engine does not know is doing.
pub type Probe = Box<dyn Fn(Moment) -> api::HealthPart + Send + Sync>;

/// Of what may wait, the share from which on the service is not well.
const MOST_WAITING: f64 = 0.8;
/// The longest a delivery may wait until it is durable.
const SLOW: Duration = Duration::from_secs(5);

/// Tells how the service is doing.
pub struct Healths {
    pub(crate) probes: Mutex<Vec<Probe>>,
    pub(crate) store: Arc<Store>,
    pub(crate) trusted: Arc<TrustedClock>,
    pub(crate) filling: Filling,
}

impl Healths {
    /// Notes how much room is used, to tell how fast it fills.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub(crate) async fn note_room(&self) -> Result<(), StoreError> {
        let usage = self.store.disk_use().await?;
        self.filling.note(clock::now(), usage.used);
        Ok(())
    }

    /// From now on this part is told of too.
    pub fn add(&self, probe: Probe) {
        self.probes.lock().unwrap_or_else(PoisonError::into_inner).push(probe);
    }

    /// Bytes that are used, and bytes that are left where that can be told.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn room(&self) -> Result<(u64, Option<u64>), StoreError> {
        let usage = self.store.disk_use().await?;
        Ok((usage.used, usage.left()))
    }

    /// How everything is doing now.
    pub async fn now(&self) -> api::Health {
        let now = clock::now();
        let mut parts = vec![self.writing(), self.queue(), self.reading().await];
        match self.store.disk_use().await {
            Ok(usage) => parts.push(self.disk(now, usage)),
            Err(_) => parts.push(part("disk", false, "How much room there is cannot be read.")),
        }
        parts.push(match self.trusted.leap() {
            None => part("clock", true, "Right, as far as the service can tell."),
            Some((from, to)) => part(
                "clock",
                false,
                format!(
                    "It has leapt from {from} to {to}. Nothing is deleted for its age until an administrator confirms it \
                     (lantern health --confirm-clock), or it is right again."
                ),
            ),
        });
        let probes = self.probes.lock().unwrap_or_else(PoisonError::into_inner);
        parts.extend(probes.iter().map(|probe| probe(now)));
        drop(probes);
        let is_well = parts.iter().all(|part| part.is_well);
        api::Health {
            status: if is_well { "ok" } else { "failing" }.to_owned(),
            version: env!("CARGO_PKG_VERSION").to_owned(),
            now: now.to_string(),
            parts,
        }
    }

    fn writing(&self) -> api::HealthPart {
        match self.store.dead() {
            None => part("writer", true, "Takes readings in and seals them."),
            Some(what) => part("writer", false, format!("It has died: {what}. The service is about to end.")),
        }
    }

    fn queue(&self) -> api::HealthPart {
        let load = self.store.workload();
        let is_full = [load.waiting, load.waiting_readings, load.unsealed]
            .into_iter()
            .any(|(now, most)| now as f64 > most as f64 * MOST_WAITING);
        let slowest = load.slowest;
        let detail = format!(
            "{} of at most {} deliveries wait to be written; of the last minutes the slowest was durable after {} ms.",
            load.waiting.0,
            load.waiting.1,
            slowest.as_millis()
        );
        part("queue", !is_full && slowest < SLOW, detail)
    }

    async fn reading(&self) -> api::HealthPart {
        match self.store.has_people().await {
            Ok(_) => part("database", true, "Can be read."),
            Err(error) => part("database", false, format!("It cannot be read: {error}.")),
        }
    }

    /// In how many days the disk will be full, if it goes on like this; none if it does not fill.
    pub(crate) async fn full_in_days(&self) -> Result<Option<f64>, StoreError> {
        let usage = self.store.disk_use().await?;
        Ok(usage.left().and_then(|left| self.filling.days_left(clock::now(), usage.used, left)))
    }

    /// Whether the clock has leapt and is not believed.
    pub(crate) fn has_leapt(&self) -> bool {
        self.trusted.leap().is_some()
    }

    fn disk(&self, now: Moment, usage: DiskUse) -> api::HealthPart {
        let room = usage.left();
        let Some(left) = room else {
            return part("disk", true, "How much room there is cannot be told here.");
        };
        let gigabytes = |bytes: u64| bytes as f64 / 1e9;
        let days = self.filling.days_left(now, usage.used, left);
        let mut detail = format!("{:.1} GB are used, {:.1} GB are left", gigabytes(usage.used), gigabytes(left));
        if let Some(days) = days.filter(|days| *days < 3_650.0) {
            detail = format!("{detail}: full in {days:.0} days if it goes on like this");
        }
        let has_enough = usage.budget > 0 || left > LITTLE;
        let is_well = !usage.is_nearly_full() && has_enough && days.is_none_or(|days| days > SOON_DAYS);
        part("disk", is_well, format!("{detail}."))
    }
}

fn part(name: &str, is_well: bool, detail: impl Into<String>) -> api::HealthPart {
    api::HealthPart { name: name.to_owned(), is_well, detail: detail.into() }
}

#[cfg(test)]
mod tests {
    use super::Filling;
    use lantern_core::Moment;

    #[test]
    fn days_left_are_told_by_what_was_added() {
        let at = |hours: f64| Moment::from_epoch(1_777_636_800.0 + hours * 3_600.0).unwrap();
        let filling = Filling::default();
        filling.note(at(0.0), 1_000);
        assert_eq!(filling.days_left(at(0.5), 2_000, 10_000), None, "too short to tell");
        filling.note(at(12.0), 1_500);
        assert_eq!(filling.days_left(at(24.0), 2_000, 9_000), Some(9.0));
        assert_eq!(filling.days_left(at(24.0), 1_000, 9_000), None, "nothing is added");
        assert_eq!(filling.days_left(at(24.0), 500, 9_000), None, "it became less");
    }
}
