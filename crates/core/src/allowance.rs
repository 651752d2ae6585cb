//! Allowances: how much a key may send, as a bucket that fills with time.
//!
//! A request that fits is taken whole, one that does not is refused whole and
//! told how long to wait; nothing is ever cut.

use crate::Steady;

/// How much may be sent at once, and how fast it comes back.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Allowance {
    /// The most that can be sent at once.
    pub capacity: f64,
    /// What comes back each second.
    pub per_second: f64,
}

/// What is left of an [`Allowance`].
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bucket {
    level: f64,
    filled_at: Steady,
}

/// What was asked for is more than is left.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Exceeded {
    /// What is left now.
    pub left: f64,
    /// Seconds until it fits; `None` if it never will.
    pub wait_s: Option<f64>,
}

impl Bucket {
    /// A full bucket.
    #[must_use]
    pub const fn full(allowance: &Allowance, now: Steady) -> Self {
        Self { level: allowance.capacity, filled_at: now }
    }

    /// Takes an amount, if there is so much.
    ///
    /// # Errors
    /// [`Exceeded`] says what is left and how long to wait; nothing was taken.
    pub fn take(&mut self, allowance: &Allowance, amount: f64, now: Steady) -> Result<(), Exceeded> {
        let passed = now.seconds_since(self.filled_at);
        self.level = (self.level + passed * allowance.per_second).min(allowance.capacity);
        self.filled_at = now;
        if amount <= self.level {
            self.level -= amount;
            return Ok(());
        }
        let wait_s = (amount <= allowance.capacity).then(|| (amount - self.level) / allowance.per_second);
        Err(Exceeded { left: self.level, wait_s })
    }
}

/// What a delivery counts: each value is one, but samples of a waveform, which
/// come by the thousand, count a tenth.
#[must_use]
pub fn cost(values: usize, samples: usize) -> f64 {
    (values - samples.min(values)) as f64 + (samples as f64 / 10.0).ceil()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const ALLOWANCE: Allowance = Allowance { capacity: 100.0, per_second: 10.0 };

    const fn at(seconds: f64) -> Steady {
        Steady::after(seconds)
    }

    #[test]
    fn what_does_not_fit_is_told_how_long_to_wait() {
        let mut bucket = Bucket::full(&ALLOWANCE, at(0.0));
        assert_eq!(bucket.take(&ALLOWANCE, 70.0, at(0.0)), Ok(()));
        assert_eq!(bucket.take(&ALLOWANCE, 70.0, at(0.0)), Err(Exceeded { left: 30.0, wait_s: Some(4.0) }));
        assert_eq!(bucket.take(&ALLOWANCE, 70.0, at(4.0)), Ok(()), "after just that long it fits");
        assert_eq!(bucket.take(&ALLOWANCE, 101.0, at(1e6)), Err(Exceeded { left: 100.0, wait_s: None }));
    }

    #[test]
    fn samples_count_a_tenth() {
        assert_eq!(cost(5_003, 5_000), 503.0);
        assert_eq!(cost(3, 0), 3.0);
        assert_eq!(cost(1, 1), 1.0);
    }

    proptest! {
        #[test]
        fn over_any_time_no_more_goes_through_than_is_allowed(
            steps in prop::collection::vec((0.0..5.0f64, 0.0..150.0f64), 1..100)
        ) {
            let mut bucket = Bucket::full(&ALLOWANCE, at(0.0));
            let (mut now, mut taken) = (0.0, 0.0);
            for (wait, amount) in steps {
                now += wait;
                if bucket.take(&ALLOWANCE, amount, at(now)).is_ok() {
                    taken += amount;
                }
                prop_assert!(taken <= ALLOWANCE.capacity + now * ALLOWANCE.per_second + 1e-3);
            }
        }
    }
}
