//! Trying meanings out before they are saved: on one value, and on what has been
//! recorded.

use super::SignalMeaning;
use super::checks::{Meant, check};
use super::context::Context;
use super::derive::Evaluation;
use super::feed::last_at;
use super::memories::number;
use super::rework::Remake;
use crate::app::App;
use crate::problem::Problem;
use crate::translate;
use lantern_api as api;
use lantern_core::convert::ConversionError;
use lantern_core::meaning::{Checked, Derivation, Meaning, MeaningError, Memory};
use lantern_core::quality::Quality;
use lantern_core::series::{Point, Run, largest_triangles};
use lantern_core::{Moment, Value};
use lantern_store::{Device, Order, Page, Signal, Site, StoreError};
use std::collections::BTreeMap;

/// Readings that a dry run looks at.
const MOST: u64 = 2_000_000;
/// Examples it shows.
const EXAMPLES: usize = 200;
/// Points of its curves.
const CURVE: usize = 1_000;
const CHUNK: usize = 8_192;

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

/// What a meaning makes of one value.
pub(crate) async fn preview(
    app: &App,
    site: &Site,
    device: &Device,
    signal: &Signal,
    meaning: &Meaning,
    raw: Option<f64>,
) -> Result<api::TriedMeaning, Problem> {
    let meant = Meant::of(site.id, &device.code, signal);
    let mut tried = api::TriedMeaning {
        unit: signal.unit.clone(),
        symbol: translate::symbol(signal.unit.as_deref()),
        ..api::TriedMeaning::default()
    };
    if let Err(error) = super::checks::fits(app, &meant, meaning).await? {
        tried.wrong = Some(wrong(&error));
        return Ok(tried);
    }
    let bound = match check(app, &meant, meaning, &[]).await {
        Ok(bound) => bound,
        Err(problem) => {
            tried.wrong = Some(api::WrongMeaning { detail: problem.detail.clone(), ..api::WrongMeaning::default() });
            return Ok(tried);
        }
    };
    tried.remembers = bound.checked.remembers();
    let page = Page { signal: signal.id, from: Moment::MIN, to: Moment::MAX, limit: 1, order: Order::Descending };
    let last = app.store.points(page).await?.pop();
    let now = match &last {
        Some(last) if bound.checked.formula().is_none() => last.at,
        _ => crate::clock::now(),
    };
    let mut context = Context::default();
    context.learn(app, &bound, (now, now)).await?;
    tried.others = others(app, &bound, now).await?;
    let at = now.as_micros();
    if bound.checked.formula().is_some() {
        let value = worked_out(app, &bound).await?;
        if let Some(value) = value {
            put(&mut tried, &bound.checked, at, value, Quality::Good, &context.seen_by(&bound.needs));
        }
        return Ok(tried);
    }
    tried.raw = raw.or_else(|| last.as_ref().and_then(|point| number(&point.sent())));
    let Some(raw) = tried.raw else { return Ok(tried) };
    let seen = context.seen_by(&bound.needs);
    tried.steps = bound.checked.trace(at, raw, &seen, &Memory::default()).into_iter().map(step).collect();
    let (value, quality) = bound.checked.convert(at, raw, &seen, &mut Memory::default());
    put(&mut tried, &bound.checked, at, value, quality, &seen);
    Ok(tried)
}

fn step(traced: lantern_core::convert::Traced) -> api::TriedStep {
    api::TriedStep {
        input: traced.input,
        output: traced.output.ok(),
        symbol: translate::symbol(traced.unit.as_ref().map(lantern_core::units::UnitCode::as_str)),
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
    let quality = checked.judge(at, value, quality, None, others, &mut Memory::default());
    tried.value = Some(translate::value(checked.value(value)));
    (tried.quality, tried.cause) = translate::doubt(quality).unzip();
}

/// The other signals with their last values.
async fn others(app: &App, bound: &SignalMeaning, now: Moment) -> Result<Vec<api::OtherValue>, Problem> {
    let mut names: Vec<(String, lantern_core::SignalId)> =
        bound.checked.needs().iter().map(|need| need.signal.clone()).zip(bound.needs.iter().copied()).collect();
    if let Some(derivation) = Derivation::new(&bound.checked) {
        names.extend(derivation.inputs().map(str::to_owned).zip(bound.inputs.iter().copied()));
    }
    let mut shown = Vec::new();
    for (name, id) in names {
        let found = app.store.signal_by_id(id).await?;
        let last = app.store.reading_at(id, Moment::MAX).await?;
        let age = last.as_ref().map(|point| now.as_micros() - point.at.as_micros());
        shown.push(api::OtherValue {
            signal: name,
            symbol: translate::symbol(found.unit.as_deref()),
            unit: found.unit,
            at: last.as_ref().map(|point| point.at.to_string()),
            value: last.map(|point| translate::value(point.value)),
            is_too_old: age.is_some_and(|age| age > bound.checked.within()),
        });
    }
    Ok(shown)
}

/// What a formula comes to with the last values of its inputs.
async fn worked_out(app: &App, bound: &SignalMeaning) -> Result<Option<f64>, Problem> {
    let mut newest = None;
    for input in &bound.inputs {
        let last = app.store.reading_at(*input, Moment::MAX).await?;
        newest = newest.max(last.map(|point| point.at));
    }
    let Some(newest) = newest else { return Ok(None) };
    let mut evaluation = Evaluation::new(&app.store, bound, newest, newest.next()).await?;
    let run = evaluation.next(&mut Memory::default(), 1).await?;
    Ok(run.and_then(|run| run.points().next_back().and_then(|point| number(&point.value))))
}

/// What a meaning would make of what has been recorded from a time on and before
/// another.
pub(crate) async fn dry_run(
    app: &App,
    site: &Site,
    device: &Device,
    signal: &Signal,
    meaning: &Meaning,
    (from, to): (Moment, Moment),
) -> Result<api::DryRunResult, Problem> {
    let bound = check(app, &Meant::of(site.id, &device.code, signal), meaning, &[]).await?;
    let mut tally = Tally::default();
    let mut scan = app.store.scan(signal.id, from, to);
    let mut memory = Memory::default();
    let mut until = to;
    if bound.checked.formula().is_some() {
        let mut evaluation = Evaluation::new(&app.store, &bound, from, to).await?;
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
    let mut remake = Remake::new(&app.store, signal.id, Some(&bound), (from, to)).await?;
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

fn end(run: &Run, to: Moment) -> Moment {
    last_at(run).map_or(to, Moment::next)
}

/// How the readings of a time are, counted.
pub(crate) async fn counts(
    app: &App,
    signal: &Signal,
    (from, to): (Moment, Moment),
    most: u64,
) -> Result<api::QualityCounts, StoreError> {
    let mut tally = Tally::default();
    let mut scan = app.store.scan(signal.id, from, to);
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

/// What comes of a dry run.
#[derive(Default)]
struct Tally {
    readings: u64,
    good: u64,
    good_now: u64,
    changed: u64,
    by_quality: BTreeMap<u8, u64>,
    examples: Vec<Point>,
    curve: Vec<(f64, f64)>,
    curve_now: Vec<(f64, f64)>,
}

impl Tally {
    const fn is_full(&self) -> bool {
        self.readings >= MOST
    }

    fn count(&mut self, quality: Quality) {
        self.readings += 1;
        if quality.is_good() {
            self.good += 1;
        } else {
            *self.by_quality.entry(quality.code()).or_default() += 1;
        }
    }

    fn take(&mut self, point: &Point) {
        self.count(point.quality);
        if point.quality.is_good() {
            self.curve.extend(number(&point.value).map(|value| (point.at.as_micros() as f64, value)));
        } else {
            self.examples.push(point.clone());
        }
    }

    fn take_old(&mut self, point: &Point) {
        if point.quality.is_good() {
            self.good_now += 1;
            self.curve_now.extend(number(&point.value).map(|value| (point.at.as_micros() as f64, value)));
        }
    }

    fn caught(&self) -> Vec<api::Caught> {
        let mut caught: Vec<api::Caught> = self
            .by_quality
            .iter()
            .filter_map(|(code, count)| {
                let (quality, cause) = translate::doubt(Quality::from_code(*code)?)?;
                Some(api::Caught { quality, cause, count: *count })
            })
            .collect();
        caught.sort_by_key(|caught| std::cmp::Reverse(caught.count));
        caught
    }

    fn result(self, from: Moment, until: Moment) -> api::DryRunResult {
        let step = self.examples.len().div_ceil(EXAMPLES).max(1);
        api::DryRunResult {
            from: from.to_string(),
            to: until.to_string(),
            readings: self.readings,
            changed: self.changed,
            good: self.good,
            good_now: self.good_now,
            caught: self.caught(),
            examples: self.examples.iter().step_by(step).cloned().map(translate::point).collect(),
            curve: curve(&self.curve),
            curve_now: curve(&self.curve_now),
        }
    }
}

fn curve(points: &[(f64, f64)]) -> Vec<api::Reading> {
    let chosen = largest_triangles(points, CURVE);
    let shown = chosen.into_iter().filter_map(|place| {
        let (at, value) = *points.get(place)?;
        Some(translate::reading((Moment::from_micros(at as i64)?, Value::Number(value))))
    });
    shown.collect()
}
