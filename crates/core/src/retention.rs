//! Retention: how long readings and their summaries are kept.

use crate::Moment;
use serde::{Deserialize, Serialize};

/// Microseconds of a minute, an hour and a day.
const WIDTHS: [i64; 3] = [60_000_000, 3_600_000_000, 86_400_000_000];
/// The shortest time anything is kept, in seconds: an hour.
const LEAST_S: f64 = 3_600.0;

/// How long readings and their summaries are kept, in seconds; absent for ever.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Retention {
    /// The readings themselves.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub raw_s: Option<f64>,
    /// Summaries of minutes.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub minute_s: Option<f64>,
    /// Summaries of hours.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub hour_s: Option<f64>,
    /// Summaries of days.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub day_s: Option<f64>,
}

/// Why a retention makes no sense.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum RetentionError {
    /// Something is kept for less than an hour, or for no real time.
    #[error("anything is kept for an hour at least")]
    TooShort,
    /// Wider summaries are kept for a shorter time than narrower ones.
    #[error("days are to be kept at least as long as hours, and hours as minutes: {0} are kept for a shorter time")]
    Order(&'static str),
}

/// What is kept of readings of some age.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kept {
    /// All.
    Readings,
    /// Summaries of this width and wider ones, in microseconds.
    Summaries(i64),
    /// Nothing.
    Nothing,
}

impl Retention {
    /// Says what is wrong with it, if anything.
    ///
    /// # Errors
    /// [`RetentionError`].
    pub fn check(&self) -> Result<(), RetentionError> {
        let all = [self.raw_s, self.minute_s, self.hour_s, self.day_s];
        if all.iter().flatten().any(|seconds| seconds.is_nan() || *seconds < LEAST_S) {
            return Err(RetentionError::TooShort);
        }
        let length = |kept: Option<f64>| kept.unwrap_or(f64::INFINITY);
        if length(self.hour_s) < length(self.minute_s) {
            return Err(RetentionError::Order("hours"));
        }
        if length(self.day_s) < length(self.hour_s) {
            return Err(RetentionError::Order("days"));
        }
        Ok(())
    }

    /// What is kept of readings whose last is of a time.
    #[must_use]
    pub fn kept(&self, last: Moment, now: Moment) -> Kept {
        let age = now.seconds_since(last);
        let holds = |kept: Option<f64>| kept.is_none_or(|seconds| age <= seconds);
        if holds(self.raw_s) {
            return Kept::Readings;
        }
        let widths = [self.minute_s, self.hour_s, self.day_s].into_iter().zip(WIDTHS);
        widths.into_iter().find(|(kept, _)| holds(*kept)).map_or(Kept::Nothing, |(_, width)| Kept::Summaries(width))
    }

    /// Before which time readings themselves are no longer kept.
    #[must_use]
    pub fn raw_from(&self, now: Moment) -> Option<Moment> {
        self.raw_s.map(|seconds| now.plus_seconds(-seconds))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const DAY: f64 = 86_400.0;

    #[test]
    fn what_is_kept_gets_coarser_with_age() {
        let retention =
            Retention { raw_s: Some(30.0 * DAY), minute_s: Some(60.0 * DAY), hour_s: Some(365.0 * DAY), day_s: None };
        assert_eq!(retention.check(), Ok(()));
        let now = Moment::EPOCH;
        for (days, expected) in [
            (1.0, Kept::Readings),
            (30.0, Kept::Readings),
            (31.0, Kept::Summaries(WIDTHS[0])),
            (61.0, Kept::Summaries(WIDTHS[1])),
            (366.0, Kept::Summaries(WIDTHS[2])),
            (9_999.0, Kept::Summaries(WIDTHS[2])),
        ] {
            assert_eq!(retention.kept(now.plus_seconds(-days * DAY), now), expected, "{days} days old");
        }
        let short = Retention { day_s: Some(400.0 * DAY), ..retention };
        assert_eq!(short.kept(now.plus_seconds(-401.0 * DAY), now), Kept::Nothing);
    }

    #[test]
    fn nonsense_is_refused() {
        let kept = |days: f64| Some(days * DAY);
        for (retention, expected) in [
            (Retention { raw_s: Some(60.0), ..Retention::default() }, RetentionError::TooShort),
            (Retention { raw_s: Some(f64::NAN), ..Retention::default() }, RetentionError::TooShort),
            (Retention { hour_s: kept(3.0), ..Retention::default() }, RetentionError::Order("hours")),
            (
                Retention { minute_s: kept(1.0), hour_s: kept(3.0), day_s: kept(2.0), raw_s: None },
                RetentionError::Order("days"),
            ),
        ] {
            assert_eq!(retention.check(), Err(expected), "{retention:?}");
        }
        assert_eq!(Retention::default().check(), Ok(()));
    }
}
