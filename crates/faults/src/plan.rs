//! What goes wrong, and when: the same for the same seed.

use rand::rngs::StdRng;
use rand::{Rng, SeedableRng};
use std::fmt;
use std::time::Duration;

/// Something that goes wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Fault {
    /// The service is killed without warning, and started again.
    Kill,
    /// The service is asked to stop, and started again.
    Stop,
    /// The disk is full for a time.
    FullDisk(Duration),
    /// So many of a thousand writes fail for a time.
    FailingWrites(u64, Duration),
    /// Each write takes so many milliseconds longer for a time.
    SlowWrites(u64, Duration),
    /// The disk is full, and the service is killed while it is.
    KillOnFullDisk,
    /// So many strangers connect, say half of something and hang up.
    Strangers(u32),
    /// The wall clock leaps by so many seconds, and back after a time.
    ClockLeap(i64, Duration),
    /// The same, but the service is killed and starts with the wrong clock.
    LeapAtStart(i64, Duration),
    /// The certificate of the service is another from now on.
    NewCertificate,
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Kill => f.write_str("killed, and started again"),
            Self::Stop => f.write_str("stopped, and started again"),
            Self::FullDisk(time) => write!(f, "disk full for {:.1} s", time.as_secs_f64()),
            Self::FailingWrites(of_thousand, time) => {
                write!(f, "{of_thousand} of 1000 writes fail for {:.1} s", time.as_secs_f64())
            }
            Self::SlowWrites(ms, time) => write!(f, "writes {ms} ms late for {:.1} s", time.as_secs_f64()),
            Self::KillOnFullDisk => f.write_str("killed while the disk is full, and started again"),
            Self::Strangers(count) => write!(f, "{count} strangers say half of something"),
            Self::ClockLeap(seconds, time) => write!(f, "clock {seconds:+} s for {:.1} s", time.as_secs_f64()),
            Self::LeapAtStart(seconds, time) => {
                write!(f, "killed, and started with the clock {seconds:+} s, for {:.1} s", time.as_secs_f64())
            }
            Self::NewCertificate => f.write_str("new certificate"),
        }
    }
}

/// Faults with the time since the one before was over.
pub(crate) struct Plan(StdRng);

impl Plan {
    pub(crate) fn new(seed: u64) -> Self {
        Self(StdRng::seed_from_u64(seed))
    }

    fn milliseconds(&mut self, from: u64, to: u64) -> Duration {
        Duration::from_millis(self.0.random_range(from..to))
    }
}

impl Plan {
    fn leap(&mut self) -> i64 {
        const DAY: i64 = 86_400;
        let leaps = [-400 * DAY, -DAY, -30, 30, DAY, 40 * DAY, 4_000 * DAY];
        leaps[self.0.random_range(0..leaps.len())]
    }
}

impl Iterator for Plan {
    type Item = (Duration, Fault);

    fn next(&mut self) -> Option<Self::Item> {
        let pause = self.milliseconds(300, 2_500);
        let fault = match self.0.random_range(0..13) {
            0..3 => Fault::Kill,
            3 => Fault::Stop,
            4 => Fault::FullDisk(self.milliseconds(200, 3_000)),
            5 | 6 => {
                let of_thousand = [5, 50, 500][self.0.random_range(0..3)];
                Fault::FailingWrites(of_thousand, self.milliseconds(200, 3_000))
            }
            7 => Fault::SlowWrites(self.0.random_range(1..30), self.milliseconds(500, 3_000)),
            8 => Fault::KillOnFullDisk,
            9 => Fault::Strangers(self.0.random_range(20..400)),
            10 => Fault::ClockLeap(self.leap(), self.milliseconds(500, 3_000)),
            11 => Fault::LeapAtStart(self.leap(), self.milliseconds(500, 3_000)),
            _ => Fault::NewCertificate,
        };
        Some((pause, fault))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;
    use std::mem::discriminant;

    #[test]
    fn a_seed_repeats_a_plan_that_has_everything() {
        let plan = |seed| Plan::new(seed).take(300).collect::<Vec<_>>();
        assert_eq!(plan(7), plan(7));
        assert_ne!(plan(7), plan(8));
        let kinds: HashSet<_> = plan(7).into_iter().map(|(_, fault)| discriminant(&fault)).collect();
        assert_eq!(kinds.len(), 10);
    }
}
