//! The contact log: every attempt to deliver, refused ones too.
//!
//! Lines gather in memory and are written once a second, so that the log costs
//! the intake nothing. Attempts that are alike within that second become one
//! line with a count, so that a fast sender does not push everything else out.

use crate::live::Hub;
use lantern_api::{Contact, ContactDetails, ContactEvent, RefusedValue};
use lantern_core::Moment;
use lantern_store::{Caller, NewContact, Store, StoreError};
use std::collections::{HashMap, HashSet};
use std::sync::{Mutex, PoisonError};

/// Lines that may wait to be written; beyond it they are counted and dropped.
const MAX_PENDING: usize = 5_000;
/// Bytes of a payload that are kept.
pub(crate) const PAYLOAD_KEPT: usize = 2_048;

/// One attempt.
pub(crate) struct Attempt {
    pub(crate) caller: Caller,
    /// The device's code, for live events.
    pub(crate) device: Option<String>,
    pub(crate) at: Moment,
    pub(crate) details: ContactDetails,
    pub(crate) payload: Option<Vec<u8>>,
}

/// The lines that are not written yet.
#[derive(Default)]
pub(crate) struct Contacts {
    inner: Mutex<Inner>,
}

#[derive(Default)]
struct Inner {
    pending: Vec<Attempt>,
    /// Where the last line of each caller is.
    last: HashMap<Caller, usize>,
    dropped: u64,
    /// Callers with new lines since the log was last trimmed.
    touched: HashSet<Caller>,
}

/// Whether two attempts differ only in time and numbers. The sentence of a
/// refusal holds values; its name and code tell it.
fn are_alike(a: &ContactDetails, b: &ContactDetails) -> bool {
    let refusal = |(a, b): (&RefusedValue, &RefusedValue)| a.name == b.name && a.code == b.code;
    a.outcome == b.outcome
        && a.protocol == b.protocol
        && a.from == b.from
        && a.topic == b.topic
        && a.dialect == b.dialect
        && a.waiting == b.waiting
        && a.remarks == b.remarks
        && a.refused.len() == b.refused.len()
        && a.refused.iter().zip(&b.refused).all(refusal)
}

impl Contacts {
    /// Notes an attempt.
    pub(crate) fn note(&self, attempt: Attempt) {
        let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(&index) = inner.last.get(&attempt.caller)
            && let Some(line) = inner.pending.get_mut(index)
            && are_alike(&line.details, &attempt.details)
        {
            let (sum, more) = (&mut line.details, attempt.details);
            sum.times += more.times;
            sum.bytes += more.bytes;
            sum.kept += more.kept;
            sum.repeated += more.repeated;
            sum.corrected += more.corrected;
            sum.ignored += more.ignored;
            sum.refused_count += more.refused_count;
            sum.refused = more.refused;
            line.at = attempt.at;
            line.payload = attempt.payload;
            return;
        }
        if inner.pending.len() >= MAX_PENDING {
            inner.dropped += 1;
            return;
        }
        let index = inner.pending.len();
        inner.last.insert(attempt.caller, index);
        inner.pending.push(attempt);
    }

    /// Writes and tells what was noted since the last time.
    pub(crate) async fn flush(&self, store: &Store, hub: &Hub) -> Result<(), StoreError> {
        let (pending, dropped) = {
            let mut inner = self.inner.lock().unwrap_or_else(PoisonError::into_inner);
            inner.last.clear();
            let pending = std::mem::take(&mut inner.pending);
            inner.touched.extend(pending.iter().map(|attempt| attempt.caller));
            (pending, std::mem::take(&mut inner.dropped))
        };
        if dropped > 0 {
            tracing::warn!(dropped, "more attempts to deliver than the contact log takes");
        }
        if pending.is_empty() {
            return Ok(());
        }
        let mut lines = Vec::with_capacity(pending.len());
        for attempt in pending {
            let details = serde_json::to_string(&attempt.details).unwrap_or_default();
            if let (Some(device), Some(site)) = (attempt.device, attempt.caller.site()) {
                let contact = contact(attempt.at, attempt.details, attempt.payload.as_deref());
                hub.contact(site, &ContactEvent { device, contact });
            }
            lines.push(NewContact { caller: attempt.caller, at: attempt.at, details, payload: attempt.payload });
        }
        store.add_contacts(&lines).await
    }

    /// Deletes what has become too much or too old.
    pub(crate) async fn trim(&self, store: &Store, now: Moment) -> Result<(), StoreError> {
        let touched = std::mem::take(&mut self.inner.lock().unwrap_or_else(PoisonError::into_inner).touched);
        let touched: Vec<Caller> = touched.into_iter().collect();
        if touched.is_empty() { Ok(()) } else { store.trim_contacts(&touched, now).await }
    }
}

/// A line as it is shown.
pub(crate) fn contact(at: Moment, details: ContactDetails, payload: Option<&[u8]>) -> Contact {
    let payload = payload.map(|bytes| match std::str::from_utf8(bytes) {
        Ok(text) => text.to_owned(),
        // What is no text is shown as digits, as it would be in a manual.
        Err(_) => bytes.iter().map(|byte| format!("{byte:02x}")).collect::<Vec<_>>().join(" "),
    });
    Contact { at: at.to_string(), details, payload }
}

#[cfg(test)]
mod tests {
    use super::*;
    use lantern_core::{DeviceId, SiteId};

    fn attempt(device: i64, kept: u64, dialect: &str) -> Attempt {
        Attempt {
            caller: Caller::Device(SiteId(1), DeviceId(device)),
            device: Some("tower".to_owned()),
            at: crate::clock::now(),
            details: ContactDetails {
                kept,
                bytes: 10,
                times: 1,
                dialect: Some(dialect.to_owned()),
                ..ContactDetails::default()
            },
            payload: None,
        }
    }

    #[test]
    fn attempts_alike_become_one_line() {
        let contacts = Contacts::default();
        for (device, kept, dialect) in [(1, 2, "JSON"), (1, 3, "JSON"), (2, 1, "JSON"), (1, 1, "CSV"), (1, 1, "JSON")] {
            contacts.note(attempt(device, kept, dialect));
        }
        let inner = contacts.inner.lock().unwrap();
        let lines: Vec<_> = inner.pending.iter().map(|a| (a.details.times, a.details.kept, a.details.bytes)).collect();
        assert_eq!(lines, [(2, 5, 20), (1, 1, 10), (1, 1, 10), (1, 1, 10)]);
    }

    #[test]
    fn a_flood_is_bounded() {
        let contacts = Contacts::default();
        (0..2 * MAX_PENDING as i64).for_each(|device| contacts.note(attempt(device, 1, "JSON")));
        let inner = contacts.inner.lock().unwrap();
        assert_eq!((inner.pending.len(), inner.dropped), (MAX_PENDING, MAX_PENDING as u64));
    }
}
