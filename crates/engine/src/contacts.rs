//! The contact log: every attempt to deliver, refused ones too.
//!
//! Lines gather in memory and are written once a second, so that the log costs
//! the intake nothing. Attempts that are alike within that second become one
//! line with a count, so that a fast sender does not push everything else out.

use crate::documents;
use crate::live::Live;
use crate::traffic::Traffic;
use lantern_api::{Contact, ContactDetails, ContactEvent, RefusedValue, Remark};
use lantern_core::Moment;
use lantern_store::{Caller, NewContact, Store, StoreError};
use std::collections::{HashMap, HashSet};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Lines that may wait to be written; beyond it they are counted and dropped.
const MAX_PENDING: usize = 5_000;
/// Of these, lines of callers nobody knows: they must not push out those of senders that are known.
const MAX_STRANGERS: usize = 50;
/// Lines of one of their addresses.
const MAX_OF_STRANGER: usize = 4;

/// One attempt.
pub struct Attempt {
    /// Who tried.
    pub caller: Caller,
    /// The device's code, for live events.
    pub device: Option<String>,
    /// When.
    pub at: Moment,
    /// How it went.
    pub details: ContactDetails,
    /// The beginning of the payload, where the device keeps it.
    pub payload: Option<Vec<u8>>,
}

/// The lines that are not written yet.
pub struct Contacts {
    store: Arc<Store>,
    live: Arc<Live>,
    inner: Mutex<Inner>,
}

#[derive(Default)]
struct Inner {
    pending: Vec<Attempt>,
    /// Where the last line of each caller is.
    last: HashMap<Caller, usize>,
    /// Where the lines of each address are from which unknown callers tried.
    strangers: HashMap<String, Vec<usize>>,
    dropped: u64,
    /// What was told to the live stream and could not be written.
    unwritten: Vec<NewContact>,
    /// What came by hour, and is not written yet.
    traffic: Traffic,
    /// Callers with new lines since the log was last trimmed.
    touched: HashSet<Caller>,
}

impl Inner {
    /// Notes an attempt of somebody nobody knows. Whatever an address tries, it has a few lines; and only so
    /// many addresses have any.
    fn note_stranger(&mut self, attempt: Attempt) {
        let lines = self.strangers.get(&attempt.details.from).map_or(&[][..], Vec::as_slice);
        let is_alike =
            |index: &&usize| self.pending.get(**index).is_some_and(|line| are_alike(&line.details, &attempt.details));
        let full = lines.last().filter(|_| lines.len() >= MAX_OF_STRANGER);
        if let Some(&index) = lines.iter().find(is_alike).or(full) {
            let line = &mut self.pending[index];
            let times = line.details.times + attempt.details.times;
            let bytes = line.details.bytes + attempt.details.bytes;
            *line = Attempt { details: ContactDetails { times, bytes, ..attempt.details }, ..attempt };
            return;
        }
        let of_strangers: usize = self.strangers.values().map(Vec::len).sum();
        if of_strangers >= MAX_STRANGERS || self.pending.len() >= MAX_PENDING {
            self.dropped += 1;
            return;
        }
        self.strangers.entry(attempt.details.from.clone()).or_default().push(self.pending.len());
        self.pending.push(attempt);
    }

    /// Counts what a device that is known delivered, or tried to.
    fn count(&mut self, attempt: &Attempt) {
        if let Some(device) = attempt.caller.device() {
            self.traffic.note(device, attempt.at, &attempt.details);
        }
    }
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
    /// Nothing was noted yet.
    #[must_use]
    pub fn new(store: Arc<Store>, live: Arc<Live>) -> Self {
        Self { store, live, inner: Mutex::default() }
    }

    fn inner(&self) -> MutexGuard<'_, Inner> {
        self.inner.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Notes an attempt.
    pub fn note(&self, attempt: Attempt) {
        let mut inner = self.inner();
        if attempt.caller == Caller::Unknown {
            inner.note_stranger(attempt);
            return;
        }
        if let Some(&index) = inner.last.get(&attempt.caller)
            && let Some(line) = inner.pending.get_mut(index)
            && are_alike(&line.details, &attempt.details)
        {
            let (sum, more) = (&mut line.details, attempt.details);
            sum.times += more.times;
            sum.bytes += more.bytes;
            sum.kept += more.kept;
            sum.oldest_s = sum.oldest_s.max(more.oldest_s);
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
            inner.count(&attempt);
            return;
        }
        let index = inner.pending.len();
        inner.last.insert(attempt.caller, index);
        inner.pending.push(attempt);
    }

    /// Tells the live stream what was noted since the last time, and writes it. What could
    /// not be written is kept for the next time.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn flush(&self) -> Result<(), StoreError> {
        let (pending, dropped, mut lines) = {
            let mut inner = self.inner();
            inner.last.clear();
            inner.strangers.clear();
            let pending = std::mem::take(&mut inner.pending);
            inner.touched.extend(pending.iter().map(|attempt| attempt.caller));
            for attempt in &pending {
                inner.count(attempt);
            }
            (pending, std::mem::take(&mut inner.dropped), std::mem::take(&mut inner.unwritten))
        };
        if dropped > 0 {
            tracing::warn!(dropped, "more attempts to deliver than the contact log takes");
        }
        lines.extend(pending.into_iter().filter_map(|attempt| self.tell(attempt)));
        if lines.is_empty() {
            return Ok(());
        }
        let written = self.store.add_contacts(&lines).await;
        if written.is_err() {
            let mut inner = self.inner();
            let over = lines.len().saturating_sub(MAX_PENDING);
            inner.dropped += over as u64;
            lines.drain(..over);
            inner.unwritten = lines;
        }
        written
    }

    /// Tells the live stream of an attempt, and gives the line to be written.
    fn tell(&self, attempt: Attempt) -> Option<NewContact> {
        let details = documents::write(&attempt.details);
        if let (Some(device), Some(site)) = (attempt.device, attempt.caller.site()) {
            let contact = contact(attempt.at, attempt.details, attempt.payload.as_deref());
            self.live.contact(site, &ContactEvent { device, contact });
        }
        match details {
            Ok(details) => {
                Some(NewContact { caller: attempt.caller, at: attempt.at, details, payload: attempt.payload })
            }
            Err(damaged) => {
                tracing::error!(%damaged, "a line of the contact log could not be written");
                None
            }
        }
    }

    /// Writes what came by hour. What could not be written is kept for the next time.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn flush_traffic(&self, now: Moment) -> Result<(), StoreError> {
        let traffic = std::mem::take(&mut self.inner().traffic);
        let hours = traffic.hours();
        if hours.is_empty() {
            return Ok(());
        }
        let written = self.store.add_traffic(&hours, now).await;
        if written.is_err() {
            self.inner().traffic.take(traffic);
        }
        written
    }

    /// Deletes what has become too much or too old.
    ///
    /// # Errors
    /// [`StoreError::Database`].
    pub async fn trim(&self, now: Moment) -> Result<(), StoreError> {
        let touched: Vec<Caller> = self.inner().touched.iter().copied().collect();
        if touched.is_empty() {
            return Ok(());
        }
        self.store.trim_contacts(&touched, now).await?;
        let mut inner = self.inner();
        for caller in &touched {
            inner.touched.remove(caller);
        }
        Ok(())
    }
}

/// A line that was kept, as it is shown.
#[must_use]
pub fn kept(line: &lantern_store::Contact) -> Contact {
    let details = documents::read(&line.details).unwrap_or_else(|damaged: documents::Damaged| ContactDetails {
        remarks: vec![Remark { code: "damaged".to_owned(), detail: damaged.to_string() }],
        ..ContactDetails::default()
    });
    contact(line.at, details, line.payload.as_deref())
}

/// A line as it is shown.
fn contact(at: Moment, details: ContactDetails, payload: Option<&[u8]>) -> Contact {
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

    async fn contacts(dir: &std::path::Path) -> Contacts {
        Contacts::new(Arc::new(Store::open(dir).await.unwrap()), Arc::new(Live::new()))
    }

    #[tokio::test]
    async fn attempts_alike_become_one_line() {
        let dir = tempfile::tempdir().unwrap();
        let contacts = contacts(dir.path()).await;
        for (device, kept, dialect) in [(1, 2, "JSON"), (1, 3, "JSON"), (2, 1, "JSON"), (1, 1, "CSV"), (1, 1, "JSON")] {
            contacts.note(attempt(device, kept, dialect));
        }
        let inner = contacts.inner.lock().unwrap();
        let lines: Vec<_> = inner.pending.iter().map(|a| (a.details.times, a.details.kept, a.details.bytes)).collect();
        assert_eq!(lines, [(2, 5, 20), (1, 1, 10), (1, 1, 10), (1, 1, 10)]);
    }

    #[tokio::test]
    async fn strangers_have_a_few_lines_for_each_address_and_push_nobody_out() {
        let dir = tempfile::tempdir().unwrap();
        let contacts = contacts(dir.path()).await;
        let stranger = |from: u32, protocol: &str| {
            let details = ContactDetails {
                from: format!("192.0.2.{from}"),
                protocol: protocol.to_owned(),
                times: 1,
                ..ContactDetails::default()
            };
            Attempt { caller: Caller::Unknown, device: None, details, ..attempt(0, 0, "") }
        };
        // GET and POST in turn are two lines, and what else it tries is no line more than a few.
        (0..1_000).for_each(|n| contacts.note(stranger(1, if n % 2 == 0 { "http" } else { "https" })));
        (0..1_000).for_each(|n| contacts.note(stranger(2, &format!("protocol {n}"))));
        (3..2 * MAX_PENDING as u32).for_each(|n| contacts.note(stranger(n, "http")));
        contacts.note(attempt(1, 1, "JSON"));
        let inner = contacts.inner.lock().unwrap();
        assert_eq!(inner.pending.len(), MAX_STRANGERS + 1);
        let times: Vec<_> = inner.pending.iter().take(7).map(|line| line.details.times).collect();
        assert_eq!(times, [500, 500, 1, 1, 1, 997, 1]);
        assert!(inner.pending.last().unwrap().device.is_some(), "a known sender is noted");
    }

    #[tokio::test]
    async fn a_flood_is_bounded() {
        let dir = tempfile::tempdir().unwrap();
        let contacts = contacts(dir.path()).await;
        (0..2 * MAX_PENDING as i64).for_each(|device| contacts.note(attempt(device, 1, "JSON")));
        let inner = contacts.inner.lock().unwrap();
        assert_eq!((inner.pending.len(), inner.dropped), (MAX_PENDING, MAX_PENDING as u64));
    }

    #[tokio::test]
    async fn what_could_not_be_written_is_written_later() {
        let dir = tempfile::tempdir().unwrap();
        let contacts = contacts(dir.path()).await;
        contacts.note(attempt(1, 1, "JSON"));
        contacts.store.close().await;
        assert!(contacts.flush().await.is_err());
        assert!(contacts.trim(Moment::EPOCH).await.is_err());
        let Contacts { store, live, inner } = contacts;
        // The directory is locked for as long as the store is there.
        drop(store);
        let again = Contacts { store: Arc::new(Store::open(dir.path()).await.unwrap()), live, inner };
        again.note(attempt(2, 1, "CSV"));
        again.flush().await.unwrap();
        let caller = |device| Caller::Device(SiteId(1), DeviceId(device));
        for (device, dialect) in [(1, "JSON"), (2, "CSV")] {
            let lines = again.store.contacts(caller(device), i64::MAX, 10).await.unwrap();
            let shown: Vec<_> = lines.iter().map(|line| kept(line).details.dialect).collect();
            assert_eq!(shown, [Some(dialect.to_owned())]);
        }
    }

    #[test]
    fn a_damaged_line_says_so() {
        let line = lantern_store::Contact { id: 1, at: Moment::EPOCH, details: "{".to_owned(), payload: None };
        assert_eq!(kept(&line).details.remarks[0].code, "damaged");
    }
}
