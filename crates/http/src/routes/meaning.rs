//! What the values of signals mean: conversions, formulas, screens.

use super::body::Body;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{
    Calibration, DryRun, DryRunResult, MeaningTrial, MeaningVersion, NewCalibration, NewMeaning, Page, QualityCounts,
    SignalMeaning, TriedMeaning,
};
use lantern_core::ValueType;
use lantern_core::compare::{calibrated, line_through};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::checks::{check_meaning, check_unit};
use lantern_engine::definitions::{meaning_document, meaning_of};
use lantern_engine::meaning::counts;
use lantern_store::{self as store, Signal, Site};
use rocket::serde::json::Json;
use rocket::{Route, State, get, post, put, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![show, set, versions, preview, dry_run, calibration, quality]
}

/// Readings that are counted for their quality.
const MOST_COUNTED: u64 = 10_000_000;

async fn shown(engine: &Engine, site: &Site, signal: &Signal) -> Result<SignalMeaning, Problem> {
    let newest = engine.store.meaning_versions(signal.id, u32::MAX, 1).await?.pop();
    let meanings = engine.plans.meanings(site.id).await?;
    let mut needed_by = Vec::new();
    for needing in meanings.dependents(signal.id) {
        let other = engine.store.signal_by_id(needing.signal).await?;
        needed_by.push(format!("{}/{}", engine.store.device_by_id(other.device).await?.code, other.code));
    }
    Ok(SignalMeaning {
        version: newest.as_ref().map_or(0, |newest| newest.number),
        meaning: meaning_document(signal.meaning.as_deref())?,
        made_by: newest.as_ref().map(|newest| newest.made_by.clone()),
        made_at: newest.map(|newest| newest.made_at.to_string()),
        needed_by,
    })
}

/// What a signal's values mean: the newest version.
#[utoipa::path(operation_id = "meaning_show", context_path = "/api/v1", tag = "meaning",
    responses((status = 200, body = SignalMeaning), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/meaning")]
async fn show(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
) -> Answer<SignalMeaning> {
    let (site, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    Ok(Json(shown(engine, &site, &signal).await?))
}

/// Say what a signal's values mean. That holds for what comes from now on; what has been
/// recorded is made again only when asked for (`reconversions`).
#[utoipa::path(operation_id = "meaning_set", context_path = "/api/v1", tag = "meaning", request_body = NewMeaning,
    responses((status = 200, body = SignalMeaning), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/devices/<device>/signals/<signal>/meaning", data = "<body>")]
async fn set(
    engine: &State<Arc<Engine>>,
    change: Change,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<NewMeaning>,
) -> Answer<SignalMeaning> {
    let (site, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let wanted = body.0.meaning.as_ref().map(check_meaning).transpose()?;
    engine.set_up.define(&site, &device, &signal, wanted.as_ref(), &change.0.name()).await?;
    let signal = engine.store.signal_by_id(signal.id).await?;
    Ok(Json(shown(engine, &site, &signal).await?))
}

/// Versions of what a signal's values mean, newest first.
#[utoipa::path(operation_id = "meaning_versions", context_path = "/api/v1", tag = "meaning",
    responses((status = 200, body = Page<MeaningVersion>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/meaning/versions?<after>&<limit>")]
async fn versions(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<MeaningVersion>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, u32::MAX, 1, u32::MAX)?;
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    let versions = engine.store.meaning_versions(signal.id, after, limit + 1).await?;
    let shown = |version: store::MeaningVersion| MeaningVersion {
        version: version.number,
        damaged: meaning_document(version.document.as_deref()).err().map(|damaged| damaged.to_string()),
        meaning: meaning_document(version.document.as_deref()).ok().flatten(),
        unit: version.unit,
        made_by: version.made_by,
        made_at: version.made_at.to_string(),
    };
    Ok(Json(query::page(versions, limit, |version| version.number.to_string(), shown)))
}

/// Try a meaning out on one value, step by step. Nothing is saved. One that makes no
/// sense is answered with what is wrong and where.
#[utoipa::path(operation_id = "meaning_preview", context_path = "/api/v1", tag = "meaning", request_body = MeaningTrial,
    responses((status = 200, body = TriedMeaning), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals/<signal>/meaning/preview", data = "<body>")]
async fn preview(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<MeaningTrial>,
) -> Answer<TriedMeaning> {
    let Body(trial) = body;
    let (site, device, mut signal) = found::signal(&engine.store, site, device, signal).await?;
    if let Some(unit) = &trial.unit {
        signal.unit = Some(check_unit(unit, signal.value_type.unwrap_or(ValueType::Number))?);
    }
    let wanted = check_meaning(&trial.meaning)?;
    Ok(Json(engine.trials.preview(&site, &device, &signal, &wanted, trial.raw).await?))
}

/// Try a meaning out on what has been recorded: how many values would be others, and
/// which would not be good. Nothing is changed.
#[utoipa::path(operation_id = "meaning_dry_run", context_path = "/api/v1", tag = "meaning", request_body = DryRun,
    responses((status = 200, body = DryRunResult), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals/<signal>/meaning/dry-run", data = "<body>")]
async fn dry_run(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<DryRun>,
) -> Answer<DryRunResult> {
    let Body(run) = body;
    let span = query::span(run.from.as_deref(), run.to.as_deref())?;
    let (site, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let wanted = check_meaning(&run.meaning)?;
    Ok(Json(engine.trials.dry_run(&site, &device, &signal, &wanted, span).await?))
}

/// A calibration from what the signal said and what a reference said, as a meaning that
/// can be saved. Nothing is saved.
#[utoipa::path(operation_id = "meaning_calibration", context_path = "/api/v1", tag = "meaning", request_body = NewCalibration,
    responses((status = 200, body = Calibration), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals/<signal>/meaning/calibration", data = "<body>")]
async fn calibration(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<NewCalibration>,
) -> Answer<Calibration> {
    const MOST: usize = 10_000;
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    if body.0.pairs.len() > MOST {
        return Err(Failure::from(Problem::invalid("pairs", format_args!("at most {MOST}"))));
    }
    let pairs: Vec<(f64, f64)> = body.0.pairs.iter().map(|pair| (pair.said, pair.right)).collect();
    let line = line_through(&pairs).map_err(|error| Problem::invalid("pairs", error))?;
    let known = meaning_of(&signal)?.unwrap_or_default();
    let wanted = calibrated(&known, &line, signal.unit.as_deref()).map_err(|error| Problem::invalid("pairs", error))?;
    let meaning = serde_json::to_value(&wanted).unwrap_or_default();
    Ok(Json(Calibration { line: super::compare::line(line), meaning }))
}

/// How many readings from `from` to `to` (excluded; by default the last day) are good,
/// suspect and rejected, and why; at most ten million are counted.
#[utoipa::path(operation_id = "meaning_quality", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = QualityCounts), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/quality?<from>&<to>")]
async fn quality(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
    from: Option<&str>,
    to: Option<&str>,
) -> Answer<QualityCounts> {
    let span = query::span(from, to)?;
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    Ok(Json(counts(&engine.store, signal.id, span, MOST_COUNTED).await?))
}
