//! How far a sender's clock is off, judged by when its messages arrive.

use crate::{Moment, duration};
use std::collections::VecDeque;

/// How many messages are judged by.
pub const WINDOW: usize = 16;
/// Off by more than this, in seconds, a clock is worth a word.
pub const WORTH_SAYING_S: f64 = 30.0;

/// How far a clock is off that is `offset_s` seconds behind: `5 min behind`.
#[must_use]
pub fn told(offset_s: f64) -> String {
    format!("{} {}", duration(offset_s.abs()), if offset_s > 0.0 { "behind" } else { "ahead" })
}

/// The last differences between arrival and the sender's time.
#[derive(Debug, Clone, Default)]
pub struct ClockOffset {
    seconds: VecDeque<f64>,
}

impl ClockOffset {
    /// Takes a message: when it arrived and the newest time in it.
    pub fn note(&mut self, arrived: Moment, sent: Moment) {
        if self.seconds.len() == WINDOW {
            self.seconds.pop_front();
        }
        self.seconds.push_back(arrived.seconds_since(sent));
    }

    /// Arrival minus sent, in seconds: positive when the clock is behind. `None` before the third
    /// message.
    ///
    /// Messages are only ever held back, so the least of the differences is nearest to the
    /// truth; the second least, because a single time may be a slip. A backlog that is delivered
    /// at once says nothing of the clock, as soon as two messages came in time.
    #[must_use]
    pub fn offset_s(&self) -> Option<f64> {
        let mut seconds: Vec<f64> = self.seconds.iter().copied().collect();
        if seconds.len() < 3 {
            return None;
        }
        seconds.sort_by(f64::total_cmp);
        seconds.get(1).copied()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_withstands_messages_held_back_and_a_slip() {
        let now = Moment::from_epoch(1.7e9).unwrap();
        let mut offset = ClockOffset::default();
        for (count, late) in [120.0, 121.0, 86_400.0, 119.0, 120.0].into_iter().enumerate() {
            assert_eq!(offset.offset_s().is_some(), count >= 3);
            offset.note(now, now.plus_seconds(-late));
        }
        assert_eq!(offset.offset_s(), Some(120.0));
        for _ in 0..WINDOW {
            offset.note(now, now.plus_seconds(3600.0));
        }
        assert_eq!(offset.offset_s(), Some(-3600.0), "an hour ahead, and what was before is forgotten");
    }

    #[test]
    fn a_backlog_says_nothing_of_the_clock() {
        let now = Moment::from_epoch(1.7e9).unwrap();
        let mut offset = ClockOffset::default();
        for hours in (1..=40).rev() {
            offset.note(now, now.plus_seconds(-3_600.0 * f64::from(hours)));
        }
        assert!(offset.offset_s().unwrap() > 3_600.0, "until something comes in time");
        offset.note(now, now.plus_seconds(-1.0));
        offset.note(now, now.plus_seconds(-2.0));
        assert_eq!(offset.offset_s(), Some(2.0));
        offset.note(now, now.plus_seconds(86_400.0));
        assert_eq!(offset.offset_s(), Some(1.0), "one time in the future is a slip");
    }
}
