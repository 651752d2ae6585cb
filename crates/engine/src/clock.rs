//! The one place that reads the clock.

use lantern_core::Moment;

/// The time now.
#[must_use]
pub fn now() -> Moment {
    let micros = jiff::Timestamp::now().as_microsecond();
    // A clock outside the years 0 to 9999 is broken beyond our help; it reads
    // as 1970, which every sender's time is then "too far ahead" of.
    Moment::from_micros(micros).or_else(|| Moment::from_micros(0)).unwrap_or_else(|| unreachable!("1970 is in range"))
}
