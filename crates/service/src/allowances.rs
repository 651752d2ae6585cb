//! What the keys have left of their allowances.

use crate::problem::Problem;
use crate::settings::Settings;
use lantern_core::Moment;
use lantern_core::allowance::{Allowance, Bucket, Exceeded};
use rocket::http::Status;
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

/// Keys after which those that are full again are forgotten.
const MANY: usize = 10_000;

/// The buckets of all keys heard lately.
pub(crate) struct Allowances {
    requests: Allowance,
    readings: Allowance,
    keys: Mutex<HashMap<i64, Left>>,
}

struct Left {
    requests: Bucket,
    readings: Bucket,
    used_at: Moment,
}

impl Allowances {
    pub(crate) fn new(settings: &Settings) -> Self {
        Self {
            requests: Allowance { capacity: settings.requests_at_once, per_second: settings.requests_per_s },
            readings: Allowance { capacity: settings.readings_at_once, per_second: settings.readings_per_s },
            keys: Mutex::default(),
        }
    }

    /// Counts a request.
    pub(crate) fn request(&self, key: i64, now: Moment) -> Result<(), Problem> {
        self.with(key, now, |left| left.requests.take(&self.requests, 1.0, now))
            .map_err(|exceeded| self.problem("requests", &self.requests, 1.0, exceeded))
    }

    /// Counts what a request holds; it is taken whole or not at all.
    pub(crate) fn readings(&self, key: i64, cost: f64, now: Moment) -> Result<(), Problem> {
        self.with(key, now, |left| left.readings.take(&self.readings, cost, now))
            .map_err(|exceeded| self.problem("readings", &self.readings, cost, exceeded))
    }

    fn with<T>(&self, key: i64, now: Moment, take: impl FnOnce(&mut Left) -> T) -> T {
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
                    Problem::new(Status::TooManyRequests, "allowance-exceeded", "Too much at once", detail, remedy);
                problem.retry_after = Some(seconds as u64);
                problem
            }
            None => Problem::new(
                Status::PayloadTooLarge,
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
