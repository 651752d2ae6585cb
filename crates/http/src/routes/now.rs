//! Now: the last values with their age and direction of change.

use super::{Answer, query};
use crate::auth::Access;
use crate::found;
use lantern_api::{DeviceNow, Page, SignalNow, Trace, Trend};
use lantern_core::presence::Patience;
use lantern_core::series::Buckets;
use lantern_core::{Micros, Moment, Value, ValueType, trend};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::{clock, shown};
use lantern_store::{Device, Signal};
use rocket::serde::json::Json;
use rocket::{Route, State, get, routes};
use std::sync::Arc;

/// A trace shows two hours in buckets of two minutes.
const TRACE_WIDTH: i64 = 120_000_000;
const TRACE_BUCKETS: i64 = 60;

pub(super) fn routes() -> Vec<Route> {
    routes![site_now, device_now]
}

/// All devices of a site as they are now, in order of code.
///
/// With `trace=true`, each with the last two hours of its first number signal.
#[utoipa::path(operation_id = "now_site_now", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = Page<DeviceNow>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/now?<after>&<limit>&<trace>")]
async fn site_now(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
    trace: Option<&str>,
) -> Answer<Page<DeviceNow>> {
    let limit = query::limit(limit)?;
    let trace = query::flag("trace", trace)?;
    let site = found::site(&engine.store, site).await?;
    let devices = engine.store.devices(site.id, after.unwrap_or_default(), limit + 1).await?;
    let mut page = Vec::with_capacity(devices.len());
    for device in devices {
        page.push(now_of(engine, device, trace).await?);
    }
    Ok(Json(query::page(page, limit, |now| now.device.clone(), |now| now)))
}

/// One device as it is now.
#[utoipa::path(operation_id = "now_device_now", context_path = "/api/v1", tag = "reading back",
    responses((status = 200, body = DeviceNow), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/now")]
async fn device_now(engine: &State<Arc<Engine>>, _access: Access, site: &str, device: &str) -> Answer<DeviceNow> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(now_of(engine, device, false).await?))
}

async fn now_of(engine: &Engine, device: Device, with_trace: bool) -> Result<DeviceNow, Problem> {
    let now = clock::now();
    let mut signals = engine.store.signals(device.id).await?;
    signals.retain(|signal| signal.value_type.is_some());
    let leading = signals.iter().find(|signal| signal.value_type == Some(ValueType::Number));
    let trace = match leading {
        Some(signal) if with_trace => Some(trace_of(engine, signal, now).await?),
        _ => None,
    };
    let mut shown = Vec::with_capacity(signals.len());
    for signal in signals {
        let readings = engine.latest.readings(signal.id).await?;
        shown.push(signal_now(signal, readings, device.interval_s, now));
    }
    let standing = shown::standing(&device, engine.heard.last(device.id), now);
    Ok(DeviceNow {
        device: device.code,
        name: device.name,
        presence: standing.presence,
        since: standing.since,
        last_heard_at: standing.last_heard_at,
        interval_s: device.interval_s,
        state: device.state,
        clock_offset_s: engine.heard.clock_offset_s(device.id),
        signals: shown,
        trace,
    })
}

fn signal_now(signal: Signal, mut readings: Vec<(Moment, Value)>, interval_s: f64, now: Moment) -> SignalNow {
    let value_type = signal.value_type.unwrap_or(ValueType::Text);
    let numbers: Vec<(Moment, f64)> = match value_type {
        ValueType::Number => readings.iter().filter_map(|(at, v)| Some((*at, v.as_number()?))).collect(),
        ValueType::Flag | ValueType::Text => Vec::new(),
    };
    let last = readings.pop();
    SignalNow {
        decimals: shown::decimals(&signal, numbers.iter().map(|(_, v)| *v)),
        symbol: shown::symbol(signal.unit.as_deref()),
        signal: signal.code,
        name: signal.name,
        value_type,
        unit: signal.unit,
        age_s: last.as_ref().map(|(at, _)| now.seconds_since(*at).max(0.0)),
        last: last.map(shown::reading),
        trend: trend::trend(&numbers, Patience::SILENT_AFTER * interval_s)
            .map(|t| Trend { direction: t.direction, per_hour: t.per_hour }),
    }
}

async fn trace_of(engine: &Engine, signal: &Signal, now: Moment) -> Result<Trace, Problem> {
    let start = now.as_micros().div_euclid(TRACE_WIDTH) * TRACE_WIDTH - (TRACE_BUCKETS - 1) * TRACE_WIDTH;
    let from = Moment::from_micros(start).unwrap_or(now);
    let to = from + Micros(TRACE_BUCKETS * TRACE_WIDTH);
    let mut means = vec![None; TRACE_BUCKETS as usize];
    for bucket in engine.store.summaries(signal.id, from, to, Buckets::Even(TRACE_WIDTH)).await? {
        let place = usize::try_from((bucket.start - start) / TRACE_WIDTH).unwrap_or(usize::MAX);
        if let Some(mean) = means.get_mut(place) {
            *mean = Some(bucket.summary.mean());
        }
    }
    Ok(Trace { signal: signal.code.clone(), from: from.to_string(), width_s: TRACE_WIDTH as f64 / 1e6, means })
}
