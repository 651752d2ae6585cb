//! Values that are read once for all who ask, and kept until something changes.

use std::collections::HashMap;
use std::hash::Hash;
use std::sync::{Arc, PoisonError, RwLock};
use tokio::sync::OnceCell;

/// Values by key. Whoever asks for one that is not there waits for the one who is reading
/// it already. What was forgotten while it was being read is not kept.
pub(crate) struct Shared<K, V> {
    cells: RwLock<HashMap<K, Arc<OnceCell<V>>>>,
}

impl<K, V> Default for Shared<K, V> {
    fn default() -> Self {
        Self { cells: RwLock::default() }
    }
}

impl<K: Eq + Hash + Clone, V: Clone> Shared<K, V> {
    /// The value of a key, read by `read` if it is not there. A failure is given to all who
    /// wait for it and not kept.
    pub(crate) async fn get<E, R>(&self, key: &K, read: impl FnOnce() -> R) -> Result<V, E>
    where
        R: Future<Output = Result<V, E>>,
    {
        match self.peek(key) {
            Some(value) => Ok(value),
            // What reads is large. Whoever waits for a value should not have to make room
            // for it each time, when it is hardly ever needed.
            None => Box::pin(self.read(key, read())).await,
        }
    }

    async fn read<E>(&self, key: &K, read: impl Future<Output = Result<V, E>>) -> Result<V, E> {
        let cell = {
            let mut cells = self.cells.write().unwrap_or_else(PoisonError::into_inner);
            cells.entry(key.clone()).or_default().clone()
        };
        let result = cell.get_or_try_init(|| read).await.cloned();
        if result.is_err() {
            self.drop_empty(key, &cell);
        }
        result
    }

    fn peek(&self, key: &K) -> Option<V> {
        self.cells.read().unwrap_or_else(PoisonError::into_inner).get(key)?.get().cloned()
    }

    /// Whoever asks for what is not there must not fill the memory with empty cells.
    fn drop_empty(&self, key: &K, cell: &Arc<OnceCell<V>>) {
        let mut cells = self.cells.write().unwrap_or_else(PoisonError::into_inner);
        if cells.get(key).is_some_and(|known| Arc::ptr_eq(known, cell) && !known.initialized()) {
            cells.remove(key);
        }
    }

    /// Forgets the value of a key.
    pub(crate) fn forget(&self, key: &K) {
        self.cells.write().unwrap_or_else(PoisonError::into_inner).remove(key);
    }

    /// Forgets all values but those that `keep` says stay, and whatever is being read.
    pub(crate) fn retain(&self, keep: impl Fn(&K, &V) -> bool) {
        let mut cells = self.cells.write().unwrap_or_else(PoisonError::into_inner);
        cells.retain(|key, cell| cell.get().is_some_and(|value| keep(key, value)));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicU32, Ordering};

    #[tokio::test]
    async fn all_who_ask_at_once_wait_for_one_reading() {
        let shared = Shared::<u8, u32>::default();
        let reads = AtomicU32::new(0);
        let read = || async {
            let count = reads.fetch_add(1, Ordering::Relaxed);
            tokio::task::yield_now().await;
            Ok::<_, ()>(count)
        };
        let (a, b) = tokio::join!(shared.get(&1, read), shared.get(&1, read));
        assert_eq!((a, b, reads.load(Ordering::Relaxed)), (Ok(0), Ok(0), 1));
        assert_eq!(shared.get(&2, read).await, Ok(1));
    }

    #[tokio::test]
    async fn what_is_forgotten_while_it_is_read_is_not_kept() {
        let shared = Shared::<u8, u32>::default();
        let read = || async {
            shared.forget(&1);
            Ok::<_, ()>(7)
        };
        assert_eq!(shared.get(&1, read).await, Ok(7));
        assert_eq!(shared.get(&1, || async { Ok::<_, ()>(8) }).await, Ok(8));
        let read = || async {
            shared.retain(|_, _| true);
            Ok::<_, ()>(1)
        };
        assert_eq!(shared.get(&2, read).await, Ok(1));
        assert_eq!(shared.get(&2, || async { Ok::<_, ()>(2) }).await, Ok(2), "it may be of before the change");
        assert_eq!(shared.get(&1, || async { Ok::<_, ()>(9) }).await, Ok(8), "what stays stays");
    }

    #[tokio::test]
    async fn failures_leave_nothing_behind() {
        let shared = Shared::<u8, u32>::default();
        assert_eq!(shared.get(&1, || async { Err("no") }).await, Err("no"));
        assert!(shared.cells.read().unwrap().is_empty());
        assert_eq!(shared.get(&1, || async { Ok::<_, &str>(3) }).await, Ok(3));
    }
}
