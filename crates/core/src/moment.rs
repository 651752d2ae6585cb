//! Moments in time.

use std::fmt;

/// A moment in UTC: whole microseconds since 1970-01-01T00:00:00Z.
///
/// Lies between the years 0000 and 9999, so that it always has an RFC 3339 form.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Moment(i64);

/// Why a text or number is not a moment.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum MomentError {
    /// A date and time with neither `Z` nor an offset.
    #[error("`{0}` has no time zone")]
    NoZone(String),
    /// Not a date and time at all.
    #[error("`{0}` is not a time")]
    NotATime(String),
    /// Outside the years 0000 to 9999.
    #[error("`{0}` is outside the years 0000 to 9999")]
    OutOfRange(String),
}

const MICROS: i64 = 1_000_000;
/// 0000-01-01T00:00:00Z and 9999-12-30T00:00:00Z, the range every zone can show.
const RANGE: std::ops::RangeInclusive<i64> = -62_167_219_200 * MICROS..=253_402_128_000 * MICROS;

impl Moment {
    /// 1970-01-01T00:00:00Z.
    pub const EPOCH: Self = Self(0);
    /// 0000-01-01T00:00:00Z, the earliest there is.
    pub const MIN: Self = Self(*RANGE.start());
    /// 9999-12-30T00:00:00Z, the latest there is.
    pub const MAX: Self = Self(*RANGE.end());

    /// From microseconds since 1970; `None` outside the years 0000 to 9999.
    #[must_use]
    pub fn from_micros(micros: i64) -> Option<Self> {
        RANGE.contains(&micros).then_some(Self(micros))
    }

    /// Microseconds since 1970-01-01T00:00:00Z.
    #[must_use]
    pub const fn as_micros(self) -> i64 {
        self.0
    }

    /// This moment plus so many seconds, held inside the representable range.
    #[must_use]
    pub fn plus_seconds(self, seconds: f64) -> Self {
        // A float to integer cast saturates, so no overflow is possible here.
        self.shifted((seconds * MICROS as f64) as i64)
    }

    /// This moment plus so many microseconds, held inside the representable range.
    pub(crate) fn shifted(self, micros: i64) -> Self {
        Self(self.0.saturating_add(micros).clamp(*RANGE.start(), *RANGE.end()))
    }

    /// The next moment there is, a microsecond later.
    #[must_use]
    pub fn next(self) -> Self {
        Self((self.0 + 1).min(*RANGE.end()))
    }

    /// Seconds from `earlier` to this moment, negative if it is later.
    #[must_use]
    pub fn seconds_since(self, earlier: Self) -> f64 {
        (self.0 - earlier.0) as f64 / MICROS as f64
    }

    /// Reads an RFC 3339 date and time with `Z` or an offset.
    ///
    /// # Errors
    /// [`MomentError::NoZone`] without an offset, [`MomentError::NotATime`] for
    /// anything else that is not RFC 3339.
    pub fn parse_rfc3339(text: &str) -> Result<Self, MomentError> {
        let shown = || text.chars().take(64).collect::<String>();
        match text.parse::<jiff::Timestamp>() {
            Ok(t) => Self::from_micros(t.as_microsecond()).ok_or_else(|| MomentError::OutOfRange(shown())),
            Err(_) if text.parse::<jiff::civil::DateTime>().is_ok() => Err(MomentError::NoZone(shown())),
            Err(_) => Err(MomentError::NotATime(shown())),
        }
    }

    /// Reads a number of seconds, milliseconds or microseconds since 1970, told
    /// apart by size: below 1e11 seconds (to the year 5138), below 1e14
    /// milliseconds, else microseconds.
    ///
    /// # Errors
    /// [`MomentError::OutOfRange`] past the year 9999, or if not finite.
    pub fn from_epoch(number: f64) -> Result<Self, MomentError> {
        let micros_per = match number.abs() {
            n if n < 1e11 => 1e6,
            n if n < 1e14 => 1e3,
            _ => 1.0,
        };
        let micros = (number * micros_per).round();
        let bounds = *RANGE.start() as f64..=*RANGE.end() as f64;
        if bounds.contains(&micros) {
            Ok(Self(micros as i64))
        } else {
            Err(MomentError::OutOfRange(number.to_string()))
        }
    }

    /// Reads what a sender writes for a time: RFC 3339, or an epoch number.
    ///
    /// # Errors
    /// As [`Moment::parse_rfc3339`] and [`Moment::from_epoch`].
    pub fn parse(text: &str) -> Result<Self, MomentError> {
        let text = text.trim();
        match text.parse::<f64>() {
            Ok(number) => Self::from_epoch(number),
            Err(_) => Self::parse_rfc3339(text),
        }
    }

    /// The same moment for date arithmetic in time zones.
    #[must_use]
    pub fn to_timestamp(self) -> jiff::Timestamp {
        // The range is narrower than jiff's, so this never falls back.
        jiff::Timestamp::from_microsecond(self.0).unwrap_or(jiff::Timestamp::UNIX_EPOCH)
    }
}

impl fmt::Display for Moment {
    /// RFC 3339 in UTC, with as many decimals as needed and at most six.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.to_timestamp().fmt(f)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn tells_seconds_milliseconds_and_microseconds_apart() {
        let expected = Moment::parse_rfc3339("2026-05-01T12:00:00.5Z").unwrap();
        for number in [1_777_636_800.5, 1_777_636_800_500.0, 1_777_636_800_500_000.0] {
            assert_eq!(Moment::from_epoch(number), Ok(expected), "{number}");
        }
    }

    #[test]
    fn reads_what_senders_write() {
        for (text, expected) in [
            ("2026-05-01T12:00:00Z", Some("2026-05-01T12:00:00Z")),
            ("2026-05-01T13:00:00+01:00", Some("2026-05-01T12:00:00Z")),
            ("2026-05-01 12:00:00.25Z", Some("2026-05-01T12:00:00.25Z")),
            (" 1777636800 ", Some("2026-05-01T12:00:00Z")),
            ("2026-05-01T12:00:00", None),
            ("2026-13-01T12:00:00Z", None),
            ("yesterday", None),
            ("", None),
            ("nan", None),
            ("1e300", None),
        ] {
            assert_eq!(Moment::parse(text).ok().map(|m| m.to_string()).as_deref(), expected, "{text}");
        }
        assert!(matches!(Moment::parse("2026-05-01T12:00:00"), Err(MomentError::NoZone(_))));
    }

    proptest! {
        #[test]
        fn rfc3339_round_trips(micros in RANGE) {
            let moment = Moment::from_micros(micros).unwrap();
            prop_assert_eq!(Moment::parse_rfc3339(&moment.to_string()), Ok(moment));
        }

        #[test]
        fn any_text_is_a_moment_or_an_error(text in ".{0,40}") {
            let _ = Moment::parse(&text);
        }
    }
}
