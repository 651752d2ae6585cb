//! The last two hours of signals in a few means, for the small pictures beside last values.
//!
//! A trace that was read is kept while somebody asks for it, and takes in what is newer than
//! all it has seen. Whatever else comes (late, again, corrected) makes it be read anew, so
//! that nothing counts twice.

use lantern_core::series::Buckets;
use lantern_core::{Micros, Moment, Reading, SignalId, Value};
use lantern_store::{Store, StoreError};
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Width of a bucket, in microseconds.
const WIDTH: i64 = 120_000_000;
/// Buckets of a trace.
const BUCKETS: i64 = 60;
/// A trace for which nobody has asked for so long is forgotten, in seconds.
const KEPT_S: f64 = 600.0;

/// Traces of the signals that somebody looks at.
pub(crate) struct Traces {
    store: Arc<Store>,
    inner: Mutex<Inner>,
}

#[derive(Default)]
struct Inner {
    kept: HashMap<SignalId, Kept>,
    /// Signals that are being read, and whether anything came for them meanwhile.
    reading: HashMap<SignalId, bool>,
    swept: Option<Moment>,
}

struct Kept {
    /// Sum and count of the good numbers of a bucket.
    buckets: BTreeMap<i64, (f64, u64)>,
    /// The newest time it has seen, in microseconds since 1970.
    newest: i64,
    asked: Moment,
}

/// A run of means.
#[derive(Debug, Clone, PartialEq)]
pub struct Means {
    /// Start of the first bucket.
    pub from: Moment,
    /// Width of a bucket, in seconds.
    pub width_s: f64,
    /// One mean for each bucket; `None` where nothing was heard.
    pub means: Vec<Option<f64>>,
}

impl Kept {
    /// Takes a reading in; `false` if the trace has to be read anew.
    fn take(&mut self, reading: &Reading) -> bool {
        let at = reading.at.as_micros();
        if at <= self.newest {
            return false;
        }
        self.newest = at;
        if let (true, Value::Number(number)) = (reading.quality.is_good(), &reading.value) {
            let bucket = self.buckets.entry(at.div_euclid(WIDTH)).or_default();
            *bucket = (bucket.0 + number, bucket.1 + 1);
            // Readings ahead of time wait for theirs; what is too old goes.
            while self.buckets.len() > 2 * BUCKETS as usize {
                self.buckets.pop_first();
            }
        }
        true
    }

    fn means(&self, now: Moment) -> Means {
        let first = first_bucket(now);
        let mean = |bucket| self.buckets.get(&bucket).map(|(sum, count)| sum / *count as f64);
        Means {
            from: start(first, now),
            width_s: WIDTH as f64 / 1e6,
            means: (first..first + BUCKETS).map(mean).collect(),
        }
    }
}

impl Traces {
    /// Nothing is known yet.
    pub(crate) fn new(store: Arc<Store>) -> Self {
        Self { store, inner: Mutex::default() }
    }

    fn inner(&self) -> MutexGuard<'_, Inner> {
        self.inner.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes in readings that have been kept.
    pub(crate) fn note(&self, readings: &[Reading]) {
        let mut inner = self.inner();
        if inner.kept.is_empty() && inner.reading.is_empty() {
            return;
        }
        for reading in readings {
            if let Some(touched) = inner.reading.get_mut(&reading.signal) {
                *touched = true;
            }
            if let Some(kept) = inner.kept.get_mut(&reading.signal)
                && !kept.take(reading)
            {
                inner.kept.remove(&reading.signal);
            }
        }
    }

    /// The last two hours of a signal.
    ///
    /// # Errors
    /// [`StoreError`].
    pub(crate) async fn of(&self, signal: SignalId, now: Moment) -> Result<Means, StoreError> {
        {
            let mut inner = self.inner();
            inner.sweep(now);
            if let Some(kept) = inner.kept.get_mut(&signal) {
                kept.asked = now;
                return Ok(kept.means(now));
            }
            inner.reading.entry(signal).or_insert(false);
        }
        let read = self.read(signal, now).await;
        let mut inner = self.inner();
        let is_whole = inner.reading.remove(&signal) == Some(false);
        let kept = read?;
        let means = kept.means(now);
        if is_whole {
            inner.kept.insert(signal, kept);
        }
        Ok(means)
    }

    async fn read(&self, signal: SignalId, now: Moment) -> Result<Kept, StoreError> {
        let from = start(first_bucket(now), now);
        let buckets = self.store.summaries(signal, from, Moment::MAX, Buckets::Even(WIDTH)).await?;
        let newest = buckets.iter().map(|bucket| bucket.summary.last_at).max();
        let newest = newest.unwrap_or(i64::MIN).max(from.as_micros() - 1);
        let sums = buckets.iter().map(|bucket| {
            let count = bucket.summary.count;
            (bucket.start.div_euclid(WIDTH), (bucket.summary.mean() * count as f64, count))
        });
        Ok(Kept { buckets: sums.collect(), newest, asked: now })
    }

    /// Forgets a signal that was removed, or whose readings changed.
    pub(crate) fn forget(&self, signal: SignalId) {
        let mut inner = self.inner();
        inner.kept.remove(&signal);
        if let Some(touched) = inner.reading.get_mut(&signal) {
            *touched = true;
        }
    }
}

impl Inner {
    fn sweep(&mut self, now: Moment) {
        if self.swept.is_some_and(|swept| now.seconds_since(swept).abs() < KEPT_S / 10.0) {
            return;
        }
        self.swept = Some(now);
        self.kept.retain(|_, kept| now.seconds_since(kept.asked).abs() < KEPT_S);
    }
}

fn first_bucket(now: Moment) -> i64 {
    now.as_micros().div_euclid(WIDTH) - (BUCKETS - 1)
}

fn start(bucket: i64, now: Moment) -> Moment {
    now + Micros(bucket * WIDTH - now.as_micros())
}
