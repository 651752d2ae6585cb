//! What was sent, and what of it was acknowledged.

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// The numbers one sender has sent. Each is sent once.
#[derive(Debug, Clone, Default)]
pub(crate) struct Ledger(Arc<Mutex<Entries>>);

#[derive(Debug, Default)]
struct Entries {
    sent: u64,
    acknowledged: BTreeSet<u64>,
}

impl Ledger {
    fn entries(&self) -> MutexGuard<'_, Entries> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The next number to send.
    pub(crate) fn next(&self) -> u64 {
        let mut entries = self.entries();
        entries.sent += 1;
        entries.sent - 1
    }

    /// How many were sent.
    pub(crate) fn sent(&self) -> u64 {
        self.entries().sent
    }

    pub(crate) fn acknowledge(&self, number: u64) {
        self.entries().acknowledged.insert(number);
    }

    pub(crate) fn acknowledged(&self) -> BTreeSet<u64> {
        self.entries().acknowledged.clone()
    }

    /// How what is there differs from what was sent.
    pub(crate) fn compare(&self, there: &[u64]) -> Differences {
        let entries = self.entries();
        let unique: BTreeSet<u64> = there.iter().copied().collect();
        Differences {
            sent: entries.sent,
            acknowledged: entries.acknowledged.len() as u64,
            kept: there.len() as u64,
            lost: entries.acknowledged.difference(&unique).copied().collect(),
            doubled: (there.len() - unique.len()) as u64,
            strange: unique.range(entries.sent..).count() as u64,
        }
    }
}

/// How what is there differs from what was sent.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Differences {
    pub(crate) sent: u64,
    pub(crate) acknowledged: u64,
    /// What was not acknowledged may be there or not.
    pub(crate) kept: u64,
    /// Acknowledged, but not there.
    pub(crate) lost: Vec<u64>,
    /// There more than once.
    pub(crate) doubled: u64,
    /// There, but never sent.
    pub(crate) strange: u64,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_lost_doubled_and_strange_is_told_apart() {
        let ledger = Ledger::default();
        for _ in 0..5 {
            let number = ledger.next();
            if number != 3 {
                ledger.acknowledge(number);
            }
        }
        let clean = Differences { sent: 5, acknowledged: 4, kept: 4, ..Differences::default() };
        assert_eq!(ledger.compare(&[0, 1, 2, 4]), clean);
        assert_eq!(ledger.compare(&[0, 1, 2, 3, 4]), Differences { kept: 5, ..clean.clone() });
        let wrong = ledger.compare(&[0, 2, 2, 4, 9]);
        assert_eq!(wrong, Differences { kept: 5, lost: vec![1], doubled: 1, strange: 1, ..clean });
    }
}
