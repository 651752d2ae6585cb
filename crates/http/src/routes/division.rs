//! How a request divides time: into equal widths, or by the calendar.

use super::query;
use lantern_api::{BucketUnit, DividedTime};
use lantern_core::Moment;
use lantern_core::series::{Buckets, CalendarUnit, MAX_BUCKETS, bucket_width};
use lantern_engine::Problem;

/// How time is to be divided, as it was asked for.
pub(super) struct Division {
    pub(super) from: Moment,
    pub(super) to: Moment,
    pub(super) buckets: Buckets,
    pub(super) shown: DividedTime,
}

impl Division {
    pub(super) fn new(
        (from, to): (Moment, Moment),
        count: Option<&str>,
        by: Option<&str>,
        zone: Option<&str>,
        site_zone: &str,
    ) -> Result<Self, Problem> {
        let count = query::number("buckets", count, 500, 1, MAX_BUCKETS)?;
        let shown = |width_s, by, zone| DividedTime { from: from.to_string(), to: to.to_string(), width_s, by, zone };
        let Some(by) = by else {
            let width = bucket_width(to.as_micros() - from.as_micros(), count);
            let buckets = Buckets::Even(width);
            return Ok(Self { from, to, buckets, shown: shown(Some(width as f64 / 1e6), None, None) });
        };
        let unit = CalendarUnit::from_name(by).ok_or_else(|| Problem::invalid("by", CalendarUnit::NAMES))?;
        let by = match unit {
            CalendarUnit::Hour => BucketUnit::Hour,
            CalendarUnit::Day => BucketUnit::Day,
            CalendarUnit::Week => BucketUnit::Week,
            CalendarUnit::Month => BucketUnit::Month,
            CalendarUnit::Year => BucketUnit::Year,
        };
        let name = zone.unwrap_or(site_zone);
        let zone = query::zone(name)?;
        let buckets = Buckets::calendar(unit, &zone, from, to).ok_or_else(|| {
            Problem::invalid(
                "by",
                format_args!("more than {MAX_BUCKETS} buckets; ask for a shorter time or longer ones"),
            )
        })?;
        Ok(Self { from, to, buckets, shown: shown(None, Some(by), Some(name.to_owned())) })
    }
}
