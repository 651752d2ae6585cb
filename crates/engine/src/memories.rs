//! What meanings remember from value to value.
//!
//! It lies in memory, and what stateful steps remember is kept with the readings it
//! came from. Deliveries are converted and put into the recorder's queue in one go,
//! so that what is kept last is what was remembered last. Sites do not wait for each other.

use crate::documents;
use crate::problem::Problem;
use lantern_core::meaning::{Memory, SignalMeaning};
use lantern_core::{Moment, SignalId, SiteId, screen};
use lantern_store::{Order, Page, Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, RwLock};
use tokio::sync::{OwnedRwLockReadGuard, OwnedSemaphorePermit, RwLock as Gate, RwLockWriteGuard, Semaphore};

/// Readings from which a screen recalls what it had seen before a time.
const RECALLED: u32 = 200;
/// Deliveries of one site that may be under way or wait; more are told to come again.
const INBOX: usize = 4_096;

/// What the meanings of all signals remember, site by site.
#[derive(Default)]
pub(crate) struct Memories {
    sites: RwLock<HashMap<SiteId, Arc<SiteMemories>>>,
}

impl Memories {
    /// Those of a site.
    pub(crate) fn site(&self, site: SiteId) -> Arc<SiteMemories> {
        if let Some(known) = self.sites.read().unwrap_or_else(PoisonError::into_inner).get(&site) {
            return known.clone();
        }
        self.sites.write().unwrap_or_else(PoisonError::into_inner).entry(site).or_default().clone()
    }

    /// Forgets signals whose meaning or readings have changed.
    pub(crate) fn forget(&self, site: SiteId, signals: impl IntoIterator<Item = SignalId>) {
        self.site(site).forget(signals);
    }

    /// Forgets a site.
    pub(crate) fn forget_site(&self, site: SiteId) {
        self.sites.write().unwrap_or_else(PoisonError::into_inner).remove(&site);
    }
}

/// What the meanings of a site's signals remember.
pub(crate) struct SiteMemories {
    known: Mutex<HashMap<SignalId, Memory>>,
    /// Deliveries hold it to read while they are given their meaning and recorded;
    /// whoever holds it to write knows that none is under way.
    gate: Arc<Gate<()>>,
    inbox: Arc<Semaphore>,
}

impl Default for SiteMemories {
    fn default() -> Self {
        Self { known: Mutex::default(), gate: Arc::default(), inbox: Arc::new(Semaphore::new(INBOX)) }
    }
}

/// The right of a delivery to be given its meaning and recorded.
pub(crate) struct Pass {
    _gate: OwnedRwLockReadGuard<()>,
    _place: OwnedSemaphorePermit,
}

impl SiteMemories {
    /// Lets a delivery pass, unless too many wait already: while its pass is held, nobody
    /// makes histories of this site again.
    ///
    /// # Errors
    /// [`Problem::busy`].
    pub(crate) async fn enter(&self) -> Result<Pass, Problem> {
        let place = self.inbox.clone().try_acquire_owned().map_err(|_| Problem::busy())?;
        Ok(Pass { _gate: self.gate.clone().read_owned().await, _place: place })
    }

    /// Waits until no delivery is under way and keeps new ones waiting.
    pub(crate) async fn close(&self) -> RwLockWriteGuard<'_, ()> {
        self.gate.write().await
    }

    pub(crate) fn lock(&self) -> MutexGuard<'_, HashMap<SignalId, Memory>> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Makes sure that a signal's memory is there.
    pub(crate) async fn load(&self, store: &Store, meaning: &SignalMeaning) -> Result<(), StoreError> {
        if self.lock().contains_key(&meaning.signal) {
            return Ok(());
        }
        let memory = Box::pin(recall(store, meaning)).await?;
        // What came in meanwhile is newer.
        self.lock().entry(meaning.signal).or_insert(memory);
        Ok(())
    }

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
    if !meaning.checked.conversion_remembers() {
        return recall_screen(store, meaning.signal, Moment::MAX).await;
    }
    let Some(bytes) = store.memory(meaning.signal).await? else { return Ok(Memory::default()) };
    let text = std::str::from_utf8(&bytes).map_err(|error| StoreError::Damaged(error.into()))?;
    documents::read(text).map_err(|damaged| StoreError::Damaged(damaged.into()))
}

/// What the last readings before a time tell a screen.
pub(crate) async fn recall_screen(store: &Store, signal: SignalId, to: Moment) -> Result<Memory, StoreError> {
    let page = Page { signal, from: Moment::MIN, to, limit: RECALLED, order: Order::Descending };
    let last = store.points(page).await?;
    let in_order = || last.iter().rev();
    let is_position = last.first().is_some_and(|point| point.value.as_fix().is_some());
    let screen = if is_position {
        let fixes = in_order().filter_map(|point| Some((point.at.as_micros(), point.value.as_fix()?, point.quality)));
        screen::Memory::recall_fixes(fixes)
    } else {
        let numbers =
            in_order().filter_map(|point| Some((point.at.as_micros(), point.value.as_number()?, point.quality)));
        screen::Memory::recall(numbers)
    };
    Ok(Memory { screen, ..Memory::default() })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn too_many_deliveries_of_one_site_are_told_to_come_again() {
        let memories = Memories::default();
        let site = memories.site(SiteId(1));
        let mut passes = Vec::new();
        for _ in 0..INBOX {
            passes.push(site.enter().await.unwrap());
        }
        assert_eq!(site.enter().await.err().map(|problem| problem.code), Some("busy"));
        assert!(memories.site(SiteId(2)).enter().await.is_ok(), "other sites do not wait");
        passes.pop();
        assert!(site.enter().await.is_ok());
    }

    #[tokio::test]
    async fn deliveries_wait_while_histories_are_made_again() {
        let memories = Memories::default();
        let site = memories.site(SiteId(1));
        let closed = site.close().await;
        let waiting = tokio::spawn({
            let site = site.clone();
            async move { site.enter().await.is_ok() }
        });
        tokio::task::yield_now().await;
        assert!(!waiting.is_finished());
        assert!(memories.site(SiteId(2)).enter().await.is_ok(), "other sites do not wait");
        drop(closed);
        assert!(waiting.await.unwrap());
    }
}
