//! What the recorder has to do, and has done since the start.

use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

/// What the recorder has to do, and has done since the start.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Workload {
    /// Deliveries that wait, and how many may.
    pub waiting: (usize, usize),
    /// Readings and changes in them and in what is being written, and how many may be.
    pub waiting_readings: (usize, usize),
    /// Readings that are kept, but not in segments yet, and how many may be.
    pub unsealed: (usize, usize),
    /// Deliveries that were written.
    pub written: u64,
    /// Deliveries that could not be written.
    pub failed: u64,
    /// Readings in those that were.
    pub readings: u64,
    /// Groups in which they were written.
    pub groups: u64,
    /// From when a delivery was queued until it was durable: the sum over all of them.
    pub waited: Duration,
    /// The longest of the last minute, or of the one before where that has just begun.
    pub slowest: Duration,
}

/// Counts what the recorder does.
#[derive(Debug)]
pub(crate) struct Counts {
    begun: Instant,
    written: AtomicU64,
    failed: AtomicU64,
    readings: AtomicU64,
    groups: AtomicU64,
    waited_us: AtomicU64,
    /// Of this minute and of the one before: its number since the beginning in the upper half,
    /// the longest wait in milliseconds in the lower.
    slowest: [AtomicU64; 2],
}

impl Default for Counts {
    fn default() -> Self {
        Self {
            begun: Instant::now(),
            written: AtomicU64::default(),
            failed: AtomicU64::default(),
            readings: AtomicU64::default(),
            groups: AtomicU64::default(),
            waited_us: AtomicU64::default(),
            slowest: Default::default(),
        }
    }
}

impl Counts {
    /// A group was written, or not.
    pub(crate) fn group(&self, is_written: bool) {
        self.groups.fetch_add(u64::from(is_written), Ordering::Relaxed);
    }

    /// A delivery of so many readings was written, or not, after waiting since a time.
    pub(crate) fn delivery(&self, readings: usize, since: Instant, is_written: bool) {
        self.waited(since.elapsed(), self.begun.elapsed().as_secs() / 60);
        if is_written {
            self.written.fetch_add(1, Ordering::Relaxed);
            self.readings.fetch_add(readings as u64, Ordering::Relaxed);
        } else {
            self.failed.fetch_add(1, Ordering::Relaxed);
        }
    }

    fn waited(&self, time: Duration, minute: u64) {
        let micros = u64::try_from(time.as_micros()).unwrap_or(u64::MAX);
        self.waited_us.fetch_add(micros, Ordering::Relaxed);
        let milliseconds = (micros / 1_000).min(u64::from(u32::MAX));
        // A later minute is larger whatever the wait.
        self.slowest[(minute % 2) as usize].fetch_max(minute << 32 | milliseconds, Ordering::Relaxed);
    }

    fn slowest(&self, minute: u64) -> Duration {
        let of = |minute: u64| {
            let noted = self.slowest[(minute % 2) as usize].load(Ordering::Relaxed);
            if noted >> 32 == minute { noted & u64::from(u32::MAX) } else { 0 }
        };
        Duration::from_millis(of(minute).max(minute.checked_sub(1).map_or(0, of)))
    }

    pub(crate) fn workload(
        &self,
        waiting: (usize, usize),
        waiting_readings: (usize, usize),
        unsealed: (usize, usize),
    ) -> Workload {
        let count = |counter: &AtomicU64| counter.load(Ordering::Relaxed);
        Workload {
            waiting,
            waiting_readings,
            unsealed,
            written: count(&self.written),
            failed: count(&self.failed),
            readings: count(&self.readings),
            groups: count(&self.groups),
            waited: Duration::from_micros(count(&self.waited_us)),
            slowest: self.slowest(self.begun.elapsed().as_secs() / 60),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_slowest_is_that_of_the_last_minutes() {
        let counts = Counts::default();
        let wait = |ms, minute| counts.waited(Duration::from_millis(ms), minute);
        wait(700, 0);
        wait(20, 0);
        assert_eq!(counts.slowest(0), Duration::from_millis(700));
        wait(30, 1);
        assert_eq!(counts.slowest(1), Duration::from_millis(700));
        wait(10, 2);
        assert_eq!(counts.slowest(2), Duration::from_millis(30));
        assert_eq!(counts.slowest(9), Duration::ZERO, "nothing was written since");
        assert_eq!(counts.workload((0, 1), (0, 1), (0, 1)).waited, Duration::from_millis(760));
    }
}
