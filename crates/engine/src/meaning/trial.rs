//! Trying meanings out before they are saved: on one value, and on what has been
//! recorded.

use super::Definitions;
use super::alongside::last_at;
use super::context::Context;
use super::evaluation::Evaluation;
use super::remake::Remake;
use super::tally::Tally;
use crate::clock;
use crate::definitions::Subject;
use crate::latest::Latest;
use crate::problem::Problem;
use crate::shown;
use lantern_api as api;
use lantern_core::convert::ConversionError;
use lantern_core::meaning::{Checked, Derivation, Meaning, MeaningError, Memory, SignalMeaning};
use lantern_core::quality::Quality;
use lantern_core::screen::unscreened;
use lantern_core::series::{Point, Run};
use lantern_core::{Moment, SignalId, Value};
use lantern_store::{Device, Order, Page, Signal, Site, Store, StoreError};
use std::sync::Arc;

const CHUNK: usize = 8_192;

/// Tries meanings out.
pub struct Trials {
    pub(crate) definitions: Arc<Definitions>,
    pub(crate) latest: Arc<Latest>,
}

impl Trials {
    /// What a meaning makes of one value, step by step.
    ///
    /// # Errors
    /// A [`Problem`] if the database fails; a meaning that does not fit is answered as such.
    pub async fn preview(
        &self,
        site: &Site,
        device: &Device,
        signal: &Signal,
        meaning: &Meaning,
        raw: Option<f64>,
    ) -> Result<api::TriedMeaning, Problem> {
        let store = &*self.definitions.store;
        let subject = Subject::of(site.id, &device.code, signal);
        let mut tried = api::TriedMeaning {
            unit: signal.unit.clone(),
            symbol: shown::symbol(signal.unit.as_deref()),
            ..api::TriedMeaning::default()
        };
        if let Err(error) = self.definitions.fits(&subject, meaning).await? {
            tried.wrong = Some(wrong(&error));
            return Ok(tried);
        }
        let bound = match self.definitions.check(&subject, meaning, &[]).await {
            Ok(bound) => bound,
            Err(problem) => {
                tried.wrong =
                    Some(api::WrongMeaning { detail: problem.detail.clone(), ..api::WrongMeaning::default() });
                return Ok(tried);
            }
        };
        tried.remembers = bound.checked.remembers();
        let page = Page { signal: signal.id, from: Moment::MIN, to: Moment::MAX, limit: 1, order: Order::Descending };
        let last = store.points(page).await?.pop();
        let now = match &last {
            Some(last) if bound.checked.formula().is_none() => last.at,
            _ => clock::now(),
        };
        let mut context = Context::default();
        context.learn(&self.definitions.store, &self.latest, &bound, (now, now)).await?;
        tried.others = others_at(store, &bound, now).await?;
        let at = now.as_micros();
        if bound.checked.formula().is_some() {
            let value = self.worked_out(&bound).await?;
            if let Some(value) = value {
                put(&mut tried, &bound.checked, at, value, Quality::Good, &context.seen_by(&bound.needs));
            }
            return Ok(tried);
        }
        if let Some(Point { value: value @ Value::Position(_), .. }) = &last {
            let seen = context.seen_by(&bound.needs);
            let quality = bound.checked.judge(at, value, unscreened(value), None, &seen, &mut Memory::default());
            tried.value = Some(value.clone());
            (tried.quality, tried.cause) = shown::doubt(quality).unzip();
            return Ok(tried);
        }
        tried.raw = raw.or_else(|| last.as_ref().and_then(|point| point.sent().as_number()));
        let Some(raw) = tried.raw else { return Ok(tried) };
        let seen = context.seen_by(&bound.needs);
        tried.steps = bound.checked.trace(at, raw, &seen, &Memory::default()).into_iter().map(step).collect();
        let (value, quality) = bound.checked.convert(at, raw, &seen, &mut Memory::default());
        put(&mut tried, &bound.checked, at, value, quality, &seen);
        Ok(tried)
    }

    /// What a formula comes to with the last values of its inputs.
    async fn worked_out(&self, bound: &SignalMeaning) -> Result<Option<f64>, Problem> {
        let store = &*self.definitions.store;
        let mut newest = None;
        for input in &bound.inputs {
            let last = store.reading_at(*input, Moment::MAX).await?;
            newest = newest.max(last.map(|point| point.at));
        }
        let Some(newest) = newest else { return Ok(None) };
        let mut evaluation = Evaluation::new(store, bound, newest, newest.next()).await?;
        let run = evaluation.next(&mut Memory::default(), 1).await?;
        Ok(run.and_then(|run| run.points().next_back().and_then(|point| point.value.as_number())))
    }

    /// What a meaning would make of what has been recorded from a time on and before
    /// another.
    ///
    /// # Errors
    /// A [`Problem`], also if the meaning does not fit.
    pub async fn dry_run(
        &self,
        site: &Site,
        device: &Device,
        signal: &Signal,
        meaning: &Meaning,
        (from, to): (Moment, Moment),
    ) -> Result<api::DryRunResult, Problem> {
        let store = &*self.definitions.store;
        let bound = self.definitions.check(&Subject::of(site.id, &device.code, signal), meaning, &[]).await?;
        let mut tally = Tally::default();
        let mut scan = store.scan(signal.id, from, to);
        let mut memory = Memory::default();
        let mut until = to;
        if bound.checked.formula().is_some() {
            let mut evaluation = Evaluation::new(store, &bound, from, to).await?;
            while let Some(new) = evaluation.next(&mut memory, CHUNK).await? {
                new.points().for_each(|point| tally.take(&point));
                if tally.is_full() {
                    until = end(&new, to);
                    break;
                }
            }
            while let Some(old) = scan.next().await? {
                old.points().for_each(|point| tally.take_old(&point));
            }
            return Ok(tally.result(from, until));
        }
        let mut remake = Remake::new(store, signal.id, Some(&bound), (from, to)).await?;
        while let Some(old) = scan.next().await? {
            let new = remake.run(&old, &mut memory).await?;
            for (old, new) in old.points().zip(new.points()) {
                tally.changed += u64::from(old.value != new.value);
                tally.take_old(&old);
                tally.take(&new);
            }
            if tally.is_full() {
                until = end(&old, to);
                break;
            }
        }
        Ok(tally.result(from, until))
    }
}

/// What is wrong with a meaning, and where.
fn wrong(error: &MeaningError) -> api::WrongMeaning {
    let mut wrong = api::WrongMeaning { detail: error.to_string(), ..api::WrongMeaning::default() };
    match error {
        MeaningError::Formula(at) => {
            wrong.character = Some(at.at);
            wrong.detail.clone_from(&at.message);
        }
        MeaningError::Conversion(
            ConversionError::Step { step, .. }
            | ConversionError::Unit { step, .. }
            | ConversionError::Mismatch { step, .. },
        ) => wrong.step = Some(*step),
        _ => {}
    }
    wrong
}

/// What the other signals of a meaning said last, up to a time.
pub(crate) async fn others_at(
    store: &Store,
    bound: &SignalMeaning,
    at: Moment,
) -> Result<Vec<api::OtherValue>, Problem> {
    let mut names: Vec<(String, SignalId)> =
        bound.checked.needs().iter().map(|need| need.signal.clone()).zip(bound.needs.iter().copied()).collect();
    if let Some(derivation) = Derivation::new(&bound.checked) {
        names.extend(derivation.inputs().map(str::to_owned).zip(bound.inputs.iter().copied()));
    }
    let mut shown = Vec::new();
    for (name, id) in names {
        let found = store.signal_by_id(id).await?;
        let last = store.reading_at(id, at).await?;
        let age = last.as_ref().map(|point| at - point.at);
        shown.push(api::OtherValue {
            signal: name,
            symbol: shown::symbol(found.unit.as_deref()),
            unit: found.unit,
            at: last.as_ref().map(|point| point.at.to_string()),
            value: last.map(|point| point.value),
            is_too_old: age.is_some_and(|age| age > bound.checked.within()),
        });
    }
    Ok(shown)
}

/// A step of a conversion, as it is shown.
pub(crate) fn step(traced: lantern_core::convert::Traced) -> api::TriedStep {
    api::TriedStep {
        input: traced.input,
        output: traced.output.ok(),
        symbol: shown::symbol(traced.unit.as_ref().map(lantern_core::units::UnitCode::as_str)),
        unit: traced.unit.map(|unit| unit.as_str().to_owned()),
        why: traced.output.err().map(|why| why.sentence().to_owned()),
    }
}

fn put(
    tried: &mut api::TriedMeaning,
    checked: &Checked,
    at: i64,
    value: f64,
    quality: Quality,
    others: &impl lantern_core::meaning::Others,
) {
    let quality = checked.screen(at, value, quality, None, others, &mut Memory::default());
    tried.value = Some(checked.value(value));
    (tried.quality, tried.cause) = shown::doubt(quality).unzip();
}

fn end(run: &Run, to: Moment) -> Moment {
    last_at(run).map_or(to, Moment::next)
}

/// How the readings of a time are, counted; at most `most` of them.
///
/// # Errors
/// [`StoreError::Database`].
pub async fn counts(
    store: &Store,
    signal: SignalId,
    (from, to): (Moment, Moment),
    most: u64,
) -> Result<api::QualityCounts, StoreError> {
    let mut tally = Tally::default();
    let mut scan = store.scan(signal, from, to);
    let mut until = None;
    while let Some(run) = scan.next().await? {
        run.points().for_each(|point| tally.count(point.quality));
        if tally.readings >= most {
            until = Some(end(&run, to).to_string());
            break;
        }
    }
    Ok(api::QualityCounts { readings: tally.readings, good: tally.good, caught: tally.caught(), until })
}
