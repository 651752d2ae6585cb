//! Bucket widths for charts and summaries.

/// The most buckets one summary may have.
pub const MAX_BUCKETS: u32 = 2_000;

const SECOND: i64 = 1_000_000;
const MINUTE: i64 = 60 * SECOND;
const HOUR: i64 = 60 * MINUTE;
const DAY: i64 = 24 * HOUR;

/// Widths that divide the clock evenly, in microseconds: every bucket edge is a
/// round time, and a slightly moved span has the same buckets.
const WIDTHS: [i64; 40] = [
    1,
    2,
    5,
    10,
    20,
    50,
    100,
    200,
    500,
    1_000,
    2_000,
    5_000,
    10_000,
    20_000,
    50_000,
    100_000,
    200_000,
    500_000,
    SECOND,
    2 * SECOND,
    5 * SECOND,
    10 * SECOND,
    15 * SECOND,
    30 * SECOND,
    MINUTE,
    2 * MINUTE,
    5 * MINUTE,
    10 * MINUTE,
    15 * MINUTE,
    30 * MINUTE,
    HOUR,
    2 * HOUR,
    3 * HOUR,
    6 * HOUR,
    12 * HOUR,
    DAY,
    2 * DAY,
    7 * DAY,
    30 * DAY,
    365 * DAY,
];

/// The smallest round bucket width, in microseconds, that covers `span`
/// microseconds with at most `buckets` buckets (held between 1 and
/// [`MAX_BUCKETS`]).
#[must_use]
pub fn bucket_width(span: i64, buckets: u32) -> i64 {
    let buckets = i64::from(buckets.clamp(1, MAX_BUCKETS));
    // An unaligned span touches one bucket more than it fills.
    let fits = |width: i64| span.max(0) / width + 2 <= buckets.max(2);
    WIDTHS.into_iter().find(|&width| fits(width)).unwrap_or_else(|| {
        let years = (span / buckets.max(2)) / (365 * DAY) + 1;
        years.saturating_mul(2 * 365 * DAY)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn widths_are_round() {
        assert_eq!(bucket_width(10 * MINUTE, 1000), SECOND);
        assert_eq!(bucket_width(DAY, 1000), 2 * MINUTE);
        assert_eq!(bucket_width(365 * DAY, 1000), 12 * HOUR);
    }

    proptest! {
        #[test]
        fn never_more_buckets_than_asked(span in 0i64..400 * 365 * DAY, buckets in 2u32..=MAX_BUCKETS, start in 0i64..DAY) {
            let width = bucket_width(span, buckets);
            let count = (start + span) / width - start / width + 1;
            prop_assert!(count <= i64::from(buckets), "{count} buckets of {width}");
        }
    }
}
