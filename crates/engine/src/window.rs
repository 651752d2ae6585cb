//! Joining windows: while one is open, a carrier admits devices nobody has declared.

use lantern_core::Moment;
use lantern_store::{Device, KindId};

/// The longest one is open, in minutes.
pub const MAX_WINDOW_MINUTES: f64 = 1_440.0;

/// The open window of a carrier: until when, and of which kind the devices are then. One that ends
/// later than any may was opened before the clock was put back, and is closed.
#[must_use]
pub fn open_window(device: &Device, now: Moment) -> Option<(Moment, Option<KindId>)> {
    device.joining.filter(|(until, _)| (0.0..=MAX_WINDOW_MINUTES * 60.0).contains(&until.seconds_since(now)))
}
