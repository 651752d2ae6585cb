//! How far a sender's clock is off, judged by when its messages arrive.

use crate::median::median;
use crate::{Moment, duration};
use std::collections::VecDeque;

/// How many messages are judged by.
pub const WINDOW: usize = 31;
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

    /// The median of arrival minus sent, in seconds: positive when the clock is
    /// behind (or messages are under way so long). `None` before the third
    /// message. The median, because a message held back says nothing of the
    /// clock.
    #[must_use]
    pub fn median_s(&self) -> Option<f64> {
        if self.seconds.len() < 3 {
            return None;
        }
        median(self.seconds.iter().copied())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_median_withstands_messages_held_back() {
        let now = Moment::from_epoch(1.7e9).unwrap();
        let mut offset = ClockOffset::default();
        for (count, late) in [120.0, 121.0, 86_400.0, 119.0, 120.0].into_iter().enumerate() {
            assert_eq!(offset.median_s().is_some(), count >= 3);
            offset.note(now, now.plus_seconds(-late));
        }
        assert_eq!(offset.median_s(), Some(120.0));
        for _ in 0..WINDOW {
            offset.note(now, now.plus_seconds(3600.0));
        }
        assert_eq!(offset.median_s(), Some(-3600.0), "an hour ahead, and what was before is forgotten");
    }
}
