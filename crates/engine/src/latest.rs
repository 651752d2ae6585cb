//! The last few readings of each signal, for "now" and the direction of change.

use crate::traces::{Means, Traces};
use lantern_core::series::Point;
use lantern_core::{Moment, Reading, SignalId, Value, trend};
use lantern_store::{Order, Page, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Windows of the last [`trend::WINDOW`] readings by signal.
pub struct Latest {
    store: Arc<Store>,
    windows: Mutex<HashMap<SignalId, Window>>,
    traces: Traces,
}

/// The last readings of a signal.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Last {
    /// Good ones, in order of time, each time once.
    pub good: Vec<Point>,
    /// The newest one, if it is newer than those and not good.
    pub doubt: Option<Point>,
}

#[derive(Default)]
struct Window {
    last: Last,
    /// Whether what was kept before the service started is in it.
    complete: bool,
}

impl Last {
    fn put(&mut self, point: Point) {
        if point.quality.is_good() {
            let place = self.good.partition_point(|other| other.at < point.at);
            match self.good.get_mut(place) {
                Some(slot) if slot.at == point.at => *slot = point,
                _ => self.good.insert(place, point),
            }
            if self.good.len() > trend::WINDOW {
                self.good.remove(0);
            }
        } else {
            // A reading that is doubted now may have been taken for good before.
            self.good.retain(|other| other.at != point.at);
            if self.doubt.as_ref().is_none_or(|old| old.at <= point.at) {
                self.doubt = Some(point);
            }
        }
        let newest = self.good.last().map(|point| point.at);
        self.doubt.take_if(|doubt| newest.is_some_and(|newest| newest >= doubt.at));
    }
}

impl Latest {
    /// Nothing is known yet.
    #[must_use]
    pub fn new(store: Arc<Store>) -> Self {
        Self { traces: Traces::new(store.clone()), store, windows: Mutex::default() }
    }

    fn windows(&self) -> MutexGuard<'_, HashMap<SignalId, Window>> {
        self.windows.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes in readings that have been kept.
    pub(crate) fn note(&self, readings: &[Reading]) {
        let mut windows = self.windows();
        for reading in readings {
            windows.entry(reading.signal).or_default().last.put(reading.point());
        }
        drop(windows);
        self.traces.note(readings);
    }

    /// The last readings of a signal.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn last(&self, signal: SignalId) -> Result<Last, StoreError> {
        self.look(signal, Last::clone).await
    }

    /// The last good readings of a signal, oldest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn readings(&self, signal: SignalId) -> Result<Vec<(Moment, Value)>, StoreError> {
        self.look(signal, |last| last.good.iter().map(|point| (point.at, point.value.clone())).collect()).await
    }

    /// The last two hours of a signal in a few means.
    ///
    /// # Errors
    /// [`StoreError`].
    pub async fn trace(&self, signal: SignalId, now: Moment) -> Result<Means, StoreError> {
        self.traces.of(signal, now).await
    }

    async fn look<T>(&self, signal: SignalId, see: impl Fn(&Last) -> T) -> Result<T, StoreError> {
        if let Some(window) = self.windows().get(&signal)
            && window.complete
        {
            return Ok(see(&window.last));
        }
        let kept = Box::pin(self.read(signal)).await?;
        let mut windows = self.windows();
        let window = windows.entry(signal).or_default();
        // What came in meanwhile is newer knowledge than what was read.
        let Last { good, doubt } = std::mem::replace(&mut window.last, kept);
        good.into_iter().chain(doubt).for_each(|point| window.last.put(point));
        window.complete = true;
        Ok(see(&window.last))
    }

    async fn read(&self, signal: SignalId) -> Result<Last, StoreError> {
        let newest = |limit| Page { signal, from: Moment::MIN, to: Moment::MAX, limit, order: Order::Descending };
        let good = self.store.good_points(newest(trend::WINDOW as u32)).await?;
        let mut last = Last::default();
        for point in good.into_iter().rev().chain(self.store.points(newest(1)).await?) {
            last.put(point);
        }
        Ok(last)
    }

    /// Forgets signals that were removed or changed.
    pub(crate) fn forget(&self, signals: impl IntoIterator<Item = SignalId>) {
        for signal in signals {
            self.windows().remove(&signal);
            self.traces.forget(signal);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::quality::{Cause, Quality};

    fn at(seconds: f64) -> Moment {
        Moment::from_epoch(seconds).unwrap()
    }

    fn good(seconds: f64, value: f64) -> Point {
        Point::good(at(seconds), Value::Number(value))
    }

    fn doubted(seconds: f64) -> Point {
        Point { quality: Quality::Suspect(Cause::Jump), ..good(seconds, 99.0) }
    }

    #[test]
    fn a_window_keeps_the_newest_in_order() {
        let mut last = Last::default();
        for second in [5.0, 1.0, 3.0] {
            last.put(good(second, second));
        }
        last.put(good(3.0, 33.0));
        let seen: Vec<_> = last.good.iter().map(|point| point.value.clone()).collect();
        assert_eq!(seen, [1.0, 33.0, 5.0].map(Value::Number));
        for second in 10..40 {
            last.put(good(f64::from(second), 0.0));
        }
        assert_eq!(last.good.len(), trend::WINDOW);
        assert_eq!(last.good[0].at, at(24.0));
    }

    #[test]
    fn a_doubted_reading_stands_until_a_newer_good_one() {
        let mut last = Last::default();
        last.put(good(1.0, 1.0));
        last.put(doubted(3.0));
        last.put(doubted(2.0));
        assert_eq!(last.doubt, Some(doubted(3.0)));
        last.put(good(2.0, 2.0));
        assert_eq!(last.doubt, Some(doubted(3.0)), "an older good one takes nothing back");
        last.put(good(4.0, 4.0));
        assert_eq!(last.doubt, None);
        last.put(doubted(4.0));
        assert_eq!((last.good.last(), last.doubt), (Some(&good(2.0, 2.0)), Some(doubted(4.0))));
    }
}
