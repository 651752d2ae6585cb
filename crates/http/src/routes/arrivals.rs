//! Arrivals: names and devices nobody has declared, waiting with their readings.

use super::body::Body;
use super::devices::shown;
use super::sites::COUNT_LIMIT;
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::found;
use lantern_api::{Arrival, Claim, Claimed, Device, DeviceClaim, Page, WaitingDevice};
use lantern_core::nearest::nearest;
use lantern_core::{DeviceId, SignalId, ValueType, units};
use lantern_engine::Engine;
use lantern_engine::Problem;
use lantern_engine::{clock, shown};
use lantern_store::Signal;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, post, put, routes};
use std::sync::Arc;

/// Values shown of an arrival.
const SHOWN: usize = 5;

pub(super) fn routes() -> Vec<Route> {
    routes![list, claim, ignore, unignore, waiting, claim_device]
}

async fn arrival(engine: &Engine, device: String, signal: Signal) -> Result<Arrival, Problem> {
    let readings = engine.latest.readings(signal.id).await?;
    let extent = engine.store.count_readings(signal.id, COUNT_LIMIT).await?;
    let first = engine.store.time_span(signal.id).await?.map_or(signal.created_at, |(first, _)| first);
    // A number among texts is a text; a flag among numbers is a number.
    let has = |wanted| readings.iter().any(|(_, value)| value.value_type() == wanted);
    let value_type = match (has(ValueType::Text), has(ValueType::Number)) {
        (true, _) => ValueType::Text,
        (false, true) => ValueType::Number,
        (false, false) => readings.last().map_or(ValueType::Text, |(_, value)| value.value_type()),
    };
    let guessed = || (value_type == ValueType::Number).then(|| units::guess(&signal.code)).flatten();
    let beside = engine.plans.signals(signal.device).await?;
    let declared = beside.iter().filter(|of| of.signal.value_type.is_some());
    let like = nearest(&signal.code, declared.map(|of| of.signal.code.as_str())).map(str::to_owned);
    Ok(Arrival {
        like,
        device,
        first_at: first.to_string(),
        last: readings.iter().rev().take(SHOWN).cloned().map(shown::reading).collect(),
        readings: extent.count,
        value_type,
        unit: signal.unit.clone().or_else(|| guessed().map(str::to_owned)),
        ignored_at: signal.ignored_at.map(|at| at.to_string()),
        name: signal.code,
    })
}

/// The arrivals of a site, in the order they came; those that are ignored with
/// `ignored=true`. Names of waiting devices are with their devices.
#[utoipa::path(operation_id = "arrivals_list", context_path = "/api/v1", tag = "arrivals",
    responses((status = 200, body = Page<Arrival>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/arrivals?<ignored>&<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    ignored: Option<&str>,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Arrival>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, 0i64, 0, i64::MAX)?;
    let ignored = query::flag("ignored", ignored)?;
    let site = found::site(&engine.store, site).await?;
    let mut page = Vec::new();
    for (device, signal) in engine.store.arrivals(site.id, ignored, SignalId(after), limit + 1).await? {
        page.push((signal.id, arrival(engine, device, signal).await?));
    }
    Ok(Json(query::page(page, limit, |(id, _)| id.0.to_string(), |(_, arrival)| arrival)))
}

/// Claim an arrival: for a signal of its own, or into a declared one, whose other
/// name it becomes. What came before goes with it.
#[utoipa::path(operation_id = "arrivals_claim", context_path = "/api/v1", tag = "arrivals", request_body = Claim,
    responses((status = 200, body = Claimed), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/arrivals/<name>/claim", data = "<body>")]
async fn claim(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    device: &str,
    name: &str,
    body: Body<Claim>,
) -> Answer<Claimed> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(engine.set_up.claim(&device, name, body.0, &person.0.name()).await?))
}

/// Ignore an arrival: what came before stays, what comes from now on is passed
/// over.
#[utoipa::path(operation_id = "arrivals_ignore", context_path = "/api/v1", tag = "arrivals",
    responses((status = 200, body = Arrival), (status = "default", body = lantern_api::Problem)))]
#[put("/sites/<site>/devices/<device>/arrivals/<name>/ignored")]
async fn ignore(engine: &State<Arc<Engine>>, _change: Change, site: &str, device: &str, name: &str) -> Answer<Arrival> {
    set_ignored(engine, site, device, name, true).await
}

/// Let an ignored arrival wait again.
#[utoipa::path(operation_id = "arrivals_unignore", context_path = "/api/v1", tag = "arrivals",
    responses((status = 200, body = Arrival), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/arrivals/<name>/ignored")]
async fn unignore(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    name: &str,
) -> Answer<Arrival> {
    set_ignored(engine, site, device, name, false).await
}

async fn set_ignored(engine: &Engine, site: &str, device: &str, name: &str, ignored: bool) -> Answer<Arrival> {
    let (_, device) = found::device(&engine.store, site, device).await?;
    let now = engine.set_up.set_ignored(&device, name, ignored).await?;
    Ok(Json(arrival(engine, device.code, now).await?))
}

/// Devices that nobody has declared, in the order they came, with what they sent.
#[utoipa::path(operation_id = "arrivals_waiting", context_path = "/api/v1", tag = "arrivals",
    responses((status = 200, body = Page<WaitingDevice>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/waiting?<after>&<limit>")]
async fn waiting(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<WaitingDevice>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, 0i64, 0, i64::MAX)?;
    let site = found::site(&engine.store, site).await?;
    let mut page = Vec::new();
    for device in engine.store.waiting_devices(site.id, DeviceId(after), limit + 1).await? {
        let mut names = Vec::new();
        for signal in engine.store.signals(device.id).await?.into_iter().take(20) {
            names.push(arrival(engine, device.code.clone(), signal).await?);
        }
        let carrier = match device.carrier {
            Some(carrier) => Some(engine.store.device_by_id(carrier).await?.code),
            None => None,
        };
        let standing = shown::standing(&device, engine.heard.last(device.id), clock::now());
        let shown = WaitingDevice {
            code: device.code,
            identity: device.identity,
            carrier,
            first_at: device.created_at.to_string(),
            last_heard_at: standing.last_heard_at,
            presence: standing.presence,
            names,
        };
        page.push((device.id, shown));
    }
    Ok(Json(query::page(page, limit, |(id, _)| id.0.to_string(), |(_, device)| device)))
}

/// Claim a waiting device: it is in trial from now on, with all it sent.
#[utoipa::path(operation_id = "arrivals_claim_device", context_path = "/api/v1", tag = "arrivals", request_body = DeviceClaim,
    responses((status = 200, body = Device), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/waiting/<device>/claim", data = "<body>")]
async fn claim_device(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    device: &str,
    body: Body<DeviceClaim>,
) -> Answer<Device> {
    let (site, device) = found::device(&engine.store, site, device).await?;
    let device = engine.set_up.claim_device(&site, &device, body.0, &person.0.name()).await?;
    Ok(Json(shown(engine, device).await?))
}
