//! The last values of one signal, as far back as they are needed.

use crate::Micros;
use std::collections::VecDeque;

/// Values of a signal in order of time, those too old for anybody left out.
#[derive(Debug, Clone, Default)]
pub struct History {
    /// How far back, in microseconds.
    keeps: i64,
    /// Time, value, and whether it is good.
    values: VecDeque<(i64, f64, bool)>,
    /// Good ones among them.
    good: usize,
}

impl History {
    /// One that keeps values of so long a time, and the last two good ones
    /// however old.
    #[must_use]
    pub fn keeping(keeps: Micros) -> Self {
        Self { keeps: keeps.0, ..Self::default() }
    }

    /// Takes in the next value; one that is older than the last is put in its place.
    pub fn take(&mut self, at: i64, value: f64, is_good: bool) {
        let place = self.values.partition_point(|(before, ..)| *before < at);
        match self.values.get_mut(place) {
            Some(same) if same.0 == at => {
                self.good = self.good + usize::from(is_good) - usize::from(same.2);
                *same = (at, value, is_good);
            }
            _ => {
                self.good += usize::from(is_good);
                self.values.insert(place, (at, value, is_good));
            }
        }
        let newest = self.values.back().map_or(at, |last| last.0);
        while let Some(&(oldest, _, was_good)) = self.values.front() {
            if newest - oldest <= self.keeps || (was_good && self.good <= 2) {
                break;
            }
            self.good -= usize::from(was_good);
            self.values.pop_front();
        }
    }

    /// The last good value at or before a time.
    #[must_use]
    pub fn last(&self, at: i64) -> Option<(i64, f64)> {
        self.good_before(at).next()
    }

    /// The good value before the last at or before a time.
    #[must_use]
    pub fn before_last(&self, at: i64) -> Option<(i64, f64)> {
        self.good_before(at).nth(1)
    }

    /// The mean of the good values of so many microseconds up to a time.
    #[must_use]
    pub fn mean(&self, at: i64, span: i64) -> Option<f64> {
        let within = self.good_before(at).take_while(|(then, _)| at - then < span);
        let (count, sum) = within.fold((0u32, 0.0), |(count, sum), (_, value)| (count + 1, sum + value));
        (count > 0).then(|| sum / f64::from(count))
    }

    fn good_before(&self, at: i64) -> impl Iterator<Item = (i64, f64)> + '_ {
        let end = self.values.partition_point(|(then, ..)| *then <= at);
        self.values.range(..end).rev().filter(|(.., is_good)| *is_good).map(|(then, value, _)| (*then, *value))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_knows_the_last_and_what_was_before() {
        let mut history = History::keeping(Micros(100));
        for (at, value, is_good) in [(10, 1.0, true), (20, 2.0, true), (30, 99.0, false), (25, 2.5, true)] {
            history.take(at, value, is_good);
        }
        assert_eq!(history.last(9), None);
        assert_eq!(history.last(10), Some((10, 1.0)));
        assert_eq!(history.last(40), Some((25, 2.5)), "what is not good does not count");
        assert_eq!(history.before_last(40), Some((20, 2.0)));
        assert_eq!(history.mean(40, 21), Some(2.25), "those since 20, itself excluded at 21 before");
        assert_eq!(history.mean(40, 10), None);
        history.take(30, 3.0, true);
        assert_eq!(history.last(40), Some((30, 3.0)), "a value that comes again replaces");
    }

    #[test]
    fn what_is_too_old_goes_but_for_the_last_two() {
        let mut history = History::keeping(Micros(50));
        for at in 0..1_000 {
            history.take(at * 10, at as f64, true);
        }
        assert_eq!(history.values.len(), 6);
        history.take(1_000_000, -1.0, true);
        assert_eq!(history.last(999_999), Some((9_990, 999.0)));
        assert_eq!(history.values.len(), 2);
    }
}
