//! The last few readings of each signal, for "now" and the direction of change.

use lantern_core::{Moment, Reading, SignalId, Value, trend};
use lantern_store::{Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// Windows of the last [`trend::WINDOW`] readings by signal.
pub struct Latest {
    store: Arc<Store>,
    windows: Mutex<HashMap<SignalId, Window>>,
}

#[derive(Default)]
struct Window {
    /// In order of time, each time once.
    readings: Vec<(Moment, Value)>,
    /// Whether what was kept before the service started is in it.
    complete: bool,
}

impl Window {
    fn put(&mut self, at: Moment, value: Value) {
        let place = self.readings.partition_point(|(other, _)| *other < at);
        match self.readings.get_mut(place) {
            Some(slot) if slot.0 == at => slot.1 = value,
            _ => self.readings.insert(place, (at, value)),
        }
        if self.readings.len() > trend::WINDOW {
            self.readings.remove(0);
        }
    }
}

impl Latest {
    /// Nothing is known yet.
    #[must_use]
    pub fn new(store: Arc<Store>) -> Self {
        Self { store, windows: Mutex::default() }
    }

    /// Takes in readings that have been kept.
    pub(crate) fn note(&self, readings: &[Reading]) {
        let mut windows = self.windows.lock().unwrap_or_else(PoisonError::into_inner);
        for reading in readings.iter().filter(|reading| reading.quality.is_good()) {
            windows.entry(reading.signal).or_default().put(reading.at, reading.value.clone());
        }
    }

    /// The last readings of a signal, oldest first.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn readings(&self, signal: SignalId) -> Result<Vec<(Moment, Value)>, StoreError> {
        if let Some(window) = self.windows.lock().unwrap_or_else(PoisonError::into_inner).get(&signal)
            && window.complete
        {
            return Ok(window.readings.clone());
        }
        let kept = Box::pin(self.store.last_readings(signal, trend::WINDOW as u32)).await?;
        let mut windows = self.windows.lock().unwrap_or_else(PoisonError::into_inner);
        let window = windows.entry(signal).or_default();
        // What came in meanwhile is newer knowledge than what was read.
        let meanwhile = std::mem::replace(&mut window.readings, kept);
        for (at, value) in meanwhile {
            window.put(at, value);
        }
        window.complete = true;
        Ok(window.readings.clone())
    }

    /// Forgets signals that were removed or changed.
    pub(crate) fn forget(&self, signals: impl IntoIterator<Item = SignalId>) {
        let mut windows = self.windows.lock().unwrap_or_else(PoisonError::into_inner);
        for signal in signals {
            windows.remove(&signal);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_window_keeps_the_newest_in_order() {
        let mut window = Window::default();
        let at = |s: f64| Moment::from_epoch(s).unwrap();
        for second in [5.0, 1.0, 3.0] {
            window.put(at(second), Value::Number(second));
        }
        window.put(at(3.0), Value::Number(33.0));
        let seen: Vec<_> = window.readings.iter().map(|(_, v)| v.clone()).collect();
        assert_eq!(seen, [1.0, 33.0, 5.0].map(Value::Number));
        for second in 10..40 {
            window.put(at(f64::from(second)), Value::Number(0.0));
        }
        assert_eq!(window.readings.len(), trend::WINDOW);
        assert_eq!(window.readings[0].0, at(24.0));
    }
}
