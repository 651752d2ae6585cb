//! What meanings remember from value to value.
//!
//! It lies in memory, and what stateful steps remember is kept with the readings it
//! came from. Deliveries are converted and put into the recorder's queue in one go,
//! so that what is kept last is what was remembered last.

use super::SignalMeaning;
use lantern_core::meaning::Memory;
use lantern_core::{Moment, SignalId, screen};
use lantern_store::{Order, Page, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Mutex, MutexGuard, PoisonError};
use tokio::sync::RwLock;

/// Readings from which a screen recalls what it had seen before a time.
const RECALLED: u32 = 200;

/// What the meanings of all signals remember.
#[derive(Default)]
pub(crate) struct Memories {
    known: Mutex<HashMap<SignalId, Memory>>,
    /// Deliveries hold it to read while they are given their meaning and recorded;
    /// whoever holds it to write knows that none is under way.
    pub(crate) gate: RwLock<()>,
}

impl Memories {
    pub(crate) fn lock(&self) -> MutexGuard<'_, HashMap<SignalId, Memory>> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Makes sure that a signal's memory is there.
    pub(crate) async fn load(&self, store: &Store, meaning: &SignalMeaning) -> Result<(), StoreError> {
        if self.lock().contains_key(&meaning.signal) {
            return Ok(());
        }
        let memory = recall(store, meaning).await?;
        // What came in meanwhile is newer.
        self.lock().entry(meaning.signal).or_insert(memory);
        Ok(())
    }

    /// Forgets signals whose meaning or readings have changed.
    pub(crate) fn forget(&self, signals: impl IntoIterator<Item = SignalId>) {
        let mut known = self.lock();
        for signal in signals {
            known.remove(&signal);
        }
    }

    pub(crate) fn put(&self, signal: SignalId, memory: Memory) {
        self.lock().insert(signal, memory);
    }
}

/// What was kept, or else what the last readings tell a screen.
async fn recall(store: &Store, meaning: &SignalMeaning) -> Result<Memory, StoreError> {
    if meaning.checked.conversion_remembers() {
        let kept = store.memory(meaning.signal).await?;
        return Ok(kept.and_then(|bytes| serde_json::from_slice(&bytes).ok()).unwrap_or_default());
    }
    recall_screen(store, meaning.signal, Moment::MAX).await
}

/// What the last readings before a time tell a screen.
pub(super) async fn recall_screen(store: &Store, signal: SignalId, to: Moment) -> Result<Memory, StoreError> {
    let page = Page { signal, from: Moment::MIN, to, limit: RECALLED, order: Order::Descending };
    let last = store.points(page).await?;
    let seen = last.iter().rev().filter_map(|point| Some((point.at.as_micros(), number(&point.value)?, point.quality)));
    Ok(Memory { screen: screen::Memory::recall(seen), ..Memory::default() })
}

/// Numbers and flags as formulas and screens take them.
pub(crate) fn number(value: &lantern_core::Value) -> Option<f64> {
    match value {
        lantern_core::Value::Number(number) => Some(*number),
        lantern_core::Value::Flag(flag) => Some(f64::from(u8::from(*flag))),
        lantern_core::Value::Text(_) => None,
    }
}
