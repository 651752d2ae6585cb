//! Making histories anew from what was sent, with the meaning that holds now.

use super::derive::Evaluation;
use super::feed::{Alongside, last_at};
use super::jobs::Progress;
use super::memories::{number, recall_screen};
use super::{SignalMeaning, SiteMeanings};
use crate::app::App;
use crate::problem::Problem;
use lantern_core::meaning::Memory;
use lantern_core::quality::{Cause, Quality};
use lantern_core::series::{Point, Run};
use lantern_core::state::StateChange;
use lantern_core::{Moment, SignalId, Value};
use lantern_store::{Rework, Store, StoreError};
use std::collections::HashSet;

/// Readings that are made anew at a time, when a formula gives them.
const CHUNK: usize = 8_192;
/// Readings entered by hand that are known to be such.
const HANDS: u32 = 100_000;

/// Why a job ended before it was done.
pub(super) enum Ended {
    /// Somebody stopped it.
    Cancelled,
    /// It could not go on.
    Failed(String),
}

impl From<StoreError> for Ended {
    fn from(error: StoreError) -> Self {
        Self::Failed(error.to_string())
    }
}

impl From<Problem> for Ended {
    fn from(problem: Problem) -> Self {
        Self::Failed(problem.detail.clone())
    }
}

/// Readings with another meaning than they had.
pub(super) struct Remake<'a> {
    meaning: Option<&'a SignalMeaning>,
    alongside: Alongside<'a>,
    /// Times of readings that people entered: they are what they are.
    hands: HashSet<i64>,
}

impl<'a> Remake<'a> {
    pub(super) async fn new(
        store: &'a Store,
        signal: SignalId,
        meaning: Option<&'a SignalMeaning>,
        (from, to): (Moment, Moment),
    ) -> Result<Self, StoreError> {
        let (needs, within) = meaning.map_or((&[][..], 0), |m| (&m.needs[..], m.checked.within()));
        let alongside = Alongside::new(store, needs, within, from.plus_seconds(-(within as f64 / 1e6)), to).await?;
        let hands = store.hand_readings(signal, from, to, HANDS).await?;
        Ok(Self { meaning, alongside, hands: hands.into_iter().map(|hand| hand.at.as_micros()).collect() })
    }

    /// What becomes of the next readings, in order of time.
    pub(super) async fn run(&mut self, old: &Run, memory: &mut Memory) -> Result<Run, StoreError> {
        let mut new = Run::default();
        for point in old.points() {
            new.push(self.point(point, memory).await?);
        }
        Ok(new)
    }

    async fn point(&mut self, old: Point, memory: &mut Memory) -> Result<Point, StoreError> {
        let at = old.at.as_micros();
        if self.hands.contains(&at) {
            return Ok(old);
        }
        // How late it came is not known any more; that it was too late is.
        let was_late = old.quality == Quality::Suspect(Cause::Time);
        let sent = old.sent();
        let mut new = Point { at: old.at, value: sent, quality: Quality::Good, raw: None };
        if let Some(meaning) = self.meaning {
            self.alongside.reach(at).await?;
            if meaning.checked.converts()
                && let Value::Number(raw) = new.value
            {
                let (value, quality) = meaning.checked.convert(at, raw, &self.alongside, memory);
                new = Point { value: Value::Number(value), quality, raw: Some(raw), ..new };
            }
            if let Some(value) = number(&new.value) {
                new.quality = meaning.checked.judge(at, value, new.quality, None, &self.alongside, memory);
            }
        }
        if new.quality.is_good() && was_late {
            new.quality = old.quality;
        }
        Ok(new)
    }
}

/// Makes a signal's history anew from a time on and before another, then those of
/// all signals that depend on it.
pub(super) async fn all(
    app: &App,
    signal: SignalId,
    (from, to): (Moment, Moment),
    progress: &Progress,
) -> Result<(), Ended> {
    let found = app.store.signal_by_id(signal).await?;
    let site = app.store.device_by_id(found.device).await?.site;
    // Deliveries with the meaning before have been recorded when this comes through.
    drop(app.memories.gate.write().await);
    let meanings = app.plans.meanings(&app.store, site).await?;
    if meanings.is_broken(signal) {
        return Err(Ended::Failed("what the signal's values mean does not hold any more; mend that first".into()));
    }
    one(app, &meanings, signal, (from, to), progress).await?;
    for dependent in meanings.dependents(signal) {
        let reach = to.plus_seconds(dependent.checked.within() as f64 / 1e6);
        one(app, &meanings, dependent.signal, (from, reach), progress).await?;
    }
    Ok(())
}

async fn one(
    app: &App,
    meanings: &SiteMeanings,
    signal: SignalId,
    span: (Moment, Moment),
    progress: &Progress,
) -> Result<(), Ended> {
    let found = app.store.signal_by_id(signal).await?;
    let device = app.store.device_by_id(found.device).await?;
    let meaning = meanings.get(signal).map(AsRef::as_ref);
    progress.begin(signal, format!("{}/{}", device.code, found.code));
    let done = match meaning {
        Some(meaning) if meaning.checked.formula().is_some() => derived(app, meaning, span, progress).await,
        _ => sent(app, signal, meaning, span, progress).await,
    };
    progress.rest();
    app.latest.forget([signal]);
    app.deriver.wake();
    app.hub.change(device.site, "history", Some(&device.code));
    done
}

/// Works a derived signal out over its history.
async fn derived(
    app: &App,
    meaning: &SignalMeaning,
    (from, to): (Moment, Moment),
    progress: &Progress,
) -> Result<(), Ended> {
    let mut total = 0;
    for input in &meaning.inputs {
        total = total.max(app.store.count_between(*input, from, to).await?);
    }
    progress.expect(total);
    let mut rework = app.store.rework(meaning.signal, from, to).await?;
    rework.begin().await?;
    let mut evaluation = Evaluation::new(&app.store, meaning, from, to).await?;
    let mut memory = Memory::default();
    while let Some(run) = evaluation.next(&mut memory, CHUNK).await? {
        if progress.is_cancelled() {
            rework.discard().await;
            return Err(Ended::Cancelled);
        }
        rework.push(&run).await?;
        progress.add(run.len() as u64);
    }
    rework.finish(Vec::new()).await?;
    app.memories.put(meaning.signal, memory);
    Ok(())
}

/// Converts and screens again what was sent.
async fn sent(
    app: &App,
    signal: SignalId,
    meaning: Option<&SignalMeaning>,
    (from, to): (Moment, Moment),
    progress: &Progress,
) -> Result<(), Ended> {
    progress.expect(app.store.count_between(signal, from, to).await?);
    let mut memory = memory_at(app, signal, meaning, from, progress).await?;
    let (rework, reached) = through(app, signal, meaning, (from, to), &mut memory, progress).await?;
    rework.finish(Vec::new()).await?;
    if !meaning.is_some_and(|meaning| meaning.checked.conversion_remembers()) {
        app.memories.forget([signal]);
        return Ok(());
    }
    // What was delivered meanwhile went on from another memory. Deliveries wait while
    // those few readings are made anew and this memory takes the other's place.
    let _gate = app.memories.gate.write().await;
    let rest = (reached.map_or(from, Moment::next), Moment::MAX);
    let (rework, _) = through(app, signal, meaning, rest, &mut memory, progress).await?;
    let kept = serde_json::to_vec(&memory).unwrap_or_default();
    rework.finish(vec![StateChange::Remember { signal, memory: kept }]).await?;
    app.memories.put(signal, memory);
    Ok(())
}

/// What would be remembered at a time. What counts all there ever was has to go
/// through it.
async fn memory_at(
    app: &App,
    signal: SignalId,
    meaning: Option<&SignalMeaning>,
    from: Moment,
    progress: &Progress,
) -> Result<Memory, Ended> {
    let mut memory = Memory::default();
    let Some(meaning) = meaning else { return Ok(memory) };
    if meaning.checked.conversion_remembers() {
        let mut remake = Remake::new(&app.store, signal, Some(meaning), (Moment::MIN, from)).await?;
        let mut scan = app.store.scan(signal, Moment::MIN, from);
        while let Some(run) = scan.next().await? {
            if progress.is_cancelled() {
                return Err(Ended::Cancelled);
            }
            remake.run(&run, &mut memory).await?;
        }
    } else if meaning.checked.remembers() {
        memory = recall_screen(&app.store, signal, from).await?;
    }
    Ok(memory)
}

/// Goes through what is to be made anew; gives that, to be put in place, and the time
/// of the last of it.
async fn through<'a>(
    app: &'a App,
    signal: SignalId,
    meaning: Option<&SignalMeaning>,
    span: (Moment, Moment),
    memory: &mut Memory,
    progress: &Progress,
) -> Result<(Rework<'a>, Option<Moment>), Ended> {
    let mut rework = app.store.rework(signal, span.0, span.1).await?;
    rework.begin().await?;
    let mut remake = Remake::new(&app.store, signal, meaning, span).await?;
    let mut scan = app.store.scan(signal, span.0, span.1);
    let mut reached = None;
    while let Some(run) = scan.next().await? {
        if progress.is_cancelled() {
            rework.discard().await;
            return Err(Ended::Cancelled);
        }
        let new = remake.run(&run, memory).await?;
        reached = last_at(&new);
        rework.push(&new).await?;
        progress.add(new.len() as u64);
    }
    Ok((rework, reached))
}
