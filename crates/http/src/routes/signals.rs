//! Signals.

use super::body::Body;
use super::sites::{COUNT_LIMIT, confirmed, removal};
use super::{Answer, query};
use crate::auth::{Access, Change};
use crate::failure::Failure;
use crate::found;
use lantern_api::{JoinPosition, JoinedPosition, NewSignal, Page, Removal, Signal, SignalChange};
use lantern_core::SignalId;
use lantern_engine::Engine;
use lantern_engine::shown;
use lantern_store::{self as store, OtherName};
use rocket::http::Status;
use rocket::serde::json::Json;
use rocket::{Route, State, delete, get, patch, post, routes};
use std::sync::Arc;

pub(super) fn routes() -> Vec<Route> {
    routes![list, add, show, change, extent, remove, join_position]
}

/// The other names of a signal, those of its parts too.
pub(super) fn also(names: &[OtherName], signal: SignalId) -> Vec<String> {
    names.iter().filter(|other| other.signal == signal).map(|other| other.name.clone()).collect()
}

/// The signals of a device, in the order they were declared.
#[utoipa::path(operation_id = "signals_list", context_path = "/api/v1", tag = "signals",
    responses((status = 200, body = Page<Signal>), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals?<after>&<limit>")]
async fn list(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    after: Option<&str>,
    limit: Option<&str>,
) -> Answer<Page<Signal>> {
    let limit = query::limit(limit)?;
    let after = query::number("after", after, 0i64, 0, i64::MAX)?;
    let (_, device) = found::device(&engine.store, site, device).await?;
    let mut signals = engine.store.signals(device.id).await?;
    signals.retain(|signal| signal.value_type.is_some() && signal.id.0 > after);
    signals.truncate(limit as usize + 1);
    let names = engine.store.signal_names(device.id).await?;
    let shown = |signal: store::Signal| shown::signal(signal.clone(), also(&names, signal.id));
    Ok(Json(query::page(signals, limit, |signal| signal.id.0.to_string(), shown)))
}

/// Declare a signal. An arrival of that name becomes it, with its readings.
#[utoipa::path(operation_id = "signals_add", context_path = "/api/v1", tag = "signals", request_body = NewSignal,
    responses((status = 201, body = Signal), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/signals", data = "<body>")]
async fn add(
    engine: &State<Arc<Engine>>,
    change: Change,
    site: &str,
    device: &str,
    body: Body<NewSignal>,
) -> Result<(Status, Json<Signal>), Failure> {
    let (site, device) = found::device(&engine.store, site, device).await?;
    let signal = engine.set_up.add_signal(&site, &device, &body.0, &change.0.name()).await?;
    Ok((Status::Created, Json(shown::signal(signal, Vec::new()))))
}

/// One signal.
#[utoipa::path(operation_id = "signals_show", context_path = "/api/v1", tag = "signals",
    responses((status = 200, body = Signal), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>")]
async fn show(engine: &State<Arc<Engine>>, _access: Access, site: &str, device: &str, signal: &str) -> Answer<Signal> {
    let (_, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let names = engine.store.signal_names(device.id).await?;
    let also = also(&names, signal.id);
    Ok(Json(shown::signal(signal, also)))
}

/// Change a signal. Its code stays: senders use it.
#[utoipa::path(operation_id = "signals_change", context_path = "/api/v1", tag = "signals", request_body = SignalChange,
    responses((status = 200, body = Signal), (status = "default", body = lantern_api::Problem)))]
#[patch("/sites/<site>/devices/<device>/signals/<signal>", data = "<body>")]
async fn change(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    signal: &str,
    body: Body<SignalChange>,
) -> Answer<Signal> {
    let (site, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let signal = engine.set_up.change_signal(&site, &device, &signal, body.0).await?;
    let names = engine.store.signal_names(device.id).await?;
    let also = also(&names, signal.id);
    Ok(Json(shown::signal(signal, also)))
}

/// How much would go with a signal: its readings, counted up to a million.
#[utoipa::path(operation_id = "signals_extent", context_path = "/api/v1", tag = "signals",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[get("/sites/<site>/devices/<device>/signals/<signal>/extent")]
async fn extent(
    engine: &State<Arc<Engine>>,
    _access: Access,
    site: &str,
    device: &str,
    signal: &str,
) -> Answer<Removal> {
    let (_, _, signal) = found::signal(&engine.store, site, device, signal).await?;
    Ok(Json(removal(engine.store.count_readings(signal.id, COUNT_LIMIT).await?, false)))
}

/// Remove a signal and its readings.
///
/// A signal with readings is removed only with `confirm` set to its code;
/// without it, the answer says how much would go.
#[utoipa::path(operation_id = "signals_remove", context_path = "/api/v1", tag = "signals",
    responses((status = 200, body = Removal), (status = "default", body = lantern_api::Problem)))]
#[delete("/sites/<site>/devices/<device>/signals/<signal>?<confirm>")]
async fn remove(
    engine: &State<Arc<Engine>>,
    _change: Change,
    site: &str,
    device: &str,
    signal: &str,
    confirm: Option<&str>,
) -> Answer<Removal> {
    let (_, device, signal) = found::signal(&engine.store, site, device, signal).await?;
    let extent = engine.store.count_readings(signal.id, COUNT_LIMIT).await?;
    let removed = confirmed(confirm, &signal.code, extent.count == 0)?;
    if removed {
        engine.set_up.remove_signal(&device, &signal).await?;
    }
    Ok(Json(removal(extent, removed)))
}

/// Join signals or arrivals of numbers to one of positions, with their past. What is sent
/// under their names is a part of it from then on.
#[utoipa::path(operation_id = "signals_join_position", context_path = "/api/v1", tag = "signals",
    request_body = JoinPosition,
    responses((status = 200, body = JoinedPosition), (status = "default", body = lantern_api::Problem)))]
#[post("/sites/<site>/devices/<device>/position", data = "<body>")]
async fn join_position(
    engine: &State<Arc<Engine>>,
    person: Change,
    site: &str,
    device: &str,
    body: Body<JoinPosition>,
) -> Answer<JoinedPosition> {
    let (site, device) = found::device(&engine.store, site, device).await?;
    Ok(Json(engine.set_up.join_position(&site, &device, &body.0, &person.0.name()).await?))
}
