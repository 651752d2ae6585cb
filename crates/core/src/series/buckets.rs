//! Stretches of time that readings are summed up by.

use super::bucket::MAX_BUCKETS;
use crate::Moment;
use jiff::civil::{Date, Weekday};
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp, ToSpan};

/// A stretch of the calendar.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CalendarUnit {
    /// From one full hour of the zone's clocks to the next.
    Hour,
    /// From midnight to midnight: 23, 24 or 25 hours.
    Day,
    /// From Monday to Monday.
    Week,
    /// From the first to the first.
    Month,
    /// From New Year to New Year.
    Year,
}

impl CalendarUnit {
    /// The names of all, in words.
    pub const NAMES: &'static str = "`hour`, `day`, `week`, `month` or `year`";

    /// From its name, such as `hour`; `None` if there is no such stretch.
    #[must_use]
    pub fn from_name(name: &str) -> Option<Self> {
        match name {
            "hour" => Some(Self::Hour),
            "day" => Some(Self::Day),
            "week" => Some(Self::Week),
            "month" => Some(Self::Month),
            "year" => Some(Self::Year),
            _ => None,
        }
    }

    fn start(self, date: Date) -> Date {
        match self {
            Self::Hour | Self::Day => date,
            Self::Week => date.checked_sub(i64::from(date.weekday().since(Weekday::Monday)).days()).unwrap_or(date),
            Self::Month => date.first_of_month(),
            Self::Year => date.first_of_year(),
        }
    }

    fn step(self) -> Span {
        match self {
            Self::Hour | Self::Day => 1.day(),
            Self::Week => 1.week(),
            Self::Month => 1.month(),
            Self::Year => 1.year(),
        }
    }
}

/// How time is divided.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Buckets {
    /// Into equal widths (microseconds) that start at whole multiples of it.
    Even(i64),
    /// At these times, ascending, microseconds since 1970.
    Edges(Vec<i64>),
}

impl Buckets {
    /// Calendar stretches in a time zone that cover the time from `from` to `to`.
    /// `None` if there would be more than [`MAX_BUCKETS`].
    #[must_use]
    pub fn calendar(unit: CalendarUnit, zone: &TimeZone, from: Moment, to: Moment) -> Option<Self> {
        if unit == CalendarUnit::Hour {
            return Self::hours(zone, from.as_micros(), to.as_micros());
        }
        let mut date = unit.start(zone.to_datetime(from.to_timestamp()).date());
        let mut edges = Vec::new();
        while edges.len() <= MAX_BUCKETS as usize {
            // Where midnight does not exist, the day starts at the first moment after.
            let edge = date.to_zoned(zone.clone()).ok()?.timestamp().as_microsecond();
            edges.push(edge);
            if edge >= to.as_micros() {
                return Some(Self::Edges(edges));
            }
            date = date.checked_add(unit.step()).ok()?;
        }
        None
    }

    /// Full hours of a zone's clocks. Where clocks are put forward or back by a part of an hour, one hour is shorter.
    fn hours(zone: &TimeZone, from: i64, to: i64) -> Option<Self> {
        const HOUR: i64 = 3_600_000_000;
        let start = |at: i64| {
            let offset = zone.to_offset(Timestamp::from_microsecond(at).ok()?).seconds();
            Some(at - (at + i64::from(offset) * 1_000_000).rem_euclid(HOUR))
        };
        let mut edges = vec![start(from)?];
        while edges.len() <= MAX_BUCKETS as usize {
            let last = *edges.last()?;
            if last >= to {
                return Some(Self::Edges(edges));
            }
            edges.push(start(last.checked_add(HOUR)?)?);
        }
        None
    }

    /// Start and end of the bucket with a time in it; `None` outside all.
    #[must_use]
    pub fn around(&self, at: i64) -> Option<(i64, i64)> {
        match self {
            Self::Even(width) => {
                let start = at.div_euclid(*width) * width;
                Some((start, start + width))
            }
            Self::Edges(edges) => {
                let next = edges.partition_point(|edge| *edge <= at);
                Some((*edges.get(next.checked_sub(1)?)?, *edges.get(next)?))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn edges(unit: CalendarUnit, zone: &str, from: &str, to: &str) -> Vec<String> {
        let zone = TimeZone::get(zone).unwrap();
        let (from, to) = (Moment::parse(from).unwrap(), Moment::parse(to).unwrap());
        match Buckets::calendar(unit, &zone, from, to) {
            Some(Buckets::Edges(edges)) => {
                edges.iter().map(|edge| Moment::from_micros(*edge).unwrap().to_string()).collect()
            }
            other => panic!("{other:?}"),
        }
    }

    #[test]
    fn days_are_local_and_follow_the_clock() {
        assert_eq!(
            edges(CalendarUnit::Day, "Europe/London", "2026-03-28T12:00:00Z", "2026-03-30T12:00:00Z"),
            ["2026-03-28T00:00:00Z", "2026-03-29T00:00:00Z", "2026-03-29T23:00:00Z", "2026-03-30T23:00:00Z"]
        );
        assert_eq!(
            edges(CalendarUnit::Week, "Asia/Kathmandu", "2026-05-06T00:00:00Z", "2026-05-11T00:00:00Z"),
            ["2026-05-03T18:15:00Z", "2026-05-10T18:15:00Z", "2026-05-17T18:15:00Z"]
        );
        assert_eq!(
            edges(CalendarUnit::Month, "UTC", "2026-01-31T00:00:00Z", "2026-02-28T00:00:00Z"),
            ["2026-01-01T00:00:00Z", "2026-02-01T00:00:00Z", "2026-03-01T00:00:00Z"]
        );
    }

    #[test]
    fn hours_are_those_of_the_clocks() {
        assert_eq!(
            edges(CalendarUnit::Hour, "Asia/Kathmandu", "2026-05-06T00:00:00Z", "2026-05-06T01:30:00Z"),
            ["2026-05-05T23:15:00Z", "2026-05-06T00:15:00Z", "2026-05-06T01:15:00Z", "2026-05-06T02:15:00Z"]
        );
        // Clocks at Lord Howe Island go forward by half an hour on 2026-10-04 at 02:00, which is 15:30 in UTC.
        assert_eq!(
            edges(CalendarUnit::Hour, "Australia/Lord_Howe", "2026-10-03T15:00:00Z", "2026-10-03T16:30:00Z"),
            ["2026-10-03T14:30:00Z", "2026-10-03T15:00:00Z", "2026-10-03T16:00:00Z", "2026-10-03T17:00:00Z"]
        );
    }

    #[test]
    fn there_is_a_limit() {
        let utc = TimeZone::UTC;
        let (from, to) =
            (Moment::parse("2000-01-01T00:00:00Z").unwrap(), Moment::parse("2026-01-01T00:00:00Z").unwrap());
        assert_eq!(Buckets::calendar(CalendarUnit::Day, &utc, from, to), None);
        assert!(Buckets::calendar(CalendarUnit::Week, &utc, from, to).is_some());
    }

    #[test]
    fn a_time_has_its_bucket() {
        let buckets = Buckets::Edges(vec![10, 20, 40]);
        for (at, expected) in [(9, None), (10, Some((10, 20))), (19, Some((10, 20))), (39, Some((20, 40))), (40, None)]
        {
            assert_eq!(buckets.around(at), expected, "{at}");
        }
        assert_eq!(Buckets::Even(10).around(-1), Some((-10, 0)));
    }
}
