//! Spans of time.

use crate::Moment;
use std::ops::{Add, Sub};

/// A span of time in whole microseconds; negative ones lead back.
///
/// ```
/// use lantern_core::{Micros, Moment};
///
/// let noon = Moment::parse_rfc3339("2026-05-01T12:00:00Z").unwrap();
/// let later = noon + Micros::from_seconds(1.5);
/// assert_eq!(later - noon, Micros(1_500_000));
/// assert_eq!((later - noon).as_seconds(), 1.5);
/// ```
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Micros(pub i64);

impl Micros {
    /// No time at all.
    pub const ZERO: Self = Self(0);
    /// An hour.
    pub const HOUR: Self = Self(3_600_000_000);

    /// From seconds, held inside the range of microseconds.
    #[must_use]
    pub fn from_seconds(seconds: f64) -> Self {
        // A float to integer cast saturates.
        Self((seconds * 1e6) as i64)
    }

    /// In seconds.
    #[must_use]
    pub fn as_seconds(self) -> f64 {
        self.0 as f64 / 1e6
    }
}

impl Add for Micros {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self(self.0.saturating_add(other.0))
    }
}

impl Add<Micros> for Moment {
    type Output = Self;

    /// Held inside the range of moments.
    fn add(self, span: Micros) -> Self {
        self.shifted(span.0)
    }
}

impl Sub<Micros> for Moment {
    type Output = Self;

    /// Held inside the range of moments.
    fn sub(self, span: Micros) -> Self {
        self.shifted(span.0.saturating_neg())
    }
}

impl Sub for Moment {
    type Output = Micros;

    fn sub(self, earlier: Self) -> Micros {
        Micros(self.as_micros() - earlier.as_micros())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spans_hold_inside_the_range_of_moments() {
        assert_eq!(Moment::MAX + Micros(1), Moment::MAX);
        assert_eq!(Moment::MIN - Micros(i64::MAX), Moment::MIN);
        assert_eq!(Moment::MIN - Micros(i64::MIN), Moment::MAX);
        assert_eq!(Moment::EPOCH + Micros::HOUR - Micros::HOUR, Moment::EPOCH);
        assert_eq!(Micros::from_seconds(f64::INFINITY), Micros(i64::MAX));
    }
}
