//! The rows of an export, in order of time.

use super::column::Figure;
use super::stretches::Stretches;
use crate::routes::listed::Listed;
use lantern_core::quality::Quality;
use lantern_core::series::{Bucket, Buckets, Run};
use lantern_core::{Moment, SignalId, Value};
use lantern_store::{Scan, Store, StoreError};
use std::collections::{BTreeMap, VecDeque};

/// A value of a row, and how far it can be trusted.
pub(super) struct Given {
    pub(super) value: Value,
    pub(super) quality: Quality,
}

/// Where the rows of an export come from.
pub(super) enum Rows<'a> {
    /// A row for each time with a reading.
    Readings(Vec<Cursor<'a>>),
    /// A row for each stretch of time with a reading.
    Stretches { store: &'a Store, figures: Vec<Figure>, stretches: Stretches, found: VecDeque<StretchRow> },
}

/// What the readings of each signal come to in a stretch of time that begins then.
pub(super) struct StretchRow {
    start: i64,
    buckets: Vec<Option<Bucket>>,
}

impl<'a> Rows<'a> {
    /// A row for each time with a reading; of good ones only, unless `all` are wanted.
    pub(super) fn of_readings(store: &'a Store, signals: &[Listed], span: (Moment, Moment), all: bool) -> Self {
        Self::Readings(signals.iter().map(|listed| Cursor::new(store, listed.signal.id, span, all)).collect())
    }

    /// A row for each stretch of time with a good reading.
    pub(super) fn of_stretches(store: &'a Store, figures: Vec<Figure>, stretches: Stretches) -> Self {
        Self::Stretches { store, figures, stretches, found: VecDeque::new() }
    }

    /// Puts the values of the next row in their columns, as they are wanted, and gives its time.
    pub(super) async fn next(
        &mut self,
        signals: &[Listed],
        values: &mut Vec<Option<Given>>,
    ) -> Result<Option<Moment>, StoreError> {
        values.clear();
        let at = match self {
            Self::Readings(cursors) => next_reading(cursors, signals, values).await?,
            Self::Stretches { store, figures, stretches, found } => {
                while found.is_empty() {
                    let Some(stretch) = stretches.next() else { return Ok(None) };
                    *found = rows_of(store, signals, stretch).await?;
                }
                let Some(row) = found.pop_front() else { return Ok(None) };
                for (bucket, listed) in row.buckets.iter().zip(signals) {
                    values.extend(figures.iter().map(|figure| {
                        let number = figure.of(&bucket.as_ref()?.summary, listed);
                        Some(Given { value: Value::Number(number), quality: Quality::Good })
                    }));
                }
                Some(row.start)
            }
        };
        Ok(at.map(|at| Moment::from_micros(at).unwrap_or(Moment::EPOCH)))
    }
}

async fn next_reading(
    cursors: &mut [Cursor<'_>],
    signals: &[Listed],
    values: &mut Vec<Option<Given>>,
) -> Result<Option<i64>, StoreError> {
    let mut next = None;
    for cursor in &mut *cursors {
        next = match (next, cursor.next_at().await?) {
            (Some(a), Some(b)) => Some(std::cmp::min::<i64>(a, b)),
            (a, b) => a.or(b),
        };
    }
    let Some(at) = next else { return Ok(None) };
    values.extend(cursors.iter_mut().zip(signals).map(|(cursor, listed)| {
        let mut given = cursor.take(at)?;
        if let Value::Number(number) = &mut given.value {
            *number = listed.number(*number);
        }
        Some(given)
    }));
    Ok(Some(at))
}

/// The rows of some stretches of time.
async fn rows_of(
    store: &Store,
    signals: &[Listed],
    (from, to, buckets): (Moment, Moment, Buckets),
) -> Result<VecDeque<StretchRow>, StoreError> {
    let mut rows: BTreeMap<i64, Vec<Option<Bucket>>> = BTreeMap::new();
    for (place, listed) in signals.iter().enumerate() {
        for bucket in store.summaries(listed.signal.id, from, to, buckets.clone()).await? {
            rows.entry(bucket.start).or_insert_with(|| vec![None; signals.len()])[place] = Some(bucket);
        }
    }
    Ok(rows.into_iter().map(|(start, buckets)| StretchRow { start, buckets }).collect())
}

/// One signal's readings, some at a time.
pub(super) struct Cursor<'a> {
    scan: Scan<'a>,
    run: Run,
    place: usize,
    /// Whether readings that are not good are wanted too.
    all: bool,
}

impl<'a> Cursor<'a> {
    fn new(store: &'a Store, signal: SignalId, (from, to): (Moment, Moment), all: bool) -> Self {
        Self { scan: store.scan(signal, from, to), run: Run::default(), place: 0, all }
    }

    /// The time of the next reading that is wanted, in microseconds since 1970.
    async fn next_at(&mut self) -> Result<Option<i64>, StoreError> {
        loop {
            while !self.all && self.place < self.run.len() && !self.run.is_good(self.place) {
                self.place += 1;
            }
            if let Some(at) = self.run.times().get(self.place) {
                return Ok(Some(*at));
            }
            let Some(run) = self.scan.next().await? else { return Ok(None) };
            self.run = run;
            self.place = 0;
        }
    }

    /// The next value, if it is of this time.
    fn take(&mut self, at: i64) -> Option<Given> {
        (self.run.times().get(self.place) == Some(&at)).then(|| {
            self.place += 1;
            let quality = self.run.quality(self.place - 1);
            Given { value: self.run.value(self.place - 1), quality }
        })
    }
}
