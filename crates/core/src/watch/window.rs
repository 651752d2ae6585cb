//! The lowest and highest value of the last seconds, in bounded memory.

use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// Parts a window is kept in. What it tells may be older than the window by one part.
const PARTS: i64 = 256;

/// What values were in the last so many microseconds, and the one that held when they began.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub(super) struct Window {
    parts: VecDeque<Part>,
    /// The last value before the parts.
    before: Option<f64>,
    /// When the first value of all came.
    begun: Option<i64>,
}

#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
struct Part {
    number: i64,
    low: f64,
    high: f64,
    last: f64,
}

impl Window {
    /// Takes the next value, and forgets what is older than `span` (microseconds).
    pub(super) fn take(&mut self, at: i64, value: f64, span: i64) {
        self.begun.get_or_insert(at);
        let width = (span / PARTS).max(1);
        let number = at.div_euclid(width);
        match self.parts.back_mut().filter(|part| part.number == number) {
            Some(part) => {
                part.low = part.low.min(value);
                part.high = part.high.max(value);
                part.last = value;
            }
            None => self.parts.push_back(Part { number, low: value, high: value, last: value }),
        }
        let oldest = (at - span).div_euclid(width);
        while self.parts.front().is_some_and(|part| part.number < oldest) {
            self.before = self.parts.pop_front().map(|part| part.last);
        }
    }

    /// The lowest and the highest value that held in the window.
    pub(super) fn extremes(&self) -> Option<(f64, f64)> {
        let all = self.parts.iter().map(|part| (part.low, part.high)).chain(self.before.map(|value| (value, value)));
        all.reduce(|(low, high), (other_low, other_high)| (low.min(other_low), high.max(other_high)))
    }

    /// Whether values have come for as long as the window.
    pub(super) fn is_full(&self, at: i64, span: i64) -> bool {
        self.begun.is_some_and(|begun| at - begun >= span)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// It tells no less than what is in the window, and no more than what is in one that is longer by a part.
        #[test]
        fn it_tells_what_was(steps in prop::collection::vec((0..400i64, -50..50i8), 1..300), span in 256..5_000i64) {
            let mut window = Window::default();
            let mut all: Vec<(i64, f64)> = Vec::new();
            let mut at = 0;
            for (wait, value) in steps {
                at += wait;
                all.push((at, f64::from(value)));
                window.take(at, f64::from(value), span);
                let within = |from: i64| {
                    let inside = all.iter().filter(|(time, _)| *time >= from);
                    let held = all.iter().rfind(|(time, _)| *time < from);
                    let values: Vec<f64> = inside.chain(held).map(|(_, value)| *value).collect();
                    (values.iter().copied().fold(f64::INFINITY, f64::min), values.iter().copied().fold(f64::NEG_INFINITY, f64::max))
                };
                let (low, high) = window.extremes().unwrap();
                let (least_low, least_high) = within(at - span);
                prop_assert!(low <= least_low && high >= least_high);
                // At worst the value that held before the part in which the window begins.
                let (most_low, most_high) = within(at - span - span / PARTS - 1);
                prop_assert!(low >= most_low && high <= most_high, "{low} {high} at {at}");
                prop_assert!(window.parts.len() as i64 <= PARTS + 2);
            }
        }
    }
}
