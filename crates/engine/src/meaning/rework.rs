//! Making histories again from what was sent, with the meaning that holds now.

use super::alongside::last_at;
use super::evaluation::Evaluation;
use super::progress::Progress;
use super::recompute::Recompute;
use super::remake::Remake;
use crate::changes::{Change, Changes, Concerned};
use crate::documents;
use crate::memories::{Memories, SiteMemories, recall_screen};
use crate::plans::Plans;
use crate::problem::Problem;
use lantern_core::meaning::{Memory, SignalMeaning, SiteMeanings};
use lantern_core::state::StateChange;
use lantern_core::{Moment, SignalId};
use lantern_store::{Store, StoreError, with_sources};
use std::sync::Arc;

/// Readings that are made at a time, when a formula gives them.
const CHUNK: usize = 8_192;

/// Why a job ended before it was done.
pub(super) enum Ended {
    /// Somebody stopped it.
    Cancelled,
    /// It could not go on.
    Failed(String),
}

impl From<StoreError> for Ended {
    fn from(error: StoreError) -> Self {
        Self::Failed(with_sources(&error))
    }
}

impl From<documents::Damaged> for Ended {
    fn from(damaged: documents::Damaged) -> Self {
        Self::Failed(damaged.to_string())
    }
}

impl From<Problem> for Ended {
    fn from(problem: Problem) -> Self {
        Self::Failed(problem.detail.clone())
    }
}

/// Makes histories again.
pub(crate) struct Reworker {
    pub(crate) store: Arc<Store>,
    pub(crate) plans: Arc<Plans>,
    pub(crate) memories: Arc<Memories>,
    pub(crate) changes: Arc<Changes>,
    pub(crate) recompute: Arc<Recompute>,
}

/// One signal whose history is made again.
struct Task<'a> {
    signal: SignalId,
    meaning: Option<&'a SignalMeaning>,
    memories: &'a SiteMemories,
    progress: &'a Progress,
}

impl Reworker {
    /// Makes a signal's history again from a time on and before another, then those of
    /// all signals that depend on it.
    pub(super) async fn all(
        &self,
        signal: SignalId,
        (from, to): (Moment, Moment),
        progress: &Progress,
    ) -> Result<(), Ended> {
        let found = self.store.signal_by_id(signal).await?;
        let site = self.store.device_by_id(found.device).await?.site;
        let memories = self.memories.site(site);
        // Once nothing is under way, all deliveries with the meaning before are recorded.
        drop(memories.close().await);
        let meanings = self.plans.meanings(site).await?;
        if meanings.is_broken(signal) {
            return Err(Ended::Failed("what the signal's values mean does not hold any more; mend that first".into()));
        }
        self.one(&meanings, &memories, signal, (from, to), progress).await?;
        for dependent in meanings.dependents(signal) {
            let span = (from, to + dependent.checked.within());
            self.one(&meanings, &memories, dependent.signal, span, progress).await?;
        }
        Ok(())
    }

    async fn one(
        &self,
        meanings: &SiteMeanings,
        memories: &SiteMemories,
        signal: SignalId,
        span: (Moment, Moment),
        progress: &Progress,
    ) -> Result<(), Ended> {
        let found = self.store.signal_by_id(signal).await?;
        let device = self.store.device_by_id(found.device).await?;
        let meaning = meanings.get(signal).map(AsRef::as_ref);
        progress.begin(signal, format!("{}/{}", device.code, found.code));
        let task = Task { signal, meaning, memories, progress };
        let done = match meaning {
            Some(meaning) if meaning.checked.formula().is_some() => self.derived(&task, meaning, span).await,
            _ => self.sent(&task, span).await,
        };
        progress.rest();
        self.changes.carry(Change::History(Concerned::from(&device), signal)).await;
        self.recompute.wake();
        done
    }

    /// Works a derived signal out over its history.
    async fn derived(
        &self,
        task: &Task<'_>,
        meaning: &SignalMeaning,
        (from, to): (Moment, Moment),
    ) -> Result<(), Ended> {
        let mut total = 0;
        for input in &meaning.inputs {
            total = total.max(self.store.count_between(*input, from, to).await?);
        }
        task.progress.expect(total);
        let mut rework = self.store.rework(meaning.signal, from, to).await?;
        rework.begin().await?;
        let mut evaluation = Evaluation::new(&self.store, meaning, from, to).await?;
        let mut memory = Memory::default();
        while let Some(run) = evaluation.next(&mut memory, CHUNK).await? {
            if task.progress.is_cancelled() {
                rework.discard().await;
                return Err(Ended::Cancelled);
            }
            rework.push(&run).await?;
            task.progress.add(run.len() as u64);
        }
        rework.finish(Vec::new()).await?;
        task.memories.put(meaning.signal, memory);
        Ok(())
    }

    /// Converts and screens again what was sent.
    async fn sent(&self, task: &Task<'_>, (from, to): (Moment, Moment)) -> Result<(), Ended> {
        task.progress.expect(self.store.count_between(task.signal, from, to).await?);
        let mut memory = self.memory_at(task, from).await?;
        let (rework, reached) = self.rebuild_span(task, (from, to), &mut memory).await?;
        rework.finish(Vec::new()).await?;
        if !task.meaning.is_some_and(|meaning| meaning.checked.conversion_remembers()) {
            task.memories.forget([task.signal]);
            return Ok(());
        }
        // What was delivered meanwhile went on from another memory. The site's deliveries wait
        // while those few readings are made again and this memory takes the other's place.
        let _closed = task.memories.close().await;
        let rest = (reached.map_or(from, Moment::next), Moment::MAX);
        let (rework, _) = self.rebuild_span(task, rest, &mut memory).await?;
        let kept = documents::write(&memory)?.into_bytes();
        rework.finish(vec![StateChange::Remember { signal: task.signal, memory: kept }]).await?;
        task.memories.put(task.signal, memory);
        Ok(())
    }

    /// What would be remembered at a time. A counter's total is the sum of all there ever
    /// was, so all of it is gone through.
    async fn memory_at(&self, task: &Task<'_>, from: Moment) -> Result<Memory, Ended> {
        let mut memory = Memory::default();
        let Some(meaning) = task.meaning else { return Ok(memory) };
        if meaning.checked.conversion_remembers() {
            let mut remake = Remake::new(&self.store, task.signal, Some(meaning), (Moment::MIN, from)).await?;
            let mut scan = self.store.scan(task.signal, Moment::MIN, from);
            while let Some(run) = scan.next().await? {
                if task.progress.is_cancelled() {
                    return Err(Ended::Cancelled);
                }
                remake.run(&run, &mut memory).await?;
            }
        } else if meaning.checked.remembers() {
            memory = recall_screen(&self.store, task.signal, from).await?;
        }
        Ok(memory)
    }

    /// Makes the readings of a span again; gives them, to be put in place, and the time
    /// of the last of them.
    async fn rebuild_span<'a>(
        &'a self,
        task: &Task<'_>,
        span: (Moment, Moment),
        memory: &mut Memory,
    ) -> Result<(lantern_store::Rework<'a>, Option<Moment>), Ended> {
        let mut rework = self.store.rework(task.signal, span.0, span.1).await?;
        rework.begin().await?;
        let mut remake = Remake::new(&self.store, task.signal, task.meaning, span).await?;
        let mut scan = self.store.scan(task.signal, span.0, span.1);
        let mut reached = None;
        while let Some(run) = scan.next().await? {
            if task.progress.is_cancelled() {
                rework.discard().await;
                return Err(Ended::Cancelled);
            }
            let new = remake.run(&run, memory).await?;
            reached = last_at(&new);
            rework.push(&new).await?;
            task.progress.add(new.len() as u64);
        }
        Ok((rework, reached))
    }
}
