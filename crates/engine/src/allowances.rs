//! What the keys have left of their allowances.

use crate::problem::{Class, Problem};
use lantern_core::allowance::{Allowance, Bucket, Exceeded};
use lantern_core::{KeyId, Steady};
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

/// Keys after which those that are full again are forgotten.
const MANY: usize = 10_000;

/// The buckets of all keys heard lately.
pub struct Allowances {
    requests: Allowance,
    readings: Allowance,
    keys: Mutex<HashMap<KeyId, Left>>,
}

struct Left {
    requests: Bucket,
    readings: Bucket,
    used_at: Steady,
}

impl Allowances {
    /// All keys have the whole of these allowances.
    #[must_use]
    pub fn new(requests: Allowance, readings: Allowance) -> Self {
        Self { requests, readings, keys: Mutex::default() }
    }

    /// Counts a request.
    pub(crate) fn request(&self, key: KeyId, now: Steady) -> Result<(), Problem> {
        self.with(key, now, |left| left.requests.take(&self.requests, 1.0, now))
            .map_err(|exceeded| self.problem("requests", &self.requests, 1.0, exceeded))
    }

    /// Counts what a request holds; it is taken whole or not at all.
    pub(crate) fn readings(&self, key: KeyId, cost: f64, now: Steady) -> Result<(), Problem> {
        self.with(key, now, |left| left.readings.take(&self.readings, cost, now))
            .map_err(|exceeded| self.problem("readings", &self.readings, cost, exceeded))
    }

    fn with<T>(&self, key: KeyId, now: Steady, take: impl FnOnce(&mut Left) -> T) -> T {
        let mut keys = self.keys.lock().unwrap_or_else(PoisonError::into_inner);
        if keys.len() >= MANY {
            // After so long an empty bucket is full again, and needs no memory.
            let full_after = (self.requests.capacity / self.requests.per_second)
                .max(self.readings.capacity / self.readings.per_second);
            keys.retain(|_, left| now.seconds_since(left.used_at) < full_after);
        }
        let left = keys.entry(key).or_insert_with(|| Left {
            requests: Bucket::full(&self.requests, now),
            readings: Bucket::full(&self.readings, now),
            used_at: now,
        });
        left.used_at = now;
        take(left)
    }

    fn problem(&self, what: &str, allowance: &Allowance, wanted: f64, exceeded: Exceeded) -> Problem {
        let left = exceeded.left.floor();
        let detail = format!(
            "A key may send {} {what} at once and {} a second; {left} are left and this request counts {wanted}. Nothing of it was kept.",
            allowance.capacity, allowance.per_second
        );
        let mut problem = match exceeded.wait_s {
            Some(wait_s) => {
                let seconds = wait_s.ceil().max(1.0);
                let remedy = format!("Send the same request again in {seconds} s.");
                let mut problem =
                    Problem::new(Class::TooSoon, "allowance-exceeded", "Too much at once", detail, remedy);
                problem.retry_after = Some(seconds as u64);
                problem
            }
            None => Problem::new(
                Class::OverAllowance,
                "allowance-exceeded",
                "Too much at once",
                detail,
                "Split the request; it is more than the key may ever send at once.",
            ),
        };
        problem.left = Some(left as u64);
        problem
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_key_has_its_own_allowance() {
        let few = Allowance { capacity: 2.0, per_second: 1.0 };
        let allowances = Allowances::new(few, Allowance { capacity: 10.0, per_second: 1.0 });
        let now = Steady::default();
        let ask =
            |key, now| allowances.request(KeyId(key), now).map_err(|problem| (problem.class, problem.retry_after));
        assert_eq!([ask(1, now), ask(1, now), ask(1, now)], [Ok(()), Ok(()), Err((Class::TooSoon, Some(1)))]);
        assert_eq!(ask(2, now), Ok(()));
        assert_eq!(ask(1, now.plus_seconds(1.0)), Ok(()));
    }

    #[test]
    fn what_never_fits_is_not_to_be_sent_again() {
        let some = Allowance { capacity: 10.0, per_second: 1.0 };
        let problem = Allowances::new(some, some).readings(KeyId(1), 11.0, Steady::default()).unwrap_err();
        assert_eq!((problem.class, problem.retry_after, problem.left), (Class::OverAllowance, None, Some(10)));
    }
}
