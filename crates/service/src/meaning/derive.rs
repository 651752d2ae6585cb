//! Working derived signals out.
//!
//! A delivery notes with its readings which derived signals are due because of
//! them, and for which times. This task works those out from what is recorded, so
//! that a late input and a new formula come to the same as if all had come in
//! order. What is due is forgotten in the transaction that records what came of it.

use super::apply::{due, due_by};
use super::feed::{Alongside, Feed, before, last_at};
use super::memories::number;
use super::{SignalMeaning, SiteMeanings};
use crate::app::App;
use crate::clock;
use crate::plans::DevicePlan;
use crate::problem::Problem;
use lantern_core::meaning::{Derivation, Memory};
use lantern_core::quality::Quality;
use lantern_core::series::{Point, Run};
use lantern_core::state::StateChange;
use lantern_core::{Moment, Reading, SignalId};
use lantern_store::{DueSpan, Order, Page, Store, StoreError};
use std::collections::HashSet;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::Notify;

/// Due times that are looked at together.
const LOOK: u32 = 2_000;
/// Readings that are recorded together.
const CHUNK: usize = 5_000;
/// How long to wait after a failure.
const RETRY: Duration = Duration::from_secs(5);

/// Tells the task that works derived signals out that there is something to do.
#[derive(Default)]
pub(crate) struct Deriver {
    work: Notify,
}

impl Deriver {
    pub(crate) fn wake(&self) {
        self.work.notify_one();
    }

    /// Works out whatever is due, for ever.
    pub(crate) async fn run(app: Arc<App>) {
        loop {
            match work(&app).await {
                Ok(true) => {}
                // A job that ends, or a delivery, wakes it.
                Ok(false) => app.deriver.work.notified().await,
                Err(problem) => {
                    tracing::error!(error = problem.detail, "derived signals could not be worked out; trying again");
                    tokio::time::sleep(RETRY).await;
                }
            }
        }
    }
}

/// Works some of it out; says whether there may be more.
async fn work(app: &App) -> Result<bool, Problem> {
    let spans = app.store.due_spans(LOOK).await?;
    let mut done = false;
    let mut seen = HashSet::new();
    for DueSpan { signal, .. } in &spans {
        if !seen.insert(*signal) || app.jobs.is_working_on(*signal) {
            continue;
        }
        let of = || spans.iter().filter(|span| span.signal == *signal);
        let from = of().map(|span| span.from).min().unwrap_or(Moment::EPOCH);
        let to = of().map(|span| span.to).max().unwrap_or(Moment::EPOCH);
        let through = of().map(|span| span.id).max().unwrap_or(0);
        derive(app, *signal, (from, to), through).await?;
        done = true;
    }
    Ok(done)
}

async fn derive(app: &App, signal: SignalId, (from, to): (Moment, Moment), through: i64) -> Result<(), Problem> {
    let finished = StateChange::Derived { signal, through };
    let found = match app.store.signal_by_id(signal).await {
        Ok(found) => found,
        // It was removed meanwhile.
        Err(StoreError::NotFound) => return Ok(app.store.keep(vec![finished]).await?),
        Err(error) => return Err(error.into()),
    };
    let plan = app.plans.device(&app.store, found.device).await?;
    let meanings = app.plans.meanings(&app.store, plan.site).await?;
    let Some(meaning) = meanings.get(signal).filter(|meaning| meaning.checked.formula().is_some()) else {
        return Ok(app.store.keep(vec![finished]).await?);
    };
    let to = reaches(&app.store, meaning, to).await?;
    let mut evaluation = Evaluation::new(&app.store, meaning, from, to.next()).await?;
    app.memories.load(&app.store, meaning).await?;
    let mut memory = app.memories.lock().get(&signal).cloned().unwrap_or_default();
    let mut reached = from;
    while let Some(run) = evaluation.next(&mut memory, CHUNK).await? {
        let end = last_at(&run).map_or(to, Moment::next);
        remove_stale(app, &meanings, signal, (reached, end), &run).await?;
        reached = end;
        record(app, &meanings, &plan, signal, &run).await?;
    }
    remove_stale(app, &meanings, signal, (reached, to.next()), &Run::default()).await?;
    app.memories.put(signal, memory);
    Ok(app.store.keep(vec![finished]).await?)
}

/// Records what was worked out and tells everybody.
async fn record(
    app: &App,
    meanings: &SiteMeanings,
    plan: &Arc<DevicePlan>,
    signal: SignalId,
    run: &Run,
) -> Result<(), Problem> {
    let readings: Arc<Vec<Reading>> = Arc::new(run.points().map(|point| Reading::of(signal, point)).collect());
    let changes = due_by(meanings, &readings);
    app.store.record_with(readings.clone(), changes, clock::now()).await?;
    app.latest.note(&readings);
    app.outward.readings(plan, &readings, 0..readings.len());
    app.hub.readings(plan, &readings, 0..readings.len());
    Ok(())
}

/// Deletes what was worked out before for times at which there is no value now, each
/// stretch of it at once. What depends on it is due then.
async fn remove_stale(
    app: &App,
    meanings: &SiteMeanings,
    signal: SignalId,
    (mut from, to): (Moment, Moment),
    new: &Run,
) -> Result<(), Problem> {
    let stays = |point: &Point| new.times().binary_search(&point.at.as_micros()).is_ok();
    loop {
        let page = Page { signal, from, to, limit: CHUNK as u32, order: Order::Ascending };
        let old = app.store.points(page).await?;
        for stretch in old.chunk_by(|a, b| stays(a) == stays(b)) {
            if let (Some(first), Some(last)) = (stretch.first(), stretch.last())
                && !stays(first)
            {
                let due = due(meanings, signal, (first.at, last.at));
                app.store.delete_readings(signal, (first.at, last.at.next()), due).await?;
                app.latest.forget([signal]);
            }
        }
        match old.last() {
            Some(last) if old.len() == CHUNK => from = last.at.next(),
            _ => break,
        }
    }
    Ok(())
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
    Ok(last.plus_seconds(derivation.looks_back() as f64 / 1e6))
}

/// A derived signal as it is worked out over a time.
pub(super) struct Evaluation<'a> {
    meaning: &'a SignalMeaning,
    derivation: Derivation<'a>,
    feeds: Vec<Feed<'a>>,
    alongside: Alongside<'a>,
    from: i64,
}

impl<'a> Evaluation<'a> {
    /// From a time on and before another.
    pub(super) async fn new(
        store: &'a Store,
        meaning: &'a SignalMeaning,
        from: Moment,
        to: Moment,
    ) -> Result<Self, StoreError> {
        let mut derivation =
            Derivation::new(&meaning.checked).ok_or_else(|| StoreError::Damaged("a formula is not there".into()))?;
        let start = from.plus_seconds(-(derivation.looks_back() as f64 / 1e6));
        let mut feeds = Vec::new();
        for (place, signal) in meaning.inputs.iter().enumerate() {
            for point in before(store, *signal, start, 2).await? {
                take(&mut derivation, place, &point);
            }
            feeds.push(Feed::new(store.scan(*signal, start, to)));
        }
        let within = meaning.checked.within();
        let alongside = Alongside::new(store, &meaning.needs, within, start, to).await?;
        Ok(Self { meaning, derivation, feeds, alongside, from: from.as_micros() })
    }

    /// The next readings, at most so many; `None` at the end.
    pub(super) async fn next(&mut self, memory: &mut Memory, most: usize) -> Result<Option<Run>, StoreError> {
        let mut run = Run::default();
        while run.len() < most {
            for feed in &mut self.feeds {
                feed.fill().await?;
            }
            let Some(at) = self.feeds.iter().filter_map(Feed::peek).min() else { break };
            let mut has_come = false;
            for (place, feed) in self.feeds.iter_mut().enumerate() {
                if feed.peek() == Some(at)
                    && let Some(point) = feed.take()
                {
                    has_come |= take(&mut self.derivation, place, &point);
                }
            }
            if !has_come || at < self.from {
                continue;
            }
            let Some(value) = self.derivation.value(at) else { continue };
            self.alongside.reach(at).await?;
            let checked = &self.meaning.checked;
            let quality = checked.judge(at, value, Quality::Good, None, &self.alongside, memory);
            let Some(at) = Moment::from_micros(at) else { continue };
            run.push(Point { at, value: checked.value(value), quality, raw: None });
        }
        Ok((!run.is_empty()).then_some(run))
    }
}

/// Takes in a value of an input if it is good, and says whether it is.
fn take(derivation: &mut Derivation<'_>, place: usize, point: &Point) -> bool {
    let value = number(&point.value).filter(|_| point.quality.is_good());
    if let Some(value) = value {
        derivation.take(place, point.at.as_micros(), value);
    }
    value.is_some()
}
