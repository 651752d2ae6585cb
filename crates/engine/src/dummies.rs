//! Dummy values that senders were asked for, watched for as readings come in.

use lantern_core::{DeviceId, DeviceState, Moment, Reading, SignalId, Value};
use lantern_store::{DummyTest, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, PoisonError, RwLock};

/// The dummy values that have not come yet.
pub(crate) struct Dummies {
    store: Arc<Store>,
    open: RwLock<HashMap<SignalId, DummyTest>>,
}

impl Dummies {
    /// Reads those of all devices.
    pub(crate) async fn load(store: Arc<Store>) -> Result<Self, StoreError> {
        let dummies = Self { store, open: RwLock::default() };
        let store = &dummies.store;
        let mut after = DeviceId(0);
        loop {
            let page = store.all_devices(after, 1_000).await?;
            let Some(last) = page.last() else { return Ok(dummies) };
            after = last.id;
            for device in page.iter().filter(|d| d.state == DeviceState::Trial) {
                store.dummies(device.id).await?.into_iter().for_each(|test| dummies.watch(test));
            }
        }
    }

    /// Watches for a value.
    pub(crate) fn watch(&self, test: DummyTest) {
        if test.passed_at.is_none() {
            self.open.write().unwrap_or_else(PoisonError::into_inner).insert(test.signal, test);
        }
    }

    /// Forgets removed signals.
    pub(crate) fn forget(&self, signals: &[SignalId]) {
        let mut open = self.open.write().unwrap_or_else(PoisonError::into_inner);
        for signal in signals {
            open.remove(signal);
        }
    }

    /// Looks for values that were asked for; says whether any came.
    pub(crate) async fn check(&self, readings: &[Reading], now: Moment) -> Result<bool, StoreError> {
        if self.open.read().unwrap_or_else(PoisonError::into_inner).is_empty() {
            return Ok(false);
        }
        let passed: Vec<SignalId> = {
            let mut open = self.open.write().unwrap_or_else(PoisonError::into_inner);
            let mut came = Vec::new();
            for reading in readings {
                let fits = |test: &DummyTest| matches!(reading.value, Value::Number(n) if (n - test.expected).abs() <= test.tolerance);
                if open.get(&reading.signal).is_some_and(fits) {
                    open.remove(&reading.signal);
                    came.push(reading.signal);
                }
            }
            came
        };
        for signal in &passed {
            Box::pin(self.store.pass_dummy(*signal, now)).await?;
        }
        Ok(!passed.is_empty())
    }
}
