//! Comparing signals.

use super::listed::{Listed, listed};
use super::{Answer, query};
use crate::auth::Access;
use crate::failure::Failure;
use lantern_api::{Compared, ComparedFigures, ComparedPair, Comparison, DifferenceBucket, Line};
use lantern_core::compare::{self as core, Alignment, Pair, best_lag, figures, pairs, typical_spacing};
use lantern_core::{Moment, Value, decimals_of_spread};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::shown;
use lantern_store::{Order, Page};
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![compare]
}

/// Signals compared at a time, the reference among them.
const SIGNALS: usize = 6;
/// Readings of each signal.
const READINGS: u32 = 1_000_000;
/// Pairs that are shown one by one.
const SAMPLE: usize = 1_000;
/// Stretches of differences.
const STRETCHES: i64 = 500;
/// A year.
const MAX_SHIFT_S: f64 = 31_622_400.0;

/// Compare signals from `from` to `to` (excluded; by default the last day): `signals` is a
/// list such as `tower/level,tower/level-p`, the first is the reference, the others are
/// changed into its unit.
///
/// A reading has a partner if the reference has a reading at most `tolerance_s` away (by
/// default the usual time between the readings of the slower one): the `nearest`, or with
/// `align=interpolated` the straight line between those before and after. With `shift_s` the
/// others are taken from so much earlier, to compare two times.
#[utoipa::path(operation_id = "compare_compare", context_path = "/api/v1", tag = "meaning",
    responses((status = 200, body = Comparison), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/compare?<signals>&<from>&<to>&<align>&<tolerance_s>&<shift_s>")]
#[allow(clippy::too_many_arguments, reason = "the parameters of the request")]
async fn compare(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    signals: Option<&str>,
    from: Option<&str>,
    to: Option<&str>,
    align: Option<&str>,
    tolerance_s: Option<&str>,
    shift_s: Option<&str>,
) -> Answer<Comparison> {
    let (from, to) = query::span(from, to)?;
    let alignment = match align {
        None | Some("nearest") => Alignment::Nearest,
        Some("interpolated") => Alignment::Interpolated,
        Some(_) => return Err(Failure::from(Problem::invalid("align", "`nearest` or `interpolated`"))),
    };
    let shift_s = query::number("shift_s", shift_s, 0.0, -MAX_SHIFT_S, MAX_SHIFT_S)?;
    let given = tolerance_s.map(|text| query::number("tolerance_s", Some(text), 0.0, 0.0, 1e7)).transpose()?;
    let listed = listed(engine, site, signals.unwrap_or_default()).await?;
    if !(2..=SIGNALS).contains(&listed.len()) {
        return Err(Failure::from(Problem::invalid(
            "signals",
            format_args!("name 2 to {SIGNALS} of them, the reference first"),
        )));
    }
    let mut listed = listed.into_iter();
    let Some(reference) = listed.next() else {
        return Err(Failure::from(Problem::invalid("signals", "name the reference")));
    };
    let base = values(engine, &reference, (from, to), 0.0).await?;
    let mut result = Comparison {
        reference: reference.path.clone(),
        unit: reference.unit.clone(),
        symbol: shown::symbol(reference.unit.as_deref()),
        from: from.to_string(),
        to: to.to_string(),
        tolerance_s: given.unwrap_or_default(),
        others: Vec::new(),
    };
    for mut other in listed {
        other.wanted = query::unit(&other.signal, reference.unit.as_deref())?;
        let readings = values(engine, &other, (from, to), shift_s).await?;
        let usual = typical_spacing(&base).max(typical_spacing(&readings)).unwrap_or(60_000_000);
        let tolerance = given.map_or(usual, |seconds| (seconds * 1e6) as i64);
        result.tolerance_s = result.tolerance_s.max(tolerance as f64 / 1e6);
        let found = pairs(&base, &readings, alignment, tolerance);
        result.others.push(Compared {
            signal: other.path,
            shifted_s: shift_s,
            pairs: found.len() as u64,
            of_reference: base.len() as u64,
            figures: figures(&found).map(|figures| shown(figures, &base, &readings)),
            sample: sample(&found),
            differences: differences(&found, (from, to)),
        });
    }
    Ok(Json(result))
}

/// The good numbers of a signal, with times so much later than they were measured.
async fn values(
    engine: &Engine,
    listed: &Listed,
    (from, to): (Moment, Moment),
    shift_s: f64,
) -> Result<Vec<(i64, f64)>, Problem> {
    let page = Page {
        signal: listed.signal.id,
        from: from.plus_seconds(-shift_s),
        to: to.plus_seconds(-shift_s),
        limit: READINGS + 1,
        order: Order::Ascending,
    };
    let readings = engine.store.readings(page).await?;
    if readings.len() > READINGS as usize {
        let detail = format!("`{}` has over {READINGS} readings in that time; choose a shorter one", listed.path);
        return Err(Problem::invalid("from", detail));
    }
    let shift = (shift_s * 1e6) as i64;
    let numbers = readings.into_iter().filter_map(|(at, value)| match value {
        Value::Number(number) => Some((at.as_micros() + shift, listed.wanted.number(number))),
        Value::Flag(_) | Value::Text(_) | Value::Position(_) => None,
    });
    Ok(numbers.collect())
}

pub(super) const fn line(line: core::Line) -> Line {
    Line { slope: line.slope, intercept: line.intercept, residual: line.residual }
}

fn shown(found: core::Figures, base: &[(i64, f64)], other: &[(i64, f64)]) -> ComparedFigures {
    let lag = best_lag(base, other);
    ComparedFigures {
        bias: found.bias,
        spread: found.spread,
        rms: found.rms,
        least: found.range.0,
        greatest: found.range.1,
        decimals: decimals_of_spread(found.spread),
        correlation: found.correlation,
        lag_s: lag.map(|lag| lag.lag as f64 / 1e6),
        correlation_at_lag: lag.map(|lag| lag.correlation),
        line: found.line.map(line),
    }
}

fn sample(found: &[Pair]) -> Vec<ComparedPair> {
    let step = found.len().div_ceil(SAMPLE).max(1);
    let pair = |pair: &Pair| ComparedPair { at_ms: pair.at / 1_000, reference: pair.reference, other: pair.other };
    found.iter().step_by(step).map(pair).collect()
}

fn differences(found: &[Pair], (from, to): (Moment, Moment)) -> Vec<DifferenceBucket> {
    let (from, to) = (from.as_micros(), to.as_micros());
    let width = ((to - from) / STRETCHES).max(1);
    let stretch = |pair: &Pair| (pair.at - from).div_euclid(width);
    found
        .chunk_by(|a, b| stretch(a) == stretch(b))
        .map(|pairs| {
            let of = pairs.iter().map(|pair| pair.other - pair.reference);
            DifferenceBucket {
                start_ms: (from + stretch(&pairs[0]) * width) / 1_000,
                min: of.clone().fold(f64::INFINITY, f64::min),
                mean: of.clone().sum::<f64>() / pairs.len() as f64,
                max: of.fold(f64::NEG_INFINITY, f64::max),
            }
        })
        .collect()
}
