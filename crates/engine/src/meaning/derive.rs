//! Working derived signals out.
//!
//! A delivery notes with its readings which derived signals have to be worked out because of
//! them, and for which times. This task works those out from what is recorded, so
//! that a late input and a new formula come to the same as if all had come in
//! order. The note is removed in the transaction that records what came of it.

use super::alongside::last_at;
use super::evaluation::Evaluation;
use super::progress::Running;
use super::recompute::{self, Recompute};
use crate::clock;
use crate::latest::Latest;
use crate::memories::Memories;
use crate::plans::{DevicePlan, Plans};
use crate::problem::Problem;
use crate::publish::Publisher;
use lantern_core::meaning::{Derivation, SignalMeaning, SiteMeanings};
use lantern_core::series::{Point, Run};
use lantern_core::state::StateChange;
use lantern_core::{Moment, Reading, SignalId};
use lantern_store::{DueSpan, Order, Page, Store, StoreError, with_sources};
use std::sync::Arc;
use std::time::Duration;

/// Derived signals that are looked at together.
const LOOK: u32 = 2_000;
/// Readings that are recorded together.
const CHUNK: usize = 5_000;
/// How long to wait after a failure.
const RETRY: Duration = Duration::from_secs(5);

/// Works derived signals out.
pub(crate) struct Deriver {
    pub(crate) store: Arc<Store>,
    pub(crate) plans: Arc<Plans>,
    pub(crate) latest: Arc<Latest>,
    pub(crate) memories: Arc<Memories>,
    pub(crate) publisher: Arc<Publisher>,
    pub(crate) running: Arc<Running>,
    pub(crate) recompute: Arc<Recompute>,
}

/// What came of one look at what there is to work out.
#[derive(Debug, PartialEq, Eq)]
enum Looked {
    /// There was nothing.
    Nothing,
    /// Something was worked out; there may be more.
    Some,
    /// Only such was left as could not be worked out.
    OnlyFailing,
}

impl Deriver {
    /// Works out whatever there is, for ever.
    pub(crate) async fn run(&self) {
        loop {
            match self.look().await {
                Ok(Looked::Some) => {}
                // A delivery, or a job that ends, wakes it.
                Ok(Looked::Nothing) => self.recompute.wait().await,
                Ok(Looked::OnlyFailing) => {
                    let _ = tokio::time::timeout(RETRY, self.recompute.wait()).await;
                }
                Err(error) => {
                    tracing::error!(error = %with_sources(&error), "what is to be worked out could not be read; trying again");
                    tokio::time::sleep(RETRY).await;
                }
            }
        }
    }

    /// Works out each derived signal that is due once. One that cannot be worked out does
    /// not keep the others from it.
    async fn look(&self) -> Result<Looked, StoreError> {
        let mut looked = Looked::Nothing;
        for span in self.store.due_spans(LOOK).await? {
            if self.running.is_working_on(span.signal) {
                continue;
            }
            match self.derive(span).await {
                Ok(()) => looked = Looked::Some,
                Err(problem) => {
                    tracing::error!(signal = %span.signal, %problem, "a derived signal could not be worked out; trying again");
                    if looked == Looked::Nothing {
                        looked = Looked::OnlyFailing;
                    }
                }
            }
        }
        Ok(looked)
    }

    async fn derive(&self, DueSpan { id, signal, from, to }: DueSpan) -> Result<(), Problem> {
        let finished = StateChange::Recomputed { signal, through: id };
        let found = match self.store.signal_by_id(signal).await {
            Ok(found) => found,
            // It was removed meanwhile.
            Err(StoreError::NotFound) => return Ok(self.store.keep(vec![finished]).await?),
            Err(error) => return Err(error.into()),
        };
        let plan = self.plans.device(found.device).await?;
        let meanings = self.plans.meanings(plan.site).await?;
        let Some(meaning) = meanings.get(signal).filter(|meaning| meaning.checked.formula().is_some()) else {
            return Ok(self.store.keep(vec![finished]).await?);
        };
        let to = reaches(&self.store, meaning, to).await?;
        let mut evaluation = Evaluation::new(&self.store, meaning, from, to.next()).await?;
        let memories = self.memories.site(plan.site);
        memories.load(&self.store, meaning).await?;
        let mut memory = memories.lock().get(&signal).cloned().unwrap_or_default();
        let mut reached = from;
        while let Some(run) = evaluation.next(&mut memory, CHUNK).await? {
            let end = last_at(&run).map_or(to, Moment::next);
            self.remove_stale(&meanings, signal, (reached, end), &run).await?;
            reached = end;
            self.record(&meanings, &plan, signal, &run).await?;
        }
        self.remove_stale(&meanings, signal, (reached, to.next()), &Run::default()).await?;
        memories.put(signal, memory);
        Ok(self.store.keep(vec![finished]).await?)
    }

    /// Records what was worked out and tells everybody.
    async fn record(
        &self,
        meanings: &SiteMeanings,
        plan: &Arc<DevicePlan>,
        signal: SignalId,
        run: &Run,
    ) -> Result<(), Problem> {
        let readings: Arc<Vec<Reading>> = Arc::new(run.points().map(|point| Reading::of(signal, point)).collect());
        let changes = recompute::because_of_readings(meanings, &readings);
        self.store.record_with(readings.clone(), changes, clock::now()).await?;
        self.latest.note(&readings);
        self.publisher.readings(plan, &readings, 0..readings.len());
        Ok(())
    }

    /// Deletes what was worked out before for times at which there is no value now, each
    /// stretch of it at once. What depends on it has to be worked out then.
    async fn remove_stale(
        &self,
        meanings: &SiteMeanings,
        signal: SignalId,
        (mut from, to): (Moment, Moment),
        new: &Run,
    ) -> Result<(), Problem> {
        let stays = |point: &Point| new.times().binary_search(&point.at.as_micros()).is_ok();
        loop {
            let page = Page { signal, from, to, limit: CHUNK as u32, order: Order::Ascending };
            let old = self.store.points(page).await?;
            for stretch in old.chunk_by(|a, b| stays(a) == stays(b)) {
                if let (Some(first), Some(last)) = (stretch.first(), stretch.last())
                    && !stays(first)
                {
                    let derived = recompute::because_of(meanings, signal, (first.at, last.at));
                    self.store.delete_readings(signal, (first.at, last.at.next()), derived).await?;
                    self.latest.forget([signal]);
                }
            }
            match old.last() {
                Some(last) if old.len() == CHUNK => from = last.at.next(),
                _ => return Ok(()),
            }
        }
    }
}

/// Up to when readings of a time can make a difference.
async fn reaches(store: &Store, meaning: &SignalMeaning, to: Moment) -> Result<Moment, StoreError> {
    let Some(derivation) = Derivation::new(&meaning.checked) else { return Ok(to) };
    let mut last = to;
    if derivation.looks_at_previous() {
        for signal in &meaning.inputs {
            let page = Page { signal: *signal, from: to.next(), to: Moment::MAX, limit: 1, order: Order::Ascending };
            last = store.good_points(page).await?.into_iter().map(|point| point.at).fold(last, Moment::max);
        }
    }
    Ok(last + derivation.looks_back())
}
