//! The stretches of time an export sums up, however many.

use jiff::tz::TimeZone;
use lantern_core::Moment;
use lantern_core::series::{Buckets, CalendarUnit};

/// How long a stretch is.
pub(super) enum Length {
    /// So many microseconds, from whole multiples of them on.
    Even(i64),
    /// A stretch of the calendar, in a zone.
    Calendar(CalendarUnit, TimeZone),
}

impl Length {
    /// A length of some hundreds of stretches, in microseconds.
    const fn many(&self) -> i64 {
        const HOUR: i64 = 3_600_000_000;
        match self {
            Self::Even(width) => width.saturating_mul(500),
            Self::Calendar(CalendarUnit::Hour, _) => 500 * HOUR,
            Self::Calendar(CalendarUnit::Day, _) => 500 * 24 * HOUR,
            Self::Calendar(_, _) => 3_500 * 24 * HOUR,
        }
    }
}

/// Gives the stretches of a time some hundreds at once, whole ones but for the first and the last.
pub(super) struct Stretches {
    length: Length,
    from: Moment,
    to: Moment,
}

impl Stretches {
    pub(super) const fn new(length: Length, (from, to): (Moment, Moment)) -> Self {
        Self { length, from, to }
    }
}

impl Iterator for Stretches {
    type Item = (Moment, Moment, Buckets);

    fn next(&mut self) -> Option<Self::Item> {
        if self.from >= self.to {
            return None;
        }
        let enough = self.from.as_micros().saturating_add(self.length.many()).min(self.to.as_micros());
        let (end, buckets) = match &self.length {
            Length::Even(width) => {
                // Where a stretch ends, so that none is in two parts.
                let end = enough.div_euclid(*width).saturating_add(1).saturating_mul(*width);
                (end, Buckets::Even(*width))
            }
            Length::Calendar(unit, zone) => {
                let buckets = Buckets::calendar(*unit, zone, self.from, Moment::from_micros(enough)?)?;
                match &buckets {
                    Buckets::Edges(edges) => (*edges.last()?, buckets),
                    Buckets::Even(_) => return None,
                }
            }
        };
        let to = Moment::from_micros(end).map_or(self.to, |end| end.min(self.to));
        Some((std::mem::replace(&mut self.from, to), to, buckets))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn starts(length: Length, from: &str, to: &str) -> Vec<i64> {
        let span = (Moment::parse(from).unwrap(), Moment::parse(to).unwrap());
        let mut starts = Vec::new();
        let mut last = span.0;
        for (from, to, buckets) in Stretches::new(length, span) {
            assert_eq!(from, last, "nothing is left out and nothing is twice");
            last = to;
            let mut at = from.as_micros();
            while at < to.as_micros() {
                let (start, end) = buckets.around(at).unwrap();
                starts.push(start);
                at = end;
            }
        }
        assert_eq!(last, span.1);
        starts
    }

    #[test]
    fn stretches_follow_each_other_over_years_and_changes_of_clocks() {
        let london = || TimeZone::get("Europe/London").unwrap();
        let cases = [
            ("hour", "2020-01-01T00:00:00Z", "2026-01-01T00:00:00Z", 6 * 8_760 + 48),
            ("day", "2000-01-01T00:00:00Z", "2026-01-01T00:00:00Z", 26 * 365 + 7),
            ("week", "2000-01-03T00:00:00Z", "2026-01-05T00:00:00Z", 1_357),
            ("month", "2000-01-01T00:00:00Z", "2026-01-01T00:00:00Z", 312),
            ("year", "1990-01-01T00:00:00Z", "2026-01-01T00:00:00Z", 36),
        ];
        for (name, from, to, count) in cases {
            let starts = starts(Length::Calendar(CalendarUnit::from_name(name).unwrap(), london()), from, to);
            assert!(starts.is_sorted_by(|a, b| a < b), "{name}: no stretch in two parts");
            assert_eq!(starts.len(), count, "{name}");
        }
    }

    #[test]
    fn equal_stretches_begin_at_whole_multiples() {
        let starts = starts(Length::Even(600_000_000), "2026-01-01T00:05:00Z", "2026-02-01T00:00:00Z");
        assert_eq!(starts.len(), 31 * 144);
        assert!(starts.is_sorted_by(|a, b| a < b) && starts.iter().all(|start| start % 600_000_000 == 0));
    }
}
