//! How a sender's times are understood.

use super::{Remark, RemarkCode};
use crate::{Moment, MomentError, Refusal, RefusalCode};
use jiff::civil::DateTime;
use jiff::tz::{AmbiguousOffset, TimeZone};

/// How far ahead of the service's clock a time may be, in seconds.
pub const MAX_AHEAD_SECONDS: f64 = 600.0;

/// What is needed to understand the times in a payload: the time of arrival,
/// the zone of times without one, and what was said for the payload as a whole.
#[derive(Debug, Clone)]
pub struct Times {
    /// When the payload arrived.
    pub now: Moment,
    /// The site's zone, in which times without one are read.
    pub zone: TimeZone,
    /// The time of values that have none of their own.
    pub at: Option<Moment>,
    /// Seconds between the samples of arrays, and between the rows of a table
    /// without times.
    pub every_s: Option<f64>,
}

/// A time and what is worth saying about how it was read.
pub(super) type Stamp = (Moment, Option<Remark>);

impl Times {
    /// Times of a payload that says nothing for itself as a whole.
    #[must_use]
    pub const fn new(now: Moment, zone: TimeZone) -> Self {
        Self { now, zone, at: None, every_s: None }
    }

    /// Reads RFC 3339, an epoch number, or a local date and time of the site.
    pub(super) fn parse(&self, text: &str) -> Result<Stamp, Refusal> {
        match Moment::parse(text) {
            Ok(at) => Ok((at, None)),
            Err(MomentError::NoZone(shown)) => self.local(text.trim(), &shown),
            Err(error) => Err(bad_time("at", &error)),
        }
    }

    /// A time without a zone. Where the clocks show an hour twice, the later one
    /// holds unless it would be in the future; where they skip one, the time is
    /// read as if they had not.
    fn local(&self, text: &str, shown: &str) -> Result<Stamp, Refusal> {
        let not_a_time = || bad_time("at", &MomentError::NotATime(shown.to_owned()));
        let local: DateTime = text.parse().map_err(|_| not_a_time())?;
        let ambiguous = self.zone.to_ambiguous_timestamp(local);
        let moment = |timestamp: Result<jiff::Timestamp, jiff::Error>| {
            timestamp.ok().and_then(|t| Moment::from_micros(t.as_microsecond())).ok_or_else(not_a_time)
        };
        match ambiguous.offset() {
            AmbiguousOffset::Unambiguous { .. } => Ok((moment(ambiguous.compatible())?, None)),
            AmbiguousOffset::Gap { .. } => {
                let at = moment(ambiguous.compatible())?;
                let detail = format!("The clocks skipped {shown}; it was read as {at}.");
                Ok((at, Some(Remark::new(RemarkCode::SkippedHour, detail))))
            }
            AmbiguousOffset::Fold { .. } => {
                let later = moment(ambiguous.later())?;
                let is_future = later.seconds_since(self.now) > MAX_AHEAD_SECONDS;
                let at = if is_future { moment(ambiguous.earlier())? } else { later };
                let detail = format!("The clocks showed {shown} twice; it was read as {at}.");
                Ok((at, Some(Remark::new(RemarkCode::DoubtfulHour, detail))))
            }
        }
    }

    /// Reads how many seconds ago something was measured.
    pub(super) fn ago(&self, text: &str) -> Result<Moment, Refusal> {
        match text.trim().parse::<f64>() {
            Ok(seconds) if seconds.is_finite() => Ok(self.now.plus_seconds(-seconds)),
            _ => Err(Refusal::of(
                RefusalCode::BadTime,
                "ago",
                format!("`ago` is `{}`, not a number of seconds.", super::short(text)),
            )),
        }
    }

    /// Reads the seconds between samples.
    pub(super) fn every(text: &str) -> Result<f64, Refusal> {
        match text.trim().parse::<f64>() {
            Ok(seconds) if (1e-6..=86_400.0).contains(&seconds) => Ok(seconds),
            _ => Err(Refusal::of(
                RefusalCode::NoInterval,
                "every",
                format!("`every` is `{}`, not seconds from 0.000001 to 86,400.", super::short(text)),
            )),
        }
    }

    /// Takes what a request says for its payload as a whole.
    ///
    /// # Errors
    /// A [`Refusal`] that says which of them cannot be read.
    pub fn set(&mut self, name: &str, text: &str) -> Result<Option<Remark>, Refusal> {
        match name {
            "at" => {
                let (at, remark) = self.parse(text)?;
                self.at = Some(at);
                return Ok(remark);
            }
            "ago" => self.at = Some(self.ago(text)?),
            _ => self.every_s = Some(Self::every(text)?),
        }
        Ok(None)
    }

    /// The time of sample `index` of `count`: from the start that is given, or
    /// so that the last sample is now.
    pub(super) fn sample(&self, start: Option<Moment>, every_s: f64, index: usize, count: usize) -> Moment {
        match start.or(self.at) {
            Some(start) => start.plus_seconds(every_s * index as f64),
            None => self.now.plus_seconds(-every_s * (count - 1 - index) as f64),
        }
    }
}

pub(super) fn bad_time(name: &str, error: &MomentError) -> Refusal {
    Refusal::of(RefusalCode::BadTime, name, format!("The time {error}."))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn times(now: &str) -> Times {
        Times::new(Moment::parse(now).unwrap(), TimeZone::get("Europe/London").unwrap())
    }

    #[test]
    fn local_times_are_the_sites_and_doubtful_ones_are_said() {
        for (now, text, expected, remark) in [
            ("2026-07-01T12:00:00Z", "2026-07-01 12:30:00", "2026-07-01T11:30:00Z", None),
            ("2026-12-01T12:00:00Z", "2026-12-01T11:30:00", "2026-12-01T11:30:00Z", None),
            // The night the clocks go back: 01:30 comes at 00:30 UTC and at 01:30 UTC.
            ("2026-10-25T00:30:05Z", "2026-10-25T01:30:00", "2026-10-25T00:30:00Z", Some(RemarkCode::DoubtfulHour)),
            ("2026-10-25T01:30:05Z", "2026-10-25T01:30:00", "2026-10-25T01:30:00Z", Some(RemarkCode::DoubtfulHour)),
            ("2026-10-26T01:30:05Z", "2026-10-25T01:30:00", "2026-10-25T01:30:00Z", Some(RemarkCode::DoubtfulHour)),
            // The night they go forward: 01:30 does not come.
            ("2026-03-29T02:00:00Z", "2026-03-29T01:30:00", "2026-03-29T01:30:00Z", Some(RemarkCode::SkippedHour)),
            ("2026-07-01T12:00:00Z", "1777636800", "2026-05-01T12:00:00Z", None),
        ] {
            let (at, said) = times(now).parse(text).unwrap();
            assert_eq!((at.to_string().as_str(), said.map(|r| r.code)), (expected, remark), "{text} at {now}");
        }
        assert_eq!(times("2026-07-01T12:00:00Z").parse("noon").unwrap_err().code, RefusalCode::BadTime);
    }

    #[test]
    fn samples_end_now_or_begin_where_they_say() {
        let times = times("2026-07-01T12:00:00Z");
        assert_eq!(times.sample(None, 0.5, 2, 3), times.now);
        assert_eq!(times.sample(None, 0.5, 0, 3), times.now.plus_seconds(-1.0));
        let start = times.now.plus_seconds(-60.0);
        assert_eq!(times.sample(Some(start), 0.004, 250, 1_000), start.plus_seconds(1.0));
    }

    #[test]
    fn what_is_said_for_the_whole_is_checked() {
        let mut times = times("2026-07-01T12:00:00Z");
        assert_eq!(times.set("ago", "60"), Ok(None));
        assert_eq!(times.at, Some(times.now.plus_seconds(-60.0)));
        assert_eq!(times.set("every", "0.004"), Ok(None));
        for (name, text) in [("ago", "soon"), ("every", "0"), ("every", "nan"), ("at", "")] {
            assert!(times.set(name, text).is_err(), "{name}={text}");
        }
    }
}
