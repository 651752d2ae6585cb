//! Slowing down log-in attempts.

use lantern_core::Moment;
use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Mutex, PoisonError};

/// Failures that cost nothing yet.
const FREE: u32 = 3;
/// The longest wait, in seconds.
const LONGEST_S: f64 = 300.0;
/// Callers remembered.
const MAX_CALLERS: usize = 10_000;

struct Failures {
    count: u32,
    allowed_at: Moment,
}

/// Who tries to get in: an address, and the name it tries. Both count, so that
/// behind a proxy, where all have one address, nobody locks the others out.
pub(crate) type Caller = (IpAddr, String);

/// Makes each caller wait longer after each failure: 1 s after the fourth, then
/// doubled, to five minutes.
#[derive(Default)]
pub(crate) struct Throttle {
    callers: Mutex<HashMap<Caller, Failures>>,
}

impl Throttle {
    /// Seconds the caller must still wait, if any.
    pub(crate) fn wait(&self, caller: &Caller, now: Moment) -> Option<u64> {
        let callers = self.callers.lock().unwrap_or_else(PoisonError::into_inner);
        let remaining = callers.get(caller)?.allowed_at.seconds_since(now);
        (remaining > 0.0).then(|| remaining.ceil() as u64)
    }

    /// Notes a failed attempt.
    pub(crate) fn failed(&self, caller: &Caller, now: Moment) {
        let mut callers = self.callers.lock().unwrap_or_else(PoisonError::into_inner);
        if callers.len() >= MAX_CALLERS {
            callers.retain(|_, failures| failures.allowed_at > now);
        }
        if callers.len() >= MAX_CALLERS {
            // So many at once are an attack on memory; the costly hashing slows it.
            callers.clear();
        }
        let failures = callers.entry(caller.clone()).or_insert(Failures { count: 0, allowed_at: now });
        failures.count = failures.count.saturating_add(1);
        let over = failures.count.saturating_sub(FREE);
        let wait = if over == 0 { 0.0 } else { f64::from(2u32.pow((over - 1).min(10))).min(LONGEST_S) };
        failures.allowed_at = now.plus_seconds(wait);
    }

    /// Forgets the failures of a caller that got in.
    pub(crate) fn succeeded(&self, caller: &Caller) {
        self.callers.lock().unwrap_or_else(PoisonError::into_inner).remove(caller);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn waits_grow_and_end_with_success() {
        let throttle = Throttle::default();
        let caller = &(IpAddr::from([127, 0, 0, 1]), "ann".to_owned());
        let now = Moment::from_epoch(1_777_636_800.0).unwrap();
        let mut waits = Vec::new();
        for _ in 0..14 {
            throttle.failed(caller, now);
            waits.push(throttle.wait(caller, now).unwrap_or(0));
        }
        assert_eq!(waits, [0, 0, 0, 1, 2, 4, 8, 16, 32, 64, 128, 256, 300, 300]);
        assert_eq!(throttle.wait(caller, now.plus_seconds(301.0)), None);
        assert_eq!(throttle.wait(&(caller.0, "bob".to_owned()), now), None, "others are not locked out");
        throttle.succeeded(caller);
        assert_eq!(throttle.wait(caller, now), None);
    }
}
